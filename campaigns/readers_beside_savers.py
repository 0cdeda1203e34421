"""Two savers and several readers on one project at once.

Every save that says so is on disk at that moment or was followed by another; every reading is whole; none fails unsaid.
"""

from __future__ import annotations

import random
import time
from pathlib import Path

from campaigns._projects import forked, scratch, small_project
from soft_lantern.errors import BadProject
from soft_lantern.formats.project_folder import open_project
from soft_lantern.formats.saving import save_project
from soft_lantern.graph.document import changed

CASES = 1000
READERS = 3


def run(cases: int, seed: int) -> str:
    """Let two savers make so many saves in all."""
    with scratch() as home:
        folder = home / "p"
        save_project(small_project(), folder)
        stop = home / "stop"
        readers = [forked(lambda n=n: _read(folder, stop, home / f"read{n}")) for n in range(READERS)]
        savers = [forked(lambda n=n: _save(folder, cases // 2, n, seed, home / f"saved{n}")) for n in range(2)]
        for saver in savers:
            saver.join()
        stop.touch()
        for reader in readers:
            reader.join()
        assert all(p.exitcode == 0 for p in savers), "a saver failed; what it said is above"
        assert all(p.exitcode == 0 for p in readers), "a reader failed; what it said is above"
        saved = [(home / f"saved{n}").read_text().split() for n in range(2)]
        read = sum(int((home / f"read{n}").read_text()) for n in range(READERS))
        last = open_project(folder)
        assert not last.notices
        values = [dict(last.project.instances["amber_hour"].values), dict(last.project.instances["last_light"].values)]
        for n in range(2):
            assert values[n].get("origin") == float(cases // 2), f"the last save of saver {n} is not on disk: {values}"
    merged = sum(int(each[1]) for each in saved)
    count = sum(int(each[0]) for each in saved)
    return f"{count:,} saves by two savers ({merged} set aside), {read:,} readings, all whole"


def _save(folder: Path, count: int, own: int, seed: int, told: Path) -> None:
    """Each saver has an instance of its own; both change the project's name, which is theirs in turn."""
    chance = random.Random(seed + own)
    mine = ("amber_hour", "last_light")[own]
    opened = open_project(folder)
    project, on_disk, aside = opened.project, opened.on_disk, 0
    for number in range(1, count + 1):
        instance = project.instances[mine]
        after = changed(instance, values={**instance.values, "origin": float(number)})
        project = changed(project, instances={**project.instances, mine: after})
        saved = save_project(project, folder, on_disk)
        on_disk, aside = saved.on_disk, aside + len(saved.aside)
        now = open_project(folder).project.instances[mine]
        assert now.values.get("origin") == float(number), f"saved {number}, and read {now.values.get('origin')}"
        time.sleep(chance.uniform(0, 0.004))
    told.write_text(f"{count} {aside}")


def _read(folder: Path, stop: Path, told: Path) -> None:
    count = 0
    while not stop.exists():
        try:
            opened = open_project(folder)
        except BadProject as error:
            raise AssertionError(f"a reading failed: {error}") from error
        assert not opened.notices, opened.notices[0].text
        count += 1
    told.write_text(str(count))
