"""What fills the channels of a colour layer: a colour, a height, a node, a texture, the mesh's shape, baked light."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from soft_lantern.app.desks.dress.painting import Painting
from soft_lantern.app.desks.dress.selected import Key
from soft_lantern.bake.vertex_bakes import (
    edges_and_hollows,
    light_at,
    place_in_bounds,
    random_per_piece,
    texture_at,
)
from soft_lantern.bake.vertex_rays import ambient_occlusion, thickness
from soft_lantern.errors import BadEdit
from soft_lantern.graph.ramps.images import colours_at
from soft_lantern.progress import Progress
from soft_lantern.render.staging import LoweredMaterials, object_inputs
from soft_lantern.render.vertex_fill import wire_at_vertices
from soft_lantern.scene.coarse import Missed, missed_of
from soft_lantern.scene.filling import CHANNELS, around, between, filled, mixed
from soft_lantern.scene.mesh import ColourLayer, Floats, Matrix, Mesh
from soft_lantern.scene.transforms import camera_for, placement

SEED = 1
BAKES: dict[str, Callable[[Mesh, Progress], Floats]] = {
    "edges and hollows": lambda mesh, _: edges_and_hollows(mesh),
    "place in bounds": lambda mesh, _: place_in_bounds(mesh),
    "random per piece": lambda mesh, _: random_per_piece(mesh, SEED),
    "ambient occlusion": lambda mesh, progress: ambient_occlusion(mesh, SEED, progress=progress),
    "thickness": lambda mesh, progress: thickness(mesh, SEED, progress=progress),
}


class Fill(Struct, frozen=True, eq=False):
    """What fills channels of the layer at a place of a part, by its key: RGBA for each vertex of its bare mesh."""

    name: str
    key: Key
    at: int
    channels: str
    values: Callable[[Mesh], npt.NDArray[np.floating]]
    measured: bool = True
    """Whether what the vertices miss of it says something, and is quick to find."""


class Filling:
    """Fills layers of the part that is painted, each time as one edit."""

    def __init__(self, painting: Painting) -> None:
        self.session, self.on, self.painting = painting.session, painting.on, painting
        self.filled: Callable[[Fill, Missed | None], object] = lambda fill, missed: None
        """Hears of each fill what the vertices miss of it, where that was measured."""

    def again(self, fill: Fill) -> None:
        """Fill the selected vertices, or all where none is."""
        selected, missed = self.painting.selected, list[Missed]()

        def edit(mesh: Mesh, layer: ColourLayer) -> ColourLayer:
            if fill.measured:
                missed[:] = [missed_of(lambda each: fill.values(each)[:, places], mesh)]
            return filled(layer, mesh, fill.values(mesh), fill.channels, selected.of(fill.key, mesh))

        def told() -> bool:
            self.filled(fill, missed[0] if missed else None)
            return True

        places = [CHANNELS.index(letter) for letter in fill.channels]
        self.painting.each(fill.name, fill.at, edit, told)

    def _fill(
        self,
        name: str,
        at: int,
        channels: str,
        values: Callable[[Mesh], npt.NDArray[np.floating]],
        *,
        measured: bool = True,
    ) -> None:
        self.again(Fill(name, self.on.key(), at, channels, values, measured))

    def flat(self, at: int, channels: str, colour: tuple[float, ...]) -> None:
        """Fill channels of a layer with one colour."""
        wanted = np.array(colour, np.float32)
        self._fill("Fill", at, channels, lambda mesh: np.tile(wanted, (len(mesh.positions), 1)), measured=False)

    def by_height(
        self, at: int, channels: str, low: float, high: float, first: tuple[float, ...], last: tuple[float, ...]
    ) -> None:
        """Fill channels from one colour at a height to another, heights being those of the model's own space."""
        part = self.on.part()
        if part is None:
            return
        transform = part.transform

        def values(mesh: Mesh) -> Floats:
            return mixed(between(mesh.moved(transform).positions, (0.0, low, 0.0), (0.0, high, 0.0)), first, last)

        self._fill("Fill by height", at, channels, values)

    def by_tape(
        self,
        at: int,
        channels: str,
        ends: Sequence[Matrix],
        first: tuple[float, ...],
        last: tuple[float, ...],
        gradient_id: str,
        *,
        radial: bool,
    ) -> None:
        """Fill channels along the tape between two points of the world, or round its start as far as its end."""
        thing, part = self.on.thing(), self.on.part()
        if thing is None or part is None:
            return
        if len(ends) != 2:
            self.session.complain(BadEdit("stretch the tape by two clicks on the stage first (Shift+F4)"))
            return
        gradient, matrix = self.session.project.gradients.get(gradient_id), placement(thing) @ part.transform
        start, end = (np.asarray(point, np.float64) for point in ends)

        def values(mesh: Mesh) -> npt.NDArray[np.floating]:
            points = mesh.moved(matrix).positions
            far = float(np.linalg.norm(end - start))
            share = around(points, start, far) if radial else between(points, start, end)
            return colours_at(gradient, share) if gradient else mixed(share, first, last)

        self._fill("Fill along the tape", at, channels, values)

    def by_wire(self, at: int, channels: str, wire: str) -> None:
        """Fill channels with what a node of the worn material gives at each vertex."""
        found, thing, part = self.on.look(), self.on.thing(), self.on.part()
        model = self.session.models.get(thing.asset) if thing else None
        if found is None or thing is None or part is None or model is None:
            self.session.complain(BadEdit("this part wears nothing whose nodes could fill it"))
            return
        images, camera = dict(self.session.images), camera_for(self.session.view, (1, 1))
        transform = part.transform

        def values(mesh: Mesh) -> Floats:
            placed = mesh.moved(transform)
            return wire_at_vertices(found, wire, placed, object_inputs(thing, model, placed), camera, images)

        self._fill("Fill from a node", at, channels, values)

    def by_shape(self, at: int, channels: str, name: str) -> None:
        """Fill channels with what the mesh's own shape says, by one of the names in `BAKES`, or its baked light."""
        shape, watched = BAKES.get(name), self.painting.watched
        bake = (lambda mesh: shape(mesh, watched)) if shape else self._baked_light()
        if bake is None:
            self.session.complain(BadEdit("no light is baked for this part; bake some first"))
            return
        self._fill(f"Fill with {name}", at, channels, bake, measured=False)

    def by_texture(self, at: int, channels: str, texture_id: str) -> None:
        """Fill channels with what a texture of the project holds at the mesh's coordinates."""
        image = self.session.images.get(texture_id)
        if image is None:
            self.session.complain(BadEdit("there is no such texture"))
            return
        self._fill("Fill from a texture", at, channels, lambda mesh: texture_at(mesh, image))

    def _baked_light(self) -> Callable[[Mesh], Floats] | None:
        """The light that was baked for the part, as the scene tunes it; None where none was, or for another mesh."""
        session, thing, part, scene = self.session, self.on.thing(), self.on.part(), self.session.scene
        shown = session.files.light_of(scene.id) if scene else None
        held = shown.baked.maps.get(thing.id) if shown and thing else None
        coordinates = held.coordinates.get(part.name) if held and part else None
        if scene is None or shown is None or held is None or coordinates is None or part is None:
            return None
        if len(coordinates) != len(part.mesh.triangles):
            return None
        now = shown.now(session.project, scene, session.models, session.images, LoweredMaterials())
        light = held.weighed(now.weights)
        return lambda mesh: light_at(mesh, coordinates, light)
