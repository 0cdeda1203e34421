"""The family tree with what stands round it: the field that finds instances, favourites, and the first commands."""

from __future__ import annotations

from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QPushButton, QSizePolicy, QToolButton, QVBoxLayout, QWidget

from soft_lantern.app.desks.tune.family_tree import FAVOURITE, FamilyTree


class TreePanel(QWidget):
    """Only lays out: what the field and buttons do is the desk's."""

    def __init__(self, tree: FamilyTree, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.search = QLineEdit()
        self.search.setPlaceholderText("Find: name, tag, spread > 3")
        self.search.setClearButtonEnabled(True)
        self.search.setAccessibleName("find instances")
        self.favourites = QToolButton()
        self.favourites.setText(FAVOURITE)
        self.favourites.setCheckable(True)
        self.favourites.setToolTip("Favourites alone")
        self.favourites.setAccessibleName("favourites alone")
        self.add_button = QPushButton("New instance")
        self.add_button.setToolTip("An instance of what is selected above")
        self.duplicate_button, self.delete_button, self.more_button = QToolButton(), QToolButton(), QToolButton()
        below = (self.duplicate_button, self.delete_button, self.more_button)
        for button, words in zip(below, ("Duplicate", "Delete", "More"), strict=True):
            button.setText(words)
            button.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        top, second = QHBoxLayout(), QHBoxLayout()
        top.addWidget(self.search, 1)
        top.addWidget(self.favourites)
        for button in below:
            second.addWidget(button, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 10, 4, 10)
        column.addLayout(top)
        column.addWidget(tree, 1)
        column.addWidget(self.add_button)
        column.addLayout(second)

    def seek(self) -> None:
        """Go to the field that finds instances."""
        self.search.setFocus()
        self.search.selectAll()
