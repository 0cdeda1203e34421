"""Files made to do harm: bombs, paths that lead out, links, devices, injections, depths and counts.

Each is given to a command in a process of its own, a fork of this one, with little memory and time. It ends with a
line and exit code 2, or carries on with a notice; nothing outside the project is touched.
"""

from __future__ import annotations

import csv
import hashlib
import io
import json
import os
import random
import shutil
import struct
import zlib
from collections.abc import Callable
from pathlib import Path
from typing import Any

from campaigns._documents import harmful_documents
from campaigns._projects import forked_command, one_line, scratch
from soft_lantern.commands.checking import check
from soft_lantern.demo.project import demo_project
from soft_lantern.formats.journal import JOURNAL, OWN
from soft_lantern.formats.saving import save_project
from soft_lantern.formats.value_tables import to_csv
from soft_lantern.graph.document import changed

MEMORY = 3 << 30

Attack = Callable[[Path, Path, random.Random], list[str]]
"""Prepares a project folder, with a witness folder outside it; the command to give it to."""
ATTACKS: list[Attack] = []


def run(cases: int, seed: int) -> str:
    """Make each attack in turn, so many in all."""
    lines = 0
    with scratch() as home:
        sound = home / "sound"
        save_project(demo_project(), sound)
        check(sound)  # imports what each fork would import for itself
        for number in range(cases):
            attack = ATTACKS[number % len(ATTACKS)]
            chance = random.Random(f"{seed}/{number}")
            case, witness = home / "case", home / "witness"
            for folder in (case, witness):
                shutil.rmtree(folder, ignore_errors=True)
            shutil.copytree(sound, case)
            witness.mkdir()
            (witness / "secret.json").write_text('{"id": "secret", "name": "S", "format": 1}')
            (witness / "secret.png").write_bytes(_png(2, 2))
            before = _seen(witness)
            arguments = attack(case, witness, chance)
            done = forked_command(*arguments, memory=MEMORY, home=home / "home")
            name = attack.__name__.lstrip("_")
            try:
                lines += bool(one_line(done))
            except AssertionError as error:
                raise AssertionError(f"{name}: {error}") from error
            assert _seen(witness) == before, f"{name} touched what lies outside the project"
    return f"{cases} attacks of {len(ATTACKS)} kinds, {lines} refused in a line, the rest told in notices"


def attack(make: Attack) -> Attack:
    """One of the attacks."""
    ATTACKS.append(make)
    return make


def _seen(folder: Path) -> dict[str, str]:
    return {str(p): hashlib.sha256(p.read_bytes()).hexdigest() for p in sorted(folder.rglob("*")) if p.is_file()}


def _put(case: Path, path: str, raw: Any) -> None:
    (case / path).parent.mkdir(parents=True, exist_ok=True)
    (case / path).write_text(raw if isinstance(raw, str) else json.dumps(raw))


