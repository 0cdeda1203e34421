"""Where a gradient can be taken from: its own ends, a line across a picture, a file, mixes of the open graph."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QWidget

from soft_lantern.app.desks.colour.gradient_page import GradientPage
from soft_lantern.app.desks.colour.line_dialog import LineDialog
from soft_lantern.app.session.session import Session
from soft_lantern.app.widgets.buttons import below
from soft_lantern.app.widgets.passing import passing
from soft_lantern.graph.document import Gradient, Material, node_of
from soft_lantern.graph.gradients.editing import FIT_PLACES, fitted_gradient
from soft_lantern.graph.gradients.of_mixes import Replacement, every_replacement, with_gradient
from soft_lantern.graph.kinds import label_of
from soft_lantern.graph.ramps.images import colours_at
from soft_lantern.render.frame import LinearPixels
from soft_lantern.values.images import Image

GRADIENT_FILES = "Gradients (*.ggr *.csv)"
FEWER_WITHIN = 0.01
MIXES_WITHIN = 0.005
"""ΔE OK within which a gradient is kept to by fewer stops, and nested mixes by a gradient."""


class GradientSources(QObject):
    """The sources of a gradient: `chosen` gives it, `picture` what the stage shows, and `page` is its editor."""

    taken = pyqtSignal(str, object)
    """The name of an edit, and what the gradient is to be."""
    file_wanted = pyqtSignal(str)
    """It is to come from a file of one of these kinds."""
    chosen_wanted = pyqtSignal(str)
    """Another gradient is to be chosen, by its id."""

    def __init__(
        self,
        session: Session,
        page: GradientPage,
        chosen: Callable[[], Gradient | None],
        picture: Callable[[], LinearPixels | None],
        over: QWidget,
    ) -> None:
        super().__init__(over)
        self.session, self.page, self.chosen, self.picture, self.over = session, page, chosen, picture, over

    def take_from(self, source: str) -> None:
        """Take the chosen gradient from somewhere else: one of the sources of the page."""
        if source == "ends":
            self.page.two_ends()
        elif source == "fewer":
            self.fewer_stops()
        elif source == "file":
            self.file_wanted.emit(GRADIENT_FILES)
        elif source == "mixes":
            self.choose_mixes()
        else:
            self.open_line(on_stage=source == "stage")

    def fewer_stops(self) -> None:
        """Keep to the gradient with as few stops as can be."""
        gradient = self.chosen()
        if gradient is None:
            return
        found, error = fitted_gradient(colours_at(gradient, np.linspace(0, 1, FIT_PLACES)), FEWER_WITHIN, gradient)
        if len(found.stops) + len(found.alphas) >= len(gradient.stops) + len(gradient.alphas):
            self.session.told.emit(
                f"{gradient.name} needs its {len(gradient.stops)} stops to keep within {FEWER_WITHIN}"
            )
            return
        self.taken.emit("Take fewer stops", found)
        count = len(found.stops)
        self.session.told.emit(f"{count} of {len(gradient.stops)} stops keep within ΔE OK {error:.4f}")

    def open_line(self, *, on_stage: bool) -> None:
        """Draw a line across the stage's picture or an image."""
        gradient = self.chosen()
        if gradient is None:
            return
        linear = self.picture()
        stage = Image(linear, "data", "linear", "clamp") if linear is not None else None
        then = partial(self.taken.emit, "Take a gradient from a line")
        self.line_dialog = passing(LineDialog(self.session, gradient, stage, then, self.over, on_stage=on_stage))
        self.line_dialog.open()

    def choose_mixes(self) -> None:
        """Offer the colours of the open graph that a gradient could stand for, once they are found."""
        material = self.session.material
        if material is not None:
            work = partial(every_replacement, material, MIXES_WITHIN)
            self.session.beside("Looking through mixes", work, partial(self._offer, material))

    def _offer(self, material: Material, found: list[Replacement]) -> None:
        if not found:
            self.session.told.emit(f"{material.name} has no mixes that a single number rules")
            return
        self.mixes_menu = menu = self.page.source_menu()
        menu.clear()
        for each in found:
            name = label_of(material, material.nodes[node_of(each.output)])
            takes = f", taking in {', '.join(each.parameters)}" if each.parameters else ""
            words = f"{name}: {len(each.gradient.stops)} stops, within ΔE OK {each.error:.4f}{takes}"
            menu.addAction(words, partial(self.replace_mixes, material, each))
        menu.popup(below(self.page.from_button))

    def replace_mixes(self, material: Material, found: Replacement) -> None:
        """Put a gradient in place of mixes of a graph, if it is still as it was."""
        session = self.session
        if session.apply("Replace mixes by a gradient", lambda project: with_gradient(project, material, found)):
            self.chosen_wanted.emit(found.gradient.id)
            session.told.emit(f"{found.gradient.name}: within ΔE OK {found.error:.4f} of the mixes it replaces")
