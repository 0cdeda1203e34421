"""The canvas without a mouse: nodes, wires, values and menus by keys alone."""

from __future__ import annotations

import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QAbstractItemView, QApplication, QWidget

from by_hand import activate, drag, middle_of, node_of, settled, tooth, until
from soft_lantern.app.canvas.value_typing import value_typed
from soft_lantern.app.window.window import MainWindow
from soft_lantern.errors import BadValue
from soft_lantern.graph.layout import SLIP_WIDTH, slip_height
from soft_lantern.graph.lowering import lower, uniform_values
from soft_lantern.ir.hand_point import hand_point
from soft_lantern.ir.numpy_reader import evaluate, leaf
from soft_lantern.nodes import LIBRARY, Role
from soft_lantern.values.colour import colour_from_hex
from soft_lantern.values.kinds import Kind, components


def press(*keys: str | Qt.Key) -> None:
    """Keys into whatever has the keyboard at each; a text is typed letter by letter."""
    for key in [one for each in keys for one in (each if isinstance(each, str) else [each])]:
        widget = QApplication.focusWidget()
        assert widget
        if isinstance(key, str):
            QTest.keyClicks(widget, key)
        else:
            QTest.keyClick(widget, key)


def add(window: MainWindow, text: str) -> str:
    """Type a node's name on the canvas and take the first offer; the new node's id."""
    canvas = window.build.canvas
    before = set(canvas.material.nodes)
    canvas.setFocus()
    press(text, Qt.Key.Key_Return)
    (new,) = set(canvas.material.nodes) - before
    return new


def wire_to(window: MainWindow, node_id: str, output: str, target: str) -> None:
    """From the selected slip: open its ports, the output by its letters, the target by its letters."""
    assert window.build.canvas.selected == {node_id}
    press(Qt.Key.Key_Return, output, Qt.Key.Key_Return, target, Qt.Key.Key_Return)


@pytest.fixture()
def fresh(window: MainWindow) -> MainWindow:
    window.commands.actions["New material"].trigger()
    activate(window)
    window.build.canvas.setFocus()
    until(lambda: window.build.canvas.hasFocus())
    return window


def test_a_rim_glow_with_a_pulse_is_built_with_no_mouse(fresh: MainWindow) -> None:
    canvas = fresh.build.canvas
    before = settled(fresh)
    rim = add(fresh, "fresnel mask")
    press(Qt.Key.Key_Return, "exponent", Qt.Key.Key_Return, Qt.Key.Key_Return, "5", Qt.Key.Key_Return)
    assert canvas.material.nodes[rim].values["exponent"] == 5.0
    pulse = add(fresh, "pulse")
    both = add(fresh, "multiply")
    tint = add(fresh, "multiply tint")
    press(Qt.Key.Key_Return, "colour", Qt.Key.Key_Return, Qt.Key.Key_Down)  # the list is of what the port can be
    press(Qt.Key.Key_Escape)
    glow = add(fresh, "#ffb45e")
    wire_to(fresh, glow, "out", "multiply tint: colour")
    for source, target in ((rim, "multiply: a"), (pulse, "multiply: b"), (both, "multiply tint: tint")):
        canvas.select({source})
        wire_to(fresh, source, "out", target)
    canvas.select({tint})
    press(Qt.Key.Key_Return, "out", Qt.Key.Key_Return, "surface: emissive", Qt.Key.Key_Return)
    material = canvas.material
    surface = node_of(material, "surface")
    assert material.wires == {
        f"{tint}.colour": f"{glow}.out",
        f"{both}.a": f"{rim}.out",
        f"{both}.b": f"{pulse}.out",
        f"{tint}.tint": f"{both}.out",
        f"{surface}.emissive": f"{tint}.out",
    }
    lowered = lower(material)
    leaves = {name: leaf(parts) for name, parts in uniform_values(lowered, material, {}).items()}
    # A quarter of the period in, the pulse is 1 (sin 90°): at the rim the glow is the whole colour.
    (period,) = components(material.nodes[pulse].values.get("period", LIBRARY["pulse"].input("period").default))
    point = hand_point({"normal_world": (1.0, 0.0, 0.0), "camera_position": (0.0, 0.0, 5.0), "time": (period / 4,)})
    leaves |= {name: leaf(parts) for name, parts in point.items()}
    emissive = lowered.surface["emissive"]
    assert evaluate([emissive], leaves)[emissive].ravel() == pytest.approx(colour_from_hex("#ffb45e")[:3], rel=1e-4)
    assert (settled(fresh) != before).any(axis=2).mean() > 0.02


