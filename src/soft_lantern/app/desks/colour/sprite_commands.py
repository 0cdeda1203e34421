"""What hands do with the sprites of a palette: take their colours, index them, check them, recolour them."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QMenu, QWidget

from soft_lantern.app.desks.colour.extract_dialog import ExtractDialog
from soft_lantern.app.desks.colour.recolour_dialog import RecolourDialog
from soft_lantern.app.session.session import Session, sentence
from soft_lantern.app.widgets.passing import passing
from soft_lantern.errors import LanternError
from soft_lantern.formats.images import READABLE_IMAGES, read_image, write_png
from soft_lantern.formats.sprites import (
    Picture,
    Sprites,
    already_there,
    file_traps,
    indexed,
    named,
    pictures_in,
    pixels_of,
)
from soft_lantern.graph.document import Palette, Project, new_id, with_records
from soft_lantern.graph.palettes.indexing import index_image, index_traps
from soft_lantern.graph.palettes.sprite_material import with_card, with_sprite_material
from soft_lantern.graph.palettes.swap_sets import base_of, sprites_of, with_palette
from soft_lantern.graph.ramps.images import side_of
from soft_lantern.graph.scenes import new_scene
from soft_lantern.progress import Progress
from soft_lantern.values.words import counted

IMAGES = f"Images ({' '.join(f'*{suffix}' for suffix in READABLE_IMAGES)})"


class SpriteCommands(QObject):
    """What is done to the sprites of a palette, which `palette` gives as it is now; questions are asked over `over`."""

    told = pyqtSignal(str)
    """What came of it, in words."""
    made = pyqtSignal(str)
    """The id of a palette that is new."""

    def __init__(self, session: Session, palette: Callable[[], Palette | None], over: QWidget) -> None:
        super().__init__(over)
        self.session, self.palette, self.over = session, palette, over

    def menu(self) -> QMenu:
        """What can be done with sprites."""
        menu = passing(QMenu(self.over))
        menu.addAction("New sprite material from an image…", self.choose_material)
        menu.addAction("Add sprites…", self._choose_sprites)
        menu.addAction("Add a folder of sprites…", self._choose_folder)
        menu.addAction("Colours from images…", self._choose_extract)
        menu.addAction("Write index image…", self.choose_index)
        menu.addAction("Check an image of indices…", self._choose_check)
        menu.addAction("Recolour without an index…", self._choose_recolour)
        return menu

    def add_sprites(self, paths: list[Path]) -> None:
        """Index pictures of files and folders into this palette, beside the window; ask about those that are there."""
        session, palette = self.session, self.palette()
        base = base_of(session.project, palette.id) if palette else None
        if base is None:
            return
        known_sprites = sprites_of(session.project, base.id)
        here = {each.name: session.images[each.id] for each in known_sprites if each.id in session.images}

        def read(task: Progress) -> tuple[list[Picture], dict[str, str]]:
            pictures = pictures_in(paths, task)
            return pictures, already_there(pictures, base, here)

        def decide(found: tuple[list[Picture], dict[str, str]]) -> None:
            pictures, known = found
            fresh = [each for each in pictures if each.name not in known]
            if not known:
                self._index(pictures)
                return
            told = ", ".join(f"{name} (as {sprite})" for name, sprite in known.items())
            answers = {
                "Leave out what is there": lambda: self._index(fresh),
                "Add all once more": lambda: self._index(pictures),
            }
            session.asked.emit("sprites", f"Here already: {told}", answers)

        session.beside("Reading images", read, decide)

    def _index(self, pictures: list[Picture]) -> None:
        session, palette, folder = self.session, self.palette(), self.session.folder
        base = base_of(session.project, palette.id) if palette else None
        if base and pictures:
            session.beside("Indexing sprites", lambda task: indexed(pictures, base, folder, task), self._take_sprites)

    def new_material(self, paths: list[Path]) -> None:
        """A sprite of a picture, with a palette, a material and a card that wears it, ready to be tuned."""

        def choose(pictures: list[Picture]) -> None:
            palette = Palette(id=new_id("palette"), name=named(pictures[0].name))
            self.dialog = passing(ExtractDialog(pictures[:1], palette, self._take_new, self.over))
            self.dialog.open()

        self.session.beside("Reading images", lambda task: pictures_in(paths, task), choose)

    def _take_new(self, palette: Palette, pictures: list[Picture]) -> None:
        session, folder = self.session, self.session.folder
        scene = session.scene or new_scene(session.project)
        material_id, object_id = new_id("material"), new_id("object")

        def take(made: Sprites) -> None:
            session.images |= made.images
            (texture,) = made.textures

            def edit(project: Project) -> Project:
                project = with_records(with_palette(project, palette), texture)
                if scene.id not in project.scenes:
                    project = with_records(project, scene)
                project = with_sprite_material(project, palette.id, texture, material_id)
                image = made.images[texture.id]
                ratio = image.width / image.height
                return with_card(project, scene.id, material_id, object_id, texture.name, ratio=ratio)

            if session.apply("New sprite material", edit):
                session.open_scene(scene.id)
                session.open_material(material_id)
                session.frame_all(object_id)
                self.made.emit(palette.id)
                self._say_missing(made)

        session.beside("Indexing sprites", lambda task: indexed(pictures, palette, folder, task), take)

    def choose_material(self) -> None:
        """Ask for the picture of which a sprite is to be made."""
        name, _ = QFileDialog.getOpenFileName(self.over, "New sprite material from", "", IMAGES)
        if name:
            self.new_material([Path(name)])

    def extract(self, paths: list[Path]) -> None:
        """Choose the colours of pictures for this palette, and index the pictures."""
        self.session.beside("Reading images", lambda task: pictures_in(paths, task), self.choose_colours)

    def choose_colours(self, pictures: list[Picture]) -> None:
        """The same for pictures that are read."""
        palette = self.palette()
        if palette:  # it may be gone by now
            self.dialog = passing(ExtractDialog(pictures, palette, self._take_extracted, self.over))
            self.dialog.open()

    def check_indices(self, path: Path) -> None:
        """Say what has gone wrong with an image of indices."""
        palette = self.palette()
        if palette is None:
            return
        try:
            pixels = pixels_of(read_image(path, "data"))
        except LanternError as error:
            self.told.emit(sentence(str(error)))
            return
        wrong = [*file_traps(path), *index_traps(pixels, side_of(palette), len(palette.colours))]
        self.told.emit(f"{path.name}: {'; '.join(wrong) if wrong else 'sound indices, each in a cell'}")

    def write_index(self, picture: Path, target: Path) -> None:
        """Write the indices of a picture's colours in this palette as an image: red the column, green the row."""
        palette = self.palette()
        if palette is None:
            return
        try:
            made = index_image(pixels_of(read_image(picture, "data")), palette)
            write_png(made.pixels, target)
        except LanternError as error:
            self.told.emit(sentence(str(error)))
            return
        missing = f"; {counted(len(made.missing), 'colour')} not in the palette got the nearest" if made.missing else ""
        self.told.emit(f"Wrote {target.name}: read it by nearest texel, as data{missing}")

    def choose_index(self) -> None:
        """Ask for a picture and where its indices are to be written."""
        name, _ = QFileDialog.getOpenFileName(self.over, "Index a picture", "", IMAGES)
        if name:
            wish = str(Path(name).with_name(f"{Path(name).stem}_index.png"))
            target, _ = QFileDialog.getSaveFileName(self.over, "Write index image", wish, "PNG (*.png)")
            if target:
                self.write_index(Path(name), Path(target))

    def recolour(self, path: Path) -> None:
        """Compare ways to recolour a picture without an index."""
        self.session.beside(f"Reading {path.name}", lambda task: pictures_in([path], task), self._open_recolour)

    def _open_recolour(self, pictures: list[Picture]) -> None:
        self.recolouring = passing(RecolourDialog(self.session, pictures[0], self.over))
        self.recolouring.show()

    def _take_sprites(self, made: Sprites) -> None:
        self.session.images |= made.images
        self.session.apply("Add sprites", lambda project: with_records(project, *made.textures))
        self._say_missing(made)

    def _say_missing(self, made: Sprites) -> None:
        short = {texture.name: len(made.missing[texture.id]) for texture in made.textures if made.missing[texture.id]}
        if short:
            listed = ", ".join(f"{name} {count}" for name, count in short.items())
            self.told.emit(f"Colours that are not in the palette got the nearest one: {listed}")
        else:
            self.told.emit(
                f"{counted(len(made.textures), 'sprite')}; every colour is in the palette, so they decode exactly"
            )

    def _take_extracted(self, palette: Palette, pictures: list[Picture]) -> None:
        session = self.session

        def take(made: Sprites) -> None:
            session.images |= made.images
            session.apply(
                "Take colours from images",
                lambda project: with_records(with_palette(project, palette), *made.textures),
            )
            self._say_missing(made)

        folder = session.folder
        session.beside("Indexing sprites", lambda task: indexed(pictures, palette, folder, task), take)

    def _choose_sprites(self) -> None:
        names, _ = QFileDialog.getOpenFileNames(self.over, "Sprites", "", IMAGES)
        if names:
            self.add_sprites([Path(name) for name in names])

    def _choose_folder(self) -> None:
        name = QFileDialog.getExistingDirectory(self.over, "A folder of sprites")
        if name:
            self.add_sprites([Path(name)])

    def _choose_extract(self) -> None:
        names, _ = QFileDialog.getOpenFileNames(self.over, "Colours from", "", IMAGES)
        if names:
            self.extract([Path(name) for name in names])

    def _choose_check(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self.over, "An image of indices", "", IMAGES)
        if name:
            self.check_indices(Path(name))

    def _choose_recolour(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self.over, "Recolour", "", IMAGES)
        if name:
            self.recolour(Path(name))
