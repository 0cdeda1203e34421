"""What the files of the open project hold, read beside the window: models by asset, images by texture.

The images of gradients and palettes, which have no files, are kept here too.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import TypeVar

from PyQt6.QtCore import QObject, pyqtSignal

from soft_lantern.errors import BadFile
from soft_lantern.formats.assets import load_model
from soft_lantern.formats.images import load_texture
from soft_lantern.graph.document import Asset, Project, Texture, changed
from soft_lantern.graph.notices import Notice, Severity
from soft_lantern.graph.ramps import ramp_images
from soft_lantern.scene.mesh import Model
from soft_lantern.values.images import Image

T = TypeVar("T")


class LoadedFiles(QObject):
    """`changed` tells that something was read, or could not be; `notices` holds what is to be said of each file."""

    changed = pyqtSignal()
    _read = pyqtSignal(object)

    def __init__(
        self, folder: Path, submit: Callable[[Callable[[], object]], object], parent: QObject | None = None
    ) -> None:
        """`submit`: what does work beside the window, one after another."""
        super().__init__(parent)
        self.folder, self._submit = folder, submit
        self.models: dict[str, Model] = {}
        self.images: dict[str, Image] = {}
        self.loading: set[str] = set()
        self.notices: dict[str, list[Notice]] = {}
        self._textures: dict[str, Texture] = {}
        self._assets: dict[str, Asset] = {}
        self._followed = Project(name="")
        self._read.connect(lambda take: take())

    def follow(self, project: Project) -> None:
        """Read what a project has that is not read yet, or is read otherwise now."""
        before, self._followed = self._followed, project
        for asset in project.assets.values() if project.assets is not before.assets else ():
            if self._assets.get(asset.id) != asset:
                self._assets[asset.id] = asset
                self.loading.add(asset.id)
                self._submit(partial(self._load_model, asset))
        for texture in project.textures.values() if project.textures is not before.textures else ():
            if self._textures.get(texture.id) != texture:
                self._textures[texture.id] = texture
                self._submit(partial(self._load_image, texture))
        if project.gradients is not before.gradients or project.palettes is not before.palettes:
            self._follow_ramps(before, project)

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

    def _load_image(self, texture: Texture) -> None:
        try:
            image: Image | None = load_texture(texture, self.folder)
            notices: list[Notice] = []
        except BadFile as error:
            image, notices = None, [Notice(Severity.ERROR, "texture", str(error), texture.id)]
        self._read.emit(lambda: self._take(self.images, texture.id, image, notices))

    def _load_model(self, asset: Asset) -> None:
        try:
            model: Model | None = load_model(asset, self.folder)
            assert model is not None
            notices = _remarks(asset, model)
        except BadFile as error:
            model, notices = None, [Notice(Severity.ERROR, "mesh", str(error), asset.id)]
        self._read.emit(lambda: self._take(self.models, asset.id, model, notices))

    def _take(self, held: dict[str, T], record_id: str, read: T | None, notices: list[Notice]) -> None:
        """Hold what was read of an asset's or texture's file, or nothing where it could not be."""
        self.loading.discard(record_id)
        if read:
            held[record_id] = read
        else:
            held.pop(record_id, None)
        self.notices[record_id] = notices
        self.changed.emit()


def _remarks(asset: Asset, model: Model) -> list[Notice]:
    return [Notice(Severity.INFO, "mesh", remark, asset.id) for remark in model.remarks]
