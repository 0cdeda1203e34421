"""Deliveries: only what changed is written, all or nothing, and what is someone else's is left alone."""

from __future__ import annotations

import hashlib
import json
import os
import signal
import subprocess
import sys
import threading
from pathlib import Path

import pytest

from soft_lantern.demo.project import demo_project
from soft_lantern.errors import BadFile, BadValue, Cancelled
from soft_lantern.formats import delivery
from soft_lantern.formats.delivery import MANIFEST, deliver
from soft_lantern.graph.document import Material, Project, changed, edited_record

PROJECT = demo_project()
TEXTS = ["glsl", "glsl-es", "glsl-450", "hlsl", "msl", "wgsl"]


def some(project: Project = PROJECT) -> list[Material]:
    return [project.materials["height_ramp"], project.materials["graded_nectar"]]


def held(folder: Path) -> dict[str, bytes]:
    return {each.name: each.read_bytes() for each in folder.iterdir()}


def test_a_second_delivery_writes_nothing_and_a_change_only_what_it_changes(tmp_path: Path) -> None:
    first = deliver(PROJECT, some(), TEXTS, tmp_path / "out")
    files = held(tmp_path / "out")
    assert set(files) == {*first.written, MANIFEST} and len(first.written) == 2 * (3 * 2 + 3 + 2) + 2
    manifest = json.loads(files[MANIFEST])
    for name, row in manifest["files"].items():
        assert row["sha256"] == hashlib.sha256(files[name]).hexdigest() and row["bytes"] == len(files[name])
    assert manifest["units"]["length"] == "m" and "linear" in manifest["units"]["colour"]
    times = {name: (tmp_path / "out" / name).stat().st_mtime_ns for name in first.written}
    second = deliver(PROJECT, some(), TEXTS, tmp_path / "out")
    assert not second.written and len(second.kept) == len(first.written) and held(tmp_path / "out") == files
    assert times == {name: (tmp_path / "out" / name).stat().st_mtime_ns for name in first.written}
    ramp = PROJECT.materials["height_ramp"]
    (spread,) = (p for p in ramp.parameters if p.identifier == "spread")
    finer = tuple(changed(p, high=3.0) if p is spread else p for p in ramp.parameters)
    other = edited_record(PROJECT, "materials", ramp.id, lambda now: changed(now, parameters=finer))
    third = deliver(other, some(other), TEXTS, tmp_path / "out")
    assert third.written and all(name.startswith("height_ramp.") for name in third.written)


def test_the_same_project_gives_the_same_bytes_in_every_process(tmp_path: Path) -> None:
    told = []
    for seed in ("1", "2"):
        code = (
            "import hashlib, sys; from pathlib import Path; from soft_lantern.demo.project import demo_project;"
            "from soft_lantern.formats.delivery import deliver; p = demo_project(); out = Path(sys.argv[1]);"
            f"deliver(p, list(p.materials.values()), {TEXTS!r}, out);"
            "print([(e.name, hashlib.sha256(e.read_bytes()).hexdigest()) for e in sorted(out.iterdir())])"
        )
        asked = [sys.executable, "-c", code, str(tmp_path / seed)]
        seeded = {**os.environ, "PYTHONHASHSEED": seed}
        done = subprocess.run(asked, capture_output=True, text=True, env=seeded, check=True)
        told.append(done.stdout)
    assert told[0] == told[1] and told[0].count(".hlsl") == len(PROJECT.materials)


