"""What to know of a material before it leaves for a target: what the target may not hold, and what precision loses."""

from __future__ import annotations

import numpy as np

from soft_lantern.formats.shaders.figures import figures
from soft_lantern.formats.shaders.surface import SurfaceProgram
from soft_lantern.graph.notice import Notice, Severity
from soft_lantern.ir.expr import in_reading_order
from soft_lantern.ir.numpy_reader import as_rows, evaluate
from soft_lantern.proof.points import Trial, trial

POINTS, SEED = 500, 1
STEP = 1 / 255
"""What counts as lost: a step of a screen's 8 bits."""
HALVED = ("glsl-es",)
"""Targets whose devices may work in half precision, where a shader is told "mediump" (GLSL ES 3.00, section 4.5.1)."""


def preflight(program: SurfaceProgram, target: str) -> list[Notice]:
    """What stands against a material for a target, the worst first."""
    place = program.material.id
    found = [
        Notice(Severity.ERROR, "over_a_limit", f"{figure.words}: more than every device has", place)
        for figure in figures(program)
        if figure.too_much
    ]
    if target in HALVED:
        lost = _lost_by_halving(trial(program, POINTS, SEED))
        if lost:
            words = f"At mediump it would be off by more than 1/255: {', '.join(lost)}. The text asks for highp"
            found.append(Notice(Severity.INFO, "half_precision", words, place))
    return found


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
