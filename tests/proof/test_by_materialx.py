"""Every node of the library as a MaterialX document, by that package's own GLSL generator on OpenGL."""

from __future__ import annotations

from collections.abc import Iterator

from soft_lantern.graph.authoring import Authoring, Wire
from soft_lantern.graph.document import Material
from soft_lantern.graph.kinds import output_kinds
from soft_lantern.nodes import LIBRARY, NodeType, Port, Role
from soft_lantern.proof.by_materialx import SIX_DIGITS, ByGenerator, points_of
from soft_lantern.proof.by_opengl import OpenGl
from soft_lantern.proof.points import compared
from soft_lantern.values.kinds import Kind

POINTS = 300
WIDE = ("base_colour", "emissive", "specular_colour", "normal")
NARROW = ("metallic", "roughness", "occlusion", "specular")
_BY_WIDTH = {1: Kind.NUMBER, 3: Kind.VECTOR3, 4: Kind.COLOUR}


def variants() -> Iterator[tuple[str, dict[str, str], int, Port]]:
    """Every node that computes, by each choice of a setting, and over numbers, vectors and colours as it takes them."""
    for key, node_type in LIBRARY.items():
        if node_type.role is not Role.COMPUTES:
            continue
        default = {each.name: each.default for each in node_type.settings}
        others = [(each.name, choice) for each in node_type.settings for choice in each.choices]
        for settings in [default, *(default | {name: choice} for name, choice in others if default[name] != choice)]:
            is_open = any(p.carries.kind is None for p in node_type.shaped(settings).inputs)
            for width in (1, 3, 4) if is_open else (1,):
                for output in node_type.shaped(settings).outputs:
                    yield key, settings, width, output


def put(m: Authoring, key: str, settings: dict[str, str], width: int, output: Port) -> Wire:
    """A node with every port exposed."""
    shape: NodeType = LIBRARY[key].shaped(settings)
    given: dict[str, Wire | str] = dict(settings)
    for port in shape.inputs:
        kind = port.carries.kind or _BY_WIDTH[width]
        if kind.is_read:
            given[port.name] = f"{kind.value}_of_{key}"
        elif port.implied is None:
            low, high = port.carries.expected or (0.1, 2.0)
            low, high = max(low, -3.0), min(high, max(3.0, low + 1.0))
            start = low + 0.4 * (high - low)
            value = start if kind.width == 1 else (start, start + 0.1, start + 0.2, 0.9)[: kind.width]
            given[port.name] = m.expose(f"{key} {port.name}", value, kind=kind, limits=(max(low, 0.05), high))
    node = getattr(m.add(key, **given), output.name)  # type: ignore[arg-type]
    return node if output_kinds(m.material)[node.ref].width != 2 else m.add("separate_2", vector=node)


def batches() -> Iterator[tuple[list[str], Material]]:
    """Materials whose inputs of the surface are fed by a node each."""
    waiting = list(variants())
    while waiting:
        m, taken, left = Authoring("Batch"), list[str](), []
        fed: dict[str, Wire] = {}
        for key, settings, width, output in waiting:
            kind = output.carries.kind
            wide = kind.width if kind else width
            slots = NARROW if wide < 3 else WIDE[: 7 - wide]
            free = [each for each in slots if each not in fed]
            if free:
                fed[free[0]] = put(m, key, settings, width, output)
                taken.append(f"{free[0]} by {key} {settings} {width} {output.name}")
            else:
                left.append((key, settings, width, output))
        m.add("surface", **fed)
        yield taken, m.material
        waiting = left


def test_every_node_comes_out_as_numpy_has_it() -> None:
    generator, count, wrong = ByGenerator(OpenGl()), 0, []
    for taken, material in batches():
        points = points_of(material, POINTS, 1)
        proof = compared(points, generator.run(material, "batch", points), SIX_DIGITS)
        count += len(taken)
        assert points.sure > POINTS / 4
        if not proof.holds:
            wrong.append((proof, taken))
    assert count > 350 and not wrong


def test_a_wrong_number_does_not_pass() -> None:
    m = Authoring("Batch")
    m.add("surface", roughness=m.add("multiply", a=m.expose("Shine", 0.4, limits=(0.1, 1)), b=m.add("time")))
    points = points_of(m.material, POINTS, 1)
    found = ByGenerator(OpenGl()).run(m.material, "batch", points)
    assert compared(points, found, SIX_DIGITS).holds
    found["roughness"] = found["roughness"] + 1e-3
    assert not compared(points, found, SIX_DIGITS).holds and "roughness" in compared(points, found, SIX_DIGITS).where
