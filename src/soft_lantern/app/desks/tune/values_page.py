"""The values of a look: the sheet, the layer over all colours, and the ways to find others."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from soft_lantern.app.desks.tune.parameter_sheet import ParameterSheet
from soft_lantern.app.widgets.buttons import tool_button
from soft_lantern.app.widgets.passing import passing
from soft_lantern.app.widgets.search_popup import NamePicker
from soft_lantern.app.widgets.whole_look import WholeLook


class ValuesPage(QWidget):
    """Only lays out: what sheet and layer say is for the desk; the buttons tell what is wanted."""

    presets_wanted = pyqtSignal()
    try_wanted = pyqtSignal()
    vary_wanted = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.sheet, self.whole = ParameterSheet(), WholeLook()
        self.presets = tool_button("Presets", self.presets_wanted.emit)
        self.try_button = tool_button("Try values", self.try_wanted.emit)
        self.vary_button = tool_button("Vary", self.vary_wanted.emit)
        self.try_button.setToolTip("Small pictures of a parameter at several values, or of two as a grid")
        self.vary_button.setToolTip("Random instances within spreads, of which to keep some")
        row, column = QHBoxLayout(), QVBoxLayout(self)
        for button in (self.presets, self.try_button, self.vary_button):
            row.addWidget(button)
        row.addStretch(1)
        column.setContentsMargins(0, 8, 0, 0)
        column.addLayout(row)
        column.addWidget(self.sheet, 1)
        column.addWidget(self.whole)

    def ask(self) -> None:
        """Ask for a value by its name, and put the keyboard there."""
        picker = passing(NamePicker("Which value? Part of its name", self.named(), self))
        picker.chosen.connect(self.enter)
        picker.open_at(self.mapToGlobal(QPoint(-80, 20)))

    def named(self) -> list[tuple[str, str]]:
        """What there is to set, by a key and its name."""
        shown = [(p, self.sheet.labels[p]) for p in self.sheet.controls if self.sheet.controls[p].isVisibleTo(self)]
        return [*shown, *((name, f"{name} of the whole look") for name in self.whole.fields if self.whole.isEnabled())]

    def enter(self, key: str) -> None:
        """Put the keyboard where a value is set, with what is there selected, so that typing replaces it."""
        if key in self.whole.fields:
            widget: QWidget = self.whole.fields[key]
        else:
            self.sheet.ensureWidgetVisible(self.sheet.controls[key])
            widget = self.sheet.controls[key].entry()
        widget.setFocus(Qt.FocusReason.TabFocusReason)
        if isinstance(widget, QLineEdit):
            widget.selectAll()
