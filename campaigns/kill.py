"""A save killed at random moments leaves the old state whole or the new one, and no stray file after the next save.

Every fifth case kills the window instead, at work: what it had for two seconds is offered at the next start.
"""

from __future__ import annotations

import os
import random
import signal
import subprocess
import sys
import time
from pathlib import Path

from campaigns._projects import ROOT, forked, number_of, numbered, scratch, small_project
from soft_lantern.formats.journal import OWN
from soft_lantern.formats.project_folder import open_project
from soft_lantern.formats.recovery import left_behind
from soft_lantern.formats.saving import save_project

CASES = 1000
WINDOWS = 50
"""A window is killed once in so many cases."""


def run(cases: int, seed: int) -> str:
    """Kill so many saves."""
    chance = random.Random(seed)
    project = small_project()
    counts = {"old": 0, "new": 0, "windows": 0}
    longest = 0.0
    with scratch() as home:
        folder = home / "p"
        save_project(project, folder)
        for number in range(1, cases + 1):
            before = open_project(folder)
            was = number_of(before.project)
            wanted = numbered(before.project, number)

            def save(wanted: object = wanted, before: object = before) -> None:
                save_project(wanted, folder, before.on_disk)  # type: ignore[arg-type, attr-defined]

            started = time.perf_counter()
            process = forked(save)
            process.join(chance.uniform(0, max(longest, 0.02) * 1.2))
            if process.is_alive():
                os.kill(process.pid or 0, signal.SIGKILL)
                process.join()
            else:
                longest = max(longest, time.perf_counter() - started)
            now = open_project(folder)
            found = number_of(now.project)
            assert found in (was, number), f"case {number}: a mixture, {found} of {was} and {number}"
            assert not now.notices, f"case {number}: {now.notices[0].text}"
            assert process.exitcode != 0 or found == number, f"case {number}: it said saved, and was not"
            counts["new" if found == number else "old"] += 1
            if number % 10 == 0:
                save_project(numbered(now.project, number), folder, now.on_disk)
                stray = [p.name for p in (folder / OWN).iterdir() if p.name not in ("lock", "recovery")]
                assert not stray, f"case {number}: left behind {stray}"
        for _ in range(cases // WINDOWS):
            _kill_window(folder, chance, home)
            counts["windows"] += 1
    return f"{counts['old']} old, {counts['new']} new, {counts['windows']} windows killed; all whole"


_WINDOW = """
import sys
from pathlib import Path
from PyQt6.QtCore import QTimer
from soft_lantern.app.main import make_application
from soft_lantern.app.session.session import Session
from soft_lantern.graph.document import changed
application = make_application()
session = Session(Path(sys.argv[1]))
count = [0]
def edit():
    count[0] += 1
    session.apply("Edit", lambda project: changed(project, name=f"Edited {count[0]}"))
    print(count[0], flush=True)
timer = QTimer()
timer.timeout.connect(edit)
timer.start(300)
application.exec()
"""


def _kill_window(folder: Path, chance: random.Random, home: Path) -> None:
    """Edits come every 0.3 s; killed, all but the last two seconds of them are there to be taken up."""
    environment = {**os.environ, "PYTHONPATH": str(ROOT / "src"), "QT_QPA_PLATFORM": "offscreen"}
    window = subprocess.Popen(
        [sys.executable, "-c", _WINDOW, str(folder)], stdout=subprocess.PIPE, text=True, env=environment
    )
    assert window.stdout
    made: list[tuple[float, int]] = []
    wanted = chance.randint(8, 20)
    while len(made) < wanted:
        line = window.stdout.readline()
        assert line, "the window ended by itself"
        made.append((time.monotonic(), int(line)))
    time.sleep(chance.uniform(0, 0.3))
    killed = time.monotonic()
    window.kill()
    window.wait()
    states = left_behind(folder)
    must = max((number for at, number in made if at < killed - 2.2), default=0)
    names = [str(state.head["name"]) for state in states if state.head]
    kept = int(names[0].removeprefix("Edited ")) if names and names[0].startswith("Edited ") else 0
    assert kept >= must, f"{must} edits were older than two seconds, and {kept} are kept"
    for state in states:
        state.file.unlink()
        state.file.with_suffix(".lock").unlink(missing_ok=True)