def _png(width: int, height: int, bits: int = 8) -> bytes:
    """A PNG that says it is so large, with hardly any data (PNG 1.2, section 4.1)."""

    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    head = chunk(b"IHDR", struct.pack(">IIBBBBB", width, height, bits, 2, 0, 0, 0))
    rows = zlib.compress(b"\0" * min((width * 3 * bits // 8 + 1) * height, 50_000_000), 9)
    return b"\x89PNG\r\n\x1a\n" + head + chunk(b"IDAT", rows) + chunk(b"IEND", b"")


@attack
def journal_that_leads_out(case: Path, witness: Path, chance: random.Random) -> list[str]:
    way = chance.choice(["../witness/secret.json", str(witness / "secret.json"), "instances/../../witness/secret.json"])
    (case / OWN / "pending").mkdir(parents=True, exist_ok=True)
    (case / OWN / "pending" / "0").write_text("gone")
    where = {"moves": {"0": way}, "removals": []} if chance.random() < 0.5 else {"moves": {}, "removals": [way]}
    _put(case, JOURNAL, where)
    return ["check", str(case)]


@attack
def journal_through_a_link(case: Path, witness: Path, chance: random.Random) -> list[str]:
    shutil.rmtree(case / "scenes")
    (case / "scenes").symlink_to(witness)
    (case / OWN / "pending").mkdir(parents=True, exist_ok=True)
    (case / OWN / "pending" / "0").write_text("gone")
    _put(case, JOURNAL, {"moves": {"0": "scenes/secret.json"}, "removals": []})
    return ["check", str(case)]


@attack
def own_folder_is_a_link(case: Path, witness: Path, chance: random.Random) -> list[str]:
    shutil.rmtree(case / OWN, ignore_errors=True)
    (case / OWN).symlink_to(witness)
    return ["check", str(case)]


@attack
def records_that_are_no_files(case: Path, witness: Path, chance: random.Random) -> list[str]:
    target = case / "instances" / "odd.json"
    what = chance.choice(["pipe", "device", "link", "folder", "circle"])
    if what == "pipe":
        os.mkfifo(target)
    elif what == "folder":
        target.mkdir()
    else:
        target.symlink_to({"device": "/dev/zero", "link": str(witness / "secret.json"), "circle": str(target)}[what])
    return ["check", str(case)]


@attack
def files_that_are_no_files(case: Path, witness: Path, chance: random.Random) -> list[str]:
    odd = case / "images" / "odd.png"
    odd.parent.mkdir(exist_ok=True)
    what = chance.choice(["pipe", "device", "circle"])
    if what == "pipe":
        os.mkfifo(odd)
    else:
        odd.symlink_to({"device": "/dev/zero", "circle": str(odd)}[what])
    _put(case, "textures/odd.json", {"id": "odd", "name": "Odd", "file": "images/odd.png", "format": 1})
    _put(case, "assets/odd.json", {"id": "odd", "name": "Odd", "file": "images/odd.glb", "format": 1})
    os.symlink("/dev/zero", case / "images" / "odd.glb")
    return ["check", str(case)]


@attack
def paths_that_lead_out(case: Path, witness: Path, chance: random.Random) -> list[str]:
    way = chance.choice(
        [
            *(
                "../witness/secret.png",
                str(witness / "secret.png"),
                "images/../../witness/secret.png",
                "\0",
                "a" * 5000,
            ),
            *("images/link/secret.png", "C:\\x.png", "..\\witness\\secret.png", "/dev/stdin", "//witness", ".", ""),
        ]
    )
    (case / "images").mkdir(exist_ok=True)
    (case / "images" / "link").symlink_to(witness)
    _put(case, "textures/out.json", {"id": "out", "name": "Out", "file": way, "format": 1})
    mesh = way.replace(".png", ".glb")
    _put(case, "assets/out.json", {"id": "out", "name": "Out", "file": mesh, "format": 1})
    _put(case, "assets/drawn.json", {"id": "drawn", "name": "Drawn", "primitive": "cube", "layers": mesh, "format": 1})
    light = {"file": way.replace(".png", ".exr")}
    _put(case, "scenes/out.json", {"id": "out", "name": "Out", "baked": light, "format": 1})
    return ["check", str(case)]


@attack
def a_mesh_that_climbs(case: Path, witness: Path, chance: random.Random) -> list[str]:
    home = case.parent / "case" / "meshes" / "m"
    home.mkdir(parents=True, exist_ok=True)
    way = chance.choice(["../../../witness/secret.png", "../m/x.png", "%2e%2e/x.png", "/etc/hostname", "a/../../x.png"])
    raw = {"asset": {"version": "2.0"}, "images": [{"uri": way}], "buffers": [{"uri": way, "byteLength": 4}]}
    (home / "m.gltf").write_text(json.dumps(raw))
    script = case / "import.py"
    script.write_text(
        "import sys\nfrom pathlib import Path\nfrom soft_lantern.errors import LanternError\n"
        "from soft_lantern.formats.assets import bring_in\n"
        "try:\n    bring_in(Path(sys.argv[1]), Path(sys.argv[2]))\n"
        "except LanternError as error:\n    sys.exit(f'lantern: {error}')\n"
    )
    return ["script", str(script), str(home / "m.gltf"), str(case)]


@attack
def bombs_of_pictures(case: Path, witness: Path, chance: random.Random) -> list[str]:
    side = chance.choice([(65_000, 65_000), (2**31 - 1, 2), (16_385, 4), (0, 0), (60_000, 100)])
    (case / "images").mkdir(exist_ok=True)
    (case / "images" / "bomb.png").write_bytes(_png(*side))
    _put(case, "textures/bomb.json", {"id": "bomb", "name": "Bomb", "file": "images/bomb.png", "format": 1})
    return ["check", str(case)]


@attack
def exr_headers(case: Path, witness: Path, chance: random.Random) -> list[str]:
    (case / "images").mkdir(exist_ok=True)
    channels = b"".join(f"c{n}".encode() + b"\0" + struct.pack("<iiii", 2, 0, 1, 1) for n in range(1000)) + b"\0"
    box = struct.pack("<iiii", 0, 0, *chance.choice([(7, 7), (2**30, 2**30), (-5, -5)]))

    def entry(name: bytes, kind: bytes, data: bytes) -> bytes:
        return name + b"\0" + kind + b"\0" + struct.pack("<i", len(data)) + data

    head = b"\x76\x2f\x31\x01\x02\0\0\0" + entry(b"channels", b"chlist", channels)
    head += entry(b"dataWindow", b"box2i", box) + entry(b"displayWindow", b"box2i", box)
    head += entry(chance.choice([b"owner", b"\xff\xfe\xfd"]), b"string", b"\xff\xfe no text \xc3\x28")
    head += entry(b"compression", b"compression", b"\0") + entry(b"lineOrder", b"lineOrder", b"\0")
    head += entry(b"pixelAspectRatio", b"float", struct.pack("<f", 1)) + b"\0"
    (case / "images" / "odd.exr").write_bytes(head + b"\0" * 4096)
    _put(case, "textures/odd.json", {"id": "odd", "name": "Odd", "file": "images/odd.exr", "format": 1})
    return ["check", str(case)]


@attack
def meshes_that_claim_much(case: Path, witness: Path, chance: random.Random) -> list[str]:
    accessor: dict[str, Any] = {"componentType": 5126, "count": chance.choice([10**9, 2**40, -5]), "type": "VEC3"}
    if chance.random() < 0.5:
        accessor |= {"bufferView": 0}
    raw = {
        "asset": {"version": "2.0"},
        "nodes": [{"mesh": 0}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}}]}],
        "accessors": [accessor],
        "bufferViews": [{"buffer": 0, "byteLength": 12, "byteStride": chance.choice([0, 1, 12])}],
        "buffers": [{"byteLength": 12, "uri": "data:application/octet-stream;base64,AAAAAAAAAAAAAAAA"}],
    }
    _put(case, "meshes/big/big.gltf", raw)
    _put(case, "assets/big.json", {"id": "big", "name": "Big", "file": "meshes/big/big.gltf", "format": 1})
    return ["check", str(case)]


