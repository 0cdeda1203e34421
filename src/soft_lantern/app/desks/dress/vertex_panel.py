"""Which vertices of a part are selected: by hand on the stage, by ranges, by nodes; and selections that are kept."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QInputDialog, QMenu, QStackedWidget, QToolButton, QVBoxLayout, QWidget

from soft_lantern.app.widgets.alone import show_alone
from soft_lantern.app.widgets.buttons import below, tool_button
from soft_lantern.app.widgets.choices import fill
from soft_lantern.app.widgets.labels import heading_label, plain_label, quiet_label, side_by_side
from soft_lantern.app.widgets.number_field import NumberField
from soft_lantern.app.widgets.passing import passing
from soft_lantern.app.widgets.picture_picker import PictureBox
from soft_lantern.scene.vertex_ranges import Distances, Facing, Heights, VertexRange
from soft_lantern.values.words import counted

BY_HAND, HEIGHT, FACING, DISTANCE, NODE = range(5)
WAYS = ("by hand", "by height", "by facing", "by distance", "by a node")
HANDS = ("box", "outline", "brush")
STEPS = ("Grow", "Shrink", "Invert", "Connected", "Whole part", "Edge ring", "Flat region", "None")
"""What makes another selection of the one there is."""
BUTTONS = STEPS[:3]
ABOUT = "Shift adds, Ctrl takes away; the middle button still moves the view"


class VertexPanel(QWidget):
    """Shows how many vertices are selected; the signals tell how a person wants others."""

    hand_wanted = pyqtSignal(bool)
    """Whether the hand on the stage selects."""
    step_wanted = pyqtSignal(str)
    """One of STEPS."""
    range_wanted = pyqtSignal(object)
    """A VertexRange in the world; None lets go of the one there is."""
    node_wanted = pyqtSignal(str, str, float)
    """A material, a wire "node.port" of it, and what it has to be above."""
    wires_wanted = pyqtSignal(str)
    """The wires of a material are to be offered."""
    keep_wanted = pyqtSignal(str)
    take_wanted = pyqtSignal(str)
    forget_wanted = pyqtSignal(str)
    """The name of a kept selection."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._bounds: object = None
        self._range: VertexRange | None = None
        self.count = quiet_label()
        self.hand = tool_button("Select", lambda: self.hand_wanted.emit(self.hand.isChecked()))
        self.hand.setCheckable(True)
        self.hand.setToolTip(f"Select vertices on the stage. {ABOUT}")
        self.how, self.seen, self.way = QComboBox(), QComboBox(), QComboBox()
        self.how.addItems(HANDS)
        self.how.setAccessibleName("how the hand selects")
        self.seen.addItems(("what is seen", "through"))
        self.seen.setAccessibleName("whether what is hidden is selected")
        self.reach = NumberField(24.0, 1.0, 400.0, 4.0, "px")
        self.reach.setAccessibleName("radius of the selecting brush")
        self.more = tool_button("More…", lambda: self.step_menu().popup(below(self.more)))
        self.steps = side_by_side(*(self._step_button(step) for step in BUTTONS), self.more)
        self.angle = NumberField(10.0, 0.0, 180.0, 1.0, "°")
        self.angle.setAccessibleName("how far a flat region bends")
        self.angle.setToolTip("How much an edge of a flat region may bend")
        self.angled = side_by_side(plain_label("flat within"), self.angle)
        self.way.addItems(WAYS)
        self.way.setAccessibleName("what selects vertices")
        self.low, self.high = NumberField(0.0, unit="m", step=0.05), NumberField(1.0, unit="m", step=0.05)
        self.toward = [NumberField(at, step=0.1) for at in (0.0, 1.0, 0.0)]
        self.degrees = NumberField(30.0, 0.0, 180.0, 5.0, "°")
        self.centre = [NumberField(0.0, unit="m", step=0.05) for _ in range(3)]
        self.radius = NumberField(0.5, 0.0, None, 0.05, "m")
        self.material, self.wire = PictureBox("Which material? Part of its name"), QComboBox()
        self.threshold = NumberField(0.5, step=0.05)
        named = {
            "lowest selected height": self.low,
            "highest selected height": self.high,
            **{f"facing {axis}": field for axis, field in zip("xyz", self.toward, strict=True)},
            "degrees off the facing": self.degrees,
            **{f"centre {axis}": field for axis, field in zip("xyz", self.centre, strict=True)},
            "radius of the selection": self.radius,
            "material whose node selects": self.material,
            "node that selects": self.wire,
            "what the node has to be above": self.threshold,
        }
        for name, widget in named.items():
            widget.setAccessibleName(name)
        self.given = QStackedWidget()
        for line in (
            (quiet_label("Click, or drag on the stage"),),
            (plain_label("from"), self.low, plain_label("to"), self.high),
            (*self.toward, plain_label("within"), self.degrees),
            (*self.centre, plain_label("within"), self.radius),
            (self.material, self.wire, plain_label("above"), self.threshold),
        ):
            self.given.addWidget(side_by_side(*line, filled=True))
        self.kept = QComboBox()
        self.kept.setAccessibleName("kept selections")
        self.keep = tool_button("Keep as…", self._ask_name)
        self.take = tool_button("Take", lambda: self.take_wanted.emit(self.kept.currentText()))
        self.forget = tool_button("Forget", lambda: self.forget_wanted.emit(self.kept.currentText()))
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 6, 0, 0)
        column.addWidget(side_by_side(heading_label("Vertices"), self.count))
        column.addWidget(side_by_side(self.hand, self.how, self.reach, self.seen))
        column.addWidget(self.steps)
        column.addWidget(side_by_side(self.way, self.angled))
        column.addWidget(self.given)
        column.addWidget(side_by_side(self.kept, self.take, self.keep, self.forget))
        self.how.currentIndexChanged.connect(lambda _: self._show_hand())
        self.way.currentIndexChanged.connect(self._show_way)
        for field in (self.low, self.high, *self.toward, self.degrees, *self.centre, self.radius):
            field.changed.connect(lambda _: self._say_range())
        self.material.activated.connect(lambda _: self.wires_wanted.emit(str(self.material.currentData() or "")))
        self.wire.activated.connect(lambda _: self._say_node())
        self.threshold.changed.connect(lambda _: self._say_node())
        self._show_hand()

    def show_selected(self, chosen: int, of: int) -> None:
        """Show how many of a part's vertices are selected."""
        self.count.setText(f"{chosen:,} of {counted(of, 'vertex', 'vertices')} selected" if chosen else "none selected")
        self.count.setToolTip("" if chosen else "A fill and the brush then reach every vertex")

    def show_kept(self, names: Sequence[str]) -> None:
        """Show the selections that are kept."""
        fill(self.kept, [(name, name) for name in names], self.kept.currentData() or (names[0] if names else ""))
        for widget in (self.kept, self.take, self.forget):
            widget.setVisible(bool(names))

    def show_materials(self, materials: Sequence[tuple[str, str]], wires: Sequence[tuple[str, str]], at: str) -> None:
        """Offer materials, with one of them open, and its wires."""
        fill(self.material, materials, at)
        fill(self.wire, wires, self.wire.currentData() or (wires[0][1] if wires else ""))

    def show_bounds(self, low: Sequence[float], high: Sequence[float]) -> None:
        """Begin ranges where a part is, from its lowest to its highest corner; what was typed stays while it does."""
        bounds = tuple(low), tuple(high)
        if bounds == self._bounds:
            return
        self._bounds = bounds
        self.low.show_value((low[1] + high[1]) / 2)
        self.high.show_value(high[1])
        for field, a, b in zip(self.centre, low, high, strict=True):
            field.show_value((a + b) / 2)
        self.radius.show_value(max(b - a for a, b in zip(low, high, strict=True)) / 2)

    def show_range(self, shown: VertexRange | None) -> None:
        """Show the range as it is, such as its handles put it."""
        if isinstance(shown, Heights):
            self.low.show_value(shown.low)
            self.high.show_value(shown.high)
        elif isinstance(shown, Facing):
            self.degrees.show_value(shown.degrees)
            for field, part in zip(self.toward, shown.direction, strict=True):
                field.show_value(part)
        elif isinstance(shown, Distances):
            self.radius.show_value(shown.radius)
            for field, part in zip(self.centre, shown.centre, strict=True):
                field.show_value(part)

    def held_range(self) -> VertexRange | None:
        """The range that the fields say; None where the hand or a node selects."""
        way = self.way.currentIndex()
        if way == HEIGHT:
            return Heights(self.low.value, self.high.value)
        if way == FACING:
            return Facing((self.toward[0].value, self.toward[1].value, self.toward[2].value), self.degrees.value)
        if way == DISTANCE:
            return Distances((self.centre[0].value, self.centre[1].value, self.centre[2].value), self.radius.value)
        return None

    def step_menu(self) -> QMenu:
        """What else makes another selection of the one there is."""
        menu = passing(QMenu(self))
        for step in STEPS[len(BUTTONS) :]:
            menu.addAction(step, lambda step=step: self.step_wanted.emit(step))
        return menu

    def _step_button(self, step: str) -> QToolButton:
        return tool_button(step, lambda: self.step_wanted.emit(step))

    def _show_hand(self) -> None:
        self.reach.setVisible(self.how.currentText() == "brush")

    def _show_way(self, way: int) -> None:
        self.given.setCurrentIndex(way)
        if way == NODE:
            self._say_node()
        else:
            self._say_range()

    def _say_range(self) -> None:
        self.range_wanted.emit(self.held_range())

    def _say_node(self) -> None:
        self.range_wanted.emit(None)
        if self.way.currentIndex() == NODE and self.wire.currentData():
            material = str(self.material.currentData() or "")
            self.node_wanted.emit(material, str(self.wire.currentData()), self.threshold.value)

    def _ask_name(self) -> None:
        dialog = passing(QInputDialog(self))
        dialog.setWindowTitle("Keep the selection")
        dialog.setLabelText("What it is called")
        dialog.textValueSelected.connect(lambda name: self.keep_wanted.emit(name.strip()))
        dialog.open()


if __name__ == "__main__":
    show_alone(VertexPanel)
