"""What hands do to the colour layers of a part: each is worked out beside the window, as a new file and one edit."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QFileDialog, QMessageBox, QWidget

from soft_lantern.app.command import Command
from soft_lantern.app.session.session import Session
from soft_lantern.app.widgets.labels import asked
from soft_lantern.bake.vertex_bakes import edges_and_hollows, place_in_bounds, random_per_piece
from soft_lantern.errors import BadEdit
from soft_lantern.formats.assets import Layers, repainted, write_painted
from soft_lantern.graph.document import Asset, Project, StageObject, changed, edited_record, node_and_port
from soft_lantern.graph.instances.picks import worn
from soft_lantern.graph.instances.values import Look, look
from soft_lantern.graph.kinds import label_of, output_kinds
from soft_lantern.ir.glsl_words import as_identifier
from soft_lantern.render.staging import object_inputs
from soft_lantern.render.vertex_fill import wire_at_vertices
from soft_lantern.scene.colour_layers import Loss, converted, own_layers, white
from soft_lantern.scene.filling import between, filled, mixed
from soft_lantern.scene.mesh import ColourLayer, Domain, Floats, Mesh, Model, Part, Precision, Use
from soft_lantern.scene.transforms import camera_for
from soft_lantern.values.words import counted, first_numbered

SEED = 1
BAKES: dict[str, Callable[[Mesh], Floats]] = {
    "edges and hollows": edges_and_hollows,
    "place in bounds": place_in_bounds,
    "random per piece": lambda mesh: random_per_piece(mesh, SEED),
}
LOSS = 1e-6
"""A difference that no precision shows."""
Edit = Callable[[Mesh, Layers], Sequence[ColourLayer]]


class Painting(QObject):
    """Edits the layers of one part of an object, which `target` gives as they are now; asks over `over`."""

    def __init__(self, session: Session, target: Callable[[], tuple[str, str]], over: QWidget) -> None:
        super().__init__(over)
        self.session, self.target, self.over = session, target, over

    def thing(self) -> StageObject | None:
        """The object whose part is painted."""
        scene = self.session.scene
        return scene.object(self.target()[0]) if scene else None

    def part(self) -> Part | None:
        """The part that is painted: the one that is selected, or the only one there is."""
        thing = self.thing()
        model = self.session.models.get(thing.asset) if thing else None
        parts = model.parts if model else ()
        name = self.target()[1]
        return next((p for p in parts if p.name == name), parts[0] if len(parts) == 1 else None)

    def missing(self) -> str:
        """Why nothing can be painted, "" where it can."""
        return "" if self.part() else "Select a part first"

    def look(self) -> Look | None:
        """What the part wears."""
        thing, part = self.thing(), self.part()
        return look(self.session.project, worn(self.session.project, thing, part.name)) if thing and part else None

    def layers(self) -> Layers | None:
        """The layers there are, those of the file counted; None where no part is selected."""
        part = self.part()
        return None if part is None else part.layers or own_layers(part.mesh)

    def wires(self) -> list[tuple[str, str]]:
        """What could fill a layer: every output of what the part wears, by its name."""
        found = self.look()
        if found is None:
            return []
        material = found.material
        named = [
            (f"{label_of(material, material.nodes[node_and_port(ref)[0]])}: {node_and_port(ref)[1]}", ref)
            for ref, kind in output_kinds(material).items()
            if not kind.is_read
        ]
        return sorted(named)

    def heights(self) -> tuple[float, float]:
        """The lowest and highest point of the part, in the model's own space."""
        part = self.part()
        if part is None:
            return (0.0, 1.0)
        low, high = part.placed.bounds
        return float(low[1]), float(high[1])

    # Layers as a whole

    def add(self) -> None:
        """One more layer, white, at the end."""

        def edit(mesh: Mesh, layers: Layers) -> Layers:
            taken = {layer.name for layer in layers}
            name = "Colour" if "Colour" not in taken else first_numbered("Colour", taken, 2)
            return (*layers, white(mesh, name))

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
            self._each("Rename colour layer", at, lambda mesh, layer: replace(layer, name=name))

    def set_use(self, at: int, use: Use) -> None:
        """Say that a layer is a colour, or data that no reader is to take for a tint."""
        self._each(f"Keep as {use}", at, lambda mesh, layer: replace(layer, use=use))

    def export(self) -> None:
        """Ask for a file and write the mesh there with its layers."""
        thing = self.thing()
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
        part = self.part()
        layers = self.layers()
        if part is None or not layers or not 0 <= at < len(layers):
            return
        session, thing = self.session, self.thing()
        asset = session.project.assets.get(thing.asset) if thing else None
        lost: list[Loss] = []

        def edit(mesh: Mesh, layers: Layers) -> Layers:
            made, loss = converted(layers[at], mesh, domain, precision)
            lost.append(loss)
            return (*layers[:at], made, *layers[at + 1 :])

        def take(found: tuple[Asset, Model]) -> None:
            if lost[-1].largest > LOSS and not self._agreed(layers[at], lost[-1]):
                return
            self._take("Convert colour layer", found)

        if asset:
            folder, name = session.folder, part.name
            session.beside("Converting a colour layer", lambda _: repainted(asset, folder, name, edit), take)

    # What fills them

    def fill_flat(self, at: int, channels: str, colour: tuple[float, ...]) -> None:
        """Fill channels of a layer with one colour."""
        self._each("Fill", at, lambda mesh, layer: filled(layer, mesh, colour, channels))

    def fill_by_height(
        self, at: int, channels: str, low: float, high: float, first: tuple[float, ...], last: tuple[float, ...]
    ) -> None:
        """Fill channels from one colour at a height to another, heights being those of the model's own space."""
        part = self.part()
        if part is None:
            return
        transform = part.transform

        def edit(mesh: Mesh, layer: ColourLayer) -> ColourLayer:
            share = between(mesh.moved(transform).positions, (0.0, low, 0.0), (0.0, high, 0.0))
            return filled(layer, mesh, mixed(share, first, last), channels)

        self._each("Fill by height", at, edit)

    def fill_by_wire(self, at: int, channels: str, wire: str) -> None:
        """Fill channels with what a node of the worn material gives at each vertex."""
        found, thing, part = self.look(), self.thing(), self.part()
        model = self.session.models.get(thing.asset) if thing else None
        if found is None or thing is None or part is None or model is None:
            self.session.complain(BadEdit("this part wears nothing whose nodes could fill it"))
            return
        images, camera = dict(self.session.images), camera_for(self.session.view, (1, 1))
        transform = part.transform

        def edit(mesh: Mesh, layer: ColourLayer) -> ColourLayer:
            placed = mesh.moved(transform)
            values = wire_at_vertices(found, wire, placed, object_inputs(thing, model, placed), camera, images)
            return filled(layer, mesh, values, channels)

        self._each("Fill from a node", at, edit)

    def fill_by_shape(self, at: int, channels: str, name: str) -> None:
        """Fill channels with what the mesh's own shape says, by one of the names in `BAKES`."""
        bake = BAKES[name]
        self._each(f"Fill with {name}", at, lambda mesh, layer: filled(layer, mesh, bake(mesh), channels))

    def _each(self, name: str, at: int, edit: Callable[[Mesh, ColourLayer], ColourLayer]) -> None:
        """An edit of the layer at a place."""

        def of_all(mesh: Mesh, layers: Layers) -> Layers:
            if not 0 <= at < len(layers):
                raise BadEdit("that colour layer is gone")
            return (*layers[:at], edit(mesh, layers[at]), *layers[at + 1 :])

        self._edit(name, of_all)

    def _edit(self, name: str, edit: Edit) -> None:
        session, thing, part = self.session, self.thing(), self.part()
        asset = session.project.assets.get(thing.asset) if thing else None
        if asset is None or part is None:
            session.complain(BadEdit("select a part first"))
            return
        folder, part_name = session.folder, part.name
        session.beside(name, lambda _: repainted(asset, folder, part_name, edit), lambda found: self._take(name, found))

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
    Command("Add a colour layer", Painting.add, hindered=Painting.missing),
    Command("Export the mesh with its colours", Painting.export, hindered=Painting.missing),
)
