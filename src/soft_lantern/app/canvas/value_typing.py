"""What is typed or chosen over a slip: values, names, formulas, settings, a note's title, a node to find."""

from __future__ import annotations

import re
from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import QObject, QRectF, Qt
from PyQt6.QtWidgets import QMenu

from soft_lantern.app.canvas.read_picker import read_picker
from soft_lantern.app.canvas.shapes import Row, Slip
from soft_lantern.app.canvas.typing_in import TypeIn
from soft_lantern.app.canvas.view import CanvasView
from soft_lantern.app.canvas.wishes import Wishes
from soft_lantern.app.widgets.colour_picker import ColourPicker
from soft_lantern.app.widgets.passing import passing
from soft_lantern.errors import BadValue
from soft_lantern.graph import edits
from soft_lantern.graph.document import Note
from soft_lantern.graph.parameters import edits as parameters
from soft_lantern.graph.parameters.edits import held
from soft_lantern.nodes.formula import number_of
from soft_lantern.nodes.formula_text import FormulaError
from soft_lantern.values.colour import colour_from_hex, is_hex_colour
from soft_lantern.values.kinds import Kind, Value, components, fitted
from soft_lantern.values.words import counted


class ValueTyping(QObject):
    """Opens fields, menus and pickers over a canvas."""

    def __init__(self, view: CanvasView, wishes: Wishes) -> None:
        super().__init__(view)
        self.view, self.wishes = view, wishes
        self.type_in = TypeIn(view)
        self.type_in.setAccessibleName("value")

    def rename_note(self, note: Note) -> None:
        """Type another title for a note area."""

        def titled(text: str) -> None:
            self.wishes.edit("Rename note", lambda material: edits.rename_note(material, note.id, text.strip()))

        self.type_in.open(self._widget_rect(QRectF(note.x + 8, note.y + 2, 200, 22)), note.title, titled)

    def rename(self, slip: Slip) -> None:
        """Type another name for a slip."""
        area = QRectF(slip.rect.left() + 6, slip.rect.top() + 3, slip.rect.width() - 26, 24)

        def renamed(text: str) -> None:
            self.wishes.edit("Rename", lambda material: edits.change_node(material, slip.node_id, name=text.strip()))

        self.type_in.open(self._widget_rect(area), slip.title, renamed)

    def edit_formula(self, slip: Slip) -> None:
        """Type another expression for a formula; ports that keep their names keep their wires."""
        area = QRectF(slip.rect.left() + 6, slip.rect.top() + 3, 260, 24)

        def typed(text: str) -> None:
            self.wishes.reshape("Edit formula", slip.node_id, lambda m: edits.change_formula(m, slip.node_id, text))

        self.type_in.open(self._widget_rect(area), slip.node.settings.get("expression", ""), typed)

    def type_setting(self, slip: Slip, row: Row) -> None:
        """Type the text of a setting."""
        rect = slip.row_rect(row)
        area = QRectF(rect.center().x() - 20, rect.top() + 1, rect.width() / 2 + 16, rect.height() - 3)

        def typed(text: str) -> None:
            words = row.name.replace("_", " ")
            self.wishes.reshape(
                f"Set {words}",
                slip.node_id,
                lambda material: edits.choose_setting(material, slip.node_id, row.name, text.strip()),
            )

        self.type_in.open(self._widget_rect(area), row.choice, typed)

    def choose_setting(self, slip: Slip, row: Row) -> None:
        """Choose a setting from its list, or type it."""
        assert row.setting
        if row.setting.typed:
            self.type_setting(slip, row)
            return
        menu = passing(QMenu(self.view))
        for choice in row.setting.choices:
            action = menu.addAction(choice)
            if action:
                action.setCheckable(True)
                action.setChecked(choice == row.choice)
                action.triggered.connect(lambda _, choice=choice: self.take_setting(slip, row, choice))
        menu.popup(self.view.mapToGlobal(self.view.to_widget(slip.row_rect(row).bottomLeft()).toPoint()))

    def take_setting(self, slip: Slip, row: Row, choice: str) -> None:
        """Take one of a setting's choices."""
        self.wishes.reshape(
            f"Choose {choice}",
            slip.node_id,
            lambda material: edits.choose_setting(material, slip.node_id, row.name, choice),
        )

    def _more(self, kind: Kind, node_id: str, port: str) -> dict[str, Callable[[], None]]:
        """How more of what a port reads is come by."""
        if kind is Kind.TEXTURE:
            return {"Load an image…": lambda: self.wishes.image_wanted.emit(node_id, port)}
        words = "Make and edit gradients…" if kind is Kind.GRADIENT else "Make and edit palettes…"
        return {
            words: lambda: self.wishes.ramps_wanted.emit(str(self.view.material.nodes[node_id].values.get(port, "")))
        }

    def type_into(self, slip: Slip, row: Row, begun: str = "") -> None:
        """Edit what is typed at an unwired input, or a parameter's default: a field for numbers, a picker for colours.

        `begun`: what was typed already.
        """
        assert row.port and row.value is not None
        name, take = row.port.name, partial(self._take, slip, row.port.name)
        if row.kind and row.kind.is_read:
            reads = read_picker(
                self.view,
                row.kind,
                self.view.readable[row.kind],
                str(row.value),
                take,
                self._more(row.kind, slip.node_id, name),
                self.wishes.texture_changed.emit,
            )
            reads.open_at(self.view.mapToGlobal(self.view.to_widget(slip.row_rect(row).bottomLeft()).toPoint()))
            return
        if row.kind is Kind.COLOUR and not begun:
            picker = ColourPicker(_as_colour(row.value), self.view)
            picker.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
            picker.changed.connect(take)
            picker.open_at(self.view.mapToGlobal(self.view.to_widget(slip.row_rect(row).bottomLeft()).toPoint()))
            return
        rect, present = slip.row_rect(row), components(row.value)
        area = QRectF(rect.center().x() - 8, rect.top() + 1, rect.width() / 2 + 4, rect.height() - 3)
        text = ", ".join(f"{part:.9g}" for part in present)

        def typed(text: str) -> None:
            try:
                take(value_typed(text, row.kind or Kind.NUMBER, present))
            except BadValue as error:
                self.wishes.told.emit(str(error))

        self.type_in.open(self._widget_rect(area), text, typed, begun)

    def _take(self, slip: Slip, port: str, value: Value) -> None:
        node_id, parameter = slip.node_id, slip.parameter
        if parameter:
            self.wishes.edit(
                f"Set {parameter.label}",
                lambda m: parameters.change_parameter(m, parameter.id, default=held(parameter, value)),
                f"default {parameter.id}",
            )
            return
        self.wishes.edit("Type value", lambda m: edits.type_value(m, node_id, port, value), f"type {node_id}.{port}")

    def find_node(self) -> None:
        """Type part of a node's name to go to it."""

        def named(text: str) -> None:
            words = text.strip().lower()
            found = [s.node_id for s in self.view.spread.slips.values() if words and words in s.title.lower()]
            if found:
                self.view.go_to(found[0])
            else:
                self.wishes.told.emit(f"No node here is called “{text}”")

        self.type_in.open(QRectF(12, 12, 240, 26), "", named)

    def _widget_rect(self, area: QRectF) -> QRectF:
        return QRectF(self.view.to_widget(area.topLeft()), self.view.to_widget(area.bottomRight()))


def value_typed(text: str, kind: Kind, present: tuple[float, ...]) -> Value:
    """What a text says of a value: numbers with spaces or commas between, one number for all, or a colour as hex.

    A lone number may be a sum, in which x is the present one. Raises BadValue.
    """
    if kind is Kind.COLOUR and is_hex_colour(text.strip()):
        return colour_from_hex(text.strip())
    given = [text] if len(present) == 1 else [part for part in re.split(r"[;,\s]+", text.strip("()[] ")) if part]
    if len(given) not in (1, len(present), 3 if kind is Kind.COLOUR else 1):
        raise BadValue(f"“{text}” is not {counted(len(present), 'number')}, with spaces or commas between")
    try:
        numbers = [number_of(part, before) for part, before in zip(given, present, strict=False)]
    except FormulaError as error:
        raise BadValue(f"“{text}” is not a number: {error}") from None
    if any(abs(number) > 1e30 for number in numbers):
        raise BadValue(f"“{text}” is too large")
    return fitted(tuple(numbers) if len(numbers) > 1 else numbers[0], kind)


def _as_colour(value: Value) -> tuple[float, ...]:
    parts = components(value)
    return parts if len(parts) >= 3 else (*parts[:1] * 3, 1.0)
