"""Problems found in a project: what is wrong, where it starts, and what would mend it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from enum import StrEnum

from msgspec import Struct
from msgspec.structs import replace

from soft_lantern.graph.document import Accepted, Material, Project, changed
from soft_lantern.values.words import counted


class Severity(StrEnum):
    """How bad it is. An error makes `./lantern check` fail; a warning may still be what the author wants."""

    INFO = "info"
    WARNING = "warning"
    ERROR = "error"


class Fix(Struct, frozen=True, eq=False):
    """An edit that mends a notice, and its words: of the notice's material, or of the whole project."""

    words: str
    edit: Callable[[Material], Material] | None = None
    of_project: Callable[[Project], Project] | None = None

    def mended(self, project: Project, material_id: str) -> Project:
        """The project with the edit made."""
        graph = project.graph(material_id)
        if self.edit and graph and graph.id in project.materials:
            project = changed(project, materials={**project.materials, graph.id: self.edit(graph)})
        elif self.edit and graph:
            project = changed(project, snippets={**project.snippets, graph.id: self.edit(graph)})
        return self.of_project(project) if self.of_project else project


class Notice(Struct, frozen=True):
    """One problem. `kind` is a stable word for tools; `place` is a record's id; node and port say where within it.

    `measured` and `possible` are ranges in words, where there are any; `accepted` is the remark of an author who lets
    it stand.
    """

    severity: Severity
    kind: str
    text: str
    place: str = ""
    node: str = ""
    port: str = ""
    measured: str = ""
    possible: str = ""
    fixes: tuple[Fix, ...] = ()
    accepted: str | None = None

    @property
    def open(self) -> bool:
        """Whether it wants looking at: not accepted, and more than a hint."""
        return self.accepted is None and self.severity is not Severity.INFO


def notices_in_words(notices: Sequence[Notice], *, short: bool = False) -> str:
    """How many notices there are, in words: those that want looking at, and what is only a hint or let stand."""
    open_ = sum(notice.open for notice in notices)
    hints = len(notices) - open_
    said = str(open_) if short else counted(open_, "notice")
    return said + (f" + {hints}" if short and hints else f", {counted(hints, 'hint')}" if hints else "")


def with_accepted(material: Material, notices: list[Notice]) -> list[Notice]:
    """The notices of a material with those marked that its author lets stand."""
    remarks = {(a.kind, a.node, a.port): a.remark for a in material.accepted}
    marked = []
    for notice in notices:
        key = (notice.kind, notice.node, notice.port)
        marked.append(replace(notice, accepted=remarks[key]) if key in remarks else notice)
    return marked


def accept(material: Material, notice: Notice, remark: str) -> Material:
    """The material with a notice let stand, and why."""
    entry = Accepted(kind=notice.kind, node=notice.node, port=notice.port, remark=remark)
    return changed(material, accepted=(*unaccept(material, notice).accepted, entry))


def unaccept(material: Material, notice: Notice) -> Material:
    """The material with a notice wanting to be looked at again."""
    key = (notice.kind, notice.node, notice.port)
    return changed(material, accepted=tuple(a for a in material.accepted if (a.kind, a.node, a.port) != key))
