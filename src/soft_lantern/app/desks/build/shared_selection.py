"""The selection of the canvas as the session's, so that other desks say and see which nodes are meant."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QObject, QTimer

from soft_lantern.app.canvas.canvas import Canvas
from soft_lantern.app.session.session import Session


class SharedSelection(QObject):
    """Keeps both the same. A canvas that is not seen selects nothing; it takes over when it is seen again."""

    def __init__(self, session: Session, canvas: Canvas) -> None:
        super().__init__(canvas)
        self.session, self.canvas = session, canvas
        canvas.selection_changed.connect(self._tell)
        session.nodes_selected.connect(self._follow)
        canvas.installEventFilter(self)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event and event.type() == QEvent.Type.Show:
            QTimer.singleShot(0, self._follow)  # once the desk has caught up
        return False

    def _tell(self) -> None:
        if self.canvas.isVisible():
            self.session.select_nodes(self.canvas.selected)

    def _follow(self) -> None:
        if self.canvas.isVisible():
            self.canvas.select(set(self.session.selected_nodes))
