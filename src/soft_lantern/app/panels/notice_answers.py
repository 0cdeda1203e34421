"""What a person decides about notices in a list, done to the document that each arose in."""

from __future__ import annotations

from soft_lantern.app.session.session import Session
from soft_lantern.app.widgets.notice_list import NoticeList
from soft_lantern.formats.project_folder import SAME_ID
from soft_lantern.graph.notice import Fix, Notice, accept, unaccept


def take_answers(session: Session, notices: NoticeList) -> None:
    """From now on mend what a list wants mended, and accept and reopen its notices."""
    notices.fix_wanted.connect(lambda notice, fix: _mend(session, notice, fix))
    notices.accept_wanted.connect(
        lambda notice, remark: session.edit_material("Accept notice", notice.place, lambda m: accept(m, notice, remark))
    )
    notices.reopen_wanted.connect(
        lambda notice: session.edit_material("Reopen notice", notice.place, lambda m: unaccept(m, notice))
    )


def _mend(session: Session, notice: Notice, fix: Fix) -> None:
    if notice.kind == SAME_ID:
        words = fix.words
        if session.apply(words, lambda project: session.saver.settle_same_id(project, notice.port, words)):
            session.found.settled(notice)
    elif session.project.graph(notice.place):
        session.apply(fix.words, lambda project: fix.mended(project, notice.place))
