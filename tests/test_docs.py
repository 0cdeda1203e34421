"""The pages in docs/ say what is so."""

from __future__ import annotations

import json
import re
from pathlib import Path

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
