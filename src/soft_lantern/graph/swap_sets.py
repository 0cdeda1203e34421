"""Palettes that can stand in each other's place for one set of indices, and the sprites that hold the indices."""

from __future__ import annotations

import itertools

from soft_lantern.errors import BadEdit
from soft_lantern.graph.document import Instance, Palette, Pick, Project, Texture, changed, new_id
from soft_lantern.graph.instances import ancestry, put_instance
from soft_lantern.graph.picks import put_pick
from soft_lantern.graph.ramps import side_of
from soft_lantern.values.kinds import Kind

Colours = tuple[tuple[float, float, float, float], ...]


def swap_set(project: Project, palette_id: str) -> list[Palette]:
    """The palettes that fit one set of indices: the one they are made for, then those that swap for it, by name."""
    base = base_of(project, palette_id)
    if base is None:
        return []
    others = (each for each in project.palettes.values() if each.swaps == base.id and each.id != base.id)
    return [base, *sorted(others, key=lambda each: (each.name.lower(), each.id))]


def base_of(project: Project, palette_id: str) -> Palette | None:
    """The palette whose indices another is read with; itself where it swaps for none."""
    palette = project.palettes.get(palette_id)
    return project.palettes.get(palette.swaps, palette) if palette else None


def sprites_of(project: Project, palette_id: str) -> list[Texture]:
    """The textures of indices into a palette's cells."""
    base = base_of(project, palette_id)
    return [each for each in project.textures.values() if base and each.indexes == base.id]


def with_palette(project: Project, palette: Palette) -> Project:
    """The project with a palette put in or changed; those of its swap set keep as many cells and colours.

    Where the base gains colours, the others gain the same ones at the end.
    """
    palettes = {**project.palettes, palette.id: palette}
    for each in list(palettes.values()):
        if each.swaps == palette.id and each.id != palette.id:
            missing = palette.colours[len(each.colours) :]
            kept = each.colours[: len(palette.colours)] + missing
            palettes[each.id] = changed(each, side=side_of(palette), colours=kept)
    return changed(project, palettes=palettes)


def made_swap(project: Project, palette: Palette, name: str, colours: Colours) -> tuple[Project, Palette]:
    """The project with one more palette for the same indices, and that palette."""
    base = base_of(project, palette.id) or palette
    taken = {each.name for each in project.palettes.values()}
    names = itertools.chain([name], (f"{name} {count}" for count in itertools.count(2)))
    free = next(each for each in names if each not in taken)
    made = changed(
        palette, id=new_id("palette"), name=free, colours=colours, swaps=base.id, side=side_of(base), unknown={}
    )
    return changed(project, palettes={**project.palettes, made.id: made}), made


def pick_of_swaps(project: Project, palette_id: str, seed: int) -> tuple[Project, Pick]:
    """The project with a pick of one instance for each palette of a swap set; instances that hold one are used again.

    Raises BadEdit where no material has a palette parameter that holds one of the set.
    """
    palettes = swap_set(project, palette_id)
    ids = {each.id for each in palettes}
    found = [
        (material, parameter)
        for material in project.materials.values()
        for parameter in material.parameters
        if parameter.kind is Kind.PALETTE and parameter.default in ids
    ]
    if not found:
        raise BadEdit("no material has a parameter that holds one of these palettes: expose its palette first")
    material, parameter = found[0]
    looks = []
    for palette in palettes:
        kin = (i for i in project.instances.values() if ancestry(project, i.id)[1] is material)
        held = next((i for i in kin if i.values == {parameter.id: palette.id}), None)
        if held is None:
            held = Instance(
                id=new_id("instance"), name=palette.name, parent=material.id, values={parameter.id: palette.id}
            )
            project = put_instance(project, held)
        looks.append(held.id)
    base = palettes[0]
    before = next((pick for pick in project.picks.values() if set(pick.looks) <= set(looks) and pick.looks), None)
    fresh = Pick(id=new_id("pick"), name=f"Any {base.name}")
    pick = changed(before or fresh, looks=tuple(looks), seed=seed)
    return put_pick(project, pick), pick
