"""The level gauge of a stage: where it stands, what its readout says, and how high a drag puts it."""

from __future__ import annotations

import numpy as np
from msgspec import Struct
from PyQt6.QtCore import QPointF, QRectF, QSizeF

from soft_lantern.app.pictures.lens import Lens
from soft_lantern.app.widgets.number_field import written
from soft_lantern.app.widgets.plates import tag_size
from soft_lantern.graph.document import Scene
from soft_lantern.scene.mesh import Matrix


class Gauge(Struct, frozen=True):
    """The gauge of a scene that has one, as a lens sees it. `height` is in metres along the scene's gauge axis.

    `middle`: of all that stands in the scene.
    """

    scene: Scene
    height: float
    middle: Matrix
    lens: Lens

    @property
    def words(self) -> str:
        """What the readout says."""
        along = "" if self.scene.gauge_axis == "y" else f"{self.scene.gauge_axis} "
        return f"{self.scene.gauge_label or 'level'} {along}{written(self.height)} m"

    @property
    def label(self) -> QRectF:
        """Where the readout is on the widget."""
        width, height = self.lens.size
        size = tag_size(self.words).expandedTo(QSizeF(96, 22))
        top = self.lens.place(self._anchor()).y() - size.height() / 2
        place = QPointF(width - size.width() - 8, min(max(top, 6), height - size.height() - 6))
        return QRectF(place, size)

    def dragged(self, moved: QPointF) -> float | None:
        """The height when the readout is dragged by some pixels; None where the axis points at the eye."""
        anchor = self._anchor()
        arm = self.lens.place(anchor + np.eye(3)[self._axis] * 0.1) - self.lens.place(anchor)
        length = arm.x() ** 2 + arm.y() ** 2
        if length <= 1e-3:
            return None
        return round(self.height + (moved.x() * arm.x() + moved.y() * arm.y()) / length * 0.1, 2)

    @property
    def _axis(self) -> int:
        return "xyz".index(self.scene.gauge_axis)

    def _anchor(self) -> Matrix:
        """The middle of the gauge at its height."""
        anchor = np.array(self.middle, float)
        anchor[self._axis] = self.height
        return anchor
