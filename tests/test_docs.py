"""The pages in docs/ say what is so."""

from __future__ import annotations

import json
import re
import subprocess
import sys
from pathlib import Path

import numpy as np
from PIL import Image

from soft_lantern.demo.project import demo_project
from soft_lantern.formats.delivery import deliver
from soft_lantern.formats.project_folder import open_project
from soft_lantern.nodes import LIBRARY
from soft_lantern.nodes.reference import reference

ROOT = Path(__file__).parent.parent


def test_the_node_reference_is_the_library() -> None:
    assert (ROOT / "docs" / "nodes.md").read_text() == reference()
    for node_type in LIBRARY.values():
        assert node_type.help and node_type.also, node_type.key


def test_the_tree_on_the_architecture_page_is_the_tree_on_disk() -> None:
    page = (ROOT / "docs" / "architecture.md").read_text()
    told: set[str] = set()
    above: list[str] = []
    for line in page[page.index("    src/soft_lantern/") :].split("\n\n")[0].splitlines()[1:]:
        depth = (len(line) - len(line.lstrip()) - 6) // 2
        above = [*above[:depth], line.split()[0].rstrip("/")]
        told.add("/".join(above))
    source = ROOT / "src" / "soft_lantern"
    there = {p.parent.relative_to(source).as_posix() for p in source.rglob("__init__.py")} - {"."}
    assert told - {"cli.py"} == there


def test_links_and_pictures_exist() -> None:
    for page in (*ROOT.glob("*.md"), *(ROOT / "docs").glob("*.md")):
        for target in re.findall(r"\]\(([^)#]+)\)", page.read_text()):
            assert (page.parent / target).exists(), f"{page.name}: {target}"


def test_every_module_that_a_page_names_is_there() -> None:
    for page in (*ROOT.glob("*.md"), *(ROOT / "docs").glob("*.md")):
        for named in re.findall(r"`([a-z_]+/[a-z_/]+\.py)\b", page.read_text()):
            there = [place / named for place in (ROOT, ROOT / "src", ROOT / "src" / "soft_lantern")]
            assert any(path.exists() for path in there), f"{page.name}: {named}"


def test_the_material_on_the_format_page_opens(tmp_path: Path) -> None:
    found = re.search(r"```json\n(.*?)```", (ROOT / "docs" / "file-format.md").read_text(), re.S)
    assert found
    (tmp_path / "materials").mkdir()
    (tmp_path / "materials" / "glow.json").write_text(found.group(1))
    (tmp_path / "project.json").write_text(json.dumps({"format": 1, "name": "From the page"}))
    opened = open_project(tmp_path)
    assert not opened.notices
    assert opened.project.materials["glow"].wires == {"surface.base_colour": "tint.out"}


def test_the_host_of_the_docs_draws_a_delivery_with_nothing_of_ours(tmp_path: Path) -> None:
    """In the middle of a ball, by hand: half way up the ramp, lit by the host's own formula."""
    program = ROOT / "docs" / "examples" / "draw_delivery.py"
    text = program.read_text(encoding="utf-8")
    assert len(text.splitlines()) < 120 and "import soft_lantern" not in text and "from soft_lantern" not in text
    project = demo_project()
    deliver(project, [project.materials["height_ramp"]], ["glsl"], tmp_path)
    ramp = {p.identifier: p.default for p in project.materials["height_ramp"].parameters}

    def drawn(*changes: str) -> np.ndarray:
        asked = [sys.executable, "-I", str(program), str(tmp_path), "height_ramp", str(tmp_path / "o.png"), *changes]
        subprocess.run(asked, check=True, capture_output=True, timeout=60)
        return np.asarray(Image.open(tmp_path / "o.png").convert("RGB"))[256, 256]

    def lit(base: np.ndarray, roughness: float) -> np.ndarray:
        light, eye = np.array([0.48, 0.64, 0.6]), np.array([0.0, 0.0, 1.0])
        middle = (light + eye) / np.linalg.norm(light + eye)
        shine = middle[2] ** 2 ** (10 * (1 - roughness))
        colour = base * (0.25 + light[2]) + 0.3 * shine * (1 - roughness)
        return np.clip(colour, 0, 1) ** (1 / 2.2) * 255

    low, high = (np.array(ramp[name][:3]) for name in ("low_colour", "high_colour"))
    half = (0.0 - ramp["origin"]) / ramp["spread"]
    assert np.abs(drawn() - lit(low + (high - low) * half, ramp["roughness"])).max() <= 1.5
    assert np.abs(drawn("origin=0.1", "roughness=0.4") - lit(low, 0.4)).max() <= 1.5
