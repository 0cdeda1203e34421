"""The finder: what a person types anywhere on the canvas, and what it could mean there."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any, Protocol

from msgspec import Struct
from PyQt6.QtCore import QEvent, QObject, QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QFrame, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from soft_lantern.app.widgets.labels import quiet_label
from soft_lantern.graph.document import Material, Node
from soft_lantern.graph.kinds import snippet_type
from soft_lantern.graph.recipes.library import every_recipe
from soft_lantern.graph.recipes.recipe import Recipe
from soft_lantern.nodes import LIBRARY, NodeType, Port, Role
from soft_lantern.nodes.explain import explain
from soft_lantern.nodes.formula import formula_type
from soft_lantern.nodes.formula_text import FormulaError
from soft_lantern.values.colour import colour_from_hex, colour_to_hex, is_hex_colour
from soft_lantern.values.kinds import Kind, conversion

RECENT_MOST = 12
DIGITS = list("123456789")


class Offer(Struct, frozen=True):
    """Something the finder can put on the canvas, and the port a wire in the hand would join.

    `recipe` is a whole piece of graph instead of the node.
    """

    title: str
    family: str
    node: Node
    port: str = ""
    hint: str = ""
    recipe: Recipe | None = None

    @property
    def key(self) -> str:
        """What the offer is remembered by among those used lately."""
        return self.title if self.recipe or self.node.role is Role.SNIPPET else self.node.type


class Offered(Protocol):
    """What the finder lists: a title, what kind of thing it is, and a sentence about it."""

    @property
    def title(self) -> str: ...

    @property
    def family(self) -> str: ...

    @property
    def hint(self) -> str: ...


class HeldWire(Struct, frozen=True):
    """What is in the hand while the finder is open: what would fit the wire, best first, its end, and its kind."""

    fitting: list[tuple[NodeType, Port]] | None = None
    from_output: bool = True
    kind: Kind | None = None


def offers(
    text: str,
    material: Material,
    held: HeldWire | None = None,
    snippets: Mapping[str, Material] | None = None,
    recent: Sequence[str] = (),
) -> list[Offer]:
    """What `text` could mean, best first: by how well it fits the words, then the wire in the hand, then recent use."""
    held = held or HeldWire()
    typed = text.strip().lower()
    ports = {node_type.key: port.name for node_type, port in held.fitting} if held.fitting is not None else {}
    found: list[tuple[float, Offer]] = []

    def allowed(key: str) -> bool:
        return held.fitting is None or key in ports

    def add(rank: float | None, offer: Offer) -> None:
        if rank is not None:
            bonus = 0.5 + 0.4 * (1 - recent.index(offer.key) / RECENT_MOST) if offer.key in recent else 0.0
            found.append((rank - bonus, offer))

    if (number := _as_number(typed)) is not None and allowed("number"):
        node = Node(type="number", values={"value": number})
        add(-2.5, Offer(f"the number {number:g}", "constant", node, ports.get("number", "")))
    if is_hex_colour(typed) and allowed("colour"):
        colour = colour_from_hex(typed)
        node = Node(type="colour", values={"value": colour})
        add(-2.5, Offer(f"the colour {colour_to_hex(colour)}", "constant", node, ports.get("colour", "")))
    for offer in _formula(text.strip(), held):
        add(2.5 if _begins_a_word(typed) else -2, offer)
    for place, node_type in enumerate(_in_order(held.fitting)):
        if node_type.role is not Role.PARAMETER:
            rank = likeness(typed, node_type.title, node_type.also)
            port = ports.get(node_type.key, "")
            offer = Offer(node_type.title, node_type.family, Node(type=node_type.key), port, _hint(node_type))
            add(None if rank is None else rank + place * 0.0001, offer)
    if allowed("parameter"):
        for parameter in material.parameters:
            rank = likeness(typed, parameter.label, (parameter.identifier, "parameter"))
            node = Node(type="parameter", settings={"parameter": parameter.id})
            offer = Offer(parameter.label, "parameter", node, ports.get("parameter", ""), parameter.tooltip)
            add(None if rank is None else rank + 0.5, offer)
    for snippet in (snippets or {}).values():
        if snippet.id != material.id and material.id not in snippet.snippets:
            rank = likeness(typed, snippet.name, ("snippet",))
            port = _snippet_port(snippet, held)
            node = Node(type="snippet", settings={"snippet": snippet.id})
            fits = held.fitting is None or port
            add(
                rank + 0.2 if rank is not None and fits else None,
                Offer(snippet.name, "snippet", node, port, "A snippet"),
            )
    for recipe in every_recipe():
        rank = likeness(typed, recipe.title, recipe.also)
        if rank is not None and _ends_right(recipe, held):
            offer = Offer(recipe.title, "recipe", Node(type=""), hint=recipe.summary, recipe=recipe)
            # A recipe called just as asked for comes before a node that only is found by another word.
            add(rank + (0.3 if typed else 1.0), offer)
    return [offer for _, offer in sorted(found, key=lambda each: each[0])]


def _hint(node_type: NodeType) -> str:
    told = explain(node_type)
    return f"{told.summary}\n{told.formula}" if told.formula else told.summary


def _ends_right(recipe: Recipe, held: HeldWire) -> bool:
    """Whether a recipe can be put down: freely, or into the input in the hand."""
    if held.fitting is None:
        return True
    return not held.from_output and held.kind is not None and conversion(recipe.kind, held.kind) is not None


def _snippet_port(snippet: Material, held: HeldWire) -> str:
    """The first port of a snippet that takes the wire in the hand; "" where there is no wire or none fits."""
    if held.kind is None:
        return ""
    known = snippet_type(snippet)
    for port in known.inputs if held.from_output else known.outputs:
        ends = (held.kind, port.carries.kind) if held.from_output else (port.carries.kind, held.kind)
        if all(ends) and conversion(ends[0] or held.kind, ends[1] or held.kind) is not None:
            return port.name
    return ""


def _formula(text: str, held: HeldWire) -> list[Offer]:
    """A formula, where the text is an expression of more than a lone name or number."""
    if not set("+-*/().?<>,") & set(text) or _as_number(text.lower()) is not None:
        return []
    node = Node(type="formula", settings={"expression": text})
    try:
        node_type = formula_type(text)
    except FormulaError as error:
        return [Offer(text, "formula", node, hint=str(error))]
    names = ", ".join(port.name for port in node_type.inputs)
    hint = f"A formula of {names}" if names else "A formula of constants"
    first = node_type.inputs[0].name if node_type.inputs else ""
    first = first if held.from_output else node_type.outputs[0].name
    return [Offer(text, "formula", node, first, hint)]


def _begins_a_word(typed: str) -> bool:
    """Whether what looks like arithmetic may be one of the library's own words, such as drop-down."""
    return any(word.startswith(typed) for node_type in LIBRARY.values() for word in node_type.also)


