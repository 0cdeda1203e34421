"""A material's graph at one point: every surface output and every wire."""

from __future__ import annotations

import math
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from soft_lantern.commands.arguments import material_and_values, pair, value_of
from soft_lantern.errors import BadValue
from soft_lantern.formats.images import load_images
from soft_lantern.formats.project_folder import open_project
from soft_lantern.graph.document import Project, changed
from soft_lantern.graph.lowering import lower, read_ids, uniform_values
from soft_lantern.graph.parameters.edits import choice_of, held
from soft_lantern.ir.expr import Expr, Type
from soft_lantern.ir.hand_point import hand_point
from soft_lantern.ir.inputs import INPUTS
from soft_lantern.ir.numpy_reader import as_rows, evaluate, leaf
from soft_lantern.values.kinds import components, fitted
from soft_lantern.values.words import counted


def probe(
    project: Path, material: str, instance: str, set_: Sequence[str], at: Sequence[str], reader: str
) -> dict[str, Any]:
    """What the surface and the wires come to: by name, the components of each as JSON can hold them.

    `set_`: PARAM=VALUE; `at`: INPUT=VALUES; `reader`: numpy or glsl. Raises BadValue.
    """
    document = open_project(project).project
    found, values = material_and_values(document, material, instance)
    for text in set_:
        identifier, given = pair(text, "--set")
        parameter = next((p for p in found.parameters if identifier in (p.identifier, p.id)), None)
        if parameter is None:
            known = ", ".join(p.identifier for p in found.parameters) or "none"
            raise BadValue(f"{found.name} has no parameter “{identifier}”; it has {known}")
        written = choice_of(parameter, given) if parameter.choices else value_of(given, identifier)
        value = fitted(written, parameter.kind)
        if held(parameter, value) != value:
            raise BadValue(f"{identifier}={given} is outside the limits {parameter.low} to {parameter.high}")
        values[parameter.id] = value
    lowered = lower(found)
    images, _ = load_images(_with_alone(document, set(read_ids(lowered, found, values).values())), project)
    leaves = {name: leaf(parts) for name, parts in uniform_values(lowered, found, values, images).items()}
    leaves |= {name: leaf(parts) for name, parts in _inputs(at).items()}
    results: dict[str, Expr] = {f"surface {n}": e for n, e in lowered.surface.items()} | lowered.wires
    results = {name: expr for name, expr in results.items() if expr.type is not Type.SAMPLER}
    computed = _computed(results, leaves, reader)
    return {
        "material": found.id,
        "surface": {n: computed[f"surface {n}"] for n in lowered.surface},
        "wires": {n: computed[n] for n in lowered.wires if n in computed},
    }


def _with_alone(document: Project, ids: set[str]) -> Project:
    """A project with no textures, gradients and palettes but those: to read all others would take long."""
    textures, gradients, palettes = (
        {key: each for key, each in held.items() if key in ids}
        for held in (document.textures, document.gradients, document.palettes)
    )
    return changed(document, textures=textures, gradients=gradients, palettes=palettes)


def _inputs(given: Sequence[str]) -> dict[str, tuple[float, ...]]:
    """Every surface input's components, those that follow from what is given too.

    `position` is the point in the world, where its object stands at the origin unless said, and `normal` its normal.
    """
    found: dict[str, tuple[float, ...]] = {}
    short = {"position": ["position_world"], "normal": ["normal_world"]}
    for text in given:
        name, values = pair(text, "--at")
        targets = short.get(name, [name])
        if targets[0] not in INPUTS:
            raise BadValue(f"there is no input “{name}”; there are {', '.join([*short, *INPUTS])}")
        value = value_of(values, name)
        parts = components(value)
        if len(parts) != INPUTS[targets[0]].type.width:
            raise BadValue(f"{name} takes {counted(INPUTS[targets[0]].type.width, 'number')}, not {len(parts)}")
        found |= dict.fromkeys(targets, parts)
    return hand_point(found)


def _computed(results: dict[str, Expr], leaves: dict[str, Any], reader: str) -> dict[str, list[float | str]]:
    if reader == "numpy":
        values = evaluate(results.values(), leaves)
        rows = {name: as_rows(values[expr], 1)[0] for name, expr in results.items()}
    elif reader == "glsl":
        from soft_lantern.render.gl import GlRenderer  # only who asks for it waits for OpenGL
        from soft_lantern.render.gl_evaluate import evaluate_on_gpu

        rows = {name: r[0] for name, r in evaluate_on_gpu(GlRenderer(), results, leaves, 1).items()}
    else:
        raise BadValue(f"there is no reader “{reader}”, only numpy and glsl")
    return {name: [_plain_number(float(part)) for part in row] for name, row in rows.items()}


def _plain_number(value: float) -> float | str:
    """JSON has no infinity and no NaN: they become text."""
    if math.isfinite(value):
        return value
    return "NaN" if math.isnan(value) else ("Infinity" if value > 0 else "-Infinity")
