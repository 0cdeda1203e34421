"""The steps of the tour: what to do, why, and how the window knows that it is done."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, cast

from msgspec import Struct

from soft_lantern.app.window.window import MainWindow
from soft_lantern.graph.document import Material, Project, node_of
from soft_lantern.nodes import Role

if TYPE_CHECKING:
    from soft_lantern.app.desks.deliver.desk import DeliverDesk

Done = Callable[[MainWindow, Project], bool]
"""Whether a step is done; it is handed the project as it was when the step began."""


class Step(Struct, frozen=True):
    """One thing to do: a title, the words on the screen, and when it is done."""

    title: str
    words: str
    is_done: Done


def _graph(window: MainWindow) -> Material:
    return window.session.material or Material(id="", name="")


def _has(window: MainWindow, node_type: str) -> bool:
    return any(node.type == node_type for node in _graph(window).nodes.values())


def _wired(window: MainWindow, source: str, target: str, port: str = "") -> bool:
    """Whether a wire leads from a node of one type to one of another, into a port where one is named."""
    graph = _graph(window)
    for into, out in graph.wires.items():
        ends = graph.nodes.get(node_of(out)), graph.nodes.get(node_of(into))
        types = tuple(end.type if end else "" for end in ends)
        if types == (source, target) and (not port or into.endswith(f".{port}")):
            return True
    return False


def _turned(window: MainWindow, _begun: Project) -> bool:
    scene = window.session.scene
    return scene is not None and window.session.view != scene.view


def _leaves_its_range(window: MainWindow) -> bool:
    return any(notice.kind == "range" for notice in window.session.notices)


def _mended(window: MainWindow, _begun: Project) -> bool:
    return _fed(window, Role.SURFACE, "roughness") and not _leaves_its_range(window)


def _fed(window: MainWindow, role: Role, port: str) -> bool:
    graph = _graph(window)
    return any(into.endswith(f".{port}") and graph.nodes[node_of(into)].role is role for into in graph.wires)


def _coloured(window: MainWindow, _begun: Project) -> bool:
    """Two colours are mixed, and nobody is sent on before both are there."""
    fed = (("clamp", "factor"), ("colour", "a"), ("colour", "b"))
    return _wired(window, "mix", "surface", "base_colour") and all(_wired(window, one, "mix", to) for one, to in fed)


def _exposed(window: MainWindow, _begun: Project) -> bool:
    return any(not parameter.kind.is_read for parameter in _graph(window).parameters)


def _two_looks(window: MainWindow, _begun: Project) -> bool:
    looks = window.session.project.instances.values()
    return len(looks) >= 2 and any(look.values for look in looks)


def _compared(window: MainWindow, _begun: Project) -> bool:
    return window.desk_name == "Tune" and window.tune.stage.comparison.on


def _tried(window: MainWindow, begun: Project) -> bool:
    """A value was taken from the strip, which is open."""
    if window.desk_name != "Tune" or window.tune.strip.isHidden():
        return False
    now = window.session.project.instances
    return any(look.values != now[key].values for key, look in begun.instances.items() if key in now)


def _delivered(window: MainWindow, _begun: Project) -> bool:
    return window.desk_name == "Deliver" and cast("DeliverDesk", window.desk("Deliver")).log.count() > 0


STEPS = (
    Step(
        "Turn the stage",
        "Drag on the picture at the upper right. The wheel comes closer, and Home shows everything.",
        _turned,
    ),
    Step(
        "Ask where a point is",
        "Click into the empty canvas, type position, press Return. Its picture shows what it gives: x red, y green.",
        lambda window, _: _has(window, "position"),
    ),
    Step(
        "Take the height of it",
        "Ctrl+Return adds a node after the selected one: type separate, press Return. Its y is the height in metres.",
        lambda window, _: _wired(window, "position", "separate"),
    ),
    Step(
        "Divide it by a distance",
        "Drag from y to an empty place of the canvas, type divide, and press Return. Then Ctrl+T makes it tidy.",
        lambda window, _: _wired(window, "separate", "divide", "a"),
    ),
    Step(
        "Wire it to the surface",
        "Drag from the number that Divide gives to roughness of Surface. Heights do not stay within 0 and 1: the strip "
        "under Divide is hatched, and a notice counts at the lower right.",
        lambda window, _: _wired(window, "divide", "surface", "roughness"),
    ),
    Step(
        "Mend it",
        "Click the notices at the lower right, and press Clamp it. Now it is 0 below the ground and 1 from a metre up.",
        _mended,
    ),
    Step(
        "Colour by it",
        "Click into the empty canvas and type mix, Return. Drag from its a to an empty place and type #2a4d5e, Return; "
        "from its b, #f2b75c. Then drag from the clamp’s number to factor, and from Mix to base colour of Surface.",
        _coloured,
    ),
    Step(
        "Give it to designers",
        "Right-click b of Divide, and choose Expose b as a parameter. The shelf below is what a designer gets.",
        _exposed,
    ),
    Step(
        "Make two looks",
        "Ctrl+3 goes to the Tune desk. Press New instance, twice, and give one of them another value.",
        _two_looks,
    ),
    Step(
        "Compare them",
        "Ctrl+K sets the selected look beside another. Drag the line between them; Ctrl+K ends it.",
        _compared,
    ),
    Step(
        "Take one of several",
        "Ctrl+Shift+V tries values side by side. Click the picture that you like best.",
        _tried,
    ),
    Step(
        "Deliver",
        "Ctrl+5 goes to the Deliver desk. Press Deliver… and choose a folder: an engine can call what is written.",
        _delivered,
    ),
)
"""In order."""
