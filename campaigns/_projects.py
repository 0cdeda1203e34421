"""Projects and processes that campaigns share."""

from __future__ import annotations

import multiprocessing
import os
import resource
import subprocess
import sys
import tempfile
import traceback
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from types import TracebackType

from soft_lantern import cli
from soft_lantern.demo.project import demo_project
from soft_lantern.graph.document import Project, changed

ROOT = Path(__file__).parent.parent
SECONDS = 60
"""A command that takes longer hangs."""


def numbered(project: Project, number: int) -> Project:
    """The project with a number in several of its records, all the same."""
    every_other = sorted(project.instances)[::2]
    instances = {
        i: changed(each, tags=(f"n{number}",)) if i in every_other else each for i, each in project.instances.items()
    }
    return changed(project, name=f"Number {number}", instances=instances)


def number_of(project: Project) -> int | None:
    """The number of such a project where all its records agree, else None."""
    numbers = {int(project.name.removeprefix("Number "))} if project.name.startswith("Number ") else set()
    numbers |= {int(tag[1:]) for each in project.instances.values() for tag in each.tags if tag[:1] == "n"}
    return numbers.pop() if len(numbers) == 1 else None


def small_project() -> Project:
    """The demo's graphs and looks."""
    return numbered(demo_project(), 0)


@contextmanager
def scratch() -> Iterator[Path]:
    """A folder that goes afterwards."""
    with tempfile.TemporaryDirectory(prefix="lantern-") as folder:
        yield Path(folder)


def forked(work: Callable[[], object]) -> multiprocessing.process.BaseProcess:
    """The work in a process of its own, begun; its exit code is 0 if it went well."""
    process = multiprocessing.get_context("fork").Process(target=_then_leave, args=(work,))
    process.start()
    return process


def _then_leave(work: Callable[[], object]) -> None:
    try:
        work()
    except Exception as error:
        print(f"{type(error).__name__}: {error}", file=sys.stderr)
        os._exit(1)
    os._exit(0)


def command(*arguments: str, home: Path | None = None, **variables: str) -> subprocess.CompletedProcess[str]:
    """A headless command as people start it. Raises AssertionError where it hangs."""
    homes = {} if home is None else {"HOME": str(home), "XDG_STATE_HOME": str(home / "state")}
    try:
        return subprocess.run(
            [sys.executable, "-m", "soft_lantern", *arguments],
            capture_output=True,
            text=True,
            timeout=SECONDS,
            env={**os.environ, "PYTHONPATH": str(ROOT / "src"), **homes, **variables},
            check=False,
        )
    except subprocess.TimeoutExpired as error:
        raise AssertionError(f"{' '.join(arguments)} did not end within {SECONDS} s") from error


def forked_command(*arguments: str, memory: int, home: Path) -> subprocess.CompletedProcess[str]:
    """The same in a fork of this process, which has imported already what it needs, with so many bytes of memory."""
    told = [home.parent / name for name in ("stdout", "stderr")]

    def work() -> None:
        for number, file in enumerate(told, 1):
            os.dup2(os.open(file, os.O_WRONLY | os.O_CREAT | os.O_TRUNC), number)
        resource.setrlimit(resource.RLIMIT_DATA, (memory, memory))
        os.environ |= {"HOME": str(home), "XDG_STATE_HOME": str(home / "state")}
        sys.argv = ["lantern", *arguments]
        cli.main()

    process = forked(work)
    process.join(SECONDS)
    if process.is_alive():
        process.kill()
        raise AssertionError(f"{' '.join(arguments)} did not end within {SECONDS} s")
    out, error = (file.read_text(errors="replace") for file in told)
    return subprocess.CompletedProcess(["lantern", *arguments], process.exitcode or 0, out, error)


def one_line(done: subprocess.CompletedProcess[str], codes: tuple[int, ...] = (0, 1, 2)) -> str:
    """What a command said is wrong. Raises AssertionError where that is more than a line, or a stack trace."""
    said = done.stderr.strip()
    assert done.returncode in codes, f"{done.args[-4:]} ended with {done.returncode}: {said[-400:]}"
    assert "Traceback" not in said and len(said.splitlines()) <= 1, f"{done.args[-4:]} said {said[-400:]}"
    return said


@contextmanager
def errors_of_slots() -> Iterator[list[str]]:
    """What slots raise meanwhile, as the ends of their tracebacks."""
    raised: list[str] = []

    def caught(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        raised.append("".join(traceback.format_exception(kind, error, trace)[-3:]))

    before, sys.excepthook = sys.excepthook, caught
    try:
        yield raised
    finally:
        sys.excepthook = before
