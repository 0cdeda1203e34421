"""The rows under a stage: sky, floor, tone map, what is shown, the level gauge, clip view, probe, and all the rest."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QInputDialog, QMenu, QToolButton, QVBoxLayout, QWidget

from soft_lantern.app.session.session import Session
from soft_lantern.app.stage.recorder import SaveDialog, save_pictures
from soft_lantern.app.stage.stage_commands import (
    BOOKMARKS,
    HANDLES,
    JUDGING,
    NAMED,
    SWITCHES,
    StageCommand,
    gauge_on,
    toggle_gauge,
)
from soft_lantern.app.stage.stage_view import StageView
from soft_lantern.app.widgets.number_field import NumberField
from soft_lantern.app.widgets.passing import passing
from soft_lantern.app.widgets.surround import surrounded
from soft_lantern.graph.scenes import without_bookmark
from soft_lantern.render.staging import SHOWABLE


class StageBar(QWidget):
    """Switches for one stage view."""

    def __init__(self, session: Session, stage: StageView, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session, self.stage = session, stage
        self.loop = 8.0
        """Seconds of the clock's loop, which a saved sequence covers."""
        rows = QVBoxLayout(self)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(4)
        layout, second = QHBoxLayout(), QHBoxLayout()
        rows.addLayout(layout)
        rows.addLayout(second)
        self._switches: list[tuple[QToolButton, StageCommand]] = []
        self.backdrop = self._switch(NAMED["Sky"], "Sky", "The sky behind everything; off shows plain grey")
        self.floor = self._switch(NAMED["Floor"], "Floor", "Ground that shadows fall on")
        self.tone_map = self._switch(NAMED["Tone map"], "Tone map", "Khronos PBR Neutral; off shows plain sRGB")
        for button in (self.backdrop, self.floor, self.tone_map):
            layout.addWidget(button)
        self.show_box = QComboBox()
        self.show_box.setAccessibleName("what the stage shows")
        self.show_box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.show_box.setMinimumContentsLength(5)
        self.show_box.setToolTip("The lit surface, or one of its inputs alone")
        for name in SHOWABLE:
            self.show_box.addItem(name.replace("_", " "), name)
        self.show_box.currentIndexChanged.connect(lambda _: stage.modes.set_options(show=self.show_box.currentData()))
        layout.addWidget(self.show_box, 1)
        self.gauge = QToolButton()
        self.gauge.setText("Level")
        self.gauge.setToolTip("The level gauge: drag its readout on the stage, or type a height")
        self.gauge.setCheckable(True)
        self.gauge.clicked.connect(lambda _: toggle_gauge(stage))
        self.height_field = NumberField(0.0, unit="m", step=0.1)
        self.height_field.setAccessibleName("level gauge height")
        self.height_field.setFixedWidth(78)
        policy = self.height_field.sizePolicy()
        policy.setRetainSizeWhenHidden(True)
        self.height_field.setSizePolicy(policy)
        self.height_field.changed.connect(stage.set_gauge)
        frame = QToolButton()
        frame.setText("Frame")
        frame.setToolTip("Everything into the picture (Home)")
        frame.clicked.connect(session.frame_all)
        self.clip = self._switch(
            NAMED["Clip view"], "Clip view", "Hatch what is below 0, above 1 or not finite, before display"
        )
        self.probe = self._switch(
            NAMED["Probe with clicks"], "Probe", "Clicks read a pixel: every wire's value there shows on the canvas"
        )
        self.more = QToolButton()
        self.more.setText("View")
        self.more.setToolTip("Everything else about the picture: what is drawn, handles, bookmarks, saving")
        self.more.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.menu = QMenu(self)
        self.menu.aboutToShow.connect(self._fill_menu)
        self.more.setMenu(self.menu)
        for widget in (self.gauge, self.height_field):
            second.addWidget(widget)
        second.addStretch(1)
        for button in (self.clip, self.probe, self.more, frame):
            second.addWidget(button)
        session.changed.connect(lambda old, new: self.refresh())
        stage.modes.changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Show how things are."""
        scene, shown = self.session.scene, gauge_on(self.stage)
        for button, command in self._switches:
            assert command.on
            button.setChecked(command.on(self.stage))
        self.gauge.setChecked(shown)
        self.height_field.setVisible(shown)
        if scene and scene.gauge is not None:
            self.height_field.show_value(scene.gauge)

    def save_pictures(self) -> None:
        """Ask how, and save the picture or a sequence over the clock's loop."""
        dialog = passing(SaveDialog(self.stage.size(), self.loop, self))
        if dialog.exec() and dialog.wish:
            save_pictures(self.stage, dialog.wish)

    def _fill_menu(self) -> None:
        menu, stage = self.menu, self.stage
        menu.clear()
        for group in (SWITCHES, JUDGING, HANDLES):
            for command in group:
                self._add(menu, command)
            menu.addSeparator()
        marks = menu.addMenu("Bookmarks")
        assert marks
        scene = stage.scene
        for mark in scene.bookmarks if scene else ():
            marks.addAction(mark.name, lambda mark=mark: self.session.set_view(mark.view))
        marks.addSeparator()
        self._add(marks, BOOKMARKS[0])
        for mark in scene.bookmarks if scene else ():
            marks.addAction(f"Forget {mark.name}", lambda mark=mark: self._forget(mark.name))
        gauge = menu.addMenu("Direction and label of the gauge")
        assert gauge
        for axis in "xyz":
            entry = gauge.addAction(f"Along {axis}", lambda axis=axis: self._gauge(gauge_axis=axis))
            assert entry
            entry.setCheckable(True)
            entry.setChecked(bool(scene and scene.gauge_axis == axis))
        gauge.addAction("Label…", self._label_gauge)
        menu.addSeparator()
        menu.addAction("Save pictures…", self.save_pictures)

    def _add(self, menu: QMenu, command: StageCommand) -> None:
        entry = menu.addAction(f"{command.name}\t{command.keys}", lambda: command.run(self.stage))
        assert entry
        entry.setEnabled(not command.hindered(self.stage))
        if command.on:
            entry.setCheckable(True)
            entry.setChecked(command.on(self.stage))

    def _forget(self, name: str) -> None:
        self.session.edit_scene(f"Forget {name}", lambda scene: without_bookmark(scene, name))

    def _gauge(self, **fields: str) -> None:
        scene = self.session.scene
        if scene:
            self.stage.modes.set_options(gauge=True)
            self.stage.set_gauge(scene.gauge if scene.gauge is not None else 0.0, **fields)

    def _label_gauge(self) -> None:
        scene = self.session.scene
        if scene:
            text, given = QInputDialog.getText(self, "Level gauge", "What it marks", text=scene.gauge_label)
            if given:
                self._gauge(gauge_label=text.strip())

    def _switch(self, command: StageCommand, text: str, tip: str) -> QToolButton:
        button = QToolButton()
        button.setText(text)
        button.setToolTip(f"{tip} ({command.keys})")
        button.setCheckable(True)
        button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        button.clicked.connect(lambda _: command.run(self.stage))
        self._switches.append((button, command))
        return button


def with_bar(stage: StageView, bar: StageBar, *, within: bool = False) -> QWidget:
    """A stage over its bar, as a panel of a desk, or `within` one that has edges of its own."""
    panel = QWidget()
    column = QVBoxLayout(panel)
    column.setContentsMargins(*(0, 0, 0, 0) if within else (6, 10, 6, 8))
    column.addWidget(surrounded(stage), 1)
    column.addWidget(bar)
    return panel
