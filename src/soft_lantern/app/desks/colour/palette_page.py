"""The editor of one palette: its cells, the sprites that index it, and the palettes that swap for it."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QPushButton,
    QSpinBox,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from soft_lantern.app.desks.colour.sprite_commands import SpriteCommands
from soft_lantern.app.desks.colour.swap_cards import SwapCards
from soft_lantern.app.desks.colour.swap_making import SwapMaking
from soft_lantern.app.session.session import Session
from soft_lantern.app.widgets.buttons import below
from soft_lantern.app.widgets.choices import fill
from soft_lantern.app.widgets.colour_button import ColourButton
from soft_lantern.app.widgets.labels import heading_label, plain_label, quiet_label, side_by_side
from soft_lantern.app.widgets.palette_grid import PaletteGrid
from soft_lantern.app.widgets.picture_picker import PictureBox
from soft_lantern.formats.sprites import pixels_of, reencoded_sprites
from soft_lantern.graph.document import Palette, Pick, Project, changed, new_id, with_records
from soft_lantern.graph.palettes.indexing import (
    Pixels,
    capacity,
    hue_turned,
    mapped,
    recoloured,
    room_words,
    shades_like,
)
from soft_lantern.graph.palettes.sprite_material import ready_material
from soft_lantern.graph.palettes.swap_sets import (
    base_of,
    edited_palette,
    grown,
    pick_of_swaps,
    showing,
    sprites_of,
    swap_of,
    swap_set,
)
from soft_lantern.graph.ramps.images import side_of
from soft_lantern.progress import Progress
from soft_lantern.values.images import Image
from soft_lantern.values.words import counted

Linear = tuple[float, float, float, float]


class PalettePage(QWidget):
    """Edits the palette that is shown; `chosen` tells the id of another one of its swap set."""

    chosen = pyqtSignal(str)
    file_wanted = pyqtSignal()

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.palette_id = ""
        self.grid = PaletteGrid(Palette(id="", name=""))
        self.grid.setMaximumHeight(190)
        self.colour = ColourButton(hdr=False)
        self.colour.setAccessibleName("colour of the cell")
        self.add, self.remove, self.lock = QToolButton(), QToolButton(), QToolButton()
        for button, words in ((self.add, "Add"), (self.remove, "Remove"), (self.lock, "Lock")):
            button.setText(words)
        self.lock.setToolTip("Colours that generating leaves as they are")
        self.side = QSpinBox()
        self.side.setRange(2, 256)
        self.side.setAccessibleName("cells along an edge")
        self.side.setKeyboardTracking(False)
        self.grow = QPushButton("Grow")
        self.grow.setToolTip("Another number of cells; sprites are encoded anew, each colour staying the same")
        self.room = plain_label()
        self.room.setWordWrap(True)
        self.sprite = PictureBox("Which sprite? Part of its name")
        self.sprite.setAccessibleName("sprite")
        self.sprite.setMinimumWidth(150)
        self.cards = SwapCards()
        self.words = quiet_label(wraps=True)
        self.making = SwapMaking()
        self.seed = QSpinBox()
        self.seed.setRange(0, 9999)
        self.seed.setAccessibleName("seed")
        self.pick = QPushButton("Pick for objects")
        self.pick.setToolTip("Each object that wears the pick gets one of these palettes by chance, by the seed")
        self.more = QToolButton()
        self.more.setText("Sprites")
        self.file = QPushButton("To a file…")
        self._indices: tuple[Image | None, Pixels | None] = (None, None)
        self.sprites = SpriteCommands(session, self._palette, self)
        self.sprites.told.connect(self.words.setText)
        self._lay_out()
        self.grid.chosen.connect(self._show_cell)
        self.grid.add_wanted.connect(self.add_colour)
        self.grid.remove_wanted.connect(self.remove_colours)
        self.grid.edit_wanted.connect(self._edit_in_place)
        self.colour.changed.connect(self._recolour)
        self.add.clicked.connect(lambda _: self.add_colour())
        self.remove.clicked.connect(lambda _: self.remove_colours())
        self.lock.clicked.connect(lambda _: self.toggle_locks())
        self.grow.clicked.connect(lambda _: self.grow_to(self.side.value()))
        self.sprite.activated.connect(lambda _: self._show_cards())
        self.cards.chosen.connect(self.chosen)
        self.making.turn_wanted.connect(self._turn)
        self.making.map_wanted.connect(self._map)
        self.making.bring_wanted.connect(self._bring)
        self.pick.clicked.connect(lambda _: self.make_pick())
        self.more.clicked.connect(lambda _: self.sprites.menu().popup(below(self.more)))
        self.file.clicked.connect(lambda _: self.file_wanted.emit())

    def _palette(self) -> Palette | None:
        return self.session.project.palettes.get(self.palette_id)

    @property
    def palette_(self) -> Palette:
        """The palette that is shown."""
        return self.session.project.palettes[self.palette_id]

    def show_palette(self, palette_id: str) -> None:
        """Show a palette of the project as it is now."""
        if palette_id != self.palette_id:
            self.words.setText("")
        self.palette_id = palette_id
        palette, project = self.palette_, self.session.project
        self.grid.show_palette(palette)
        blocked = self.side.blockSignals(True)
        self.side.setValue(side_of(palette))
        self.side.blockSignals(blocked)
        is_base = not palette.swaps or palette.swaps not in project.palettes
        for button in (self.add, self.remove, self.grow):
            button.setEnabled(is_base)
        self.side.setEnabled(is_base)
        base = base_of(project, palette_id)
        told = "" if is_base or base is None else f"Swaps for {base.name}, which says how many colours there are. "
        self.room.setText(told + room_words(palette))
        full = capacity(palette)[1] == 0 or capacity(palette)[0] > side_of(palette) * (side_of(palette) - 1)
        style = self.room.style()
        if style and self.room.property("trouble") != full:
            self.room.setProperty("trouble", full)
            style.polish(self.room)
        self.making.show_gradients(sorted((each.name, each.id) for each in project.gradients.values()))
        sprites = [(texture.name, texture.id) for texture in sprites_of(project, palette_id)]
        shown = self.sprite.currentData()
        fill(self.sprite, sprites, shown if shown in [key for _, key in sprites] else sprites[0][1] if sprites else "")
        self._show_cell()
        self._show_cards()

    # Cells

    def add_colour(self) -> None:
        """Add a colour in the first spare cell: the current one once more."""
        palette = self.palette_
        colour = palette.colours[self.grid.at] if palette.colours else (0.5, 0.5, 0.5, 1.0)
        self._edit("Add colour", lambda now: changed(now, colours=(*now.colours, colour)))
        self.grid.select(len(palette.colours))

    def remove_colours(self) -> None:
        """Take the last colours away; one that sprites may name stays where it is."""
        palette, count = self.palette_, len(self.palette_.colours)
        gone = sorted(self.grid.selected)
        if gone != list(range(count - len(gone), count)) and sprites_of(self.session.project, palette.id):
            self.session.told.emit("Only the last colours can go while sprites name the cells: others would move up")
            return
        kept = tuple(colour for place, colour in enumerate(palette.colours) if place not in gone)
        if not kept:
            self.session.told.emit("A palette keeps at least one colour")
            return
        locked = tuple(place for place in palette.locked if place < len(kept))
        self._edit("Remove colours", lambda now: changed(now, colours=kept, locked=locked))

    def toggle_locks(self) -> None:
        """Lock the selected colours, or free them where all are locked."""
        palette, chosen = self.palette_, self.grid.selected
        locked = set(palette.locked)
        locked = locked - chosen if chosen <= locked else locked | chosen
        self._edit("Lock colours", lambda now: changed(now, locked=tuple(sorted(locked))))

    def grow_to(self, side: int) -> None:
        """Give the palette another number of cells, and encode its sprites anew, beside the window."""
        session, palette, project = self.session, self.palette_, self.session.project
        folder = session.folder

        def work(progress: Progress) -> dict[str, str]:
            return reencoded_sprites(project, palette, side, folder, progress)

        def take(files: dict[str, str]) -> None:
            if session.apply(f"Grow {palette.name}", lambda now: grown(now, palette.id, side, files)):
                session.told.emit(f"{palette.name}: {side} × {side} cells; {counted(len(files), 'sprite')} re-encoded")

        if side != side_of(palette):
            session.beside(f"Growing {palette.name}", work, take)

    # Swap sets

    def make_pick(self) -> None:
        """Make a pick of the swap set, or give the one there is another seed."""
        session, palette_id, seed = self.session, self.palette_id, self.seed.value()
        picks: list[Pick] = []

        def with_pick(project: Project) -> Project:
            if showing(project, palette_id) is None:
                project = ready_material(project, palette_id, new_id("material"))
            project, pick = pick_of_swaps(project, palette_id, seed)
            picks.append(pick)
            return project

        if session.apply("Pick palettes by chance", with_pick):
            pick = picks[-1]
            words = f"{pick.name}: drop it on objects from the Tune desk; each gets one of {len(pick.looks)}"
            session.told.emit(words)

    def _generate(self, how: str, make: Callable[[Palette], Palette]) -> None:
        palette = self.palette_
        made = swap_of(self.session.project, palette, f"{palette.name} {how}", make(palette).colours)
        self.session.apply("Make a palette", lambda project: with_records(project, made))
        self.chosen.emit(made.id)

    def _turn(self, degrees: float) -> None:
        self._generate("turned", lambda palette: hue_turned(palette, degrees, _locked(palette)))

    def _map(self, gradient_id: str, in_order: bool, reverse: bool) -> None:
        gradient = self.session.project.gradients.get(gradient_id)
        if gradient:
            self._generate(
                f"by {gradient.name}",
                lambda palette: mapped(palette, gradient, _locked(palette), in_order=in_order, reverse=reverse),
            )

    def _bring(self, wanted: Linear) -> None:
        """Bring a ramp to another colour: the selected cells, or all that are shades of the one."""
        palette, base = self.palette_, self.grid.at
        ramp = tuple(sorted(self.grid.selected)) if len(self.grid.selected) > 1 else shades_like(palette, base)
        ramp = tuple(place for place in ramp if place not in palette.locked)
        self._generate("recoloured", lambda p: recoloured(p, ramp, base, wanted))

    def _edit_in_place(self) -> None:
        """Let the current cell get another colour where it is."""
        if self.palette_.colours:
            self.colour.open_picker(self.grid.mapToGlobal(self.grid.cell(self.grid.at).bottomRight().toPoint()))

    # What is shown

    def _show_cell(self) -> None:
        palette = self.grid.shown
        if palette.colours:
            self.colour.show_value(palette.colours[self.grid.at])
        self.lock.setText("Free" if self.grid.selected <= set(palette.locked) else "Lock")

    def _show_cards(self) -> None:
        project, palette = self.session.project, self.palette_
        palettes = swap_set(project, palette.id)
        side = side_of(palettes[0])
        self.cards.show_swaps(palettes, self._indices_of(self.sprite.currentData() or ""), side, palette.id)

    def _indices_of(self, texture_id: str) -> Pixels | None:
        image = self.session.images.get(texture_id)
        if image is not self._indices[0]:
            self._indices = (image, None if image is None else pixels_of(image))
        return self._indices[1]

    def _recolour(self, colour: Linear) -> None:
        chosen = frozenset(self.grid.selected)

        def coloured(palette: Palette) -> Palette:
            colours = tuple(colour if place in chosen else each for place, each in enumerate(palette.colours))
            return changed(palette, colours=colours)

        self._edit("Change colour", coloured, f"palette {self.palette_id} {sorted(chosen)}")

    def _edit(self, name: str, edit: Callable[[Palette], Palette], merge: str = "") -> None:
        palette_id = self.palette_id
        self.session.apply(name, lambda project: edited_palette(project, palette_id, edit), merge)

    def _lay_out(self) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(6, 10, 6, 8)
        column.setSpacing(6)
        top = QHBoxLayout()
        top.addWidget(self.grid, 2)
        side = QVBoxLayout()
        side.addWidget(self.colour)
        side.addWidget(side_by_side(self.add, self.remove, self.lock))
        side.addWidget(side_by_side(plain_label("Cells"), self.side, self.grow))
        side.addWidget(self.room)
        side.addStretch(1)
        top.addLayout(side, 2)
        column.addLayout(top, 2)
        column.addWidget(heading_label("Make one more palette for the same cells"))
        column.addWidget(self.making)
        column.addWidget(side_by_side(self.pick, plain_label("seed"), self.seed))
        column.addWidget(side_by_side(heading_label("Sprite"), self.sprite, self.more, self.file))
        column.addWidget(self.cards, 3)
        column.addWidget(self.words)


def _locked(palette: Palette) -> frozenset[int]:
    return frozenset(palette.locked)
