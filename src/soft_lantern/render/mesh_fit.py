"""What meshes lack for what they wear or are marked as: vertices for an offset, colours, a closed shape."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

import numpy as np
from msgspec import Struct

from soft_lantern.graph.document import Asset, Material, Project, Scene, changed, edited_record
from soft_lantern.graph.edits import choose_setting
from soft_lantern.graph.instances.picks import worn
from soft_lantern.graph.instances.values import look
from soft_lantern.graph.kinds import label_of
from soft_lantern.graph.lowering import uniform_values
from soft_lantern.graph.notice import Fix, Notice, Severity
from soft_lantern.ir import surface_inputs
from soft_lantern.ir.expr import Expr
from soft_lantern.ir.numpy_reader import as_rows, evaluate
from soft_lantern.ir.surface_inputs import read_inputs
from soft_lantern.nodes import Role
from soft_lantern.render.frame import UniformValue, frame_inputs
from soft_lantern.render.soft import vertex_leaves
from soft_lantern.render.staging import LoweredMaterials, StageOptions, object_inputs, placed_parts
from soft_lantern.scene.coarse import MISSED, MOST_TRIANGLES
from soft_lantern.scene.mesh import Mesh, Model
from soft_lantern.scene.primitives import FINEST, primitive
from soft_lantern.scene.refine import halved
from soft_lantern.scene.transforms import Camera
from soft_lantern.values.images import Image

MOST_REFINED, MOST_LOOKED_AT = 3, 600_000
"""How often a file's triangles are cut in four in search of enough, and up to how many of them."""


class Coarseness(Struct, frozen=True):
    """How far an offset reaches over a mesh's vertices, and what straight edges miss of it at most; metres."""

    span: float
    missed: float

    @property
    def too_coarse(self) -> bool:
        return self.missed > MISSED * max(self.span, self.missed)


def coarseness(
    mesh: Mesh, inputs: Mapping[str, tuple[float, ...]], offset: Expr, uniforms: Mapping[str, UniformValue]
) -> Coarseness:
    """Compares the offset in the middle of edges with the mean of what it is at their ends."""
    move = surface_inputs.at_vertex(offset)
    leaves = vertex_leaves(mesh, {"offset": move}, inputs, uniforms)
    triangles = mesh.triangles[:: max(len(mesh.triangles) // MOST_TRIANGLES, 1)]
    edges = np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]])
    # The middles of edges, as vertices of their own.
    halfway = {
        name: rows if not name.startswith("mesh_") else (rows[:, edges[:, 0]] + rows[:, edges[:, 1]]) / 2
        for name, rows in leaves.items()
    }
    at_vertices = as_rows(evaluate([move], leaves, np.float64)[move], len(mesh.positions))
    between = as_rows(evaluate([move], halfway, np.float64)[move], len(edges))
    straight = (at_vertices[edges[:, 0]] + at_vertices[edges[:, 1]]) / 2
    every = np.concatenate([at_vertices[np.unique(triangles)], between])
    span = np.linalg.norm(every.max(axis=0) - every.min(axis=0)) if len(every) else 0.0
    missed = np.linalg.norm(between - straight, axis=1).max() if len(edges) else 0.0
    return Coarseness(*(float(x) if np.isfinite(x) else 0.0 for x in (span, missed)))


