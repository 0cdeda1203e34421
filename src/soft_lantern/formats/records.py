"""A project's records as text: each a JSON file of its own, with whatever a later version put in it kept in place."""

from __future__ import annotations

import json
import re
import types
import typing
from collections.abc import Callable, Mapping
from functools import cache
from typing import Any, TypeVar

import msgspec

from soft_lantern.graph.document import (
    FORMAT_VERSION,
    Asset,
    Gradient,
    Instance,
    Material,
    Palette,
    Pick,
    Project,
    Record,
    Scene,
    Snapshot,
    Texture,
    alone,
)
from soft_lantern.graph.soundness import sound
from soft_lantern.limits import RECORD_BYTES
from soft_lantern.values.kinds import LARGEST, is_single

FOLDERS: dict[str, type[Record]] = {
    "materials": Material,
    "snippets": Material,
    "instances": Instance,
    "snapshots": Snapshot,
    "picks": Pick,
    "textures": Texture,
    "gradients": Gradient,
    "palettes": Palette,
    "assets": Asset,
    "scenes": Scene,
}
HEAD = "project.json"
"""The file of what belongs to the project as a whole."""
HEAD_FIELDS = ("name", "swatches", "budgets")

_ID = re.compile(r"[A-Za-z0-9][A-Za-z0-9_-]{0,99}\Z")
_PERHAPS_ENDLESS = re.compile(rb"[0-9](?:[eE]\+?(?:3[89]|[4-9][0-9]|[0-9]{3})|[0-9]{37})")
"""Numbers that may be larger than a 32-bit float, which the quick reader lets by."""
_PERHAPS_HALF = b"\\u"
"""Escapes, which may stand for halves of surrogate pairs: it lets them by as well."""

R = TypeVar("R", bound=Record)


def read_record(data: bytes, kind: type[R]) -> tuple[R, list[str]]:
    """A record in the text of its file, and what had to be mended in it. Raises ValueError with what is wrong."""
    raw, mended = parsed(data)
    try:
        read = _converted(raw, kind, data)
    except msgspec.ValidationError:
        if not mended:
            raise
        read = _converted(parsed(data, leave_out=False)[0], kind, data)
    read, found = sound(read)
    mended += found
    if not _ID.match(read.id):  # type: ignore[attr-defined]
        raise ValueError("its id may hold only letters, digits, - and _")
    return read, mended


def read_head(data: bytes, name: str) -> tuple[Project, list[str]]:
    """What a project's first file says of it, without any record. `name`: where it says none. Raises ValueError."""
    raw, mended = parsed(data)
    if "format" not in raw:
        raise ValueError("it does not say its format, so this is no project")
    if not isinstance(raw.get("name", name), str):
        raise ValueError("its name is not a text")
    beyond = {key: value for key, value in raw.items() if key not in ("format", *HEAD_FIELDS)}
    return msgspec.structs.replace(head_from_raw({"name": name, **raw}), unknown=beyond), mended


def head_from_raw(raw: Mapping[str, Any]) -> Project:
    """A project by what JSON values say of it as a whole; other fields do not count. Raises ValueError."""
    return msgspec.convert({key: raw[key] for key in HEAD_FIELDS if key in raw}, Project)


def _converted(raw: dict[str, Any], kind: type[R], data: bytes) -> R:
    told = {key: value for key, value in raw.items() if key != "format" and key != "snippets"}
    try:
        if b'"unknown"' not in data:
            return msgspec.convert(told, kind)
    except msgspec.ValidationError:
        pass  # a field that this version does not know, or something wrong
    return from_raw(told, kind)


def from_raw(raw: dict[str, Any], kind: type[R]) -> R:
    """A record of JSON values. What no record of its kind has is kept in `unknown`. Raises ValueError."""
    return msgspec.convert(_each_record(raw, kind, _put_aside), kind)


