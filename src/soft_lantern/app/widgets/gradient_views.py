"""What a gradient comes to: curves of its channels, how it looks to other eyes, and which part of it is used."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QFontMetrics, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from soft_lantern.app.theme.colours import theme
from soft_lantern.app.theme.style import app_font
from soft_lantern.app.widgets.gradient_bar import MARGIN, row_of
from soft_lantern.app.widgets.labels import tip
from soft_lantern.app.widgets.surround import paint_surround
from soft_lantern.graph.document import Gradient
from soft_lantern.graph.gradients.colour_vision import WITHOUT, seen_without
from soft_lantern.graph.ramps.images import shown_row
from soft_lantern.values.colour import REC709_LUMINANCE

PLACES = 256
CHANNELS = (
    ("red", "#e0604c", Qt.PenStyle.DashLine),
    ("green", "#62a860", Qt.PenStyle.DotLine),
    ("blue", "#6a8fe0", Qt.PenStyle.DashDotLine),
)


class Curves(QWidget):
    """Luminance as a full line, the channels broken, all linear; what is brighter than 1 is scaled to fit, and said."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.colours: npt.NDArray[np.float64] = np.zeros((PLACES, 4))
        self.setAccessibleName("curves")

    def show_gradient(self, gradient: Gradient) -> None:
        """Show another gradient."""
        self.colours = shown_row(gradient, PLACES)
        self.update()

    @property
    def luminance(self) -> npt.NDArray[np.float64]:
        """Rec. 709 luminance along the gradient."""
        return np.asarray(self.colours[:, :3] @ np.array(REC709_LUMINANCE))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, now = QPainter(self), theme()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(app_font())
        line = painter.fontMetrics().height()
        box = QRectF(MARGIN, line, self.width() - 2 * MARGIN, self.height() - line - 2)
        painter.fillRect(box, now.colour("ground"))
        top = max(1.0, float(self.colours[:, :3].max()))
        painter.setPen(QPen(now.colour("edge"), 1.0))
        for level in (0.25, 0.5, 0.75):
            y = box.bottom() - level * box.height()
            painter.drawLine(QPointF(box.left(), y), QPointF(box.right(), y))
        for part, (_, hex_, style) in enumerate(CHANNELS):
            self._line(painter, box, self.colours[:, part] / top, QPen(QColor(hex_), 1.2, style))
        self._line(painter, box, self.luminance / top, QPen(now.colour("text"), 1.8))
        painter.setPen(now.colour("quiet"))
        scaled = f"top is {top:.1f}" if top > 1.0 + 1e-6 else "top is 1"
        legend = QRectF(box.left(), 0, box.width(), line)
        painter.drawText(legend, Qt.AlignmentFlag.AlignRight, f"luminance ─  r ╌  g ···  b ─·   {scaled}")

    def minimumSizeHint(self) -> QSize:
        return QSize(160, 84 + QFontMetrics(app_font()).height())

    def _line(self, painter: QPainter, box: QRectF, values: npt.NDArray[np.float64], pen: QPen) -> None:
        x = np.linspace(box.left(), box.right(), PLACES)
        y = box.bottom() - np.clip(values, 0.0, 1.0) * box.height()
        painter.setPen(pen)
        painter.drawPolyline(QPolygonF([QPointF(float(a), float(b)) for a, b in zip(x, y, strict=True)]))


class Sights(QWidget):
    """The gradient as people see it who lack one kind of cone."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.colours: npt.NDArray[np.float64] = np.zeros((PLACES, 3))
        self.setAccessibleName("other eyes")

    def show_gradient(self, gradient: Gradient) -> None:
        """Show another gradient."""
        self.colours = shown_row(gradient, PLACES)[:, :3]
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, high = QPainter(self), self._row_height()
        painter.setFont(app_font(_SMALL))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        paint_surround(painter, QRectF(MARGIN - 2, 0, self.width() - 2 * MARGIN + 4, len(WITHOUT) * high + 3))
        for row, sight in enumerate(WITHOUT):
            box = QRectF(MARGIN, 2 + row * high, self.width() - 2 * MARGIN, high - 1)
            seen = seen_without(self.colours, sight)
            painter.drawImage(box, row_of(seen))
            dark = float(seen[:40].mean()) < 0.18
            painter.setPen(QColor("#f4efe2" if dark else "#1b1a22"))
            painter.drawText(box.adjusted(5, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, sight)

    def minimumSizeHint(self) -> QSize:
        return QSize(160, self._row_height() * len(WITHOUT) + 4)

    def _row_height(self) -> int:
        return QFontMetrics(app_font(_SMALL)).height() + 1


_SMALL = 7.5


class Usage(QWidget):
    """Which part of the gradient the stage uses, as a histogram by the square root of its counts, and in words."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.counts: Sequence[int] = ()
        self.words = ""
        self.setAccessibleName("usage")

    def show_usage(self, counts: Sequence[int], words: str) -> None:
        """Show how many pixels use each part."""
        self.counts, self.words = counts, words
        self.setToolTip(tip(words))
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, now = QPainter(self), theme()
        painter.setFont(app_font())
        line = painter.fontMetrics().height()
        box = QRectF(MARGIN, 0, self.width() - 2 * MARGIN, self.height() - line - 2)
        painter.fillRect(box, now.colour("ground"))
        most = max(self.counts, default=0)
        for number, count in enumerate(self.counts if most else ()):
            height = box.height() * (count / most) ** 0.5
            left = box.left() + box.width() * number / len(self.counts)
            painter.fillRect(
                QRectF(left, box.bottom() - height, box.width() / len(self.counts) - 0.6, height),
                now.colour("amber", 0.8),
            )
        painter.setPen(now.colour("quiet"))
        words = QRectF(box.left(), box.bottom() + 1, box.width(), line)
        painter.drawText(words, Qt.AlignmentFlag.AlignLeft, self.words)

    def minimumSizeHint(self) -> QSize:
        return QSize(160, 26 + QFontMetrics(app_font()).height())


if __name__ == "__main__":
    from soft_lantern.app.widgets.alone import show_alone
    from soft_lantern.graph.document import Stop

    def made() -> Curves:
        two = (Stop(at=0.0, colour=(0.02, 0.05, 0.2, 1.0)), Stop(at=1.0, colour=(1.0, 0.6, 0.2, 1.0)))
        curves = Curves()
        curves.show_gradient(Gradient(id="g", name="Dusk", stops=two))
        return curves

    show_alone(made)
