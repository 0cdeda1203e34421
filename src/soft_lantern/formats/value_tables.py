"""The values of a material's instances as a table, CSV or JSON, out and back in.

A row is an instance, a column a parameter by its identifier; an empty cell is a value that comes from the parent.
Where a look has a layer over its colours, the columns `look.hue`, `look.saturation` and `look.brightness` hold it.
Reading makes a plan: what would change, and what is wrong where. Nothing changes until the plan is applied.
Source of the CSV dialect: RFC 4180; semicolons and tabs, a byte order mark and decimal commas are read as well.
"""

from __future__ import annotations

import csv
import io
import json
import math
import re
from collections.abc import Iterable, Iterator, Mapping
from pathlib import Path
from typing import Any

from msgspec import Struct, field
from msgspec.structs import replace

from soft_lantern.errors import BadFile, BadValue
from soft_lantern.formats.places import read_text, write_whole
from soft_lantern.graph.document import Instance, Material, Parameter, Project, Snapshot, changed, with_records
from soft_lantern.graph.instances.family import all_values, descendants, free_name
from soft_lantern.graph.instances.limits import narrowed
from soft_lantern.graph.instances.shade import MOST, NONE
from soft_lantern.graph.instances.values import ancestry, look, put_instance
from soft_lantern.graph.parameters.edits import choice_of, held, limits_in_words
from soft_lantern.graph.ramps.images import readable_names
from soft_lantern.values.colour import colour_from_hex, colour_to_hex, is_hex_colour
from soft_lantern.values.kinds import Kind, Value, components, fitted

HEAD = ("instance", "id", "parent")
"""The columns before those of the parameters."""
TABLES = (".csv", ".json")
LAYER = {f"look.{name}": name for name in NONE._fields}
"""The columns of the layer over a look's colours, by what each is called in an instance."""


class Trouble(Struct, frozen=True):
    """What is wrong with one cell, counted from 1 in lines and columns of the file."""

    line: int
    column: int
    text: str

    def __str__(self) -> str:
        return f"line {self.line}, column {self.column}: {self.text}"


class Change(Struct, frozen=True):
    """One value of one instance that would change; None is inherited."""

    instance: str
    parameter: str
    before: Value | None
    after: Value | None


class Plan(Struct, frozen=True):
    """What reading a table would change, and what of it is left out because it is wrong.

    `added`: instances that it brings, before any value of theirs; `remarks` on them by id.
    """

    changes: tuple[Change, ...] = ()
    troubles: tuple[Trouble, ...] = ()
    material: str = ""
    added: tuple[Instance, ...] = ()
    remarks: dict[str, str] = field(default_factory=dict)

    def name_of(self, project: Project, instance_id: str) -> str:
        """What an instance is called that is there, or is added."""
        added = {each.id: each for each in self.added}
        return (added.get(instance_id) or project.instances[instance_id]).name

    def applied(self, project: Project) -> Project:
        """The project with the changes made."""
        for each in self.added:
            project = put_instance(project, changed(each, name=free_name(project, each.name)))
        project = self._with_values(project)
        for instance_id, remark in self.remarks.items():
            found = look(project, instance_id)
            if found:
                kept = Snapshot(id=f"{instance_id}_remark", look=instance_id, remark=remark, values=all_values(found))
                project = with_records(project, kept)
        return project

    def _with_values(self, project: Project) -> Project:
        for change in self.changes:
            instance = project.instances[change.instance]
            if change.parameter in LAYER:
                layer = {LAYER[change.parameter]: change.after or 0.0}
                project = put_instance(project, changed(instance, **layer))
                continue
            values = {key: value for key, value in instance.values.items() if key != change.parameter}
            if change.after is not None:
                values[change.parameter] = change.after
            project = put_instance(project, changed(instance, values=values))
        return project


