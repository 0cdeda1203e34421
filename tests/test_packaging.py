"""The package as others install it: a wheel that holds all it needs, and what a desktop is told of it."""

from __future__ import annotations

import os
import re
import subprocess
import sys
import xml.etree.ElementTree as ET
import zipfile
from pathlib import Path

import pytest

from soft_lantern import __version__

ROOT = Path(__file__).parent.parent
DESKTOP = ROOT / "desktop"


@pytest.fixture(scope="module")
def unpacked(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """What the wheel holds, in a folder of its own."""
    place = tmp_path_factory.mktemp("wheel")
    command = [sys.executable, "-m", "pip", "wheel", "--quiet", "--no-deps", "--no-build-isolation", "-w", str(place)]
    source = place / "source"
    subprocess.run(["git", "-C", str(ROOT), "checkout-index", "--all", f"--prefix={source}/"], check=True)
    subprocess.run([*command, str(source)], check=True, capture_output=True)
    (wheel,) = place.glob("*.whl")
    assert wheel.name == f"soft_lantern-{__version__}-py3-none-any.whl"
    with zipfile.ZipFile(wheel) as file:
        file.extractall(place / "unpacked")
    return place / "unpacked"


def test_the_wheel_runs_from_elsewhere(unpacked: Path, tmp_path: Path) -> None:
    def lantern(*arguments: object) -> str:
        code = "import soft_lantern.cli as cli, sys; sys.argv[0] = 'soft-lantern'; print(cli.__file__); cli.main()"
        done = subprocess.run(
            [sys.executable, "-c", code, *map(str, arguments)],
            env={**os.environ, "PYTHONPATH": str(unpacked), "QT_QPA_PLATFORM": "offscreen"},
            cwd=tmp_path,
            capture_output=True,
            text=True,
            check=True,
        )
        where, _, said = done.stdout.partition("\n")
        assert where.startswith(str(unpacked))
        return said

    assert lantern("--version") == f"Soft Lantern {__version__}\n"
    lantern("new", "--demo", tmp_path / "p")
    lantern("render", tmp_path / "p", "--scene", "garden", "--size", "64x48", "-o", tmp_path / "garden.png")
    assert (tmp_path / "garden.png").stat().st_size > 1000
    held = {path.suffix for path in unpacked.rglob("app/theme/*")}
    assert {".ttf", ".svg", ".txt"} <= held
    (entry,) = unpacked.glob("*.dist-info/entry_points.txt")
    assert "soft-lantern = soft_lantern.cli:main" in entry.read_text()
    assert {path.name for path in unpacked.glob("*.data/data/share/**/soft-lantern*") if path.is_file()} == {
        path.name for path in DESKTOP.iterdir()
    }


def test_the_desktop_is_told_soundly() -> None:
    """By freedesktop.org's own validators, and the mime type that the desktop entry opens is one that is declared."""
    subprocess.run(["desktop-file-validate", DESKTOP / "soft-lantern.desktop"], check=True)
    metainfo = DESKTOP / "soft-lantern.metainfo.xml"
    subprocess.run(["appstreamcli", "validate", "--no-net", metainfo], check=True, capture_output=True)
    entry = (DESKTOP / "soft-lantern.desktop").read_text()
    declared = [each.get("type") for each in ET.parse(DESKTOP / "soft-lantern-project.xml").getroot()]
    assert re.findall(r"MimeType=(\S+);", entry) == declared
    released = ET.parse(metainfo).getroot().find("releases/release")
    assert released is not None and released.get("version") == __version__
    assert f"## {__version__}" in (ROOT / "CHANGELOG.md").read_text()


def test_every_requirement_is_pinned_within_its_range() -> None:
    """The ranges of the project's own requirements hold the versions that the lock pins."""
    import tomllib

    from packaging.requirements import Requirement  # comes with pytest

    project = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]
    pinned = dict(re.findall(r"^([\w.-]+)==(\S+)", (ROOT / "requirements.lock").read_text(), re.M))
    pinned = {name.lower().replace("_", "-"): version for name, version in pinned.items()}
    for text in [*project["dependencies"], *project["optional-dependencies"]["checks"]]:
        wanted = Requirement(text)
        assert wanted.specifier.contains(pinned[wanted.name.lower()]), text
