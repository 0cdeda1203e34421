"""Answers: what someone sends back who has no more than a review page. Tables of values, with new looks in them.

Nothing of an answer is trusted: it names this project, a material and looks that are here, and each value is held to
the limits it has here.
"""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from msgspec.structs import replace

from soft_lantern.errors import BadFile
from soft_lantern.formats.places import read_text
from soft_lantern.formats.value_tables import LAYER, Change, Plan, Planner, Row, cell, json_rows, read_table
from soft_lantern.graph.document import Instance, Material, Project, new_id
from soft_lantern.graph.instances.values import ancestry, put_instance
from soft_lantern.graph.ramps.images import readable_names
from soft_lantern.values.kinds import Value

ANSWER = "soft-lantern-answer"
"""What an answer says it is."""
INHERITED, NO_LAYER = "from the parent", "none"
LETTERS = 200
"""Of a name or a remark, as many count."""


def read_values(project: Project, material_id: str, path: Path) -> Plan:
    """The plan of a table or an answer in a file. Raises BadFile where it is neither; see `read_table`."""
    if path.suffix.lower() == ".json":
        text = read_text(path)
        found = _head(text)
        if found.get("format") == ANSWER:
            return _answered(project, found, text, path.name)
    return read_table(project, material_id, path)


def change_in_words(plan: Plan, project: Project, material: Material, change: Change) -> tuple[str, str, str, str]:
    """Of a change in a plan: the instance, the parameter, its value now and then, as people read them."""
    parameter = material.parameter(change.parameter)

    def said(value: Value | None) -> str:
        if value is None:
            return INHERITED if parameter else NO_LAYER
        if parameter and parameter.kind.is_read:
            return readable_names(project)[parameter.kind].get(str(value), str(value))
        return cell(parameter, value) if parameter else f"{value}"

    label = parameter.label if parameter else f"{LAYER[change.parameter]} of the whole look"
    return plan.name_of(project, change.instance), label, said(change.before), said(change.after)


def _head(text: str) -> dict[str, Any]:
    try:
        found = json.loads(text)
    except (json.JSONDecodeError, RecursionError):
        return {}  # as a table, it is told what is wrong
    return found if isinstance(found, dict) else {}


def _answered(project: Project, found: dict[str, Any], text: str, name: str) -> Plan:
    if found.get("project") != project.name:
        raise BadFile(f"{name} answers a page of “{_short(found.get('project'))}”, not of “{project.name}”")
    material = project.materials.get(str(found.get("material")))
    if material is None:
        raise BadFile(f"{name} is about a material that is not here: {_short(found.get('material'))}")
    added, remarks, rows = [], {}, []
    for row in json_rows(text, name):
        if row.header:
            rows.append(row)
            continue
        instance = _new_look(project, material, row, name)
        added.append(instance)
        project = put_instance(project, instance)
        rows.append(replace(row, cells={**row.cells, "id": (instance.id, row.line, row.column)}))
    for instance, given in zip(added, found["instances"], strict=True):
        remark = _short(given.get("remark", "")).strip()
        if remark:
            remarks[instance.id] = remark
    plan = Planner(project, material).plan(rows)
    return replace(plan, material=material.id, added=tuple(added), remarks=remarks)


def _new_look(project: Project, material: Material, row: Row, name: str) -> Instance:
    parent = _short(row.cells.get("parent", ("", 0, 0))[0])
    chain, behind = ancestry(project, parent)
    if behind is None or behind.id != material.id:
        raise BadFile(f"{name}, line {row.line}: {material.name} has no look “{parent}” that this one could come from")
    called = _short(row.cells.get("instance", ("", 0, 0))[0]).strip()
    fallback = f"{chain[0].name if chain else material.name}, tuned"
    return Instance(id=new_id("answer"), name=called or fallback, parent=parent)


def _short(given: object) -> str:
    return str(given if given is not None else "")[:LETTERS]
