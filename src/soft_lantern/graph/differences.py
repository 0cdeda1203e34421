"""What differs between two versions of a record, in words."""

from __future__ import annotations

import msgspec

from soft_lantern.graph.document import Record

_WORDS = {"x": "places", "y": "places", "thumbnail_size": "thumbnails", "wears": "what is worn"}


def differences_in_words(one: Record | None, other: Record | None) -> str:
    """What the other version has that the one has not, and where they differ; "equal" where they do not."""
    if one is None or other is None:
        return "not there" if other is None else "new"
    if type(one) is not type(other):
        return "of another kind"
    found = []
    for field in msgspec.structs.fields(one):
        a, b = getattr(one, field.name), getattr(other, field.name)
        if field.name in ("snippets", "unknown") or a == b:
            continue
        words = _WORDS.get(field.name, field.name.replace("_", " "))
        if isinstance(a, dict) and isinstance(b, dict):
            keys = sorted(key for key in a.keys() | b.keys() if a.get(key) != b.get(key))
            words += f": {', '.join(keys[:4])}{' …' if len(keys) > 4 else ''}"
        elif isinstance(a, str | float | int) and isinstance(b, str | float | int):
            words += f": {_short(a)} → {_short(b)}"
        found.append(words)
    return "; ".join(found) or "equal"


def _short(value: object) -> str:
    text = f"{value:g}" if isinstance(value, float) else str(value)
    return text if len(text) <= 40 else text[:39] + "…"
