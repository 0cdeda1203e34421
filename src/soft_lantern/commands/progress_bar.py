"""A bar on the terminal for work that takes a while."""

from __future__ import annotations

import contextlib
from collections.abc import Iterator

from soft_lantern.progress import Progress


@contextlib.contextmanager
def progress_bar() -> Iterator[Progress]:
    """What long work tells how far it is; the bar goes away after it."""
    from rich.console import Console  # a window, which shows bars of its own, need not wait for it
    from rich.progress import Progress as Bar

    with Bar(transient=True, console=Console(stderr=True)) as bar:
        task = bar.add_task("", total=1.0)

        def moved(share: float, words: str) -> None:
            bar.update(task, completed=share, description=words)

        yield moved
