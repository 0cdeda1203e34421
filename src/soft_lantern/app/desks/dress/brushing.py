"""The brush over a part on the stage: seen while the hand is down, and one edit after it."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace
from PyQt6.QtCore import QObject, pyqtSignal

from soft_lantern.app.desks.dress.painting import Painting
from soft_lantern.app.stage.under_pointer import ObjectHit
from soft_lantern.errors import BadEdit, BadValue
from soft_lantern.graph.document import StageObject
from soft_lantern.scene.brush import Brush, Places, Stroke
from soft_lantern.scene.colour_layers import layered, selections
from soft_lantern.scene.mesh import ColourLayer, Model, Part
from soft_lantern.scene.transforms import placement

AT_ONCE = 20_000
"""Points up to which a brush is ready in no time."""


class Brushing(QObject):
    """Strokes on the part that is painted."""

    shown = pyqtSignal()
    """The stage has something else to draw."""

    def __init__(self, painting: Painting) -> None:
        super().__init__(painting)
        self.session, self.on, self.painting = painting.session, painting.on, painting
        self._stroke: Stroke | None = None
        self._before: tuple[str, Model] | None = None
        self._kept: tuple[str, Model] | None = None
        """An asset and its model before the stroke under way, and before the last one."""
        painting.refused.connect(self._take_back)
        self._places: tuple[tuple[int, bool], Places] | None = None
        self._held: list[tuple[ObjectHit | None, int, Brush, bool]] | None = None
        """What a hand did while the points of a large mesh were not ready yet."""

    def stroke_to(self, hit: ObjectHit | None, at: int, brush: Brush, *, last: bool) -> None:
        """Take the brush on to what it met, on the part that is painted; after the last of a stroke it is an edit."""
        thing, part = self.on.thing(), self.on.part()
        if thing is None or part is None:
            return
        met = hit if hit is not None and hit.key == (thing.id, part.name) else None
        if self._held is not None:
            self._held.append((hit, at, brush, last))
            return
        if self._stroke is None and met is not None and not self._begin(part, at, brush):
            if self._held is not None:
                self._held.append((hit, at, brush, last))
            return
        if self._stroke is None:
            return
        if met is not None:
            self._stroke.to((np.linalg.inv(placement(thing)) @ np.append(met.point, 1.0))[:3])
            self._preview(thing, part, at, self._stroke.painted())
        if last:
            made, self._stroke = self._stroke.painted(), None
            self._kept, self._before = self._before, None
            self.painting.each("Paint", at, lambda mesh, layer: made)

    def _begin(self, part: Part, at: int, brush: Brush) -> bool:
        """Whether a stroke is begun; where the mesh is large, it waits until its points are ready to be found."""
        layers = self.on.layers() or ()
        if not 0 <= at < len(layers):
            self.session.complain(BadEdit("select a layer to paint on first"))
            return False
        bare, by_corner = part.bare, layers[at].domain == "corner"
        chosen = self.painting.selected.of(self.on.key(), bare)
        if by_corner and chosen is not None:
            chosen = chosen[bare.triangles.reshape(-1)]
        key, transform = (id(bare.triangles), by_corner), part.transform
        count = bare.triangles.size if by_corner else len(bare.positions)

        def made() -> Places:
            points = bare.moved(transform).positions
            return Places(points[bare.triangles.reshape(-1)] if by_corner else points)

        if self._places is None or self._places[0] != key or len(self._places[1].points) != count:
            if count > AT_ONCE:
                self._held = []
                self.session.background.work_out(lambda: (key, made()), self._ready)
                return False
            self._places = key, made()
        try:
            self._stroke = Stroke(brush, layers[at], self._places[1], chosen)
        except BadValue as error:
            self.session.complain(error)
        return self._stroke is not None

    def _ready(self, places: tuple[tuple[int, bool], Places]) -> None:
        """Catch up with what the hand did meanwhile."""
        self._places = places
        held, self._held = self._held or [], None
        for hit, at, brush, last in held:
            self.stroke_to(hit, at, brush, last=last)

    def _preview(self, thing: StageObject, part: Part, at: int, layer: ColourLayer) -> None:
        """Show the layer on the stage while the hand is down; the next stroke begins from it."""
        model, layers = self.session.models[thing.asset], self.on.layers() or ()
        self._before = self._before or (thing.asset, model)
        held = (*layers[:at], layer, *layers[at + 1 :], *selections(part.layers))
        mesh = part.mesh if part.mesh.triangles.shape != part.bare.triangles.shape else layered(part.bare, [layer])
        shown = replace(part, mesh=mesh, layers=held, under=part.bare)
        parts = tuple(shown if each.name == part.name else each for each in model.parts)
        self.session.models[thing.asset] = replace(model, parts=parts)
        self.shown.emit()

    def _take_back(self) -> None:
        """Show what was there before the last stroke, which could not be kept."""
        if self._kept is not None:
            (asset_id, model), self._kept = self._kept, None
            self.session.models[asset_id] = model
            self.shown.emit()
