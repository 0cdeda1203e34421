"""The open project: applies edits, keeps undo, saves, and tells the views what changed.

An edit is a project that takes the place of the one before. Edits of one gesture, such as a slider drag, become one
entry of the undo list.
"""

from __future__ import annotations

import contextlib
import shutil
import threading
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from pathlib import Path
from typing import TypeVar

from PyQt6.QtCore import QEvent, QObject, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QUndoCommand, QUndoStack
from PyQt6.QtWidgets import QApplication

from soft_lantern.app.loaded_files import LoadedFiles
from soft_lantern.app.outside_watch import OutsideWatch
from soft_lantern.app.tasks import Task
from soft_lantern.app.timers import single_shot
from soft_lantern.errors import LanternError
from soft_lantern.formats.assets import Imported, bring_in
from soft_lantern.formats.images import bring_in_image
from soft_lantern.formats.project_folder import (
    FOLDERS,
    RECOVERY,
    Opened,
    changed_outside,
    open_project,
    save_project,
)
from soft_lantern.graph.checks import check_project
from soft_lantern.graph.document import (
    Asset,
    Material,
    Project,
    Scene,
    StageObject,
    Texture,
    View,
    changed,
    new_id,
)
from soft_lantern.graph.instances import put_material
from soft_lantern.graph.notices import Notice, Severity
from soft_lantern.graph.picks import dressed, most_worn, worn_materials
from soft_lantern.render.staging import scene_bounds
from soft_lantern.scene.transforms import view_of_bounds
from soft_lantern.values.images import Image

T = TypeVar("T")
RECOVERY_DELAY = 2000
NOTICES_DELAY = 120


