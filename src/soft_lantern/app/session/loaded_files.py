"""What the files of the open project hold, read beside the window: models by asset, images by texture, light by scene.

The images of gradients and palettes, which have no files, are kept here too.
"""

from __future__ import annotations

import os
import threading
from collections.abc import Callable, Collection, Iterable, Mapping
from functools import partial
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from soft_lantern.app.work.background import Background
from soft_lantern.app.work.mishaps import outcome
from soft_lantern.app.work.timers import single_shot
from soft_lantern.formats.assets import load_model
from soft_lantern.formats.images import load_texture
from soft_lantern.formats.light_files import load_light
from soft_lantern.graph.document import Asset, Project, Scene, Texture, changed
from soft_lantern.graph.notice import Notice, Severity
from soft_lantern.graph.ramps.images import ramp_images
from soft_lantern.render.baked import ShownLight
from soft_lantern.scene.mesh import Model
from soft_lantern.values.images import Image

MESH, TEXTURE, LIGHT = "mesh", "texture", "light"
"""What files hold, and the kinds of notices on them."""
Read = Callable[[], tuple[Any, list[Notice]]]
"""Reads a file: what it holds, and what is to be said of it."""
KEPT_FOR_UNDO = 12
"""Models and images that are kept although nothing of the project reads them any more."""
LONG = 1000
"""Milliseconds after which reading begins although nobody has seen a window."""
SOON = 16
"""Milliseconds in which files that were read are told of together, where others are still being read."""


