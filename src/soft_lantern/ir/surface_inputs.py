"""How surface inputs come about: from a mesh's vertex, carried across a triangle, to a pixel.

Written once as expressions. The renderers, the measuring of graphs and exported vertex shaders all read them here.
A triangle carries `CARRIED`; an object and a frame give `OF_OBJECT` and `OF_FRAME`; `BUILT_IN` come with the pixel.
"""

from __future__ import annotations

import functools
from collections.abc import Iterable, Mapping, Sequence
from typing import NamedTuple

from soft_lantern.ir import functions as f
from soft_lantern.ir.cost import cost
from soft_lantern.ir.derivative import rate
from soft_lantern.ir.expr import Expr, Op, Type, const, input_, join, topological
from soft_lantern.ir.inputs import INPUTS, VARYING, surface_input
from soft_lantern.ir.rewrite import replace
from soft_lantern.ir.simplify import simplified
from soft_lantern.ir.slopes import slopes

ATTRIBUTES = {
    "mesh_position": Type.VEC3,
    "mesh_normal": Type.VEC3,
    "mesh_tangent": Type.VEC4,
    "mesh_uv": Type.VEC2,
    "mesh_uv1": Type.VEC2,
    "mesh_color": Type.VEC4,
    "mesh_light_uv": Type.VEC2,
}
"""What a mesh gives at each vertex, in the object's own space; the tangent's w is the bitangent's sign (glTF 2.0)."""

SLOPES = {
    f"mesh_{name}_{way}": ATTRIBUTES[f"mesh_{name}"]
    for name in ("normal", "uv", "uv1", "color")
    for way in ("along", "across")
}
"""How attributes change along the vertex's tangent and across it, per metre."""

CARRIED = {
    "position_world": Type.VEC3,
    "position_object": Type.VEC3,
    "carried_normal": Type.VEC3,
    "carried_tangent": Type.VEC4,
    "uv": Type.VEC2,
    "uv1": Type.VEC2,
    "vertex_color": Type.VEC4,
    "light_uv": Type.VEC2,
}
"""What goes from the corners of a triangle to its pixels, interpolated with perspective."""

OF_OBJECT = (
    *("object_position", "object_x", "object_y", "object_z"),
    *("object_random", "bounds_low", "bounds_high", "has_vertex_color"),
)
OF_FRAME = ("camera_position", "camera_right", "camera_up", "camera_range", "picture_size", "time", "time_step")
BUILT_IN = ("pixel_place", "facing", "scene_depth")


def attribute(name: str) -> Expr:
    """The expression that reads an attribute or a slope of the mesh."""
    return input_(name, ATTRIBUTES.get(name) or SLOPES[name])


def unit(v: Expr) -> Expr:
    """The direction of a vector; zero for zero."""
    return v / f.max_(f.length(v), 1e-20)


def object_axes() -> tuple[Expr, Expr, Expr]:
    """The object's axes in world space, as long as its scale."""
    return surface_input("object_x"), surface_input("object_y"), surface_input("object_z")


def _volume() -> Expr:
    x, y, z = object_axes()
    return f.dot(x, f.cross(y, z))


def turned(v: Expr) -> Expr:
    """A vector of object space in world space, with the object's scale."""
    x, y, z = object_axes()
    return x * v.x + y * v.y + z * v.z


def turned_back(v: Expr) -> Expr:
    """A vector of world space in object space."""
    x, y, z = object_axes()
    return join(f.dot(f.cross(y, z), v), f.dot(f.cross(z, x), v), f.dot(f.cross(x, y), v)) / _volume()


def turned_normal(n: Expr) -> Expr:
    """A normal of object space in world space, of unit length: by cofactors, which a flattened object cannot break."""
    x, y, z = object_axes()
    whole = f.cross(y, z) * n.x + f.cross(z, x) * n.y + f.cross(x, y) * n.z
    return unit(whole * _handedness())


def turned_normal_back(n: Expr) -> Expr:
    """A normal of world space in object space, of unit length."""
    return unit(join(*(f.dot(axis, n) for axis in object_axes())))


def _handedness() -> Expr:
    return f.select(_volume() < 0.0, -1.0, 1.0)


def forward() -> Expr:
    """The direction the camera looks in, in world space."""
    return f.cross(surface_input("camera_up"), surface_input("camera_right"))


