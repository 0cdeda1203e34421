"""The project's gradients and palettes: made, named, edited live, and taken away."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from soft_lantern.app.session import Session, sentence
from soft_lantern.app.timers import single_shot
from soft_lantern.app.widgets.colour_button import ColourButton
from soft_lantern.app.widgets.gradient_bar import GradientBar
from soft_lantern.app.widgets.number_field import NumberField
from soft_lantern.errors import LanternError
from soft_lantern.formats.gimp import gradient_text, palette_text, read_gradient, read_palette
from soft_lantern.graph.document import Gradient, Palette, Stop, changed, new_id
from soft_lantern.graph.gradients import jumps, mirrored, reversed_, rotated, spaced_evenly, width_advice
from soft_lantern.graph.ramps import SHAPES, side_of

Linear = tuple[float, float, float, float]
FIRST = (Stop(at=0.0, colour=(0.02, 0.05, 0.2, 1.0)), Stop(at=1.0, colour=(1.0, 0.6, 0.2, 1.0)))
MIXINGS = {"oklab": "in OKLab", "oklch": "in OKLCH", "linear": "as linear light", "srgb": "in sRGB"}

EDITS: dict[str, Callable[[Gradient], Gradient]] = {
    "Reverse": reversed_,
    "Space evenly": spaced_evenly,
    "Mirror": mirrored,
    "Rotate a tenth": lambda gradient: rotated(gradient, 0.1),
}


class RampsDialog(QDialog):
    """Beside the window, which follows every change."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.setWindowTitle("Gradients and palettes")
        self.resize(640, 320)
        self.list = QListWidget()
        self.list.setAccessibleName("gradients and palettes")
        self.list.setEditTriggers(QListWidget.EditTrigger.DoubleClicked | QListWidget.EditTrigger.EditKeyPressed)
        self.add_gradient, self.add_palette = QPushButton("New gradient"), QPushButton("New palette")
        self.remove = QPushButton("Delete")
        self.bring, self.send = QPushButton("From a file…"), QPushButton("To a file…")
        self.bar = GradientBar(Gradient(id="", name="", stops=FIRST))
        self.place = NumberField(0.0, 0.0, 1.0, 0.01)
        self.place.setAccessibleName("place of the stop")
        self.colour = ColourButton(hdr=True)
        self.colour.setMinimumWidth(126)
        self.mixing = QComboBox()
        self.mixing.setAccessibleName("mixing")
        for value, words in MIXINGS.items():
            self.mixing.addItem(words, value)
        self.shape = QComboBox()
        self.shape.setAccessibleName("shape")
        self.shape.setToolTip("How it goes from this stop to the next")
        self.shape.addItems(SHAPES)
        self.advice = QLabel()
        self.advice.setProperty("quiet", True)
        self.advice.setWordWrap(True)
        self.cells = QGridLayout()
        self.cell_buttons: list[ColourButton] = []
        self.add_colour = QPushButton("Add a colour")
        self.room = QLabel()
        self.room.setProperty("quiet", True)
        self.pages = QStackedWidget()
        self._advising = single_shot(self, 120, self._advise)
        self.edits: dict[str, QPushButton] = {}
        self._filling = False
        self._lay_out()
        self.list.currentItemChanged.connect(lambda _: self._show())
        self.list.itemChanged.connect(self._renamed)
        self.add_gradient.clicked.connect(self.new_gradient)
        self.add_palette.clicked.connect(self.new_palette)
        self.remove.clicked.connect(self._remove)
        self.bar.changed.connect(self._take_gradient)
        self.bar.chosen.connect(lambda _: self._show_stop())
        self.place.changed.connect(self.bar.move_to)
        self.colour.changed.connect(self.bar.recolour)
        self.mixing.activated.connect(
            lambda _: self._take_gradient(changed(self.bar.gradient, mixing=self.mixing.currentData()))
        )
        self.shape.activated.connect(lambda _: self.bar.reshape(self.shape.currentText()))
        self.bring.clicked.connect(self._choose_file)
        self.send.clicked.connect(self._choose_target)
        self.add_colour.clicked.connect(lambda: self._set_colours((*self._palette().colours, (0.5, 0.5, 0.5, 1.0))))
        session.changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Show how things are."""
        self._filling = True
        project = self.session.project
        ramps: list[Gradient | Palette] = [*project.gradients.values(), *project.palettes.values()]
        there = [(each.id, each.name) for each in ramps]
        items = [self.list.item(row) for row in range(self.list.count())]
        if [(item.data(Qt.ItemDataRole.UserRole), item.text()) for item in items if item] != there:
            chosen = self._chosen()
            self.list.clear()
            for ramp_id, name in there:
                item = QListWidgetItem(name)
                item.setData(Qt.ItemDataRole.UserRole, ramp_id)
                item.setFlags(item.flags() | Qt.ItemFlag.ItemIsEditable)
                self.list.addItem(item)
            self._choose(chosen)
        self._filling = False
        self._show()

    def new_gradient(self) -> None:
        """Add a gradient of two stops."""
        made = Gradient(id=new_id("gradient"), name=f"Gradient {len(self.session.project.gradients) + 1}", stops=FIRST)
        self._put("Add gradient", made)
        self._choose(made.id)

    def new_palette(self) -> None:
        """Add a palette of one colour."""
        name = f"Palette {len(self.session.project.palettes) + 1}"
        made = Palette(id=new_id("palette"), name=name, colours=((0.5, 0.5, 0.5, 1.0),))
        self._put("Add palette", made)
        self._choose(made.id)

    def open_file(self, path: Path) -> None:
        """Take in a palette or gradient of a file, by its ending; where it is none, say why."""
        try:
            read: Gradient | Palette = read_palette(path) if path.suffix.lower() == ".gpl" else read_gradient(path)
        except LanternError as error:
            self.session.told.emit(sentence(str(error)))
            return
        self._put(f"Import {read.name}", read)
        self._choose(read.id)

    def write_file(self, path: Path) -> None:
        """Write what is chosen to a file."""
        project, chosen = self.session.project, self._chosen()
        gradient, palette = project.gradients.get(chosen), project.palettes.get(chosen)
        text = gradient_text(gradient) if gradient else palette_text(palette) if palette else ""
        try:
            path.write_text(text)
        except OSError as error:
            self.session.told.emit(f"{path} cannot be written: {error.strerror or error}")
            return
        self.session.told.emit(f"Wrote {path}")

    def _choose_file(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Palette or gradient", "", "GIMP files (*.gpl *.ggr)")
        if name:
            self.open_file(Path(name))

    def _choose_target(self) -> None:
        ending = "ggr" if self._chosen() in self.session.project.gradients else "gpl"
        name, _ = QFileDialog.getSaveFileName(self, "Write to", f"untitled.{ending}", f"GIMP files (*.{ending})")
        if name:
            self.write_file(Path(name))

    def _advise(self) -> None:
        """How many texels a baked row of the gradient needs; told once the hand rests."""
        gradient = self.bar.gradient
        errors, least = width_advice(gradient)
        widest = errors[-1]
        told = (
            f"Baked, {least} texels keep within 1/255 of it"
            if least
            else f"Even {widest.width} texels leave 1/255 of it"
        )
        sharp = "; its jumps are a texel wide" if jumps(gradient) else ""
        self.advice.setText(told + sharp)

    def _put(self, name: str, ramp: Gradient | Palette, merge: str = "") -> None:
        project = self.session.project
        if isinstance(ramp, Gradient):
            project = changed(project, gradients={**project.gradients, ramp.id: ramp})
        else:
            project = changed(project, palettes={**project.palettes, ramp.id: ramp})
        self.session.apply(name, project, merge)

    def _remove(self) -> None:
        project, chosen = self.session.project, self._chosen()
        gradients = {i: each for i, each in project.gradients.items() if i != chosen}
        palettes = {i: each for i, each in project.palettes.items() if i != chosen}
        self.session.apply("Delete gradient or palette", changed(project, gradients=gradients, palettes=palettes))

    def _chosen(self) -> str:
        item = self.list.currentItem()
        return item.data(Qt.ItemDataRole.UserRole) if item else ""

    def _choose(self, ramp_id: str) -> None:
        rows = [self.list.item(row) for row in range(self.list.count())]
        places = [row for row, item in enumerate(rows) if item and item.data(Qt.ItemDataRole.UserRole) == ramp_id]
        self.list.setCurrentRow(places[0] if places else min(0, self.list.count() - 1))

    def _palette(self) -> Palette:
        return self.session.project.palettes[self._chosen()]

    def _show(self) -> None:
        project, chosen = self.session.project, self._chosen()
        self.remove.setEnabled(bool(chosen))
        if chosen in project.gradients:
            self.pages.setCurrentIndex(1)
            self.bar.show_gradient(project.gradients[chosen])
            self.mixing.setCurrentIndex(list(MIXINGS).index(self.bar.gradient.mixing))
            self._advising.start()
            self._show_stop()
        elif chosen in project.palettes:
            self.pages.setCurrentIndex(2)
            self._show_palette(project.palettes[chosen])
        else:
            self.pages.setCurrentIndex(0)

    def _show_stop(self) -> None:
        if self.bar.gradient.stops:
            stop = self.bar.gradient.stops[self.bar.at]
            self.place.show_value(stop.at)
            self.colour.show_value(stop.colour)
            self.shape.setCurrentText(stop.shape)

    def _show_palette(self, palette: Palette) -> None:
        side = side_of(palette)
        if len(self.cell_buttons) != len(palette.colours):
            for button in self.cell_buttons:
                self.cells.removeWidget(button)
                button.deleteLater()
            self.cell_buttons = []
            for place in range(len(palette.colours)):
                button = ColourButton()
                button.changed.connect(lambda colour, place=place: self._set_colour(place, colour))
                self.cell_buttons.append(button)
        for place, (button, colour) in enumerate(zip(self.cell_buttons, palette.colours, strict=True)):
            self.cells.addWidget(button, place // side, place % side)
            button.show_value(colour)
        self.room.setText(f"{len(palette.colours)} of {side * side} cells, {side} × {side}")

    def _set_colour(self, place: int, colour: Linear) -> None:
        colours = tuple(colour if n == place else each for n, each in enumerate(self._palette().colours))
        self._set_colours(colours, f"palette {place}")

    def _set_colours(self, colours: tuple[Linear, ...], merge: str = "") -> None:
        self._put("Change palette", changed(self._palette(), colours=colours), merge)

    def _take_gradient(self, gradient: Gradient) -> None:
        self._put("Change gradient", gradient, f"gradient {gradient.id}")

    def _renamed(self, item: QListWidgetItem) -> None:
        project, name = self.session.project, item.text().strip()
        ramp_id = item.data(Qt.ItemDataRole.UserRole)
        ramp = project.gradients.get(ramp_id) or project.palettes.get(ramp_id)
        if not self._filling and ramp and name and name != ramp.name:
            self._put("Rename", changed(ramp, name=name))

    def _lay_out(self) -> None:
        row = QHBoxLayout(self)
        left = QVBoxLayout()
        left.addWidget(self.list, 1)
        for button in (self.add_gradient, self.add_palette, self.bring, self.send, self.remove):
            left.addWidget(button)
        row.addLayout(left, 2)
        self.pages.addWidget(QLabel("Make a gradient or a palette"))
        gradient, palette = QWidget(), QWidget()
        column = QVBoxLayout(gradient)
        column.addWidget(self.bar)
        line = QHBoxLayout()
        for widget in (QLabel("stop at"), self.place, self.colour, self.shape, self.mixing):
            line.addWidget(widget)
        column.addLayout(line)
        whole = QHBoxLayout()
        for name, edit in EDITS.items():
            button = QPushButton(name)
            button.clicked.connect(lambda _, edit=edit: self._take_gradient(edit(self.bar.gradient)))
            self.edits[name] = button
            whole.addWidget(button)
        whole.addStretch(1)
        column.addLayout(whole)
        column.addWidget(self.advice)
        words = QLabel("Click the bar to add a stop, drag one down to take it out")
        words.setProperty("quiet", True)
        column.addWidget(words)
        column.addStretch(1)
        below = QVBoxLayout(palette)
        below.addLayout(self.cells)
        below.addWidget(self.add_colour, 0, Qt.AlignmentFlag.AlignLeft)
        below.addWidget(self.room)
        below.addStretch(1)
        for page in (gradient, palette):
            self.pages.addWidget(page)
        row.addWidget(self.pages, 5)