def _in_order(fitting: list[tuple[NodeType, Port]] | None) -> list[NodeType]:
    return list(LIBRARY.values()) if fitting is None else [node_type for node_type, _ in fitting]


def _as_number(text: str) -> float | None:
    try:
        number = float(text.replace("−", "-").replace(",", "."))
    except ValueError:
        return None
    return number if abs(number) < 1e30 else None


def likeness(typed: str, title: str, also: tuple[str, ...]) -> float | None:
    """How well a name fits what was typed, lower is better: its start, a word's start, another word, within."""
    name = title.lower()
    if name == typed:
        return -1
    if name.startswith(typed):
        return 0
    if any(word.startswith(typed) for word in name.split()):
        return 1
    if typed in also:
        return 1.2
    if any(part.startswith(typed) for other in also for part in (other, *other.split())):
        return 2
    if typed in name:
        return 3
    words = typed.split()
    said = " ".join((name, *also))
    return 2.5 if len(words) > 1 and all(word in said for word in words) else None


class Finder(QFrame):
    """A field and a list under it. `chosen` tells the offer; Escape or a press elsewhere closes it."""

    chosen = pyqtSignal(object)
    closed = pyqtSignal()

    def __init__(self, parent: QWidget, asks_for: str = "a number, #colour or node") -> None:
        super().__init__(parent)
        self.setObjectName("finder")
        self.setFixedWidth(330)
        self.lookup: Callable[[str], Sequence[Offered]] = lambda text: []
        self.hint_of: Callable[[Any], str] = lambda offer: offer.hint
        self.numbered = False
        """Whether a digit, typed first, takes the line of that number."""
        self.field = QLineEdit()
        self.field.setPlaceholderText(asks_for)
        self.field.setAccessibleName(asks_for)
        self.list = QListWidget()
        self.list.setAccessibleName("what fits")
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.hint = quiet_label(wraps=True)
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

    def open_at(self, place: QPoint, text: str, find: Callable[[str], Sequence[Offered]]) -> None:
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
            elif self.numbered and not self.field.text() and event.text() in DIGITS[: last + 1]:
                self.list.setCurrentRow(DIGITS.index(event.text()))
                self._choose()
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
        for number, offer in enumerate(self.lookup(text)[:40], 1):
            before = f"{number}  " if self.numbered and not text and number <= len(DIGITS) else ""
            item = QListWidgetItem(f"{before}{offer.title}    {offer.family}")
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
            offer: Offered = item.data(Qt.ItemDataRole.UserRole)
            self.hint.setText(self.hint_of(offer))
            self.adjustSize()

    def _choose(self) -> None:
        item = self.list.currentItem()
        if item:
            self.hide()
            self.chosen.emit(item.data(Qt.ItemDataRole.UserRole))
