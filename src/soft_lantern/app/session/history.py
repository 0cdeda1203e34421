"""What can be undone: the document before and after each edit, within a bound on memory."""

from __future__ import annotations

import msgspec
from msgspec import Struct
from msgspec.structs import replace
from PyQt6.QtCore import QCoreApplication, QEvent, QObject, pyqtSignal

from soft_lantern import turns
from soft_lantern.app.theme.remembered import remembered, remembered_number
from soft_lantern.formats.saving import changed_records
from soft_lantern.graph.document import Project, alone

MOST_BYTES = 256 << 20
"""Bytes of records that undo may keep alive unless a person chose otherwise; the oldest edits are forgotten first."""
MOST_EDITS = 5000


class Edit(Struct, frozen=True, eq=False):
    """One entry. Edits with the same `merge` one after another become one."""

    name: str
    before: Project
    after: Project
    merge: str = ""
    weight: int = 0


def undo_room() -> int:
    """Bytes that undo may keep alive, as a person chose."""
    return int(remembered_number("undo bytes", MOST_BYTES, 1 << 20, 1 << 40))


def choose_undo_room(history: History, most_bytes: int) -> None:
    """Let undo keep so much alive, in this window at once."""
    remembered().setValue("undo bytes", most_bytes)
    history.most_bytes = most_bytes


class History(QObject):
    """`put` tells the project that is to be the present one, `changed` that there is something else to undo or redo."""

    put = pyqtSignal(object)
    changed = pyqtSignal()

    def __init__(self, parent: QObject | None = None, *, most_bytes: int | None = None) -> None:
        super().__init__(parent)
        self.most_bytes = undo_room() if most_bytes is None else most_bytes
        self._edits: list[Edit] = []
        self._at = 0
        self._before_turn: tuple[list[Edit], Project] | None = None
        self._shown = True

    def push(self, edit: Edit) -> None:
        """Make an edit, in place of those that were undone."""
        if self._before_turn is None:
            self._before_turn = self._edits[: self._at], edit.before
            QCoreApplication.postEvent(self, QEvent(QEvent.Type.User))
        del self._edits[self._at :]
        last, weight = self._edits[-1] if self._edits else None, _weight(edit.before, edit.after)
        if edit.merge and last and last.merge == edit.merge:  # its steps touch the same records
            edit, weight = replace(edit, before=last.before), max(last.weight, weight)
            self._edits.pop()
        self._edits.append(replace(edit, weight=weight))
        self._at = len(self._edits)
        self._forget_oldest()
        self._put(edit.after)

    def undo(self) -> None:
        """Go back by one edit, where there is one."""
        if self._at:
            self._at -= 1
            self._put(self._edits[self._at].before)

    def redo(self) -> None:
        """Make the edit again that was undone last."""
        if self._at < len(self._edits):
            self._at += 1
            self._put(self._edits[self._at - 1].after)

    def take_back_turn(self) -> bool:
        """Undo what was edited since the window last took events, since what did it broke off; whether there was any.

        Redo makes it again, as one edit. An edit that a view fails to show is made all the same.
        """
        if self._before_turn is None or not self._shown:
            return False
        (edits, before), self._before_turn = self._before_turn, None
        if not self._at or self._edits[: self._at] == edits:
            return False
        made = self._edits[self._at - 1]
        self._edits = [*edits, Edit(made.name, before, made.after, weight=_weight(before, made.after))]
        self._at = len(edits)
        self._put(before)
        return True

    def customEvent(self, event: QEvent | None) -> None:
        self._before_turn = None

    @property
    def count(self) -> int:
        """How many edits are kept, those that were undone included."""
        return len(self._edits)

    @property
    def index(self) -> int:
        """How many of them are made."""
        return self._at

    @property
    def can_undo(self) -> bool:
        """Whether there is an edit to undo."""
        return self._at > 0

    @property
    def can_redo(self) -> bool:
        """Whether there is an edit to make again."""
        return self._at < len(self._edits)

    @property
    def undo_name(self) -> str:
        """What undo would take back."""
        return self._edits[self._at - 1].name if self._at else ""

    @property
    def redo_name(self) -> str:
        """What redo would make again."""
        return self._edits[self._at].name if self.can_redo else ""

    @property
    def bytes(self) -> int:
        """About how much the kept edits hold."""
        return sum(edit.weight for edit in self._edits)

    def _put(self, project: Project) -> None:
        outer, self._shown = self._shown, False
        try:
            with turns.taken():
                self.put.emit(project)
                self.changed.emit()
        finally:
            self._shown = outer

    def _forget_oldest(self) -> None:
        total = self.bytes
        while len(self._edits) > 1 and (total > self.most_bytes or len(self._edits) > MOST_EDITS):
            total -= self._edits.pop(0).weight
            self._at -= 1


def _weight(before: Project, after: Project) -> int:
    """About how many bytes an edit keeps alive: those of the records as they were. What they share is counted twice."""
    records = [was for _, was, _ in changed_records(after, before) if was is not None]
    return 200 + sum(len(msgspec.json.encode(alone(record))) for record in records)
