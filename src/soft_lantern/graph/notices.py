"""Problems found in a project: what is wrong, and where it starts."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum


class Severity(StrEnum):
    """How bad it is. An error makes `./lantern check` fail; a warning may still be what the author wants."""

    INFO = "info"
    WARNING = "warning"
    ERROR = "error"


@dataclass(frozen=True, slots=True)
class Notice:
    """One problem. `kind` is a stable word for tools; `place` is a record's id; node and port say where within it."""

    severity: Severity
    kind: str
    text: str
    place: str = ""
    node: str = ""
    port: str = ""
