"""The project's own colours to choose from, as every picker of a window shows them."""

from __future__ import annotations

from PyQt6.QtCore import QObject, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QIcon, QPixmap
from PyQt6.QtWidgets import QHBoxLayout, QToolButton, QWidget

from soft_lantern.app.widgets.labels import tip
from soft_lantern.app.widgets.screen_colour import screen_colour
from soft_lantern.app.widgets.surround import in_surround
from soft_lantern.values.colour import colour_to_hex

Linear = tuple[float, ...]
MOST = 24


class Swatches(QObject):
    """The colours, linear RGBA. `wanted` tells what a person wants them to be; `changed`, that they are others."""

    wanted = pyqtSignal(tuple)
    changed = pyqtSignal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.colours: tuple[Linear, ...] = ()

    def show_colours(self, colours: tuple[Linear, ...]) -> None:
        """Show other colours without telling that they are wanted."""
        if colours != self.colours:
            self.colours = colours
            self.changed.emit()

    def add(self, colour: Linear) -> None:
        """Ask for one more colour."""
        if colour not in self.colours and len(self.colours) < MOST:
            self.wanted.emit((*self.colours, colour))

    def remove(self, colour: Linear) -> None:
        """Ask for one to go."""
        self.wanted.emit(tuple(each for each in self.colours if each != colour))


class SwatchRow(QWidget):
    """A row of small swatches. `chosen` tells the colour of the one that was clicked; a right click takes one away."""

    chosen = pyqtSignal(tuple)
    add_wanted = pyqtSignal()

    def __init__(self, swatches: Swatches, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.swatches = swatches
        self.buttons: list[QToolButton] = []
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(0, 0, 0, 0)
        self._row.setSpacing(2)
        self.add = QToolButton()
        self.add.setText("Keep")
        self.add.setToolTip("Keep this colour among the project’s swatches")
        self.add.clicked.connect(self.add_wanted)
        self._row.addWidget(self.add)
        self._row.addStretch(1)
        swatches.changed.connect(self._fill)
        self._fill()

    def _fill(self) -> None:
        for button in self.buttons:
            self._row.removeWidget(button)
            button.deleteLater()
        self.buttons = []
        for place, colour in enumerate(self.swatches.colours):
            button = QToolButton()
            square = QPixmap(12, 12)
            square.fill(screen_colour(colour))
            button.setIcon(QIcon(in_surround(square)))
            button.setIconSize(QSize(16, 16))
            button.setFixedSize(20, 20)
            button.setStyleSheet("padding: 0")
            button.setAccessibleName(f"swatch {colour_to_hex(colour)}")
            button.setToolTip(tip(f"{colour_to_hex(colour)}; right-click takes it away"))
            button.clicked.connect(lambda _, colour=colour: self.chosen.emit(colour))
            button.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
            button.customContextMenuRequested.connect(lambda _, colour=colour: self.swatches.remove(colour))
            self._row.insertWidget(1 + place, button)
            self.buttons.append(button)


if __name__ == "__main__":
    from soft_lantern.app.widgets.alone import show_alone

    def made() -> SwatchRow:
        swatches = Swatches()
        swatches.show_colours(((0.8, 0.2, 0.1, 1.0), (0.1, 0.4, 0.7, 1.0)))
        return SwatchRow(swatches)

    show_alone(made)
