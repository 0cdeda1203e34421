"""The menu of a port that reads a texture, gradient or palette: which one, and how a texture is read."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from PyQt6.QtWidgets import QMenu, QWidget

from soft_lantern.app.widgets.passing import passing
from soft_lantern.graph.document import Gradient, Palette, Texture, changed

_READINGS = {
    "encoding": {"colour": "As colour (sRGB)", "data": "As data (numbers as they are)"},
    "filter": {"linear": "Blend between texels", "nearest": "Nearest texel"},
    "wrap": {"repeat": "Repeat", "clamp": "Clamp to the edge", "mirror": "Mirrored repeat"},
}


def texture_menu(
    parent: QWidget,
    readable: Mapping[str, Texture | Gradient | Palette],
    chosen: str,
    choose: Callable[[str], None],
    more: Mapping[str, Callable[[], None]],
    change: Callable[[Texture], None],
) -> QMenu:
    """A menu to choose one of what can be read, get `more` of it, or change how the chosen texture is read."""
    menu = passing(QMenu(parent))
    for each in sorted(readable.values(), key=lambda each: each.name.lower()):
        action = menu.addAction(each.name)
        if action:
            action.setCheckable(True)
            action.setChecked(each.id == chosen)
            action.triggered.connect(lambda _, read_id=each.id: choose(read_id))
    for words, get in more.items():
        menu.addAction(words, get)
    current = readable.get(chosen)
    if isinstance(current, Texture):
        menu.addSeparator()
        for field, choices in _READINGS.items():
            for value, words in choices.items():
                action = menu.addAction(words)
                if action:
                    action.setCheckable(True)
                    action.setChecked(getattr(current, field) == value)
                    action.triggered.connect(
                        lambda _, field=field, value=value: change(changed(current, **{field: value}))
                    )
            menu.addSeparator()
    return menu
