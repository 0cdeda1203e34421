"""What a person chose for the application, from one start to the next."""

from __future__ import annotations

from PyQt6.QtCore import QSettings


def remembered() -> QSettings:
    """The choices by name, as the desktop keeps them."""
    return QSettings("Soft Lantern", "Soft Lantern")
