"""Every notice with what was measured, what is possible, a way to it, and its mends."""

from __future__ import annotations

from collections.abc import Mapping
from itertools import groupby

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QInputDialog, QScrollArea, QToolButton, QVBoxLayout, QWidget

from soft_lantern.app.widgets.buttons import tool_button
from soft_lantern.app.widgets.labels import heading_label, plain_label, quiet_label
from soft_lantern.app.widgets.manual_view import open_manual
from soft_lantern.app.widgets.when_seen import WhenSeen
from soft_lantern.graph.notice import Fix, Notice, Severity

_SIGNS = {Severity.ERROR: "Error", Severity.WARNING: "Warning", Severity.INFO: "Note"}
MOST = 60


class NoticeList(QScrollArea):
    """Shows notices; the signals tell what a person wants done about one."""

    jump_wanted = pyqtSignal(object)
    fix_wanted = pyqtSignal(object, object)
    accept_wanted = pyqtSignal(object, str)
    reopen_wanted = pyqtSignal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.notices: list[Notice] = []
        self._places: Mapping[str, str] = {}
        self.fix_buttons: dict[tuple[str, str, str], QToolButton] = {}
        self._changed = WhenSeen(self, self._show)
        self._changed()

    def show_notices(self, notices: list[Notice], places: Mapping[str, str] | None = None) -> None:
        """Show these notices, the first sixty of them; while the list is hidden, as soon as it no longer is.

        `places`: what each notice's place is called, in the order in which places are shown.
        """
        places = places or {}
        order = list(places)
        notices = sorted(notices, key=lambda n: order.index(n.place) if n.place in places else len(order))
        same = [_key(n) for n in notices] == [_key(n) for n in self.notices] and places == self._places
        self.notices, self._places = notices, places
        if not same:
            self._changed()

    def _show(self) -> None:
        notices, places = self.notices, self._places
        self.fix_buttons.clear()
        inside = QWidget()
        column = QVBoxLayout(inside)
        column.setContentsMargins(0, 4, 4, 4)
        column.setSpacing(6)
        for place, group in groupby(notices[:MOST], key=lambda notice: notice.place):
            if place in places:
                column.addWidget(heading_label(places[place]))
            for notice in group:
                column.addWidget(self._card(notice))
        if len(notices) > MOST:
            column.addWidget(plain_label(f"and {len(notices) - MOST} more"))
        if not notices:
            column.addWidget(quiet_label("Nothing is wrong"))
        column.addStretch(1)
        self.setWidget(inside)

    def _card(self, notice: Notice) -> QFrame:
        card = QFrame()
        card.setProperty("card", True)
        column = QVBoxLayout(card)
        column.setContentsMargins(8, 6, 8, 6)
        column.setSpacing(3)
        sign = "Accepted" if notice.accepted is not None else _SIGNS[notice.severity]
        head = heading_label(sign)
        head.setProperty("quiet", not notice.open)
        column.addWidget(head)
        words = plain_label(notice.text)
        words.setWordWrap(True)
        words.setProperty("quiet", not notice.open)
        column.addWidget(words)
        facts = [f"measured {notice.measured}"] * bool(notice.measured)
        facts += [f"possible {notice.possible}"] * bool(notice.possible)
        facts += [f"accepted: {notice.accepted or 'no remark'}"] * (notice.accepted is not None)
        if facts:
            column.addWidget(quiet_label(", ".join(facts), wraps=True))
        row = QHBoxLayout()
        row.setSpacing(4)
        if notice.accepted is None and notice.fixes:
            mends = QHBoxLayout()
            mends.setSpacing(4)
            for fix in notice.fixes:
                mends.addWidget(self._fix_button(notice, fix))
            mends.addStretch(1)
            column.addLayout(mends)
        row.addWidget(tool_button("Why?", lambda: open_manual(self, "notices", f"{notice.kind}:")))
        row.addStretch(1)
        if notice.node or notice.place:
            row.addWidget(tool_button("Go there", lambda: self.jump_wanted.emit(notice)))
        if notice.node:
            if notice.accepted is None:
                row.addWidget(tool_button("Accept…", lambda: self._ask_remark(notice)))
            else:
                row.addWidget(tool_button("Reopen", lambda: self.reopen_wanted.emit(notice)))
        column.addLayout(row)
        return card

    def _fix_button(self, notice: Notice, fix: Fix) -> QToolButton:
        button = tool_button(fix.words, lambda: self._fix(notice, fix.words))
        self.fix_buttons[(notice.kind, notice.node, fix.words)] = button
        return button

    def _fix(self, notice: Notice, words: str) -> None:
        """The mend as it is now: the list keeps its cards while only numbers change."""
        for now in self.notices:
            if _key(now) == _key(notice):
                self.fix_wanted.emit(now, next(f for f in now.fixes if f.words == words))
                return

    def _ask_remark(self, notice: Notice) -> None:
        remark, accepted = QInputDialog.getText(self, "Accept a notice", "Why may this stand?")
        if accepted:
            self.accept_wanted.emit(notice, remark)


def _key(notice: Notice) -> tuple[object, ...]:
    fixes = tuple(f.words for f in notice.fixes)
    return (notice.text, notice.place, notice.node, notice.measured, notice.possible, notice.accepted, fixes)


if __name__ == "__main__":
    from soft_lantern.app.widgets.alone import show_alone

    def made() -> NoticeList:
        notices = NoticeList()
        notices.show_notices([Notice(Severity.WARNING, "division", "Divide may divide by zero", "ramp", "divide")])
        return notices

    show_alone(made)
