"""Which gradients go into an atlas, how it is kept, and how far each row is from its gradient."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QFileDialog,
    QHBoxLayout,
    QHeaderView,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from soft_lantern.app.session.session import Session, sentence
from soft_lantern.app.widgets.labels import plain_label, quiet_label
from soft_lantern.bake.atlas import Atlas, atlas_of
from soft_lantern.errors import LanternError
from soft_lantern.formats.atlas import write_atlas
from soft_lantern.formats.shader_gradients import Shipped, gradient_rows
from soft_lantern.graph.gradients.editing import ENOUGH, WIDTHS

KEPT = {
    (8, "colour"): "8 bits, sRGB",
    (8, "data"): "8 bits, linear",
    (16, "colour"): "16 bits, sRGB",
    (16, "data"): "16 bits, linear",
}
COLUMNS = (
    "Gradient",
    "Row at v",
    "Error, 8-bit steps",
    "Worst at",
    "Operations if exact",
    "Reads and operations as a row",
)


class AtlasDialog(QDialog):
    """Tick the gradients, see the errors, write the file."""

    def __init__(self, session: Session, first: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.setWindowTitle("Bake an atlas of gradients")
        self.resize(720, 380)
        self.width_box, self.kept = QComboBox(), QComboBox()
        self.width_box.setAccessibleName("texels in a row")
        self.kept.setAccessibleName("how it is kept")
        for width in WIDTHS[2:]:
            self.width_box.addItem(f"{width} texels", width)
        self.width_box.setCurrentIndex(self.width_box.findData(256))
        for (bits, encoding), words in KEPT.items():
            self.kept.addItem(words, (bits, encoding))
        self.table = QTableWidget(0, len(COLUMNS))
        self.table.setTabKeyNavigation(False)
        self.table.setHorizontalHeaderLabels(COLUMNS)
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        header = self.table.horizontalHeader()
        assert header
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        header.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        self.words = quiet_label(wraps=True)
        self.write, self.leave = QPushButton("Write…"), QPushButton("Close")
        row, below = QHBoxLayout(), QHBoxLayout()
        for widget in (plain_label("Rows of"), self.width_box, plain_label("kept as"), self.kept):
            row.addWidget(widget)
        row.addStretch(1)
        below.addWidget(self.words, 1)
        below.addWidget(self.write)
        below.addWidget(self.leave)
        column = QVBoxLayout(self)
        column.addLayout(row)
        column.addWidget(self.table, 1)
        column.addLayout(below)
        gradients = sorted(session.project.gradients.values(), key=lambda g: (g.id != first, g.name.lower()))
        self.table.setRowCount(len(gradients))
        for at, gradient in enumerate(gradients):
            item = QTableWidgetItem(gradient.name)
            item.setData(Qt.ItemDataRole.UserRole, gradient.id)
            item.setCheckState(Qt.CheckState.Checked)
            self.table.setItem(at, 0, item)
        self.atlas: Atlas | None = None
        self.table.itemChanged.connect(lambda item: self.refresh() if item.column() == 0 else None)
        self.width_box.activated.connect(lambda _: self.refresh())
        self.kept.activated.connect(lambda _: self.refresh())
        self.write.clicked.connect(self._choose)
        self.leave.clicked.connect(self.accept)
        self.refresh()

    def chosen(self) -> list[str]:
        """The ids of the gradients that are ticked, from the top."""
        items = [self.table.item(row, 0) for row in range(self.table.rowCount())]
        return [i.data(Qt.ItemDataRole.UserRole) for i in items if i and i.checkState() == Qt.CheckState.Checked]

    def refresh(self) -> None:
        """Bake what is ticked, and show what it comes to."""
        known, ids = self.session.project.gradients, self.chosen()
        bits, encoding = self.kept.currentData()
        try:
            self.atlas = atlas_of([known[i] for i in ids], self.width_box.currentData(), bits, encoding)
        except LanternError as error:
            self.atlas = None
            self.words.setText(sentence(str(error)))
        self.write.setEnabled(self.atlas is not None)
        told = dict(zip(ids, self.atlas.rows, strict=True)) if self.atlas else {}
        costs = dict(zip(ids, gradient_rows(Shipped({i: known[i] for i in ids}, "exact")), strict=True))
        blocked = self.table.blockSignals(True)
        for at in range(self.table.rowCount()):
            name = self.table.item(at, 0)
            row = told.get(name.data(Qt.ItemDataRole.UserRole)) if name else None
            cells = [""] * (len(COLUMNS) - 1)
            if row and name:
                cost = costs[name.data(Qt.ItemDataRole.UserRole)]
                exact, read = cost["exact"], cost["row"]
                cells = [
                    f"{row.v:.5g}",
                    f"{255 * row.error:.2f}{' ✓' if row.error < ENOUGH else ''}{', clipped' if row.clipped else ''}",
                    f"{row.at:.3f}",
                    str(exact["operations"]),
                    f"{read['texture_reads']} + {read['operations']}",
                ]
            for column, text in enumerate(cells, 1):
                self.table.setItem(at, column, QTableWidgetItem(text))
        self.table.blockSignals(blocked)
        if self.atlas:
            height, width = self.atlas.texels.shape[:2]
            worst = 255 * max(row.error for row in self.atlas.rows)
            self.words.setText(f"{width} × {height} texels; at worst {worst:.2f}/255 from exact. ✓ is under 1/255")

    def write_to(self, path: Path) -> None:
        """Write the atlas and its table; where that cannot be, say why."""
        if self.atlas is None:
            return
        try:
            written = write_atlas(self.atlas, path)
        except LanternError as error:
            self.words.setText(sentence(str(error)))
            return
        self.session.told.emit(f"Wrote {' and '.join(str(each) for each in written)}")
        self.accept()

    def _choose(self) -> None:
        name, _ = QFileDialog.getSaveFileName(self, "Write the atlas", "gradients.png", "PNG (*.png)")
        if name:
            self.write_to(Path(name).with_suffix(".png"))
