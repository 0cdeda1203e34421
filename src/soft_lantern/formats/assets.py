"""Assets of a project: reading their models, and bringing a file into the project folder."""

from __future__ import annotations

import os
import shutil
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path

import numpy as np
from msgspec import Struct, field
from msgspec.structs import replace

from soft_lantern.errors import BadFile
from soft_lantern.formats.glb import attribute_names, write_glb
from soft_lantern.formats.gltf import Document, files_beside, read_file, read_gltf
from soft_lantern.formats.gltf_surfaces import Surfaces, surfaces_of
from soft_lantern.formats.layer_files import Painted, read_layers, write_layers
from soft_lantern.formats.obj import read_obj
from soft_lantern.formats.places import check_plain, file_inside, new_file
from soft_lantern.formats.project_folder import LAYER_FOLDER, MESH_FOLDER
from soft_lantern.graph.document import Asset, Project, changed, new_id
from soft_lantern.graph.notice import Notice, Severity
from soft_lantern.ir.glsl_words import as_identifier
from soft_lantern.limits import MESH_BYTES
from soft_lantern.progress import Progress, silent
from soft_lantern.scene.carrying import carried
from soft_lantern.scene.colour_layers import drawn, layered, own_layers
from soft_lantern.scene.mesh import ColourLayer, Mesh, Model
from soft_lantern.scene.primitives import FINEST, primitive
from soft_lantern.scene.refine import refined
from soft_lantern.values.words import counted

Layers = tuple[ColourLayer, ...]
READABLE = (".gltf", ".glb", ".obj")


def load_model(asset: Asset, folder: Path | None) -> Model:
    """The model of an asset of the project in `folder`, with its colour layers.

    Raises BadFile with what is wrong and where. Layers that cannot be read, or do not fit, are left out with a remark.
    """
    return _for_stage(painted(bare_model(asset, folder), asset, folder), asset)


def bare_model(asset: Asset, folder: Path | None) -> Model:
    """The model as its file or primitive has it: what colour layers are painted onto. Raises BadFile."""
    if asset.primitive:
        return primitive(asset.primitive, asset.subdivision)
    if folder is None:
        raise BadFile(f"{asset.name} has no file")
    return read_model(file_inside(folder, asset.file, asset.name))


def painted(model: Model, asset: Asset, folder: Path | None) -> Model:
    """A bare model with the colour layers of its asset, carried over where its mesh is another than was painted."""
    if not asset.layers or folder is None:
        return model
    try:
        held = read_layers(file_inside(folder, asset.layers, asset.name))
    except BadFile as error:
        words = f"{asset.name} is shown without its colour layers: {error}"
        return replace(model, remarks=(*model.remarks, words))
    return _laid_on(model, held, asset.name)


def _laid_on(model: Model, held: Painted, name: str) -> Model:
    """A bare model under layers, with a remark for each part that is no longer what was painted."""
    remarks, parts = list(model.remarks), []
    for part in model.parts:
        if part.name not in held:
            parts.append(part)
            continue
        stood, layers = held[part.name][0], tuple(held[part.name][1])
        if not _as_painted(stood, part.mesh, layers):
            found = [carried(layer, stood, part.mesh) for layer in layers]
            layers, far = tuple(layer for layer, _ in found), max(away for _, away in found)
            remarks.append(f"{part.name} has changed: its colours come from the nearest points, up to {far:.3g} m away")
        shown = layered(part.mesh, drawn(layers)) if drawn(layers) else part.mesh
        parts.append(replace(part, mesh=shown, layers=layers, under=part.mesh))
    gone = held.keys() - {part.name for part in parts}
    remarks += [f"{each} is gone from {name}; the colours painted onto it are kept" for each in sorted(gone)]
    return replace(model, parts=tuple(parts), remarks=tuple(remarks))


def _for_stage(model: Model, asset: Asset) -> Model:
    """A model as fine as the stage shows it."""
    return refined(model, asset.refine) if asset.refine and not asset.primitive else model


