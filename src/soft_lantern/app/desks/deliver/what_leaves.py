"""What is to leave: materials, their looks, the scenes that show them, and assets alone, each ticked in a list."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QListWidgetItem, QTabWidget, QVBoxLayout, QWidget

from soft_lantern.app.widgets.tick_list import KEY, TickBox
from soft_lantern.graph.document import Material, Project


class WhatLeaves(QWidget):
    """Follows a project: what is new in it is ticked, but for assets, which leave alone only when they are wanted.

    `opened` gives the material that is gone to in its list.
    """

    opened = pyqtSignal(str)

    def __init__(self, project: Project) -> None:
        super().__init__()
        self.tabs = QTabWidget()
        self.tabs.setAccessibleName("what leaves")
        self.tabs.setUsesScrollButtons(False)  # the column is as wide as the four need
        self.materials, self.looks, self.assets, self.scenes = (
            TickBox((), set(), f"{kind} to deliver") for kind in ("materials", "looks", "assets", "scenes")
        )
        for words, box, why in (
            ("Materials", self.materials, "Their text and values, and what wears them"),
            ("Looks", self.looks, "The instances that go along into baked assets, pages and MaterialX"),
            ("Assets", self.assets, "Assets that leave alone, each in a file or a view of its own"),
            ("Scenes", self.scenes, "The scenes that go into baked assets and pages"),
        ):
            self.tabs.setTabToolTip(self.tabs.addTab(box, words), why)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.tabs)
        self.materials.list.currentItemChanged.connect(self._open)
        self.follow(project)

    def follow(self, project: Project) -> None:
        """Show what there is now."""
        self.materials.follow(_named(project.materials))
        self.looks.follow(_named(project.instances))
        self.assets.follow(_named(project.assets), ticked=False)
        self.scenes.follow(_named(project.scenes))

    def _open(self, item: QListWidgetItem | None) -> None:
        if item is not None:
            self.opened.emit(item.data(KEY))

    def chosen(self, project: Project) -> list[Material]:
        """The materials that are ticked and still there."""
        return [project.materials[key] for key in self.materials.ticked if key in project.materials]


def _named(records: Mapping[str, Any]) -> list[tuple[str, str]]:
    return sorted(((key, each.name) for key, each in records.items()), key=lambda pair: pair[1].lower())
