"""Deliveries: materials written for targets into a folder, with a manifest of what each file is and holds.

A delivery writes what changed and nothing else, all of it or none; the same project gives the same bytes. What it did
not write itself, or what someone has changed since, it does not touch.
"""

from __future__ import annotations

import functools
import hashlib
import json
import os
import shutil
import subprocess
import tempfile
from collections.abc import Callable, Iterable, Mapping, Sequence
from pathlib import Path
from typing import Any

from msgspec import Struct

from soft_lantern import __version__
from soft_lantern.errors import BadFile, BadValue
from soft_lantern.formats import shader_package
from soft_lantern.formats.atlas import write_atlas
from soft_lantern.formats.places import read_plain
from soft_lantern.formats.records import record_text
from soft_lantern.formats.shader_gradients import Form, Shipped, shipped
from soft_lantern.formats.shaders import hlsl, msl, wgsl
from soft_lantern.formats.shaders.glsl_files import FLAVOURS, stage_of
from soft_lantern.formats.shaders.surface import SurfaceProgram, base_of, program_of
from soft_lantern.graph.document import Material, Project
from soft_lantern.ir.glsl_words import Identifiers
from soft_lantern.limits import IMAGE_BYTES
from soft_lantern.progress import Progress, silent

MANIFEST = "delivery.json"
FORMAT = 1
UNITS = {"length": "m", "time": "s", "angle": "rad", "colour": "linear, BT.709 primaries", "axes": "right-handed, Y up"}
COMPILER = "glslangValidator"
SECONDS = 60
VALUES = "values"
"""What the manifest calls files that go with a material whatever the target."""


class Target(Struct, frozen=True):
    """Something a material can be written for: what it is, and the files, text or bytes, by their names."""

    words: str
    files: Callable[[SurfaceProgram], Mapping[str, str | bytes]]


class Whole(Struct, frozen=True):
    """Something that all materials of a delivery are written for together: what it is, and its files by their names.

    `source`: the same text for two projects and materials from which the same files would come.
    """

    words: str
    source: Callable[[Project, Sequence[Material]], str]
    files: Callable[[Project, Sequence[Material], Progress], Mapping[str, str | bytes]]


def _spirv(program: SurfaceProgram) -> dict[str, bytes]:
    """SPIR-V of both stages, by glslang from GLSL 4.50. Raises BadFile where that is not there or refuses."""
    compiler = shutil.which(COMPILER)
    if compiler is None:
        raise BadFile(f"SPIR-V needs {COMPILER}, of Debian's package glslang-tools")
    made = {}
    for name, text in FLAVOURS["glsl-450"].files(program).items():
        made[f"{program.base}.{stage_of(name)}.spv"] = _compiled(compiler, name, text)
    return made


@functools.lru_cache(maxsize=64)
def _compiled(compiler: str, name: str, text: str) -> bytes:
    """SPIR-V of a text. A proof asks for that of the delivery again, by each way that it is run."""
    with tempfile.TemporaryDirectory() as home:
        source, target = Path(home) / name, Path(home) / "made.spv"
        source.write_text(text)
        asked = [compiler, "-V", "-S", stage_of(name), str(source), "-o", str(target)]
        told = subprocess.run(asked, capture_output=True, text=True, timeout=SECONDS)
        if told.returncode:
            raise BadFile(f"{name} is refused by {COMPILER}: {told.stdout.strip().splitlines()[-1]}")
        return target.read_bytes()


TARGETS: dict[str, Target] = {
    **{key: Target(each.words, each.files) for key, each in FLAVOURS.items()},
    **{each.KEY: Target(each.WORDS, each.files) for each in (hlsl, msl, wgsl)},
    "spirv": Target("SPIR-V, from GLSL 4.50", _spirv),
}


class Delivery(Struct, frozen=True):
    """What came of a delivery: files written and left as they were, by their names, and the manifest."""

    folder: Path
    written: list[str]
    kept: list[str]
    manifest: dict[str, Any]


