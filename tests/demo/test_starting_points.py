"""Every starting point is a whole project: nothing to notice, seen on the stage, and worth tuning."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PIL import Image as Picture

from soft_lantern.commands.checking import check
from soft_lantern.commands.drawing import render
from soft_lantern.demo.starting_points import POINTS
from soft_lantern.formats.project_folder import open_project
from soft_lantern.graph.instances.picks import most_worn

PICTURES = Path(__file__).parents[2] / "src/soft_lantern/app/start/pictures"


@pytest.mark.parametrize("key", POINTS)
def test_a_starting_point_is_a_sound_project_that_shows_what_it_is_for(key: str, tmp_path: Path) -> None:
    folder = tmp_path / "project"
    made = POINTS[key].begin(folder)
    assert check(folder) == []
    opened = open_project(folder).project
    assert opened.materials == made.materials and len(opened.instances) >= 2
    graph = opened.materials[most_worn(opened, next(iter(opened.scenes)))]  # what its window opens on
    assert len(graph.parameters) >= 3
    assert all(each.parent == graph.id for each in opened.instances.values())
    render(folder, tmp_path / "p.png", "scene", "", "", "", 0.0, "96x60", "soft")
    shown = np.asarray(Picture.open(tmp_path / "p.png").convert("RGB"), float)
    page = Picture.open(PICTURES / f"{key}.png").convert("RGB").resize((96, 60))
    assert np.abs(shown - np.asarray(page, float)).mean() < 8, "the start page shows something else"


def test_no_picture_of_the_start_page_is_left_over() -> None:
    assert {each.stem for each in PICTURES.glob("*.png")} == set(POINTS)
