"""The parameter shelf: the exposed parameters as live controls, in the order and groups designers get."""

from __future__ import annotations

from itertools import groupby

from PyQt6.QtCore import QMimeData, QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QContextMenuEvent, QDrag, QDragEnterEvent, QDragMoveEvent, QDropEvent, QMouseEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QMenu, QScrollArea, QToolButton, QVBoxLayout, QWidget

from soft_lantern.app.widgets.labels import heading_label, plain_label, quiet_label, tip
from soft_lantern.app.widgets.parameter_control import Library, ParameterControl
from soft_lantern.app.widgets.passing import passing
from soft_lantern.graph.document import Parameter, changed
from soft_lantern.values.kinds import Value

PARAMETER_DRAG = "application/x-soft-lantern-parameter"


def without_defaults(parameters: tuple[Parameter, ...]) -> tuple[Parameter, ...]:
    """What the controls are built from: a new default must not take a slider out of the hand that drags it."""
    return tuple(changed(parameter, default=0.0) for parameter in parameters)


class Shelf(QScrollArea):
    """Shows parameters with values. The signals tell what a person wants done with which parameter."""

    value_wanted = pyqtSignal(str, object)
    edit_wanted = pyqtSignal(str)
    unexpose_wanted = pyqtSignal(str)
    place_wanted = pyqtSignal(str)
    move_wanted = pyqtSignal(str, int, object)
    """A parameter, its new place in the order, and the group it joins; None leaves it in its own."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.controls: dict[str, ParameterControl] = {}
        self.cards: dict[str, QFrame] = {}
        self._groups: dict[str, str] = {}
        self._shown: object = None
        self.library: Library = {}
        self.setWidgetResizable(True)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFixedHeight(100)
        self.setAcceptDrops(True)

    def show_parameters(
        self, parameters: tuple[Parameter, ...], values: dict[str, Value], library: Library | None = None
    ) -> None:
        """Show parameters and the value of each by id; controls stay while the parameters are the same.

        `library`: what parameters that are read choose from, by id, for each kind.
        """
        shape = (without_defaults(parameters), library)
        if shape != self._shown:
            self._shown, self.library = shape, library or {}
            self._build(parameters, values)
        for parameter in parameters:
            self.controls[parameter.id].show_value(values.get(parameter.id, parameter.default))

    def place_at(self, at: QPoint) -> tuple[int, str] | None:
        """Where in the order, and in which group, a card dropped at a place of the shelf would come to stand."""
        cards = list(self.cards.items())
        for place, (parameter_id, card) in enumerate(cards):
            left = card.mapTo(self, QPoint(0, 0)).x()
            if at.x() < left + card.width() / 2:
                return place, self._groups[parameter_id]
        return (len(cards), self._groups[cards[-1][0]]) if cards else None

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        self.dragMoveEvent(event)

    def dragMoveEvent(self, event: QDragMoveEvent | None) -> None:
        data = event.mimeData() if event else None
        if event and data and data.hasFormat(PARAMETER_DRAG):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        data = event.mimeData() if event else None
        found = self.place_at(event.position().toPoint()) if event else None
        if event is None or data is None or found is None or not data.hasFormat(PARAMETER_DRAG):
            return
        moved, (place, group) = data.data(PARAMETER_DRAG).data().decode(), found
        order = list(self.cards)
        event.acceptProposedAction()
        if moved in order:
            self.move_wanted.emit(moved, place - (order.index(moved) < place), group)

    def _build(self, parameters: tuple[Parameter, ...], values: dict[str, Value]) -> None:
        self.controls.clear()
        self.cards.clear()
        self._groups = {parameter.id: parameter.group for parameter in parameters}
        inside = QWidget()
        row = QHBoxLayout(inside)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(14)
        for group, members in groupby(parameters, key=lambda p: p.group):
            column = QVBoxLayout()
            column.setSpacing(3)
            heading = heading_label(group or " ")
            column.addWidget(heading)
            cards = QHBoxLayout()
            cards.setSpacing(6)
            for parameter in members:
                cards.addWidget(self._card(parameter, values.get(parameter.id, parameter.default)))
            column.addLayout(cards)
            column.addStretch(1)
            row.addLayout(column)
        if not parameters:
            words = quiet_label("Nothing is exposed yet. Drag a port down here, or right-click a value on a slip")
            row.addWidget(words)
        row.addStretch(1)
        self.setWidget(inside)

    def _card(self, parameter: Parameter, value: Value) -> QFrame:
        card = _Card(parameter, self)
        layout = QVBoxLayout(card)
        layout.setContentsMargins(9, 5, 9, 6)
        layout.setSpacing(2)
        top = QHBoxLayout()
        label = plain_label(parameter.label)
        label.setProperty("quiet", parameter.advanced)
        label.setCursor(Qt.CursorShape.OpenHandCursor)
        folded = ", folded away as advanced" if parameter.advanced else ""
        label.setToolTip(tip(f"{parameter.identifier}{folded}: drag up to place it on the canvas, sideways to order"))
        more = QToolButton()
        more.setText("…")
        more.setToolTip(tip(f"Edit {parameter.label}"))
        more.setAccessibleName(f"edit {parameter.label}")
        more.setFixedSize(24, 20)
        more.clicked.connect(lambda: self.edit_wanted.emit(parameter.id))
        top.addWidget(label, 1)
        top.addWidget(more)
        control = ParameterControl(parameter, value, self.library)
        control.changed.connect(lambda wanted: self.value_wanted.emit(parameter.id, wanted))
        self.controls[parameter.id] = control
        self.cards[parameter.id] = card
        layout.addLayout(top)
        layout.addWidget(control)
        card.setFixedWidth(196 if control.slider else 250 if control.vector else 150)
        return card


class _Card(QFrame):
    def __init__(self, parameter: Parameter, shelf: Shelf) -> None:
        super().__init__()
        self.parameter, self.shelf = parameter, shelf
        self.setProperty("card", True)
        self._pressed: QPoint | None = None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self._pressed = event.position().toPoint()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._pressed and (event.position().toPoint() - self._pressed).manhattanLength() > 10:
            self._pressed = None
            data = QMimeData()
            data.setData(PARAMETER_DRAG, self.parameter.id.encode())
            drag = QDrag(self)
            drag.setMimeData(data)
            drag.setPixmap(self.grab())
            drag.setHotSpot(event.position().toPoint())
            drag.exec(Qt.DropAction.CopyAction)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        assert event is not None
        own = self.parameter.id
        ids = list(self.shelf.controls)
        at = ids.index(own)
        menu = passing(QMenu(self))
        menu.addAction("Edit…", lambda: self.shelf.edit_wanted.emit(own))
        menu.addAction("Place on canvas", lambda: self.shelf.place_wanted.emit(own))
        if at > 0:
            menu.addAction("Move left", lambda: self.shelf.move_wanted.emit(own, at - 1, None))
        if at < len(ids) - 1:
            menu.addAction("Move right", lambda: self.shelf.move_wanted.emit(own, at + 1, None))
        menu.addSeparator()
        menu.addAction("Stop exposing", lambda: self.shelf.unexpose_wanted.emit(own))
        menu.exec(event.globalPos())


if __name__ == "__main__":
    from soft_lantern.app.widgets.alone import show_alone
    from soft_lantern.values.kinds import Kind

    def made() -> Shelf:
        spread = Parameter(
            id="s", identifier="spread", label="Spread", kind=Kind.NUMBER, default=4.0, low=0.1, high=10.0
        )
        shelf = Shelf()
        shelf.show_parameters((spread,), {})
        return shelf

    show_alone(made)
