"""Finding anything by a word, what uses it, and choosing records by their pictures."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from by_hand import NONE, pixels, until
from soft_lantern.app.widgets.picture_picker import PicturePicker
from soft_lantern.app.window.record_finder import RecordFinder
from soft_lantern.app.window.window import MainWindow

CTRL, ALT, SHIFT = (
    Qt.KeyboardModifier.ControlModifier,
    Qt.KeyboardModifier.AltModifier,
    Qt.KeyboardModifier.ShiftModifier,
)


def opened(window: MainWindow) -> RecordFinder:
    return window.findChildren(RecordFinder)[-1]


def coloured(picker: PicturePicker | RecordFinder, row: int) -> bool:
    """Whether an entry has a picture that is more than one colour."""
    item = picker.list.item(row)
    image = item.icon().pixmap(34, 34).toImage() if item else None
    return image is not None and not image.isNull() and np.ptp(pixels(image)[4:-4, 4:-4, :3]) > 20


def test_anything_is_found_by_a_word_and_gone_to(window: MainWindow) -> None:
    QTest.keyClick(window, Qt.Key.Key_F, CTRL | ALT)
    finder = opened(window)
    QTest.keyClicks(finder.field, "speckles")
    assert finder.list.count() and "in Kettle metal" in finder.list.item(0).text()  # type: ignore[union-attr]
    assert "Kettle metal" in finder.users_label.text()
    until(lambda: coloured(finder, 0))
    QTest.keyClick(finder.field, Qt.Key.Key_Return)
    assert window.session.material_id == "kettle_metal" and window.build.canvas.selected
    window.going.find().field.setText("tea terrace scene")
    QTest.keyClick(opened(window).field, Qt.Key.Key_Return)
    assert (window.session.scene_id, window.desk_name) == ("tea_terrace", "Dress")
    nothing = window.going.find()
    nothing.field.setText("no such thing")
    QTest.keyClick(nothing.field, Qt.Key.Key_Return)
    assert nothing.isVisible() and "Nothing" in nothing.list.item(0).text()  # type: ignore[union-attr]


def test_what_uses_the_open_material_is_listed_and_led_to_by_keys(window: MainWindow) -> None:
    QTest.keyClick(window, Qt.Key.Key_U, CTRL | SHIFT)
    finder = opened(window)
    names = [finder.users.item(row).text() for row in range(finder.users.count())]  # type: ignore[union-attr]
    family = [each.name for each in window.session.project.instances.values() if each.parent == "height_ramp"]
    assert names == [f"{name} · instance" for name in family] and finder.users_label.text() == "Used in 2 places"
    QTest.keyClick(finder.field, Qt.Key.Key_Right)
    assert finder.users.hasFocus()
    QTest.keyClick(finder.users, Qt.Key.Key_Left)
    QTest.keyClick(finder.field, Qt.Key.Key_Right)
    QTest.keyClick(finder.users, Qt.Key.Key_Down)
    QTest.keyClick(finder.users, Qt.Key.Key_Return)
    until(lambda: window.desk_name == "Tune")
    assert window.session.project.instances[window.tune.selection.look_id].name == family[1]


def test_a_texture_is_seen_where_it_is_used(window: MainWindow) -> None:
    project = window.session.project
    texture = next(each for each in project.textures.values() if each.id in window.session.images)
    window.going.find().field.setText(f"{texture.name} texture")
    finder = opened(window)
    until(lambda: coloured(finder, 0))
    QTest.keyClick(finder.field, Qt.Key.Key_Return)
    assert window.desk_name in ("Build", "Tune")


def test_scenes_and_materials_are_chosen_by_picture_from_the_header(window: MainWindow) -> None:
    box = window.header.scenes
    box.setFocus()
    QTest.keyClick(box, Qt.Key.Key_Space)
    picker = box.findChildren(PicturePicker)[-1]
    until(lambda: all(coloured(picker, row) for row in range(picker.list.count())))
    QTest.keyClicks(picker.field, "grotto")
    QTest.keyClick(picker.field, Qt.Key.Key_Return, NONE)
    assert window.session.scene_id == "night_grotto" and box.currentText() == "Night grotto"
    until(lambda: box.hasFocus())
    window.header.materials.showPopup()
    picker = window.header.materials.findChildren(PicturePicker)[-1]
    QTest.keyClicks(picker.field, "weathered")
    QTest.mouseClick(
        picker.list.viewport(),
        Qt.MouseButton.LeftButton,
        NONE,
        picker.list.visualItemRect(picker.list.item(0)).center(),
    )
    assert window.session.material_id == "weathered_urn"
