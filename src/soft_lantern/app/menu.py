"""Everything the window can be asked for by name, in groups: its menu, its keys and the command finder read this."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from soft_lantern.app.canvas.canvas import Canvas
from soft_lantern.app.desks.colour import ColourDesk
from soft_lantern.app.stage.comparison import DIFFERENCE, DIVIDER, FOUR
from soft_lantern.app.stage.stage_actions import BOOKMARKS, HANDLES, JUDGING, SWITCHES
from soft_lantern.app.tune.instance_hands import InstanceHands
from soft_lantern.scene.primitives import PRIMITIVES

if TYPE_CHECKING:
    from soft_lantern.app.window import MainWindow

Entry = tuple[str, str, Callable[[], object]]
"""A name, keys, and what it does."""


FOR_DESIGNERS = ("Save", "Save pictures of the stage", "Close", "Undo", "Redo")
"""What of the project and of editing is offered where instances alone may be changed."""


def entries(window: MainWindow) -> dict[str, list[Entry]]:
    """All of it by group; where the window is for designers, what cannot reach a graph or the scene's objects."""
    if window.only is None:
        return _all_entries(window)
    kept = {group: list(listed) for group, listed in _all_entries(window).items() if group not in ("Graph", "Objects")}
    for group in ("Project", "Edit"):
        kept[group] = [entry for entry in kept[group] if entry[0] in FOR_DESIGNERS]
    kept["Stage"] = [entry for entry in kept["Stage"] if "scene" not in entry[0].lower() or "Next" in entry[0]]
    kept["Window"] = [entry for entry in kept["Window"] if not entry[0].endswith(" desk")]
    return kept


