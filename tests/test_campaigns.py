"""A short form of each campaign, so that what they promise is tried with every change."""

from __future__ import annotations

import importlib
import os
import subprocess
import sys
from collections.abc import Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from pathlib import Path

import pytest

ROOT = Path(__file__).parent.parent
CASES = {
    "faults": 13,
    "hostile": 22,
    "kill": 30,
    "monkey": 100,
    "mutate": 400,
    "readers": 600,
    "readers_beside_savers": 60,
    "soak": 42,
}


def test_every_campaign_has_a_short_form() -> None:
    assert {p.stem for p in (ROOT / "campaigns").glob("[a-z]*.py")} == set(CASES)
    page = (ROOT / "docs" / "reliability.md").read_text()
    assert all(f"**{name}**" in page for name in CASES)
    assert all(CASES[name] <= importlib.import_module(f"campaigns.{name}").CASES for name in CASES)


@pytest.fixture(scope="module")
def running() -> Iterator[dict[str, Future[subprocess.CompletedProcess[str]]]]:
    """All of them, one after another: the other tests go on beside them."""
    with ThreadPoolExecutor(1) as pool:
        yield {name: pool.submit(_run, name) for name in sorted(CASES)}


def _run(name: str) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [sys.executable, "-m", "campaigns", name, "--cases", str(CASES[name]), "--seed", "7"],
        cwd=ROOT,
        env={**os.environ, "PYTHONPATH": str(ROOT)},
        capture_output=True,
        text=True,
        timeout=600,
        check=False,
    )


@pytest.mark.parametrize("name", sorted(CASES))
def test_a_short_campaign_holds(name: str, running: dict[str, Future[subprocess.CompletedProcess[str]]]) -> None:
    done = running[name].result()
    assert done.returncode == 0 and done.stdout.startswith(f"{name}: "), done.stdout + done.stderr[-2000:]
