"""Points and parameter values by chance, and what a surface comes to there by the NumPy reader."""

from __future__ import annotations

import functools
from collections.abc import Iterable, Iterator, Mapping
from typing import Any

import numpy as np
import numpy.typing as npt
from msgspec import Struct
from msgspec.structs import asdict, replace

from soft_lantern.formats.shaders.block import filled
from soft_lantern.formats.shaders.surface import SurfaceProgram
from soft_lantern.graph.document import Parameter
from soft_lantern.ir.expr import Expr, Op, Type, topological
from soft_lantern.ir.inputs import INPUTS
from soft_lantern.ir.numpy_reader import as_rows, evaluate
from soft_lantern.values.images import Image
from soft_lantern.values.kinds import components

Rows = npt.NDArray[np.float32]
PICTURE = (15, 32)
"""Rows and columns of pictures by chance: the middle of one row is the middle of all, as in gradients."""
BORDER = 0.01
"""Of a texel: as near to its border it is not said which one is read."""
NEARBY = 4
"""How often inputs are tried that are off by the last of their digits."""
SPREADS = 4.0
"""How many times what results spread then may be added to the limit: every operation rounds once more."""
EXACT = ("facing", "front_facing", "has_vertex_color")
"""Inputs that are one thing or the other."""
LIMIT = 1e-5
"""Of a value, or of 1 where it is smaller, how far another reader's may be off."""


class Points(Struct, frozen=True, eq=False, dict=True):
    """Inputs of expressions by name, (n, k) each, their other values by identifier, and what they come to, (n, k) each.

    `pictures`: what is read as textures, by identifier; what is come to is not a number where that is too near to the
    border of a texel to say which is read. `leaves`: all of that as the NumPy reader takes it.
    """

    results: dict[str, Expr]
    inputs: dict[str, Rows]
    values: dict[str, tuple[float, ...]]
    wanted: dict[str, Rows]
    pictures: dict[str, Image]
    leaves: dict[str, Any]

    @functools.cached_property
    def spread(self) -> dict[str, Rows]:
        """How much what it comes to depends on the last digit of what goes in, and on the precision of the work."""
        results, count = self.results, len(next(iter(self.wanted.values())))
        spread = {name: np.zeros_like(rows) for name, rows in self.wanted.items()}
        for other in (evaluate(list(results.values()), self.leaves, np.float64), *self._nearby()):
            for name, expr in results.items():
                off = np.abs(as_rows(other[expr], count).astype(np.float64) - self.wanted[name])
                spread[name] = np.fmax(spread[name], off.max(axis=1, keepdims=True).astype(np.float32))
        return spread

    def _nearby(self) -> Iterator[Mapping[Expr, Any]]:
        """What results come to where inputs and pictures are off by the last of their digits."""
        chance = np.random.default_rng(NEARBY)
        for _ in range(NEARBY):
            moved = dict(self.leaves)
            for name, held in self.leaves.items():
                if isinstance(held, Image):
                    moved[name] = replace(held, texels=_nudged(held.texels, chance))
                elif name in self.inputs and name not in EXACT:
                    moved[name] = _nudged(held, chance)
            yield evaluate(list(self.results.values()), moved)

    @property
    def sure(self) -> int:
        """At how many points it is said what it comes to."""
        return int(np.all([np.isfinite(rows).all(axis=1) for rows in self.wanted.values()], axis=0).sum())


class Trial(Points, frozen=True, eq=False):
    """The same of a surface as it is delivered."""

    program: SurfaceProgram

    @property
    def block(self) -> bytes:
        """The parameters as their block of memory has them."""
        return filled(self.program.block, self.values)


class Proof(Struct, frozen=True):
    """How far another reader is off at most, beside a limit; at which of the surface's values, at how many places."""

    largest: float
    where: str
    places: int

    @property
    def holds(self) -> bool:
        """Whether it is within the limit everywhere."""
        return self.largest <= 1.0


def trial(program: SurfaceProgram, count: int, seed: int) -> Trial:
    """A surface at so many points by chance, with pictures by chance."""
    tried = points_for(program.pixel.results, program.pixel.inputs, program.used, program.leaves, count, seed)
    return Trial(**asdict(tried), program=program)


