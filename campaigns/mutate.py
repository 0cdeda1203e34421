"""Mutated files of every kind: what is read either can be used, or says in a sentence what is wrong.

Nothing else is raised, nothing takes ten seconds or a gigabyte, what was read is saved whole, and nothing is written
but where it was asked for.
"""

from __future__ import annotations

import contextlib
import json
import random
import resource
import signal
from collections.abc import Callable, Iterator
from pathlib import Path
from types import FrameType
from typing import Any

import numpy as np
from PIL import Image as Pillow

from campaigns._projects import forked, scratch
from soft_lantern.bake.light.kept import BakedLight, LightMap, Probes
from soft_lantern.demo.project import demo_project, write_demo
from soft_lantern.errors import LanternError
from soft_lantern.formats.assets import bring_in, read_model
from soft_lantern.formats.colour_tables import gradient_table, palettes_table, read_gradient_table, read_palettes_table
from soft_lantern.formats.gimp import gradient_text, palette_text, read_gradient, read_palette
from soft_lantern.formats.images import read_image, write_exr
from soft_lantern.formats.journal import JOURNAL, OWN
from soft_lantern.formats.layer_files import read_layers
from soft_lantern.formats.light_files import read_light, write_light
from soft_lantern.formats.project_folder import open_project
from soft_lantern.formats.records import FOLDERS, as_text, project_files, read_record, record_text
from soft_lantern.formats.recovery import RECOVERY, left_behind
from soft_lantern.formats.saving import save_project
from soft_lantern.formats.sprites import file_traps
from soft_lantern.formats.value_tables import read_table, to_csv, to_json
from soft_lantern.graph.document import Project, changed
from soft_lantern.graph.notices.project import check_project
from soft_lantern.scene.mesh import Model

CASES = 20_000
SECONDS = 10
MEMORY = 1 << 30
BATCH = 250
"""Cases that one process tries."""
PIECES = [
    *(b"null", b"-1e999", b'""', b"[]", b"{}", b'"position"', b"1e40", b"NaN", b"\xff", b'"out"', b"true", b"-1", b"0"),
    *(b"9" * 400, b"1e-400", b'"\\ud800"', b'"../../../x"', b"[[[[[[[[", b"\x00", b"\r\n", b"4294967295", b"-0.0"),
]
EDGES: list[Any] = [
    *(None, True, -1, 0, 1, 2**31, 2**63, 10**400, 1e39, -1e39, 1e-45, 0.5, "", "x" * 3000, "../x", "/etc/passwd"),
    *([], {}, [None], [1, 2], [1, 2, 3, 4, 5], {"id": "x"}, "\ud800", "a\nb", "<img src=x>", "=1+1", [[0] * 5] * 5),
]


def run(cases: int, seed: int) -> str:
    """Try so many files."""
    told = used = 0
    with scratch() as home:
        write_demo(home / "demo")
        witness = home / "witness"
        witness.mkdir()
        figures = home / "figures"
        for start in range(0, cases, BATCH):
            count = min(BATCH, cases - start)
            process = forked(lambda start=start, count=count: _batch(home, start, count, seed, figures))
            process.join()
            assert process.exitcode == 0, f"cases {start} to {start + count}: see above"
            used_now, told_now = (int(part) for part in figures.read_text().split())
            used, told = used + used_now, told + told_now
        listed = sorted(each.name for each in home.iterdir())
        assert listed == ["demo", "figures", "witness", "work"] and not list(witness.iterdir()), listed
    assert told > 0.15 * cases, "too few of the mutations do harm"
    return f"{cases:,} files, {used:,} could be used, {told:,} told what is wrong"


