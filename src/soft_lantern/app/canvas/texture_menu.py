"""The menu of a texture port: which texture it reads, and how that texture is read."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

from PyQt6.QtWidgets import QMenu, QWidget

from soft_lantern.graph.document import Gradient, Palette, Texture, changed

_READINGS = {
    "encoding": {"colour": "As colour (sRGB)", "data": "As data (numbers as they are)"},
    "filter": {"linear": "Blend between texels", "nearest": "Nearest texel"},
    "wrap": {"repeat": "Repeat", "clamp": "Clamp to the edge", "mirror": "Mirrored repeat"},
}


def texture_menu(
    parent: QWidget,
    textures: Mapping[str, Texture],
    ramps: Sequence[Gradient | Palette],
    chosen: str,
    choose: Callable[[str], None],
    load: Callable[[], None],
    change: Callable[[Texture], None],
) -> QMenu:
    """A menu to choose one of the textures, load another, or change how the chosen one is read.

    `ramps`: the gradients or palettes that the port reads as well.
    """
    menu = QMenu(parent)
    for texture in sorted([*textures.values(), *ramps], key=lambda t: t.name.lower()):
        action = menu.addAction(texture.name)
        if action:
            action.setCheckable(True)
            action.setChecked(texture.id == chosen)
            action.triggered.connect(lambda _, texture_id=texture.id: choose(texture_id))
    menu.addAction("Load an image…", load)
    current = textures.get(chosen)
    if current:
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
