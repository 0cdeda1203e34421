"""The Colour desk: the project's gradients and palettes, and a live picture of what uses them."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QPushButton,
    QScrollArea,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from soft_lantern.app.command import Command
from soft_lantern.app.desks.colour.atlas_dialog import AtlasDialog
from soft_lantern.app.desks.colour.gradient_page import FIRST, GradientPage
from soft_lantern.app.desks.colour.gradient_sources import GRADIENT_FILES, GradientSources
from soft_lantern.app.desks.colour.palette_page import PalettePage
from soft_lantern.app.desks.colour.ramp_list import RampList, in_order
from soft_lantern.app.desks.colour.used_by import UsedBy
from soft_lantern.app.desks.desk import Desk
from soft_lantern.app.session.session import Session
from soft_lantern.app.stage.stage_bar import StageBar, with_bar
from soft_lantern.app.stage.stage_view import StageView
from soft_lantern.app.widgets.buttons import tool_button
from soft_lantern.app.widgets.halves import halves
from soft_lantern.app.widgets.labels import plain_label
from soft_lantern.app.widgets.passing import passing
from soft_lantern.app.widgets.when_seen import WhenSeen
from soft_lantern.app.work.beside import NewestAnswer
from soft_lantern.app.work.mishaps import each_by_itself
from soft_lantern.app.work.timers import single_shot
from soft_lantern.formats.ramps import Ramp, read_ramps, write_ramp
from soft_lantern.graph.document import Gradient, Palette, Project, changed, new_id, with_records, without_record
from soft_lantern.graph.instances.picks import ramps_worn, worn_materials
from soft_lantern.graph.instances.values import ancestry
from soft_lantern.graph.palettes.swap_sets import swap_set, with_palette
from soft_lantern.graph.records import users
from soft_lantern.render.ramp_usage import Usage, usage_of
from soft_lantern.render.staging import LoweredMaterials
from soft_lantern.render.worker import RenderWorker
from soft_lantern.values.words import counted

PALETTE_FILES = "Palettes (*.gpl *.json)"


class ColourDesk(Desk):
    """Where gradients and palettes are made and tuned."""

    place = "ramp"

    def __init__(self, session: Session, worker: RenderWorker, parent: QWidget | None = None) -> None:
        super().__init__(session, worker, parent)
        self.list = RampList()
        self.add_gradient, self.add_palette = QPushButton("New gradient"), QPushButton("New palette")
        self.duplicate_button = tool_button("Duplicate", self.duplicate)
        self.delete_button = tool_button("Delete", self.delete)
        self.bring = tool_button("From a file…", self.choose_file)
        self.gradient_page, self.palette_page = GradientPage(), PalettePage(session)
        self.pages = QStackedWidget()
        self.stage = StageView(session, worker, "colour")
        self.stage_bar = StageBar(session, self.stage)
        self.stage_bar.probe.hide()  # a trace shows on the canvas, which is not here
        self._users = UsedBy()
        self.used_by = self._users.label
        self.used_by.linkActivated.connect(self.show_user)
        self._lowered_materials = LoweredMaterials()
        self._usage = NewestAnswer("usage", self, self._take_usage, session.told.emit)
        self._measuring = single_shot(self, 120, self._measure)
        self._lay_out()
        self.list.currentItemChanged.connect(lambda *_: self._show())
        self.list.renamed.connect(self._renamed)
        self.add_gradient.clicked.connect(lambda _: self.new_gradient())
        self.add_palette.clicked.connect(lambda _: self.new_palette())
        page = self.gradient_page
        self.sources = GradientSources(session, page, self._gradient, lambda: self.stage.pictures.linear, self)
        self.sources.taken.connect(self.put)
        self.sources.file_wanted.connect(self.choose_file)
        self.sources.chosen_wanted.connect(self.choose)
        page.changed.connect(lambda gradient, name: self.put(name, gradient, f"{name} {gradient.id}"))
        page.source_wanted.connect(self.sources.take_from)
        page.atlas_wanted.connect(self.open_atlas)
        page.file_wanted.connect(self._choose_target)
        self.palette_page.chosen.connect(self.choose)
        self.palette_page.sprites.made.connect(self.choose)
        self.palette_page.file_wanted.connect(self._choose_target)
        catch_up = WhenSeen(self, self.refresh)
        session.changed.connect(catch_up)
        session.models_changed.connect(catch_up)
        session.view_changed.connect(lambda: self._measuring.start() if self.isVisible() else None)
        each_by_itself(self.refresh)
        self.list.setCurrentRow(0)
        seen = ramps_worn(session.project, session.scene) if session.scene else []
        if seen:
            self.choose(seen[0])

    def stop(self) -> None:
        """Stop what runs beside the window."""
        self._usage.stop()
        super().stop()

    @property
    def chosen(self) -> str:
        """The id of what is chosen in the list, "" where nothing is."""
        return self.list.chosen

    def choose(self, ramp_id: str) -> None:
        """Choose a gradient or palette."""
        self.list.choose(ramp_id)

    @property
    def in_hand(self) -> str:
        return self.chosen

    def show_record(self, record_id: str, part: str = "") -> None:
        self.choose(record_id)

    def refresh(self) -> None:
        """Show how things are."""
        self.list.show_ramps(in_order(self.session.project), self.session.project.palettes)
        self._show()

    # The list

    def new_gradient(self) -> None:
        """Add a gradient of two stops."""
        made = Gradient(id=new_id("gradient"), name=f"Gradient {len(self.session.project.gradients) + 1}", stops=FIRST)
        self.put("Add gradient", made)
        self.choose(made.id)

    def new_palette(self) -> None:
        """Add a palette of one colour."""
        name = f"Palette {len(self.session.project.palettes) + 1}"
        made = Palette(id=new_id("palette"), name=name, colours=((0.5, 0.5, 0.5, 1.0),))
        self.put("Add palette", made)
        self.choose(made.id)

    def duplicate(self) -> None:
        """Make a copy of what is chosen; of a palette, one of the same swap set."""
        ramp = self._ramp()
        if isinstance(ramp, Gradient):
            made: Ramp = changed(ramp, id=new_id("gradient"), name=f"{ramp.name} copy")
        elif ramp:
            made = changed(ramp, id=new_id("palette"), name=f"{ramp.name} copy", swaps=ramp.swaps or ramp.id)
        else:
            return
        self.put(f"Duplicate {made.name}", made)
        self.choose(made.id)

    def delete(self) -> None:
        """Take what is chosen away; what used it says so, and it comes back by undoing."""
        project, ramp = self.session.project, self._ramp()
        if ramp is None:
            return
        names = dict.fromkeys(place.home for place in users(project, ramp.id))
        table = "gradients" if isinstance(ramp, Gradient) else "palettes"
        self.session.apply(f"Delete {ramp.name}", lambda now: without_record(now, table, ramp.id))
        if names:
            self.session.told.emit(f"{ramp.name} was used by {', '.join(names)}: grey stands in now")

    # Files

    def open_file(self, path: Path) -> None:
        """Take in the gradient or palettes of a file, by its ending; where it holds none, say why."""
        ramps: list[Ramp] = []
        if not self.session.attempt(lambda: ramps.extend(read_ramps(path))):
            return

        def imported(project: Project) -> Project:
            for ramp in ramps:
                project = _with(project, ramp)
            return project

        self.session.apply(f"Import {ramps[0].name}", imported)
        self.choose(ramps[0].id)

    def write_file(self, path: Path) -> None:
        """Write what is chosen to a file, by its ending; as JSON, the whole swap set; as PNG, a palette's cells."""
        ramp, project = self._ramp(), self.session.project
        if ramp and self.session.attempt(lambda: write_ramp(ramp, swap_set(project, ramp.id), path)):
            self.session.told.emit(f"Wrote {path}")

    def open_atlas(self) -> None:
        """Choose what goes into an atlas, and write it."""
        self.dialog = passing(AtlasDialog(self.session, self.chosen, self))
        self.dialog.open()

    # What is shown

    def _show(self) -> None:
        project, chosen = self.session.project, self.chosen
        for button in (self.delete_button, self.duplicate_button):
            button.setEnabled(bool(chosen))
        if chosen in project.gradients:
            self.pages.setCurrentIndex(1)
            self.gradient_page.show_gradient(project.gradients[chosen])
            self._measuring.start()
        elif chosen in project.palettes:
            self.pages.setCurrentIndex(2)
            self.palette_page.show_palette(chosen)
        else:
            self.pages.setCurrentIndex(0)
        self._users.show(project, chosen)

    def show_user(self, user_id: str) -> None:
        """Choose a palette, or open the graph of what uses one, and put a scene on the stage that wears it."""
        session, project = self.session, self.session.project
        if user_id in project.palettes:
            self.choose(user_id)
            return
        graph_id = _graph_of(project, user_id)
        scenes = [scene_id for scene_id in sorted(project.scenes) if worn_materials(project, scene_id)[graph_id]]
        if scenes and session.scene_id not in scenes:
            session.open_scene(scenes[0])
        session.open_material(graph_id)

    def _measure(self) -> None:
        """Measure which part of the chosen gradient the stage uses, beside the window."""
        session, chosen = self.session, self.chosen
        project, scene, models, view = session.project, session.scene, dict(session.models), session.view
        images, looks = dict(session.images), self._lowered_materials
        if scene is None or chosen not in project.gradients:
            return
        self._usage.ask(
            lambda: (chosen, usage_of(project, chosen, scene, models, view, images, looks)),
        )

    def _take_usage(self, found: tuple[str, Usage]) -> None:
        gradient_id, usage = found
        if gradient_id == self.chosen:
            pixels = int(usage.counts.sum())
            words = (
                f"{usage.low:.3f} to {usage.high:.3f}, by {counted(usage.parts, 'part')} in sight"
                if pixels
                else "Not in sight"
            )
            self.gradient_page.usage.show_usage([int(count) for count in usage.counts], words)

    def _gradient(self) -> Gradient | None:
        return self.session.project.gradients.get(self.chosen)

    def _ramp(self) -> Ramp | None:
        project = self.session.project
        return project.gradients.get(self.chosen) or project.palettes.get(self.chosen)

    def put(self, name: str, ramp: Ramp, merge: str = "") -> None:
        """Put a gradient or palette into the project, or in place of the one of its id."""
        self.session.apply(name, lambda project: _with(project, ramp), merge)

    def _renamed(self, ramp_id: str, name: str) -> None:
        project = self.session.project
        ramp = project.gradients.get(ramp_id) or project.palettes.get(ramp_id)
        if ramp and name and name != ramp.name:
            self.put("Rename", changed(ramp, name=name))
        else:
            self.refresh()

    def choose_file(self, kinds: str = f"{GRADIENT_FILES};;{PALETTE_FILES}") -> None:
        """Ask for a file to take in."""
        name, _ = QFileDialog.getOpenFileName(self, "Gradient or palette", "", kinds)
        if name:
            self.open_file(Path(name))

    def _choose_target(self) -> None:
        is_gradient = self.chosen in self.session.project.gradients
        kinds = GRADIENT_FILES if is_gradient else f"{PALETTE_FILES};;The cells as an image (*.png)"
        name, _ = QFileDialog.getSaveFileName(
            self, "Write to", "untitled.ggr" if is_gradient else "untitled.gpl", kinds
        )
        if name:
            self.write_file(Path(name))

    def _lay_out(self) -> None:
        left = QWidget()
        column = QVBoxLayout(left)
        column.setContentsMargins(10, 10, 4, 10)
        column.addWidget(self.list, 1)
        for buttons in ((self.add_gradient, self.add_palette), (self.duplicate_button, self.delete_button, self.bring)):
            row = QHBoxLayout()
            for button in buttons:
                row.addWidget(button, 1)
            column.addLayout(row)
        empty = plain_label("Make a gradient or a palette, or take one from a file")
        empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
        for page in (empty, self.gradient_page, self.palette_page):
            self.pages.addWidget(_scrolled(page))
        right = QWidget()
        beside = QVBoxLayout(right)
        beside.setContentsMargins(0, 0, 8, 8)
        beside.addWidget(with_bar(self.stage, self.stage_bar), 1)
        beside.addWidget(self.used_by)
        self.used_by.setContentsMargins(6, 0, 0, 0)  # as the stage's panel
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(halves((left, 230), (self.pages, 560), (right, 490), stretch={2: 1}))


