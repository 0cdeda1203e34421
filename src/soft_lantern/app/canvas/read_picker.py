"""What a port reads, a texture, gradient or palette: chosen by its picture, and how a texture is read."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from PyQt6.QtWidgets import QWidget

from soft_lantern.app.widgets.passing import passing
from soft_lantern.app.widgets.picture_picker import PicturePicker, give_pictures
from soft_lantern.graph.document import Gradient, Palette, Texture, changed
from soft_lantern.values.kinds import Kind

_READINGS = {
    "encoding": {"colour": "as colour (sRGB)", "data": "as data (numbers as they are)"},
    "filter": {"linear": "blend between texels", "nearest": "nearest texel"},
    "wrap": {"repeat": "repeat", "clamp": "clamp to the edge", "mirror": "mirrored repeat"},
}


def read_picker(
    over: QWidget,
    kind: Kind,
    readable: Mapping[str, Texture | Gradient | Palette],
    chosen: str,
    choose: Callable[[str], None],
    more: Mapping[str, Callable[[], None]],
    change: Callable[[Texture], None],
) -> PicturePicker:
    """A picker of what can be read; after it the ways to get `more`, and other ways to read the chosen texture."""
    records = sorted(readable.values(), key=lambda each: each.name.lower())
    entries = [("", "none"), *((each.id, each.name) for each in records)]
    acts: dict[str, Callable[[], None]] = {f"more {words}": get for words, get in more.items()}
    entries += [(f"more {words}", words) for words in more]
    current = readable.get(chosen)
    if isinstance(current, Texture):
        for field, choices in _READINGS.items():
            for value, words in choices.items():
                if getattr(current, field) != value:
                    made = changed(current, **{field: value})
                    acts[f"{field} {value}"] = lambda made=made: change(made)  # type: ignore[misc]
                    entries.append((f"{field} {value}", f"Read {current.name} {words}"))
    picker = passing(PicturePicker(f"Which {kind}? Part of its name", entries, chosen, over))
    picker.chosen.connect(lambda key: acts[key]() if key in acts else choose(key))
    give_pictures(picker, over)
    return picker