def write_painted(asset: Asset, folder: Path, target: Path) -> list[str]:
    """Write an asset with its colour layers as one .glb file; what each attribute of a layer is called, part by part.

    Its positions, normals, coordinates and colours alone; materials stay behind. Raises BadFile.
    """
    bare = bare_model(asset, folder)
    shown = painted(bare, asset, folder)
    parts = [replace(part, layers=drawn(each.layers)) for part, each in zip(bare.parts, shown.parts, strict=True)]
    write_glb(target, parts)
    return [f"{part.name}: {name}" for part in parts for name in attribute_names(part.layers)]


def finer_copy(asset: Asset, folder: Path) -> Asset:
    """An asset whose triangles are each cut in four: more of a primitive, or a file of their own beside the one it had.

    Its colour layers are carried over. Raises BadFile.
    """
    if asset.primitive:
        return changed(asset, subdivision=min(asset.subdivision * 2, FINEST))
    bare = refined(bare_model(asset, folder), 1)
    parts = [replace(part, layers=(), surface=None) for part in bare.parts]
    home = folder / MESH_FOLDER / as_identifier(f"{asset.name} finer", _names_in(folder / MESH_FOLDER), "mesh")
    file = new_file(home, "mesh", ".glb", lambda draft: write_glb(draft, parts))
    return changed(asset, file=file.relative_to(folder).as_posix(), refine=0)


def _as_painted(stood: Mesh, mesh: Mesh, layers: Layers) -> bool:
    """Whether a mesh is the one that was painted, as far as the layers' domains tell."""
    shared = all(layer.domain == "corner" for layer in layers) or np.array_equal(stood.positions, mesh.positions)
    return shared and np.array_equal(stood.positions[stood.triangles], mesh.positions[mesh.triangles])


LayerEdit = Callable[[Mesh, Layers], Sequence[ColourLayer]]
"""Gets the bare mesh of a part and the layers there are: those painted, or the one its file brought."""


def repainted(asset: Asset, folder: Path, part: str, edit: LayerEdit) -> tuple[Asset, Model]:
    """The asset and its model after an edit of the colour layers of one part; as `repainted_parts`."""
    return repainted_parts(asset, folder, {part: edit})


def repainted_parts(asset: Asset, folder: Path, edits: Mapping[str, LayerEdit]) -> tuple[Asset, Model]:
    """The asset and its model after edits of the colour layers of some parts, written into a file of their own.

    The old file stays, so that it can be undone. Raises BadFile, and what the edits raise.
    """
    bare = bare_model(asset, folder)
    file = file_inside(folder, asset.layers, asset.name) if asset.layers else None
    held: dict[str, tuple[Mesh, Sequence[ColourLayer]]] = dict(read_layers(file)) if file and file.exists() else {}
    for each, under in zip(_laid_on(bare, held, asset.name).parts, bare.parts, strict=True):
        held[each.name] = under.mesh, each.layers
    for part, edit in edits.items():
        if part not in {each.name for each in bare.parts}:
            raise BadFile(f"{asset.name} has no part “{part}”")
        mesh, layers = held[part]
        own = () if drawn(layers) else own_layers(mesh)
        held[part] = mesh, tuple(edit(mesh, (*own, *layers)))
    held = {name: each for name, each in held.items() if each[1]}
    stem, name = as_identifier(asset.name, (), "mesh")[:60], ""
    if held:
        written = new_file(folder / LAYER_FOLDER, stem, ".glb", lambda draft: write_layers(draft, held))
        name = written.relative_to(folder).as_posix()
    after = changed(asset, layers=name)
    return after, _for_stage(_laid_on(bare, held, asset.name), after)


def read_model(path: Path) -> Model:
    """The model in a mesh file. Raises BadFile where it is missing, damaged or of a kind that is not read."""
    if not path.exists():
        raise BadFile(f"the mesh file {path} is missing")
    check_plain(path, MESH_BYTES)
    suffix = path.suffix.lower()
    if suffix in (".gltf", ".glb"):
        return read_gltf(path)
    if suffix == ".obj":
        return read_obj(path)
    raise BadFile(f"{path.name}: only {', '.join(READABLE)} can be read")


