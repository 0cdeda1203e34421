"""The main window: header, banners, desks and status bar, and what brings them together."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterator
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any, cast

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent
from PyQt6.QtWidgets import QApplication, QDialog, QMainWindow, QStackedWidget, QVBoxLayout, QWidget

from soft_lantern.app.command import Commands, for_designers
from soft_lantern.app.desks.desk import Desk
from soft_lantern.app.pictures.record_pictures import draw_for
from soft_lantern.app.session.gestures import with_no_hand
from soft_lantern.app.session.imports import can_be_taken_in, dropped_files, import_file
from soft_lantern.app.session.session import Session
from soft_lantern.app.session.unsaved import keep_or_say
from soft_lantern.app.stage.stage_bar import StageBar
from soft_lantern.app.stage.stage_view import StageView
from soft_lantern.app.theme import style
from soft_lantern.app.widgets.passing import passing
from soft_lantern.app.widgets.picture_picker import pictures_from
from soft_lantern.app.widgets.swatches import Swatches
from soft_lantern.app.window.banner import Banner
from soft_lantern.app.window.closing import settled
from soft_lantern.app.window.coming_back import ComingBack
from soft_lantern.app.window.command_menu import CommandMenu
from soft_lantern.app.window.going import Going
from soft_lantern.app.window.header import Header
from soft_lantern.app.window.offered_desks import DESKS
from soft_lantern.app.window.offers import Offers
from soft_lantern.app.window.project_commands import ProjectCommands
from soft_lantern.app.window.remembering import Remembering
from soft_lantern.app.window.status_bar import StatusBar
from soft_lantern.app.window.window_commands import FIRST, last
from soft_lantern.app.work.mishaps import Mishaps
from soft_lantern.app.work.only_one import only_one
from soft_lantern.formats.images import FLOATING, READABLE_IMAGES
from soft_lantern.graph.document import Project, changed
from soft_lantern.graph.notice import notices_in_words
from soft_lantern.render.worker import RenderWorker

if TYPE_CHECKING:  # each desk is imported when it is first wanted
    from soft_lantern.app.desks.build.desk import BuildDesk
    from soft_lantern.app.desks.colour.desk import ColourDesk
    from soft_lantern.app.desks.dress.desk import DressDesk
    from soft_lantern.app.desks.tune.desk import TuneDesk
    from soft_lantern.app.widgets.texels import Linear


class MainWindow(QMainWindow):
    """The window of one project. `wanted` asks for another: the start page, the tour, or one on the same project."""

    wanted = pyqtSignal(str)
    closed = pyqtSignal()

    @with_no_hand
    def __init__(
        self, folder: Path, worker: RenderWorker | None = None, only: str | None = None, beside: Session | None = None
    ) -> None:
        """Open a project's folder, or as another window has it; `only` the desk "Tune". Raises BadProject."""
        super().__init__()
        self.only, self._ending = only, False
        self.session = Session(folder, beside, held=True)
        self.session.for_designers = only is not None
        self.worker = worker or RenderWorker()
        self.swatches = Swatches(self)
        self.droppers = {
            "From the stage": lambda then: self.stage().picking.take_colour(then),
            "From an image": partial(_take_from_image, self),
        }
        self.desk_name = ""
        self.desks = QStackedWidget()
        self._made: dict[str, Desk] = {}
        self.project_commands = ProjectCommands(self.session, self, lambda: _selected_looks(self))
        self.header = Header(list(DESKS))
        self.banner = Banner()
        self.offers = Offers(self.session, self.worker, self.banner, self)
        middle = QWidget()
        column = QVBoxLayout(middle)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.header)
        column.addWidget(self.banner)
        column.addWidget(self.desks, 1)
        self.setCentralWidget(middle)
        self.status = StatusBar()
        self.setStatusBar(self.status)
        self._make_commands()
        self.going = Going(self.session, self.worker, self.go_to_desk, self)
        pictures_from(self, partial(draw_for, self.session, self.worker))
        self.setAcceptDrops(True)
        self.resize(1280, 800)
        self._connect()
        self.coming_back = ComingBack(self, self.session, self._made, lambda: self.desk_name, only or "")
        self.coming_back.open()
        was = self.coming_back.kept.desk
        self.go_to_desk(only or (was if was in DESKS else "Build"))
        if only:
            self._offer_only()
        elif self.desk_name == "Build":
            self.build.canvas.setFocus()
        self.refresh()
        self.remembering = Remembering(self.session, self.stage, self)
        self.offers.left_behind()
        style.dress(self)

    # What is shown

    def refresh(self) -> None:
        """Show the project's, materials' and scenes' names."""
        session, project = self.session, self.session.project
        self._show_saved()
        graphs = sorted(((m.name, m.id) for m in project.materials.values()), key=_by_name)
        snippets = sorted(((f"{s.name} (snippet)", s.id) for s in project.snippets.values()), key=_by_name)
        self.header.show_graphs([*graphs, *snippets], session.material_id)
        scenes = sorted(((s.name, s.id) for s in project.scenes.values()), key=_by_name)
        self.header.show_scenes(scenes, session.scene_id)
        self.swatches.show_colours(project.swatches)

    def say(self, text: str) -> None:
        """Show a sentence in the status bar."""
        self.status.message.setText(text)

    def go_to_desk(self, name: str) -> Desk:
        """Show a desk, if it is offered; the one that is shown."""
        if self.only in (None, name):
            self.desks.setCurrentWidget(self.desk(name))
            self.desk_name = name
            self.header.show_desk(name)
            self.coming_back.arrive(name)
        return self.desk(self.desk_name)

    def desk(self, name: str) -> Desk:
        """A desk, made now if it was not wanted before."""
        if name not in self._made:
            kind, _ = DESKS[name]()
            made = kind(self.session, self.worker)
            made.stage.pictures.arrived.connect(lambda _: self._show_renderer())
            made.stage.pictures.wanted.connect(self.session.files.begin)
            made.notice_wanted.connect(self.going.to_notice)
            made.ramps_wanted.connect(self.edit_ramps)
            self._made[name] = made
            self.desks.addWidget(made)
        return self._made[name]

    @property
    def build(self) -> BuildDesk:
        """The Build desk."""
        return cast("BuildDesk", self.desk("Build"))

    @property
    def colour(self) -> ColourDesk:
        """The Colour desk."""
        return cast("ColourDesk", self.desk("Colour"))

    @property
    def tune(self) -> TuneDesk:
        """The Tune desk."""
        return cast("TuneDesk", self.desk("Tune"))

    @property
    def dress(self) -> DressDesk:
        """The Dress desk."""
        return cast("DressDesk", self.desk("Dress"))

    def stage(self) -> StageView:
        """The stage of the desk that is open."""
        return self.stage_bar().stage

    def stage_bar(self) -> StageBar:
        """The switches of that stage."""
        return self.desk(self.desk_name).stage_bar

    def edit_ramps(self, ramp_id: str = "") -> None:
        """Go to the project's gradients and palettes, to one of them where it is said."""
        self.go_to_desk("Colour").show_record(ramp_id)

    def open_notices(self) -> None:
        """Show the list of notices."""
        self.go_to_desk("Build")
        self.build.show_notices()

    # The end, and files that are dropped

    def closeEvent(self, event: QCloseEvent | None) -> None:
        assert event is not None
        saved = self.session.is_saved or not self.session.is_alone
        if not self._ending and not saved and not settled(self.session, self):
            event.ignore()
            return
        self.remembering.end()
        self.coming_back.end()
        self.session.close()
        for desk in self._made.values():
            desk.stop()
        self.worker.stop()
        self.closed.emit()
        event.accept()

    def end_at_once(self) -> None:
        """Close without a question; what is not saved is kept for the next start."""
        self._ending = True
        keep_or_say(self.session.saver.unsaved)
        for dialog in self.findChildren(QDialog):
            dialog.reject()
        self.close()
        application = QApplication.instance()
        if application:
            application.quit()

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        if event and any(can_be_taken_in(path) for path in dropped_files(event)):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        """A mesh goes on the stage, a panorama into the light, an image on the canvas, if it is let go there."""
        for path in dropped_files(event) if event else ():
            ending = path.suffix.lower()
            if ending in FLOATING:
                self.build.light.import_panorama(path)
            elif ending in READABLE_IMAGES and event:
                self.build.image_import.drop(path, self.mapToGlobal(event.position()))
            else:
                import_file(self.session, path)

    # Parts of the window

    def _connect(self) -> None:
        session, header = self.session, self.header
        session.told.connect(self.say)
        session.asked.connect(self.banner.ask)
        session.changed.connect(lambda old, new: self._show_saved() if _same_names(old, new) else self.refresh())
        session.opened_material.connect(self.refresh)
        session.saved_changed.connect(self._show_saved)
        session.notices_changed.connect(lambda: self.status.notice_button.setText(notices_in_words(session.notices)))
        session.saver.outside.connect(self.offers.outside)
        session.undo.changed.connect(self._name_undo)
        session.task_started.connect(self.status.task_bar.watch)
        session.object_imported.connect(self._select_object)
        mishaps = only_one(Mishaps)
        mishaps.broke_off.connect(session.undo.take_back_turn)
        mishaps.happened.connect(self._went_wrong)
        self.status.notices_wanted.connect(self.open_notices)
        header.desk_wanted.connect(self.go_to_desk)
        header.graph_wanted.connect(session.open_material)
        header.renamed.connect(self._rename_material)
        header.scene_wanted.connect(session.open_scene)
        header.finder_wanted.connect(lambda: self.commands.finder.open())
        self.swatches.wanted.connect(
            lambda chosen: session.apply("Change swatches", lambda project: changed(project, swatches=chosen))
        )

    def _make_commands(self) -> None:
        self.commands = CommandMenu(self._published(), self._owner, lambda: self.desk_name, self.go_to_desk, self)
        self.commands.told.connect(self.say)
        self.header.set_menu(self.commands.menu)

    def _published(self) -> Iterator[tuple[str, Commands]]:
        desks = ((name, offered()[1]) for name, offered in DESKS.items() if self.only in (None, name))
        for owner, commands in itertools.chain([("", FIRST)], desks, [("", last(DESKS))]):
            yield owner, for_designers(commands) if self.only else commands

    def _owner(self, name: str) -> Any:
        return self.desk(name) if name else self

    def _offer_only(self) -> None:
        """Take away what leads elsewhere than to one desk."""
        self.header.offer_no_other_desk()
        self.status.notice_button.hide()
        self.setAcceptDrops(False)

    def _show_saved(self) -> None:
        mark = "" if self.session.is_saved else " •"
        self.setWindowTitle(f"{self.session.project.name}{mark} — Soft Lantern")
        self.header.show_project(self.session.project.name + mark)

    def _name_undo(self) -> None:
        undo = self.session.undo
        self.commands.rename("Undo", f"Undo {undo.undo_name}".strip())
        self.commands.rename("Redo", f"Redo {undo.redo_name}".strip())

    def _show_renderer(self) -> None:
        self.status.renderer_label.setText(self.worker.remark or f"Drawn by {self.worker.device}")

    def _went_wrong(self, text: str) -> None:
        """Something unexpected happened: keep what there is, and say so."""
        self.say(f"{text} {keep_or_say(self.session.saver.unsaved)}".strip())

    def _rename_material(self, name: str) -> None:
        material = self.session.material
        if material and name and name != material.name:
            self.session.edit_material("Rename material", material.id, lambda m: changed(m, name=name))
        self.refresh()

    def _select_object(self, object_id: str) -> None:
        if not self.desk(self.desk_name).show_object(object_id):
            self.build.show_object(object_id)


def _same_names(old: Project, new: Project) -> bool:
    """Whether nothing that the header and the pickers show was touched."""
    return all(getattr(old, f) is getattr(new, f) for f in ("materials", "snippets", "scenes", "swatches", "name"))


def _take_from_image(window: MainWindow, then: Callable[[Linear], None]) -> None:
    from soft_lantern.app.desks.tune.image_dropper import ImageDropper

    passing(ImageDropper(window.session, then, window)).open()


def _selected_looks(window: MainWindow) -> list[str]:
    return window.tune.selection.instances if window.desk_name == "Tune" else []


def _by_name(entry: tuple[str, str]) -> str:
    return entry[0].lower()
