"""What a person chose for the application, from one start to the next."""

from __future__ import annotations

import contextlib
import math

from PyQt6.QtCore import QSettings


def remembered() -> QSettings:
    """The choices by name, as the desktop keeps them."""
    return QSettings("Soft Lantern", "Soft Lantern")


def remembered_number(name: str, usual: float, low: float, high: float) -> float:
    """A number that was chosen, held between two bounds; the usual one where none was, or the file holds none."""
    with contextlib.suppress(ValueError):
        chosen = float(str(remembered().value(name, usual)))
        return usual if math.isnan(chosen) else min(max(chosen, low), high)
    return usual
