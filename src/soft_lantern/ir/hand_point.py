"""A surface point made by hand: what is given of it, and everything else that follows.

A camera that is not said to look elsewhere looks at the point. What is given twice must agree.
"""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
import numpy.typing as npt

from soft_lantern.errors import BadValue
from soft_lantern.ir.inputs import INPUTS

Parts = tuple[float, ...]
AGREES = 1e-4
"""How far apart, relatively, two ways to the same value may lie."""


def hand_point(given: Mapping[str, Parts]) -> dict[str, Parts]:
    """Every surface input of a point, of which some are given by name. Raises BadValue where they contradict."""
    found = {name: tuple(map(float, each.default)) for name, each in INPUTS.items()} | dict(given)
    _side(found, given)
    _place(found, given)
    _directions(found, given)
    _camera(found, given)
    _behind(found, given)
    return found


def _place(found: dict[str, Parts], given: Mapping[str, Parts]) -> None:
    """The point in its object's space and in the world's."""
    axes = np.array([found["object_x"], found["object_y"], found["object_z"]])
    origin = np.array(found["object_position"])
    if "position_world" in given:
        if abs(np.linalg.det(axes)) > 1e-12:
            own = (np.array(given["position_world"]) - origin) @ np.linalg.inv(axes)
            _follow(found, given, "position_object", tuple(map(float, own)), "position_world and the object’s axes")
    elif "position_object" in given:
        found["position_world"] = tuple(map(float, np.array(given["position_object"]) @ axes + origin))


def _side(found: dict[str, Parts], given: Mapping[str, Parts]) -> None:
    """Whether the surface is seen from outside, told either way."""
    if "facing" in given:
        _follow(found, given, "front_facing", (max(found["facing"][0], 0.0),), "facing")
    else:
        found["facing"] = (2.0 * found["front_facing"][0] - 1.0,)


def _directions(found: dict[str, Parts], given: Mapping[str, Parts]) -> None:
    """A tangent square to the normal, where only the normal is given."""
    normal = np.array(found["normal_world"])
    if not np.linalg.norm(normal):
        return
    if "tangent_world" not in given:
        start = np.array(found["tangent_world"])
        if abs(np.dot(_unit(normal), start)) > 0.99:
            start = np.array([0.0, 0.0, -1.0])
        square = _unit(start - _unit(normal) * np.dot(_unit(normal), start))
        found["tangent_world"] = tuple(map(float, square))
    if "bitangent_world" not in given:
        found["bitangent_world"] = tuple(map(float, np.cross(_unit(normal), found["tangent_world"])))


def _camera(found: dict[str, Parts], given: Mapping[str, Parts]) -> None:
    """Where the camera is, how far the point is from it, and how deep in the picture."""
    point, eye = np.array(found["position_world"]), np.array(found["camera_position"])
    wanted = given.get("view_distance", given.get("surface_depth"))
    away = point - eye
    if wanted is not None and "camera_position" not in given:
        direction = _unit(away) if np.linalg.norm(away) else np.array([0.0, 0.0, -1.0])
        away = direction * max(wanted[0], 0.0)
        found["camera_position"] = tuple(map(float, point - away))
    distance = float(np.linalg.norm(away))
    _follow(found, given, "view_distance", (distance,), "the point and camera_position")
    distance = found["view_distance"][0]
    if "camera_right" not in given and "camera_up" not in given and "surface_depth" not in given:
        forward = _unit(away) if np.linalg.norm(away) else np.array([0.0, 0.0, -1.0])
        right = np.cross(forward, (0.0, 1.0, 0.0))
        right = _unit(right) if np.linalg.norm(right) > 1e-6 else np.array([1.0, 0.0, 0.0])
        found["camera_right"] = tuple(map(float, right))
        found["camera_up"] = tuple(map(float, np.cross(right, forward)))
        found["surface_depth"] = (distance,)
        return
    if "surface_depth" in given and not {"camera_right", "camera_up"} & given.keys():
        if found["surface_depth"][0] > distance * (1 + AGREES):
            raise BadValue(f"surface_depth={found['surface_depth'][0]:g} is more than view_distance={distance:g}")
        return
    depth = float(np.dot(away, np.cross(found["camera_up"], found["camera_right"])))
    if depth < 0:
        raise BadValue("the point lies behind the camera, as camera_position, camera_right and camera_up say")
    _follow(found, given, "surface_depth", (depth,), "the point and the camera")


def _behind(found: dict[str, Parts], given: Mapping[str, Parts]) -> None:
    """How far the opaque surface behind is, along the ray and in depth."""
    distance, depth = found["view_distance"][0], found["surface_depth"][0]
    if "scene_depth" in given:
        behind = max((given["scene_depth"][0] - depth) * distance / max(depth, 1e-6), 0.0)
        _follow(found, given, "depth_behind", (behind,), "scene_depth and surface_depth")
    else:
        found["scene_depth"] = (depth + found["depth_behind"][0] * depth / max(distance, 1e-6),)


def _follow(found: dict[str, Parts], given: Mapping[str, Parts], name: str, value: Parts, why: str) -> None:
    """Take over what follows; refuse what was given otherwise."""
    if name not in given:
        found[name] = value
        return
    apart = np.abs(np.array(given[name]) - np.array(value))
    if (apart > AGREES * np.maximum(np.abs(value), 1.0)).any():
        said, follows = (", ".join(f"{part:g}" for part in parts) for parts in (given[name], value))
        raise BadValue(f"{name}={said} contradicts {why}, from which {follows} follows")


def _unit(v: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
    return np.asarray(v / np.linalg.norm(v))
