"""What is found by words, and what uses each record, against a search through all that is written down."""

from __future__ import annotations

from collections.abc import Iterator

import msgspec

from soft_lantern.demo.project import demo_project
from soft_lantern.graph.document import Project
from soft_lantern.graph.records import KINDS, found, records, users

WORDS = {"id", "name", "identifier", "label", "group", "tooltip", "choices", "unit", "shown_when", "sky"}
"""Fields that hold words for people, or names of their own."""


def texts(value: object) -> Iterator[str]:
    """Every text within what a record is written as."""
    if isinstance(value, str):
        yield value
    elif isinstance(value, dict):
        for key, each in value.items():
            if key not in WORDS:
                yield from texts(each)
    elif isinstance(value, (list, tuple)):
        for each in value:
            yield from texts(each)


def naming(project: Project, record_id: str) -> set[str]:
    """The ids of records in whose written form an id stands as a value."""
    return {
        holder.id
        for field in KINDS
        for holder in getattr(project, field).values()
        if record_id in texts(msgspec.to_builtins(holder))
    }


def test_what_uses_a_record_is_what_names_it() -> None:
    project, used = demo_project(), 0
    for each in records(project):
        wanted = naming(project, each.record)
        got = {place.record for place in users(project, each.record)}
        assert got == wanted, each
        used += bool(wanted)
    assert used > 60


def test_words_find_records_nodes_parameters_and_objects_the_nearest_name_first() -> None:
    project = demo_project()
    assert len(records(project)) == sum(len(getattr(project, field)) for field in KINDS)
    assert found(project, "kettle metal")[0].words == "Kettle metal · material"
    kinds = {each.what for each in found(project, "kettle")}
    assert kinds >= {"material", "asset", "parameter", "node", "object"}
    names = [each.name.lower() for each in found(project, "kettle")]
    first_without = next(n for n, name in enumerate(names) if "kettle" not in name)
    assert not any("kettle" in name for name in names[first_without:])
    assert found(project, "no such thing") == []
