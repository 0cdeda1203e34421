"""What is said where a program that proves is not on the machine."""

from __future__ import annotations

from soft_lantern.errors import LanternError


class Absent(LanternError):
    """A program or a device that proves is not here: nothing is proven, and nothing has failed."""
