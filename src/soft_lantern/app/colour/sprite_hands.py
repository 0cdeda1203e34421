"""What hands do with the sprites of a palette: take their colours, index them, check them, recolour them."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QFileDialog, QMenu

from soft_lantern.app.colour.extract_dialog import ExtractDialog
from soft_lantern.app.colour.recolour_dialog import RecolourDialog
from soft_lantern.app.session import sentence
from soft_lantern.app.widgets.passing import passing
from soft_lantern.errors import LanternError
from soft_lantern.formats.images import READABLE_IMAGES, read_image
from soft_lantern.formats.sprites import Picture, Sprites, file_traps, indexed, pictures_in, pixels_of
from soft_lantern.graph.document import Palette, changed
from soft_lantern.graph.palettes import index_traps
from soft_lantern.graph.ramps import side_of
from soft_lantern.graph.swap_sets import base_of, with_palette

if TYPE_CHECKING:
    from soft_lantern.app.colour.palette_page import PalettePage

IMAGES = f"Images ({' '.join(f'*{suffix}' for suffix in READABLE_IMAGES)})"


class SpriteHands:
    """The hands of one palette page."""

    def __init__(self, page: PalettePage) -> None:
        self.page, self.session = page, page.session

    def menu(self) -> QMenu:
        """What can be done with sprites."""
        menu = passing(QMenu(self.page))
        menu.addAction("Add sprites…", self._choose_sprites)
        menu.addAction("Add a folder of sprites…", self._choose_folder)
        menu.addAction("Colours from images…", self._choose_extract)
        menu.addAction("Check an image of indices…", self._choose_check)
        menu.addAction("Recolour without an index…", self._choose_recolour)
        return menu

    def add_sprites(self, paths: list[Path]) -> None:
        """Index pictures of files and folders into this palette, beside the window."""
        session, base = self.session, base_of(self.session.project, self.page.palette_id)
        assert base
        folder = session.folder
        session.beside(
            "Indexing sprites",
            lambda task: indexed(pictures_in(paths, task), base, folder, task),
            self._take_sprites,
        )

    def extract(self, paths: list[Path]) -> None:
        """Choose the colours of pictures for this palette, and index the pictures."""
        self.session.beside("Reading images", lambda task: pictures_in(paths, task), self.choose_colours)

    def choose_colours(self, pictures: list[Picture]) -> None:
        """The same for pictures that are read."""
        if self.page.palette_id not in self.session.project.palettes:  # gone meanwhile
            return
        self.dialog = passing(ExtractDialog(pictures, self.page.palette_, self._take_extracted, self.page))
        self.dialog.open()

    def check_indices(self, path: Path) -> None:
        """Say what has gone wrong with an image of indices."""
        try:
            pixels = pixels_of(read_image(path, "data"))
        except LanternError as error:
            self.page.words.setText(sentence(str(error)))
            return
        palette = self.page.palette_
        told = [*file_traps(path), *index_traps(pixels, side_of(palette), len(palette.colours))]
        self.page.words.setText(
            f"{path.name}: {'; '.join(told)}" if told else f"{path.name}: sound indices, each in a cell"
        )

    def recolour(self, path: Path) -> None:
        """Compare ways to recolour a picture without an index."""
        self.session.beside(f"Reading {path.name}", lambda task: pictures_in([path], task), self._open_recolour)

    def _open_recolour(self, pictures: list[Picture]) -> None:
        self.recolouring = passing(RecolourDialog(self.session, pictures[0], self.page))
        self.recolouring.show()

    def _take_sprites(self, made: Sprites) -> None:
        session = self.session
        session.images |= made.images
        textures = {**session.project.textures, **{texture.id: texture for texture in made.textures}}
        session.apply("Add sprites", changed(session.project, textures=textures))
        self._say_missing(made)

    def _say_missing(self, made: Sprites) -> None:
        short = {texture.name: len(made.missing[texture.id]) for texture in made.textures if made.missing[texture.id]}
        if short:
            listed = ", ".join(f"{name} {count}" for name, count in short.items())
            self.page.words.setText(f"Colours that are not in the palette got the nearest one: {listed}")
        else:
            self.page.words.setText(
                f"{len(made.textures)} sprite(s); every colour is in the palette, so they decode exactly"
            )

    def _take_extracted(self, palette: Palette, pictures: list[Picture]) -> None:
        session = self.session

        def take(made: Sprites) -> None:
            session.images |= made.images
            project = with_palette(session.project, palette)
            textures = {**project.textures, **{texture.id: texture for texture in made.textures}}
            session.apply("Take colours from images", changed(project, textures=textures))
            self._say_missing(made)

        folder = session.folder
        session.beside("Indexing sprites", lambda task: indexed(pictures, palette, folder, task), take)

    def _choose_sprites(self) -> None:
        names, _ = QFileDialog.getOpenFileNames(self.page, "Sprites", "", IMAGES)
        if names:
            self.add_sprites([Path(name) for name in names])

    def _choose_folder(self) -> None:
        name = QFileDialog.getExistingDirectory(self.page, "A folder of sprites")
        if name:
            self.add_sprites([Path(name)])

    def _choose_extract(self) -> None:
        names, _ = QFileDialog.getOpenFileNames(self.page, "Colours from", "", IMAGES)
        if names:
            self.extract([Path(name) for name in names])

    def _choose_check(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self.page, "An image of indices", "", IMAGES)
        if name:
            self.check_indices(Path(name))

    def _choose_recolour(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self.page, "Recolour", "", IMAGES)
        if name:
            self.recolour(Path(name))