def _all_entries(window: MainWindow) -> dict[str, list[Entry]]:
    session, objects = window.session, window.object_panel

    def on_stage(run: Callable[..., object]) -> Callable[[], object]:
        return lambda: run(window.stage())

    def canvas(run: Callable[[Canvas], object]) -> Callable[[], object]:
        return lambda: run(window.build.canvas)

    def instances(run: Callable[[InstanceHands], object]) -> Callable[[], object]:
        return lambda: run(window.tune.hands)

    def colour(run: Callable[[ColourDesk], object]) -> Callable[[], object]:
        def there() -> None:
            window.edit_ramps()
            run(window.colour)

        return there

    return {
        "Project": [
            ("New material", "Ctrl+Shift+M", window.new_material),
            ("Rename material", "", window.rename_material),
            ("New snippet", "", window.new_snippet),
            ("Delete snippet", "", window.delete_snippet),
            ("Import mesh", "Ctrl+I", lambda: window.build.objects.choose_file()),
            ("Load an image", "Ctrl+Shift+I", lambda: window.build.load_image()),
            ("Gradients and palettes", "Ctrl+G", window.edit_ramps),
            ("New gradient", "Ctrl+Shift+G", colour(ColourDesk.new_gradient)),
            ("New palette", "", colour(ColourDesk.new_palette)),
            ("Bake an atlas of gradients", "", colour(ColourDesk.open_atlas)),
            ("Replace mixes by a gradient", "", colour(lambda desk: desk.sources.choose_mixes())),
            ("Load a panorama for the light", "", lambda: window.build.light.choose_file()),
            ("Export GLSL", "Ctrl+Shift+E", window.export_glsl),
            ("Export GLSL with exact gradients", "", window.export_exact),
            ("Save", "Ctrl+S", lambda: session.saver.begin()),
            ("Earlier states", "", window.offers.earlier_states),
            ("Save pictures of the stage", "Ctrl+Shift+S", lambda: window.stage_bar().save_pictures()),
            ("Close", "Ctrl+Q", window.close),
        ],
        "Edit": [
            ("Undo", "Ctrl+Z", session.undo.undo),
            ("Redo", "Ctrl+Shift+Z", session.undo.redo),
            ("Cut", "Ctrl+X", canvas(Canvas.cut_selected)),
            ("Copy", "Ctrl+C", canvas(Canvas.copy_selected)),
            ("Paste", "Ctrl+V", canvas(Canvas.paste)),
            ("Duplicate", "Ctrl+D", canvas(Canvas.duplicate_selected)),
            ("Select all", "Ctrl+A", canvas(Canvas.select_all)),
            ("Delete", "", canvas(Canvas.delete_selected)),
        ],
        "Graph": [
            ("Add a node", "Ctrl+Space", canvas(Canvas.open_finder)),
            ("Add a node after the selected one", "Ctrl+Return", canvas(Canvas.add_next)),
            ("Dissolve", "Ctrl+Backspace", canvas(Canvas.dissolve_selected)),
            ("Align", "", canvas(Canvas.align_selected)),
            ("Unfold into nodes", "Ctrl+U", canvas(Canvas.unfold_selected)),
            ("Make a snippet of the selected", "Ctrl+Shift+P", canvas(Canvas.make_snippet)),
            ("Open the snippet", "Ctrl+Shift+O", canvas(Canvas.open_snippet)),
            ("Explain the node", "Shift+F1", lambda: window.build.explain_node()),
            ("Note round the selected", "Ctrl+Shift+T", canvas(Canvas.add_note)),
            ("Hide or show thumbnails", "Ctrl+H", canvas(Canvas.hide_thumbnails)),
            ("Larger thumbnails", "Ctrl+Shift+Up", lambda: window.build.canvas.resize_thumbnails(1.35)),
            ("Smaller thumbnails", "Ctrl+Shift+Down", lambda: window.build.canvas.resize_thumbnails(1 / 1.35)),
            ("Find in the graph", "Ctrl+F", canvas(Canvas.find_node)),
            ("Expose as a parameter", "Ctrl+E", canvas(Canvas.expose_selected)),
            ("Tidy the graph", "Ctrl+T", canvas(Canvas.tidy)),
            ("Frame the graph", "Ctrl+Home", canvas(Canvas.frame_all)),
            ("Show the wire on the stage", "F11", lambda: window.build.wire_box.button.toggle()),
            ("Measure on the object or the flat card", "", lambda: window.build.wire_box.on_object.toggle()),
            ("Take the probe away", "", lambda: window.build.clear_probe()),
            ("Show the notices", "Ctrl+N", window.open_notices),
        ],
        "Objects": [
            *((f"Add {shape} to the stage", "", window.adds(shape)) for shape in PRIMITIVES),
            ("Duplicate object", "Ctrl+Shift+D", lambda: objects().duplicate()),
            ("Delete object", "", lambda: objects().delete()),
            *((each.name, each.keys, on_stage(each.run)) for each in HANDLES),
        ],
        "Stage": [
            ("Frame the stage", "Home", session.frame_all),
            ("Frame the selected object", "Shift+Home", lambda: session.frame_all(window.stage().selected)),
            ("New scene", "", session.new_scene),
            ("Rename scene", "", window.rename_scene),
            ("Delete scene", "", session.remove_scene),
            ("Next scene", "Ctrl+Tab", window.next_scene),
            ("Keep this view for the scene", "", window.keep_view),
            *((each.name, each.keys, on_stage(each.run)) for each in BOOKMARKS),
            ("Play or freeze the clock", "F2", lambda: window.build.clock.play.toggle()),
            ("Step the clock", "F3", lambda: window.build.clock.step.click()),
            *((f"Switch {each.name.lower()}", each.keys, on_stage(each.run)) for each in SWITCHES),
            *((each.name, each.keys, on_stage(each.run)) for each in JUDGING),
        ],
        "Instances": [
            ("New instance", "Ctrl+Shift+N", instances(InstanceHands.add)),
            ("Duplicate instance", "", instances(InstanceHands.duplicate)),
            ("Delete instance", "", instances(InstanceHands.delete)),
            ("Export values as a table", "", instances(InstanceHands.export_values)),
            ("Import values from a table", "", instances(InstanceHands.import_values)),
            ("Contact sheet", "Ctrl+Shift+C", window.contact_sheet),
            ("Try values", "Ctrl+Shift+V", lambda: window.tune.try_values()),
            ("Vary at random", "", lambda: window.tune.vary()),
            ("Compare side by side", "Ctrl+K", lambda: window.compare(DIVIDER)),
            ("Compare four at once", "", lambda: window.compare(FOUR)),
            ("Show the difference", "Ctrl+Shift+K", lambda: window.compare(DIFFERENCE)),
            ("Keep a snapshot", "", lambda: window.tune.compare.keep_snapshot()),
            ("Favourite", "", instances(InstanceHands.toggle_favourite)),
            ("Put into a folder", "", instances(InstanceHands.ask_folder)),
            ("Tag", "", instances(InstanceHands.ask_tags)),
            ("Copy all values", "", lambda: window.tune.hands.copy(None)),
            ("Paste values", "", instances(InstanceHands.paste)),
            ("Reset all values", "", instances(InstanceHands.reset_all)),
            ("Hold values to their limits", "", lambda: window.tune.hands.clamp()),
            ("Make a pick", "", instances(InstanceHands.make_pick)),
            ("Find instances", "Ctrl+Shift+F", window.find_instances),
            ("Changes since the last save", "", instances(InstanceHands.show_changes)),
        ],
        "Window": [
            *((f"{name} desk", f"Ctrl+{n}", window.goes_to(name)) for n, name in enumerate(window.desk_buttons, 1)),
            ("Dusk or paper theme", "F9", window.switch_theme),
            ("Commands", "F1", window.commands.open),
        ],
    }
