"""What a fill could not hold at a mesh's vertices, and the ways out."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from soft_lantern.app.widgets.alone import show_alone
from soft_lantern.app.widgets.buttons import tool_button
from soft_lantern.app.widgets.labels import quiet_label, side_by_side


class CoarseBar(QWidget):
    """Says how much is missed between vertices. The signals tell what a person wants done about it."""

    where_wanted = pyqtSignal()
    finer_wanted = pyqtSignal()
    map_wanted = pyqtSignal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.words = quiet_label(wraps=True)
        self.where = tool_button("Show where", self.where_wanted.emit)
        self.where.setToolTip("Select the vertices between which more than a quarter of it is missed")
        self.finer = tool_button("Finer mesh", self.finer_wanted.emit)
        self.finer.setToolTip("Cut each triangle in four and fill again; a file that was imported stays as it came")
        self.map = tool_button("Texture instead", self.map_wanted.emit)
        self.map.setToolTip("Bake it to a texture of the project, by the mesh's own coordinates")
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.words)
        column.addWidget(side_by_side(self.where, self.finer, self.map))
        self.show_missed(0.0, 0.0)

    def show_missed(self, most: float, span: float) -> None:
        """Say what is missed of what is spanned; nothing at 0."""
        self.words.setText(f"Too coarse for that: between vertices up to {most:.3g} of {span:.3g} is missed")
        self.setVisible(most > 0)


if __name__ == "__main__":
    show_alone(CoarseBar)
