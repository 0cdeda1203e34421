"""Two versions of records side by side, with pictures, and which of them is to count."""

from __future__ import annotations

from PyQt6.QtCore import QSize
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QHBoxLayout,
    QHeaderView,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from soft_lantern.app.pictures.miniatures import Miniatures
from soft_lantern.app.session.session import Session
from soft_lantern.app.widgets.labels import heading_label, picture_label
from soft_lantern.formats.recovery import Difference, with_records
from soft_lantern.graph.differences import differences_in_words
from soft_lantern.graph.document import Instance, Material
from soft_lantern.render.worker import RenderWorker

SIDE = 72
MOST_PICTURED = 100


class VersionsDialog(QDialog):
    """Accepted, `taken` holds the paths whose other version is to count."""

    def __init__(
        self,
        session: Session,
        worker: RenderWorker,
        found: list[Difference],
        words: tuple[str, str, str],
        parent: QWidget | None = None,
    ) -> None:
        """`words`: what the whole is about, and what the two versions are called."""
        super().__init__(parent)
        title, self._ours, self._theirs = words
        self.found = found
        self.setWindowTitle(title)
        self.resize(760, 460)
        column = QVBoxLayout(self)
        column.addWidget(heading_label(title))
        self.table = QTableWidget(len(found), 5)
        self.table.setTabKeyNavigation(False)
        self.table.setHorizontalHeaderLabels([self._ours, self._theirs, "record", "what differs", "what counts"])
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setIconSize(QSize(SIDE, SIDE))
        self.table.setAccessibleName("records with two versions")
        self.table.setTabKeyNavigation(False)
        header, rows = self.table.horizontalHeader(), self.table.verticalHeader()
        assert header is not None and rows is not None
        rows.hide()
        rows.setDefaultSectionSize(SIDE + 6)
        header.setSectionResizeMode(3, QHeaderView.ResizeMode.Stretch)
        for place, width in ((0, SIDE + 8), (1, SIDE + 8), (2, 170), (4, 150)):
            header.resizeSection(place, width)
        column.addWidget(self.table, 1)
        self._miniatures = Miniatures(session, worker, "versions", self)
        self._miniatures.arrived.connect(self._show_picture)
        self.choices: dict[str, QComboBox] = {}
        for row, each in enumerate(found):
            self._fill_row(session, row, each)
        buttons = QHBoxLayout()
        for name, index in ((f"All as {self._ours}", 0), (f"All as {self._theirs}", 1)):
            button = QPushButton(name)
            button.clicked.connect(lambda _, index=index: self._choose_all(index))
            buttons.addWidget(button)
        buttons.addStretch(1)
        self.buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        self.buttons.accepted.connect(self.accept)
        self.buttons.rejected.connect(self.reject)
        buttons.addWidget(self.buttons)
        column.addLayout(buttons)

    @property
    def taken(self) -> set[str]:
        """The paths of the records whose other version is to count."""
        return {path for path, choice in self.choices.items() if choice.currentIndex() == 1}

    @property
    def settled(self) -> bool:
        """Whether all pictures have come."""
        return self._miniatures.settled

    def done(self, result: int) -> None:
        self._miniatures.forget()
        super().done(result)

    def _fill_row(self, session: Session, row: int, each: Difference) -> None:
        words = differences_in_words(each.ours, each.kept)
        note = "\nchanged on both sides" if each.both else ""
        self.table.setItem(row, 2, QTableWidgetItem(f"{each.name}\n{each.path}"))
        self.table.setItem(row, 3, QTableWidgetItem(words + note))
        choice = QComboBox()
        choice.addItems([self._ours, self._theirs])
        choice.setCurrentIndex(0 if each.both else 1)
        choice.setAccessibleName(f"what counts of {each.name}")
        self.choices[each.path] = choice
        cell = QWidget()
        middle = QVBoxLayout(cell)
        middle.setContentsMargins(6, 0, 6, 0)
        middle.addWidget(choice)
        self.table.setCellWidget(row, 4, cell)
        for place, record in enumerate((each.ours, each.kept)):
            if isinstance(record, Material | Instance) and row < MOST_PICTURED:
                folder = each.path.partition("/")[0]
                project = with_records(session.project, {f"{folder}/{record.id}": record})
                if folder != "snippets":
                    self._miniatures.want((row, place), project, record.id, SIDE)

    def _choose_all(self, index: int) -> None:
        for choice in self.choices.values():
            choice.setCurrentIndex(index)

    def _show_picture(self, key: tuple[int, int], image: QImage) -> None:
        self.table.setCellWidget(*key, picture_label(image))
