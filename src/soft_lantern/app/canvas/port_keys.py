"""A slip's ports from the keyboard: each by its number or first letters, then what it holds or where its wire goes."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from functools import partial

from msgspec import Struct
from PyQt6.QtCore import QObject, QPointF

from soft_lantern.app.canvas.finder import Finder, likeness
from soft_lantern.app.canvas.graph_actions import GraphActions
from soft_lantern.app.canvas.placing import Placing
from soft_lantern.app.canvas.shapes import Row, Slip
from soft_lantern.app.canvas.value_typing import ValueTyping
from soft_lantern.app.canvas.view import CanvasView
from soft_lantern.app.canvas.wishes import Wishes
from soft_lantern.graph import wiring
from soft_lantern.graph.document import node_of, port_ref
from soft_lantern.values.kinds import components


class Choice(Struct, frozen=True):
    """One thing that can be done with a port: what it is called, what stands beside it, and what does it."""

    title: str
    family: str
    run: Callable[[], object]
    hint: str = ""


class PortKeys(QObject):
    """Lists over a canvas, gone through with the keyboard alone."""

    def __init__(self, view: CanvasView, wishes: Wishes, acts: GraphActions, typing: ValueTyping, placing: Placing):
        super().__init__(view)
        self.view, self.wishes, self.acts, self.typing, self.placing = view, wishes, acts, typing, placing
        self.finder = Finder(view, "a port, by its number or name")
        self.finder.chosen.connect(self._run)
        self.finder.closed.connect(view.setFocus)

    def open(self) -> None:
        """List the ports of the selected slip."""
        if len(self.view.selected) != 1:
            self.wishes.told.emit("Select one slip to open its ports")
            return
        slip = self.view.spread.slips[next(iter(self.view.selected))]
        self._list(slip, list(self._ports(slip)), numbered=True)

    def offer_fitting(self, slip: Slip, ref: str, *, from_output: bool, at: QPointF) -> bool:
        """List those ports of a slip that a wire in the hand fits, by their names; False where none does."""
        fitting = list((self._targets if from_output else self._sources)(ref, [slip]))
        if fitting:
            self._list(slip, fitting, at=at)
        return bool(fitting)

    def _run(self, choice: Choice) -> None:
        self.view.setFocus()
        choice.run()

    def _list(self, slip: Slip, choices: list[Choice], *, numbered: bool = False, at: QPointF | None = None) -> None:
        place = at or self.view.to_widget(slip.rect.topRight() + QPointF(8, 0))
        self.finder.numbered = numbered

        def look(text: str) -> list[Choice]:
            typed = text.strip().lower()
            ranked = [(likeness(typed, choice.title, ()), choice) for choice in choices]
            return [c for _, c in sorted(((r, c) for r, c in ranked if r is not None), key=lambda each: each[0])]

        self.finder.open_at(place.toPoint(), "", look)

    def _ports(self, slip: Slip) -> Iterator[Choice]:
        for row in slip.rows:
            if row.setting:
                words = row.setting.name.replace("_", " ")
                yield Choice(words, row.choice or "none", partial(self._choose_setting, slip, row))
            elif row.is_output and row.port:
                label = row.port.label if row.name != "out" else "out"
                wire = partial(self._offer_targets, slip, port_ref(slip.node_id, row.name))
                yield Choice(label, "output: wire it to…", wire)
            elif row.port:
                yield Choice(row.port.label, self._held(slip, row), partial(self._offer_input, slip, row))

    def _held(self, slip: Slip, row: Row) -> str:
        """What an input holds, in words."""
        if row.wired:
            source = node_of(self.view.material.wires[port_ref(slip.node_id, row.name)])
            return f"from {self.view.spread.slips[source].title}" if source in self.view.spread.slips else "wired"
        if row.words:
            return row.words
        return ", ".join(f"{part:.4g}" for part in components(row.value)) if row.value is not None else "needs a wire"

    def _choose_setting(self, slip: Slip, row: Row) -> None:
        assert row.setting
        if row.setting.typed:
            self.typing.type_setting(slip, row)
            return
        take = self.typing.take_setting
        listed = row.setting.choices
        self._list(slip, [Choice(c, "now" if c == row.choice else "", partial(take, slip, row, c)) for c in listed])

    def _offer_input(self, slip: Slip, row: Row) -> None:
        assert row.port
        ref, held = port_ref(slip.node_id, row.name), self._held(slip, row)
        choices = []
        if row.value is not None:
            choices.append(
                Choice("Choose it" if row.words else "Type it", held, partial(self.typing.type_into, slip, row))
            )
        if row.wired:
            choices.append(Choice("Take the wire off", held, partial(self.acts.disconnect_wire, ref)))
        if row.port.carries.takes_wire and not slip.parameter:
            choices += self._sources(ref, self.view.spread.slips.values())
            place = self.view.to_widget(slip.rect.topLeft() - QPointF(60, 0))
            find = partial(self.placing.open, place, "", ref, from_output=False)
            choices.append(Choice("New node…", "what fits", find))
        if row.value is not None and not slip.parameter:
            choices.append(Choice("Expose as a parameter", "", partial(self.acts.expose, slip.node_id, row.name)))
        self._list(slip, choices)

    def _offer_targets(self, slip: Slip, out: str) -> None:
        place = self.view.to_widget(slip.rect.topRight() + QPointF(60, 0))
        new = Choice("New node…", "what fits", partial(self.placing.open, place, "", out))
        self._list(slip, [*self._targets(out, self.view.spread.slips.values()), new])

    def _targets(self, out: str, slips: Iterable[Slip]) -> Iterator[Choice]:
        """Inputs that a wire from an output may go to: those without a wire first, the nearest first."""
        open_to = wiring.targets(self.view.material, out)
        source = self.view.spread.slips[node_of(out)]
        found = [
            (row, other) for row, other in _rows(slips, outputs=False) if port_ref(other.node_id, row.name) in open_to
        ]
        for row, other in sorted(found, key=lambda each: (each[0].wired, _away(source, each[1]))):
            label = row.port.label if row.port else ""
            into = port_ref(other.node_id, row.name)
            yield Choice(f"{other.title}: {label}", "wired" if row.wired else "input", partial(self._wire, out, into))

    def _sources(self, into: str, slips: Iterable[Slip]) -> Iterator[Choice]:
        """Outputs that may feed an input, the nearest first."""
        open_to = wiring.sources(self.view.material, into)
        target = self.view.spread.slips[node_of(into)]
        found = [
            (row, other) for row, other in _rows(slips, outputs=True) if port_ref(other.node_id, row.name) in open_to
        ]
        for row, other in sorted(found, key=lambda each: _away(target, each[1])):
            title = other.title if row.name == "out" or not row.port else f"{other.title}: {row.port.label}"
            yield Choice(title, "output", partial(self._wire, port_ref(other.node_id, row.name), into))

    def _wire(self, out: str, into: str) -> None:
        self.wishes.edit("Wire", lambda material: wiring.wired(material, out, into))


def _rows(slips: Iterable[Slip], *, outputs: bool) -> Iterator[tuple[Row, Slip]]:
    return ((row, slip) for slip in slips for row in slip.rows if row.port and row.is_output == outputs)


def _away(a: Slip, b: Slip) -> float:
    return (a.rect.center() - b.rect.center()).manhattanLength()
