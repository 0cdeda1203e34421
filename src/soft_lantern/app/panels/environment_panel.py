"""What lights the scene: the sky, how it is turned, exposure, and the sun."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PyQt6.QtWidgets import QComboBox, QFileDialog, QGridLayout, QToolButton, QWidget

from soft_lantern.app.session.imports import import_image
from soft_lantern.app.session.session import Session
from soft_lantern.app.widgets.choices import fill
from soft_lantern.app.widgets.colour_button import ColourButton
from soft_lantern.app.widgets.labels import quiet_label
from soft_lantern.app.widgets.number_field import NumberField
from soft_lantern.app.widgets.when_seen import WhenSeen
from soft_lantern.formats.images import FLOATING, READABLE_IMAGES
from soft_lantern.graph.document import Environment, Scene, Sun, Texture, changed
from soft_lantern.scene.skies import SKIES, own_sun

NO_SUN = Sun(strength=0.0)
_SUN_FIELDS = {"azimuth": ("°", 5.0), "elevation": ("°", 2.0), "strength": ("×", 0.1)}


class EnvironmentPanel(QWidget):
    """Edits the environment of the scene."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 4, 0, 0)
        grid.setVerticalSpacing(5)
        grid.setColumnStretch(1, 1)
        grid.setColumnStretch(3, 1)
        self.sky = QComboBox()
        self.sky.setAccessibleName("sky")
        self.sky.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.sky.setMinimumContentsLength(8)
        self.sky.activated.connect(lambda _: self._choose(self.sky.currentData()))
        self.load = QToolButton()
        self.load.setText("Load…")
        self.load.setToolTip("A panorama of the whole sky: Radiance HDR or OpenEXR")
        self.load.clicked.connect(self.choose_file)
        grid.addWidget(quiet_label("sky"), 0, 0)
        grid.addWidget(self.sky, 0, 1, 1, 2)
        grid.addWidget(self.load, 0, 3)
        self.rotation = NumberField(0.0, unit="°", step=5.0)
        self.exposure = NumberField(0.0, unit="stops", step=0.25, low=-20, high=20)
        for column, (name, field) in enumerate((("rotation", self.rotation), ("exposure", self.exposure))):
            field.setAccessibleName(name)
            field.changed.connect(lambda value, name=name: self._put(f"Set {name}", name, **{name: value}))
            grid.addWidget(quiet_label(name), 1, column * 2)
            grid.addWidget(field, 1, column * 2 + 1)
        self.sun_fields: dict[str, NumberField] = {}
        places = {"azimuth": (2, 0), "elevation": (2, 2), "strength": (3, 0)}
        for name, (unit, step) in _SUN_FIELDS.items():
            low, high = {"elevation": (-90.0, 90.0), "strength": (0.0, 1000.0)}.get(name, (None, None))
            field = NumberField(0.0, unit=unit, step=step, low=low, high=high)
            field.setAccessibleName(f"sun {name}")
            field.changed.connect(lambda value, name=name: self._put_sun(name, **{name: value}))
            row, column = places[name]
            grid.addWidget(quiet_label(f"sun {name}" if name != "strength" else "sun"), row, column)
            grid.addWidget(field, row, column + 1)
            self.sun_fields[name] = field
        self.colour = ColourButton()
        self.colour.setAccessibleName("sun colour")
        self.colour.changed.connect(lambda value: self._put_sun("colour", colour=tuple(value[:3])))
        grid.addWidget(quiet_label("colour"), 3, 2)
        grid.addWidget(self.colour, 3, 3)
        self.own = QToolButton()
        self.own.setText("The sky’s own sun")
        self.own.setToolTip("Let the sun come from the sky again")
        self.own.clicked.connect(lambda: self._put("Use the sky’s own sun", sun=None))
        grid.addWidget(self.own, 4, 0, 1, 4)
        grid.setRowStretch(5, 1)
        session.changed.connect(WhenSeen(self, self.refresh))
        self.refresh()

    def refresh(self) -> None:
        """Show how things are."""
        scene = self.session.scene
        environment = scene.environment if scene else Environment()
        loaded = _panoramas(list(self.session.project.textures.values()), environment.sky)
        fill(self.sky, [*((name, name) for name in SKIES), *((t.name, t.id) for t in loaded)], environment.sky)
        self.rotation.show_value(environment.rotation)
        self.exposure.show_value(environment.exposure)
        sun = environment.sun or own_sun(environment.sky) or NO_SUN
        for name, field in self.sun_fields.items():
            field.show_value(getattr(sun, name))
        self.colour.show_value((*sun.colour, 1.0))
        self.own.setEnabled(environment.sun is not None)
        self.setEnabled(scene is not None)

    def choose_file(self) -> None:
        """Ask for a panorama and light the scene by it."""
        kinds = " ".join(f"*{ending}" for ending in READABLE_IMAGES)
        path, _ = QFileDialog.getOpenFileName(self, "Load a panorama", "", f"Panoramas ({kinds})")
        if path:
            self.import_panorama(Path(path))

    def import_panorama(self, path: Path) -> None:
        """Bring a panorama into the project and light the scene by it."""
        import_image(self.session, path, lambda texture: self._choose(texture.id))

    def _choose(self, sky: str) -> None:
        # A panorama has its sun in it; an own sky brings one.
        self._put(f"Light by {self.sky.currentText() or 'panorama'}", sky=sky, sun=None)

    def _put_sun(self, merge: str, **fields: Any) -> None:
        scene = self.session.scene
        if scene:
            environment = scene.environment
            sun = environment.sun or own_sun(environment.sky) or NO_SUN
            self._put(f"Set sun {merge}", f"sun {merge}", sun=Sun(**{**_fields(sun), **fields}))

    def _put(self, name: str, merge: str = "", **fields: Any) -> None:
        def lit(scene: Scene) -> Scene:
            return changed(scene, environment=changed(scene.environment, **fields))

        if self.session.scene:
            self.session.edit_scene(name, lit, merge and f"light {merge}")


def _fields(sun: Sun) -> dict[str, Any]:
    return {name: getattr(sun, name) for name in sun.__struct_fields__}


def _panoramas(textures: list[Texture], chosen: str) -> list[Texture]:
    """The textures that a scene may be lit by: files of linear light, and the one that is chosen."""
    return [t for t in textures if t.id == chosen or Path(t.file).suffix.lower() in FLOATING]