def to_csv(project: Project, material_id: str) -> str:
    """The overrides of a material's instances as CSV."""
    material = project.materials[material_id]
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    family = list(descendants(project, material_id))
    layered = LAYER if any(_layer(each) for each in family) else {}
    writer.writerow([*HEAD, *(p.identifier for p in material.parameters), *layered])
    for instance in family:
        values = [cell(p, instance.values[p.id]) if p.id in instance.values else "" for p in material.parameters]
        layer = _layer(instance)
        values += [repr(layer[name]) if name in layer else "" for name in layered]
        writer.writerow(map(guarded, [instance.name, instance.id, instance.parent, *values]))
    return out.getvalue()


def to_json(project: Project, material_id: str) -> str:
    """The same as JSON: values are numbers, lists of linear components, or texts, as in the project's own files."""
    material = project.materials[material_id]
    named = {p.id: p.identifier for p in material.parameters}
    rows = [
        {
            "instance": instance.name,
            "id": instance.id,
            "parent": instance.parent,
            "values": {named[key]: value for key, value in instance.values.items() if key in named} | _layer(instance),
        }
        for instance in descendants(project, material_id)
    ]
    return json.dumps({"material": material_id, "instances": rows}, indent=2, ensure_ascii=False) + "\n"


def _layer(instance: Instance) -> dict[str, float]:
    """What of the layer over its colours an instance has of its own, by the column."""
    return {name: float(value) for name, field in LAYER.items() if (value := getattr(instance, field))}


def cell(parameter: Parameter, value: Value) -> str:
    """A value as text that reads back as exactly the same: hex where a colour is one, else its parts with spaces."""
    if isinstance(value, str):
        return value
    parts = components(value)
    if parameter.choices and parts[0] == int(parts[0]) and 0 <= parts[0] < len(parameter.choices):
        return parameter.choices[int(parts[0])]
    if parameter.kind is Kind.COLOUR and colour_from_hex(colour_to_hex(parts)) == parts:
        return colour_to_hex(parts)
    return " ".join(repr(float(part)) for part in parts)


_FORMULA = re.compile(r"'*[=+\-@\t\r]")
_NUMBERS_ALONE = re.compile(r"[-+0-9.eE ]*\Z")


def guarded(text: str) -> str:
    """A text that no spreadsheet takes for a formula: one that begins like one gets an apostrophe, numbers do not."""
    return f"'{text}" if _FORMULA.match(text) and not _NUMBERS_ALONE.match(text) else text


def unguarded(text: str) -> str:
    """The text that `guarded` was given."""
    return text[1:] if text[:1] == "'" and _FORMULA.match(text) else text


def write_table(project: Project, material_id: str, path: Path) -> None:
    """Write the table as CSV or JSON, by the file's ending. Raises BadFile."""
    text = to_json(project, material_id) if path.suffix.lower() == ".json" else to_csv(project, material_id)
    write_whole(path, text)


def read_table(project: Project, material_id: str, path: Path) -> Plan:
    """The plan of a table in a file, for the material whose instances it names by their ids.

    `material_id`: whose they are where no id says. Raises BadFile where it is no table at all.
    """
    text = read_text(path)
    rows = list(json_rows(text, path.name) if path.suffix.lower() == ".json" else _csv_rows(text, path.name))
    named = (str(row.cells["id"][0]) for row in rows if not row.header and "id" in row.cells)
    materials = [ancestry(project, each)[1] for each in named if each in project.instances]
    found = next((material for material in materials if material), project.materials[material_id])
    return replace(Planner(project, found).plan(rows), material=found.id)


class Row(Struct, frozen=True):
    """A row as it was read: its place, and each cell by its column's name with the cell's own place."""

    line: int
    column: int
    cells: Mapping[str, tuple[Any, int, int]]
    header: bool = False