class Session(QObject):
    """One open project."""

    changed = pyqtSignal(object, object)
    """The project before and after an edit."""
    opened_material = pyqtSignal()
    models_changed = pyqtSignal()
    view_changed = pyqtSignal()
    notices_changed = pyqtSignal()
    saved_changed = pyqtSignal()
    object_imported = pyqtSignal(str)
    """The id of an object that an import has put on the stage."""
    task_started = pyqtSignal(object)
    """Long work, as an `app.tasks.Task`."""
    told = pyqtSignal(str)
    """A sentence for the person."""
    files_changed_outside = pyqtSignal(list)
    _done = pyqtSignal(object)

    def __init__(self, folder: Path) -> None:
        """Open the project in a folder. Raises BadProject."""
        super().__init__()
        self.folder = folder
        opened = open_project(folder)
        self.project = self.saved_project = opened.project
        self.snapshot = opened.snapshot
        self.file_notices = opened.notices
        self.notices: list[Notice] = []
        self._checked: list[Notice] = []
        self._measured: tuple[Material, list[Notice]] | None = None
        self._pool = ThreadPoolExecutor(1, "files")
        self.files = LoadedFiles(folder, self._submit, self)
        self.models, self.images, self.loading = self.files.models, self.files.images, self.files.loading
        self.undo = QUndoStack(self)
        self.undo.setUndoLimit(500)
        self.undo.cleanChanged.connect(lambda _: self.saved_changed.emit())
        self.scene_id = next(iter(sorted(self.project.scenes)), "")
        self.material_id = most_worn(self.project, self.scene_id)
        self.view = self.scene.view if self.scene else View()
        self.gesture = 0
        self._left_alone: set[str] = set()
        self._recovery_unanswered = False
        self._tasks: list[Task] = []
        self._done.connect(lambda call: call())
        self._notices_timer = single_shot(self, NOTICES_DELAY, self._find_notices)
        self._recovery_timer = single_shot(self, RECOVERY_DELAY, self._keep_for_recovery)
        self._outside_watch = OutsideWatch(folder, self)
        self._outside_watch.changed.connect(self._look_outside)
        self.files.changed.connect(self.models_changed)
        self.files.changed.connect(self._notices_timer.start)
        self._watch()
        self.files.follow(self.project)
        self._notices_timer.start()
        application = QApplication.instance()
        if application:
            application.installEventFilter(self)

    # What is open

    @property
    def material(self) -> Material | None:
        """The material, or snippet, whose graph is open."""
        return self.project.graph(self.material_id)

    @property
    def scene(self) -> Scene | None:
        """The scene on the stage."""
        return self.project.scenes.get(self.scene_id)

    def open_material(self, material_id: str) -> None:
        """Open another material's graph."""
        if self.project.graph(material_id) and material_id != self.material_id:
            self.material_id = material_id
            self.opened_material.emit()

    # Edits

    def apply(self, name: str, project: Project, merge: str = "") -> None:
        """Put a project in place of the present one, as an entry of the undo list.

        Edits with the same `merge` within one gesture become one entry.
        """
        if project is not self.project and project != self.project:
            key = f"{merge}@{self.gesture}" if merge else ""
            self.undo.push(_Edit(self, name, self.project, project, key))

    def apply_material(self, name: str, material: Material, merge: str = "") -> None:
        """The same for one material."""
        self.apply(name, put_material(self.project, material), merge)

    def attempt(self, name: str, edit: Callable[[], Project], merge: str = "") -> bool:
        """Apply what `edit` gives; where it cannot be done, say why and change nothing."""
        try:
            self.apply(name, edit(), merge)
        except LanternError as error:
            self.told.emit(sentence(str(error)))
            return False
        return True

    def put(self, project: Project) -> None:
        """Make a project the present one without an undo entry: what undo and redo call."""
        old, self.project = self.project, project
        if project.graph(self.material_id) is None:
            self.material_id = most_worn(project, self.scene_id)
            self.opened_material.emit()
        if self.scene_id not in project.scenes:
            self.scene_id = next(iter(sorted(project.scenes)), "")
        self.files.follow(project)
        self.changed.emit(old, project)
        self._notices_timer.start()
        self._recovery_timer.start()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Every press of a mouse button or key begins a gesture; a key that is held goes on with its own."""
        if isinstance(event, QMouseEvent):
            self.gesture += event.type() == QEvent.Type.MouseButtonPress
        elif isinstance(event, QKeyEvent):
            self.gesture += event.type() == QEvent.Type.KeyPress and not event.isAutoRepeat()
        return False

    # The scene

    def ensure_scene(self) -> Project:
        """The project with a scene in it, and that scene on the stage."""
        if self.scene:
            return self.project
        scene = Scene(id=new_id("scene"), name="Stage")
        self.scene_id = scene.id
        return changed(self.project, scenes={**self.project.scenes, scene.id: scene})

    def put_scene(self, project: Project, scene: Scene) -> Project:
        """The project with a scene replaced."""
        return changed(project, scenes={**project.scenes, scene.id: scene})

    def change_object(self, name: str, object_id: str, merge: str = "", **fields: object) -> None:
        """Replace some fields of an object on the stage."""
        scene = self.scene
        if scene and scene.object(object_id):
            objects = tuple(changed(o, **fields) if o.id == object_id else o for o in scene.objects)
            self.apply(name, self.put_scene(self.project, changed(scene, objects=objects)), merge)

    def add_object(self, asset: Asset, imported: Imported | None = None) -> str:
        """Stand an asset on the stage, and return the object's id.

        It wears what it was imported with, or the open material where that is nothing.
        """
        project = self.ensure_scene()
        if imported:
            project = imported.into(project)
        scene = project.scenes[self.scene_id]
        worn = imported.wears if imported and imported.wears else {"": self.material_id} if self.material_id else {}
        if asset.id not in project.assets:
            project = changed(project, assets={**project.assets, asset.id: asset})
        thing = StageObject(
            id=new_id("object"),
            name=asset.name,
            asset=asset.id,
            wears=worn,
        )
        scene = changed(scene, objects=(*scene.objects, thing))
        self.apply(f"Add {asset.name}", self.put_scene(project, scene))
        return thing.id

    def dress_part(self, object_id: str, part: str, look_id: str) -> None:
        """Let a part of an object, "" for the whole, wear a look or pick; "" takes off what it wore."""
        if self.scene:
            scene = dressed(self.scene, object_id, part, look_id)
            self.apply("Dress", self.put_scene(self.project, scene))

    def open_scene(self, scene_id: str) -> None:
        """Put another scene on the stage, seen as it opens."""
        if scene_id in self.project.scenes and scene_id != self.scene_id:
            self.scene_id = scene_id
            self.changed.emit(self.project, self.project)
            self.set_view(self.project.scenes[scene_id].view)
            if self.material_id not in worn_materials(self.project, scene_id):
                self.open_material(most_worn(self.project, scene_id))

    def new_scene(self) -> None:
        """Add an empty scene and put it on the stage."""
        taken = {scene.name for scene in self.project.scenes.values()}
        name = next(f"Scene {n}" for n in range(1, len(taken) + 2) if f"Scene {n}" not in taken)
        scene = Scene(id=new_id("scene"), name=name)
        self.apply(f"Add {name}", self.put_scene(self.project, scene))
        self.open_scene(scene.id)

    def remove_scene(self) -> None:
        """Take the scene on the stage away; its assets stay in the project."""
        if self.scene:
            scenes = {key: scene for key, scene in self.project.scenes.items() if key != self.scene_id}
            self.apply(f"Delete {self.scene.name}", changed(self.project, scenes=scenes))

    def set_view(self, view: View) -> None:
        """Look from elsewhere. The view is not part of the document."""
        self.view = view
        self.view_changed.emit()

    def frame_all(self, only: str = "") -> None:
        """Look so that everything on the stage is in the picture, or one object by its id."""
        if self.scene:
            chosen = self.scene.object(only)
            shown = changed(self.scene, objects=(chosen,)) if chosen else self.scene
            self.set_view(view_of_bounds(*scene_bounds(shown, self.models), self.view))

    # Files

    def save(self) -> bool:
        """Write the project into its folder; where the disk refuses, say so and keep everything."""
        if self._outside():
            self._look_outside()
            self.told.emit(
                "Not saved: files of this project were changed by another program. Choose above what to keep"
            )
            return False
        return self._write()

    def _write(self) -> bool:
        try:
            self.snapshot = save_project(self.project, self.folder, self.snapshot)
        except LanternError as error:
            self.told.emit(sentence(str(error)))
            return False
        self.saved_project = self.project
        self.undo.setClean()
        self._recovery_timer.stop()
        self.forget_recovery()
        self._watch()
        self.told.emit(f"Saved in {self.folder}")
        self.saved_changed.emit()
        return True

    def keep_mine(self) -> None:
        """Save over what another program wrote; files it added stay where they are."""
        self._left_alone |= {relative for relative in self._outside() if relative not in self.snapshot}
        self._write()

    def take_theirs(self) -> None:
        """Read the folder again, as an edit that can be undone."""
        try:
            opened = open_project(self.folder)
        except LanternError as error:
            self.told.emit(sentence(str(error)))
            return
        self.snapshot, self.file_notices = opened.snapshot, opened.notices
        self.apply("Read files again", opened.project)
        self.undo.setClean()
        self._notices_timer.start()

    def import_mesh(self, path: Path) -> None:
        """Copy a mesh into the project and stand it on the stage; the reading happens beside the window."""
        self._import(path, lambda task: bring_in(path, self.folder, task), self._imported)

    def import_image(self, path: Path, then: Callable[[Texture], None] | None = None) -> None:
        """Copy an image into the project as a texture; the reading happens beside the window."""
        self._import(path, lambda _: bring_in_image(path, self.folder), lambda read: self._imported_image(*read, then))

    def change_texture(self, texture: Texture) -> None:
        """Put a texture in place of the one of its id, or take it in."""
        textures = {**self.project.textures, texture.id: texture}
        self.apply(f"Change {texture.name}", changed(self.project, textures=textures))

    def recoverable(self) -> Opened | None:
        """What was not saved when the project was last left, where there is such a thing."""
        try:
            opened = open_project(self.folder / RECOVERY)
        except LanternError:
            return None
        self._recovery_unanswered = opened.project != self.project
        return opened if self._recovery_unanswered else None

    def recover(self, opened: Opened) -> None:
        """Take up what was not saved, as an edit."""
        self._recovery_unanswered = False
        self.apply("Recover unsaved work", opened.project)

    def forget_recovery(self) -> None:
        """Drop what is kept for recovery."""
        self._recovery_unanswered = False
        self._submit(lambda: shutil.rmtree(self.folder / RECOVERY, ignore_errors=True))

    def close(self) -> None:
        """Stop what runs beside the window."""
        for timer in (self._notices_timer, self._recovery_timer):
            timer.stop()
        self._outside_watch.stop()
        if self.undo.isClean() and not self._recovery_unanswered:
            self.forget_recovery()
        application = QApplication.instance()
        if application:
            application.removeEventFilter(self)
        for task in self._tasks:
            task.cancel()
        self._pool.shutdown(wait=True, cancel_futures=False)
        self.undo.blockSignals(True)  # whoever listens is about to go
        self.blockSignals(True)

    # Beside the window

    def _import(self, path: Path, read: Callable[[Task], T], take: Callable[[T], None]) -> None:
        """Read a file beside the window, then take what was read; where it cannot be read, say why."""
        self.told.emit(f"Reading {path.name}…")
        self.beside(f"Reading {path.name}", read, take, self._submit)

    def beside(
        self,
        words: str,
        work: Callable[[Task], T],
        take: Callable[[T], None],
        run: Callable[[Callable[[], object]], object] | None = None,
    ) -> Task:
        """Do long work on a thread beside the window, then take what it gives; where it fails, say why.

        `run`: what runs it, if not a thread of its own.
        """
        task = Task(words, self)
        self.task_started.emit(task)

        def over(then: Callable[[], object]) -> None:
            task.end()
            then()

        def beside() -> None:
            with contextlib.suppress(RuntimeError):  # the window has gone meanwhile
                try:
                    found = work(task)
                except LanternError as error:
                    text = sentence(str(error))
                    self._done.emit(lambda: over(lambda: self.told.emit(text)))
                    return
                self._done.emit(lambda: over(lambda: take(found)))

        self._tasks.append(task)
        if run:
            run(beside)
        else:
            threading.Thread(target=beside, name=words, daemon=True).start()
        return task

    def _imported(self, found: Imported) -> None:
        asset, model = found.asset, found.model
        self.files.hold_model(asset, model)
        object_id = self.add_object(asset, found)
        if found.surfaces.materials:
            self.open_material(found.surfaces.materials[0].id)
        self.models_changed.emit()
        self.object_imported.emit(object_id)
        triangles = sum(len(p.mesh.triangles) for p in model.parts)
        text = f"{asset.name}: {len(model.parts)} part(s), {triangles:,} triangles"
        surfaces = len(found.surfaces.instances)
        self.told.emit(f"{text}, {surfaces} surface(s) as instances to tune" if surfaces else text)

    def _imported_image(self, texture: Texture, image: Image, then: Callable[[Texture], None] | None) -> None:
        self.files.hold_image(texture, image)
        textures = {**self.project.textures, texture.id: texture}
        self.apply(f"Import {texture.name}", changed(self.project, textures=textures))
        self.models_changed.emit()
        self.told.emit(f"{texture.name}: {image.width} × {image.height}, read as {texture.encoding}")
        if then:
            then(texture)

    def _find_notices(self) -> None:
        project, images = self.project, dict(self.images)

        def find() -> None:
            found = check_project(project, images)
            self._done.emit(lambda: self._found_notices(project, found))

        self._submit(find)

    def _found_notices(self, project: Project, found: list[Notice]) -> None:
        if project is self.project:
            self._checked = found
            self._gather_notices()

    def take_measured(self, material: Material, notices: list[Notice]) -> None:
        """Put the notices that rest on measured values in place of those from the document alone."""
        if material is self.project.graph(material.id):
            self._measured = (material, notices)
            self._gather_notices()

    def _gather_notices(self) -> None:
        files = (*self.project.assets, *self.project.textures)
        of_files = [n for file_id in files for n in self.files.notices.get(file_id, [])]
        found = self._checked
        if self._measured and self._measured[0] is self.project.graph(self._measured[0].id):
            place = self._measured[0].id
            found = [n for n in found if n.place != place] + self._measured[1]
        order = list(Severity)
        notices = [*self.file_notices, *of_files, *found]
        self.notices = sorted(notices, key=lambda n: (not n.open, -order.index(n.severity)))
        self.notices_changed.emit()

    def _keep_for_recovery(self) -> None:
        project = self.project
        if not self.undo.isClean():
            self._submit(lambda: save_project(project, self.folder / RECOVERY))

    def _outside(self) -> list[str]:
        return [r for r in changed_outside(self.folder, self.snapshot) if r not in self._left_alone]

    def _look_outside(self) -> None:
        self._watch()
        differing = self._outside()
        if differing:
            self.files_changed_outside.emit(differing)

    def _watch(self) -> None:
        self._outside_watch.watch([*reversed(self.snapshot), *FOLDERS, "."])

    def _submit(self, work: Callable[[], object]) -> Future[object] | None:
        with contextlib.suppress(RuntimeError):  # closing
            return self._pool.submit(work)
        return None


class _Edit(QUndoCommand):
    def __init__(self, session: Session, name: str, before: Project, after: Project, merge: str) -> None:
        super().__init__(name)
        self.session, self.before, self.after, self.merge = session, before, after, merge

    def id(self) -> int:
        return 1 if self.merge else -1

    def mergeWith(self, other: QUndoCommand | None) -> bool:
        if not isinstance(other, _Edit) or other.merge != self.merge:
            return False
        self.after = other.after
        return True

    def undo(self) -> None:
        self.session.put(self.before)

    def redo(self) -> None:
        self.session.put(self.after)


def sentence(text: str) -> str:
    """The words with a capital at the start, unless they start with a file's name."""
    first = text.partition(" ")[0]
    return text if set("./_") & set(first) else text[:1].upper() + text[1:]
