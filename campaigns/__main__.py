"""python -m campaigns NAME: the campaign's line of figures, or what broke."""

from __future__ import annotations

import argparse
import importlib
import os
import pkgutil
import sys
import tempfile
import time

import campaigns


def main() -> int:
    """Run one campaign, or all of them; 1 where a promise did not hold."""
    names = sorted(each.name for each in pkgutil.iter_modules(campaigns.__path__) if not each.name.startswith("_"))
    parser = argparse.ArgumentParser(prog="lantern campaign", description=campaigns.__doc__)
    parser.add_argument("name", choices=[*names, "all"])
    parser.add_argument("--cases", type=int, default=0, help="how many; else as many as make a full campaign")
    parser.add_argument("--seed", type=int, default=1)
    given = parser.parse_args()
    os.environ["PYTHONDONTWRITEBYTECODE"] = "1"  # a full disk would leave half a file of it
    # A graphics driver writes what it compiled into the cache even as the program ends.
    with tempfile.TemporaryDirectory(
        prefix="lantern-home-", ignore_cleanup_errors=True
    ) as home:  # no hand of theirs touches the person's own
        os.environ |= {"XDG_CONFIG_HOME": f"{home}/config", "XDG_STATE_HOME": f"{home}/state"}
        os.environ["XDG_CACHE_HOME"] = f"{home}/cache"
        return _run(names if given.name == "all" else [given.name], given.cases, given.seed)


def _run(names: list[str], cases: int, seed: int) -> int:
    failed = 0
    for name in names:
        module = importlib.import_module(f"campaigns.{name}")
        started = time.monotonic()
        try:
            figures = module.run(cases or module.CASES, seed)
        except AssertionError as error:
            failed = 1
            figures = f"BROKEN: {error}"
        print(f"{name}: {figures} ({time.monotonic() - started:.0f} s, seed {seed})", flush=True)
    return failed


if __name__ == "__main__":
    sys.exit(main())
