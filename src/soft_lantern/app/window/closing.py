"""What is asked before a window closes."""

from __future__ import annotations

from PyQt6.QtWidgets import QMessageBox, QWidget

from soft_lantern.app.session.session import Session
from soft_lantern.app.widgets.labels import asked


def settled(session: Session, over: QWidget) -> bool:
    """Ask what to do with unsaved work, and do it; whether the window may close."""
    buttons = QMessageBox.StandardButton
    answer = asked(
        over,
        f"{session.project.name} has changes that are not saved.",
        buttons.Save | buttons.Discard | buttons.Cancel,
        buttons.Save,
    )
    if answer == buttons.Save:
        return session.save()
    if answer == buttons.Discard:
        session.saver.let_go()
        return True
    return False
