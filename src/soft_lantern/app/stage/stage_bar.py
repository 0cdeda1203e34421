"""The row of switches under a stage: backdrop, floor, tone map, level gauge, what is shown, and framing."""

from __future__ import annotations

from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QToolButton, QVBoxLayout, QWidget

from soft_lantern.app.session import Session
from soft_lantern.app.stage.stage_view import StageView
from soft_lantern.app.widgets.number_field import NumberField
from soft_lantern.render.staging import SHOWABLE


class StageBar(QWidget):
    """Switches for one stage view."""

    def __init__(self, session: Session, stage: StageView, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session, self.stage = session, stage
        rows = QVBoxLayout(self)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(4)
        layout, second = QHBoxLayout(), QHBoxLayout()
        rows.addLayout(layout)
        rows.addLayout(second)
        self.backdrop = self._switch("Sky", "The sky behind everything; off shows plain grey", "backdrop")
        self.floor = self._switch("Floor", "The metre grid", "floor")
        self.tone_map = self._switch("Tone map", "Khronos PBR Neutral; off shows plain sRGB", "tone_map")
        for button in (self.backdrop, self.floor, self.tone_map):
            layout.addWidget(button)
        self.show_box = QComboBox()
        self.show_box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.show_box.setMinimumContentsLength(5)
        self.show_box.setToolTip("The lit surface, or one of its inputs alone")
        for name in SHOWABLE:
            self.show_box.addItem(name.replace("_", " "), name)
        self.show_box.currentIndexChanged.connect(lambda _: stage.set_options(show=self.show_box.currentData()))
        layout.addWidget(self.show_box, 1)
        self.gauge = QToolButton()
        self.gauge.setText("Level")
        self.gauge.setToolTip("The level gauge: drag its readout on the stage, or type a height")
        self.gauge.setCheckable(True)
        self.gauge.clicked.connect(self._toggle_gauge)
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
        self.clip = self._switch("Clip view", "Hatch what is below 0, above 1 or not finite, before display", "clip")
        self.clip.setChecked(False)
        self.probe = QToolButton()
        self.probe.setText("Probe")
        self.probe.setToolTip("Clicks read a pixel: every wire's value there shows on the canvas")
        self.probe.setCheckable(True)
        self.probe.toggled.connect(stage.probe_with_clicks)
        for widget in (self.gauge, self.height_field):
            second.addWidget(widget)
        second.addStretch(1)
        second.addWidget(self.clip)
        second.addWidget(self.probe)
        second.addWidget(frame)
        session.changed.connect(lambda old, new: self.refresh())
        self.refresh()

    def refresh(self) -> None:
        """Show how things are."""
        scene = self.session.scene
        height = scene.gauge if scene else None
        shown = height is not None and self.stage.gauge_shown
        self.gauge.setChecked(shown)
        self.height_field.setVisible(shown)
        if height is not None:
            self.height_field.show_value(height)

    def _toggle_gauge(self, wanted: bool) -> None:
        scene = self.session.scene
        if wanted and scene and scene.gauge is None:
            self.stage.set_gauge(0.0)
        self.stage.show_gauge(wanted)
        self.refresh()

    def _switch(self, text: str, tip: str, option: str) -> QToolButton:
        button = QToolButton()
        button.setText(text)
        button.setToolTip(tip)
        button.setCheckable(True)
        button.setChecked(True)
        button.toggled.connect(lambda on: self.stage.set_options(**{option: on}))
        return button