def test_keys_go_along_wires_and_down_columns_and_wire_a_selection(fresh: MainWindow) -> None:
    canvas = fresh.build.canvas
    surface = node_of(canvas.material, "surface")
    number, sine, clamp = add(fresh, "0.4"), add(fresh, "sine"), add(fresh, "saturate")
    nodes = canvas.material.nodes
    assert nodes[number].x <= nodes[sine].x or nodes[number].y != nodes[sine].y
    canvas.wishes.edit("Move", lambda m: move_apart(m, [number, sine, clamp]))
    canvas.select({number, sine, clamp})
    fresh.commands.actions["Wire the selected one after the other"].trigger()
    assert canvas.material.wires == {f"{sine}.angle": f"{number}.out", f"{clamp}.value": f"{sine}.out"}
    assert canvas.material.nodes[number].name == "Angle"  # it takes its name from what it feeds
    canvas.select({clamp})
    press(Qt.Key.Key_Return, "out", Qt.Key.Key_Return, "surface: roughness", Qt.Key.Key_Return)
    for name, expected in (("Go to what feeds the selected", sine), ("Go to what feeds the selected", number)):
        fresh.commands.actions[name].trigger()
        assert canvas.selected == {expected}
    for expected in (sine, clamp, surface):
        fresh.commands.actions["Go to what the selected feeds"].trigger()
        assert canvas.selected == {expected}


def move_apart(material, node_ids):  # type: ignore[no-untyped-def]
    from soft_lantern.graph.edits import move_nodes

    return move_nodes(material, {node_id: (-900.0 + 200 * n, 0.0) for n, node_id in enumerate(node_ids)})


def test_settings_values_and_wires_are_chosen_from_the_ports(fresh: MainWindow) -> None:
    canvas = fresh.build.canvas
    place = add(fresh, "position")
    press(Qt.Key.Key_Return, "1", "object", Qt.Key.Key_Return)  # the first port by its number, then one of its choices
    assert canvas.material.nodes[place].settings["space"] == "object"
    box = add(fresh, "box mask")
    press(Qt.Key.Key_Return, "size", Qt.Key.Key_Return, "type", Qt.Key.Key_Return, "2 3,4", Qt.Key.Key_Return)
    assert canvas.material.nodes[box].values["size"] == (2.0, 3.0, 4.0)
    press(Qt.Key.Key_Return, "position", Qt.Key.Key_Return, "position", Qt.Key.Key_Return)
    assert canvas.material.wires[f"{box}.position"] == f"{place}.out"
    press(Qt.Key.Key_Return, "position", Qt.Key.Key_Return, "take", Qt.Key.Key_Return)
    assert not canvas.material.wires


@pytest.mark.parametrize(
    ("text", "kind", "present", "expected"),
    [
        ("0.5 0.25 1", Kind.VECTOR3, (0, 0, 0), (0.5, 0.25, 1.0)),
        ("(1, 2, 3)", Kind.VECTOR3, (0, 0, 0), (1.0, 2.0, 3.0)),
        ("2", Kind.VECTOR3, (0, 0, 0), (2.0, 2.0, 2.0)),
        ("0,5", Kind.NUMBER, (1,), 0.5),
        ("x * 2", Kind.NUMBER, (1.5,), 3.0),
        ("#ffffff", Kind.COLOUR, (0, 0, 0, 1), (1.0, 1.0, 1.0, 1.0)),
    ],
)
def test_values_are_typed_as_they_are_shown(
    text: str, kind: Kind, present: tuple[float, ...], expected: object
) -> None:
    assert value_typed(text, kind, present) == expected


@pytest.mark.parametrize("text", ["1 2", "one", "", "1e39"])
def test_what_is_no_value_is_refused_in_words(text: str) -> None:
    with pytest.raises(BadValue, match="“"):
        value_typed(text, Kind.VECTOR3, (0.0, 0.0, 0.0))


def test_typing_over_a_value_changes_it_on_parameters_too(window: MainWindow) -> None:
    canvas, session = window.build.canvas, window.session
    session.open_material("height_ramp")
    spread = next(i for i, n in canvas.material.nodes.items() if n.settings.get("parameter") == "spread")
    canvas.steps.bring_in([spread])
    slip = canvas.spread.slips[spread]
    row = next(row for row in slip.rows if row.value is not None)
    canvas.pointer = canvas.to_widget(slip.row_rect(row).center() + QPointF(30, 0))
    window.cursor().setPos(canvas.mapToGlobal(canvas.pointer.toPoint()))
    QTest.mouseMove(canvas, canvas.pointer.toPoint())
    until(lambda: canvas.underMouse())
    canvas.setFocus()
    press("2")
    assert canvas.typing.type_in.text() == "2" and not canvas.placing.finder.isVisible()
    press(".5", Qt.Key.Key_Return)
    parameter = session.project.materials["height_ramp"].parameter("spread")
    assert parameter and parameter.default == 2.5
    press("9")
    press("99", Qt.Key.Key_Return)  # held to the parameter's limits
    assert session.project.materials["height_ramp"].parameter("spread").default == 10.0  # type: ignore[union-attr]


def test_letters_reach_the_canvas_from_any_panel_but_not_from_fields(window: MainWindow) -> None:
    canvas, desk = window.build.canvas, window.build
    for widget in (desk.tabs.tabBar(), desk.stage_bar.backdrop, desk.clock.play):
        assert widget
        widget.setFocus()
        press("m")
        assert canvas.placing.finder.isVisible() and canvas.placing.finder.field.text() == "m"
        press(Qt.Key.Key_Escape)
        assert canvas.hasFocus()
    field = desk.stage_bar.height_field
    desk.stage_bar.gauge.click()
    field.setFocus()
    if field.hasFocus():
        press("m")
    assert not canvas.placing.finder.isVisible()


