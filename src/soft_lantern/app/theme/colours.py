"""The two themes: paper (light) and dusk (dark). Amber only for what is selected or live; grey where colour is judged.

Words keep a contrast of 4.5 to 1 with all they stand on, and marks 3 to 1 (WCAG 2.1, 1.4.3 and 1.4.11).
"""

from __future__ import annotations

import functools

from msgspec import Struct
from PyQt6.QtGui import QColor


class Theme(Struct, frozen=True):
    """Every colour of the window, as hex text.

    `amber`: lines and words of what is live; `lit`: what lies under what is selected, and `on_lit` the words on it.
    `surround`: what stands next to colours that are judged: a true grey, so that it tints none of them, with at most a
    fifth of white's luminance (after ISO 3664 and ISO 12646, from memory).
    """

    name: str
    ground: str
    panel: str
    raised: str
    edge: str
    text: str
    quiet: str
    amber: str
    lit: str
    on_lit: str
    trouble: str
    wire: str
    surround: str

    def colour(self, role: str, alpha: float = 1.0) -> QColor:
        """The colour of a role, such as "amber"."""
        return QColor(_colour(getattr(self, role), alpha))


@functools.cache
def _colour(text: str, alpha: float) -> QColor:
    found = QColor(text)
    found.setAlphaF(alpha)
    return found


DUSK = Theme(
    name="dusk",
    ground="#15151d",
    panel="#1d1d27",
    raised="#292935",
    edge="#3b3a49",
    text="#efe6d2",
    quiet="#b0a898",
    amber="#f2a93b",
    lit="#f2a93b",
    on_lit="#221a0c",
    trouble="#f08e76",
    wire="#8f897d",
    surround="#2b2b2b",
)
PAPER = Theme(
    name="paper",
    ground="#eae1ce",
    panel="#f5efe2",
    raised="#fdf9ef",
    edge="#d3c8b1",
    text="#2a2530",
    quiet="#574f45",
    amber="#7d4300",
    lit="#f2b84e",
    on_lit="#2a1c06",
    trouble="#942b16",
    wire="#6f6656",
    surround="#757575",
)
THEMES = {theme.name: theme for theme in (PAPER, DUSK)}

_current = [PAPER]


def theme() -> Theme:
    """The theme in use."""
    return _current[0]


def use(chosen: Theme) -> None:
    """Make a theme the one in use; call `style.apply` after it."""
    _current[0] = chosen