@functools.cache
def still_vertex() -> dict[str, Expr]:
    """What a vertex hands on, by the names of `CARRIED`, where nothing offsets it."""
    position = attribute("mesh_position")
    tangent = attribute("mesh_tangent")
    return {
        "position_world": turned(position) + surface_input("object_position"),
        "position_object": position,
        "carried_normal": turned_normal(attribute("mesh_normal")),
        "carried_tangent": join(unit(turned(tangent.xyz)), tangent.w * _handedness()),
        "uv": attribute("mesh_uv"),
        "uv1": attribute("mesh_uv1"),
        "vertex_color": attribute("mesh_color"),
        "light_uv": attribute("mesh_light_uv"),
    }


@functools.lru_cache(maxsize=256)
def vertex(offset: Expr | None) -> dict[str, Expr]:
    """What a vertex hands on where a world-space offset in metres, over surface inputs, moves it.

    The normal is that of the moved surface: the cross product of how the moved position changes along the tangent and
    across it, by differentiation of the offset itself.
    """
    if offset is None:
        return still_vertex()
    still, moved = still_vertex(), _moved(offset)
    return still | {
        "position_world": moved.world,
        "position_object": moved.own,
        "carried_normal": unit(f.cross(moved.along, moved.across) * _handedness()),
        "carried_tangent": join(unit(moved.along), still["carried_tangent"].w),
    }


class _Moved(NamedTuple):
    """Where an offset moves a vertex to, in the world and its own space, and how that changes along and across."""

    world: Expr
    own: Expr
    along: Expr
    across: Expr


@functools.lru_cache(maxsize=256)
def _moved(offset: Expr) -> _Moved:
    """An offset that is one of the object's own space is never turned into the world's and back."""
    move, position = at_vertex(offset), attribute("mesh_position")
    local = _along_axes(move)
    if local is None:
        world = still_vertex()["position_world"] + move
        return _Moved(world, position + turned_back(move), *(rate(world, _way(way)) for way in ("along", "across")))
    own, ways = position + local, [_way("along"), _way("across")]
    steps = _cheapest([rate(local, way) for way in ways], _from_the_result(local, ways))
    along, across = (turned(way[position] + step) for way, step in zip(ways, steps, strict=True))
    return _Moved(turned(own) + surface_input("object_position"), own, along, across)


def _from_the_result(value: Expr, ways: Sequence[Mapping[Expr, Expr]]) -> list[Expr] | None:
    """How a vector changes in some ways, by how its components change with all that they read; None where unknown."""
    found = [slopes(part, ways[0].keys()) for part in f.components(value)]
    known = [each for each in found if each is not None]
    if len(known) < len(found):
        return None
    return [join(*(_along(each, way) for each in known)) for way in ways]


def _along(number: Mapping[Expr, Expr], way: Mapping[Expr, Expr]) -> Expr:
    return f.sum_of([f.dot(slope, way[leaf]) for leaf, slope in number.items()]) if number else const(0.0)


def _cheapest(*ways: list[Expr] | None) -> list[Expr]:
    """Of several ways to compute the same, the one with the fewest operations."""

    def work(each: list[Expr]) -> int:
        plain = simplified(each)
        return cost(plain[one] for one in each).operations

    return min((each for each in ways if each is not None), key=work)


def _along_axes(v: Expr) -> Expr | None:
    """The vector of object space of which a sum of multiples of the object's axes is the turned one."""
    parts = _multiples(v)
    if parts is None:
        return None
    return join(*(f.sum_of(parts[axis]) if axis in parts else 0.0 for axis in object_axes()))


def _multiples(v: Expr) -> dict[Expr, list[Expr]] | None:
    """By what each axis is multiplied in a sum of a few terms; None where it is something else."""
    found: dict[Expr, list[Expr]] = {}
    waiting, terms = [v], 0
    while waiting:
        expr = waiting.pop()
        terms += 1
        if expr.op is Op.ADD and terms <= _TERMS:
            waiting += reversed(expr.args)
            continue
        pairs = (expr.args, expr.args[::-1]) if expr.op is Op.MUL else ()
        axis, by = next((p for p in pairs if p[0] in object_axes() and p[1].type is Type.FLOAT), (None, None))
        if axis is None or by is None:
            return None
        found.setdefault(axis, []).append(by)
    return found


