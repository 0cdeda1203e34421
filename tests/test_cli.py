"""The headless commands, run as scripts outside the project run them."""

from __future__ import annotations

import json
import os
import re
import shutil
import signal
import subprocess
import tempfile
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from soft_lantern.commands import probing
from soft_lantern.formats import images

ROOT = Path(__file__).parent.parent
NOBODY = 65_534


def lantern(*arguments: object) -> subprocess.CompletedProcess[str]:
    return subprocess.run([str(ROOT / "lantern"), *map(str, arguments)], capture_output=True, text=True)


def test_a_new_demo_checks_clean_renders_and_exports(tmp_path: Path) -> None:
    project = tmp_path / "terraces"
    assert lantern("new", project, "--demo").returncode == 0
    checked = lantern("check", project, "--json")
    planted = {n["place"] for n in json.loads(checked.stdout)}
    assert (checked.returncode, planted) == (0, {"moth_trail"})
    pictures = []
    for backend in ("gl", "soft"):
        out = tmp_path / f"{backend}.png"
        done = lantern(
            "render",
            project,
            "--object",
            "lantern post",
            "--material",
            "height_ramp",
            "--instance",
            "Amber hour",
            "--size",
            "90x120",
            "--backend",
            backend,
            "-o",
            out,
        )
        assert done.returncode == 0, done.stderr
        pictures.append(np.asarray(Image.open(out).convert("RGB"), int))
    assert pictures[0].shape == (120, 90, 3)
    assert np.abs(pictures[0] - pictures[1]).mean() < 4  # one is smoothed at edges
    assert (
        lantern("export", project, "--material", "height ramp", "--to", "glsl", "-o", tmp_path / "out").returncode == 0
    )
    assert {p.name for p in (tmp_path / "out").iterdir()} == {
        "height_ramp.frag.glsl",
        "height_ramp.vert.glsl",
        "height_ramp.parameters.h",
        "delivery.json",
        "height_ramp.parameters.json",
    }


def test_probe_reads_every_wire_and_both_readers_agree(demo_folder: Path) -> None:
    arguments = ["probe", demo_folder, "--material", "height_ramp", "--instance", "amber_hour", "--json"]
    arguments += ["--set", "origin=-1", "--set", "low_colour=#102030", "--at", "position=0,1.5,0"]
    arguments += ["--at", "normal=0,1,0", "--at", "uv=0.5,0.5", "--at", "vertex_color=1,1,1,1"]
    arguments += ["--at", "view_distance=300", "--at", "depth_behind=2", "--at", "time=0"]
    answers = [json.loads(lantern(*arguments, "--reader", r).stdout) for r in ("numpy", "glsl")]
    assert answers[0]["wires"]["height_mask.out"] == pytest.approx([0.5])  # (1.5 − −1) / 5, by hand
    assert answers[0]["wires"]["separate.y"] == [1.5]
    for name, numbers in answers[0]["wires"].items():
        assert answers[1]["wires"][name] == pytest.approx(numbers, rel=1e-5)
    assert {"base_colour", "metallic", "roughness", "normal", "emissive", "alpha"} <= set(answers[0]["surface"])