def load_models(project: Project, folder: Path | None) -> tuple[dict[str, Model], list[Notice]]:
    """Every asset's model that can be read, by asset id, and a notice for each that cannot or not wholly."""
    models: dict[str, Model] = {}
    notices = []
    for asset in project.assets.values():
        try:
            models[asset.id] = load_model(asset, folder)
        except BadFile as error:
            notices.append(Notice(Severity.ERROR, "mesh", str(error), asset.id))
            continue
        notices += [Notice(Severity.INFO, "mesh", remark, asset.id) for remark in models[asset.id].remarks]
    return models, notices


class Imported(Struct, frozen=True):
    """A mesh file brought into a project, with what its materials became, and what each of its parts wears."""

    asset: Asset
    model: Model
    surfaces: Surfaces = field(default_factory=Surfaces)

    @property
    def wears(self) -> dict[str, str]:
        """Looks by the names of parts, "" for all others; empty where the file has no materials."""
        worn = {p.name: self.surfaces.worn[p.surface] for p in self.model.parts if p.surface in self.surfaces.worn}
        looks = set(worn.values())
        return {"": looks.pop()} if len(looks) == 1 and len(worn) == len(self.model.parts) else worn

    @property
    def words(self) -> str:
        """What came of it, for people."""
        triangles = sum(len(p.mesh.triangles) for p in self.model.parts)
        text = f"{self.asset.name}: {counted(len(self.model.parts), 'part')}, {counted(triangles, 'triangle')}"
        surfaces = len(self.surfaces.instances)
        return f"{text}, {counted(surfaces, 'surface')} as instances to tune" if surfaces else text

    def into(self, project: Project) -> Project:
        """The project with the asset, its textures, materials and instances."""
        return changed(
            project,
            assets={**project.assets, self.asset.id: self.asset},
            textures={**project.textures, **{t.id: t for t in self.surfaces.textures}},
            materials={**project.materials, **{m.id: m for m in self.surfaces.materials}},
            instances={**project.instances, **{i.id: i for i in self.surfaces.instances}},
        )


def bring_in(path: Path, folder: Path, progress: Progress = silent) -> Imported:
    """Copy a mesh file, with the files it needs, into a project folder; what it brings.

    The file is read first: what cannot be read is not copied. Raises BadFile, or Cancelled with nothing written.
    """
    file: Document | None = None
    if path.suffix.lower() in (".gltf", ".glb") and path.is_file():
        model, file = read_file(path, progress)
    else:
        model = read_model(path)
    home = folder / MESH_FOLDER / as_identifier(path.stem, _names_in(folder / MESH_FOLDER), "mesh")
    inside = home.relative_to(folder).as_posix()
    surfaces = surfaces_of(file, model, inside) if file else Surfaces()
    needed = _needed(path)
    draft = home.with_name(f".{home.name[:80]}-{os.urandom(4).hex()}")
    try:
        draft.mkdir(parents=True)
        for number, relative in enumerate([path.name, *needed]):
            progress(number / (len(needed) + 1), f"Copying {relative}")
            source = path.parent / relative
            if source.exists():
                check_plain(source, MESH_BYTES)
                (draft / relative).parent.mkdir(parents=True, exist_ok=True)
                shutil.copyfile(source, draft / relative)
        for name, data in surfaces.images.items():
            (draft / name).write_bytes(data)
        os.rename(draft, home)
    except OSError as error:
        raise BadFile(f"{path.name} cannot be copied into the project: {error.strerror or error}") from error
    finally:
        shutil.rmtree(draft, ignore_errors=True)
    asset = Asset(id=new_id("asset"), name=path.stem.replace("_", " "), file=f"{inside}/{path.name}")
    return Imported(asset, replace(model, remarks=(*model.remarks, *surfaces.remarks)), surfaces)


def _needed(path: Path) -> list[str]:
    """The files beside a mesh file that are copied with it; images that lie elsewhere are left out."""
    return files_beside(path) if path.suffix.lower() == ".gltf" else []


def _names_in(folder: Path) -> set[str]:
    return {p.name for p in folder.iterdir()} if folder.is_dir() else set()