def _batch(home: Path, start: int, count: int, seed: int, figures: Path) -> None:
    work = home / "work"
    work.mkdir(exist_ok=True)
    kinds = _kinds(home / "demo", work)
    began = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    used = 0
    for number in range(start, start + count):
        chance = random.Random(f"{seed}/{number}")
        name = chance.choice(sorted(kinds))
        data, suffix, read = kinds[name]
        mutated = _mutated(chance, data, structured=suffix == ".json" and chance.random() < 0.6)
        path = work / f"case{suffix}"
        path.write_bytes(mutated)
        try:
            with _within(SECONDS):
                read(path)
            used += 1
        except LanternError as error:
            assert "\n" not in str(error).strip(), f"case {number}, {name}: more than a line: {error}"
        except Exception as error:
            (home / f"broken-{number}{suffix}").write_bytes(mutated)
            raise AssertionError(f"case {number}, {name}: {type(error).__name__}: {error}") from error
    grew = (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - began) * 1024
    assert grew < MEMORY, f"cases {start} to {start + count} took {grew >> 20} MB"
    for each in work.iterdir():
        if each.is_file():
            each.unlink()
    figures.write_text(f"{used} {count - used}")


Kind = tuple[bytes, str, Callable[[Path], object]]


def _kinds(demo: Path, work: Path) -> dict[str, Kind]:
    """A sound file of each kind, its ending, and what reads it."""
    project = demo_project()
    material = "height_ramp"
    found: dict[str, Kind] = {}
    for folder in FOLDERS:
        for record in list(getattr(project, folder).values())[:4]:
            found[f"{folder}/{record.id}"] = (record_text(record), ".json", _reads_record(folder, project))
    gradient, palette = next(iter(project.gradients.values())), next(iter(project.palettes.values()))
    found["gradient csv"] = (gradient_table(gradient).encode(), ".csv", lambda p: read_gradient_table(p))
    found["gradient ggr"] = (gradient_text(gradient).encode(), ".ggr", lambda p: read_gradient(p))
    found["palette gpl"] = (palette_text(palette).encode(), ".gpl", lambda p: read_palette(p))
    found["palettes json"] = (palettes_table([palette]).encode(), ".json", lambda p: read_palettes_table(p))
    found["values csv"] = (to_csv(project, material).encode(), ".csv", lambda p: read_table(project, material, p))
    found["values json"] = (to_json(project, material).encode(), ".json", lambda p: read_table(project, material, p))
    found["journal"] = (
        as_text({"moves": {"0": "instances/amber_hour.json", "1": "project.json"}, "removals": ["scenes/x.json"]}),
        ".json",
        _reads_journal(work),
    )
    found["recovery"] = (
        as_text({"format": 1, "when": 1.0, "records": {"instances/x": None}, "base": {}, "head": {"name": "x"}}),
        ".json",
        _reads_recovery(work),
    )
    found["project head"] = (project_files(project)["project.json"], ".json", _reads_head(work))
    for mesh in sorted(demo.glob("meshes/*/*.glb"))[:2]:
        found[f"mesh {mesh.name}"] = (mesh.read_bytes(), ".glb", _reads_mesh(work))
    found["mesh gltf"] = (_gltf(), ".gltf", _reads_mesh(work))
    obj = b"o a\nv 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 0 1\nvn 0 0 1\nf 1/1/1 2/2/1 3/3/1\n"
    found["mesh obj"] = (obj, ".obj", _reads_mesh(work))
    picture = np.arange(16 * 16 * 4, dtype=np.uint8).reshape(16, 16, 4)
    for ending in (".png", ".jpg", ".tga", ".webp", ".bmp", ".tif"):
        Pillow.fromarray(picture[..., :3]).save(work / f"made{ending}")
        found[f"image {ending}"] = ((work / f"made{ending}").read_bytes(), ending, _reads_image)
    write_exr(picture.astype(np.float32) / 255, work / "made.exr")
    found["image .exr"] = ((work / "made.exr").read_bytes(), ".exr", _reads_image)
    found["image .hdr"] = (_radiance(), ".hdr", _reads_image)
    (painted, *_) = sorted(demo.glob("layers/*.glb"))
    found["layers"] = (painted.read_bytes(), ".glb", read_layers)
    write_light(work / "made.exr", _light())
    found["light"] = ((work / "made.exr").read_bytes(), ".exr", read_light)
    return found


