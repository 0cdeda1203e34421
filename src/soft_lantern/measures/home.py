"""A home of its own for what is measured."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager


@contextmanager
def own_home() -> Iterator[None]:
    """Meanwhile nothing that a person's program keeps helps, or is touched; for the processes begun here as well."""
    names = [f"XDG_{kind}_HOME" for kind in ("STATE", "CACHE")]
    before = {name: os.environ.get(name) for name in names}
    # drivers write into their cache even at the end
    with tempfile.TemporaryDirectory(prefix="lantern-", ignore_cleanup_errors=True) as home:
        os.environ |= {name: f"{home}/{name.lower()}" for name in names}
        try:
            yield
        finally:
            for name, value in before.items():
                if value is None:
                    del os.environ[name]
                else:
                    os.environ[name] = value