class Planner:
    """Reads rows into a plan."""

    def __init__(self, project: Project, material: Material) -> None:
        self.project, self.material = project, material
        self.family = list(descendants(project, material.id))
        self.parameters = {p.identifier: p for p in material.parameters}
        self.changes: dict[tuple[str, str], Change] = {}
        self.troubles: list[Trouble] = []

    def plan(self, rows: Iterable[Row]) -> Plan:
        """What they would change."""
        for row in rows:
            if row.header:
                self._check_columns(row)
            else:
                self._read(row)
        return Plan(tuple(self.changes.values()), tuple(sorted(self.troubles, key=lambda t: (t.line, t.column))))

    def _check_columns(self, row: Row) -> None:
        for name, (_, line, column) in row.cells.items():
            if name not in self.parameters and name not in HEAD and name not in LAYER:
                known = ", ".join(self.parameters) or "none"
                self._say(line, column, f"{self.material.name} has no parameter “{name}”; it has {known}")

    def _read(self, row: Row) -> None:
        instance = self._instance(row)
        if instance is None:
            return
        parent, line, column = row.cells.get("parent", (instance.parent, row.line, row.column))
        if parent not in ("", instance.parent):
            self._say(line, column, f"{instance.name}’s parent is {instance.parent} here; a table changes values alone")
        for name, (given, line, column) in row.cells.items():
            parameter = self.parameters.get(name)
            if parameter is None and name not in LAYER:
                continue
            empty = given is None or given == ""
            try:
                if parameter is None:
                    value: Value | None = None if empty else _of_layer(name, given)
                else:
                    (here,) = narrowed((parameter,), ancestry(self.project, instance.id)[0])
                    value = None if empty else read_value(here, given, self.project)
            except BadValue as error:
                self._say(line, column, str(error))
                continue
            before = instance.values.get(parameter.id) if parameter else _layer(instance).get(name)
            key = (instance.id, parameter.id if parameter else name)
            if key in self.changes and self.changes[key].after != value:
                self._say(line, column, f"{instance.name}’s {name} stands in the table twice")
            elif value != before:
                self.changes[key] = Change(*key, before, value)

    def _instance(self, row: Row) -> Instance | None:
        for key in ("id", "instance"):
            wanted, line, column = row.cells.get(key, ("", row.line, row.column))
            if not wanted:
                continue
            found = [i for i in self.family if wanted == (i.id if key == "id" else i.name)]
            if len(found) == 1:
                return found[0]
            chain, other = ancestry(self.project, str(wanted))
            if len(found) > 1:
                self._say(line, column, f"several instances are called “{wanted}”; say which by its id")
            elif chain and other:
                self._say(line, column, f"{chain[0].name} is an instance of {other.name}, not of {self.material.name}")
            else:
                self._say(line, column, f"{self.material.name} has no instance “{wanted}”")
            return None
        self._say(row.line, row.column, "this row names no instance")
        return None

    def _say(self, line: int, column: int, text: str) -> None:
        self.troubles.append(Trouble(line, column, text))


def read_value(parameter: Parameter, given: Any, project: Project) -> Value:
    """What a cell or field says, in the parameter's kind and within its limits. Raises BadValue."""
    name = parameter.identifier
    if parameter.kind.is_read:
        named = [key for key, called in readable_names(project)[parameter.kind].items() if given in (key, called)]
        if len(named) != 1:
            raise BadValue(f"{name}: there is no {parameter.kind.words} “{given}”")
        return named[0]
    if parameter.choices and isinstance(given, str):
        given = choice_of(parameter, given)
    value = _numbers(parameter, given)
    if any(not math.isfinite(part) for part in components(value)):
        raise BadValue(f"{name}: “{given}” is not a finite number")
    kept = held(parameter, value)
    if kept != fitted(value, parameter.kind):
        raise BadValue(f"{name}: {given} is outside its limits, {limits_in_words(parameter)}")
    return kept


def _of_layer(name: str, given: Any) -> float | None:
    """A number of the layer over a look's colours, None where it adds nothing. Raises BadValue."""
    try:
        value = float(str(given).replace(",", "."))
    except ValueError:
        raise BadValue(f"{name}: “{given}” is not a number") from None
    if not math.isfinite(value) or (LAYER[name] != "hue" and not -1.0 <= value <= MOST):
        raise BadValue(f"{name}: {given} is outside its limits, -1 to {MOST:g}")
    return value or None


