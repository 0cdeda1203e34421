"""What is done to the selected objects of a scene together: copied, put in a row, on the floor, in line, in groups."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QInputDialog, QMenu, QWidget

from soft_lantern.app.panels.row_dialog import RowDialog
from soft_lantern.app.panels.scatter_dialog import ScatterDialog
from soft_lantern.app.session.session import Session
from soft_lantern.app.widgets.passing import passing
from soft_lantern.graph.document import Vector, new_id
from soft_lantern.graph.scenes import scattered
from soft_lantern.render.staging import object_boxes
from soft_lantern.scene.placing import AXES, SIDES, Side, aligned, grouped, in_row, on_floor, without_objects
from soft_lantern.values.words import counted

BESIDE = (1.0, 0.0, 0.0)
"""Metres from an object to its copy."""


class Arranging(QObject):
    """Arranges the objects that `held` names, the first of them the one in hand; asks over `over`."""

    chosen = pyqtSignal(list)
    """Ids of objects that are new and to be selected."""

    def __init__(self, session: Session, held: Callable[[], Sequence[str]], over: QWidget) -> None:
        super().__init__(over)
        self.session, self.held, self.over = session, held, over

    def delete(self) -> None:
        """Take them off the stage."""
        ids = self.held()
        if ids:
            words = "Delete object" if len(ids) == 1 else f"Delete {len(ids)} objects"
            self.session.edit_scene(words, lambda scene: without_objects(scene, ids))

    def duplicate(self) -> None:
        """Stand a copy of each a metre beside it."""
        self.copy_in_row(1, BESIDE)

    def copy_in_row(self, count: int, step: Vector) -> None:
        """Stand so many copies of them in a row, each a step from the last."""
        ids = self.held()
        new = [new_id("object") for _ in range(count * len(ids))]
        words = "Duplicate object" if len(new) == 1 else f"{len(new)} copies in a row"
        if ids and self.session.edit_scene(words, lambda scene: in_row(scene, ids, new, step)):
            self.chosen.emit(new[-len(ids) :])

    def ask_row(self) -> None:
        """Ask how many copies are to stand in a row, and how far apart, and do so."""
        scene = self.session.scene
        thing = scene.object(self.held()[0]) if scene and self.held() else None
        if scene and thing:
            boxes = object_boxes(scene, self.session.models, [thing.id])
            wide = float((boxes[thing.id][1] - boxes[thing.id][0])[0]) if boxes else 1.0
            dialog = passing(RowDialog(thing.name, round(wide * 1.2, 2) or 1.0, self.over))
            dialog.wanted.connect(self.copy_in_row)
            dialog.open()

    def ask_scatter(self) -> None:
        """Ask how copies of the one in hand are to be strewn round it, and do so."""
        thing = self.session.scene.object(self.held()[0]) if self.session.scene and self.held() else None
        if thing:
            dialog = passing(ScatterDialog(thing.name, self.over))
            dialog.wanted.connect(lambda *wish: self.strew(thing.id, *wish))
            dialog.open()

    def strew(self, object_id: str, count: int, radius: float, turned: bool, seed: int) -> None:
        """Strew copies of an object round it."""
        ids = [new_id("object") for _ in range(count)]
        if self.session.edit_scene(
            "Scatter copies", lambda s: scattered(s, object_id, ids, radius=radius, seed=seed, turned=turned)
        ):
            self.session.told.emit(f"{counted(count, 'copy', 'copies')} within {radius:g} m. Home shows everything")

    def to_floor(self) -> None:
        """Stand each on the floor, at height 0."""
        ids, models = self.held(), self.session.models
        self.session.edit_scene("Snap to the floor", lambda scene: on_floor(scene, object_boxes(scene, models, ids)))

    def align(self, axis: str, side: Side) -> None:
        """Move all along an axis until a side of each is where that of the one in hand is."""
        ids, models = self.held(), self.session.models
        if len(ids) > 1:
            self.session.edit_scene(
                f"Align by {side} {axis}",
                lambda scene: aligned(scene, object_boxes(scene, models, ids), ids[0], axis, side),
            )

    def group(self, name: str) -> None:
        """Put them in a group; "" takes them out of theirs."""
        ids = self.held()
        if ids:
            self.session.edit_scene("Group" if name else "Ungroup", lambda scene: grouped(scene, ids, name))

    def ask_group(self) -> None:
        """Ask what a group of them is called, and make it."""
        if self.held():
            dialog = passing(QInputDialog(self.over))
            dialog.setWindowTitle("Group")
            dialog.setLabelText("What the group is called")
            dialog.textValueSelected.connect(lambda name: self.group(name.strip()))
            dialog.open()

    def menu(self, over: QWidget) -> QMenu:
        """All of it, to choose from."""
        menu, several = passing(QMenu(over)), len(self.held()) > 1
        menu.addAction("Duplicate", self.duplicate)
        menu.addAction("Duplicate in a row…", self.ask_row)
        menu.addAction("Scatter copies…", self.ask_scatter)
        menu.addSeparator()
        menu.addAction("Snap to the floor", self.to_floor)
        line = menu.addMenu("Align")
        assert line
        line.setEnabled(several)
        for axis in AXES:
            for side in SIDES:
                line.addAction(f"{side} {axis}", lambda axis=axis, side=side: self.align(axis, side))
        menu.addSeparator()
        menu.addAction("Group as…", self.ask_group)
        menu.addAction("Ungroup", lambda: self.group(""))
        menu.addSeparator()
        menu.addAction("Delete", self.delete)
        return menu
