"""The finder: what a person types anywhere on the canvas, and what it could mean there."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PyQt6.QtCore import QEvent, QObject, QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QFrame, QLabel, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from soft_lantern.graph.document import Material, Node
from soft_lantern.nodes import LIBRARY, NodeType, Port
from soft_lantern.nodes.formula import FormulaError, formula_type
from soft_lantern.values.colour import colour_from_hex, colour_to_hex, is_hex_colour


@dataclass(frozen=True, slots=True)
class Offer:
    """Something the finder can put on the canvas, and the port a wire in the hand would join."""

    title: str
    family: str
    node: Node
    port: str = ""
    hint: str = ""


def offers(text: str, material: Material, fitting: list[tuple[NodeType, Port]] | None = None) -> list[Offer]:
    """What `text` could mean, best first. `fitting` limits node types to those that take the wire in the hand."""
    typed = text.strip().lower()
    ports = {node_type.key: port.name for node_type, port in fitting} if fitting is not None else {}
    found: list[tuple[float, Offer]] = []

    def allowed(key: str) -> bool:
        return fitting is None or key in ports

    if (number := _as_number(typed)) is not None and allowed("number"):
        node = Node(type="number", values={"value": number})
        found.append((-2, Offer(f"the number {number:g}", "constant", node, ports.get("number", ""))))
    if is_hex_colour(typed) and allowed("colour"):
        colour = colour_from_hex(typed)
        node = Node(type="colour", values={"value": colour})
        found.append((-2, Offer(f"the colour {colour_to_hex(colour)}", "constant", node, ports.get("colour", ""))))
    found += [(-1.5, offer) for offer in _formula(text.strip(), material)]
    for place, node_type in enumerate(_in_order(fitting)):
        rank = _rank(typed, node_type.title, node_type.also)
        if rank is not None and node_type.key != "parameter":
            port = ports.get(node_type.key, "")
            offer = Offer(node_type.title, node_type.family, Node(type=node_type.key), port, node_type.summary)
            found.append((rank + place * 0.001, offer))
    if allowed("parameter"):
        for parameter in material.parameters:
            rank = _rank(typed, parameter.label, (parameter.identifier, "parameter"))
            if rank is not None:
                node = Node(type="parameter", settings={"parameter": parameter.id})
                found.append((rank + 0.5, Offer(parameter.label, "parameter", node, ports.get("parameter", ""))))
    return [offer for _, offer in sorted(found, key=lambda each: each[0])]


def _formula(text: str, material: Material) -> list[Offer]:
    """A formula, where the text is an expression of more than a lone name or number."""
    if not set("+-*/().?<>,") & set(text) or _as_number(text.lower()) is not None:
        return []
    try:
        node_type = formula_type(text)
    except FormulaError as error:
        return [Offer(text, f"formula, {error}", Node(type="formula", settings={"expression": text}), hint=str(error))]
    names = ", ".join(port.name for port in node_type.inputs)
    hint = f"A formula of {names}" if names else "A formula of constants"
    first = node_type.inputs[0].name if node_type.inputs else ""
    return [Offer(text, "formula", Node(type="formula", settings={"expression": text}), first, hint)]


def _in_order(fitting: list[tuple[NodeType, Port]] | None) -> list[NodeType]:
    return list(LIBRARY.values()) if fitting is None else [node_type for node_type, _ in fitting]


def _as_number(text: str) -> float | None:
    try:
        number = float(text.replace("−", "-").replace(",", "."))
    except ValueError:
        return None
    return number if abs(number) < 1e30 else None


def _rank(typed: str, title: str, also: tuple[str, ...]) -> float | None:
    """How well a name fits what was typed, lower is better: its start, a word's start, another word, within."""
    name = title.lower()
    if name == typed:
        return -1
    if name.startswith(typed):
        return 0
    if any(word.startswith(typed) for word in name.split()):
        return 1
    if any(word == typed for word in also):
        return 1.5
    if any(part.startswith(typed) for other in also for part in (other, *other.split())):
        return 2
    return 3 if typed in name else None


class Finder(QFrame):
    """A field and a list under it. `chosen` tells the offer; Escape or a press elsewhere closes it."""

    chosen = pyqtSignal(object)
    closed = pyqtSignal()

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("finder")
        self.setFixedWidth(270)
        self.lookup: Callable[[str], list[Offer]] = lambda text: []
        self.field = QLineEdit()
        self.field.setPlaceholderText("a number, #colour or node")
        self.list = QListWidget()
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.hint = QLabel()
        self.hint.setProperty("quiet", True)
        self.hint.setWordWrap(True)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(8, 8, 8, 8)
        layout.addWidget(self.field)
        layout.addWidget(self.list)
        layout.addWidget(self.hint)
        self.field.textChanged.connect(self._look)
        self.field.installEventFilter(self)
        self.list.itemClicked.connect(lambda _: self._choose())
        self.list.currentRowChanged.connect(self._explain)
        self.hide()

    def open_at(self, place: QPoint, text: str, find: Callable[[str], list[Offer]]) -> None:
        """Open with its corner at a place of the parent, already holding `text`."""
        self.lookup = find
        self.field.setText(text)
        self._look(text)
        parent = self.parentWidget()
        if parent:
            place.setX(max(4, min(place.x(), parent.width() - self.width() - 4)))
            place.setY(max(4, min(place.y(), parent.height() - 330)))
        self.move(place)
        self.show()
        self.raise_()
        self.field.setFocus()
        self.field.end(False)

    def dismiss(self) -> None:
        """Close without choosing."""
        if self.isVisible():
            self.hide()
            self.closed.emit()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            row, last = self.list.currentRow(), self.list.count() - 1
            if event.key() == Qt.Key.Key_Down:
                self.list.setCurrentRow(min(row + 1, last))
            elif event.key() == Qt.Key.Key_Up:
                self.list.setCurrentRow(max(row - 1, 0))
            elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self._choose()
            elif event.key() == Qt.Key.Key_Escape:
                self.dismiss()
            else:
                return False
            return True
        if event is not None and event.type() == QEvent.Type.FocusOut:
            window = self.window()
            widget = window.focusWidget() if window else None
            if widget not in (self.list, self.field):
                self.dismiss()
        return False

    def _look(self, text: str) -> None:
        self.list.clear()
        for offer in self.lookup(text)[:40]:
            item = QListWidgetItem(f"{offer.title}    {offer.family}")
            item.setData(Qt.ItemDataRole.UserRole, offer)
            self.list.addItem(item)
        self.list.setFixedHeight(min(max(self.list.count(), 1), 8) * 26 + 10)
        self.list.setCurrentRow(0)
        if not self.list.count():
            self.hint.setText("Nothing here is called that")
        self.adjustSize()

    def _explain(self, row: int) -> None:
        item = self.list.item(row)
        if item:
            offer: Offer = item.data(Qt.ItemDataRole.UserRole)
            self.hint.setText(offer.hint)
            self.adjustSize()

    def _choose(self) -> None:
        item = self.list.currentItem()
        if item:
            self.hide()
            self.chosen.emit(item.data(Qt.ItemDataRole.UserRole))
