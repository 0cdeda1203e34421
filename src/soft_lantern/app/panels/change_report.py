"""What a change does to a material's instances, with pictures before and after, and whether to make it."""

from __future__ import annotations

from PyQt6.QtCore import QSize
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import (
    QCheckBox,
    QDialog,
    QDialogButtonBox,
    QHeaderView,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from soft_lantern.app.pictures.miniatures import Miniatures
from soft_lantern.app.session.session import Session
from soft_lantern.app.widgets.labels import heading_label, picture_label
from soft_lantern.graph.document import Project
from soft_lantern.graph.instances.change_report import OUTSIDE, Effect, effects
from soft_lantern.graph.instances.family import clamped
from soft_lantern.render.worker import RenderWorker
from soft_lantern.values.words import counted

SIDE = 72
MOST_PICTURED = 200
"""Instances that get pictures; the rest of a very large family is listed in words alone."""


class ChangeReport(QDialog):
    """Accepted, `decided` holds what is outside its limits after the change, if that is asked."""

    def __init__(
        self,
        session: Session,
        worker: RenderWorker,
        before: Project,
        after: Project,
        material_id: str,
        parent: QWidget | None = None,
        *,
        to_decide: bool = True,
    ) -> None:
        """`to_decide`: the change is still to be made; else it is only looked at."""
        super().__init__(parent)
        self.before, self.after = before, after
        self.effects = effects(before, after, material_id, graphs=not to_decide)
        self.setWindowTitle("What this changes")
        self.resize(640, 460)
        column = QVBoxLayout(self)
        affected = list(dict.fromkeys(effect.instance for effect in self.effects))
        count = counted(len(affected), "instance")
        name = after.materials[material_id].name if material_id in after.materials else "the material"
        words = heading_label(f"{count} of {name} {'is' if len(affected) == 1 else 'are'} affected")
        column.addWidget(words)
        self.table = QTableWidget(len(affected), 4)
        self.table.setTabKeyNavigation(False)
        self.table.setHorizontalHeaderLabels(["before", "after", "instance", "what happens"])
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setIconSize(QSize(SIDE, SIDE))
        self.table.setAccessibleName("affected instances")
        header, rows = self.table.horizontalHeader(), self.table.verticalHeader()
        assert header is not None and rows is not None
        rows.hide()
        rows.setDefaultSectionSize(SIDE + 6)
        header.setSectionResizeMode(3, QHeaderView.ResizeMode.Stretch)
        for place, width in enumerate((SIDE + 8, SIDE + 8, 140)):
            header.resizeSection(place, width)
        column.addWidget(self.table, 1)
        self._miniatures = Miniatures(session, worker, "change report", self)
        self._miniatures.arrived.connect(self._show_picture)
        for row, instance_id in enumerate(affected):
            self._fill_row(row, instance_id, [e for e in self.effects if e.instance == instance_id])
        outside = {effect.instance for effect in self.effects if effect.kind == OUTSIDE}
        self.clamp = QCheckBox(f"Hold the values that are outside to their new limits, in {len(outside)} of these")
        self.clamp.setVisible(bool(outside) and to_decide)
        column.addWidget(self.clamp)
        buttons = QDialogButtonBox.StandardButton
        self.buttons = QDialogButtonBox(buttons.Ok | buttons.Cancel if to_decide else buttons.Close)
        ok, cancel = self.buttons.button(buttons.Ok), self.buttons.button(buttons.Cancel)
        if ok and cancel:
            ok.setText("Make the change")
            cancel.setText("Leave it as it was")
        self.buttons.accepted.connect(self.accept)
        self.buttons.rejected.connect(self.reject)
        column.addWidget(self.buttons)

    @property
    def settled(self) -> bool:
        """Whether all pictures have come."""
        return self._miniatures.settled

    def decided(self, project: Project) -> Project:
        """A project after the change, as the person wants it."""
        if self.clamp.isChecked():
            for effect in self.effects:
                if effect.kind == OUTSIDE:
                    project = clamped(project, effect.instance, effect.parameter)
        return project

    def done(self, result: int) -> None:
        self._miniatures.forget()
        super().done(result)

    def _fill_row(self, row: int, instance_id: str, found: list[Effect]) -> None:
        text = "\n".join(dict.fromkeys(f"{effect.kind}: {effect.words}" for effect in found))
        self.table.setItem(row, 2, QTableWidgetItem(self.after.instances[instance_id].name))
        self.table.setItem(row, 3, QTableWidgetItem(text))
        if row < MOST_PICTURED:
            for place, project in enumerate((self.before, self.after)):
                self._miniatures.want((row, place), project, instance_id, SIDE)

    def _show_picture(self, key: tuple[int, int], image: QImage) -> None:
        self.table.setCellWidget(*key, picture_label(image))
