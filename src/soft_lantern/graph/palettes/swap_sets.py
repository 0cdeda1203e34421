"""Palettes that can stand in each other's place for one set of indices, and the sprites that hold the indices."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from soft_lantern.errors import BadEdit, BadValue
from soft_lantern.graph.document import (
    Instance,
    Material,
    Palette,
    Parameter,
    Pick,
    Project,
    Texture,
    changed,
    new_id,
    with_records,
)
from soft_lantern.graph.instances.picks import put_pick
from soft_lantern.graph.instances.values import ancestry, put_instance
from soft_lantern.graph.ramps.images import side_of
from soft_lantern.values.kinds import Kind
from soft_lantern.values.words import free_name

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


def edited_palette(project: Project, palette_id: str, edit: Callable[[Palette], Palette]) -> Project:
    """The project with one palette edited, its swap set keeping step. Raises BadEdit where it is gone."""
    palette = project.palettes.get(palette_id)
    if palette is None:
        raise BadEdit("that palette is gone")
    after = edit(palette)
    return project if after is palette else with_palette(project, after)


def with_palette(project: Project, palette: Palette) -> Project:
    """The project with a palette put in or changed; those of its swap set keep as many cells and colours.

    Where the base gains colours, the others gain the same ones at the end.
    """
    palettes = {**project.palettes, palette.id: palette}
    for each in list(palettes.values()):
        if each.swaps == palette.id and each.id != palette.id:
            missing = palette.colours[len(each.colours) :]
            kept = each.colours[: len(palette.colours)] + missing
            if (each.side, each.colours) != (side_of(palette), kept):
                palettes[each.id] = changed(each, side=side_of(palette), colours=kept)
    return changed(project, palettes=palettes)


def check_room(palette: Palette, side: int) -> None:
    """Raises BadValue where a square of so many cells along an edge does not hold a palette's colours."""
    if side * side < len(palette.colours):
        raise BadValue(f"{side} × {side} cells do not hold {len(palette.colours)} colours")


def grown(project: Project, palette_id: str, side: int, files: Mapping[str, str]) -> Project:
    """The project with a palette of another side, its swap set with it, and its sprites read from other files.

    Raises BadEdit where there is a sprite that has none, BadValue where the colours do not fit.
    """
    palette = project.palettes.get(palette_id)
    sprites = sprites_of(project, palette_id)
    if palette is None or {sprite.id for sprite in sprites} - files.keys():
        raise BadEdit("the sprites changed meanwhile; grow it again")
    check_room(palette, side)
    project = with_palette(project, changed(palette, side=side))
    return with_records(project, *(changed(sprite, file=files[sprite.id]) for sprite in sprites))


def swap_of(project: Project, palette: Palette, name: str, colours: Colours) -> Palette:
    """One more palette for the same indices as a palette of the project, with a name of its own."""
    base = base_of(project, palette.id) or palette
    taken = {each.name for each in project.palettes.values()}
    free = free_name(name, taken)
    return changed(
        palette, id=new_id("palette"), name=free, colours=colours, swaps=base.id, side=side_of(base), unknown={}
    )


def showing(project: Project, palette_id: str) -> tuple[Material, Parameter] | None:
    """The material whose parameter holds a palette of a swap set, itself or in an instance, and the parameter."""
    ids = {each.id for each in swap_set(project, palette_id)}
    parameters = {
        (m.id, p.id): (m, p) for m in project.materials.values() for p in m.parameters if p.kind is Kind.PALETTE
    }
    by_default = (found for found in parameters.values() if found[1].default in ids)
    by_instance = (
        parameters[(material.id, key)]
        for instance in project.instances.values()
        for key, value in instance.values.items()
        if value in ids and (material := ancestry(project, instance.id)[1]) and (material.id, key) in parameters
    )
    return next(by_default, None) or next(by_instance, None)


def pick_of_swaps(project: Project, palette_id: str, seed: int) -> tuple[Project, Pick]:
    """The project with a pick of one instance for each palette of a swap set; instances that hold one are used again.

    Raises BadEdit where no material has a palette parameter that holds one of the set, itself or in an instance.
    """
    palettes = swap_set(project, palette_id)
    found = showing(project, palette_id)
    if found is None:
        raise BadEdit("no material has a parameter that holds one of these palettes: expose its palette first")
    material, parameter = found
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
