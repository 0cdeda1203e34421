"""The selected object in numbers: which one, where it stands, how it is turned and scaled, and what it wears."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QPoint, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QFileDialog, QGridLayout, QWidget

from soft_lantern.app.panels.arranging import Arranging
from soft_lantern.app.session.imports import import_mesh
from soft_lantern.app.session.session import Session
from soft_lantern.app.widgets.buttons import below, tool_button
from soft_lantern.app.widgets.choices import fill
from soft_lantern.app.widgets.labels import quiet_label
from soft_lantern.app.widgets.number_field import NumberField
from soft_lantern.app.widgets.passing import passing
from soft_lantern.app.widgets.picture_picker import PictureBox, PicturePicker, give_pictures
from soft_lantern.app.widgets.when_seen import WhenSeen
from soft_lantern.formats.assets import READABLE
from soft_lantern.graph.document import Asset, StageObject, new_id
from soft_lantern.graph.instances.picks import AS_WHOLE, LIKE_THE_OBJECT, NOTHING, wearables
from soft_lantern.scene.primitives import PRIMITIVES

_FIELDS = {"position": ("m", 0.1), "rotation": ("°", 5.0), "scale": ("×", 0.1)}
WHOLE = "whole object"
ASKED = "What is to stand on the stage? Part of its name"


class ObjectPanel(QWidget):
    """Edits the objects of the scene. `selected` tells which object a person chose.

    `with_parts`: what the parts wear is chosen here, rather than beside it.
    """

    selected = pyqtSignal(str)

    def __init__(self, session: Session, parent: QWidget | None = None, *, with_parts: bool = True) -> None:
        super().__init__(parent)
        self.session = session
        self.object_id = ""
        self.part = ""
        self.also: tuple[str, ...] = ()
        self.arranging = Arranging(session, self.held, self)
        self.arranging.chosen.connect(lambda ids: self.selected.emit(ids[0]))
        layout = QGridLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setVerticalSpacing(4)
        layout.setHorizontalSpacing(4)
        self.chooser = QComboBox()
        self.chooser.setAccessibleName("object")
        self.chooser.activated.connect(lambda _: self.selected.emit(self.chooser.currentData() or ""))
        self.add_button = tool_button("Add…", self.ask_what_to_add)
        self.arrange = tool_button("Arrange…", lambda: self.arranging.menu(self).popup(below(self.arrange)))
        layout.addWidget(self.chooser, 0, 0, 1, 2)
        layout.addWidget(self.add_button, 0, 2)
        layout.addWidget(self.arrange, 0, 3)
        self.fields: dict[str, list[NumberField]] = {}
        for row, (name, (unit, step)) in enumerate(_FIELDS.items(), 1):
            label = quiet_label(name)
            layout.addWidget(label, row, 0)
            self.fields[name] = []
            for axis in range(3):
                field = NumberField(0.0, unit=unit, step=step)
                field.setAccessibleName(f"{name} {'xyz'[axis]}")
                field.changed.connect(lambda value, name=name, axis=axis: self._typed(name, axis, value))
                layout.addWidget(field, row, axis + 1)
                self.fields[name].append(field)
        worn = quiet_label("wears")
        layout.addWidget(worn, 4, 0)
        self.part_box = QComboBox()
        self.part_box.setAccessibleName("part")
        self.part_box.activated.connect(lambda _: self._show_part(self.part_box.currentData()))
        self.look_box = PictureBox("Which look? Part of its name")
        self.look_box.setAccessibleName("wears")
        self.look_box.activated.connect(lambda _: self._wear(self.look_box.currentData()))
        for box in (self.chooser, self.part_box, self.look_box):
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            box.setMinimumContentsLength(5)
        layout.addWidget(self.part_box, 4, 1)
        layout.addWidget(self.look_box, 4, 2, 1, 2)
        for widget in (worn, self.part_box, self.look_box):
            widget.setVisible(with_parts)
        catch_up = WhenSeen(self, self.refresh)
        session.changed.connect(catch_up)
        session.models_changed.connect(catch_up)
        self.refresh()

    def show_object(self, object_id: str, part: str = "", also: tuple[str, ...] = ()) -> None:
        """Show another object, and the part whose look is edited; `also`: objects that are selected with it."""
        self.object_id, self.part, self.also = object_id, part, also
        self.refresh()

    def refresh(self) -> None:
        """Show how things are."""
        scene = self.session.scene
        thing = scene.object(self.object_id) if scene else None
        self.object_id = thing.id if thing else ""
        self.arrange.setEnabled(thing is not None)
        there = [(each.name, each.id) for each in (scene.objects if scene else ())]
        fill(self.chooser, [("no object selected", ""), *there], self.object_id)
        for name, fields in self.fields.items():
            for axis, field in enumerate(fields):
                field.setEnabled(thing is not None)
                field.show_value(getattr(thing, name)[axis] if thing else 0.0)
                if thing is None:
                    field.clear()
        self.part_box.setEnabled(thing is not None)
        self.look_box.setEnabled(thing is not None)
        if thing:
            self._show_wearing(thing)
        else:
            self.part_box.clear()
            self.look_box.clear()

    def held(self) -> tuple[str, ...]:
        """The ids of the selected objects, the one in hand first."""
        return (self.object_id, *(each for each in self.also if each != self.object_id)) if self.object_id else ()

    def choose_file(self) -> None:
        """Ask for a mesh file and import it."""
        ask_for_mesh(self.session, self)

    def ask_what_to_add(self) -> PicturePicker:
        """Ask for something to stand on the stage: an asset of the project, a new shape, or one from a file."""
        assets = sorted(self.session.project.assets.values(), key=lambda each: each.name.lower())
        shapes = {f"new {shape}": shape for shape in PRIMITIVES}
        entries = [(each.id, each.name) for each in assets]
        entries += [(key, f"A new {shape}") for key, shape in shapes.items()]
        picker = passing(PicturePicker(ASKED, [*entries, ("file", "Import mesh…")], "", self))
        give_pictures(picker, self)

        def add(key: str) -> None:
            if key in shapes:
                self.add_primitive(shapes[key])
            elif key in self.session.project.assets:
                self.selected.emit(self.session.add_object(self.session.project.assets[key]))
            else:
                self.choose_file()

        picker.chosen.connect(add)
        over = self.window() or self  # asked for by name, the button may be on a page that is not shown
        middle = over.mapToGlobal(QPoint((over.width() - picker.width()) // 2, 60))
        picker.open_at(below(self.add_button) if self.add_button.isVisible() else middle)
        return picker

    def add_primitive(self, shape: str) -> None:
        """Stand a primitive on the stage."""
        asset = Asset(id=new_id(shape), name=shape.capitalize(), primitive=shape, subdivision=64)  # type: ignore[arg-type]
        self.selected.emit(self.session.add_object(asset))

    def _show_wearing(self, thing: StageObject) -> None:
        model = self.session.models.get(thing.asset)
        names = [part.name for part in model.parts] if model else []
        part = self.part if self.part in names else ""
        fill(self.part_box, [(WHOLE, ""), *((name, name) for name in names)], part)
        looks = [(name, look_id) for look_id, name in wearables(self.session.project)]
        worn = thing.wears.get(part, LIKE_THE_OBJECT if part else "")
        looks.insert(0, (NOTHING, ""))
        if part:
            looks.insert(0, (AS_WHOLE, LIKE_THE_OBJECT))
        if worn not in [look_id for _, look_id in looks]:
            looks.insert(0, ("gone", worn))
        fill(self.look_box, looks, worn)

    def _show_part(self, part: str) -> None:
        self.part = part
        self.refresh()

    def _wear(self, look_id: str) -> None:
        scene = self.session.scene
        thing = scene.object(self.object_id) if scene else None
        if thing:
            part = self.part_box.currentData() or ""
            self.session.dress_part(thing.id, part, look_id)

    def _typed(self, name: str, axis: int, value: float) -> None:
        scene = self.session.scene
        thing = scene.object(self.object_id) if scene else None
        if thing:
            x, y, z = (value if i == axis else old for i, old in enumerate(getattr(thing, name)))
            self.session.change_object(f"Set {name}", thing.id, f"{name} {thing.id}", **{name: (x, y, z)})


def ask_for_mesh(session: Session, over: QWidget) -> None:
    """Ask for a mesh file and import it."""
    kinds = " ".join(f"*{suffix}" for suffix in READABLE)
    path, _ = QFileDialog.getOpenFileName(over, "Import a mesh", "", f"Meshes ({kinds})")
    if path:
        import_mesh(session, Path(path))
