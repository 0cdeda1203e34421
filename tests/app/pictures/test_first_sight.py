"""What a stage shows has one word before anything is read: equal where all that shows is equal, and nowhere else."""

from __future__ import annotations

import os
import shutil
from collections.abc import Callable
from pathlib import Path

import pytest
from msgspec.structs import replace

from soft_lantern.app.pictures.first_sight import FirstSight
from soft_lantern.app.pictures.sight import Sight
from soft_lantern.formats.project_folder import open_project
from soft_lantern.graph.document import View, changed
from soft_lantern.render.card import Card
from soft_lantern.render.staging import StageOptions, WireView


@pytest.fixture
def seen(demo_folder: Path) -> FirstSight:
    return FirstSight(open_project(demo_folder).project, demo_folder, "garden", View(), Sight(), "", (320, 200))


def sighted(**fields: object) -> Callable[[FirstSight], FirstSight]:
    return lambda seen: replace(seen, sight=replace(seen.sight, **fields))


def retold(seen: FirstSight) -> FirstSight:
    """With another value in one look."""
    look = seen.project.instances["copper"]
    instances = {**seen.project.instances, look.id: changed(look, hue=look.hue + 1e-9)}
    return replace(seen, project=changed(seen.project, instances=instances))


OTHERS: dict[str, Callable[[FirstSight], FirstSight]] = {
    "scene": lambda seen: replace(seen, scene="tea_terrace"),
    "view": lambda seen: replace(seen, view=View(yaw=1.0)),
    "size": lambda seen: replace(seen, size=(320, 201)),
    "value": retold,
    "time": sighted(time=0.5),
    "tried": sighted(tried="copper"),
    "card": sighted(card=Card()),
    "grid": sighted(options=StageOptions(grid=False)),
    "wire": sighted(options=StageOptions(wire=WireView("height_ramp", "mask.out"))),
    "on card": lambda seen: replace(seen, on_card="copper"),
}


def test_whatever_shows_changes_the_word_and_what_does_not_leaves_it(seen: FirstSight) -> None:
    words = {name: change(seen).word() for name, change in OTHERS.items()}
    assert len({seen.word(), *words.values()}) == len(OTHERS) + 1, words
    project = seen.project
    turned = changed(project, instances=dict(reversed(project.instances.items())))
    assert replace(seen, project=turned).word() == seen.word()
    assert replace(seen, sight=Sight(selected="kettle", part="lid")).word() == seen.word()


@pytest.mark.parametrize("records", ["assets", "textures"])
def test_a_file_that_was_written_or_is_gone_changes_the_word(seen: FirstSight, records: str) -> None:
    """And a copy of the folder with its times has the same."""
    before, record = seen.word(), next(iter(getattr(seen.project, records).values()))
    copy = seen.folder.with_name("copy")
    shutil.copytree(seen.folder, copy)
    assert replace(seen, folder=copy).word() == before
    file = seen.folder / record.file
    os.utime(file, ns=(0, file.stat().st_mtime_ns + 1))
    after = seen.word()
    file.unlink()
    assert len({before, after, seen.word()}) == 3
