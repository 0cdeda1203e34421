"""A palette's square of cells: click to select, Ctrl adds, Shift takes a run; a double click or Return edits.

Spare cells are hatched.
"""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QBrush, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from soft_lantern.app.theme.colours import theme
from soft_lantern.app.widgets.described import describe
from soft_lantern.app.widgets.focus import paint_focus
from soft_lantern.app.widgets.screen_colour import screen_colour
from soft_lantern.app.widgets.spoken_list import SpokenList
from soft_lantern.app.widgets.surround import paint_surround
from soft_lantern.graph.document import Palette
from soft_lantern.graph.ramps.images import side_of
from soft_lantern.values.colour import colour_to_hex


class PaletteGrid(QWidget):
    """`chosen` tells that other cells are selected; `add_wanted`, that the first spare cell was pressed, or +."""

    chosen = pyqtSignal()
    add_wanted = pyqtSignal()
    edit_wanted = pyqtSignal()
    """The current cell is to get another colour, in its place."""
    remove_wanted = pyqtSignal()

    def __init__(self, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.shown = palette
        self.at = 0
        self.selected: set[int] = {0}
        self.setMinimumSize(QSize(150, 150))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("palette")
        self.spoken = SpokenList(self, "cells")

    def show_palette(self, palette: Palette) -> None:
        """Show a palette without telling anyone."""
        self.shown = palette
        last = max(len(palette.colours) - 1, 0)
        self.at = min(self.at, last)
        self.selected = {place for place in self.selected if place <= last} or {self.at}
        self._say()

    def select(self, *places: int) -> None:
        """Select cells, the last of them as the current one."""
        self.selected, self.at = set(places), places[-1]
        self.chosen.emit()
        self._say()

    def _say(self) -> None:
        colours = self.shown.colours
        if colours:
            describe(self, self._cell(self.at))
        self.spoken.show_entries(range(len(colours)), self._cell)
        self.update()

    def _cell(self, place: int) -> str:
        colours = self.shown.colours
        return f"cell {place + 1} of {len(colours)}, {colour_to_hex(colours[place])}"

    def cell(self, place: int) -> QRectF:
        """Where a cell is on the widget."""
        side = side_of(self.shown)
        size = min(self.width(), self.height()) / side
        return QRectF(place % side * size, place // side * size, size, size)

    def place_at(self, at: QPointF) -> int:
        """The cell at a point of the widget, or −1."""
        side = side_of(self.shown)
        size = min(self.width(), self.height()) / side
        column, row = int(at.x() // size), int(at.y() // size)
        return row * side + column if 0 <= column < side and 0 <= row < side else -1

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        place = self.place_at(event.position())
        if place == len(self.shown.colours):
            self.add_wanted.emit()
        if not 0 <= place < len(self.shown.colours):
            return
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            kept = self.selected ^ {place} or {place}
            self.select(*sorted(kept - {place}), *([place] if place in kept else []))
        elif event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            low, high = sorted((self.at, place))
            self.select(*(each for each in range(low, high + 1) if each != place), place)
        else:
            self.select(place)

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        if event and 0 <= self.place_at(event.position()) < len(self.shown.colours):
            self.edit_wanted.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        side, key = side_of(self.shown), Qt.Key(event.key())
        steps = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_Up: -side, Qt.Key.Key_Down: side}
        there = self.at + steps.get(key, 0)
        if key in steps and 0 <= there < len(self.shown.colours):
            self.select(there)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space, Qt.Key.Key_F2):
            self.edit_wanted.emit()
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Insert):
            self.add_wanted.emit()
        elif key == Qt.Key.Key_Delete:
            self.remove_wanted.emit()
        elif key not in steps:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, now = QPainter(self), theme()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        side = side_of(self.shown)
        paint_surround(painter, self.cell(0).united(self.cell(side * side - 1)))
        for place in range(side * side):
            box = self.cell(place).adjusted(1, 1, -1, -1)
            if place >= len(self.shown.colours):
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(QBrush(now.colour("edge"), Qt.BrushStyle.BDiagPattern))
                painter.drawRect(box)
                if place == len(self.shown.colours):
                    painter.setPen(Qt.GlobalColor.white)  # what stands on the surround stands out in both themes
                    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, "+")
                continue
            colour = screen_colour(self.shown.colours[place])
            painter.fillRect(box, colour)
            ink = "#1b1a22" if colour.lightnessF() > 0.5 else "#f4efe2"
            if place in self.shown.locked:
                corner = QPolygonF([box.topRight(), box.topRight() + QPointF(-9, 0), box.topRight() + QPointF(0, 9)])
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(QBrush(screen_colour((0.0, 0.0, 0.0) if ink == "#1b1a22" else (1.0, 1.0, 1.0))))
                painter.drawPolygon(corner)
            if place in self.selected:
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.setPen(QPen(now.colour("amber"), 3.0 if place == self.at else 1.6))
                painter.drawRect(box.adjusted(1, 1, -1, -1))
        paint_focus(painter, self)


if __name__ == "__main__":
    from soft_lantern.app.widgets.alone import show_alone

    four = tuple((n / 5, 0.1, 0.3, 1.0) for n in range(6))
    show_alone(lambda: PaletteGrid(Palette(id="p", name="P", colours=four, locked=(1,))))
