"""All that a canvas can be asked for by name."""

from __future__ import annotations

from collections.abc import Callable

from soft_lantern.app.canvas.canvas import Canvas
from soft_lantern.app.command import Command


def _some(canvas: Canvas) -> str:
    return "" if canvas.selected else "Select one or more slips first"


def _two(canvas: Canvas) -> str:
    return "" if len(canvas.selected) > 1 else "Select two or more slips first"


def _one(canvas: Canvas) -> str:
    return "" if len(canvas.selected) == 1 else "Select one slip first"


def _anything(canvas: Canvas) -> str:
    return "" if canvas.selected or canvas.selected_wire else "Select slips or a wire first"


def _graph(canvas: Canvas) -> str:
    return "" if canvas.material.nodes else "There is no graph here yet"


def _selected(name: str, keys: str, run: Callable[[Canvas], object]) -> Command[Canvas]:
    return Command(name, run, keys, _some)


EDITING: tuple[Command[Canvas], ...] = (
    _selected("Cut", "Ctrl+X", lambda c: c.acts.cut_selected()),
    _selected("Copy", "Ctrl+C", lambda c: c.acts.copy_selected()),
    Command("Paste", lambda c: c.acts.paste(), "Ctrl+V"),
    _selected("Duplicate", "Ctrl+D", lambda c: c.acts.duplicate_selected()),
    Command("Select all", lambda c: c.acts.select_all(), "Ctrl+A", _graph),
    Command("Delete", lambda c: c.acts.delete_selected(), hindered=_anything),
)
GRAPH: tuple[Command[Canvas], ...] = (
    Command("Add a node", lambda c: c.open_finder(), "Ctrl+Space"),
    Command("Add a node after the selected one", lambda c: c.placing.open_after_selected(), "Ctrl+Return"),
    Command("Open the ports of the selected", lambda c: c.ports.open(), "Ctrl+P", _one),
    Command("Wire the selected one after the other", lambda c: c.acts.chain_selected(), "Ctrl+L", _two),
    Command("Go to what feeds the selected", lambda c: c.steps.upstream(), "Alt+Left", _one),
    Command("Go to what the selected feeds", lambda c: c.steps.downstream(), "Alt+Right", _one),
    Command("Go to the slip above", lambda c: c.steps.beside(-1), "Alt+Up", _one),
    Command("Go to the slip below", lambda c: c.steps.beside(1), "Alt+Down", _one),
    _selected("Dissolve", "Ctrl+Backspace", lambda c: c.acts.dissolve_selected()),
    Command("Align", lambda c: c.acts.align_selected(), hindered=_two),
    _selected("Unfold into nodes", "Ctrl+U", lambda c: c.acts.unfold_selected()),
    _selected("Make a snippet of the selected", "Ctrl+Shift+P", lambda c: c.acts.make_snippet()),
    _selected("Open the snippet", "Ctrl+Shift+O", lambda c: c.acts.open_snippet()),
    _selected("Note round the selected", "Ctrl+Shift+T", lambda c: c.acts.add_note()),
    Command("Hide or show thumbnails", lambda c: c.acts.hide_thumbnails(), "Ctrl+H", _graph),
    Command("Larger thumbnails", lambda canvas: canvas.acts.resize_thumbnails(1.35), "Ctrl+Shift+Up", _graph),
    Command("Smaller thumbnails", lambda canvas: canvas.acts.resize_thumbnails(1 / 1.35), "Ctrl+Shift+Down", _graph),
    Command("Find in the graph", lambda c: c.typing.find_node(), "Ctrl+F", _graph),
    _selected("Expose as a parameter", "Ctrl+E", lambda c: c.acts.expose_selected()),
    Command("Tidy the graph", lambda c: c.acts.tidy(), "Ctrl+T", _graph),
    Command("Fit the graph", lambda c: c.frame_all(), "Ctrl+Home", _graph),
)
