"""The scene that looks are judged in: its objects and light, or how to come by a copy that may be changed."""

from __future__ import annotations

from PyQt6.QtWidgets import QPushButton, QScrollArea, QVBoxLayout, QWidget

from soft_lantern.app.panels.environment_panel import EnvironmentPanel
from soft_lantern.app.panels.object_panel import ObjectPanel
from soft_lantern.app.session.session import Session
from soft_lantern.app.widgets.labels import heading_label, quiet_label
from soft_lantern.app.widgets.when_seen import WhenSeen
from soft_lantern.graph.document import new_id
from soft_lantern.graph.scenes import own_copy


class SceneTab(QScrollArea):
    """Edits objects and light where the scene may be changed."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.setWidgetResizable(True)
        self.words = quiet_label(wraps=True)
        self.copy = QPushButton("Make my own copy")
        self.copy.setToolTip("A copy of this scene to move things in, and to light as you like; the author’s stays")
        self.copy.clicked.connect(self.make_copy)
        self.objects = ObjectPanel(session, with_parts=False)
        self.light = EnvironmentPanel(session)
        self._open = QWidget()
        inside, column, below = QWidget(), QVBoxLayout(), QVBoxLayout(self._open)
        column.setContentsMargins(0, 8, 4, 0)
        below.setContentsMargins(0, 0, 0, 0)
        for widget in (heading_label("Object"), self.objects, heading_label("Light"), self.light):
            below.addWidget(widget)
        column.addWidget(self.words)
        column.addWidget(self.copy)
        column.addWidget(self._open)
        column.addStretch(1)
        inside.setLayout(column)
        self.setWidget(inside)
        session.changed.connect(WhenSeen(self, self.refresh))
        self.refresh()

    def make_copy(self) -> None:
        """Put a designer's own copy of the scene on the stage."""
        session, copy_id = self.session, new_id("scene")
        scene_id, view = session.scene_id, session.view
        if session.apply("Copy scene", lambda project: own_copy(project, scene_id, copy_id)):
            session.open_scene(copy_id)
            session.set_view(view)

    def refresh(self) -> None:
        """Show how things are."""
        held = self.session.scene_held
        self.words.setText(held)
        self.words.setVisible(bool(held))
        self.copy.setVisible(bool(held))
        self._open.setVisible(not held)
