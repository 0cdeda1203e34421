"""The window's header: the project and the open material, the desks, the scene on the stage."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QMenu, QPushButton, QSizePolicy, QToolButton, QWidget

from soft_lantern.app.theme import style
from soft_lantern.app.widgets.choices import fill
from soft_lantern.app.widgets.labels import ElidedLabel, tip
from soft_lantern.app.widgets.picture_picker import PictureBox

Choices = Sequence[tuple[str, str]]
"""Names and what they stand for."""


class Header(QWidget):
    """Shows names, and says which was chosen."""

    desk_wanted = pyqtSignal(str)
    graph_wanted = pyqtSignal(str)
    renamed = pyqtSignal(str)
    """The open material is to be called so."""
    scene_wanted = pyqtSignal(str)
    finder_wanted = pyqtSignal()

    def __init__(self, desks: Sequence[str], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.menu_button = QToolButton()
        self.menu_button.setText("☰" if self.fontMetrics().inFont("☰") else "Menu")
        self.menu_button.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.menu_button.setAccessibleName("menu")
        self.project_label = ElidedLabel()
        self.project_label.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        self.project_label.setMaximumWidth(240)
        self.project_label.setFont(style.app_font(12, bold=True))
        self.materials = _box("material", "The open material", 170)
        self.materials.activated.connect(lambda _: self.graph_wanted.emit(self.materials.currentData()))
        self.desk_buttons: dict[str, QPushButton] = {}
        for number, name in enumerate(desks, 1):
            button = QPushButton(name)
            button.setProperty("desk", True)
            button.setCheckable(True)
            button.setToolTip(tip(f"{name} desk (Ctrl+{number})"))
            button.clicked.connect(lambda _, name=name: self.desk_wanted.emit(name))
            self.desk_buttons[name] = button
        self.scenes = _box("scene", "The scene on the stage", 140)
        self.scenes.activated.connect(lambda _: self.scene_wanted.emit(self.scenes.currentData()))
        self.finder_button = QToolButton()
        self.finder_button.setText("Commands")
        self.finder_button.setToolTip("Every action by name (F1)")
        self.finder_button.clicked.connect(self.finder_wanted)
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 0, 10, 0)
        row.setSpacing(10)
        for widget in (self.menu_button, self.project_label, self.materials):
            row.addWidget(widget)
        row.addStretch(1)
        for button in self.desk_buttons.values():
            row.addWidget(button)
        row.addStretch(1)
        row.addWidget(self.scenes)
        row.addWidget(self.finder_button)

    def set_menu(self, menu: QMenu) -> None:
        """The menu that the first button opens."""
        self.menu_button.setMenu(menu)

    def show_project(self, name: str) -> None:
        """Show the project's name, with a mark where not everything is saved."""
        self.project_label.setText(name)

    def show_graphs(self, graphs: Choices, chosen: str) -> None:
        """Offer materials and snippets, one of them open."""
        fill(self.materials, graphs, chosen)

    def show_scenes(self, scenes: Choices, chosen: str) -> None:
        """Offer scenes, one of them on the stage."""
        fill(self.scenes, scenes, chosen)

    def show_desk(self, name: str) -> None:
        """Mark the desk that is open."""
        for each, button in self.desk_buttons.items():
            button.setChecked(each == name)

    def offer_no_other_desk(self) -> None:
        """Take away what leads elsewhere than to the desk that is open."""
        for button in self.desk_buttons.values():
            button.hide()
        self.materials.hide()

    def next_scene(self) -> str:
        """The scene that follows the chosen one by name; "" where there is no other."""
        count = self.scenes.count()
        return str(self.scenes.itemData((self.scenes.currentIndex() + 1) % count)) if count > 1 else ""

    def type_name(self) -> None:
        """Type another name for the open material in its place."""
        self.materials.setEditable(True)
        edit = self.materials.lineEdit()
        if edit is None:
            return
        edit.selectAll()
        edit.setFocus()

        def done() -> None:
            name = edit.text().strip()
            self.materials.setEditable(False)
            self.renamed.emit(name)

        edit.editingFinished.connect(done)


def _box(name: str, tooltip: str, width: int) -> PictureBox:
    box = PictureBox(f"Which {name}? Part of its name")
    box.setFixedWidth(width)
    box.setAccessibleName(name)
    box.setToolTip(tooltip)
    return box