def deliver(
    project: Project,
    materials: Sequence[Material],
    targets: Sequence[str],
    folder: Path,
    form: Form = "row",
    progress: Progress = silent,
    whole: Mapping[str, Whole] = {},
) -> Delivery:
    """Write materials for targets into a folder; `whole` are targets beside those there always are.

    Raises BadValue where a target is not known or a material cannot be written, BadFile where the disk refuses or the
    folder holds other files under those names, Cancelled; nothing is written then.
    """
    check_targets(targets, whole)
    known, wanted = _known(folder), list(dict.fromkeys(targets))
    before = _Before(folder, known)
    made = _made(project, materials, [each for each in wanted if each in TARGETS], form, before, progress)
    for target in wanted:
        if target in whole:
            made |= _made_whole(project, materials, target, whole[target], before, progress)
    hashes = {name: hashlib.sha256(data).hexdigest() for name, (data, _) in made.items()}
    changed = [name for name in made if not _is_there(folder / name, hashes[name], known.get(name))]
    listed = {
        name: {"sha256": hashes[name], "bytes": len(data), **about} for name, (data, about) in sorted(made.items())
    }
    others = {name: row for name, row in known.items() if name not in listed and (folder / name).exists()}
    manifest = {
        "format": FORMAT,
        "project": project.name,
        "units": UNITS,
        "files": dict(sorted((others | listed).items())),
    }
    text = json.dumps(manifest, indent=2, ensure_ascii=False) + "\n"
    _put(folder, {**{name: made[name][0] for name in changed}, MANIFEST: text.encode()})
    return Delivery(folder, changed, [name for name in made if name not in changed], manifest)


def check_targets(targets: Sequence[str], whole: Iterable[str] = ()) -> None:
    """Raises BadValue where a target is not known."""
    known = (*TARGETS, *whole)
    for target in targets:
        if target not in known:
            raise BadValue(f"there is no target “{target}”, only {', '.join(known)}")


Made = dict[str, tuple[bytes, dict[str, str]]]
"""Files by name: what each holds, and what the manifest says of it."""


class _Before(Struct, frozen=True):
    """What earlier deliveries left in a folder: nothing is worked out again whose source is the same."""

    folder: Path
    known: Mapping[str, Any]

    def files(self, about: Mapping[str, str]) -> Made:
        """The files of a material for a target from one source, where all of them are there as they were written."""
        names = [name for name, row in self.known.items() if all(row.get(key) == each for key, each in about.items())]
        found = Made()
        for name in names:
            path = self.folder / name
            data = read_plain(path, IMAGE_BYTES) if path.is_file() else b""
            if hashlib.sha256(data).hexdigest() != self.known[name]["sha256"]:
                return Made()
            found[name] = data, dict(about)
        return found


def _made(
    project: Project,
    materials: Sequence[Material],
    targets: Sequence[str],
    form: Form,
    before: _Before,
    progress: Progress,
) -> Made:
    found = Made()
    sources = _sources(project, materials, form)
    for number, material in enumerate(materials):
        progress(number / len(materials), f"Writing {material.name}")
        base, source = sources[material.id]
        about = {"material": material.id, "source": source}
        held = {target: before.files(about | {"target": target}) for target in (*targets, VALUES)}
        missing = [target for target, files in held.items() if not files]
        for files in held.values():
            found |= files
        if missing:
            sent = shipped(project, material, form)
            program = program_of(material, sent).called(base)
            for target in missing:
                made = _values(program, sent) if target == VALUES else TARGETS[target].files(program)
                for name, data in made.items():
                    found[name] = data if isinstance(data, bytes) else data.encode(), about | {"target": target}
    return found


def _sources(project: Project, materials: Sequence[Material], form: Form) -> dict[str, tuple[str, str]]:
    """By the ids of materials, what their files are called by, and a digest of all that those come from."""
    names = Identifiers(set())
    around = _digest(form, *(record_text(each) for table in _read_by_all(project) for each in table.values()))
    bases = [(each, names.take(base_of(each))) for each in materials]
    return {each.id: (base, _digest(around, base, record_text(each))) for each, base in bases}