def _numbers(parameter: Parameter, given: Any) -> Value:
    wrong = f"{parameter.identifier}: “{given}” is not a {parameter.kind.words}"
    if isinstance(given, str):
        if parameter.kind is Kind.COLOUR and is_hex_colour(given):
            return colour_from_hex(given)
        texts = given.split()
        parts: list[Any] = [
            text.replace(",", ".") if text.count(",") == 1 and "." not in text else text for text in texts
        ]
    else:
        parts = given if isinstance(given, list) else [given]
    if len(parts) != parameter.kind.width or any(isinstance(part, bool) for part in parts):
        raise BadValue(wrong)
    try:
        found = tuple(float(part) for part in parts)
    except (TypeError, ValueError, OverflowError):
        raise BadValue(wrong) from None
    return found if parameter.kind.width > 1 else found[0]


def _csv_rows(text: str, name: str) -> Iterator[Row]:
    first = text.partition("\n")[0]
    delimiter = max(",;\t", key=first.count)
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=delimiter, strict=True)
    header: list[str] | None = None
    begun = 1
    try:
        for cells in reader:
            line, begun = begun, reader.line_num + 1
            if not any(cell_.strip() for cell_ in cells):
                continue
            if header is None:
                header = [cell_.strip() for cell_ in cells]
                doubled = [h for h in header if h and header.count(h) > 1]
                if doubled or not set(header) & {"id", "instance"}:
                    what = f"has the column {doubled[0]} twice" if doubled else "has no column “id” or “instance”"
                    raise BadFile(f"{name} {what} in line {line}")
                places = {h: (h, line, n) for n, h in enumerate(header, 1) if h}
                yield Row(line, 1, places, header=True)
                continue
            given = {
                h: (unguarded(c.strip()), line, n) for n, (h, c) in enumerate(zip(header, cells, strict=False), 1) if h
            }
            yield Row(line, 1, given)
    except csv.Error as error:
        raise BadFile(f"{name} is not sound CSV in line {reader.line_num}: {error}") from error
    if header is None:
        raise BadFile(f"{name} is empty")


def json_rows(text: str, name: str) -> Iterator[Row]:
    """The rows of a table in JSON. Raises BadFile where it is none."""
    try:
        rows = json.loads(text)["instances"]
        assert isinstance(rows, list)
    except json.JSONDecodeError as error:
        raise BadFile(f"{name} is not JSON at line {error.lineno}, column {error.colno}: {error.msg}") from error
    except (KeyError, TypeError, AssertionError, RecursionError) as error:
        raise BadFile(f"{name} holds no list of “instances”") from error
    known: set[str] = set()
    for row, (start, end) in zip(rows, _spans(text), strict=True):
        line, column = _place(text, start)
        if not isinstance(row, dict) or not isinstance(row.get("values", {}), dict):
            raise BadFile(f"{name}: the instance at line {line}, column {column} holds no “values”")
        cells = {key: (row[key], *_place_of(text, key, start, end)) for key in HEAD if key in row}
        values = {str(key): (given, *_place_of(text, key, start, end)) for key, given in row.get("values", {}).items()}
        new = {key: cell_ for key, cell_ in values.items() if key not in known}
        known |= set(new)
        yield Row(line, column, new, header=True)
        yield Row(line, column, {**values, **cells})


def _spans(text: str) -> Iterator[tuple[int, int]]:
    """Where each element of the list of instances begins and ends."""
    found = re.search(r'"instances"\s*:\s*\[', text)
    at, decoder = found.end() if found else 0, json.JSONDecoder()
    while True:
        at = re.compile(r"[\s,]*").match(text, at).end()  # type: ignore[union-attr]
        if text[at : at + 1] in ("]", ""):
            return
        _, end = decoder.raw_decode(text, at)
        yield at, end
        at = end


def _place_of(text: str, key: str, start: int, end: int) -> tuple[int, int]:
    found = re.compile(rf"{re.escape(json.dumps(key, ensure_ascii=False))}\s*:").search(text, start, end)
    return _place(text, found.start() if found else start)


def _place(text: str, at: int) -> tuple[int, int]:
    return text.count("\n", 0, at) + 1, at - text.rfind("\n", 0, at)