_TERMS = 16
"""Sums and terms that are looked through: a vector that is turned has five."""


def vertex_steps(offset: Expr | None) -> dict[Expr, str]:
    """What the steps of `vertex` are called."""
    _, y, z = object_axes()
    steps = {expr: name.removeprefix("carried_") for name, expr in vertex(offset).items()}
    steps |= {f.cross(y, z): "square to y and z", _volume(): "volume of the axes", _handedness(): "handedness"}
    if offset is not None:
        moved = _moved(offset)
        steps |= {moved.along: "moved along", moved.across: "moved across", at_vertex(offset): "offset"}
    return steps


def at_vertex(value: Expr) -> Expr:
    """A value over surface inputs, as a vertex reads them: pixels are not there yet, and the outside is seen."""
    still = {input_(name, CARRIED[name]): expr for name, expr in still_vertex().items()}
    for name in (*BUILT_IN, *(n for n in INPUTS if n.endswith(("_dx", "_dy")))):
        still[surface_input(name)] = const(*INPUTS[name].default)
    (over_carried,) = at_pixel([value])
    return replace([over_carried], still)[over_carried]


def _way(way: str) -> dict[Expr, Expr]:
    """How the attributes change when a vertex moves a metre along its tangent, or across it."""
    tangent = attribute("mesh_tangent").xyz
    moved = tangent if way == "along" else f.cross(attribute("mesh_normal"), tangent)
    slopes = {attribute(f"mesh_{n}"): attribute(f"mesh_{n}_{way}") for n in ("normal", "uv", "uv1", "color")}
    return {attribute("mesh_position"): moved} | slopes


@functools.cache
def derived_inputs() -> dict[str, Expr]:
    """The inputs a pixel works out, over what triangles carry, objects and frames give, and what is built in."""
    position, eye = surface_input("position_world"), surface_input("camera_position")
    normal, tangent = f.normalize(input_("carried_normal", Type.VEC3)), input_("carried_tangent", Type.VEC4)
    away = position - eye
    distance, depth = f.length(away), f.dot(away, forward())
    square = unit(tangent.xyz - normal * f.dot(normal, tangent.xyz))
    behind = (surface_input("scene_depth") - depth) * distance / f.max_(depth, 1e-6)
    found = {
        "normal_world": normal * surface_input("facing"),
        "tangent_world": square,
        "bitangent_world": f.cross(normal, square) * tangent.w,
        "view_distance": distance,
        "surface_depth": depth,
        "depth_behind": f.max_(behind, 0.0),
        "front_facing": f.max_(surface_input("facing"), 0.0),
    }
    for name in ("normal_world", "view_distance"):
        for axis in ("dx", "dy"):
            found[f"{name}_{axis}"] = rate(found[name], {e: _to_next(e, axis) for e in _carried_smoothly()})
    return found


def _carried_smoothly() -> list[Expr]:
    names = [*(n for n in VARYING if n in CARRIED), "carried_normal"]
    return [input_(name, CARRIED[name]) for name in names]


def _to_next(leaf: Expr, axis: str) -> Expr:
    return input_(f"{leaf.data}_{axis}", leaf.type)


def at_pixel(values: Sequence[Expr]) -> list[Expr]:
    """Values over surface inputs, over only what a pixel is handed."""
    seen = seen_by_pixel(values)
    return [seen[value] for value in values]


def seen_by_pixel(values: Sequence[Expr]) -> dict[Expr, Expr]:
    """The same for every expression that values need."""
    derived, order = _derived(), topological(values)
    return dict(zip(order, order, strict=True)) if derived.keys().isdisjoint(order) else replace(values, derived)


@functools.cache
def _derived() -> dict[Expr, Expr]:
    return {surface_input(name): expr for name, expr in derived_inputs().items()}


def read_inputs(values: Iterable[Expr]) -> list[str]:
    """The names of the inputs that values read, sorted."""
    return inputs_among(topological(values))


def inputs_among(expressions: Iterable[Expr]) -> list[str]:
    """The names of the inputs among expressions, sorted."""
    return sorted({str(e.data) for e in expressions if e.op is Op.INPUT})
