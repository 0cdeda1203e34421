"""The colour layers of the selected part: which there are, what they hold, and what fills them."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import (
    QComboBox,
    QListWidget,
    QListWidgetItem,
    QMenu,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from soft_lantern.app.widgets.alone import show_alone
from soft_lantern.app.widgets.buttons import below, tool_button
from soft_lantern.app.widgets.choices import fill
from soft_lantern.app.widgets.colour_button import ColourButton
from soft_lantern.app.widgets.labels import heading_label, plain_label, quiet_label, side_by_side
from soft_lantern.app.widgets.number_field import NumberField
from soft_lantern.app.widgets.passing import passing
from soft_lantern.app.widgets.picture_picker import PictureBox
from soft_lantern.scene.brush import MODES, Brush, Mode
from soft_lantern.scene.mesh import ColourLayer

ABOUT = Qt.ItemDataRole.UserRole
FLAT, HEIGHT, ALONG, ROUND, WIRE, TEXTURE, SHAPE = range(7)
PAGES = (0, 1, 2, 2, 3, 4, 5)
"""Which page belongs to each way."""
WAYS = ("one colour", "by height", "along the tape", "round the tape’s start", "what a node gives", "a texture")
SHAPES = {
    "edges and hollows": "Red where the surface bends outward, green where it bends inward",
    "place in bounds": "Red, green and blue from 0 at the lowest x, y and z to 1 at the highest",
    "random per piece": "Three numbers by chance for each piece that hangs together",
    "ambient occlusion": "1 where the sky is open to the mesh itself, 0 where all of it is in the way",
    "thickness": "How far it is through the body, beside the mesh's largest side",
    "baked light": "The light that was baked for it, as it is tuned now",
}
"""What the mesh's own shape can fill a layer with."""
CHANNELS = {"colour and alpha": "rgba", "colour alone": "rgb", "alpha": "a", "red": "r", "green": "g", "blue": "b"}
MIRRORS = {"no mirror": "", "mirror x": "x", "mirror y": "y", "mirror z": "z"}
DOMAINS = {"vertex": "vertices", "corner": "corners"}
NONE = "This part has no colours of its own: what reads them gets white."


