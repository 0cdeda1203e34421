"""Which part of a gradient the picture uses: where its lookups read it, measured on what the stage sees."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from soft_lantern.graph.document import Project, Scene, StageObject, View, changed
from soft_lantern.graph.instances.picks import worn
from soft_lantern.graph.instances.values import Look, look
from soft_lantern.graph.lowering import Lowered, read_ids, uniform_values
from soft_lantern.ir.expr import Expr, topological
from soft_lantern.ir.numpy_reader import evaluate, leaf
from soft_lantern.ir.ramp import GRADIENT_AT
from soft_lantern.render.points import at_time, on_objects
from soft_lantern.render.staging import LoweredMaterials
from soft_lantern.scene.mesh import Model
from soft_lantern.scene.transforms import camera_for
from soft_lantern.values.images import Image

BINS, SIDE = 64, 128


class Usage(Struct, frozen=True, eq=False):
    """How many pixels read each 64th of a gradient, the least and greatest place, and how many parts read it."""

    counts: npt.NDArray[np.int64]
    low: float
    high: float
    parts: int


def usage_of(
    project: Project,
    gradient_id: str,
    scene: Scene,
    models: Mapping[str, Model],
    view: View,
    images: Mapping[str, Image],
    lowered_materials: LoweredMaterials,
    time: float = 0.0,
) -> Usage:
    """What the stage reads of a gradient, over the pixels that it sees; beyond 0 to 1 as the lookup says."""
    held = dict(models)
    camera = camera_for(view, (SIDE, SIDE))
    found: list[npt.NDArray[np.float64]] = []
    parts = 0
    for thing in scene.objects:
        if thing.asset not in held:
            continue
        for names, look_id in _dressed_parts(project, thing, held[thing.asset]):
            known = look(project, look_id)
            lowered = lowered_materials.lowered(known.material) if known else None
            reads = list(_lookups(lowered, known, gradient_id)) if lowered and known else []
            if not reads or not lowered or not known:
                continue
            parts += 1
            points = on_objects(_split(scene, thing, names, held[thing.asset]), held, camera, (SIDE, SIDE), "measured")
            if points is None:
                continue
            uniforms = uniform_values(lowered, known.material, known.shown, images)
            leaves = at_time(points, time) | {name: leaf(value) for name, value in uniforms.items()}
            values = evaluate(reads, leaves)
            found += [np.broadcast_to(values[each], (points.count,)).astype(np.float64) for each in reads]
    joined = np.concatenate(found) if found else np.zeros(0)
    joined = joined[np.isfinite(joined)]
    counts, _ = np.histogram(joined, BINS, (0.0, 1.0))
    ends = (float(joined.min()), float(joined.max())) if joined.size else (0.0, 0.0)
    return Usage(counts, *ends, parts)


def _lookups(lowered: Lowered, known: Look, gradient_id: str) -> Iterator[Expr]:
    """The place of every lookup of a gradient that reaches the surface."""
    held = read_ids(lowered, known.material)
    for name, source in lowered.uniforms.items():
        if source.parameter in known.values:
            held[name] = str(known.values[source.parameter])
    for expr in topological(lowered.surface.values()):
        if expr.data is GRADIENT_AT and held.get(str(expr.args[0].data)) == gradient_id:
            yield expr.args[1]


def _dressed_parts(project: Project, thing: StageObject, model: Model) -> Iterator[tuple[set[str], str]]:
    """The parts of an object that are seen, by the look they wear."""
    by_look: dict[str, set[str]] = {}
    for part in model.parts:
        if part.name not in thing.hidden:
            by_look.setdefault(worn(project, thing, part.name), set()).add(part.name)
    for look_id, names in by_look.items():
        yield names, look_id


def _split(scene: Scene, thing: StageObject, names: set[str], model: Model) -> Scene:
    """The scene with some parts of an object as an object "measured", the rest of it as another."""
    others = tuple(part.name for part in model.parts if part.name not in names)
    mine = changed(thing, id="measured", hidden=others)
    rest = changed(thing, id="rest", hidden=(*thing.hidden, *names))
    return changed(scene, objects=(*(o for o in scene.objects if o.id != thing.id), mine, rest))
