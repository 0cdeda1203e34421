"""A pick: looks of which each object gets one by chance, with its seed."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from soft_lantern.app.session.session import Session
from soft_lantern.app.widgets.labels import plain_label, quiet_label
from soft_lantern.graph.document import Instance, Material, Pick, changed
from soft_lantern.graph.instances.picks import picked, put_pick


class PickPanel(QWidget):
    """Shows one pick of the project and changes it."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.pick_id = ""
        self.looks = QListWidget()
        self.looks.setAccessibleName("looks of the pick")
        self.seed = QSpinBox()
        self.seed.setRange(0, 2**31 - 1)
        self.seed.setPrefix("seed ")
        self.roll = QPushButton("Roll again")
        self.remove = QPushButton("Take out")
        self.gets = quiet_label(wraps=True)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 8, 0, 0)
        words = plain_label(
            "Each object that wears this gets one of these, always the same one for the same seed. "
            "Drag more looks onto it in the tree."
        )
        words.setWordWrap(True)
        words.setProperty("quiet", True)
        column.addWidget(words)
        column.addWidget(self.looks, 1)
        row = QHBoxLayout()
        for widget in (self.seed, self.roll, self.remove):
            row.addWidget(widget)
        column.addLayout(row)
        column.addWidget(self.gets)
        self.seed.valueChanged.connect(lambda seed: self._change("Set seed", seed=seed))
        self.roll.clicked.connect(lambda: self.seed.setValue(self.seed.value() + 1))
        self.remove.clicked.connect(self._take_out)

    def show_pick(self, pick_id: str) -> None:
        """Show a pick as it is now."""
        self.pick_id = pick_id
        project = self.session.project
        pick = project.picks.get(pick_id)
        if pick is None:
            return
        named: dict[str, Material | Instance] = {**project.materials, **project.instances}
        self.looks.clear()
        for look_id in pick.looks:
            item = QListWidgetItem(named[look_id].name if look_id in named else "gone")
            item.setData(Qt.ItemDataRole.UserRole, look_id)
            self.looks.addItem(item)
        blocked = self.seed.blockSignals(True)
        self.seed.setValue(pick.seed)
        self.seed.blockSignals(blocked)
        scene = self.session.scene
        wearing = [thing for thing in (scene.objects if scene else ()) if pick_id in thing.wears.values()]
        told = [f"{t.name}: {named[w].name}" for t in wearing if (w := picked(pick, t.id)) in named]
        self.gets.setText("\n".join(told) or "No object on the stage wears it")

    def _pick(self) -> Pick | None:
        return self.session.project.picks.get(self.pick_id)

    def _change(self, name: str, **fields: object) -> None:
        pick = self._pick()
        if pick:
            self.session.apply(name, lambda p: put_pick(p, changed(p.picks.get(pick.id, pick), **fields)), "pick")

    def _take_out(self) -> None:
        pick, row = self._pick(), self.looks.currentRow()
        if pick and row >= 0:
            self._change("Take out", looks=tuple(each for place, each in enumerate(pick.looks) if place != row))