def _light() -> BakedLight:
    places = np.linspace(0, 1, 24, dtype=np.float32).reshape(4, 3, 2)
    maps = {"lamp": LightMap({"shade": places}, {"warm": np.full((8, 8, 3), 0.25, np.float32)})}
    probes = Probes((0.0, 0.0, 0.0), 1.0, (2, 1, 2), {"warm": np.full((4, 9, 3), 0.1, np.float32)})
    return BakedLight({"warm": (1.0, 0.5, 0.2)}, maps, probes, {"lamp": "as it stood"})


def _mutated(chance: random.Random, good: bytes, *, structured: bool) -> bytes:
    if structured:
        raw = json.loads(good)
        for _ in range(chance.randint(1, 3)):
            raw = _changed_value(chance, raw)
        return json.dumps(raw).encode("utf-8", "surrogatepass")
    data = bytearray(good)
    for _ in range(chance.randint(1, 4)):
        at = chance.randrange(len(data) + 1)
        span = bytes(data[at : at + chance.randint(0, 30)])
        replaced = chance.choice([b"", span * 2, chance.choice(PIECES), bytes([chance.randrange(256)])])
        data[at : at + len(span)] = replaced
        if chance.random() < 0.1:
            del data[chance.randrange(len(data) + 1) :]
    return bytes(data)


def _changed_value(chance: random.Random, raw: Any, depth: int = 0) -> Any:
    """JSON values with one of them another: an edge value, one more field, one less."""
    if not isinstance(raw, dict | list) or not raw or (depth and chance.random() < 0.15):
        return chance.choice(EDGES)
    if isinstance(raw, dict):
        key = chance.choice(sorted(raw))
        what = chance.random()
        if what < 0.08:
            return {k: v for k, v in raw.items() if k != key}
        if what < 0.16:
            return {**raw, chance.choice(["later", "a.b", "c~d/e", "unknown", "id", "~1"]): chance.choice(EDGES)}
        return {**raw, key: _changed_value(chance, raw[key], depth + 1)}
    at = chance.randrange(len(raw))
    return [_changed_value(chance, each, depth + 1) if index == at else each for index, each in enumerate(raw)]


def _reads_record(folder: str, project: Project) -> Callable[[Path], object]:
    def read(path: Path) -> None:
        try:
            record, mended = read_record(path.read_bytes(), FOLDERS[folder])
        except ValueError as error:
            raise LanternError(" ".join(str(error).split())) from error
        again, _ = read_record(record_text(record), FOLDERS[folder])
        assert again == record, f"saving lost something: {record_text(record)!r}"
        with contextlib.suppress(ValueError):
            before = json.loads(path.read_bytes())
            if not mended:
                _nothing_dropped(before, json.loads(record_text(record)))
        records = {**getattr(project, folder), record.id: record}  # type: ignore[attr-defined]
        check_project(changed(project, **{folder: records}))

    return read


def _nothing_dropped(before: Any, after: Any) -> None:
    """Fields that no record has are there afterwards, wherever they stood."""
    if isinstance(before, dict) and isinstance(after, dict):
        for key in ("later", "a.b", "c~d/e", "~1"):
            if key in before:
                assert key in after and after[key] == before[key], f"{key} was dropped"
        for key in before.keys() & after.keys():
            _nothing_dropped(before[key], after[key])
    elif isinstance(before, list) and isinstance(after, list) and len(before) == len(after):
        for one, other in zip(before, after, strict=True):
            _nothing_dropped(one, other)


def _reads_journal(work: Path) -> Callable[[Path], object]:
    folder = work / "with journal"

    def read(path: Path) -> None:
        if not folder.exists():
            save_project(Project(name="P"), folder)
        opened = open_project(folder)
        (folder / OWN / "pending").mkdir(exist_ok=True)
        (folder / OWN / "pending" / "1").write_bytes((folder / "project.json").read_bytes())
        path.rename(folder / JOURNAL)
        again = open_project(folder)
        save_project(changed(again.project, name="Q"), folder, again.on_disk)
        assert not (folder / JOURNAL).exists() and open_project(folder).project.name == "Q"
        save_project(changed(again.project, name="P"), folder, open_project(folder).on_disk)
        assert opened is not None

    return read


