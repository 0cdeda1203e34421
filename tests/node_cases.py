"""Every node of the library as expressions over leaves, with values to try: what the tests of nodes share."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Any

import numpy as np
from msgspec import Struct

from soft_lantern.ir.expr import Expr, Op, Type, functions_called, topological, uniform, vector_type
from soft_lantern.ir.inputs import INPUTS
from soft_lantern.nodes import LIBRARY, NodeType, Port
from soft_lantern.values.images import Image
from soft_lantern.values.kinds import Kind

HANDED_ON = {"parameter", "snippet_input", "snippet_output", "texture", "gradient", "palette", "elbow"}
"""Nodes that compute nothing themselves."""


class Case(Struct, frozen=True):
    """A node with settings and the kind of its open ports, its results, and the leaves they read."""

    key: str
    settings: dict[str, str]
    kind: Kind
    results: dict[str, Expr]
    ports: dict[str, Port]

    @property
    def label(self) -> str:
        return "-".join([self.key, *self.settings.values(), self.kind.value])


def cases(keys: set[str] | None = None) -> list[Case]:
    """Every node under every choice of each setting, one at a time, and with open ports as numbers and as vectors."""
    found = []
    for key, node_type in LIBRARY.items():
        if key in HANDED_ON or (keys and key not in keys):
            continue
        for settings in _settings(node_type):
            shaped = node_type.shaped(settings)
            is_open = any(p.carries.kind is None for p in shaped.inputs)
            for kind in (Kind.NUMBER, Kind.VECTOR3) if is_open else (Kind.NUMBER,):
                found.append(_case(shaped, settings, kind))
    return found


def _settings(node_type: NodeType) -> Iterator[dict[str, str]]:
    default = {s.name: s.default for s in node_type.settings}
    yield default
    for setting in node_type.settings:
        for choice in setting.choices:
            if choice != setting.default:
                yield default | {setting.name: choice}


def _case(node_type: NodeType, settings: dict[str, str], kind: Kind) -> Case:
    ports = {p.name: p for p in node_type.inputs}
    inputs = {name: uniform(f"in:{name}", _type(port.carries.kind or kind)) for name, port in ports.items()}
    return Case(node_type.key, settings, kind, node_type.apply(inputs, settings), ports)


def _type(kind: Kind) -> Type:
    return Type.SAMPLER if kind.is_read else vector_type(kind.width)


def image(seed: int = 3) -> Image:
    """A small texture of random data."""
    random = np.random.default_rng(seed)
    return Image(random.integers(0, 256, (8, 8, 4)).astype(np.uint8), "data")


def ordinary(case: Case, count: int, seed: int = 11) -> dict[str, Any]:
    """Random values as they come up at work: within expected ranges, unit directions, a few units otherwise."""
    random = np.random.default_rng(seed)
    leaves: dict[str, Any] = {}
    for expr in topological(case.results.values()):
        name = str(expr.data)
        if expr.op is Op.UNIFORM and expr.type is Type.SAMPLER:
            leaves[name] = image()
        elif expr.op is Op.UNIFORM:
            leaves[name] = _drawn(random, expr.type.width, count, case.ports[name[3:]].carries.expected)
        elif expr.op is Op.INPUT:
            leaves[name] = _drawn(random, expr.type.width, count, _limits(name))
    for name, value in leaves.items():
        directed = name.removeprefix("in:").startswith(("normal", "tangent", "bitangent", "incident", "camera_"))
        if directed and isinstance(value, np.ndarray) and value.ndim == 2 and len(value) == 3:
            leaves[name] = (value / np.linalg.norm(value, axis=0)).astype(np.float32)
    return leaves


def extreme(case: Case) -> dict[str, Any]:
    """Zero, negative, huge, tiny and denormal values in every port at once and in turn."""
    special = np.float32([0.0, 1.0, -1.0, 0.5, -0.25, 1e-42, -1e-42, 1e-30, 1e12, -1e12, 1e30])
    if _operators(case.results.values()) & {Op.SIN, Op.COS, Op.TEXTURE, Op.TEXTURE_LEVEL}:
        # GLSL 4.60, section 4.7.1, says nothing of sines of larger angles.
        special = np.float32([0.0, 1.0, -1.0, 0.5, -0.25, 1e-42, -1e-42, 0.02, 40.0, -40.0, 1e-3])
    if case.key == "blend":
        special = np.clip(special, 0, 1)  # what the specification defines
    leaves = ordinary(case, 1)
    varied = [name for name, value in leaves.items() if name.startswith("in:") and isinstance(value, np.ndarray)]
    count = len(special) * (len(varied) + 1)
    for name, value in leaves.items():
        if isinstance(value, np.ndarray):
            leaves[name] = np.repeat(value, count, axis=-1) if value.shape[-1] == 1 else value
    for index, name in enumerate(varied):
        span = slice(index * len(special), (index + 1) * len(special))
        leaves[name][..., span] = special
        leaves[name][..., len(varied) * len(special) :] = np.roll(special, index * 3)
    return leaves


def _operators(values: Iterable[Expr]) -> set[Op]:
    bodies = [function.body for function in functions_called(values)]
    return {e.op for e in topological([*values, *bodies])}


def _limits(name: str) -> tuple[float, float] | None:
    low, high = INPUTS[name].limits
    return None if np.isinf(low) else (low, 5.0 if np.isinf(high) else high)


def _drawn(random: np.random.Generator, width: int, count: int, expected: tuple[float, float] | None) -> Any:
    low, high = expected or (-3.0, 3.0)
    high = low + 4.0 if np.isinf(high) else high
    low = high - 4.0 if np.isinf(low) else low
    shape = (count,) if width == 1 else (width, count)
    return random.uniform(max(low, 1e-3) if low > 0 else low, high, shape).astype(np.float32)
