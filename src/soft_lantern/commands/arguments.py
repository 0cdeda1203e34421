"""What people write after a command, as records and values of a project. Raises BadValue in words they can act on."""

from __future__ import annotations

import re
from collections.abc import Iterable
from typing import Protocol, TypeVar

from soft_lantern.errors import BadValue
from soft_lantern.graph.document import Material, Project, changed
from soft_lantern.graph.instances.values import look
from soft_lantern.limits import PICTURE_SIDE
from soft_lantern.values.colour import colour_from_hex
from soft_lantern.values.kinds import Value


class Named(Protocol):
    """A record with an id and a name."""

    @property
    def id(self) -> str: ...

    @property
    def name(self) -> str: ...


T = TypeVar("T", bound=Named)


def named(records: Iterable[T], wanted: str, kind: str) -> T:
    """The record of that id, or of that name whatever its case."""
    listed = list(records)
    for record in listed:
        if record.id == wanted:
            return record
    matches = [r for r in listed if r.name.lower() == wanted.lower()]
    if len(matches) == 1:
        return matches[0]
    if matches:
        raise BadValue(f"several of the project’s {kind}s are called “{wanted}”; use an id: {_ids(matches)}")
    raise BadValue(f"the project has no {kind} “{wanted}”; it has {_ids(listed)}")


def material_and_values(document: Project, material: str, instance: str) -> tuple[Material, dict[str, Value]]:
    """A material with its parameters as the named instance, if any, may set them, and by parameter id its values."""
    found = named(document.materials.values(), material, "material")
    if not instance:
        return found, {}
    tuned = named(document.instances.values(), instance, "instance")
    whole = look(document, tuned.id)
    if whole is None or whole.material.id != found.id:
        raise BadValue(f"{tuned.name} is not an instance of {found.name}")
    return changed(found, parameters=whole.parameters), dict(whole.shown)


def size_of(text: str) -> tuple[int, int]:
    """Width and height in pixels of WIDTHxHEIGHT."""
    parts = text.lower().split("x")
    sides = [int(part) for part in parts if re.fullmatch(r"[0-9]{1,5}", part)]
    if len(parts) != 2 or len(sides) != 2 or not all(1 <= side <= PICTURE_SIDE for side in sides):
        raise BadValue(f"“{text}” is not a size; write WIDTHxHEIGHT, each from 1 to {PICTURE_SIDE}")
    return sides[0], sides[1]


def pair(text: str, option: str) -> tuple[str, str]:
    """The two sides of NAME=VALUE, as an option takes it."""
    name, equals, value = text.partition("=")
    if not equals:
        raise BadValue(f"{option} takes NAME=VALUE, not “{text}”")
    return name.strip(), value.strip()


def value_of(text: str, name: str) -> Value:
    """A number, the numbers of a vector with commas between, or a colour as sRGB hex."""
    if text.startswith("#"):
        return colour_from_hex(text)
    try:
        parts = tuple(float(part) for part in text.split(","))
    except ValueError:
        raise BadValue(f"{name}={text} is not a number, a list of numbers or a hex colour") from None
    return parts if len(parts) > 1 else parts[0]


def _ids(records: Iterable[Named]) -> str:
    return ", ".join(sorted(r.id for r in records)) or "none"
