"""The two themes: dusk (dark) and paper (light). Amber only for what is selected or live."""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtGui import QColor


@dataclass(frozen=True, slots=True)
class Theme:
    """Every colour of the window, as hex text."""

    name: str
    ground: str
    panel: str
    raised: str
    edge: str
    text: str
    quiet: str
    amber: str
    on_amber: str
    trouble: str
    wire: str

    def colour(self, role: str, alpha: float = 1.0) -> QColor:
        """The colour of a role, such as "amber"."""
        found = QColor(getattr(self, role))
        found.setAlphaF(alpha)
        return found


DUSK = Theme(
    name="dusk",
    ground="#15151d",
    panel="#1d1d27",
    raised="#292935",
    edge="#3b3a49",
    text="#efe6d2",
    quiet="#a59e90",
    amber="#f2a93b",
    on_amber="#221a0c",
    trouble="#e8745a",
    wire="#8f897d",
)
PAPER = Theme(
    name="paper",
    ground="#e6dcc8",
    panel="#f3ecdd",
    raised="#fdf8ec",
    edge="#cbbfa6",
    text="#2a2530",
    quiet="#6f675c",
    amber="#a85f06",
    on_amber="#fff6e6",
    trouble="#b23a22",
    wire="#8a806e",
)
THEMES = {theme.name: theme for theme in (DUSK, PAPER)}

_current = [DUSK]


def theme() -> Theme:
    """The theme in use."""
    return _current[0]


def use(chosen: Theme) -> None:
    """Make a theme the one in use; call `style.apply` after it."""
    _current[0] = chosen
