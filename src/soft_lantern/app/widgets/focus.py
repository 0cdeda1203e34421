"""Where the keyboard goes."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import QWidget

from soft_lantern.app.theme.colours import theme


def step_on(panels: Sequence[QWidget], now: QWidget | None, step: int) -> None:
    """Put the keyboard into the panel so many further than the one it is in."""
    seen = [panel for panel in panels if panel.isVisible()]
    at = next((n for n, panel in enumerate(seen) if now and (panel is now or panel.isAncestorOf(now))), None)
    if seen:
        enter(seen[0 if at is None else (at + step) % len(seen)])


def enter(panel: QWidget) -> None:
    """Put the keyboard into a panel: onto itself, or the first in its tab order that takes it."""
    widget: QWidget | None = panel
    for _ in range(1000):
        if widget is None or (widget is not panel and not panel.isAncestorOf(widget)):
            return
        if widget.focusPolicy() & Qt.FocusPolicy.TabFocus and widget.isVisible() and widget.isEnabled():
            widget.setFocus(Qt.FocusReason.TabFocusReason)
            return
        widget = widget.nextInFocusChain()


def paint_focus(painter: QPainter, widget: QWidget) -> None:
    """A line round a widget that paints itself, while the keyboard is there."""
    if widget.hasFocus():
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme().colour("amber"), 1.0))
        painter.drawRect(widget.rect().adjusted(0, 0, -1, -1))
