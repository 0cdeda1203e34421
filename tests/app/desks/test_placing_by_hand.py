"""The Dress desk's list of objects and shelf of looks by hand: selecting, ordering, grouping, arranging, dressing."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import QMimeData, QPointF, Qt
from PyQt6.QtGui import QDropEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QTreeWidget, QTreeWidgetItem

from by_hand import CTRL, LEFT, NONE, drag, seen_at, settled, until
from soft_lantern.app.desks.dress.object_list import ID, OBJECT_DRAG
from soft_lantern.app.panels.row_dialog import RowDialog
from soft_lantern.app.stage.drops import LOOK_DRAG
from soft_lantern.app.widgets.picture_picker import PicturePicker
from soft_lantern.app.window.window import MainWindow
from soft_lantern.graph.document import StageObject
from soft_lantern.render.staging import object_boxes

pytestmark = pytest.mark.left_at("Dress", "tea_terrace")


def ready(window: MainWindow) -> None:
    until(lambda: not window.session.loading)
    settled(window, "dress")


def thing(window: MainWindow, object_id: str) -> StageObject:
    found = window.session.scene.object(object_id) if window.session.scene else None
    assert found
    return found


def listed(window: MainWindow) -> list[str]:
    return [o.id for o in window.session.scene.objects] if window.session.scene else []


def row(window: MainWindow, object_id: str) -> QTreeWidgetItem:
    return next(i for i in window.dress.things.objects.tree.items() if i.data(0, ID) == object_id)


def let_go(tree: QTreeWidget, item: QTreeWidgetItem, kind: str, held: str) -> None:
    data = QMimeData()
    data.setData(kind, held.encode())
    at = QPointF(tree.visualItemRect(item).center())
    tree.dropEvent(QDropEvent(at, Qt.DropAction.MoveAction, data, LEFT, NONE))


def press(window: MainWindow, object_id: str, keys: Qt.KeyboardModifier = NONE) -> None:
    tree = window.dress.things.objects.tree
    viewport = tree.viewport()
    assert viewport
    QTest.mouseClick(viewport, LEFT, keys, tree.visualItemRect(row(window, object_id)).center())


def test_an_asset_of_the_project_is_added_by_its_picture_and_name(window: MainWindow) -> None:
    ready(window)
    before, panel = listed(window), window.dress.panel
    QTest.mouseClick(panel.add_button, LEFT)
    picker = QApplication.activePopupWidget()
    assert isinstance(picker, PicturePicker)
    until(lambda: "garden_urn" in picker.pictures.icons)
    QTest.keyClicks(picker.field, "garden u")
    QTest.keyClick(picker.field, Qt.Key.Key_Return)
    *same, new = listed(window)
    assert same == before and panel.object_id == new and thing(window, new).asset == "garden_urn"


def test_it_opens_on_something_with_pictures_and_the_list_is_searched_ordered_and_grouped(window: MainWindow) -> None:
    ready(window)
    desk, before = window.dress, window.session.project
    ids = listed(window)
    assert desk.panel.object_id == ids[0] and desk.things.objects.tree.selected == [ids[0]]
    until(lambda: len(desk.things.objects.pictures) == len(ids), 60)
    until(lambda: desk.things.looks.pictures, 60)
    assert not row(window, ids[1]).icon(0).isNull()
    desk.things.objects.search.setText("mush 3")
    assert [i.data(0, ID) for i in desk.things.objects.tree.items() if not i.isHidden()] == [ids[3]]
    QTest.keyClick(desk.things.objects.search, Qt.Key.Key_Return)
    assert desk.panel.object_id == ids[3]
    desk.things.objects.search.clear()
    press(window, ids[1])
    press(window, ids[2], CTRL)
    assert desk.panel.held() == (ids[2], ids[1]) and desk.stage.modes.also == (ids[1],)
    desk.panel.arranging.group("Moss")
    group = row(window, ids[1]).parent()
    assert group and group.text(0) == "Moss" and group.childCount() == 2
    let_go(desk.things.objects.tree, group, OBJECT_DRAG, ids[5])
    assert listed(window) == [ids[0], ids[5], *ids[1:5]] and thing(window, ids[5]).group == "Moss"
    let_go(desk.things.objects.tree, row(window, ids[0]), OBJECT_DRAG, ids[4])
    assert listed(window)[0] == ids[4]
    press(window, ids[4])
    window.commands.run("List the object lower")
    assert listed(window)[:2] == [ids[0], ids[4]]
    item = row(window, ids[4])
    item.setText(0, "Old cap")
    assert thing(window, ids[4]).name == "Old cap"
    row(window, ids[4]).setText(0, "  ")
    assert thing(window, ids[4]).name == "Old cap" and row(window, ids[4]).text(0) == "Old cap"
    while window.session.undo.can_undo:
        window.session.undo.undo()
    assert window.session.project == before and listed(window) == ids


def test_several_are_moved_aligned_put_on_the_floor_copied_and_deleted_together(window: MainWindow) -> None:
    ready(window)
    desk, stage, session = window.dress, window.dress.stage, window.session
    ids = listed(window)
    before = session.project
    desk.select(ids[2])
    QTest.mouseClick(stage, LEFT, CTRL, seen_at(stage, ids[3]).toPoint())
    until(lambda: set(desk.panel.held()) == {ids[2], ids[3]})
    handles = stage.grasps.handles()
    assert handles and handles.thing.id == ids[3]
    starts = {i: np.array(thing(window, i).position) for i in ids}
    start, end = handles.arms()["y"]
    drag(stage, (start + end) / 2, (start + end) / 2 + (end - start))
    ways = {i: np.array(thing(window, i).position) - starts[i] for i in ids}
    assert ways[ids[3]][1] > 0.05 and np.allclose(ways[ids[2]], ways[ids[3]], atol=2e-3)
    assert not ways[ids[0]].any() and not ways[ids[4]].any()
    window.commands.run("Snap to the floor")
    boxes = object_boxes(session.scene, session.models, ids)  # type: ignore[arg-type]
    assert all(abs(boxes[i][0][1]) < 1e-4 for i in ids[2:4])
    window.commands.run("Align by middle z")
    boxes = object_boxes(session.scene, session.models, ids)  # type: ignore[arg-type]
    middles = [boxes[i][0][2] + boxes[i][1][2] for i in ids[2:4]]
    assert abs(middles[0] - middles[1]) < 1e-4 and thing(window, ids[4]) == before.scenes["tea_terrace"].object(ids[4])
    window.commands.run("Duplicate in a row")
    (dialog,) = desk.findChildren(RowDialog)
    dialog.count.setValue(2)
    dialog.accept()
    assert len(listed(window)) == len(ids) + 4 and len(desk.panel.held()) == 2
    assert set(desk.things.objects.tree.selected) == set(listed(window)[-2:])
    QTest.keyClick(desk.things.objects.tree, Qt.Key.Key_Delete)
    assert len(listed(window)) == len(ids) + 2
    desk.select(ids[0])
    now = thing(window, ids[1])
    window.commands.run("Align by lowest x")  # one alone has nothing to be aligned with
    assert thing(window, ids[1]) == now
    while session.undo.can_undo:
        session.undo.undo()
    assert session.project == before


def test_looks_are_dragged_from_the_shelf_onto_rows_parts_and_worn_by_return(window: MainWindow) -> None:
    ready(window)
    desk, ids = window.dress, listed(window)
    shelf, tree = desk.things.looks, desk.things.objects.tree
    data = shelf.list.mimeData([shelf.list.item(0)])  # type: ignore[list-item]
    look_id = bytes(data.data(LOOK_DRAG).data()).decode()
    assert look_id == shelf.list.item(0).data(Qt.ItemDataRole.UserRole)  # type: ignore[union-attr]
    let_go(tree, row(window, ids[1]), LOOK_DRAG, look_id)
    assert thing(window, ids[1]).wears == {"": look_id}
    desk.select(ids[2], also=ids[2:4])
    let_go(tree, row(window, ids[3]), LOOK_DRAG, look_id)
    assert thing(window, ids[2]).wears == thing(window, ids[3]).wears == {"": look_id}
    desk.select(ids[0], "lid")
    names = desk.parts.names()
    at = desk.parts.visualItemRect(desk.parts.item(names.index("knob"), 1)).center()
    held = QMimeData()
    held.setData(LOOK_DRAG, look_id.encode())
    desk.parts.dropEvent(QDropEvent(QPointF(at), Qt.DropAction.CopyAction, held, LEFT, NONE))
    assert thing(window, ids[0]).wears["knob"] == look_id
    shelf.search.setText("brass")
    shelf.list.setCurrentRow(next(n for n in range(shelf.list.count()) if not shelf.list.item(n).isHidden()))  # type: ignore[union-attr]
    QTest.keyClick(shelf.list, Qt.Key.Key_Return)
    assert thing(window, ids[0]).wears["lid"] == shelf.list.currentItem().data(Qt.ItemDataRole.UserRole)  # type: ignore[union-attr]