def _reads_recovery(work: Path) -> Callable[[Path], object]:
    folder = work / "with recovery"

    def read(path: Path) -> None:
        if not folder.exists():
            save_project(Project(name="P"), folder)
            (folder / RECOVERY).mkdir()
        target = folder / RECOVERY / "unsaved-x.json"
        path.rename(target)
        opened = open_project(folder)
        for state in left_behind(folder):
            check_project(state.merged(opened.project))
            state.differences(opened.project, opened.on_disk)
        assert target.exists()

    return read


def _reads_head(work: Path) -> Callable[[Path], object]:
    folder = work / "with head"

    def read(path: Path) -> None:
        folder.mkdir(exist_ok=True)
        path.rename(folder / "project.json")
        opened = open_project(folder)
        save_project(changed(opened.project, name="Q"), folder, opened.on_disk)
        assert open_project(folder).project == changed(opened.project, name="Q")

    return read


def _reads_mesh(work: Path) -> Callable[[Path], object]:
    def read(path: Path) -> None:
        model: Model = read_model(path)
        for part in model.parts:
            mesh = part.mesh
            assert np.isfinite(mesh.positions).all() and np.isfinite(part.transform).all(), "not finite"
            assert not len(mesh.triangles) or mesh.triangles.max() < len(mesh.positions)
        brought = bring_in(path, work / "project")
        assert brought.asset.file.startswith("meshes/")

    return read


def _reads_image(path: Path) -> None:
    image = read_image(path, "colour")
    assert image.texels.ndim == 3 and image.texels.shape[2] == 4
    file_traps(path)


def _gltf() -> bytes:
    import base64

    data = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], np.float32).tobytes() + np.arange(3, dtype=np.uint16).tobytes()
    uri = "data:application/octet-stream;base64," + base64.b64encode(data).decode()
    raw = {
        "asset": {"version": "2.0"},
        "scene": 0,
        "scenes": [{"nodes": [0]}],
        "nodes": [{"mesh": 0, "translation": [0, 1, 0], "rotation": [0, 0, 0, 1], "children": [1]}, {"name": "empty"}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}, "indices": 1, "material": 0}]}],
        "accessors": [
            {"bufferView": 0, "componentType": 5126, "count": 3, "type": "VEC3"},
            {"bufferView": 1, "componentType": 5123, "count": 3, "type": "SCALAR"},
        ],
        "bufferViews": [
            {"buffer": 0, "byteLength": 36, "byteStride": 12},
            {"buffer": 0, "byteOffset": 36, "byteLength": 6},
        ],
        "buffers": [{"byteLength": 42, "uri": uri}],
        "materials": [
            {
                "pbrMetallicRoughness": {"baseColorFactor": [1, 0.5, 0, 1], "baseColorTexture": {"index": 0}},
                "emissiveFactor": [1, 1, 0],
                "alphaMode": "MASK",
                "extensions": {"KHR_materials_emissive_strength": {"emissiveStrength": 3}},
            }
        ],
        "textures": [{"source": 0, "sampler": 0}],
        "samplers": [{"magFilter": 9728, "wrapS": 33071}],
        "images": [{"uri": "textures/base.png"}],
    }
    return json.dumps(raw).encode()


def _radiance() -> bytes:
    return b"#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y 8 +X 8\n" + bytes([128, 64, 32, 129]) * 64


@contextlib.contextmanager
def _within(seconds: int) -> Iterator[None]:
    def late(number: int, frame: FrameType | None) -> None:
        raise TimeoutError(f"more than {seconds} s")

    before = signal.signal(signal.SIGALRM, late)
    signal.alarm(seconds)
    try:
        yield
    finally:
        signal.alarm(0)
        signal.signal(signal.SIGALRM, before)