def unfit_meshes(
    project: Project,
    scene: Scene,
    models: Mapping[str, Model],
    camera: Camera,
    lowered_materials: LoweredMaterials,
    images: Mapping[str, Image] | None = None,
    only: str = "",
    time: float = 0.0,
) -> Iterator[Notice]:
    """A notice for each asset of a scene that does not fit what it wears or is marked as.

    Too coarse for a vertex offset; without the vertex colours that are read; closed, though both its sides blend; open,
    though it should cut out. `only`: the id of the one material to look at.
    """
    frame = frame_inputs(camera, (1, 1), time)
    cut_outs = {name for thing in scene.objects for name in thing.cut_outs.values() if name}
    told: set[tuple[str, str]] = set()
    for thing in scene.objects:
        for part, mesh, _ in placed_parts(thing, models[thing.asset]) if thing.asset in models else ():
            cuts = thing.cut_outs.get(part, thing.cut_outs.get("", ""))
            if cuts and not only and (cuts, thing.asset) not in told and not mesh.closed:
                told.add((cuts, thing.asset))
                text = f"{thing.name} should cut out {cuts}, but {part} is open: it has no inside"
                yield Notice(Severity.WARNING, "open-cut-out", text, scene.id)
            look_id = worn(project, thing, part)
            found = look(project, look_id)
            if found is None or (only and found.material.id != only) or (found.material.id, thing.asset) in told:
                continue
            lowered = lowered_materials.lowered(found.material)
            dress = lowered_materials.dress(project, look_id, StageOptions(), images)
            for missing in sorted(dress.paint.hidden_in - cut_outs):
                if (found.material.id, missing) not in told:
                    told.add((found.material.id, missing))
                    yield _no_cut_out(found.material, missing, scene)
            if dress.blended and not dress.culled and mesh.closed:
                told.add((found.material.id, thing.asset))
                yield _blends_twice(found.material, project.assets[thing.asset])
            if not mesh.has_colours and "vertex_color" in read_inputs(lowered.surface.values()):
                told.add((found.material.id, thing.asset))
                yield _colourless(found.material, project.assets[thing.asset])
            if lowered.offset is None:
                continue
            inputs = {**frame, **object_inputs(thing, models[thing.asset], mesh)}
            uniforms = uniform_values(lowered, found.material, found.shown, images)
            known = coarseness(mesh, inputs, lowered.offset, uniforms)
            if known.too_coarse:
                told.add((found.material.id, thing.asset))
                asset = project.assets[thing.asset]
                fine = _fine_enough(asset, mesh, inputs, lowered.offset, uniforms)
                yield _notice(found.material, asset, known, fine)


def _fine_enough(
    asset: Asset,
    mesh: Mesh,
    inputs: Mapping[str, tuple[float, ...]],
    offset: Expr,
    uniforms: Mapping[str, UniformValue],
) -> int:
    """The least subdivision of a primitive, or refinement of a file, that is fine enough; 0 where there is none."""
    if not asset.primitive:
        for times in range(1, MOST_REFINED + 1):
            if len(mesh.triangles) * 4 > MOST_LOOKED_AT:
                return 0
            mesh = halved(mesh)
            if not coarseness(mesh, inputs, offset, uniforms).too_coarse:
                return asset.refine + times
        return 0
    finer = asset.subdivision * 2
    while finer <= FINEST:
        mesh = primitive(asset.primitive, finer).parts[0].placed
        if not coarseness(mesh, inputs, offset, uniforms).too_coarse:
            return finer
        finer *= 2
    return 0


def _no_cut_out(material: Material, name: str, scene: Scene) -> Notice:
    text = f"{material.name} is hidden in {name}, but nothing in {scene.name} cuts that out"
    return Notice(Severity.INFO, "no-cut-out", text, material.id, _output_of(material), "hidden_in")


def _output_of(material: Material) -> str:
    return next((i for i, n in material.nodes.items() if n.role is Role.SURFACE), "")


def _blends_twice(material: Material, asset: Asset) -> Notice:
    node_id = _output_of(material)
    text = f"{asset.name} is closed, and {material.name} blends both its sides: far ones may show over near ones"
    mend = (Fix("Draw the outer side alone", lambda m: choose_setting(m, node_id, "double_sided", "no")),)
    return Notice(Severity.WARNING, "blend-both-sides", text, material.id, node_id, "double_sided", fixes=mend)


def _colourless(material: Material, asset: Asset) -> Notice:
    node_id = next((i for i, n in material.nodes.items() if n.type == "vertex_colour"), "")
    name = label_of(material, material.nodes[node_id]) if node_id else material.name
    text = f"{asset.name} has no vertex colours; {name} gives what stands in for them"
    return Notice(Severity.WARNING, "no-vertex-colours", text, material.id, node_id)


def _notice(material: Material, asset: Asset, known: Coarseness, fine: int) -> Notice:
    node_id = next(i for i, n in material.nodes.items() if n.role is Role.OFFSET)
    name = label_of(material, material.nodes[node_id])
    text = (
        f"{name} is too fine for {asset.name}: between its vertices it misses up to {known.missed:.3g} m"
        f" of {known.span:.3g} m"
    )
    mends: tuple[Fix, ...] = ()
    if fine:

        def subdivide(project: Project) -> Project:
            finer = {"subdivision" if asset.primitive else "refine": fine}
            return edited_record(project, "assets", asset.id, lambda now: changed(now, **finer))

        words = f"Subdivide {asset.name} to {fine}" if asset.primitive else f"Refine {asset.name} {fine} times"
        mends = (Fix(words, of_project=subdivide),)
    return Notice(Severity.WARNING, "coarse-mesh", text, material.id, node_id, fixes=mends)
