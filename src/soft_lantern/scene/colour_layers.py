"""Colour layers: colours and masks held by a mesh's vertices, or by the corners of its faces.

A corner is one of the three of a triangle: corner 3·t + i is `mesh.triangles[t, i]`. Values are linear RGBA, as glTF
2.0 keeps them in COLOR_n (section 3.7.2.1), in the precision a file can hold them in.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt
from msgspec import Struct
from msgspec.structs import replace

from soft_lantern.errors import BadValue
from soft_lantern.scene.mesh import ColourLayer, Domain, Floats, Mesh, Precision, split_by_corner

STEPS: dict[Precision, int] = {"8 bit": 255, "16 bit": 65535}
"""The largest whole number of each precision that is normalised, which stands for 1."""


class Loss(Struct, frozen=True):
    """What a conversion loses over all corners and channels: the largest and the mean difference."""

    largest: float
    mean: float


def places(mesh: Mesh, domain: Domain) -> int:
    """How many values a layer of a domain has on a mesh."""
    return len(mesh.positions) if domain == "vertex" else mesh.triangles.size


def white(mesh: Mesh, name: str = "Colour") -> ColourLayer:
    """A layer that changes nothing where it is multiplied."""
    return ColourLayer(name, np.ones((len(mesh.positions), 4), np.float32))


def own_layers(mesh: Mesh) -> tuple[ColourLayer, ...]:
    """The layer that a mesh's file brought, if it brought one; exact."""
    return (ColourLayer("Colour", mesh.colours, precision="float"),) if mesh.has_colours else ()


def drawn(layers: Sequence[ColourLayer]) -> tuple[ColourLayer, ...]:
    """The layers that hold colours or data, in their order."""
    return tuple(layer for layer in layers if layer.use != "selection")


def selections(layers: Sequence[ColourLayer]) -> tuple[ColourLayer, ...]:
    """The layers that keep which vertices were selected, in their order."""
    return tuple(layer for layer in layers if layer.use == "selection")


def kept_selection(name: str, chosen: npt.NDArray[np.bool_]) -> ColourLayer:
    """A layer that keeps which vertices are selected, (n,)."""
    return ColourLayer(name, np.repeat(chosen.astype(np.float32)[:, None], 4, axis=1), use="selection")


def in_precision(values: Floats, precision: Precision) -> Floats:
    """Values as a precision holds them: whole steps from 0 to 1, or floats. Raises BadValue where one is not finite."""
    if not np.isfinite(values).all():
        raise BadValue("a colour layer holds finite numbers alone")
    if precision == "float":
        return np.ascontiguousarray(values, np.float32)
    steps = STEPS[precision]
    whole = np.floor(np.clip(values, 0.0, 1.0).astype(np.float64) * steps + 0.5)
    return np.asarray(whole.astype(np.float32) / np.float32(steps), np.float32)


def at_corners(layer: ColourLayer, mesh: Mesh) -> Floats:
    """A layer's values at every corner, (3·m, 4). Raises BadValue where it does not fit the mesh."""
    check(layer, mesh)
    return layer.values if layer.domain == "corner" else layer.values[mesh.triangles.reshape(-1)]


def converted(
    layer: ColourLayer, mesh: Mesh, domain: Domain | None = None, precision: Precision | None = None
) -> tuple[ColourLayer, Loss]:
    """The layer in another domain and precision, and what that loses of it.

    A vertex gets the mean of its corners; one that no face has stays white. To corners nothing is lost.
    """
    domain, precision = domain or layer.domain, precision or layer.precision
    before = at_corners(layer, mesh)
    if domain == layer.domain:
        values = layer.values
    elif domain == "corner":
        values = before
    else:
        owners, count = mesh.triangles.reshape(-1), len(mesh.positions)
        total = np.stack([np.bincount(owners, before[:, channel], count) for channel in range(4)], axis=1)
        corners = np.bincount(owners, minlength=count)[:, None]
        values = np.where(corners > 0, total / np.maximum(corners, 1), 1.0).astype(np.float32)
    made = replace(layer, values=in_precision(values, precision), domain=domain, precision=precision)
    apart = np.abs(at_corners(made, mesh).astype(np.float64) - before)
    return made, Loss(float(apart.max(initial=0.0)), float(apart.mean()) if apart.size else 0.0)


def layered(mesh: Mesh, layers: Sequence[ColourLayer]) -> Mesh:
    """The mesh as it is drawn: the first layer as its colours, white without one. Raises BadValue."""
    if not layers:
        return replace(mesh, colours=np.ones((len(mesh.positions), 4), np.float32), has_colours=False)
    drawn, (colours,) = by_vertex(mesh, layers[:1])
    return drawn.recoloured(colours)


def by_vertex(mesh: Mesh, layers: Sequence[ColourLayer]) -> tuple[Mesh, list[Floats]]:
    """A mesh each of whose vertices has one value of every layer, and those values, (n, 4) each.

    Where corners of one vertex hold different values the vertex is split, so that each keeps its own. Raises BadValue.
    """
    for layer in layers:
        check(layer, mesh)
    if all(layer.domain == "vertex" for layer in layers):
        return mesh, [layer.values for layer in layers]
    of_corners = [layer.values for layer in layers if layer.domain == "corner"]
    split, rows, first = split_by_corner(mesh, np.column_stack(of_corners))
    return split, [layer.values[rows if layer.domain == "vertex" else first] for layer in layers]


def check(layer: ColourLayer, mesh: Mesh) -> None:
    """Raises BadValue where a layer does not have a value for each vertex or corner of a mesh."""
    wanted = places(mesh, layer.domain)
    if layer.values.shape != (wanted, 4):
        what = "vertices" if layer.domain == "vertex" else "corners"
        raise BadValue(f"{layer.name} has {len(layer.values):,} values, and the mesh {wanted:,} {what}")
