"""The list of a project's gradients and palettes, each with a strip of its colours."""

from __future__ import annotations

from collections.abc import Collection, Sequence

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QListWidget, QListWidgetItem, QWidget

from soft_lantern.app.widgets.ramp_icon import SIZE, ramp_icon
from soft_lantern.formats.ramps import Ramp
from soft_lantern.graph.document import Palette, Project
from soft_lantern.graph.palettes.swap_sets import swap_set

_ID, _SHOWN = Qt.ItemDataRole.UserRole, Qt.ItemDataRole.UserRole + 1


class RampList(QListWidget):
    """`renamed` tells an id and the name that was typed."""

    renamed = pyqtSignal(str, str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName("gradients and palettes")
        self.setEditTriggers(QListWidget.EditTrigger.DoubleClicked | QListWidget.EditTrigger.EditKeyPressed)
        self.setIconSize(SIZE)
        self.filling = False
        """Whether changes of its items are its own, and not a person's."""
        self.itemChanged.connect(self._changed)

    @property
    def chosen(self) -> str:
        """The id of what is chosen, "" where nothing is."""
        item = self.currentItem()
        return item.data(_ID) if item else ""

    def choose(self, ramp_id: str) -> None:
        """Choose a gradient or palette, if it is there."""
        rows = [self.item(row) for row in range(self.count())]
        places = [row for row, item in enumerate(rows) if item and item.data(_ID) == ramp_id]
        if places:
            self.setCurrentRow(places[0])

    def show_ramps(self, ramps: Sequence[Ramp], palettes: Collection[str]) -> None:
        """List gradients and palettes; those that swap for one of the `palettes` stand in from the edge."""
        chosen, self.filling = self.chosen, True
        there = [(each.id, each.name) for each in ramps]
        items = [self.item(row) for row in range(self.count())]
        if [(item.data(_ID), item.text()) for item in items if item] != there:
            row = self.currentRow()
            self.clear()
            for ramp in ramps:
                item = QListWidgetItem(ramp.name)
                item.setData(_ID, ramp.id)
                item.setFlags(item.flags() | Qt.ItemFlag.ItemIsEditable)
                self.addItem(item)
            self.setCurrentRow(min(row, len(ramps) - 1))
            self.choose(chosen)
        for row, ramp in enumerate(ramps):
            found = self.item(row)
            if found and found.data(_SHOWN) is not ramp:
                found.setData(_SHOWN, ramp)
                found.setIcon(ramp_icon(ramp, swaps=isinstance(ramp, Palette) and ramp.swaps in palettes))
        self.filling = False

    def _changed(self, item: QListWidgetItem) -> None:
        if not self.filling:
            self.renamed.emit(item.data(_ID), item.text().strip())


def in_order(project: Project) -> list[Ramp]:
    """Gradients by name, then palettes, each followed by those that swap for it."""
    gradients = sorted(project.gradients.values(), key=lambda each: each.name.lower())
    bases = [each for each in project.palettes.values() if each.swaps not in project.palettes]
    palettes = [each for base in sorted(bases, key=lambda p: p.name.lower()) for each in swap_set(project, base.id)]
    return [*gradients, *palettes]
