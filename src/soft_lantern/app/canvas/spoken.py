"""What a slip shows, in words: its inputs with what feeds them, and its outputs with their numbers."""

from __future__ import annotations

from collections.abc import Callable, Collection

from PyQt6.QtWidgets import QWidget

from soft_lantern.app.canvas.painting import Measures
from soft_lantern.app.canvas.shapes import Row, Slip, Spread
from soft_lantern.app.widgets.described import describe
from soft_lantern.app.widgets.number_field import written
from soft_lantern.app.widgets.spoken_list import SpokenList
from soft_lantern.graph.document import node_of, port_ref
from soft_lantern.values.colour import colour_to_hex
from soft_lantern.values.kinds import Kind, components
from soft_lantern.values.words import counted


class SpokenCanvas:
    """Tells a screen reader of a canvas: what is selected, and a list of the slips. `measured`: of a wire."""

    def __init__(self, canvas: QWidget, measured: Callable[[str], Measures | None]) -> None:
        self.canvas, self.measured = canvas, measured
        self.list = SpokenList(canvas, "slips")

    def show_slips(self, spread: Spread, selected: Collection[str]) -> None:
        """Tell of these slips, and of those that are selected."""
        describe(self.canvas, in_words(spread, selected, self.measured))
        self.list.show_entries(
            list(spread.slips), lambda node_id: slip_in_words(spread, spread.slips[node_id], self.measured)
        )


def in_words(spread: Spread, selected: Collection[str], measured: Callable[[str], Measures | None]) -> str:
    """How many slips there are, and what the selected one shows; of several, their names."""
    whole = counted(len(spread.slips), "slip")
    chosen = [spread.slips[node_id] for node_id in spread.slips if node_id in selected]
    if len(chosen) != 1:
        return f"{whole}; {', '.join(slip.title for slip in chosen)} selected" if chosen else f"{whole}; none selected"
    return f"{whole}; {chosen[0].title} selected. {_said(spread, chosen[0], measured)}".strip()


def slip_in_words(spread: Spread, slip: Slip, measured: Callable[[str], Measures | None]) -> str:
    """A slip's name and what it shows."""
    return f"{slip.title}. {_said(spread, slip, measured)}".strip()


def _said(spread: Spread, slip: Slip, measured: Callable[[str], Measures | None]) -> str:
    said = [_input(spread, slip, row) for row in slip.rows if not row.is_output]
    said += [_output(slip, row, measured) for row in slip.rows if row.is_output]
    return "; ".join(said)


def _input(spread: Spread, slip: Slip, row: Row) -> str:
    if row.setting:
        return f"{row.setting.name.replace('_', ' ')} {row.choice or 'none'}"
    assert row.port
    if row.wired:
        feeding = spread.slips.get(node_of(spread.material.wires.get(port_ref(slip.node_id, row.name), "")))
        return f"{row.port.label} from {feeding.title if feeding else 'a node that is gone'}"
    if row.words or row.value is None:
        return f"{row.port.label} {row.words or 'not wired'}"
    parts = components(row.value)
    shown = colour_to_hex(parts) if row.kind is Kind.COLOUR else ", ".join(written(part) for part in parts)
    return f"{row.port.label} {shown}"


def _output(slip: Slip, row: Row, measured: Callable[[str], Measures | None]) -> str:
    assert row.port
    label = row.kind.words if row.kind and row.name == "out" else row.port.label
    found = measured(port_ref(slip.node_id, row.name))
    if found is None:
        return f"gives {label}"
    reach = found.reach
    lost = f", {reach.not_finite} not finite" if reach.not_finite else ""
    return f"gives {label} from {written(reach.low)} to {written(reach.high)}{lost}"