def _scrolled(page: QWidget) -> QScrollArea:
    scroll = QScrollArea()
    scroll.setWidgetResizable(True)
    scroll.setFrameShape(QScrollArea.Shape.NoFrame)
    scroll.setWidget(page)
    return scroll


def _with(project: Project, ramp: Ramp) -> Project:
    if isinstance(ramp, Gradient):
        return with_records(project, ramp)
    return with_palette(project, ramp)


def _no_palette(desk: ColourDesk) -> str:
    return "" if desk.chosen in desk.session.project.palettes else "Choose a palette first"


COLOUR_COMMANDS: dict[str, tuple[Command[ColourDesk], ...]] = {
    "Project": (
        Command("New gradient", ColourDesk.new_gradient, "Ctrl+Shift+G", anywhere=True),
        Command("New palette", ColourDesk.new_palette, anywhere=True),
        Command(
            "New sprite material from an image",
            lambda desk: desk.palette_page.sprites.choose_material(),
            anywhere=True,
        ),
        Command("Write index image", lambda desk: desk.palette_page.sprites.choose_index(), hindered=_no_palette),
        Command("Bake an atlas of gradients", ColourDesk.open_atlas, anywhere=True),
        Command("Replace mixes by a gradient", lambda desk: desk.sources.choose_mixes(), anywhere=True),
    ),
}


def _graph_of(project: Project, user_id: str) -> str:
    """The graph that shows a user of a colour: itself, an instance's, or the first that a texture is read in."""
    if user_id in project.textures:
        user_id = next((place.record for place in users(project, user_id)), "")
    material = ancestry(project, user_id)[1]
    return material.id if material else user_id
