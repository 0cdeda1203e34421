"""A window's side of an open project: applies edits, knows what it has open, and tells the views what changed.

An edit is a function from the project of that moment to the next. Edits of one gesture, such as a slider drag, become
one entry of what can be undone.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from pathlib import Path
from typing import TypeVar

from PyQt6.QtCore import QObject, pyqtSignal

from soft_lantern import turns
from soft_lantern.app.session.gestures import Gestures
from soft_lantern.app.session.history import Edit
from soft_lantern.app.session.open_project import OpenProject
from soft_lantern.app.work.background import Run
from soft_lantern.app.work.only_one import only_one
from soft_lantern.app.work.tasks import Task
from soft_lantern.errors import LanternError
from soft_lantern.formats.assets import Imported
from soft_lantern.graph.document import (
    Asset,
    Material,
    Project,
    Scene,
    View,
    changed,
    new_id,
    with_records,
)
from soft_lantern.graph.instances.picks import files_shown, most_worn, with_worn, worn_materials
from soft_lantern.graph.instances.values import edited_graph
from soft_lantern.graph.notice import Notice
from soft_lantern.graph.scenes import added_object, changed_object, edited_scene, new_scene
from soft_lantern.progress import Progress
from soft_lantern.render.staging import scene_bounds
from soft_lantern.scene.transforms import view_of_bounds

T = TypeVar("T")


class Session(QObject):
    """One window's open project; windows beside each other share it, and each has its own scene, graph and view."""

    changed = pyqtSignal(object, object)
    """The project before and after an edit."""
    opened_material = pyqtSignal()
    models_changed = pyqtSignal()
    view_changed = pyqtSignal()
    notices_changed = pyqtSignal()
    saved_changed = pyqtSignal()
    task_started = pyqtSignal(object)
    """Long work, as an `app.tasks.Task`."""
    told = pyqtSignal(str)
    """A sentence for the person."""
    nodes_selected = pyqtSignal(object)
    """The ids of nodes of the open material that are selected now, wherever that was done."""
    object_imported = pyqtSignal(str)
    """The id of an object that an import has put on the stage."""
    asked = pyqtSignal(str, str, object)
    """A question that does not stop the work: what it is about, its words, and what each answer does, by its words."""
    listed = pyqtSignal(str, list)
    """Something to read at leisure: its title, and its lines."""

    def __init__(self, folder: Path, beside: Session | None = None, *, held: bool = False) -> None:
        """Open the project in a folder, or as another window has it; `held`: its files wait for `files.begin`.

        Raises BadProject.
        """
        super().__init__()
        self.folder = folder
        self.selected_nodes: frozenset[str] = frozenset()
        self.for_designers = False
        """Whether it is open for those alone who tune instances."""
        self.shared: OpenProject = beside.shared if beside else OpenProject(folder, held=held)
        self.shared.windows += 1
        shared = self.shared
        self.background, self.files, self.undo = shared.background, shared.files, shared.undo
        self.saver, self.found, self.gestures = shared.saver, shared.notices, only_one(Gestures)
        self.models, self.images, self.loading = self.files.models, self.files.images, self.files.loading
        self._show_scene(next(iter(sorted(self.project.scenes)), ""))
        self.material_id = most_worn(self.project, self.scene_id)
        self._heard = (
            self.background.started.connect(self.task_started),
            self.background.failed.connect(self.complain),
            self.saver.told.connect(self.complain),
            self.saver.changed.connect(self.saved_changed),
            self.found.changed.connect(self.notices_changed),
            self.files.changed.connect(self.models_changed),
            shared.replaced.connect(self._settle),
            shared.changed.connect(self.changed),
        )

    # What is open

    @property
    def project(self) -> Project:
        """The project as it is now."""
        return self.shared.project

    @property
    def is_alone(self) -> bool:
        """Whether no other window has the project open."""
        return self.shared.windows == 1

    @property
    def material(self) -> Material | None:
        """The material, or snippet, whose graph is open."""
        return self.project.graph(self.material_id)

    @property
    def scene(self) -> Scene | None:
        """The scene on the stage."""
        return self.project.scenes.get(self.scene_id)

    @property
    def scene_held(self) -> str:
        """Why the scene on the stage may not be changed, "" where it may."""
        if not self.for_designers or self.scene is None or self.scene.own:
            return ""
        return "This scene is the author’s: make a copy of your own, and change that"

    def open_material(self, material_id: str) -> None:
        """Open another material's graph."""
        if self.project.graph(material_id) and material_id != self.material_id:
            self.material_id, self.selected_nodes = material_id, frozenset()
            self.opened_material.emit()

    def select_nodes(self, node_ids: Iterable[str]) -> None:
        """Select nodes of the open material, and no others."""
        chosen = frozenset(node_ids)
        if chosen != self.selected_nodes:
            self.selected_nodes = chosen
            self.nodes_selected.emit(chosen)

    @property
    def notices(self) -> list[Notice]:
        """Every notice, open ones and the worst first."""
        return self.found.all

    @property
    def is_saved(self) -> bool:
        """Whether everything is on disk."""
        return self.saver.is_saved

    # Edits

    def apply(self, name: str, edit: Callable[[Project], Project], merge: str = "") -> bool:
        """Edit the project of this moment, as one thing to undo; where it cannot be done, say why and change nothing.

        Edits with the same `merge` within one gesture become one. An edit that gives back what it was given is none.
        """
        with turns.taken():
            try:
                after = edit(self.project)
            except LanternError as error:
                self.complain(error)
                return False
            if after is not self.project and after != self.project:
                key = f"{merge}@{self.gestures.count}" if merge else ""
                self.undo.push(Edit(name, self.project, after, key))
            return True

    def attempt(self, work: Callable[[], object]) -> bool:
        """Do what is no edit, such as writing a file; where it cannot be done, say why."""
        try:
            work()
        except LanternError as error:
            self.complain(error)
            return False
        return True

    def complain(self, trouble: LanternError | str) -> None:
        """Say why something cannot be done, or was not."""
        self.told.emit(sentence(str(trouble)))

    def edit_material(self, name: str, material_id: str, edit: Callable[[Material], Material], merge: str = "") -> bool:
        """Edit a material or snippet."""
        return self.apply(name, lambda project: edited_graph(project, material_id, edit), merge)

    def edit_scene(self, name: str, edit: Callable[[Scene], Scene], merge: str = "") -> bool:
        """Edit the scene on the stage."""
        scene_id = self.scene_id
        return self.apply(name, lambda project: edited_scene(project, scene_id, edit), merge)

    def change_object(self, name: str, object_id: str, merge: str = "", **fields: object) -> bool:
        """Replace some fields of an object on the stage."""
        return self.edit_scene(name, lambda scene: changed_object(scene, object_id, fields), merge)

    def dress_part(self, object_id: str, part: str, look_id: str) -> None:
        """Let a part of an object, "" for the whole, wear a look or pick; "" takes off what it wore."""
        self.edit_scene("Dress", lambda scene: with_worn(scene, object_id, part, look_id))

    def _settle(self, project: Project) -> None:
        """Let go of a graph and a scene that are no longer there."""
        if project.graph(self.material_id) is None:
            self.material_id = most_worn(project, self.scene_id)
            self.opened_material.emit()
        if self.scene_id not in project.scenes:
            self._show_scene(next(iter(sorted(project.scenes)), ""))

    # The scene

    def add_object(self, asset: Asset, imported: Imported | None = None) -> str:
        """Stand an asset on the stage, in a new scene where there is none, and return the object's id.

        It wears what it was imported with, or nothing.
        """
        if self.scene is None:
            scene = new_scene(self.project)
            self.scene_id, self.view = scene.id, scene.view
        worn = imported.wears if imported else {}
        object_id, scene_id = new_id("object"), self.scene_id

        def added(project: Project) -> Project:
            if imported:
                project = imported.into(project)
            if scene_id not in project.scenes:
                project = with_records(project, changed(scene, name="Stage"))
            return added_object(project, scene_id, asset, worn, object_id)

        self.apply(f"Add {asset.name}", added)
        if not worn:
            self.told.emit(f"{asset.name} stands on the stage in plain grey: drop a look on it. Home shows everything")
        return object_id

    def open_scene(self, scene_id: str) -> None:
        """Put another scene on the stage, seen as it opens."""
        if scene_id in self.project.scenes and scene_id != self.scene_id:
            self._show_scene(scene_id)
            self.changed.emit(self.project, self.project)
            self.view_changed.emit()
            if self.material_id not in worn_materials(self.project, scene_id):
                self.open_material(most_worn(self.project, scene_id))

    def _show_scene(self, scene_id: str) -> None:
        """The scene and its view change together, so that no picture is asked for with one of them alone."""
        self.scene_id = scene_id
        self.view = self.scene.view if self.scene else View()
        if self.scene:
            self.files.read_first(files_shown(self.project, self.scene))

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
        """Write the project into its folder, and wait for it; where the disk refuses, say so and keep everything."""
        return self.saver.save()

    def close(self) -> None:
        """Leave the project; the last window's end stops what runs beside it."""
        for each in self._heard:
            QObject.disconnect(each)
        self.shared.leave()
        self.blockSignals(True)  # whoever listens is about to go

    # Beside the window

    def beside(
        self, words: str, work: Callable[[Progress], T], take: Callable[[T], object], run: Run | None = None
    ) -> Task:
        """Do long work beside the window, then take what it gives; where it fails, say why."""
        return self.background.begin(words, work, take, run)


def sentence(text: str) -> str:
    """The words with a capital at the start, unless they start with a file's name."""
    first = text.partition(" ")[0]
    return text if set("./_") & set(first) else text[:1].upper() + text[1:]
