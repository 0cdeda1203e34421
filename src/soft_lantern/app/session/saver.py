"""What stands between the open project and its folder: saving, work kept for recovery, changes by other programs."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from msgspec.structs import replace
from PyQt6.QtCore import QEventLoop, QObject, pyqtSignal

from soft_lantern.app.session.outside_watch import OutsideWatch
from soft_lantern.app.session.unsaved import Unsaved, keep_or_say
from soft_lantern.app.work.background import Background
from soft_lantern.errors import BadFile
from soft_lantern.formats.project_folder import KEEP_ALONE, KEEP_BOTH, OnDisk, changed_outside, hash_of, read_one
from soft_lantern.formats.records import FOLDERS, HEAD, head_of
from soft_lantern.formats.recovery import Difference, with_records
from soft_lantern.formats.saving import ChangedOutside, Saved, changed_records, head_differs, put_aside, save_project
from soft_lantern.graph.document import Project, Record, changed, new_id


class Saver(QObject):
    """Saves one project beside the window, and compares it with what is on disk."""

    told = pyqtSignal(str)
    changed = pyqtSignal()
    """What is saved, or whether everything is."""
    touched = pyqtSignal(str)
    """The path of a file of the project that another program, or this one, has written."""
    outside = pyqtSignal(list)
    """Paths of records that another program changed, and that the person has not decided on."""

    def __init__(
        self, folder: Path, background: Background, on_disk: OnDisk, current: Callable[[], Project], parent: QObject
    ) -> None:
        super().__init__(parent)
        self.folder, self._background, self._current = folder, background, current
        self.on_disk = on_disk
        self.unsaved = Unsaved(folder, background, lambda: (self._current(), self.on_disk), self)
        self.unsaved.failed.connect(self.told)
        self._let_go: Project | None = None
        self._differed = ("", "")
        self._ignored: dict[str, str | None] = {}
        self._saving = self._again = self._looking = False
        self._then: list[Callable[[bool], None]] = []
        self._watch = OutsideWatch(folder, self)
        self._watch.changed.connect(self.look_outside)
        self._watch.touched.connect(self.touched)
        self._watch_records()

    @property
    def is_saved(self) -> bool:
        """Whether the present project is what is on disk, or the person has let go of the rest."""
        project, before = self._current(), self.on_disk.project
        if project is before or project is self._let_go:
            return True
        if head_differs(project, before):
            return False
        folder, record_id = self._differed
        if folder and getattr(project, folder).get(record_id) != getattr(before, folder).get(record_id):
            return False  # still the same one, as with every step of a slider among thousands
        found = next(changed_records(project, before), None)
        self._differed = (found[0], (found[1] or found[2]).id) if found else ("", "")  # type: ignore[union-attr]
        return found is None

    def edited(self) -> None:
        """The project was edited."""
        self.unsaved.edited()

    # Saving

    def begin(self, then: Callable[[bool], None] | None = None) -> None:
        """Save beside the window; `then` hears whether it went well."""
        if then:
            self._then.append(then)
        if self._saving:
            self._again = True  # it may have changed since then
            return
        self._saving, self._again = True, False
        project, folder, before = self._current(), self.folder, self.on_disk

        def save() -> Saved | ChangedOutside:
            try:
                return save_project(project, folder, before, refuse=True)
            except ChangedOutside as error:
                return error

        self._background.work_out(save, self._saved, self._not_saved)

    def save(self) -> bool:
        """Save and wait for it, the window alive meanwhile; whether it went well."""
        loop, went_well = QEventLoop(), [False]

        def over(well: bool) -> None:
            went_well[0] = well
            loop.quit()

        self.begin(over)
        loop.exec(QEventLoop.ProcessEventsFlag.ExcludeUserInputEvents)
        return went_well[0]

    def let_go(self) -> None:
        """The person does not want what is not saved; it goes among the earlier states."""
        keep_or_say(self.unsaved)
        self._let_go = self._current()
        self.unsaved.settle()

    def end(self) -> None:
        """The window goes."""
        self._watch.stop()
        if self.is_saved:
            self.unsaved.settle()
        self.unsaved.end()

    def _saved(self, found: Saved | ChangedOutside) -> None:
        if isinstance(found, ChangedOutside):
            self._not_saved(str(found))
            self.outside.emit(found.files)
            return
        before, self.on_disk = self.on_disk.files, found.on_disk
        if (self._again or self._then) and self._current() is not found.on_disk.project:
            self._saving = False
            self.begin()  # it was edited meanwhile, and somebody wants all of it saved
            return
        if self.is_saved:
            self.unsaved.settle()
        self._watch.watch([path for path, known in found.on_disk.files.items() if before.get(path) != known])
        self.told.emit(f"Saved in {self.folder}")
        self._over(True)

    def _not_saved(self, text: str) -> None:
        self.told.emit(text)
        self._over(False)

    def _over(self, well: bool) -> None:
        self._saving = False
        waiting, self._then = self._then, []
        self.changed.emit()
        for then in waiting:
            then(well)

    # Other programs

    def look_outside(self) -> None:
        """See, beside the window, whether another program changed records."""
        self._watch_records()
        if self._looking:
            return
        self._looking = True
        folder, before, ignored = self.folder, self.on_disk, dict(self._ignored)

        def look() -> list[str]:
            found = changed_outside(folder, before.files)
            return [path for path in found if path not in ignored or hash_of(folder, path) != ignored[path]]

        self._background.work_out(look, lambda found: self._seen(before, found), lambda text: self._seen(before, []))

    def _seen(self, before: OnDisk, found: list[str]) -> None:
        self._looking = False
        if before is not self.on_disk:
            self.look_outside()  # saved meanwhile
        elif found:
            self.outside.emit(found)

    def versions(self, paths: list[str]) -> list[Difference]:
        """Records as they are here and on disk, for those that another program changed."""
        project, before = self._current(), self.on_disk
        found = []
        for path in paths:
            name, record_id = self._place(path)
            if name not in FOLDERS:
                continue
            try:
                theirs = read_one(self.folder, path)
            except BadFile:
                continue  # it is told among the notices, and stays as it is
            if theirs is not None:
                record_id = theirs.id  # type: ignore[attr-defined]
            ours = getattr(project, name).get(record_id)
            was = getattr(before.project, name).get(record_id)
            assert not isinstance(theirs, Project)
            found.append(Difference(path, getattr(theirs or ours, "name", record_id), ours, theirs, ours is not was))
        return found

    def decide(self, project: Project, paths: list[str], mine: set[str]) -> Project:
        """A project with the version on disk of each record, but for those at the paths that stay as they are here.

        From now on what is on disk counts as known, so that saving writes what stays over it.
        """
        known = self.on_disk
        files, homes = dict(known.files), dict(known.homes)
        taken: dict[str, Record | None] = {}
        base: dict[str, Record | None] = {}
        for path in paths:
            now = hash_of(self.folder, path)
            try:
                theirs = read_one(self.folder, path)
            except BadFile:
                self._ignored[path] = now
                continue
            if path == HEAD:
                if isinstance(theirs, Project) and now:
                    files[path] = now
                    known = replace(known, project=_headed(known.project, theirs))
                    project = project if path in mine else _headed(project, theirs)
                continue
            assert not isinstance(theirs, Project)
            if path in mine and path not in files:
                self._ignored[path] = now  # a file that is new stays where it is
                continue
            name, record_id = self._place(path)
            if theirs is not None and now is not None:
                record_id = theirs.id  # type: ignore[attr-defined]
                files[path] = now
                if path != f"{name}/{record_id}.json":
                    homes[name, record_id] = path
            else:
                files.pop(path, None)
            base[f"{name}/{record_id}"] = theirs
            if path not in mine:
                taken[f"{name}/{record_id}"] = theirs
        merged = with_records(project, taken)
        self.on_disk = OnDisk(with_records(known.project, base), files, homes, known.disputed)
        return merged

    def settle_same_id(self, project: Project, copy: str, choice: str) -> Project:
        """A project after one of two files with the same id was chosen; from now on they are written again.

        Raises LanternError where the copy cannot be read or put aside.
        """
        known = self.on_disk
        name, _, _ = copy.partition("/")
        record = read_one(self.folder, copy)
        if record is None or isinstance(record, Project):
            raise BadFile(f"{copy} is gone")
        record_id: str = record.id  # type: ignore[attr-defined]
        files, homes = dict(known.files), dict(known.homes)
        if choice == KEEP_BOTH:
            own = new_id(name.removesuffix("s"))
            record = changed(record, id=own)
            homes[name, own] = copy
        else:
            put_aside(self.folder, copy)
            files.pop(copy, None)
        settled = frozenset(known.disputed) - {copy, known.home(name, record_id)}
        self.on_disk = replace(known, files=files, homes=homes, disputed=settled)
        if choice == KEEP_ALONE:
            return project
        return with_records(project, {f"{name}/{record.id}": record})  # type: ignore[attr-defined]

    def _place(self, path: str) -> tuple[str, str]:
        name, _, file = path.partition("/")
        record_id = file.removesuffix(".json")
        for (folder, known), home in self.on_disk.homes.items():
            if home == path:
                return folder, known
        return name, record_id

    def _watch_records(self) -> None:
        project = self._current()
        images = [texture.file for texture in project.textures.values() if texture.file]
        meshes = [asset.file for asset in project.assets.values() if asset.file]
        self._watch.watch([*reversed(self.on_disk.files), *images, *meshes, *FOLDERS, "."])


def _headed(project: Project, head: Project) -> Project:
    return changed(project, **head_of(head), unknown=head.unknown)
