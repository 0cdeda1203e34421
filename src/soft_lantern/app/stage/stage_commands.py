"""All that a stage can be asked for by name: what the window's menu, the View menu and the command finder list."""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace

from soft_lantern.app.command import Command, never
from soft_lantern.app.stage.handles import KINDS
from soft_lantern.app.stage.stage_view import StageView
from soft_lantern.graph.scenes import with_bookmark
from soft_lantern.render.card import BACKDROPS, Card

StageCommand = Command[StageView]


def toggle_gauge(stage: StageView) -> None:
    """Show or hide the level gauge; where the scene has none, put it at 0."""
    modes = stage.modes
    if stage.scene and stage.scene.gauge is None:
        modes.set_options(gauge=True)
        stage.set_gauge(0.0)
    else:
        modes.set_options(gauge=not modes.sight.options.gauge)


def gauge_on(stage: StageView) -> bool:
    """Whether the level gauge is seen."""
    return bool(stage.scene and stage.scene.gauge is not None and stage.modes.sight.options.gauge)


def bookmark(stage: StageView) -> None:
    """Keep the view with the scene under a number."""
    view = stage.session.view
    if stage.session.edit_scene("Bookmark this view", lambda scene: with_bookmark(scene, view)) and stage.scene:
        stage.session.told.emit(f"{stage.scene.bookmarks[-1].name} is kept with the scene")


def _command(
    name: str,
    keys: str,
    run: Callable[[StageView], object],
    on: Callable[[StageView], bool] | None = None,
    hindered: Callable[[StageView], str] = never,
) -> StageCommand:
    return Command(name, run, keys, hindered, on, designers=True)


def _option(name: str, keys: str, field: str) -> StageCommand:
    def shown(stage: StageView) -> bool:
        return bool(getattr(stage.modes.sight.options, field))

    return _command(name, keys, lambda stage: stage.modes.set_options(**{field: not shown(stage)}), shown)


def _clicks(name: str, keys: str, do: str) -> StageCommand:
    return _command(name, keys, lambda s: s.modes.let_clicks(do), lambda s: s.modes.clicks == do)


def _handle(kind: str, keys: str) -> StageCommand:
    words = f"{kind.capitalize()} handle"
    return _command(
        words,
        keys,
        lambda s: s.modes.show_handle(kind),
        lambda s: s.modes.handle_kind == kind,
        lambda s: s.session.scene_held,
    )


def _alone(stage: StageView) -> bool:
    return stage.modes.sight.options.solo != ("", "")


def _solo(stage: StageView) -> None:
    sight = stage.modes.sight
    stage.modes.solo(*(sight.options.solo if _alone(stage) else (sight.selected, sight.part)))


def _next_backdrop(stage: StageView) -> None:
    card = stage.modes.sight.card
    if card:
        following = BACKDROPS[(BACKDROPS.index(card.backdrop) + 1) % len(BACKDROPS)]
        stage.modes.show_card(replace(card, backdrop=following))


def _to_bookmark(number: int) -> StageCommand:
    def go(stage: StageView) -> None:
        if stage.scene:
            stage.session.set_view(stage.scene.bookmarks[number].view)

    def missing(stage: StageView) -> str:
        kept = len(stage.scene.bookmarks) if stage.scene else 0
        return "" if number < kept else f"There is no bookmark {number + 1} yet"

    return _command(f"Go to bookmark {number + 1}", f"Ctrl+Alt+{number + 1}", go, hindered=missing)


SWITCHES = (
    _option("Sky", "F5", "backdrop"),
    _option("Floor", "F6", "floor"),
    _option("Grid", "Shift+F6", "grid"),
    _option("Tone map", "F7", "tone_map"),
    _command("Level gauge", "F8", toggle_gauge, gauge_on),
    _option("Shadows", "Shift+F5", "shadow"),
    _option("Glow", "Shift+F7", "glow"),
    _option("Textures", "Shift+F8", "textures"),
    _option("Triangle edges", "Shift+F10", "edges"),
    _option("Clip view", "F10", "clip"),
    _command(
        "Figures",
        "Shift+F11",
        lambda s: s.modes.show_figures(not s.modes.figures_shown),
        lambda s: s.modes.figures_shown,
    ),
)
"""What is drawn beside the objects, each switched by one key."""
JUDGING = (
    _command(
        "Only the selected object",
        "Shift+F9",
        _solo,
        _alone,
        lambda s: "" if s.modes.sight.selected or _alone(s) else "Select an object to see alone",
    ),
    _clicks("Probe with clicks", "F4", "probe"),
    _clicks("Measure with the tape", "Shift+F4", "tape"),
    _command("Pin the picture", "Shift+F3", lambda s: s.modes.pin_picture(s.pictures.image)),
    _command(
        "Flip to the pinned picture",
        "F12",
        lambda s: s.modes.flip(),
        lambda s: s.modes.flipped,
        lambda s: "" if s.modes.pinned_picture else "Pin a picture first, then flip against it",
    ),
    _command(
        "Turntable", "Shift+F2", lambda s: s.modes.turntable(not s.modes.is_turning), lambda s: s.modes.is_turning
    ),
    _command(
        "Flat card",
        "Shift+F12",
        lambda s: s.modes.show_card(None if s.modes.sight.card else Card()),
        lambda s: s.modes.sight.card is not None,
    ),
    _command(
        "Next backdrop of the card",
        "",
        _next_backdrop,
        hindered=lambda s: "" if s.modes.sight.card else "Show the flat card first",
    ),
)
HANDLES = tuple(_handle(kind, f"Ctrl+F{number}") for number, kind in enumerate(KINDS, 5))
BOOKMARKS = (
    _command("Bookmark this view", "Ctrl+B", bookmark, hindered=lambda s: "" if s.scene else "There is no scene yet"),
    *(_to_bookmark(number) for number in range(4)),
)
NAMED = {command.name: command for command in (*SWITCHES, *JUDGING, *HANDLES, *BOOKMARKS)}
