"""The window's labels and tooltips: what people call their things is shown as it is, never as markup.

Only words made here, with every name in them escaped, are markup, for links.
"""

from __future__ import annotations

import html

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QImage, QPainter, QPaintEvent, QPixmap, QResizeEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QMessageBox, QSizePolicy, QWidget


def plain_label(text: str = "") -> QLabel:
    """A label."""
    label = QLabel(text)
    label.setTextFormat(Qt.TextFormat.PlainText)
    return label


class ElidedLabel(QLabel):
    """A label of one line that takes the room there is: of a longer text, the beginning and the end are seen."""

    def __init__(self, text: str = "") -> None:
        super().__init__(text)
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, room = QPainter(self), self.contentsRect()
        shown = self.fontMetrics().elidedText(self.text(), Qt.TextElideMode.ElideMiddle, room.width())
        self.setToolTip(tip(self.text()) if shown != self.text() else "")
        painter.drawText(room, self.alignment(), shown)


def picture_label(image: QImage) -> QLabel:
    """A label that shows a picture in its middle."""
    label = plain_label()
    label.setPixmap(QPixmap.fromImage(image))
    label.setAlignment(Qt.AlignmentFlag.AlignCenter)
    return label


def heading_label(text: str = "") -> QLabel:
    """What a group of controls is headed."""
    label = plain_label(text)
    label.setProperty("heading", True)
    return label


def quiet_label(text: str = "", *, wraps: bool = False) -> QLabel:
    """Words that stand back; where they wrap, all their lines keep their room."""
    label = WrappedLabel(text) if wraps else plain_label(text)
    label.setProperty("quiet", True)
    return label


class WrappedLabel(QLabel):
    """A label of several lines that is never pressed to fewer, as scroll areas do: they do not ask how high it is."""

    def __init__(self, text: str = "") -> None:
        super().__init__(text)
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setWordWrap(True)

    def setText(self, text: str | None) -> None:
        super().setText(text)
        self._keep_room()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._keep_room()

    def _keep_room(self) -> None:
        wanted = self.heightForWidth(self.width()) if self.text() else 0
        if wanted != self.minimumHeight():
            self.setMinimumHeight(wanted)


class SteadyLabel(QWidget):
    """Quiet words that change often: only where they take more lines or fewer is anything around them laid out anew."""

    def __init__(self, text: str = "") -> None:
        super().__init__()
        self._label = quiet_label(text, wraps=True)
        self._label.setParent(self)
        self._fit()

    def text(self) -> str:
        """The words."""
        return self._label.text()

    def setText(self, text: str) -> None:
        """Show other words."""
        self._label.setText(text)
        self._fit()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self._fit()

    def _fit(self) -> None:
        height = max(self._label.heightForWidth(self.width()), self.fontMetrics().lineSpacing())
        self._label.setGeometry(0, 0, self.width(), height)
        self.setFixedHeight(height)


def linked_label(*, wraps: bool = True) -> QLabel:
    """Quiet words with links that are made by `link`."""
    label = quiet_label(wraps=wraps)
    label.setTextFormat(Qt.TextFormat.RichText)
    return label


def link(target: str, text: str) -> str:
    """A link for such a label."""
    return f'<a href="{html.escape(target)}">{html.escape(text)}</a>'


def tip(text: str) -> str:
    """A tooltip's text, which Qt would take for markup where it looks like it."""
    return f"<p>{html.escape(text)}</p>".replace("\n", "<br>") if "<" in text or "&" in text else text


def asked(parent: QWidget, text: str, buttons: QMessageBox.StandardButton, default: QMessageBox.StandardButton) -> int:
    """The answer to a question that stops the work."""
    box = QMessageBox(QMessageBox.Icon.Question, "Soft Lantern", text, buttons, parent)
    box.setTextFormat(Qt.TextFormat.PlainText)
    box.setDefaultButton(default)
    answer = box.exec()
    box.deleteLater()
    return answer


def side_by_side(*widgets: QWidget, filled: bool = False) -> QWidget:
    """Widgets in a row, from the left; `filled`: over its whole width."""
    line = QWidget()
    row = QHBoxLayout(line)
    row.setContentsMargins(0, 0, 0, 0)
    for widget in widgets:
        row.addWidget(widget)
    if not filled:
        row.addStretch(1)
    return line