@attack
def nodes_of_the_wrong_kind(case: Path, witness: Path, chance: random.Random) -> list[str]:
    odd = chance.choice([[], 3, "x", None, True, {"a": 1}])
    raw: dict[str, Any] = {"asset": {"version": "2.0"}, "nodes": [{"mesh": 0}]}
    raw |= {"meshes": [{"primitives": []}], "buffers": [{}], "materials": [{}], "images": [{}]}
    for key in chance.sample(sorted(raw), 3):
        raw[key] = odd if chance.random() < 0.5 else [odd]
    _put(case, "meshes/odd/odd.gltf", raw)
    _put(case, "assets/odd.json", {"id": "odd", "name": "Odd", "file": "meshes/odd/odd.gltf", "format": 1})
    return ["check", str(case)]


@attack
def counts(case: Path, witness: Path, chance: random.Random) -> list[str]:
    _put(case, "palettes/wide.json", {"id": "wide", "name": "W", "side": 100_000, "colours": [], "format": 1})
    refined = {"id": "fine", "name": "F", "file": "meshes/lantern_post/lantern_post.glb", "refine": 10**9, "format": 1}
    _put(case, "assets/fine.json", refined)
    primitive = {"id": "ball", "name": "B", "primitive": "sphere", "subdivision": 10**9, "format": 1}
    _put(case, "assets/ball.json", primitive)
    return ["check", str(case)]


@attack
def lights_of_thousands_of_stops(case: Path, witness: Path, chance: random.Random) -> list[str]:
    path = case / "scenes" / "garden.json"
    raw = json.loads(path.read_text())
    raw["environment"] = {"exposure": chance.choice([5000, -5000, 1e300])}
    path.write_text(json.dumps(raw))
    return ["render", str(case), "--scene", "garden", "--size", "32x32", "--backend", "soft", "-o", str(case / "x.png")]


@attack
def depths(case: Path, witness: Path, chance: random.Random) -> list[str]:
    deep = 5000
    for number in range(deep):
        parent = f"deep_{number - 1}" if number else "height_ramp"
        record = {"id": f"deep_{number}", "name": f"D{number}", "parent": parent, "format": 1}
        _put(case, f"instances/deep_{number}.json", record)
    _put(case, "instances/round.json", {"id": "round", "name": "R", "parent": "round", "format": 1})
    _put(case, "materials/nested.json", "[" * 100_000)
    return ["check", str(case)]


@attack
def snippets_in_a_circle(case: Path, witness: Path, chance: random.Random) -> list[str]:
    for one, other in (("ring_a", "ring_b"), ("ring_b", "ring_a"), ("ring_c", "ring_c")):
        node = {"type": "snippet", "settings": {"snippet": other}}
        _put(case, f"snippets/{one}.json", {"id": one, "name": one, "nodes": {"n": node}, "format": 1})
    user = {"n": {"type": "snippet", "settings": {"snippet": "ring_a"}}, "s": {"type": "surface"}}
    _put(case, "materials/ring.json", {"id": "ring", "name": "Ring", "nodes": user, "format": 1})
    return ["check", str(case)]


