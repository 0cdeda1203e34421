"""What hands do to the colour layers of a part: each is worked out beside the window, as a new file and one edit."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path

from msgspec import Struct
from msgspec.structs import replace
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QMessageBox, QWidget

from soft_lantern.app.command import Command
from soft_lantern.app.desks.dress.paint_target import PaintTarget
from soft_lantern.app.desks.dress.selected import Selected
from soft_lantern.app.widgets.labels import asked
from soft_lantern.app.work.mishaps import outcome
from soft_lantern.errors import BadEdit
from soft_lantern.formats.assets import LayerEdit, Layers, repainted_parts, write_painted
from soft_lantern.graph.document import Asset, Project, changed, edited_record
from soft_lantern.ir.glsl_words import as_identifier
from soft_lantern.progress import Progress, silent
from soft_lantern.scene.carrying import carried
from soft_lantern.scene.colour_layers import Loss, converted, drawn, selections, white
from soft_lantern.scene.mesh import ColourLayer, Domain, Matrix, Mesh, Model, Precision, Use
from soft_lantern.values.words import counted, first_numbered, free_name

LOSS = 1e-6
"""A difference that no precision shows."""


def _always() -> bool:
    return True


class _Asked(Struct, frozen=True):
    """Edits of the layers of an asset, by part, and what may refuse what they made."""

    name: str
    asset: str
    edits: Mapping[str, LayerEdit]
    agreed: Callable[[], bool]


class Watched:
    """The progress of the edit that is worked out: edits that take long tell it how far they are."""

    now: Progress = staticmethod(silent)

    def __call__(self, share: float, words: str) -> None:
        self.now(share, words)


class Painting(QObject):
    """Edits the layers of the part that `on` names; asks over `over`. `refused`: an edit could not be made."""

    refused = pyqtSignal()

    def __init__(self, on: PaintTarget, over: QWidget) -> None:
        super().__init__(over)
        self.session, self.on, self.over = on.session, on, over
        self.selected, self.watched = Selected(), Watched()
        self.seen = False
        """Whether painting is what the desk shows."""
        self._asked: list[_Asked] = []
        """Edits that are worked out one after another, the first of them now."""

    def add(self) -> None:
        """One more layer, white, at the end."""

        def edit(mesh: Mesh, layers: Layers) -> Layers:
            return (*layers, white(mesh, free_name("Colour", {layer.name for layer in layers})))

        self._edit("Add colour layer", edit)

    def duplicate(self, at: int) -> None:
        """A copy of a layer after it."""

        def edit(mesh: Mesh, layers: Layers) -> Layers:
            name = first_numbered(layers[at].name, {layer.name for layer in layers}, 2)
            return (*layers[: at + 1], replace(layers[at], name=name), *layers[at + 1 :])

        self._edit("Duplicate colour layer", edit)

    def remove(self, at: int) -> None:
        """Take a layer away."""
        self._edit("Remove colour layer", lambda mesh, layers: (*layers[:at], *layers[at + 1 :]))

    def move(self, at: int, step: int) -> None:
        """Put a layer so many places further."""

        def edit(mesh: Mesh, layers: Layers) -> Layers:
            rest = [*layers[:at], *layers[at + 1 :]]
            rest.insert(at + step, layers[at])
            return tuple(rest)

        self._edit("Move colour layer", edit)

    def rename(self, at: int, name: str) -> None:
        """Call a layer otherwise."""
        if name:
            self.each("Rename colour layer", at, lambda mesh, layer: replace(layer, name=name))

    def set_use(self, at: int, use: Use) -> None:
        """Say that a layer is a colour, or data that no reader is to take for a tint."""
        self.each(f"Keep as {use}", at, lambda mesh, layer: replace(layer, use=use))

    def copy_to_others(self, at: int) -> None:
        """A copy of a layer on every other part, each place of which gets what the nearest point of this part has."""
        thing, part = self.on.thing(), self.on.part()
        model = self.session.models.get(thing.asset) if thing else None
        others = [each for each in (model.parts if model else ()) if part and each.name != part.name]
        if thing is None or part is None or not others:
            self.session.complain(BadEdit("there is no other part to copy it to"))
            return
        own: list[tuple[Mesh, ColourLayer]] = []
        transform = part.transform

        def read(mesh: Mesh, layers: Layers) -> Layers:
            if not 0 <= at < len(drawn(layers)):
                raise BadEdit("that colour layer is gone")
            own[:] = [(mesh.moved(transform), layers[at])]
            return layers

        def onto(transform: Matrix) -> LayerEdit:
            def edit(mesh: Mesh, layers: Layers) -> Layers:
                copy, _ = carried(own[0][1], own[0][0], mesh.moved(transform))
                return (*drawn(layers), copy, *selections(layers))

            return edit

        edits = {part.name: read} | {each.name: onto(each.transform) for each in others}
        self._ask(_Asked("Copy to other parts", thing.asset, edits, _always))

    def export(self) -> None:
        """Ask for a file and write the mesh there with its layers."""
        thing = self.on.thing()
        asset = self.session.project.assets.get(thing.asset) if thing else None
        if asset:
            wish = f"{as_identifier(asset.name, (), 'mesh')}.glb"
            name, _ = QFileDialog.getSaveFileName(self.over, "Export the mesh with its layers", wish, "glTF (*.glb)")
            if name:
                self.export_to(asset, Path(name).with_suffix(".glb"))

    def export_to(self, asset: Asset, target: Path) -> None:
        """Write an asset with its layers as one file, and say what each layer is called in it."""
        session, folder = self.session, self.session.folder

        def tell(names: list[str]) -> None:
            session.told.emit(f"Wrote {target.name} with {', '.join(names) or 'no layers'}; COLOR_0 tints base colour")

        session.beside("Exporting a mesh", lambda _: write_painted(asset, folder, target), tell)

    def convert(self, at: int, domain: Domain, precision: Precision) -> None:
        """Keep a layer at vertices or corners, in another precision; where that loses something, say how much first."""
        layers = self.on.layers() or ()
        if not 0 <= at < len(layers):
            return
        lost: list[Loss] = []

        def edit(mesh: Mesh, layer: ColourLayer) -> ColourLayer:
            made, loss = converted(layer, mesh, domain, precision)
            lost.append(loss)
            return made

        self.each(
            "Convert colour layer", at, edit, lambda: lost[-1].largest <= LOSS or self._agreed(layers[at], lost[-1])
        )

    def each(
        self, name: str, at: int, edit: Callable[[Mesh, ColourLayer], ColourLayer], agreed: Callable[[], bool] = _always
    ) -> None:
        """Edit the layer at a place; `agreed` may refuse what it made."""

        def of_all(mesh: Mesh, layers: Layers) -> Layers:
            if not 0 <= at < len(layers):
                raise BadEdit("that colour layer is gone")
            return (*layers[:at], edit(mesh, layers[at]), *layers[at + 1 :])

        self._edit(name, of_all, agreed)

    def _edit(self, name: str, edit: LayerEdit, agreed: Callable[[], bool] = _always) -> None:
        """An edit of the drawn layers of the part, after those asked for already; `agreed` may refuse what it made."""
        self._of_part(name, lambda mesh, held: (*edit(mesh, drawn(held)), *selections(held)), agreed)

    def edit_kept(self, name: str, edit: LayerEdit) -> None:
        """An edit of the selections that the part keeps."""
        self._of_part(name, lambda mesh, held: (*drawn(held), *edit(mesh, selections(held))))

    def _of_part(self, name: str, edit: LayerEdit, agreed: Callable[[], bool] = _always) -> None:
        thing, part = self.on.thing(), self.on.part()
        if thing is None or part is None:
            self.session.complain(BadEdit("select a part first"))
            return
        self._ask(_Asked(name, thing.asset, {part.name: edit}, agreed))

    def _ask(self, asked: _Asked) -> None:
        self._asked.append(asked)
        if len(self._asked) == 1:
            self._begin_next()

    def _begin_next(self) -> None:
        """Work out the edit that is first, on the asset as it is by now."""
        session, first = self.session, self._asked[0]
        asset, folder = session.project.assets.get(first.asset), session.folder
        edits, name = first.edits, first.name  # `first` itself knows the window

        watched = self.watched

        def repaint(progress: Progress) -> tuple[Asset, Model]:
            watched.now = progress
            if asset is None:
                raise BadEdit("what was painted is gone")
            return repainted_parts(asset, folder, edits)

        session.beside(
            name,
            lambda progress: outcome(lambda: repaint(progress), name),
            self._worked_out,
            session.background.submit,
        )

    def _worked_out(self, result: tuple[tuple[Asset, Model] | None, str]) -> None:
        (found, trouble), done = result, self._asked[0]
        if found is None:
            self.session.complain(trouble)
            self.refused.emit()
        elif done.agreed():
            self._take(done.name, found)
        self._asked.pop(0)
        if self._asked:
            self._begin_next()

    def _take(self, name: str, found: tuple[Asset, Model]) -> None:
        """Let an asset have the layers that were worked out."""
        asset, model = found

        def taken(project: Project) -> Project:
            return edited_record(project, "assets", asset.id, lambda now: changed(now, layers=asset.layers))

        now = self.session.project.assets.get(asset.id)
        if now is not None and changed(now, layers=asset.layers) == asset:
            self.session.files.hold_model(asset, model)
        self.session.apply(name, taken)
        self.session.models_changed.emit()

    def _agreed(self, layer: ColourLayer, loss: Loss) -> bool:
        yes, no = QMessageBox.StandardButton.Yes, QMessageBox.StandardButton.No
        text = (
            f"{layer.name} would change by up to {loss.largest:.4f} in a channel, {loss.mean:.5f} on average over its "
            f"{counted(len(layer.values), 'value')}. Convert it?"
        )
        return asked(self.over, text, yes | no, no) == yes


PAINTING = (
    Command("Add a colour layer", Painting.add, hindered=lambda painting: painting.on.missing()),
    Command("Export the mesh with its colours", Painting.export, hindered=lambda painting: painting.on.missing()),
)
