"""Ways to make one more palette for the same cells: hues turned, laid along a gradient, a ramp brought to a colour."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QComboBox, QPushButton, QVBoxLayout, QWidget

from soft_lantern.app.widgets.alone import show_alone
from soft_lantern.app.widgets.choices import fill
from soft_lantern.app.widgets.colour_button import ColourButton
from soft_lantern.app.widgets.labels import side_by_side
from soft_lantern.app.widgets.number_field import NumberField
from soft_lantern.app.widgets.picture_picker import PictureBox


class SwapMaking(QWidget):
    """The signals tell which way a person wants, and with what."""

    turn_wanted = pyqtSignal(float)
    """By so many degrees."""
    map_wanted = pyqtSignal(str, bool, bool)
    """Along the gradient of that id; in order of luminance rather than by lightness; from its end."""
    bring_wanted = pyqtSignal(tuple)
    """To a colour, linear RGBA."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.degrees = NumberField(60.0, -360, 360, 5, "°")
        self.degrees.setAccessibleName("hue turn")
        self.gradients, self.how = PictureBox("Which gradient? Part of its name"), QComboBox()
        self.gradients.setAccessibleName("gradient to map to")
        self.how.addItem("by lightness", False)
        self.how.addItem("in order of luminance", True)
        self.how.setAccessibleName("how colours are laid along the gradient")
        self.reverse = QCheckBox("reversed")
        self.aim = ColourButton((0.1, 0.2, 0.7, 1.0), alpha=False)
        self.aim.setAccessibleName("colour to bring the ramp to")
        self.turn, self.map = QPushButton("Turn hues by"), QPushButton("Map to")
        self.bring = QPushButton("Bring ramp to")
        self.bring.setToolTip("The selected colour and its shades, or all that are selected, the shading kept")
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(side_by_side(self.map, self.gradients, self.how, self.reverse))
        column.addWidget(side_by_side(self.turn, self.degrees, self.bring, self.aim))
        self.turn.clicked.connect(lambda _: self.turn_wanted.emit(self.degrees.value))
        self.bring.clicked.connect(lambda _: self.bring_wanted.emit(self.aim.value))
        self.map.clicked.connect(
            lambda _: self.map_wanted.emit(
                self.gradients.currentData() or "", bool(self.how.currentData()), self.reverse.isChecked()
            )
        )

    def show_gradients(self, held: list[tuple[str, str]]) -> None:
        """Offer gradients by name and id."""
        fill(self.gradients, held, self.gradients.currentData() or (held[0][1] if held else ""))
        self.map.setEnabled(bool(held))


if __name__ == "__main__":
    show_alone(SwapMaking)
