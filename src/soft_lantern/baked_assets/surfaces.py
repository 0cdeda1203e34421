"""A look on a part, baked into the textures that glTF 2.0 knows, in the part's own texture coordinates.

What does not change over a part is a factor and no texture. Source: the glTF 2.0 specification, section 3.9, with
KHR_materials_specular, KHR_materials_emissive_strength and KHR_materials_unlit.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
import numpy.typing as npt
from msgspec import Struct, field
from msgspec.structs import replace

from soft_lantern.baked_assets.kept import Kept, kept_textures, read_kept
from soft_lantern.baked_assets.sheets import Sheet
from soft_lantern.graph.lowering import Lowered
from soft_lantern.graph.ramps.images import srgb_of
from soft_lantern.ir.expr import reads
from soft_lantern.ir.inputs import BEHIND, surface_input
from soft_lantern.ir.surface_inputs import CARRIED, at_pixel, read_inputs
from soft_lantern.render.surface_points import Worn, at_places
from soft_lantern.scene.transforms import Camera
from soft_lantern.values.images import Image

Floats = npt.NDArray[np.float32]
EVEN = 0.5 / 255
"""Values that differ by no more than this over a part are one value."""
NAMES = (
    *("base_colour", "alpha", "metallic", "roughness", "normal", "occlusion", "emissive"),
    *("alpha_cutoff", "specular", "specular_colour"),
)
_FRAME = ("carried_normal", "carried_tangent")
"""What the space of a normal's picture comes from."""
_VIEW = {"camera_position", "camera_range", "picture_size", "pixel_place"}
CANNOT = {
    "time": "it changes with time; this is its beginning",
    "depth": "it reads how far what is behind it is",
    "behind": "it reads the colour behind it",
    "view": "it changes with the view; this is the scene's own",
    "offset": "it moves vertices",
    "cut": "it is left out inside of other things",
}
"""What textures cannot hold."""


class Baked(Struct, frozen=True, eq=False):
    """What a part looks like in a look, as glTF has it.

    `maps`: pictures by use, (h, w, 4) of 8 bits; `kept`: textures that go out as they are; `factors`: numbers beside
    them, each a factor of its picture's or the whole value. `cannot`: keys of `CANNOT`. `off`: how far the pictures are
    from the live surface, in steps of 8 bits, on the mean and at most, for each input of the surface.
    """

    maps: dict[str, npt.NDArray[np.uint8]]
    factors: dict[str, tuple[float, ...]]
    kept: dict[str, Kept]
    alpha_mode: str
    double_sided: bool
    unlit: bool
    cannot: tuple[str, ...]
    off: dict[str, tuple[float, float]] = field(default_factory=dict)


def baked(worn: Worn, sheet: Sheet) -> Baked:
    """The look of a part, whose mesh is that of the sheet, in pictures."""
    values = _values(worn, sheet.triangles, sheet.places)
    kept = kept_textures(worn)
    maps, factors = _as_gltf(worn, values, sheet.filled, sheet.size, kept)
    lowered = worn.lowered
    return Baked(
        *(maps, factors, kept, lowered.alpha_mode, lowered.traits.get("double_sided") == "yes", lowered.unlit),
        _cannot(worn),
    )


def read_here(worn: Worn) -> str:
    """A digest of all that the pictures of a look come from beside the look itself and its sheet."""
    return worn.read(list(worn.lowered.surface), _FRAME)


def is_even(lowered: Lowered) -> bool:
    """Whether parts look the same all over: nothing that differs between vertices is read but their own normal."""
    surface = lowered.surface
    others = at_pixel([surface[name] for name in NAMES if name != "normal"])
    return surface["normal"] is surface_input("normal_world") and CARRIED.keys().isdisjoint(read_inputs(others))


def _values(worn: Worn, triangles: npt.NDArray[np.int64], places: npt.NDArray[np.float64]) -> dict[str, Floats]:
    """The surface at places, its normal in the space of the part's tangents, (n, k) each."""
    found = worn.surface(NAMES, triangles, places)
    count = len(triangles)
    values = {name: np.broadcast_to(rows, (count, rows.shape[1])) for name, rows in found.items()}
    handed = {name: worn.carried[name] for name in _FRAME}
    carried = at_places(worn.mesh, handed, triangles, places)
    normal = _unit(carried["carried_normal"])
    tangent = carried["carried_tangent"]
    along = _unit(tangent[:, :3] - normal * np.einsum("ni,ni->n", normal, tangent[:, :3])[:, None])
    across = np.cross(normal, along) * np.where(tangent[:, 3:] < 0, -1.0, 1.0)
    world = values["normal"].astype(np.float64)
    local = np.stack([np.einsum("ni,ni->n", world, axis) for axis in (along, across, normal)], axis=1)
    return {**values, "normal": local.astype(np.float32)}


