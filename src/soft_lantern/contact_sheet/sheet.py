"""Contact sheets: looks × assets × skies as one picture or PDF with captions."""

from __future__ import annotations

import functools
import itertools
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
import numpy.typing as npt
from msgspec import Struct

from soft_lantern.errors import BadFile, BadValue
from soft_lantern.formats.places import whole
from soft_lantern.graph.document import Asset, Environment, Project, Scene, StageObject, View, changed
from soft_lantern.progress import Progress, silent
from soft_lantern.render.frame import Frame, Picture, Renderer
from soft_lantern.render.staging import LoweredMaterials, StageOptions, frame_of, scene_bounds
from soft_lantern.scene.mesh import Model
from soft_lantern.scene.skies import SKIES
from soft_lantern.scene.transforms import camera_for, view_of_bounds
from soft_lantern.values.images import Image

if TYPE_CHECKING:
    from PIL import Image as Pillow
    from PIL import ImageFont

SAMPLES = 4
GAP, CAPTION = 12, 34
PAPER, INK, QUIET = (32, 32, 42), (239, 230, 210), (165, 158, 144)
MOST = 4000
"""Pictures on one sheet."""
ENDINGS = (".png", ".pdf")
OPTIONS = StageOptions(floor=False, grid=False, gauge=False)


class Cell(Struct, frozen=True):
    """One picture of a sheet: a look on an asset under a sky, and what stands under it."""

    look: str
    asset: str
    sky: str
    caption: tuple[str, str]


def cells(project: Project, looks: Sequence[str], assets: Sequence[str], skies: Sequence[str]) -> list[Cell]:
    """Every look, by its id, on every asset under every sky: a row of the sheet for each look.

    Raises BadValue where there are none, or too many for one sheet.
    """
    found = []
    for look, asset, sky in itertools.product(looks, assets, skies):
        named = project.instances.get(look) or project.materials[look]
        shown = project.textures[sky].name if sky in project.textures else sky
        found.append(Cell(look, asset, sky, (named.name, f"{project.assets[asset].name}, {shown}")))
    if not 0 < len(found) <= MOST:
        raise BadValue(f"a contact sheet holds 1 to {MOST} pictures, not {len(found)}")
    return found


def frame_maker(
    project: Project,
    cell: Cell,
    models: Mapping[str, Model],
    size: tuple[int, int],
    lowered_materials: LoweredMaterials,
    images: Mapping[str, Image],
    view: View | None = None,
) -> Callable[[], Frame]:
    """What makes the frame of a cell: the asset alone, turned as in `view` and filling the picture."""
    thing = StageObject(id="object", name=cell.caption[0], asset=cell.asset, wears={"": cell.look})
    return alone(project, thing, cell.sky, models, size, lowered_materials, images, view)


def alone(
    project: Project,
    thing: StageObject,
    sky: str,
    models: Mapping[str, Model],
    size: tuple[int, int],
    lowered_materials: LoweredMaterials,
    images: Mapping[str, Image],
    view: View | None = None,
) -> Callable[[], Frame]:
    """What makes the frame of an object alone under a sky, turned as in `view` and filling the picture."""
    scene = Scene(id="sheet", name="sheet", objects=(thing,), environment=Environment(sky=sky))

    def make() -> Frame:
        seen = view_of_bounds(*scene_bounds(scene, models), view or View())
        return frame_of(
            project,
            scene,
            models,
            camera_for(seen, size),
            size,
            OPTIONS,
            lowered_materials,
            samples=SAMPLES,
            images=images,
        )

    return make


def draw(
    project: Project,
    listed: Sequence[Cell],
    models: Mapping[str, Model],
    images: Mapping[str, Image],
    size: tuple[int, int],
    renderer: Renderer,
    progress: Progress = silent,
) -> list[Picture]:
    """The pictures of all cells, in order. Raises Cancelled between two."""
    looks, found = LoweredMaterials(), []
    for number, cell in enumerate(listed):
        progress(number / len(listed), f"Drawing {cell.caption[0]}, {number + 1} of {len(listed)}")
        found.append(renderer.render(frame_maker(project, cell, models, size, looks, images)()))
    return found


def laid_out(
    listed: Sequence[Cell], pictures: Sequence[npt.NDArray[np.uint8]], columns: int, title: str
) -> Pillow.Image:
    """The sheet: pictures in rows of so many, each over its two lines, under a title."""
    height, width = pictures[0].shape[:2]
    rows = -(-len(listed) // columns)
    from PIL import Image as Pillow  # slow to import, and only wanted here
    from PIL import ImageDraw

    sheet = Pillow.new("RGB", (GAP + columns * (width + GAP), 44 + rows * (height + CAPTION + GAP)), PAPER)
    pen = ImageDraw.Draw(sheet)
    pen.text((GAP, 12), title, INK, _font(18))
    for number, (cell, picture) in enumerate(zip(listed, pictures, strict=True)):
        x, y = GAP + number % columns * (width + GAP), 44 + number // columns * (height + CAPTION + GAP)
        sheet.paste(Pillow.fromarray(np.ascontiguousarray(picture[..., :3])), (x, y))
        for line, colour in ((0, INK), (1, QUIET)):
            pen.text((x, y + height + 2 + line * 15), _fitting(cell.caption[line], width), colour, _font(12))
    return sheet


def columns_for(assets: int, skies: int, count: int) -> int:
    """A row for each look where a look has several pictures, else a sheet about as wide as high."""
    each = assets * skies
    return each if each > 1 else max(round(count**0.5), 1)


def write(sheet: Pillow.Image, path: Path) -> None:
    """Save a sheet as PNG or PDF, by the file's ending. Raises BadFile."""
    if path.suffix.lower() not in ENDINGS:
        raise BadFile(f"{path.name}: a contact sheet is written as {' or '.join(ENDINGS)}")
    with whole(path) as draft:
        sheet.save(draft, path.suffix[1:].upper(), resolution=144.0)


def named_asset(project: Project, name: str, primitives: Sequence[str]) -> tuple[Project, str]:
    """The id of an asset by its id or name, or of a primitive, which the project then holds. Raises BadValue."""
    found = [a.id for a in project.assets.values() if name in (a.id, a.name)]
    if found:
        return project, found[0]
    if name not in primitives:
        raise BadValue(f"the project has no asset “{name}”; it has {', '.join([*project.assets, *primitives])}")
    made = Asset(id=name, name=name.capitalize(), primitive=name, subdivision=64)  # type: ignore[arg-type]
    return changed(project, assets={**project.assets, name: made}), name


def named_sky(project: Project, name: str) -> str:
    """An own sky by its name, or a panorama by its texture's id or name. Raises BadValue."""
    if name in SKIES:
        return name
    found = [t.id for t in project.textures.values() if name in (t.id, t.name)]
    if not found:
        raise BadValue(f"there is no sky “{name}”, only {', '.join(SKIES)} and the project’s textures")
    return found[0]


@functools.cache
def _font(size: int) -> ImageFont.FreeTypeFont | ImageFont.ImageFont:
    from PIL import ImageFont

    return ImageFont.load_default(size)


def _fitting(text: str, width: int) -> str:
    """The text, shortened to a width in pixels."""
    font = _font(12)
    if font.getlength(text) <= width:
        return text
    while text and font.getlength(text + "…") > width:
        text = text[:-1]
    return text + "…"