@attack
def names_that_are_code(case: Path, witness: Path, chance: random.Random) -> list[str]:
    name = chance.choice(
        ["<img src='file:///etc/passwd'>", "a\nb\r\nc", "\ud800", "=cmd|' /C calc'!A0", "\u202e", "a" * 10**5]
    )
    path = case / "instances" / "amber_hour.json"
    raw = json.loads(path.read_text())
    path.write_text(json.dumps({**raw, "name": name, "parent": chance.choice(["nowhere\nat all", "height_ramp"])}))
    return ["check", str(case)]


@attack
def values_that_end_windows(case: Path, witness: Path, chance: random.Random) -> list[str]:
    path = case / "materials" / "height_ramp.json"
    raw = json.loads(path.read_text())
    raw["nodes"]["in"] = {"type": "snippet_input", "settings": {"kind": chance.choice(["", "banana", "number"])}}
    raw["nodes"]["f"] = {"type": "formula", "settings": {"expression": chance.choice(["1e39", "x + 1e400", "((((("])}}
    raw["parameters"][0]["default"] = chance.choice([[1.0, 2.0], "x", [1.0] * 9, 1e39])
    raw["parameters"][0]["high"] = chance.choice([float("inf"), float("nan"), 1e39, -1e300])
    path.write_text(json.dumps(raw))
    return ["check", str(case)]


@attack
def many_nodes_of_one_name(case: Path, witness: Path, chance: random.Random) -> list[str]:
    nodes: dict[str, Any] = {f"n{n}": {"type": "number", "name": "Same", "values": {"value": n}} for n in range(20_000)}
    nodes["surface"] = {"type": "surface"}
    _put(case, "materials/same.json", {"id": "same", "name": "Same", "nodes": nodes, "format": 1})
    out = str(case / "out")
    return ["export", str(case), "--material", "same", "--to", "glsl", "-o", out]


@attack
def materialx_documents(case: Path, witness: Path, chance: random.Random) -> list[str]:
    _, document = chance.choice(sorted(harmful_documents(witness).items()))
    _put(case, "in.mtlx", document)
    return ["import", str(case), str(case / "in.mtlx")]


@attack
def arguments(case: Path, witness: Path, chance: random.Random) -> list[str]:
    return chance.choice(
        [
            ["render", str(case), "--scene", "garden", "--size", "²x8", "-o", str(case / "x.png")],
            ["render", str(case), "--scene", "garden", "--size", "9" * 30 + "x1", "-o", str(case / "x.png")],
            ["render", str(case), "--scene", "no\nsuch", "-o", str(case / "x.png")],
            ["probe", str(case), "--material", "height_ramp", "--set", "spread=1e999"],
            ["probe", str(case), "--material", "height_ramp", "--set", "spread=nan"],
            ["probe", str(case), "--material", "height_ramp", "--at", "position=a,b,c"],
            ["export", str(case), "--material", "../../x", "--to", "glsl", "-o", str(case / "o")],
            ["export", str(case), "--material", "height_ramp", "--to", "glsl", "-o", "/proc/nowhere"],
            ["check", "\udcff"],
            ["check", "/dev/zero"],
            ["new", str(case)],
            ["sheet", str(case), "--size", "0x0", "-o", str(case / "x.png")],
        ]
    )


@attack
def cells_that_are_formulas(case: Path, witness: Path, chance: random.Random) -> list[str]:
    project = demo_project()
    instance = project.instances["amber_hour"]
    named = changed(instance, name=chance.choice(["=1+1", "+cmd", "-x", "@SUM(A1)", "\t=1", "'=1"]))
    project = changed(project, instances={**project.instances, instance.id: named})
    for row in csv.reader(io.StringIO(to_csv(project, "height_ramp"))):
        for cell in row:
            plain = cell.replace(" ", "").replace(".", "").replace("e", "").replace("-", "").isdigit()
            assert plain or cell[:1] not in ("=", "+", "-", "@", "\t", "\r"), f"{cell!r} is a formula"
    return ["check", str(case)]


@attack
def a_head_that_is_no_head(case: Path, witness: Path, chance: random.Random) -> list[str]:
    head = case / "project.json"
    head.unlink()
    what = chance.choice(["pipe", "link", "deep", "huge", "folder"])
    if what == "pipe":
        os.mkfifo(head)
    elif what == "folder":
        head.mkdir()
    elif what == "link":
        head.symlink_to(witness / "secret.json")
    else:
        head.write_bytes(b'{"format": 1, "name": "' + b"x" * (80 << 20) + b'"}' if what == "huge" else b"[" * 10**6)
    return ["check", str(case)]


CASES = 10 * len(ATTACKS)