def changed_since(project: Project, materials: Sequence[Material], folder: Path, form: Form = "row") -> list[str]:
    """The ids of materials that are other than when they were delivered into a folder last, or never were.

    Raises BadFile where the folder's manifest is damaged.
    """
    known = {(row.get("material"), row.get("source")) for row in _known(folder).values()}
    sources = _sources(project, materials, form)
    return [each.id for each in materials if (each.id, sources[each.id][1]) not in known]


def _made_whole(
    project: Project,
    materials: Sequence[Material],
    target: str,
    whole: Whole,
    before: _Before,
    progress: Progress,
) -> Made:
    about = {"target": target, "source": _digest(whole.source(project, materials))}
    held = before.files(about)
    if held:
        return held
    made = whole.files(project, materials, progress)
    return {name: (data if isinstance(data, bytes) else data.encode(), about) for name, data in made.items()}


def _values(program: SurfaceProgram, sent: Shipped) -> dict[str, str | bytes]:
    """What goes with a material whatever the target: its parameters, and its gradients."""
    base = program.base
    found: dict[str, str | bytes] = {
        f"{base}.parameters.json": shader_package.parameter_table(program, sent),
        f"{base}.parameters.h": shader_package.c_header(program),
    }
    if sent.atlas:
        with tempfile.TemporaryDirectory() as home:
            for path in write_atlas(sent.atlas, Path(home) / f"{base}.gradients.png"):
                found[path.name] = path.read_bytes()
    return found


def _read_by_all(project: Project) -> tuple[Mapping[str, Any], ...]:
    """The records that materials may read."""
    return project.snippets, project.gradients, project.palettes, project.textures


def _digest(*parts: str | bytes) -> str:
    """A digest of texts, and of the program that makes something of them."""
    whole = hashlib.sha256(__version__.encode())
    for part in parts:
        data = part if isinstance(part, bytes) else part.encode()
        whole.update(len(data).to_bytes(8, "little") + data)
    return whole.hexdigest()[:32]


def _known(folder: Path) -> dict[str, Any]:
    """The files that earlier deliveries into the folder wrote. Raises BadFile where their manifest is damaged."""
    path = folder / MANIFEST
    if not path.exists():
        return {}
    try:
        files = json.loads(read_plain(path, IMAGE_BYTES))["files"]
        return {str(name): {"sha256": str(row["sha256"])} | row for name, row in files.items()}
    except (ValueError, LookupError, TypeError, AttributeError) as error:
        raise BadFile(f"{path} is no sound manifest of a delivery: {error}") from error


def _is_there(path: Path, wanted: str, known: Mapping[str, Any] | None) -> bool:
    """Whether a file holds what it is to hold already. Raises BadFile where it is someone else's."""
    if not os.path.lexists(path):
        return False
    held = hashlib.sha256(read_plain(path, IMAGE_BYTES)).hexdigest()
    if held == wanted:
        return True
    if known is None:
        raise BadFile(f"{path} is there and was written by no delivery: move it, or choose another folder")
    if known["sha256"] != held:
        raise BadFile(f"{path} was changed since it was delivered: move it, or choose another folder")
    return False


def _put(folder: Path, files: Mapping[str, bytes]) -> None:
    """Write files, all or nothing: they are put in place once every one of them is on the disk."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
        with tempfile.TemporaryDirectory(prefix=".delivery-", dir=folder) as home:
            for name, data in files.items():
                with (Path(home) / name).open("wb") as file:
                    file.write(data)
                    file.flush()
                    os.fsync(file.fileno())
            for name in files:
                os.replace(Path(home) / name, folder / name)
    except OSError as error:
        raise BadFile(f"{folder} cannot be written: {error.strerror or error}") from error
