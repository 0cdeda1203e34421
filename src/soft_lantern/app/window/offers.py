"""What the window asks about the project's folder: what another program changed, what an earlier window left."""

from __future__ import annotations

import time
from functools import partial

from PyQt6.QtWidgets import QInputDialog, QWidget

from soft_lantern.app.session.session import Session
from soft_lantern.app.session.unsaved import keep_or_say
from soft_lantern.app.widgets.passing import passing
from soft_lantern.app.widgets.told_lines import ToldLines
from soft_lantern.app.window.banner import Banner
from soft_lantern.app.window.versions_dialog import VersionsDialog
from soft_lantern.formats.recovery import Difference, State, earlier_states
from soft_lantern.formats.saving import first_few
from soft_lantern.render.worker import RenderWorker
from soft_lantern.values.words import counted

OUTSIDE, LEFT = "outside", "left"


class Offers:
    """Asks in the banner, and in a dialog where records are to be chosen one by one."""

    def __init__(self, session: Session, worker: RenderWorker, banner: Banner, parent: QWidget) -> None:
        self.session, self.worker, self.banner, self.parent = session, worker, banner, parent
        self.dialog: VersionsDialog | None = None
        session.listed.connect(lambda title, lines: passing(ToldLines(title, lines, parent)).open())

    def outside(self, files: list[str]) -> None:
        """Ask what is to count of records that another program changed."""
        self.banner.ask(
            OUTSIDE,
            f"Changed by another program: {first_few(files)}",
            {
                "Choose…": lambda: self.choose_outside(files),
                "Read again": lambda: self._decide(files, set()),
                "Keep mine": lambda: self._decide(files, set(files)),
            },
        )

    def choose_outside(self, files: list[str]) -> None:
        """Choose for each record which version counts."""
        found = [each for each in self.session.saver.versions(files) if each.ours != each.kept]
        if not found:
            self._decide(files, set())
            return
        words = ("Changed by another program", "here", "on disk")
        dialog = self._dialog(found, words)
        dialog.accepted.connect(lambda: self._decide(files, {d.path for d in found} - dialog.taken))
        dialog.rejected.connect(lambda: self.outside(files))
        dialog.open()

    def left_behind(self) -> None:
        """Offer what windows that are gone did not save, one after the other."""
        states = self.session.saver.unsaved.left
        for state in states:
            for trouble in state.trouble:
                self.session.told.emit(trouble)
            if not state.records and not state.head:
                continue
            count = len(state.records) + bool(state.head)
            when = time.strftime("%d %b, %H:%M", time.localtime(state.when))
            self.banner.ask(
                LEFT,
                f"Work of {when} was not saved: {counted(count, 'record')}",
                {
                    "Look…": partial(self._choose, state, "Work that was not saved"),
                    "Bring it back": partial(self._take_up, state),
                    "Leave it out": partial(self._answered, state),
                },
            )
            return

    def earlier_states(self) -> None:
        """Choose one of the states kept of the last week, and what of it is to count."""
        states = earlier_states(self.session.folder)
        if not states:
            self.session.told.emit("No earlier states of this project are kept")
            return
        names = [
            f"{number}. {time.strftime('%d %b %Y, %H:%M:%S', time.localtime(s.when))}: {', '.join(list(s.records)[:3])}"
            for number, s in enumerate(states, 1)
        ]
        name, chosen = QInputDialog.getItem(self.parent, "Earlier states", "Kept of the last week", names, 0, False)
        if chosen:
            self._choose(states[names.index(name)], "An earlier state")

    def _take_up(self, state: State) -> None:
        saver = self.session.saver
        if any(each.both for each in state.differences(self.session.project, saver.on_disk)):
            self._choose(state, "Records changed since")
            return
        self._take(state, None)

    def _choose(self, state: State, title: str) -> None:
        found = state.differences(self.session.project, self.session.saver.on_disk)
        if not found:
            self._take(state, None)
            return
        dialog = self._dialog(found, (title, "now", "then"))
        dialog.accepted.connect(lambda: self._take(state, dialog.taken))
        dialog.rejected.connect(self.left_behind)
        dialog.open()

    def _take(self, state: State, paths: set[str] | None) -> None:
        saver = self.session.saver
        self.session.apply("Recover unsaved work", lambda project: state.merged(project, paths))
        trouble = keep_or_say(saver.unsaved)  # before what was left is let go of
        if trouble:
            self.session.told.emit(trouble)
            return
        self.session.told.emit("Taken up; Undo goes back to what was here")
        self._answered(state)

    def _answered(self, state: State) -> None:
        self.session.saver.unsaved.answered(state)
        self.left_behind()

    def _decide(self, files: list[str], mine: set[str]) -> None:
        session = self.session
        session.apply("Read files again", lambda project: session.saver.decide(project, files, mine))
        session.told.emit("Chosen; what counts here is written by the next save")
        session.saver.changed.emit()
        session.saver.look_outside()

    def _dialog(self, found: list[Difference], words: tuple[str, str, str]) -> VersionsDialog:
        dialog = passing(VersionsDialog(self.session, self.worker, found, words, self.parent))
        self.dialog = dialog
        return dialog