class LoadedFiles(QObject):
    """`changed` tells that something was read, or could not be; `notices` holds what is to be said of each file."""

    changed = pyqtSignal()
    relit = pyqtSignal()
    """Another baked light is shown."""

    def __init__(
        self, folder: Path, background: Background, parent: QObject | None = None, *, held: bool = False
    ) -> None:
        """`held`: read nothing until `begin`, so that a window that opens is seen sooner; or for a while."""
        super().__init__(parent)
        self.folder, self._background = folder, background
        self.models: dict[str, Model] = {}
        self.images: dict[str, Image] = {}
        self.loading: set[str] = set()
        self.notices: dict[str, list[Notice]] = {}
        self.lights: dict[str, ShownLight] = {}
        self._previews: dict[str, ShownLight] = {}
        self._baked: dict[str, str] = {}
        self._textures: dict[str, Texture] = {}
        self._assets: dict[str, Asset] = {}
        self._gone: dict[str, None] = {}
        self._followed = Project(name="")
        self._being_read = 0
        self._waiting: dict[tuple[str, str], Read] = {}
        self._lock = threading.Lock()
        self._held = held
        if held:
            single_shot(self, LONG, self.begin).start()
        self._telling = single_shot(self, SOON, self.changed.emit)

    @property
    def all_read(self) -> bool:
        """Whether nothing is being read or shown while it is baked."""
        return not self._being_read and not self._previews

    def follow(self, project: Project) -> None:
        """Read what a project has that is not read yet, or is read otherwise now."""
        before, self._followed = self._followed, project
        for asset in project.assets.values() if project.assets is not before.assets else ():
            if self._assets.get(asset.id) != asset:
                self._assets[asset.id] = asset
                self.loading.add(asset.id)
                self._read(MESH, asset.id, partial(_model_of, asset, self.folder))
        for texture in project.textures.values() if project.textures is not before.textures else ():
            if self._textures.get(texture.id) != texture:
                self._textures[texture.id] = texture
                self._read(TEXTURE, texture.id, partial(_image_of, texture, self.folder))
        if project.assets is not before.assets:
            self._let_go(before.assets.keys() - project.assets.keys(), project.assets.keys())
        if project.textures is not before.textures:
            self._let_go(before.textures.keys() - project.textures.keys(), project.textures.keys())
        if project.scenes is not before.scenes:
            self._follow_lights(project.scenes)
        if project.gradients is not before.gradients or project.palettes is not before.palettes:
            self._follow_ramps(before, project)

    def _let_go(self, gone: Iterable[str], present: Iterable[str]) -> None:
        """Keep what went for a while, since undo may bring it back, then give its memory back."""
        for record_id in present:
            self._gone.pop(record_id, None)
        self._gone.update(dict.fromkeys(gone))
        while len(self._gone) > KEPT_FOR_UNDO:
            record_id = next(iter(self._gone))
            for held in (self._gone, self.models, self.images, self._assets, self._textures, self.notices):
                held.pop(record_id, None)

    def read_again(self, path: str) -> None:
        """Read a mesh or image file anew that was written meanwhile."""
        name = os.path.relpath(path, self.folder).replace(os.sep, "/")
        for asset in [each for each in self._assets.values() if each.file == name]:
            self._read(MESH, asset.id, partial(_model_of, asset, self.folder))
        for texture in [each for each in self._textures.values() if each.file == name]:
            self._read(TEXTURE, texture.id, partial(_image_of, texture, self.folder))

    def light_of(self, scene_id: str) -> ShownLight | None:
        """The light that was baked for a scene, or is being baked and shown."""
        return self._previews.get(scene_id) or self.lights.get(scene_id)

    def preview_light(self, scene_id: str, light: ShownLight | None) -> None:
        """Show light that is still being baked, or no more of it."""
        if light:
            self._previews[scene_id] = light
        elif self._previews.pop(scene_id, None) is None:
            return
        self.relit.emit()

    def hold_light(self, scene_id: str, file: str, light: ShownLight) -> None:
        """Take in light that is in memory already, and will be what a scene says it is lit by."""
        self.lights[scene_id], self._baked[scene_id] = light, file
        self.notices.pop(scene_id, None)

    def _follow_lights(self, scenes: Mapping[str, Scene]) -> None:
        for scene_id in self._baked.keys() - scenes.keys():
            self._baked.pop(scene_id)
            self.lights.pop(scene_id, None)
        for scene in scenes.values():
            if scene.baked.file == self._baked.get(scene.id, ""):
                continue
            self._baked[scene.id] = scene.baked.file
            if scene.baked.file:
                self._read(LIGHT, scene.id, partial(_light_of, scene, self.folder))
            else:
                self.lights.pop(scene.id, None)
                self.notices.pop(scene.id, None)

    def hold_model(self, asset: Asset, model: Model) -> None:
        """Take in a model that is read already."""
        self.models[asset.id], self._assets[asset.id] = model, asset
        self.notices[asset.id] = _remarks(asset, model)

    def hold_image(self, texture: Texture, image: Image) -> None:
        """Take in an image that is read already."""
        self.images[texture.id], self._textures[texture.id] = image, texture

    def _follow_ramps(self, old: Project, project: Project) -> None:
        """Make the images of gradients and palettes that changed, and let go of those that went."""
        before = {**old.gradients, **old.palettes}
        others = changed(
            project,
            gradients={key: each for key, each in project.gradients.items() if before.get(key) is not each},
            palettes={key: each for key, each in project.palettes.items() if before.get(key) is not each},
        )
        self.images |= ramp_images(others)
        for gone in before.keys() - project.gradients.keys() - project.palettes.keys():
            self.images.pop(gone, None)

    def read_first(self, record_ids: Collection[str]) -> None:
        """Of what is still to be read, read these assets and textures before the rest."""
        with self._lock:
            waiting = sorted(self._waiting.items(), key=lambda each: each[0][1] not in record_ids)
            self._waiting.clear()
            self._waiting.update(waiting)

    def _read(self, kind: str, record_id: str, read: Read) -> None:
        """Read a file beside the window; whatever comes of it, it is no longer awaited."""
        with self._lock:
            self._waiting[kind, record_id] = read
        self._being_read += 1
        if not self._held:
            self._read_some()

    def begin(self) -> None:
        """Read what has been asked for so far, if that was held back."""
        if self._held:
            self._held = False
            for _ in range(self._being_read):
                self._read_some()
            if not self._being_read:
                self.changed.emit()

    def _read_some(self) -> None:
        self._background.work_out(partial(_read_next, self._waiting, self._lock), self._read_one)

    def _read_one(self, read: tuple[str, str, Any, list[Notice]] | None) -> None:
        """One more was read, or was so already: what was asked for twice while it waited is read once."""
        self._being_read -= 1
        if read:
            self._hold(*read)
        if not self._being_read:
            self._telling.stop()
            self.changed.emit()
        elif not self._telling.isActive():
            self._telling.start()

    def _hold(self, kind: str, record_id: str, read: Any, notices: list[Notice]) -> None:
        """Hold what was read of a record's file, or nothing where it could not be."""
        holding: dict[str, dict[str, Any]] = {MESH: self.models, TEXTURE: self.images, LIGHT: self.lights}
        held = holding[kind]
        self.loading.discard(record_id)
        if read:
            held[record_id] = read
        else:
            held.pop(record_id, None)
        self.notices[record_id] = notices
        if kind == LIGHT:
            self.relit.emit()


def _read_next(waiting: dict[tuple[str, str], Read], lock: threading.Lock) -> tuple[str, str, Any, list[Notice]] | None:
    """Read what comes first now, on any thread: its kind and record, what it holds, and what is to be said of it."""
    with lock:
        if not waiting:
            return None
        kind, record_id = first = next(iter(waiting))
        read = waiting.pop(first)
    found, trouble = outcome(read, "work on files")
    return (kind, record_id, *(found or (None, [Notice(Severity.ERROR, kind, trouble, record_id)])))


def _model_of(asset: Asset, folder: Path) -> tuple[Model, list[Notice]]:
    model = load_model(asset, folder)
    return model, _remarks(asset, model)


def _image_of(texture: Texture, folder: Path) -> tuple[Image, list[Notice]]:
    return load_texture(texture, folder), []


def _light_of(scene: Scene, folder: Path) -> tuple[ShownLight, list[Notice]]:
    return ShownLight(load_light(folder, scene)), []


def _remarks(asset: Asset, model: Model) -> list[Notice]:
    return [Notice(Severity.INFO, "mesh", remark, asset.id) for remark in model.remarks]