class LayerPanel(QWidget):
    """Shows layers; the signals tell what a person wants done with the one at a place."""

    add_wanted = pyqtSignal()
    duplicate_wanted = pyqtSignal(int)
    remove_wanted = pyqtSignal(int)
    move_wanted = pyqtSignal(int, int)
    rename_wanted = pyqtSignal(int, str)
    convert_wanted = pyqtSignal(int, str, str)
    """A domain and a precision."""
    use_wanted = pyqtSignal(int, str)
    """"colour" or "data"."""
    copy_wanted = pyqtSignal(int)
    """To the other parts."""
    export_wanted = pyqtSignal()
    brush_wanted = pyqtSignal(bool)
    """Whether the hand on the stage paints."""
    flat_wanted = pyqtSignal(int, str, tuple)
    """Channels, and a linear RGBA."""
    height_wanted = pyqtSignal(int, str, float, float, tuple, tuple)
    """Channels, the lowest and highest height in metres, and the colours there."""
    tape_wanted = pyqtSignal(int, str, bool, tuple, tuple, str)
    """Channels, whether round its start rather than along it, the colours at both ends, or a gradient's id."""
    wire_wanted = pyqtSignal(int, str, str)
    """Channels, and "node.port" of what the part wears."""
    texture_wanted = pyqtSignal(int, str, str)
    """Channels, and a texture's id."""
    shape_wanted = pyqtSignal(int, str, str)
    """Channels, and one of SHAPES."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._filling = False
        self._heights: tuple[float, float] | None = None
        self.words = quiet_label(NONE, wraps=True)
        self.give = tool_button("Give it a white layer", self.add_wanted.emit)
        self.list = QListWidget()
        self.list.setAccessibleName("colour layers")
        self.list.setMaximumHeight(110)
        self.about = quiet_label(wraps=True)
        self.add = tool_button("Add", self.add_wanted.emit)
        self.duplicate = tool_button("Duplicate", lambda: self.duplicate_wanted.emit(self.at))
        self.remove = tool_button("Remove", lambda: self.remove_wanted.emit(self.at))
        self.up = tool_button("Up", lambda: self.move_wanted.emit(self.at, -1))
        self.down = tool_button("Down", lambda: self.move_wanted.emit(self.at, 1))
        self.convert = tool_button("More…", lambda: self.convert_menu().popup(below(self.convert)))
        self.up.setToolTip("The first layer is what the stage shows, and what glTF calls COLOR_0")
        self.way, self.channels, self.wire = QComboBox(), QComboBox(), QComboBox()
        self.texture = PictureBox("Which image? Part of its name")
        self.way.addItems([*WAYS, *SHAPES])
        self.way.setAccessibleName("what fills the layer")
        for name, letters in CHANNELS.items():
            self.channels.addItem(name, letters)
        self.channels.setAccessibleName("channels that are filled")
        self.wire.setAccessibleName("node that fills the layer")
        self.texture.setAccessibleName("texture that fills the layer")
        self.colour, self.low_colour, self.high_colour = (ColourButton((1.0, 1.0, 1.0, 1.0)) for _ in range(3))
        self.high_colour.show_value((1.0, 1.0, 1.0, 0.0))
        self.low, self.high = NumberField(0.0, unit="m"), NumberField(1.0, unit="m")
        for widget, name in (
            *((self.colour, "colour to fill with"), (self.low, "from the height"), (self.high, "to the height")),
            *((self.low_colour, "colour at the foot"), (self.high_colour, "colour at the top")),
        ):
            widget.setAccessibleName(name)
        self.brush = tool_button("Brush", lambda: self.brush_wanted.emit(self.brush.isChecked()))
        self.brush.setCheckable(True)
        self.brush.setToolTip("Drag over the part on the stage to paint; the middle button still moves the view")
        self.ink = ColourButton((0.1, 0.1, 0.1, 1.0))
        self.ink.setAccessibleName("colour of the brush")
        self.mode = QComboBox()
        self.mode.addItems(MODES)
        self.mode.setAccessibleName("what the brush does")
        self.radius = NumberField(0.2, 1e-4, None, 0.02, "m")
        self.hardness, self.strength, self.flow = (NumberField(at, 0.0, 1.0, 0.05) for at in (0.5, 1.0, 1.0))
        self.steady = NumberField(0.0, 0.0, None, 0.01, "m")
        self.mirror = QComboBox()
        for words, axis in MIRRORS.items():
            self.mirror.addItem(words, axis)
        self.mirror.setAccessibleName("mirror of the brush")
        for field, name in (
            *((self.radius, "radius"), (self.hardness, "hardness"), (self.strength, "strength")),
            *((self.flow, "flow"), (self.steady, "steadiness")),
        ):
            field.setAccessibleName(f"{name} of the brush")
        self.flow.setToolTip("How much of the strength one dab gives; less builds up by going over a place again")
        self.steady.setToolTip("How far the brush trails behind the hand, which takes its shaking away")
        self.fill = tool_button("Fill", self._fill)
        self.given = QStackedWidget()
        ramp = _lines(
            side_by_side(plain_label("from"), self.low, self.low_colour, filled=True),
            side_by_side(plain_label("to"), self.high, self.high_colour, filled=True),
        )
        self.start_colour, self.end_colour = ColourButton((1.0, 1.0, 1.0, 1.0)), ColourButton((1.0, 1.0, 1.0, 0.0))
        self.start_colour.setAccessibleName("colour at the start of the tape")
        self.end_colour.setAccessibleName("colour at the end of the tape")
        self.gradient = PictureBox("Which gradient? Part of its name")
        self.gradient.setAccessibleName("gradient along the tape")
        tape = _lines(
            side_by_side(plain_label("from"), self.start_colour, plain_label("to"), self.end_colour, self.gradient),
            quiet_label("Stretch the tape by two clicks on the stage (Shift+F4)", wraps=True),
        )
        self.of_shape = quiet_label(wraps=True)
        wire, texture = (side_by_side(box, filled=True) for box in (self.wire, self.texture))
        for page in (side_by_side(self.colour), ramp, tape, wire, texture, self.of_shape):
            self.given.addWidget(page)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        self.heading = heading_label()
        column.addWidget(self.heading)
        column.addWidget(self.words)
        column.addWidget(self.give, 0, Qt.AlignmentFlag.AlignLeft)
        column.addWidget(self.list)
        column.addWidget(self.about)
        self.hands = side_by_side(self.add, self.duplicate, self.remove, self.up, self.down, self.convert)
        self.export = tool_button("Export mesh…", self.export_wanted.emit)
        self.export.setToolTip(
            "A .glb with its layers. glTF multiplies base colour by COLOR_0, so readers tint with the first colour; "
            "layers kept as data leave as attributes of their own"
        )
        self.filler = side_by_side(self.fill, self.channels, self.way)
        self.brushes = QWidget()
        lines = QVBoxLayout(self.brushes)
        lines.setContentsMargins(0, 0, 0, 0)
        lines.addWidget(side_by_side(self.brush, self.mode, self.ink))
        named = ((plain_label("radius"), self.radius), (plain_label("hardness"), self.hardness))
        sizes = (*named, (plain_label("strength"), self.strength))
        lines.addWidget(side_by_side(*(widget for pair in sizes for widget in pair), filled=True))
        more = ((plain_label("flow"), self.flow), (plain_label("steady"), self.steady))
        lines.addWidget(side_by_side(*(widget for pair in more for widget in pair), self.mirror, filled=True))
        column.addWidget(self.hands)
        column.addWidget(self.filler)
        column.addWidget(self.given)
        column.addWidget(self.brushes)
        column.addWidget(self.export, 0, Qt.AlignmentFlag.AlignLeft)
        self.way.currentIndexChanged.connect(self._show_way)
        self.list.itemChanged.connect(self._renamed)
        self.list.currentRowChanged.connect(lambda _: self._enable())
        self.show_layers(None)

    @property
    def at(self) -> int:
        """The place of the layer that is selected, −1 for none."""
        return self.list.currentRow()

    def show_layers(
        self,
        layers: Sequence[ColourLayer] | None,
        heights: tuple[float, float] = (0.0, 1.0),
        wires: Sequence[tuple[str, str]] = (),
        name: str = "",
        textures: Sequence[tuple[str, str]] = (),
        gradients: Sequence[tuple[str, str]] = (),
    ) -> None:
        """Show the layers of a part of that name, or that none is selected; its lowest and highest point.

        With the nodes of what it wears, the textures and gradients there are, by name, that could fill a layer.
        """
        self.heading.setText(f"Colours in the mesh of {name}" if name else "Colours in the mesh")
        self.words.setText(NONE if layers is not None else "Click a part on the stage to see the colours it holds.")
        self.setEnabled(layers is not None)
        held = list(layers or ())
        row = max(self.at, 0)
        self._filling = True
        self.list.clear()
        for layer in held:
            item = QListWidgetItem(layer.name)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsEditable)
            item.setData(
                ABOUT, f"{layer.precision} at its {DOMAINS[layer.domain]}, {len(layer.values):,} values, {layer.use}"
            )
            self.list.addItem(item)
        self.list.setCurrentRow(min(row, len(held) - 1))
        self._filling = False
        self.words.setVisible(not held)
        self.give.setVisible(not held)
        for widget in (self.list, self.about, self.hands, self.filler, self.given, self.brushes, self.export):
            widget.setVisible(bool(held))
        if heights != self._heights:  # what a person has typed stays while the part does
            self._heights = heights
            self.low.show_value(heights[0])
            self.high.show_value(heights[1])
        fill(self.gradient, [("two colours", ""), *gradients], self.gradient.currentData() or "")
        fill(self.texture, textures, self.texture.currentData() or (textures[0][1] if textures else ""))
        fill(self.wire, wires, self.wire.currentData() or (wires[0][1] if wires else ""))
        self._enable()

    def held_brush(self) -> Brush:
        """The brush as it is set: its channels are those that are filled."""
        mode: Mode = MODES[self.mode.currentIndex()]
        red, green, blue, alpha = self.ink.value
        return Brush(
            *(self.radius.value, self.hardness.value, self.strength.value),
            *(mode, (red, green, blue, alpha), str(self.channels.currentData())),
            *(self.flow.value, self.mirror.currentData(), self.steady.value),
        )

    def convert_menu(self) -> QMenu:
        """What else can be done with the selected layer: other ways to keep it, copies."""
        menu = passing(QMenu(self))
        for domain, words in DOMAINS.items():
            for precision in ("8 bit", "16 bit", "float"):
                menu.addAction(
                    f"{precision} at its {words}",
                    lambda domain=domain, precision=precision: self.convert_wanted.emit(self.at, domain, precision),
                )
        menu.addSeparator()
        menu.addAction("A colour: COLOR_n of glTF, which tints", lambda: self.use_wanted.emit(self.at, "colour"))
        menu.addAction("Data: an attribute of its own, no tint", lambda: self.use_wanted.emit(self.at, "data"))
        menu.addSeparator()
        menu.addAction("Copy to the other parts", lambda: self.copy_wanted.emit(self.at))
        return menu

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() == Qt.Key.Key_Delete and self.list.hasFocus() and self.at >= 0:
            self.remove_wanted.emit(self.at)
        else:
            super().keyPressEvent(event)

    def _fill(self) -> None:
        channels, way = str(self.channels.currentData()), self.way.currentIndex()
        if way == FLAT:
            self.flat_wanted.emit(self.at, channels, tuple(self.colour.value))
        elif way == HEIGHT:
            ends = tuple(self.low_colour.value), tuple(self.high_colour.value)
            self.height_wanted.emit(self.at, channels, self.low.value, self.high.value, *ends)
        elif way in (ALONG, ROUND):
            ends = tuple(self.start_colour.value), tuple(self.end_colour.value)
            self.tape_wanted.emit(self.at, channels, way == ROUND, *ends, str(self.gradient.currentData() or ""))
        elif way == TEXTURE:
            self.texture_wanted.emit(self.at, channels, str(self.texture.currentData() or ""))
        elif way >= SHAPE:
            self.shape_wanted.emit(self.at, channels, self.way.currentText())
        else:
            self.wire_wanted.emit(self.at, channels, str(self.wire.currentData() or ""))

    def _show_way(self, way: int) -> None:
        self.given.setCurrentIndex(PAGES[min(way, SHAPE)])
        self.of_shape.setText(SHAPES.get(self.way.currentText(), ""))

    def _renamed(self, item: QListWidgetItem) -> None:
        if not self._filling:
            self.rename_wanted.emit(self.list.row(item), item.text().strip())

    def _enable(self) -> None:
        at, last, item = self.at, self.list.count() - 1, self.list.currentItem()
        first = "; the first is drawn" if at == 0 else ""
        self.about.setText(f"{item.data(ABOUT)}{first}" if item else "")
        self.up.setEnabled(at > 0)
        self.down.setEnabled(0 <= at < last)


def _lines(*lines: QWidget) -> QWidget:
    page = QWidget()
    rows = QVBoxLayout(page)
    rows.setContentsMargins(0, 0, 0, 0)
    for line in lines:
        rows.addWidget(line)
    return page


if __name__ == "__main__":
    show_alone(LayerPanel)
