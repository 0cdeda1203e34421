"""Ways out where a fill cannot be held by a mesh's vertices: show where, a finer mesh, or a texture instead."""

from __future__ import annotations

from msgspec import Struct

from soft_lantern.app.desks.dress.choosing import Choosing
from soft_lantern.app.desks.dress.coarse_bar import CoarseBar
from soft_lantern.app.desks.dress.filling import Fill, Filling
from soft_lantern.bake.vertex_maps import BakedMap, map_of
from soft_lantern.formats.assets import finer_copy
from soft_lantern.formats.images import new_texture
from soft_lantern.graph.document import Asset, Texture, changed, edited_record, with_records
from soft_lantern.scene.coarse import Missed
from soft_lantern.values.images import Image

SIDE = 1024
"""Texels across a texture that is baked instead."""


class _Told(Struct, frozen=True):
    fill: Fill
    missed: Missed


class Coarse:
    """Says what the last fill missed, and does something about it when asked."""

    def __init__(self, filling: Filling, choosing: Choosing, bar: CoarseBar) -> None:
        self.session, self.on = filling.session, filling.on
        self.filling, self.choosing, self.bar = filling, choosing, bar
        self._last: _Told | None = None
        filling.filled = self.take
        bar.where_wanted.connect(lambda: self.show_where())
        bar.finer_wanted.connect(lambda: self.refine())
        bar.map_wanted.connect(lambda: self.to_texture())

    def take(self, fill: Fill, missed: Missed | None) -> None:
        """What a fill missed, where it was measured."""
        bad = missed is not None and missed.too_coarse
        self._last = _Told(fill, missed) if missed is not None and bad else None
        self.bar.show_missed(*((missed.most, missed.span) if missed is not None and bad else (0.0, 0.0)))

    def forget(self) -> None:
        """Another part is painted: say nothing of the last."""
        if self._last and self._last.fill.key != self.on.key():
            self._last = None
            self.bar.show_missed(0.0, 0.0)

    def show_where(self) -> None:
        """Select the vertices between which too much is missed."""
        if self._last:
            where = self._last.missed.where
            self.choosing.choose(lambda place, before: where if len(where) == len(before) else before)

    def refine(self) -> None:
        """Give the part a finer mesh, and fill again."""
        thing, last = self.on.thing(), self._last
        asset = self.session.project.assets.get(thing.asset) if thing else None
        if asset is None or last is None:
            return
        folder = self.session.folder

        def take(finer: Asset) -> None:
            fields = {"subdivision": finer.subdivision, "file": finer.file, "refine": finer.refine}

            def edit(now: Asset) -> Asset:
                return changed(now, **fields)

            self.session.apply(
                f"Finer mesh of {asset.name}", lambda project: edited_record(project, "assets", asset.id, edit)
            )
            self.session.models_changed.emit()
            self.filling.again(last.fill)

        self.session.beside("A finer mesh", lambda _: finer_copy(asset, folder), take, self.session.background.submit)

    def to_texture(self) -> None:
        """Bake what was filled to a texture by the mesh's own coordinates."""
        part, last = self.on.part(), self._last
        if part is None or last is None:
            return
        mesh, folder, values, name = part.bare, self.session.folder, last.fill.values, f"{part.name} {last.fill.name}"

        def work() -> tuple[BakedMap, Texture, Image]:
            made = map_of(values, mesh, SIDE)
            return (made, *new_texture(made.pixels, name, folder))

        def take(found: tuple[BakedMap, Texture, Image]) -> None:
            made, texture, image = found
            self.session.files.hold_image(texture, image)
            self.session.apply(f"Bake {texture.name}", lambda project: with_records(project, texture))
            self.session.models_changed.emit()
            twice = f"; {made.doubled:,} texels lie under two places of the mesh" if made.doubled else ""
            self.session.told.emit(f"{texture.name} is a texture now, {SIDE} × {SIDE}, {made.used:.0%} in use{twice}")

        self.session.beside("Baking to a texture", lambda _: work(), take, self.session.background.submit)