def to_raw(record: Record) -> dict[str, Any]:
    """A record as JSON values, with what was kept in `unknown` in its place again."""
    raw: dict[str, Any] = _each_record(msgspec.to_builtins(alone(record)), type(record), _put_back)
    return {**raw, "format": FORMAT_VERSION}


def record_text(record: Record) -> bytes:
    """A record's file."""
    return as_text(to_raw(record))


def head_text(project: Project) -> bytes:
    """The project's first file."""
    told = {key: value for key, value in msgspec.to_builtins(head_of(project)).items() if value or key == "name"}
    return as_text({**project.unknown, "format": FORMAT_VERSION, **told})


def head_of(project: Project) -> dict[str, Any]:
    """What belongs to a project as a whole, by field."""
    return {key: getattr(project, key) for key in HEAD_FIELDS}


def project_files(project: Project) -> dict[str, bytes]:
    """Every file of the project by its path in the folder."""
    files = {HEAD: head_text(project)}
    for name in FOLDERS:
        files |= {path_of(name, r.id): record_text(r) for r in getattr(project, name).values()}
    return files


def path_of(folder: str, record_id: str) -> str:
    """Where a record's file lies in the project."""
    return f"{folder}/{record_id}.json"


def as_text(raw: Any) -> bytes:
    """JSON that people can read and compare. It holds no NaN and no infinity."""
    try:
        text = _in_one_line(raw)
    except ValueError:
        text = _in_one_line(_finite(raw, []))
    return msgspec.json.format(text.encode("utf-8", "replace"), indent=2) + b"\n"


def _in_one_line(raw: Any) -> str:
    # Lines of their own are not asked for here: for those the writer works in Python, beside a window's hands.
    return json.dumps(raw, sort_keys=True, ensure_ascii=False, allow_nan=False)


def parsed(data: bytes, *, leave_out: bool = True) -> tuple[dict[str, Any], list[str]]:
    """The JSON object in a file, its numbers finite, and what was mended for that. Raises ValueError.

    `leave_out`: whether a field that is not finite is left out, so that its default counts, or becomes a number.
    """
    if len(data) > RECORD_BYTES:
        raise ValueError(f"larger than {RECORD_BYTES >> 20} MB")
    mended: list[str] = []
    try:
        try:
            raw = msgspec.json.decode(data)
            if _PERHAPS_HALF in data or _PERHAPS_ENDLESS.search(data):
                raw = _finite(raw, mended, leave_out=leave_out)
        except msgspec.DecodeError:
            # The common reader takes more, such as NaN, and tells where a mistake is.
            raw = _finite(json.loads(data), mended, leave_out=leave_out)
    except RecursionError:
        raise ValueError("nested too deeply") from None
    except json.JSONDecodeError as error:
        raise ValueError(f"not JSON at line {error.lineno}, column {error.colno}: {error.msg}") from None
    if not isinstance(raw, dict):
        raise ValueError("holds no JSON object")
    said = raw.get("format", FORMAT_VERSION)
    if not isinstance(said, int) or isinstance(said, bool):
        raise ValueError("its format is not a whole number")
    if said > FORMAT_VERSION:
        raise ValueError(f"its format is {said}, and this version reads up to {FORMAT_VERSION}")
    return raw, mended


def schemas() -> dict[str, dict[str, Any]]:
    """The JSON Schema (draft 2020-12) of each kind of file."""
    found: dict[str, dict[str, Any]] = {
        "project": {
            "type": "object",
            "properties": {
                "name": {"type": "string"},
                "swatches": {"type": "array", "items": _COLOUR},
                "budgets": {"type": "array", "items": _BUDGET},
            },
            "required": ["name"],
        }
    }
    for record in FOLDERS.values():
        (schema,), definitions = msgspec.json.schema_components([record])
        own = definitions.pop(schema["$ref"].rsplit("/", 1)[1])
        for each in (own, *definitions.values()):
            each.get("properties", {}).pop("unknown", None)
            each.pop("additionalProperties", None)  # what a later version adds is kept
        own["properties"].pop("snippets", None)
        found[record.__name__.lower()] = {**own, "$defs": definitions}
    for title, schema in found.items():
        schema["properties"]["format"] = {"const": FORMAT_VERSION}
        schema["required"] = sorted({*schema.get("required", []), "format"})
        schema["$schema"] = "https://json-schema.org/draft/2020-12/schema"
        schema["title"] = title
        found[title] = json.loads(json.dumps(schema))
    return found


