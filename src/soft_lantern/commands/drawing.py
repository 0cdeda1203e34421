"""Pictures of a project: of a scene, of one object, and sheets of many looks."""

from __future__ import annotations

import sys
from collections.abc import Sequence
from pathlib import Path

from soft_lantern.commands.arguments import material_and_values, named, size_of
from soft_lantern.commands.progress_bar import progress_bar
from soft_lantern.contact_sheet import sheet as contact
from soft_lantern.contact_sheet.cores import draw_on_all_cores
from soft_lantern.errors import BadValue
from soft_lantern.formats.assets import load_models
from soft_lantern.formats.images import load_images, write_exr, write_png
from soft_lantern.formats.light_files import load_light
from soft_lantern.formats.project_folder import open_project
from soft_lantern.graph.document import Asset, Instance, Material, Project, Scene, StageObject, View, changed
from soft_lantern.graph.notice import Severity
from soft_lantern.render.baked import ShownLight
from soft_lantern.render.choose import BACKENDS, renderer_for
from soft_lantern.render.staging import LoweredMaterials, StageOptions, frame_of, scene_bounds
from soft_lantern.scene.primitives import PRIMITIVES
from soft_lantern.scene.transforms import camera_for, view_of_bounds


def render(
    project: Path,
    output: Path,
    scene: str,
    object_: str,
    material: str,
    instance: str,
    time: float,
    size: str,
    backend: str,
) -> None:
    """Draw a scene, or one object in a material, into a PNG file, or its linear light into an OpenEXR file."""
    document = open_project(project).project
    pixels = size_of(size)
    _check_backend(backend)
    if bool(scene) == bool(object_):
        raise BadValue("say either --scene NAME or --object ASSET --material M")
    if scene:
        shown = named(document.scenes.values(), scene, "scene")
        options = StageOptions()
    else:
        document, shown = _single_object(document, object_, material, instance)
        options = StageOptions(floor=False, grid=False)
    models, notices = load_models(document, project)
    images, _ = load_images(document, project)
    for notice in notices:
        if notice.severity is Severity.ERROR and any(o.asset == notice.place for o in shown.objects):
            raise BadValue(notice.text)
    view = shown.view if scene else view_of_bounds(*scene_bounds(shown, models), View())
    camera = camera_for(view, pixels)
    looks, light = LoweredMaterials(), None
    if scene and shown.baked.file:
        kept = ShownLight(load_light(project, shown))
        light = kept.now(document, shown, models, images, looks)
    frame = frame_of(document, shown, models, camera, pixels, options, looks, time, 4, images, light)
    renderer, remark = renderer_for(backend or None)
    if remark:
        print(remark, file=sys.stderr)
    picture = renderer.render(frame)
    if output.suffix.lower() == ".exr":
        write_exr(picture.linear, output)
    else:
        write_png(picture.pixels, output)


def sheet(
    project: Path,
    output: Path,
    instance: Sequence[str],
    asset: Sequence[str],
    sky: Sequence[str],
    size: str,
    backend: str,
) -> None:
    """Draw instances × assets × skies into one PNG or PDF with captions."""
    document = open_project(project).project
    pixels = size_of(size)
    known: list[Instance | Material] = [*document.instances.values(), *document.materials.values()]
    looks = [named(known, name, "instance").id for name in instance]
    looks = looks or [i.id for i in sorted(document.instances.values(), key=lambda i: i.name.lower())]
    assets = []
    for name in asset or ["sphere"]:
        document, found = contact.named_asset(document, name, PRIMITIVES)
        assets.append(found)
    skies = [contact.named_sky(document, name) for name in sky or ["studio soft"]]
    listed = contact.cells(document, looks, assets, skies)
    if output.suffix.lower() not in contact.ENDINGS:
        raise BadValue(f"{output.name}: a contact sheet is written as {' or '.join(contact.ENDINGS)}")
    models, notices = load_models(document, project)
    images, _ = load_images(document, project)
    for notice in notices:
        if notice.severity is Severity.ERROR and notice.place in assets:
            raise BadValue(notice.text)
    _check_backend(backend)
    with progress_bar() as moved:
        pictures = draw_on_all_cores(document, listed, models, images, pixels, backend or None, moved)
    columns = contact.columns_for(len(assets), len(skies), len(listed))
    contact.write(contact.laid_out(listed, pictures, columns, document.name), output)


def _check_backend(backend: str) -> None:
    if backend not in ("", *BACKENDS):
        raise BadValue(f"there is no backend “{backend}”, only {' and '.join(BACKENDS)}")


def _single_object(document: Project, asset: str, material: str, instance: str) -> tuple[Project, Scene]:
    if not material:
        raise BadValue("--object needs --material")
    found, _ = material_and_values(document, material, instance)
    worn = named(document.instances.values(), instance, "instance").id if instance else found.id
    if asset in PRIMITIVES and asset not in document.assets:
        made = Asset(id=asset, name=asset, primitive=asset, subdivision=64)  # type: ignore[arg-type]
        document = changed(document, assets={**document.assets, made.id: made})
    chosen = named(document.assets.values(), asset, "asset")
    thing = StageObject(id="object", name=chosen.name, asset=chosen.id, wears={"": worn})
    return document, Scene(id="single", name="single", objects=(thing,))