def _unit(rows: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
    return np.asarray(rows / np.maximum(np.linalg.norm(rows, axis=1, keepdims=True), 1e-20))


def _as_gltf(
    worn: Worn,
    values: dict[str, Floats],
    filled: npt.NDArray[np.int64],
    size: tuple[int, int],
    kept: Mapping[str, Kept],
) -> tuple[dict[str, npt.NDArray[np.uint8]], dict[str, tuple[float, ...]]]:
    maps: dict[str, npt.NDArray[np.uint8]] = {}
    factors: dict[str, tuple[float, ...]] = {}

    def put(use: str, rows: Floats, factor: str, neutral: tuple[float, ...], *, colour: bool = False) -> None:
        """A picture of values from 0 to 1 and a neutral factor, or one factor where they are the same everywhere.

        What is kept has its factors already.
        """
        inside = np.clip(np.nan_to_num(rows), 0, 1)
        if use in kept:
            factors[factor] = kept[use].factor
        elif (np.ptp(inside, axis=0) <= EVEN).all():
            factors[factor] = tuple(map(float, inside.mean(axis=0, dtype=np.float64)))
        else:
            factors[factor] = neutral
            maps[use] = _picture(inside, filled, size, colour=colour)

    base = np.concatenate([values["base_colour"], values["alpha"]], axis=1)
    if worn.lowered.alpha_mode == "opaque":
        base[:, 3] = 1.0
    put("base_colour", base, "base_colour", (1.0, 1.0, 1.0, 1.0), colour=True)
    if worn.lowered.alpha_mode == "mask":
        factors["alpha_cutoff"] = (float(np.mean(values["alpha_cutoff"], dtype=np.float64)),)
    if worn.lowered.unlit:
        return maps, factors
    zero = np.zeros_like(values["roughness"])
    both = np.concatenate([zero, values["roughness"], values["metallic"]], axis=1)
    put("metallic_roughness", both, "metallic_roughness", (0.0, 1.0, 1.0))
    if "normal" not in kept and np.abs(values["normal"] - (0.0, 0.0, 1.0)).max(initial=0.0) > 2 * EVEN:
        maps["normal"] = _picture(np.clip(values["normal"] * 0.5 + 0.5, 0, 1), filled, size)
    if "occlusion" not in kept and np.abs(values["occlusion"] - 1).max(initial=0.0) > EVEN:
        maps["occlusion"] = _picture(np.repeat(np.clip(values["occlusion"], 0, 1), 3, axis=1), filled, size)
    emissive = np.maximum(np.nan_to_num(values["emissive"]), 0)
    strongest = float(emissive.max(initial=0.0))
    if "emissive" in kept:
        factor = kept["emissive"].factor
        strength = max(*factor, 1.0)
        factors |= {"emissive_strength": (strength,), "emissive": tuple(part / strength for part in factor)}
    elif strongest > 0:
        strength = max(strongest, 1.0)
        factors["emissive_strength"] = (strength,)
        put("emissive", (emissive / strength).astype(np.float32), "emissive", (1.0, 1.0, 1.0), colour=True)
    if np.abs(values["specular"] - 1).max(initial=0.0) > EVEN:
        alpha = np.concatenate([np.ones((len(zero), 3), np.float32), np.clip(values["specular"], 0, 1)], axis=1)
        put("specular", alpha, "specular", (1.0, 1.0, 1.0, 1.0))
    if np.abs(values["specular_colour"] - 1).max(initial=0.0) > EVEN:
        put("specular_colour", values["specular_colour"], "specular_colour", (1.0, 1.0, 1.0), colour=True)
    return maps, factors


def _picture(
    rows: Floats, filled: npt.NDArray[np.int64], size: tuple[int, int], *, colour: bool = False
) -> npt.NDArray[np.uint8]:
    """A picture of 8 bits, each texel that no triangle has holding the nearest one's."""
    linear = rows.astype(np.float64)
    parts = [srgb_of(linear[:, :3]) if colour else linear[:, :3]]
    parts.append(linear[:, 3:4] if linear.shape[1] == 4 else np.ones((len(rows), 1)))
    texels = np.rint(np.concatenate(parts, axis=1) * 255).astype(np.uint8)
    return texels[filled].reshape(size[1], size[0], 4)


def _cannot(worn: Worn) -> tuple[str, ...]:
    lowered = worn.lowered
    whole = at_pixel(list(lowered.surface.values()))
    read = set(read_inputs(whole))
    found = {"depth"} if "scene_depth" in read else set()
    if reads(whole, BEHIND):
        found.add("behind")
    if "time" in read or (lowered.offset is not None and "time" in read_inputs([lowered.offset])):
        found.add("time")
    if read & _VIEW:
        found.add("view")
    if lowered.offset is not None:
        found.add("offset")
    if lowered.traits.get("hidden_in", "").strip():
        found.add("cut")
    return tuple(key for key in CANNOT if key in found)


def measured(
    worn: Worn, made: Baked, sheet: Sheet, cameras: Sequence[Camera], points: int = 500, seed: int = 1
) -> Baked:
    """The same with how far its pictures are from the live surface, at points by chance seen by some cameras."""
    mesh = worn.mesh
    if not len(mesh.triangles):
        return made
    chance = np.random.default_rng(seed)
    a, b, c = (worn.carried["position_world"][mesh.triangles[:, i]] for i in range(3))
    area = np.linalg.norm(np.cross(b - a, c - a), axis=1)
    share = area / area.sum() if area.sum() > 0 else None
    triangles = chance.choice(len(mesh.triangles), points, p=share)
    places = chance.dirichlet((1.0, 1.0, 1.0), points)[:, 1:]
    coordinates = {"pictures": sheet.uvs, "uv": mesh.uvs, "uv1": mesh.uv1s}
    wide = {name: rows.astype(np.float64) for name, rows in coordinates.items()}
    uv, *sets = (rows.T.astype(np.float32) for rows in at_places(mesh, wide, triangles, places).values())
    held = _read(made, uv, sets)
    off: dict[str, list[Floats]] = {name: [] for name in held}
    for camera in cameras if "view" in made.cannot else cameras[:1]:
        live = _values(replace(worn, camera=camera), triangles, places)
        for name, rows in held.items():
            wanted = np.clip(np.nan_to_num(live[name]), -1 if name == "normal" else 0, None)
            largest = made.factors.get("emissive_strength", (1.0,))[0] if name == "emissive" else 1.0
            steps = np.abs(rows - np.minimum(wanted, max(largest, 1.0))) / largest * 255
            off[name].append(steps.max(axis=1))
    told = {name: np.concatenate(rows) for name, rows in off.items()}
    return replace(made, off={name: (float(rows.mean()), float(rows.max())) for name, rows in told.items()})


def _read(made: Baked, uv: Floats, sets: Sequence[Floats]) -> dict[str, Floats]:
    """What a reader of the file comes to at coordinates of its pictures and of the mesh, (2, n) each."""
    count = uv.shape[1]

    def of(use: str, factor: str, neutral: tuple[float, ...], *, colour: bool = False) -> Floats:
        base = np.array(made.factors.get(factor, neutral), np.float32)
        if use in made.kept:
            texels = read_kept(made.kept[use], sets[made.kept[use].coordinates])
            return np.asarray(texels[:, : len(base)] * base, np.float32)
        if use not in made.maps:
            return np.broadcast_to(base, (count, len(base)))
        texels = Image(made.maps[use], "colour" if colour else "data", wrap="clamp").read(uv).T
        return np.asarray(texels[:, : len(base)] * base, np.float32)

    base = of("base_colour", "base_colour", (1.0, 1.0, 1.0, 1.0), colour=True)
    found = {"base_colour": base[:, :3]}
    if made.alpha_mode != "opaque":
        found["alpha"] = base[:, 3:]
    if made.unlit:
        return found
    both = of("metallic_roughness", "metallic_roughness", (0.0, 1.0, 1.0))
    found |= {"roughness": both[:, 1:2], "metallic": both[:, 2:3]}
    bent = "normal" in made.maps or "normal" in made.kept
    normal = of("normal", "", (1.0, 1.0, 1.0)) * 2 - 1 if bent else np.tile([[0, 0, 1]], (count, 1))
    if "normal" in made.kept:
        normal = normal * (*made.kept["normal"].factor * 2, 1.0)
    found["normal"] = np.asarray(normal / np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-9), np.float32)
    found["occlusion"] = of("occlusion", "", (1.0,))
    strength = made.factors.get("emissive_strength", (0.0,))[0]
    found["emissive"] = of("emissive", "emissive", (0.0, 0.0, 0.0), colour=True) * strength
    specular = of("specular", "specular", (1.0, 1.0, 1.0, 1.0))
    found["specular"] = specular[:, 3:] if specular.shape[1] == 4 else specular
    found["specular_colour"] = of("specular_colour", "specular_colour", (1.0, 1.0, 1.0), colour=True)
    return found