_BUDGET = {
    "type": "object",
    "properties": {"name": {"type": "string"}}
    | {key: {"type": "integer", "minimum": 0} for key in ("operations", "texture_reads", "live")},
    "required": ["name"],
}
_COLOUR = {"type": "array", "items": {"type": "number"}, "minItems": 4, "maxItems": 4}


def _finite(raw: Any, mended: list[str], place: str = "", *, leave_out: bool = False) -> Any:
    """JSON values with 0 or the largest number there is for NaN and infinity, and whole letters for halves of them."""
    if isinstance(raw, dict):
        kept = {}
        for key, value in raw.items():
            if leave_out and isinstance(value, float | int) and not is_single(value):
                mended.append(f"{place}{key}")
            else:
                kept[_whole(key, mended)] = _finite(value, mended, f"{place}{key}.", leave_out=leave_out)
        return kept
    if isinstance(raw, list | tuple):
        return [_finite(value, mended, place, leave_out=leave_out) for value in raw]
    if isinstance(raw, int | float) and not isinstance(raw, bool) and not is_single(raw):
        mended.append(place.rstrip("."))
        return 0.0 if raw != raw else LARGEST if raw > 0 else -LARGEST
    return _whole(raw, mended) if isinstance(raw, str) else raw


def _whole(text: str, mended: list[str]) -> str:
    if text.isascii():
        return text
    whole = text.encode("utf-16", "surrogatepass").decode("utf-16", "replace")
    if whole != text:
        mended.append(f"text {whole[:20]}")
    return whole


def _put_aside(raw: dict[str, Any], known: typing.Container[str]) -> dict[str, Any]:
    beyond = {key: value for key, value in raw.items() if key not in known or key == "unknown"}
    return {**{k: v for k, v in raw.items() if k not in beyond}, "unknown": beyond} if beyond else raw


def _put_back(raw: dict[str, Any], known: typing.Container[str]) -> dict[str, Any]:
    beyond = raw.pop("unknown", {})
    return {**beyond, **raw} if beyond else raw


def _each_record(raw: Any, kind: Any, change: Callable[[dict[str, Any], typing.Container[str]], dict[str, Any]]) -> Any:
    """JSON values of a type, with every record in them changed."""
    if not _holds_records(kind):
        return raw
    if _is_record(kind):
        if not isinstance(raw, dict):
            return raw
        hints = _hints(kind)
        inside = {k: _each_record(v, hints[k], change) if _holds_records(hints.get(k)) else v for k, v in raw.items()}
        return change(inside, hints)
    args = typing.get_args(kind)
    if isinstance(raw, dict) and typing.get_origin(kind) is dict:
        return {key: _each_record(value, args[1], change) for key, value in raw.items()}
    if isinstance(raw, list | tuple) and typing.get_origin(kind) is tuple:
        return [_each_record(value, args[0], change) for value in raw]
    if isinstance(raw, dict) and typing.get_origin(kind) in (types.UnionType, typing.Union):
        (record,) = (each for each in args if _is_record(each))
        return _each_record(raw, record, change)
    return raw


def _is_record(kind: Any) -> bool:
    return isinstance(kind, type) and issubclass(kind, msgspec.Struct)


@cache
def _hints(record: type) -> dict[str, Any]:
    return typing.get_type_hints(record)


@cache
def _holds_records(kind: Any) -> bool:
    """Whether a value of a type can hold a record, and so a field that is not known."""
    return _is_record(kind) or any(_holds_records(each) for each in typing.get_args(kind))
