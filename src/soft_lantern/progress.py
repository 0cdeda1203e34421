"""How long work tells how far it is, and hears that nobody wants it any more."""

from __future__ import annotations

from typing import Protocol


class Progress(Protocol):
    """Called with the share that is done, 0–1, and what is being done. Raises Cancelled where it is to stop."""

    def __call__(self, share: float, words: str) -> None: ...


def silent(share: float, words: str) -> None:
    """For work that nobody watches."""
