"""The few errors people meet. Each carries one sentence: what is wrong, where, and what to do."""

from __future__ import annotations


class LanternError(Exception):
    """Something a person can read and act on; shown in one place, never as a stack trace. It is one line."""

    def __init__(self, words: str) -> None:
        super().__init__(" ".join(words.split()))


class BadProject(LanternError):
    """A project folder or one of its files cannot be read as a project."""


class BadFile(LanternError):
    """A mesh or image file is missing, damaged or of a kind that is not read here."""


class Cancelled(LanternError):
    """The person no longer wants what was being done; nothing is changed."""


class BadValue(LanternError):
    """A name or value given by a person does not fit where it was put."""


class BadEdit(LanternError):
    """An edit that would make the document wrong; the document is left as it was."""


class WrongKind(BadEdit):
    """Two ports whose kinds have no conversion between them."""


class WouldCycle(BadEdit):
    """A wire that would make a node feed itself."""


class NoGraphics(LanternError):
    """No usable OpenGL 3.3 context; the NumPy renderer can take over."""
