"""What to know of a material before it leaves for a target: what the target may not hold, and what precision loses."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import partial

import numpy as np

from soft_lantern.formats.delivery import TARGETS
from soft_lantern.formats.shaders import msl, wgsl
from soft_lantern.formats.shaders.figures import figures, spenders
from soft_lantern.formats.shaders.surface import SurfaceProgram
from soft_lantern.graph.document import Budget, Project, changed
from soft_lantern.graph.kinds import label_of
from soft_lantern.graph.notice import Fix, Notice, Severity
from soft_lantern.graph.parameters.edits import change_parameter
from soft_lantern.ir.cost import cost
from soft_lantern.ir.expr import in_reading_order
from soft_lantern.ir.glsl_words import HLSL_WORDS, as_identifier
from soft_lantern.ir.numpy_reader import as_rows, evaluate
from soft_lantern.proof.points import Trial, trial

POINTS, SEED = 500, 1
STEP = 1 / 255
"""What counts as lost: a step of a screen's 8 bits."""
KEPT = {"wgsl": wgsl.RESERVED, "msl": msl.RESERVED, "hlsl": HLSL_WORDS}
"""Words that languages keep for themselves, where an identifier of GLSL might be one."""
SPENT = {
    "operations": "operations a pixel",
    "texture_reads": "texture reads a pixel",
    "live": "numbers kept at once",
}
"""What a budget allows, in words."""
BY_NODE = ("operations", "texture_reads")
"""What of it is counted by node."""
HALVED = ("glsl-es",)
"""Targets whose devices may work in half precision, where a shader is told "mediump" (GLSL ES 3.00, section 4.5.1)."""


def preflight(program: SurfaceProgram, target: str, budgets: Sequence[Budget] = ()) -> list[Notice]:
    """What stands against a material for a target, and beyond a project's budgets, the worst first."""
    place = program.material.id
    found = [
        Notice(Severity.ERROR, "over-a-limit", f"{figure.words}: more than every device has", place)
        for figure in figures(program, target)
        if figure.too_much
    ]
    found += _reserved(program, target)
    found += _over_budget(program, budgets)
    if target in HALVED:
        lost = _lost_by_halving(trial(program, POINTS, SEED))
        if lost:
            words = f"At mediump it would be off by more than 1/255: {', '.join(lost)}. The text asks for highp"
            found.append(Notice(Severity.INFO, "half-precision", words, place))
    return found


def _reserved(program: SurfaceProgram, target: str) -> Iterator[Notice]:
    """Parameters whose identifiers a language keeps for itself, and another name for each."""
    kept = KEPT.get(target, frozenset())
    taken = {each.identifier for each in program.material.parameters}
    for parameter in program.used:
        if parameter.identifier in kept:
            other = as_identifier(f"{parameter.identifier} value", taken | kept)
            edit = partial(change_parameter, parameter_id=parameter.id, identifier=other)
            words = (
                f"{TARGETS[target].words} keeps “{parameter.identifier}” for itself: call {parameter.label} otherwise"
            )
            mend = Fix(f"Call it {other}", edit)
            yield Notice(Severity.ERROR, "reserved-name", words, program.material.id, port=parameter.id, fixes=(mend,))


def _over_budget(program: SurfaceProgram, budgets: Sequence[Budget]) -> Iterator[Notice]:
    """What a material spends beyond a budget, and which of its nodes spend most."""
    whole, nodes = cost(program.pixel.results.values()), program.material.nodes
    for budget in budgets:
        for key, words in SPENT.items():
            allowed, spent = getattr(budget, key), getattr(whole, key)
            if not 0 < allowed < spent:
                continue
            most = _most(program, key)
            listed = ", ".join(f"{label_of(program.material, nodes[node])} {count:,}" for node, count in most)
            text = f"{budget.name}: {spent:,} {words}, and {allowed:,} are meant" + (f"; most by {listed}" * bool(most))
            mend = Fix(f"Allow {spent:,}", of_project=partial(_allowing, name=budget.name, key=key, spent=spent))
            node = most[0][0] if most else ""
            yield Notice(Severity.WARNING, "over-budget", text, program.material.id, node, fixes=(mend,))


def _most(program: SurfaceProgram, key: str) -> list[tuple[str, int]]:
    """The three nodes that spend most of something that is counted by node, and how much each."""
    if key not in BY_NODE:
        return []
    found = [(each.node, int(getattr(each, key))) for each in spenders(program) if each.node and getattr(each, key)]
    return sorted(found, key=lambda pair: -pair[1])[:3]


def _allowing(project: Project, name: str, key: str, spent: int) -> Project:
    """The project with more allowed in one of its budgets."""
    budgets = (changed(each, **{key: spent}) if each.name == name else each for each in project.budgets)
    return changed(project, budgets=tuple(budgets))


def _lost_by_halving(tried: Trial) -> list[str]:
    """Which of the surface's values half precision changes by more than a step, by how much and where that begins."""
    results = tried.program.pixel.results
    halves = evaluate(list(results.values()), tried.leaves, np.float16)
    whole = evaluate(list(results.values()), tried.leaves)
    count = len(next(iter(tried.wanted.values())))
    said = []
    for name, expr in results.items():
        wanted, found = as_rows(whole[expr], count), as_rows(halves[expr], count).astype(np.float32)
        off = np.abs(found - wanted)[np.isfinite(wanted).all(axis=1)]
        if not off.size or not (off > STEP).any():
            continue
        first = next(
            (
                words
                for each in in_reading_order([expr])
                if (words := tried.program.pixel.names.get(each))
                and _is_off(as_rows(whole[each], count), as_rows(halves[each], count))
            ),
            "",
        )
        share = float((off > STEP).any(axis=1).mean())
        most = float(np.nanmax(off[np.isfinite(off)], initial=0.0))
        begins = f", first at {first}" if first else ""
        points = f"{share:.0%}" if share >= 0.01 else "under 1%"
        said.append(f"{name.replace('_', ' ')} by up to {most:.2g} at {points} of points{begins}")
    return said


def _is_off(wanted: np.ndarray, found: np.ndarray) -> bool:
    sound = np.isfinite(wanted)
    off = np.abs(found.astype(np.float32) - wanted)[sound] / np.maximum(np.abs(wanted[sound]), 1.0)
    return bool(off.size) and bool((np.nan_to_num(off, nan=1.0) > STEP).any())