def points_for(
    results: dict[str, Expr],
    inputs: Iterable[str],
    parameters: Iterable[Parameter],
    identifiers: Mapping[str, str],
    count: int,
    seed: int,
    known: Mapping[str, tuple[float, ...]] = {},
) -> Points:
    """So many points by chance, with parameters inside their limits and pictures by chance.

    `identifiers` of uniforms by their names; `known`: what those are that no chance decides.
    """
    chance = np.random.default_rng(seed)
    given = {name: _given(name, count, chance) for name in inputs}
    values = dict(known)
    for parameter in parameters:
        if parameter.kind.is_read:
            continue
        default = np.array(components(parameter.default), float)
        low = default - 0.5 if parameter.low is None else np.full(default.shape, parameter.low)
        high = default + 0.5 if parameter.high is None else np.full(default.shape, parameter.high)
        whole = chance.uniform(np.minimum(low, high), np.maximum(low, high)).astype(np.float32)
        values[parameter.identifier] = tuple(float(part) for part in whole)
    leaves: dict[str, Any] = {
        name: np.ascontiguousarray(rows.T if rows.shape[1] > 1 else rows[:, 0]) for name, rows in given.items()
    }
    pictures: dict[str, Image] = {}
    order = topological(results.values())
    for expr in order:
        if expr.type is Type.SAMPLER:
            texels = chance.uniform(0, 1, (*PICTURE, 4)).astype(np.float32)
            texels[..., 2] = 0.7 + 0.3 * texels[..., 2]  # as in normal maps, where it points away from the surface
            made = pictures.setdefault(identifiers[str(expr.data)], Image(texels, "data", "nearest"))
            leaves[str(expr.data)] = made
        elif expr.op is Op.UNIFORM:
            name = identifiers[str(expr.data)]
            if name not in values:  # the row of a gradient in the atlas
                values[name] = tuple(map(float, chance.uniform(0, 4, expr.type.width).astype(np.float32)))
            held = np.array(values[name], np.float32)
            leaves[str(expr.data)] = held if held.size == 1 else held[:, None]
    read = [expr.args[1] for expr in order if expr.op in (Op.TEXTURE, Op.TEXTURE_LEVEL)]
    with np.errstate(all="ignore"):
        found = evaluate([*results.values(), *read], leaves)
    wanted = {name: as_rows(found[expr], count) for name, expr in results.items()}
    unsure = np.zeros(count, bool)
    for each in read:
        texels = as_rows(found[each], count) * PICTURE[::-1]
        unsure |= (np.abs(texels - np.rint(texels)) < BORDER).any(axis=1)
    sure = {name: np.where(unsure[:, None], np.float32(np.nan), rows) for name, rows in wanted.items()}
    return Points(results, given, values, sure, pictures, leaves)


def compared(wanted: Points, found: dict[str, Rows], limit: float = LIMIT) -> Proof:
    """How far values are off those of a trial, beside a limit, wherever those are finite."""
    worst, where, places = 0.0, "", 0
    for name, rows in wanted.wanted.items():
        sound = np.isfinite(rows)
        allowed = np.maximum(np.abs(rows[sound]), 1.0) * limit + SPREADS * wanted.spread[name][sound]
        off = np.abs(found[name].astype(np.float64) - rows)[sound] / allowed
        off = np.nan_to_num(off, nan=np.inf)
        places += off.size
        if off.size and off.max() > worst:
            worst, where = float(off.max()), name
    return Proof(worst, where, places)


def _given(name: str, count: int, chance: np.random.Generator) -> Rows:
    width = _WIDTHS.get(name) or INPUTS[name].type.width
    if name.endswith(("_dx", "_dy")):
        return chance.uniform(-0.01, 0.01, (count, width)).astype(np.float32)
    if name in _UNIT:
        return _unit(chance.normal(size=(count, 3)))
    if name == "carried_tangent":
        return np.column_stack([_unit(chance.normal(size=(count, 3))), chance.choice([-1.0, 1.0], count)]).astype(
            np.float32
        )
    if name == "facing":
        return chance.choice([-1.0, 1.0], (count, 1)).astype(np.float32)
    if name in EXACT:
        return chance.integers(0, 2, (count, 1)).astype(np.float32)
    if name.startswith("object_") and len(name) == 8:
        axis = np.eye(3)["xyz".index(name[-1])]
        return np.tile(axis * 1.5, (count, 1)).astype(np.float32)
    low, high = INPUTS[name].limits if name in INPUTS else (-4.0, 4.0)
    low, high = max(low, -4.0), min(high, 8.0)
    return chance.uniform(low, high, (count, width)).astype(np.float32)


_UNIT = ("carried_normal", "normal_world", "tangent_world", "bitangent_world", "camera_right", "camera_up")
_WIDTHS = {"carried_normal": 3, "carried_tangent": 4, "light_uv": 2}


def _unit(rows: npt.NDArray[np.float64]) -> Rows:
    return np.asarray(rows / np.linalg.norm(rows, axis=1, keepdims=True), np.float32)


def _nudged(rows: Rows, chance: np.random.Generator) -> Rows:
    way = np.where(chance.integers(0, 2, rows.shape) > 0, np.inf, -np.inf).astype(np.float32)
    return np.nextafter(rows, way)