def test_new_slips_lie_free_in_view_and_left_of_the_surface(fresh: MainWindow) -> None:
    canvas = fresh.build.canvas
    surface = node_of(canvas.material, "surface")
    canvas.pointer = canvas.to_widget(canvas.spread.slips[surface].rect.topLeft() + QPointF(40, 8))
    for name in ("sine", "#336699", "mix", "0.5"):
        new = add(fresh, name)
        rect = canvas.spread.slips[new].rect
        assert canvas.rect().contains(canvas.to_widget(rect.topLeft()).toPoint())
        assert canvas.rect().contains(canvas.to_widget(rect.bottomRight()).toPoint())
    press("rim glow", Qt.Key.Key_Return)
    slips = canvas.spread.slips
    rects = [slip.rect for slip in slips.values()]
    assert not any(a.intersects(b) for n, a in enumerate(rects) for b in rects[:n])
    edge = slips[surface].rect.left()
    assert all(slip.rect.right() < edge for node_id, slip in slips.items() if node_id != surface)
    row = slips[surface].row("metallic", is_output=False)
    assert row
    canvas.acts.expose(surface, "metallic")
    (made,) = [i for i, n in canvas.material.nodes.items() if n.role is Role.PARAMETER and i not in slips]
    node = canvas.material.nodes[made]
    height = slip_height(canvas.material, node)
    for slip in slips.values():
        beside = node.x + SLIP_WIDTH <= slip.rect.left() or slip.rect.right() <= node.x
        assert beside or node.y + height <= slip.rect.top() or slip.rect.bottom() <= node.y


def test_a_wire_let_go_on_a_slip_offers_its_ports_in_words(fresh: MainWindow) -> None:
    canvas = fresh.build.canvas
    noise, mix = add(fresh, "0.3"), add(fresh, "mix")
    canvas.frame_all()
    drag(canvas, tooth(canvas, noise, "out", is_output=True), middle_of(canvas, mix))
    offered = canvas.ports.finder
    assert offered.isVisible()
    assert [offered.list.item(n).text().split("    ")[0] for n in range(offered.list.count())][:3] == [  # type: ignore[union-attr]
        *("Mix: a", "Mix: b", "Mix: factor"),
    ]
    press("factor", Qt.Key.Key_Return)
    assert canvas.material.wires == {f"{mix}.factor": f"{noise}.out"}
    assert canvas.material.nodes[noise].name == "Factor"


def test_teeth_are_wide_enough_to_hit_when_the_graph_is_small(fresh: MainWindow) -> None:
    canvas = fresh.build.canvas
    number, surface = add(fresh, "0.7"), node_of(canvas.material, "surface")
    canvas.select({number})
    canvas.scale = 0.3
    off = QPointF(5, 5)  # 7 pixels away
    drag(canvas, tooth(canvas, number, "out", is_output=True) + off, tooth(canvas, surface, "base_colour") - off)
    assert canvas.material.wires == {f"{surface}.base_colour": f"{number}.out"}


def test_the_keyboard_leaves_tables_and_goes_from_panel_to_panel(window: MainWindow) -> None:
    def inside(panel: QWidget) -> bool:
        now = QApplication.focusWidget()
        return now is not None and (now is panel or panel.isAncestorOf(now))

    for name in window.header.desk_buttons:
        window.go_to_desk(name)
        desk = window.desk(name)
        assert not any(view.tabKeyNavigation() for view in desk.findChildren(QAbstractItemView)), name
        panes = [pane for pane in desk.panes() if pane.isVisible()]
        window.setFocus()
        entered = []
        for _ in panes:
            window.commands.actions["Next panel"].trigger()
            entered += [pane for pane in panes if inside(pane)]
        assert set(entered) == set(panes), name


def test_the_stage_takes_the_room_of_the_graph_and_gives_it_back(window: MainWindow) -> None:
    canvas, stage = window.build.canvas, window.build.stage
    was = canvas.width()
    window.commands.actions["Large stage or large graph"].trigger()
    until(lambda: stage.width() > canvas.width())
    window.commands.actions["Large stage or large graph"].trigger()
    until(lambda: canvas.width() > stage.width())
    assert abs(canvas.width() - was) < 4


def test_an_identifier_follows_its_label_until_one_is_typed(window: MainWindow) -> None:
    window.session.open_material("height_ramp")
    window.build.bottom.edit_parameter("spread")
    dialog = window.build.bottom.dialog
    dialog.label.setFocus()
    dialog.label.selectAll()
    QTest.keyClicks(dialog.label, "Fog height")
    assert dialog.identifier.text() == "fog_height"
    dialog.identifier.selectAll()
    QTest.keyClicks(dialog.identifier, "fog")
    dialog.label.selectAll()
    QTest.keyClicks(dialog.label, "Mist")
    assert dialog.identifier.text() == "fog"
    dialog.reject()