def test_what_others_wrote_or_changed_is_never_written_over(tmp_path: Path) -> None:
    out = tmp_path / "out"
    out.mkdir()
    (out / "height_ramp.hlsl").write_text("mine")
    (out / "notes.txt").write_text("mine too")
    with pytest.raises(BadFile, match="written by no delivery"):
        deliver(PROJECT, some(), TEXTS, out)
    assert held(out) == {"height_ramp.hlsl": b"mine", "notes.txt": b"mine too"}
    (out / "height_ramp.hlsl").unlink()
    deliver(PROJECT, some(), TEXTS, out)
    (out / "height_ramp.hlsl").write_text("edited by hand")
    before = held(out)
    with pytest.raises(BadFile, match="changed since it was delivered"):
        deliver(PROJECT, some(), TEXTS, out)
    assert held(out) == before and before["notes.txt"] == b"mine too"
    (out / MANIFEST).write_text("{")
    with pytest.raises(BadFile, match="no sound manifest"):
        deliver(PROJECT, some(), TEXTS, out)


def test_a_full_disk_a_wrong_target_and_a_cancelled_delivery_leave_the_folder_as_it_was(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    out = tmp_path / "out"
    deliver(PROJECT, some()[:1], ["hlsl"], out)
    before = held(out)
    with pytest.raises(BadValue, match="no target “dxil”, only glsl"):
        deliver(PROJECT, some(), ["hlsl", "dxil"], out)
    calls = []

    def full(handle: int) -> None:
        calls.append(handle)
        if len(calls) > 3:
            raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "fsync", full)
    with pytest.raises(BadFile, match="No space left"):
        deliver(PROJECT, some(), TEXTS, out)
    monkeypatch.undo()
    assert held(out) == before

    def stop(share: float, words: str) -> None:
        if share > 0:
            raise Cancelled(words)

    with pytest.raises(Cancelled):
        deliver(PROJECT, some(), TEXTS, out, progress=stop)
    assert held(out) == before


def test_spir_v_without_its_compiler_is_one_clear_line(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(delivery.shutil, "which", lambda name: None)
    with pytest.raises(BadFile, match="SPIR-V needs glslangValidator, of Debian's package glslang-tools"):
        deliver(PROJECT, some(), ["wgsl", "spirv"], tmp_path / "out")
    assert not (tmp_path / "out").exists()


def test_two_materials_of_one_name_get_files_of_their_own(tmp_path: Path) -> None:
    ramp = PROJECT.materials["height_ramp"]
    twin = changed(ramp, id="twin")
    project = changed(PROJECT, materials={**PROJECT.materials, "twin": twin})
    done = deliver(project, [ramp, twin], ["hlsl"], tmp_path / "out")
    assert {"height_ramp.hlsl", "height_ramp_2.hlsl"} <= set(done.written)
    assert "HeightRamp2Surface height_ramp_2(" in (tmp_path / "out" / "height_ramp_2.hlsl").read_text()


def test_watching_delivers_again_what_a_change_changes_and_outlives_a_damaged_file(tmp_path: Path) -> None:
    home, out = tmp_path / "p", tmp_path / "p" / "out"
    lantern = [sys.executable, "-u", "-m", "soft_lantern"]
    subprocess.run([*lantern, "new", str(home), "--demo"], check=True, capture_output=True)
    asked = [*lantern, "export", str(home), "--to", "glsl", "--material", "height_ramp", "-o", str(out), "--watch"]
    with subprocess.Popen(asked, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True) as process:
        assert process.stdout
        late = threading.Timer(90, process.kill)
        late.start()

        def told(words: str) -> str:
            for line in process.stdout or ():
                if words in line:
                    return line
            raise AssertionError(f"it never said {words}")

        told("height_ramp.parameters.h")
        file = home / "materials" / "height_ramp.json"
        before = file.read_text(encoding="utf-8")
        file.write_text("{", encoding="utf-8")
        assert "height_ramp" in told("lantern: ")  # said, and it goes on
        file.write_text(before.replace('"Roughness"', '"Sheen"'), encoding="utf-8")
        assert "height_ramp" in told("wrote")
        process.send_signal(signal.SIGTERM)
        process.communicate(timeout=30)
        late.cancel()
    assert process.returncode == 143
    assert "Sheen" in (out / "height_ramp.parameters.json").read_text(encoding="utf-8")
