"""All that a stage can be asked for by name: what the window's menu, the View menu and the command finder list."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from soft_lantern.app.stage.handles import KINDS
from soft_lantern.app.stage.stage_view import StageView
from soft_lantern.graph.document import Bookmark, changed
from soft_lantern.render.card import BACKDROPS, Card


@dataclass(frozen=True)
class StageAction:
    """One of them: its name and keys, what it does, and for a switch whether it is on."""

    name: str
    keys: str
    run: Callable[[StageView], object]
    on: Callable[[StageView], bool] | None = None


def _option(name: str, keys: str, field: str) -> StageAction:
    def switch(stage: StageView) -> None:
        stage.set_options(**{field: not getattr(stage.options, field)})

    return StageAction(name, keys, switch, lambda stage: bool(getattr(stage.options, field)))


def toggle_gauge(stage: StageView) -> None:
    """Show or hide the level gauge; where the scene has none, put it at 0."""
    scene = stage.scene
    if scene and scene.gauge is None:
        stage.set_options(gauge=True)
        stage.set_gauge(0.0)
    else:
        stage.set_options(gauge=not stage.options.gauge)


def gauge_on(stage: StageView) -> bool:
    """Whether the level gauge is seen."""
    return bool(stage.scene and stage.scene.gauge is not None and stage.options.gauge)


def _solo(stage: StageView) -> None:
    if stage.options.solo != ("", ""):
        stage.solo(*stage.options.solo)
    elif stage.selected:
        stage.solo(stage.selected, stage.selected_part)
    else:
        stage.session.told.emit("Select an object to see alone")


def _card(stage: StageView) -> None:
    stage.show_card(None if stage.card else Card())


def _card_backdrop(stage: StageView) -> None:
    if stage.card:
        following = BACKDROPS[(BACKDROPS.index(stage.card.backdrop) + 1) % len(BACKDROPS)]
        stage.show_card(Card(stage.card.scale, following, stage.card.moved))
    else:
        stage.session.told.emit("Show the flat card first")


def bookmark(stage: StageView) -> None:
    """Keep the view with the scene under a number."""
    scene = stage.scene
    if scene:
        taken = {each.name for each in scene.bookmarks}
        name = next(f"View {n}" for n in range(1, len(taken) + 2) if f"View {n}" not in taken)
        kept = (*scene.bookmarks, Bookmark(name=name, view=stage.session.view))
        project = stage.session.put_scene(stage.session.project, changed(scene, bookmarks=kept))
        stage.session.apply(f"Bookmark {name}", project)
        stage.session.told.emit(f"{name} is kept with the scene")


def _to_bookmark(number: int) -> Callable[[StageView], None]:
    def go(stage: StageView) -> None:
        marks = stage.scene.bookmarks if stage.scene else ()
        if number < len(marks):
            stage.session.set_view(marks[number].view)
        else:
            stage.session.told.emit(f"There is no bookmark {number + 1} yet")

    return go


def _handle(kind: str, keys: str) -> StageAction:
    return StageAction(
        f"{kind.capitalize()} handle",
        keys,
        lambda stage: stage.show_handle(kind),
        lambda stage: stage.handle_kind == kind,
    )


def _clicks(name: str, keys: str, do: str) -> StageAction:
    return StageAction(name, keys, lambda stage: stage.let_clicks(do), lambda stage: stage.clicks == do)


SWITCHES = (
    _option("Sky", "F5", "backdrop"),
    _option("Floor", "F6", "floor"),
    _option("Grid", "Shift+F6", "grid"),
    _option("Tone map", "F7", "tone_map"),
    StageAction("Level gauge", "F8", toggle_gauge, gauge_on),
    _option("Shadows", "Shift+F5", "shadow"),
    _option("Glow", "Shift+F7", "glow"),
    _option("Textures", "Shift+F8", "textures"),
    _option("Triangle edges", "Shift+F10", "edges"),
    _option("Clip view", "F10", "clip"),
    StageAction("Figures", "Shift+F11", lambda s: s.show_figures(not s.figures_shown), lambda s: s.figures_shown),
)
"""What is drawn beside the objects, each switched by one key."""
JUDGING = (
    StageAction("Only the selected object", "Shift+F9", _solo, lambda s: s.options.solo != ("", "")),
    _clicks("Probe with clicks", "F4", "probe"),
    _clicks("Measure with the tape", "Shift+F4", "tape"),
    StageAction("Pin the picture", "Shift+F3", lambda s: s.pin_picture()),
    StageAction("Flip to the pinned picture", "F12", lambda s: s.flip(), lambda s: s.flipped),
    StageAction("Turntable", "Shift+F2", lambda s: s.turntable(not s.is_turning), lambda s: s.is_turning),
    StageAction("Flat card", "Shift+F12", _card, lambda s: s.card is not None),
    StageAction("Next backdrop of the card", "", _card_backdrop),
)
HANDLES = tuple(_handle(kind, f"Ctrl+F{number}") for number, kind in enumerate(KINDS, 5))
BOOKMARKS = (
    StageAction("Bookmark this view", "Ctrl+B", bookmark),
    *(StageAction(f"Go to bookmark {n + 1}", f"Ctrl+Alt+{n + 1}", _to_bookmark(n)) for n in range(4)),
)
