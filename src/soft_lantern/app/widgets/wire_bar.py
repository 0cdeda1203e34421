"""Whether the stage shows the selected wire, on which scale and which channel."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QToolButton, QWidget

from soft_lantern.app.widgets.labels import tip
from soft_lantern.render.staging import CHANNELS, SCALES


class WireBar(QWidget):
    """`changed` tells that `shown`, `scale` or `channel` is another."""

    changed = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.button = QToolButton()
        self.button.setText("Show on stage")
        self.button.setToolTip("The selected wire instead of the surface, unlit")
        self.button.setCheckable(True)
        self.button.toggled.connect(lambda _: self.changed.emit())
        self.scale_box, self.channel_box = QComboBox(), QComboBox()
        for box, names, label in ((self.scale_box, SCALES, "scale"), (self.channel_box, CHANNELS, "channel")):
            box.addItems(names)
            box.setAccessibleName(label)
            box.setToolTip(tip(label.capitalize()))
            box.currentIndexChanged.connect(lambda _: self.changed.emit())
        self.on_object = QToolButton()
        self.on_object.setText("On object")
        self.on_object.setToolTip("Measure, and draw thumbnails, on what the stage sees rather than on a flat card")
        self.on_object.setCheckable(True)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(4)
        for widget in (self.button, self.scale_box, self.channel_box):
            row.addWidget(widget)
        row.addStretch(1)
        row.addWidget(self.on_object)

    @property
    def shown(self) -> bool:
        """Whether the stage is to show the wire."""
        return self.button.isChecked()

    @property
    def scale(self) -> str:
        """How values become brightness: one of `SCALES`."""
        return self.scale_box.currentText()

    @property
    def channel(self) -> str:
        """Which component is shown: one of `CHANNELS`."""
        return self.channel_box.currentText()


if __name__ == "__main__":
    from soft_lantern.app.widgets.alone import show_alone

    show_alone(WireBar)
