"""The main window: a header with the project, the open material and the desks; banners; the status bar; all actions."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import cast

from PyQt6.QtCore import QPointF, QSettings
from PyQt6.QtGui import QAction, QCloseEvent, QDragEnterEvent, QDropEvent, QKeySequence
from PyQt6.QtWidgets import (
    QApplication,
    QComboBox,
    QDialog,
    QFileDialog,
    QHBoxLayout,
    QInputDialog,
    QMainWindow,
    QMenu,
    QMessageBox,
    QPushButton,
    QStackedWidget,
    QStatusBar,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from soft_lantern.app import mishaps
from soft_lantern.app.banner import Banner
from soft_lantern.app.commands import CommandFinder
from soft_lantern.app.desks.build import BuildDesk
from soft_lantern.app.desks.colour import ColourDesk
from soft_lantern.app.desks.dress import DressDesk
from soft_lantern.app.desks.tune import TuneDesk
from soft_lantern.app.menu import entries
from soft_lantern.app.offers import Offers
from soft_lantern.app.session import Session, sentence
from soft_lantern.app.sheet_dialog import SheetDialog
from soft_lantern.app.stage.object_panel import ObjectPanel
from soft_lantern.app.stage.stage_bar import StageBar
from soft_lantern.app.stage.stage_view import StageView
from soft_lantern.app.tasks import TaskBar
from soft_lantern.app.theme import colours, style
from soft_lantern.app.tune.image_dropper import ImageDropper
from soft_lantern.app.unsaved import keep_or_say
from soft_lantern.app.widgets.choices import fill
from soft_lantern.app.widgets.labels import asked, plain_label, quiet_label, tip
from soft_lantern.app.widgets.passing import passing
from soft_lantern.app.widgets.swatches import Swatches
from soft_lantern.errors import LanternError
from soft_lantern.formats.assets import READABLE
from soft_lantern.formats.images import FLOATING, READABLE_IMAGES
from soft_lantern.formats.shader_gradients import Form
from soft_lantern.formats.shader_package import write_package
from soft_lantern.graph.document import Material, Node, changed, new_id
from soft_lantern.graph.instances import put_material
from soft_lantern.graph.notices import Notice, counted
from soft_lantern.graph.snippets import empty_snippet, put_snippet, remove_snippet
from soft_lantern.render.worker import RenderWorker

Desk = BuildDesk | ColourDesk | TuneDesk | DressDesk
DESKS: dict[str, type[Desk]] = {"Build": BuildDesk, "Colour": ColourDesk, "Tune": TuneDesk, "Dress": DressDesk}
"""In the order of the job. Each is made when it is first wanted, so that a window opens soon."""


class MainWindow(QMainWindow):
    """The window of one project."""

    def __init__(self, folder: Path, worker: RenderWorker | None = None, only: str | None = None) -> None:
        """Open a project's folder. Raises BadProject. `only`: the one desk that is offered, "Tune"."""
        super().__init__()
        self.only = only
        self._ending = False
        self.session = Session(folder)
        self.swatches = Swatches(self)
        self.droppers = {
            "From the stage": lambda then: self.stage().drops.take_colour(then),
            "From an image": self.drop_from_image,
        }
        self.swatches.wanted.connect(self._keep_swatches)
        self.worker = worker or RenderWorker()
        self.desk_name = ""
        self.desks = QStackedWidget()
        self._made: dict[str, Desk] = {}
        self.actions_by_name: dict[str, QAction] = {}
        self.commands = CommandFinder(self)
        self.banner = Banner()
        self.offers = Offers(self.session, self.worker, self.banner, self)
        middle = QWidget()
        column = QVBoxLayout(middle)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self._header())
        column.addWidget(self.banner)
        column.addWidget(self.desks, 1)
        self.setCentralWidget(middle)
        self._make_status_bar()
        self._make_actions()
        self.setAcceptDrops(True)
        self.resize(1280, 800)
        self.session.told.connect(self.say)
        self.session.changed.connect(lambda old, new: self.refresh())
        self.session.opened_material.connect(self.refresh)
        self.session.saved_changed.connect(self._show_saved)
        self.session.notices_changed.connect(self._show_notices)
        self.session.saver.outside.connect(self.offers.outside)
        mishaps.of_application().broke_off.connect(self.session.undo.take_back_turn)
        mishaps.of_application().happened.connect(self._went_wrong)
        self.session.task_started.connect(self.task_bar.watch)
        self.session.object_imported.connect(lambda object_id: self.object_panel().selected.emit(object_id))
        self.go_to_desk(only or "Build")
        if only:
            self._offer_only(only)
        else:
            self.build.canvas.setFocus()
        self.refresh()
        self.offers.left_behind()

    def refresh(self) -> None:
        """Show the project's and material's names."""
        session = self.session
        self._show_saved()
        graphs = [(m.name, m.id) for m in session.project.materials.values()]
        snippets = [(f"{s.name} (snippet)", s.id) for s in session.project.snippets.values()]
        scenes = [(s.name, s.id) for s in session.project.scenes.values()]
        fill(self.materials, [*sorted(graphs, key=_by_name), *sorted(snippets, key=_by_name)], session.material_id)
        fill(self.scenes, sorted(scenes, key=_by_name), session.scene_id)
        self.swatches.show_colours(session.project.swatches)

    def _show_saved(self) -> None:
        mark = "" if self.session.is_saved else " •"
        self.setWindowTitle(f"{self.session.project.name}{mark} — Soft Lantern")
        self.project_label.setText(self.session.project.name + mark)

    def say(self, text: str) -> None:
        """Show a sentence in the status bar."""
        self.message.setText(text)

    def go_to_desk(self, name: str) -> None:
        """Show a desk, if it is offered."""
        if self.only and name != self.only:
            return
        self.desks.setCurrentWidget(self.desk(name))
        self.desk_name = name
        for each, button in self.desk_buttons.items():
            button.setChecked(each == name)

    def desk(self, name: str) -> Desk:
        """A desk, made now if it was not wanted before."""
        if name not in self._made:
            made = DESKS[name](self.session, self.worker)
            made.stage.drawn.connect(lambda _: self._show_renderer())
            if isinstance(made, BuildDesk):
                made.notice_list.jump_wanted.connect(self._jump_to)
                made.canvas.ramps_wanted.connect(self.edit_ramps)
            self._made[name] = made
            self.desks.addWidget(made)
        return self._made[name]

    @property
    def build(self) -> BuildDesk:
        """The Build desk."""
        return cast(BuildDesk, self.desk("Build"))

    @property
    def colour(self) -> ColourDesk:
        """The Colour desk."""
        return cast(ColourDesk, self.desk("Colour"))

    @property
    def tune(self) -> TuneDesk:
        """The Tune desk."""
        return cast(TuneDesk, self.desk("Tune"))

    @property
    def dress(self) -> DressDesk:
        """The Dress desk."""
        return cast(DressDesk, self.desk("Dress"))

    def new_material(self) -> None:
        """Add a material with an output node and open it."""
        session = self.session
        name = f"Material {len(session.project.materials) + 1}"
        surface = Node(type="surface", x=320.0, y=80.0)
        material = Material(id=new_id("material"), name=name, nodes={new_id("surface"): surface})
        session.apply("New material", put_material(session.project, material))
        session.open_material(material.id)

    def new_snippet(self) -> None:
        """Add a snippet of one input and one output, and open it."""
        snippet = empty_snippet(f"Snippet {len(self.session.project.snippets) + 1}")
        self.session.attempt("New snippet", lambda: put_snippet(self.session.project, snippet))
        self.session.open_material(snippet.id)

    def delete_snippet(self) -> None:
        """Take the open snippet away, if no graph uses it."""
        snippet = self.session.project.snippets.get(self.session.material_id)
        if snippet is None:
            self.say("Open the snippet that is to go")
            return
        self.session.attempt("Delete snippet", lambda: remove_snippet(self.session.project, snippet.id))

    def rename_material(self) -> None:
        """Type another name for the open material."""
        self.materials.setEditable(True)
        edit = self.materials.lineEdit()
        if edit is None:
            return
        edit.selectAll()
        edit.setFocus()

        def done() -> None:
            name, material = edit.text().strip(), self.session.material
            self.materials.setEditable(False)
            if material and name and name != material.name:
                self.session.edit_material("Rename material", material.id, lambda m: changed(m, name=name))
            self.refresh()

        edit.editingFinished.connect(done)

    def contact_sheet(self) -> None:
        """Ask what a contact sheet is to show, and draw it."""
        dialog = passing(SheetDialog(self.session, set(self.session.project.instances), self))
        if dialog.exec():
            dialog.begin()

    def compare(self, mode: str) -> None:
        """Compare what is tuned in that way, or no longer."""
        self.go_to_desk("Tune")
        panel = self.tune.compare
        self.tune.tabs.setCurrentWidget(panel)
        panel.compare("" if panel.mode.currentData() == mode else mode)

    def find_instances(self) -> None:
        """Go to the field that finds instances."""
        self.go_to_desk("Tune")
        self.tune.search.setFocus()
        self.tune.search.selectAll()

    def edit_ramps(self, ramp_id: str = "") -> None:
        """Go to the project's gradients and palettes, to one of them where it is said."""
        self.go_to_desk("Colour")
        self.colour.choose(ramp_id)

    def drop_from_image(self, then: Callable[[tuple[float, ...]], None]) -> None:
        """Let a colour be taken from an image."""
        passing(ImageDropper(self.session, then, self)).open()

    def _keep_swatches(self, colours_: tuple[tuple[float, float, float, float], ...]) -> None:
        self.session.apply("Change swatches", changed(self.session.project, swatches=colours_))

    def _offer_only(self, desk: str) -> None:
        """Take away what leads elsewhere than to one desk."""
        for button in self.desk_buttons.values():
            button.hide()
        self.materials.hide()
        self.notice_button.hide()
        self.setAcceptDrops(False)
        self.tune.for_designers()

    def rename_scene(self) -> None:
        """Type another name for the scene on the stage."""
        scene = self.session.scene
        if scene:
            name, given = QInputDialog.getText(self, "Rename scene", "Name", text=scene.name)
            if given and name.strip():
                renamed = changed(scene, name=name.strip())
                self.session.apply("Rename scene", self.session.put_scene(self.session.project, renamed))

    def next_scene(self) -> None:
        """Put the scene that follows by name on the stage."""
        count = self.scenes.count()
        if count > 1:
            self.session.open_scene(self.scenes.itemData((self.scenes.currentIndex() + 1) % count))

    def export_glsl(self) -> None:
        """Ask for a folder and write the open material's shader there."""
        folder = QFileDialog.getExistingDirectory(self, "Export GLSL into a folder")
        if folder:
            self.export_to(Path(folder))

    def export_exact(self) -> None:
        """The same with gradients written into the shader."""
        folder = QFileDialog.getExistingDirectory(self, "Export GLSL with exact gradients into a folder")
        if folder:
            self.export_to(Path(folder), "exact")

    def export_to(self, folder: Path, form: Form = "row") -> None:
        """Write the open material's shader text, parameter table and gradients into a folder."""
        material = self.session.material
        if material:
            try:
                written = write_package(material, folder, project=self.session.project, form=form)
            except LanternError as error:
                self.say(sentence(str(error)))
                return
            self.say(f"Exported {', '.join(p.name for p in written)} to {folder}")

    def closeEvent(self, event: QCloseEvent | None) -> None:
        assert event is not None
        if not self._ending and not self.session.is_saved and not self._settle_unsaved():
            event.ignore()
            return
        self.session.close()
        for desk in self._made.values():
            desk.stop()
        self.worker.stop()
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
        data = event.mimeData() if event else None
        endings = (*READABLE, *READABLE_IMAGES)
        if event and data and any(Path(u.toLocalFile()).suffix.lower() in endings for u in data.urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        data = event.mimeData() if event else None
        for url in data.urls() if data else []:
            path = Path(url.toLocalFile())
            if path.suffix.lower() in FLOATING:
                self.build.light.import_panorama(path)
            elif path.suffix.lower() in READABLE_IMAGES and event:
                canvas = self.build.canvas
                place = QPointF(canvas.mapFrom(self, event.position().toPoint()))
                self.build.import_image(path, place=place if canvas.rect().contains(place.toPoint()) else None)
            else:
                self.session.import_mesh(path)

    # Parts of the window

    def _header(self) -> QWidget:
        header = QWidget()
        row = QHBoxLayout(header)
        row.setContentsMargins(12, 0, 10, 0)
        row.setSpacing(10)
        self.menu_button = QToolButton()
        self.menu_button.setText("☰" if self.fontMetrics().inFont("☰") else "Menu")
        self.menu_button.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.menu_button.setAccessibleName("menu")
        self.project_label = plain_label()
        font = style.app_font(12, bold=True)
        self.project_label.setFont(font)
        self.materials = QComboBox()
        self.materials.setMinimumWidth(170)
        self.materials.setAccessibleName("material")
        self.materials.setToolTip("The open material")
        self.materials.activated.connect(lambda _: self.session.open_material(self.materials.currentData()))
        row.addWidget(self.menu_button)
        row.addWidget(self.project_label)
        row.addWidget(self.materials)
        row.addStretch(1)
        self.desk_buttons: dict[str, QPushButton] = {}
        for number, name in enumerate(DESKS, 1):
            button = QPushButton(name)
            button.setProperty("desk", True)
            button.setCheckable(True)
            button.setToolTip(tip(f"{name} desk (Ctrl+{number})"))
            button.clicked.connect(lambda _, name=name: self.go_to_desk(name))
            self.desk_buttons[name] = button
            row.addWidget(button)
        row.addStretch(1)
        self.scenes = QComboBox()
        self.scenes.setMinimumWidth(140)
        self.scenes.setAccessibleName("scene")
        self.scenes.setToolTip("The scene on the stage")
        self.scenes.activated.connect(lambda _: self.session.open_scene(self.scenes.currentData()))
        row.addWidget(self.scenes)
        self.finder_button = QToolButton()
        self.finder_button.setText("Commands")
        self.finder_button.setToolTip("Every action by name (F1)")
        self.finder_button.clicked.connect(self.commands.open)
        row.addWidget(self.finder_button)
        return header

    def _make_status_bar(self) -> None:
        bar = QStatusBar()
        bar.setSizeGripEnabled(False)
        self.message = plain_label()
        self.notice_button = QToolButton()
        self.notice_button.setText(counted([]))
        self.notice_button.clicked.connect(self.open_notices)
        self.notice_button.setAccessibleName("notices")
        self.renderer_label = quiet_label()
        self.task_bar = TaskBar()
        bar.addWidget(self.message, 1)
        bar.addPermanentWidget(self.task_bar)
        bar.addPermanentWidget(self.renderer_label)
        bar.addPermanentWidget(self.notice_button)
        self.setStatusBar(bar)

    def _make_actions(self) -> None:
        session = self.session
        menu = QMenu(self)
        for group, listed in entries(self).items():
            below = menu.addMenu(group)
            assert below
            for name, keys, call in listed:
                action = QAction(name, self)
                if keys:
                    action.setShortcut(QKeySequence(keys))
                action.triggered.connect(lambda _=False, call=call: call())
                self.addAction(action)
                below.addAction(action)
                self.actions_by_name[name] = action
        self.actions_by_name["Redo"].setShortcuts([QKeySequence("Ctrl+Shift+Z"), QKeySequence("Ctrl+Y")])
        session.undo.changed.connect(self._name_undo)
        self.menu_button.setMenu(menu)

    def _name_undo(self) -> None:
        undo = self.session.undo
        self.actions_by_name["Undo"].setText(f"Undo {undo.undo_name}".strip())
        self.actions_by_name["Redo"].setText(f"Redo {undo.redo_name}".strip())

    def _went_wrong(self, text: str) -> None:
        """Something unexpected happened: keep what there is, and say so."""
        self.say(f"{text} {keep_or_say(self.session.saver.unsaved)}".strip())

    def switch_theme(self) -> None:
        """From dusk to paper and back; remembered."""
        chosen = colours.PAPER if colours.theme() is colours.DUSK else colours.DUSK
        colours.use(chosen)
        QSettings("Soft Lantern", "Soft Lantern").setValue("theme", chosen.name)
        application = QApplication.instance()
        if isinstance(application, QApplication):
            style.apply(application)
        self.update()

    def adds(self, shape: str) -> Callable[[], None]:
        """What stands a primitive on the stage."""
        return lambda: self.object_panel().add_primitive(shape)

    def goes_to(self, name: str) -> Callable[[], None]:
        """What shows a desk."""
        return lambda: self.go_to_desk(name)

    def stage(self) -> StageView:
        """The stage of the desk that is open."""
        return self.stage_bar().stage

    def stage_bar(self) -> StageBar:
        """The switches of that stage."""
        return self.desk(self.desk_name).stage_bar

    def object_panel(self) -> ObjectPanel:
        """The panel of the selected object, on the desk that is open."""
        return self.dress.panel if self.desk_name == "Dress" else self.build.objects

    def keep_view(self) -> None:
        """Let the scene open with the present view."""
        scene = self.session.scene
        if scene:
            kept = changed(scene, view=self.session.view)
            self.session.apply("Keep view", self.session.put_scene(self.session.project, kept))

    def _show_renderer(self) -> None:
        self.renderer_label.setText(self.worker.remark or f"Drawn by {self.worker.device}")

    def _show_notices(self) -> None:
        self.notice_button.setText(counted(self.session.notices))

    def open_notices(self) -> None:
        """Show the list of notices."""
        self.go_to_desk("Build")
        self.build.tabs.setCurrentWidget(self.build.notice_list)

    def _jump_to(self, notice: Notice) -> None:
        if self.session.project.graph(notice.place):
            self.go_to_desk("Build")
            self.session.open_material(notice.place)
            if notice.node:
                self.build.canvas.go_to(notice.node)
        elif notice.place in self.session.project.instances:
            self.go_to_desk("Tune")
            self.tune.select(notice.place)
        self.say(notice.text)

    def _settle_unsaved(self) -> bool:
        """Ask what to do with unsaved work; whether the window may close."""
        buttons = QMessageBox.StandardButton
        answer = asked(
            self,
            f"{self.session.project.name} has changes that are not saved.",
            buttons.Save | buttons.Discard | buttons.Cancel,
            buttons.Save,
        )
        if answer == buttons.Save:
            return self.session.save()
        if answer == buttons.Discard:
            self.session.saver.let_go()
            return True
        return False


def _by_name(entry: tuple[str, str]) -> str:
    return entry[0].lower()
