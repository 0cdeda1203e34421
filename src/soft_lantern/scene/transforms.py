"""Matrices for column vectors: object placement, camera view and perspective projection (OpenGL clip space)."""

from __future__ import annotations

from functools import cached_property, lru_cache

import numpy as np
from msgspec import Struct

from soft_lantern.graph.document import StageObject, Vector, View
from soft_lantern.graph.identity import by_identity
from soft_lantern.scene.mesh import Matrix

FIELD_OF_VIEW = 36.0
"""Vertical field of view in degrees."""


@by_identity(4096)
def placement(thing: StageObject) -> Matrix:
    """An object's matrix: scale, then turns about X, Y and Z in degrees, then its position in metres. Not to change."""
    x, y, z = np.radians(thing.rotation)
    turn_x = np.array([[1, 0, 0], [0, np.cos(x), -np.sin(x)], [0, np.sin(x), np.cos(x)]])
    turn_y = np.array([[np.cos(y), 0, np.sin(y)], [0, 1, 0], [-np.sin(y), 0, np.cos(y)]])
    turn_z = np.array([[np.cos(z), -np.sin(z), 0], [np.sin(z), np.cos(z), 0], [0, 0, 1]])
    matrix = np.eye(4)
    matrix[:3, :3] = turn_z @ turn_y @ turn_x @ np.diag(thing.scale)
    matrix[:3, 3] = thing.position
    matrix.flags.writeable = False
    return matrix


class Camera(Struct, frozen=True, eq=False, dict=True):
    """A camera: its position, and 4×4 matrices from world to view space and from view to clip space."""

    position: Matrix
    view: Matrix
    projection: Matrix

    @cached_property
    def view_projection(self) -> Matrix:
        """World to clip space."""
        return self.projection @ self.view

    @property
    def range(self) -> tuple[float, float]:
        """The nearest and farthest depth it sees, in metres."""
        scale, shift = self.projection[2, 2], self.projection[2, 3]
        if self.projection[3, 2] == 0:  # without perspective
            return float((shift + 1) / scale), float((shift - 1) / scale)
        return float(shift / (scale - 1)), float(shift / (scale + 1))

    def project(self, points: Matrix, size: tuple[int, int]) -> Matrix:
        """Pixel x, y (y down, from the top left corner) and depth along the view axis in metres; (n, 3) to (n, 3)."""
        flat = np.atleast_2d(points)
        clip = np.c_[flat, np.ones(len(flat))] @ self.view_projection.T
        w = np.where(np.abs(clip[:, 3]) < 1e-9, 1e-9, clip[:, 3])
        x = (clip[:, 0] / w * 0.5 + 0.5) * size[0]
        y = (0.5 - clip[:, 1] / w * 0.5) * size[1]
        return np.stack([x, y, clip[:, 3]], axis=1)

    def ray(self, pixel: tuple[float, float], size: tuple[int, int]) -> tuple[Matrix, Matrix]:
        """The start and unit direction of the view ray through a pixel."""
        x, y = pixel[0] / size[0] * 2 - 1, 1 - pixel[1] / size[1] * 2
        far = np.linalg.solve(self.view_projection, np.array([x, y, 1.0, 1.0]))
        direction = far[:3] / far[3] - self.position
        return self.position, direction / np.linalg.norm(direction)


def camera_for(view: View, size: tuple[int, int]) -> Camera:
    """The camera of a view, for a picture of that many pixels."""
    return _camera_around(view.target, view.yaw, view.pitch, max(view.distance, 1e-3), size)


@lru_cache(64)  # everything that is drawn over a picture asks for its camera
def _camera_around(target: Vector, yaw: float, pitch: float, distance: float, size: tuple[int, int]) -> Camera:
    yaw, pitch = np.radians(yaw), np.radians(np.clip(pitch, -89.9, 89.9))
    toward = np.array([np.sin(yaw) * np.cos(pitch), np.sin(pitch), np.cos(yaw) * np.cos(pitch)])
    position = np.array(target) + toward * distance
    right = np.cross([0.0, 1.0, 0.0], toward)
    right /= np.linalg.norm(right)
    up = np.cross(toward, right)
    turn = np.eye(4)
    turn[:3, :3] = np.stack([right, up, toward])
    move = np.eye(4)
    move[:3, 3] = -position
    return Camera(position, turn @ move, _perspective(size[0] / max(size[1], 1), distance * 0.02, distance * 60))


def flat_camera(middle: tuple[float, float], half: tuple[float, float]) -> Camera:
    """A camera without perspective, 10 m before the plane z = 0, that shows so much to each side of a point of it."""
    view, projection = np.eye(4), np.eye(4)
    position = np.array([middle[0], middle[1], 10.0])
    view[:3, 3] = -position
    near, far = 0.1, 20.0
    projection[0, 0], projection[1, 1] = 1 / half[0], 1 / half[1]
    projection[2, 2], projection[2, 3] = -2 / (far - near), -(far + near) / (far - near)
    return Camera(position, view, projection)


def turned(rotation: Vector, axis: int, angle: float) -> Vector:
    """An object's rotation after a turn about a world axis, all in degrees."""
    from scipy.spatial.transform import Rotation  # slow to import, and only wanted here

    turn = Rotation.from_rotvec(np.eye(3)[axis] * np.radians(angle))
    x, y, z = (turn * Rotation.from_euler("xyz", rotation, degrees=True)).as_euler("xyz", degrees=True)
    return float(x), float(y), float(z)


def view_of_bounds(low: Matrix, high: Matrix, view: View) -> View:
    """The view turned as before, with a box of these corners filling the picture."""
    radius = max(float(np.linalg.norm(high - low)) / 2, 1e-3)
    middle = (low + high) / 2
    distance = radius / np.sin(np.radians(FIELD_OF_VIEW / 2)) * 1.02
    target: Vector = (float(middle[0]), float(middle[1]), float(middle[2]))
    return View(target=target, yaw=view.yaw, pitch=view.pitch, distance=float(distance))


def _perspective(aspect: float, near: float, far: float) -> Matrix:
    scale = 1 / np.tan(np.radians(FIELD_OF_VIEW) / 2)
    # A picture taller than wide keeps the field of view across instead, so that what is framed stays inside.
    across, up = (scale / aspect, scale) if aspect >= 1 else (scale, scale * aspect)
    depth = near - far
    return np.array(
        [[across, 0, 0, 0], [0, up, 0, 0], [0, 0, (far + near) / depth, 2 * far * near / depth], [0, 0, -1, 0]]
    )
