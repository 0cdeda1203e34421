"""Asks what a contact sheet is to show: which instances, on which assets, under which skies, and where it goes."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from PyQt6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from soft_lantern.app.session.session import Session
from soft_lantern.app.widgets.labels import heading_label, plain_label, quiet_label
from soft_lantern.app.widgets.tick_list import TickBox
from soft_lantern.app.work.tasks import Task
from soft_lantern.contact_sheet import sheet
from soft_lantern.contact_sheet.cores import draw_on_all_cores
from soft_lantern.formats.images import FLOATING
from soft_lantern.graph.instances.look_tree import look_choices
from soft_lantern.graph.instances.picks import wearers
from soft_lantern.progress import Progress
from soft_lantern.scene.skies import SKIES
from soft_lantern.values.words import counted


class SheetDialog(QDialog):
    """Three lists to tick, a size and a file. Accepted, `begin` draws the sheet.

    `chosen`: the looks that are ticked at first, those first on whose asset they are to be seen.
    """

    def __init__(self, session: Session, chosen: Sequence[str], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.setWindowTitle("Contact sheet")
        self.resize(680, 460)
        column = QVBoxLayout(self)
        grid = QGridLayout()
        column.addLayout(grid, 1)
        project, scene = session.project, session.scene
        worn = [thing.asset for thing in (scene.objects if scene else ())]
        seen = (thing.asset for look in chosen if scene for thing, _ in wearers(project, scene, {look}))
        here = next(seen, None) or next(iter([*worn, *project.assets]), "")
        sky = scene.environment.sky if scene else "studio soft"
        loaded = [t for t in project.textures.values() if Path(t.file).suffix.lower() in FLOATING]
        self.looks = TickBox(look_choices(project), set(chosen), "Instances")
        self.assets = TickBox([(a.id, a.name) for a in project.assets.values()], {here}, "Assets")
        self.skies = TickBox([*((s, s) for s in SKIES), *((t.id, t.name) for t in loaded)], {sky}, "Skies")
        for place, box in enumerate((self.looks, self.assets, self.skies)):
            grid.addWidget(heading_label(box.list.accessibleName()), 0, place)
            grid.addWidget(box, 1, place)
            box.list.ticks_changed.connect(self._refresh)
        row = QHBoxLayout()
        self.side = QSpinBox()
        self.side.setRange(32, 1024)
        self.side.setValue(256)
        self.side.setSuffix(" px")
        self.path = QLineEdit()
        self.path.setPlaceholderText("A PNG or PDF file")
        choose = QPushButton("Choose…")
        choose.clicked.connect(self._choose)
        for widget in (plain_label("Each picture"), self.side, self.path, choose):
            row.addWidget(widget)
        row.setStretch(2, 1)
        column.addLayout(row)
        self.words = quiet_label()
        column.addWidget(self.words)
        self.buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Save | QDialogButtonBox.StandardButton.Cancel)
        self.buttons.accepted.connect(self.accept)
        self.buttons.rejected.connect(self.reject)
        column.addWidget(self.buttons)
        self.path.textChanged.connect(lambda _: self._refresh())
        self._refresh()

    @property
    def count(self) -> int:
        """How many pictures the sheet would hold."""
        return len(self.looks.ticked) * len(self.assets.ticked) * len(self.skies.ticked)

    def begin(self) -> Task:
        """Draw the sheet beside the window, on all cores, and save it."""
        session = self.session
        project, models, images = session.project, dict(session.models), dict(session.images)
        assets, skies = self.assets.ticked, self.skies.ticked
        listed = sheet.cells(project, self.looks.ticked, assets, skies)
        size, path = (self.side.value(), self.side.value()), Path(self.path.text().strip()).expanduser()

        def draw(progress: Progress) -> str:
            drawn = draw_on_all_cores(project, listed, models, images, size, None, progress)
            progress(1.0, "Saving the contact sheet")
            columns = sheet.columns_for(len(assets), len(skies), len(listed))
            sheet.write(sheet.laid_out(listed, drawn, columns, project.name), path)
            return f"Saved a contact sheet of {len(listed)} pictures as {path}"

        return session.beside("Drawing a contact sheet", draw, session.told.emit)

    def _refresh(self) -> None:
        self.words.setText(counted(self.count, "picture"))
        ready = 0 < self.count <= sheet.MOST and Path(self.path.text().strip()).suffix.lower() in sheet.ENDINGS
        save = self.buttons.button(QDialogButtonBox.StandardButton.Save)
        if save:
            save.setEnabled(ready)

    def _choose(self) -> None:
        name, _ = QFileDialog.getSaveFileName(self, "Contact sheet", self.path.text(), "Sheets (*.png *.pdf)")
        if name:
            self.path.setText(name)
