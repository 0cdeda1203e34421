"""Points and parameter values by chance, and what a surface comes to there by the NumPy reader."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from soft_lantern.formats.shaders.block import members, size_of
from soft_lantern.formats.shaders.surface import SurfaceProgram
from soft_lantern.ir.expr import Op, Type, topological
from soft_lantern.ir.inputs import INPUTS
from soft_lantern.ir.numpy_reader import as_rows, evaluate
from soft_lantern.values.kinds import components

Rows = npt.NDArray[np.float32]
LIMIT = 1e-5
"""Of a value, or of 1 where it is smaller, how far another reader's may be off."""


@dataclass(frozen=True, eq=False)
class Trial:
    """Inputs of a surface by name, (n, k) each, its parameters by identifier, and what it comes to, (n, k) each."""

    program: SurfaceProgram
    inputs: dict[str, Rows]
    values: dict[str, tuple[float, ...]]
    wanted: dict[str, Rows]

    @property
    def block(self) -> bytes:
        """The parameters as their block of memory has them."""
        held = np.zeros(max(size_of(self.program.block), 16) // 4, np.float32)
        for identifier, slot in members(self.program.block):
            at = slot.offset // 4
            held[at : at + slot.width] = self.values.get(identifier, (0.0,) * slot.width)
        return held.tobytes()


@dataclass(frozen=True)
class Proof:
    """How far another reader is off at most, beside LIMIT, at which of the surface's values, and at how many places."""

    largest: float
    where: str
    places: int

    @property
    def holds(self) -> bool:
        """Whether it is within the limit everywhere."""
        return self.largest <= 1.0


def trial(program: SurfaceProgram, count: int, seed: int) -> Trial:
    """A surface at so many points by chance. It reads no textures."""
    chance = np.random.default_rng(seed)
    inputs = {name: _given(name, count, chance) for name in program.pixel.inputs}
    values = {}
    for parameter in program.used:
        default = np.array(components(parameter.default), float)
        low = default - 0.5 if parameter.low is None else np.full(default.shape, parameter.low)
        high = default + 0.5 if parameter.high is None else np.full(default.shape, parameter.high)
        whole = chance.uniform(np.minimum(low, high), np.maximum(low, high)).astype(np.float32)
        values[parameter.identifier] = tuple(float(part) for part in whole)
    results = program.pixel.results
    leaves = {name: np.ascontiguousarray(rows.T if rows.shape[1] > 1 else rows[:, 0]) for name, rows in inputs.items()}
    for expr in topological(results.values()):
        if expr.op is Op.UNIFORM:
            held = np.array(values[program.leaves[str(expr.data)]], np.float32)
            leaves[str(expr.data)] = held if held.size == 1 else held[:, None]
    with np.errstate(all="ignore"):
        found = evaluate(results.values(), leaves)
    return Trial(program, inputs, values, {name: as_rows(found[expr], count) for name, expr in results.items()})


def compared(wanted: Trial, found: dict[str, Rows]) -> Proof:
    """How far values are off those of a trial, wherever those are finite."""
    worst, where, places = 0.0, "", 0
    for name, rows in wanted.wanted.items():
        sound = np.isfinite(rows)
        off = np.abs(found[name].astype(np.float64) - rows)[sound] / np.maximum(np.abs(rows[sound]), 1.0) / LIMIT
        off = np.nan_to_num(off, nan=np.inf)
        places += off.size
        if off.size and off.max() > worst:
            worst, where = float(off.max()), name
    return Proof(worst, where, places)


def _given(name: str, count: int, chance: np.random.Generator) -> Rows:
    width = _WIDTHS.get(name) or INPUTS[name].type.width
    if name.endswith(("_dx", "_dy")):
        return chance.uniform(-0.01, 0.01, (count, width)).astype(np.float32)
    if name in ("carried_normal", "normal_world", "camera_right", "camera_up"):
        return _unit(chance.normal(size=(count, 3)))
    if name == "carried_tangent":
        return np.column_stack([_unit(chance.normal(size=(count, 3))), chance.choice([-1.0, 1.0], count)]).astype(
            np.float32
        )
    if name in ("front_facing", "has_vertex_color"):
        return chance.integers(0, 2, (count, 1)).astype(np.float32)
    if name.startswith("object_") and len(name) == 8:
        axis = np.eye(3)["xyz".index(name[-1])]
        return np.tile(axis * 1.5, (count, 1)).astype(np.float32)
    low, high = INPUTS[name].limits if name in INPUTS else (-4.0, 4.0)
    low, high = max(low, -4.0), min(high, 8.0)
    return chance.uniform(low, high, (count, width)).astype(np.float32)


_WIDTHS = {"carried_normal": 3, "carried_tangent": 4, "light_uv": 2}


def _unit(rows: npt.NDArray[np.float64]) -> Rows:
    return np.asarray(rows / np.linalg.norm(rows, axis=1, keepdims=True), np.float32)


def is_read(program: SurfaceProgram) -> bool:
    """Whether a surface reads textures, which points alone do not give."""
    return any(e.type is Type.SAMPLER for e in topological(program.pixel.results.values()))