def test_probe_reads_no_image_that_the_look_does_not(demo_folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    read: list[str] = []
    load = images.load_texture
    monkeypatch.setattr(images, "load_texture", lambda texture, at: read.append(texture.id) or load(texture, at))
    probing.probe(demo_folder, "height_ramp", "", [], [], "numpy")
    assert not read
    probing.probe(demo_folder, "mossy_urn", "", [], [], "numpy")
    graph = (demo_folder / "materials" / "mossy_urn.json").read_text()
    others = {path.stem for path in (demo_folder / "textures").glob("*.json")} - set(read)
    assert read and all(f'"{texture_id}"' in graph for texture_id in read) and others


def test_a_material_goes_out_as_materialx_and_into_another_project(demo_folder: Path, tmp_path: Path) -> None:
    """By the command line alone; its picture is the same."""
    out = tmp_path / "out"
    assert lantern("export", demo_folder, "--material", "Mossy urn", "--to", "mtlx", "-o", out).returncode == 0
    told = lantern("import", demo_folder, out / "mossy_urn.mtlx")
    assert told.returncode == 0 and "Mossy urn 2" in told.stdout
    pictures = []
    for name in ("Mossy urn", "Mossy urn 2"):
        picture = tmp_path / f"{name}.png"
        asked = ("--object", "garden_urn", "--material", name, "--size", "160x120", "-o", picture)
        assert lantern("render", demo_folder, *asked).returncode == 0
        pictures.append(picture.read_bytes())
    assert pictures[0] == pictures[1]


def test_infinity_is_told_as_text(demo_folder: Path) -> None:
    path = demo_folder / "materials" / "height_ramp.json"
    path.write_text(path.read_text().replace('"low": 0.1', '"low": 0.0'))
    done = lantern(
        "probe", demo_folder, "--material", "height_ramp", "--set", "spread=0", "--at", "position=0,5,0", "--json"
    )
    assert json.loads(done.stdout)["wires"]["divide.out"] == ["Infinity"]
    checked = lantern("check", demo_folder)
    assert checked.returncode == 0
    assert "Divide may divide by zero: the parameter Spread may be 0 to 10" in checked.stdout


def test_errors_make_check_fail(demo_folder: Path) -> None:
    (demo_folder / "materials" / "height_ramp.json").write_text("{")
    done = lantern("check", demo_folder)
    assert done.returncode == 1
    assert re.search(r"error: .*materials/height_ramp.json .*line 1, column 2", done.stdout)


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (["check", "nowhere"], "no such folder"),
        (["check", "DEMO/meshes"], "no project.json"),
        (
            ["probe", "DEMO", "--material", "moss"],
            "no material “moss”; it has basin_nectar, bell_glass, dark_pool, fluttering_paper",
        ),
        (["probe", "DEMO", "--material", "height_ramp", "--set", "spread=900"], "outside the limits 0.1 to 10"),
        (["probe", "DEMO", "--material", "kettle_metal", "--set", "finish=polished"], "which are bare metal, enamel"),
        (["probe", "DEMO", "--material", "height_ramp", "--set", "sprad=1"], "no parameter “sprad”"),
        (["probe", "DEMO", "--material", "height_ramp", "--set", "spread=wide"], "not a number"),
        (["probe", "DEMO", "--material", "height_ramp", "--at", "position=1,2"], "takes 3 number"),
        (["probe", "DEMO", "--material", "height_ramp", "--reader", "tea"], "no reader “tea”"),
        (["render", "DEMO", "--scene", "garden", "--size", "0x9", "-o", "x.png"], "not a size"),
        (["render", "DEMO", "--scene", "attic", "-o", "x.png"], "no scene “attic”"),
        (["render", "DEMO", "--scene", "garden", "--backend", "ink", "-o", "x.png"], "no backend “ink”"),
        (["export", "DEMO", "--material", "height_ramp", "--to", "clay", "-o", "x"], "no target “clay”"),
        (["new", "DEMO"], "not an empty folder"),
        (["script", "nothing.py"], "no script"),
        (["polish", "DEMO"], "No such command"),
    ],
)
def test_mistakes_get_one_line_and_exit_code_2(demo_folder: Path, arguments: list[str], words: str) -> None:
    before = sorted(p.name for p in demo_folder.rglob("*"))
    done = lantern(*[a.replace("DEMO", str(demo_folder)) for a in arguments])
    assert done.returncode == 2
    assert words in done.stderr
    assert done.stderr.count("\n") == 1
    assert sorted(p.name for p in demo_folder.rglob("*")) == before


def test_what_follows_a_script_is_its_own(tmp_path: Path) -> None:
    script = tmp_path / "says.py"
    script.write_text("import sys; print(sys.argv[1:])")
    done = lantern("script", script, "--help", "-o", "x")
    assert done.stdout == "['--help', '-o', 'x']\n"


@pytest.mark.parametrize(("number", "words"), [(signal.SIGTERM, "ended"), (signal.SIGINT, "stopped")])
@pytest.mark.parametrize("moment", ["__set_name__", "__call__"])
def test_a_signal_ends_a_command_in_one_line_even_while_a_class_is_made(
    tmp_path: Path, number: signal.Signals, words: str, moment: str
) -> None:
    # What is begun in the background is deaf to Ctrl-C; this script is not.
    (tmp_path / "signalled.py").write_text(f"""import os, signal
signal.signal(signal.SIGINT, signal.default_int_handler)
class Signalled:
    def {moment}(self, *_):
        os.kill(os.getpid(), {number:d})
class Made:
    has = Signalled()
Made.has()
""")
    done = lantern("script", tmp_path / "signalled.py")
    assert (done.returncode, done.stderr) == (128 + number, f"lantern: {words}\n")


def test_a_place_that_cannot_be_written_is_told_in_one_line() -> None:
    with tempfile.TemporaryDirectory() as place:
        copied = shutil.copy(ROOT / "lantern", place)
        shutil.copy(ROOT / "requirements.lock", place)
        os.chmod(place, 0o555)
        other_user = {"user": NOBODY, "group": NOBODY, "extra_groups": []} if os.geteuid() == 0 else {}
        done = subprocess.run([copied, "check"], capture_output=True, text=True, cwd="/", **other_user)
        assert done.returncode == 2 and done.stderr == (
            f"lantern: {place} cannot be written, so nothing can be set up in it; copy it where it can\n"
        )


def test_the_script_in_the_docs_makes_the_ramp(tmp_path: Path) -> None:
    page = (ROOT / "docs" / "scripting.md").read_text()
    code = re.search(r"```python\n(.*?)```", page, re.S)
    assert code
    assert (
        len([line for line in code.group(1).splitlines() if line.strip() and not line.startswith(("from", "import"))])
        <= 12
    )
    (tmp_path / "ramp.py").write_text(code.group(1))
    done = lantern("script", tmp_path / "ramp.py", tmp_path / "made")
    assert done.returncode == 0, done.stderr
    probed = lantern("probe", tmp_path / "made", "--material", "Garden ramp", "--at", "position=0,0,0", "--json")
    # Halfway up: the mean of #2a4d5e and #f2b75c in linear light (IEC 61966-2-1, worked apart).
    assert json.loads(probed.stdout)["surface"]["base_colour"] == pytest.approx([0.4555, 0.2739, 0.1095], abs=2e-4)
    assert lantern("check", tmp_path / "made").returncode == 0
