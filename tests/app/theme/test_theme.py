"""Both themes can be read: contrast by WCAG 2.1, computed from the colours and the style sheet themselves."""

from __future__ import annotations

import re
from itertools import product
from pathlib import Path

import pytest
from PyQt6.QtCore import QSettings, Qt
from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from soft_lantern.app.theme import choice, colours, style
from soft_lantern.app.theme.colours import THEMES, Theme
from soft_lantern.app.widgets.colour_button import ColourButton
from soft_lantern.app.widgets.surround import WIDTH, surrounded
from soft_lantern.values.colour import REC709_LUMINANCE, colour_from_hex

GROUNDS = ("ground", "panel", "raised")
WORDLESS = re.compile(r"ScrollBar|chunk|separator|handle|indicator|arrow|line=|surround=|drop-down")


def luminance(hex_: str) -> float:
    """Relative luminance, from 0 to 1 (WCAG 2.1; its sRGB decoding differs from IEC 61966-2-1 by less than 1e-4)."""
    return sum(part * weight for part, weight in zip(colour_from_hex(hex_)[:3], REC709_LUMINANCE, strict=True))


def contrast(one: str, other: str) -> float:
    low, high = sorted((luminance(one), luminance(other)))
    return (high + 0.05) / (low + 0.05)


def test_contrast_is_as_the_standard_says() -> None:
    assert contrast("#000000", "#ffffff") == pytest.approx(21.0)
    assert contrast("#767676", "#ffffff") == pytest.approx(4.54, abs=0.005)  # the well-known least grey on white


def pairs() -> list[tuple[str, str, str]]:
    """Every rule of the style sheet that words can stand in, with the words' colour and what may lie under them."""
    found = []
    rules = [(head.strip(), body) for head, body in re.findall(r"([^{}]+)\{([^{}]*)\}", style._SHEET)]
    words_of = {h: re.search(r"(?<![-\w])color: \$(\w+)", b) for head, b in rules for h in head.split(", ")}
    for head, body in rules:
        if WORDLESS.search(head):
            continue
        words = re.search(r"(?<![-\w])color: \$(\w+)", body)
        under = re.search(r"background(?:-color)?: \$(\w+)", body)
        plainer = words_of.get(head.split(", ")[0].removesuffix(":focus"))
        inherited = plainer[1] if plainer else "text"
        for ground in (under[1],) if under else GROUNDS:
            found.append((head, words[1] if words else inherited, ground))
        for lit in re.finditer(r"selection-background-color: \$(\w+);\s*selection-color: \$(\w+)", body):
            found.append((head, lit[2], lit[1]))
    return found


@pytest.mark.parametrize("name", THEMES)
def test_words_can_be_read_in_every_state_of_every_widget(name: str) -> None:
    theme, states = THEMES[name], pairs()
    assert len(states) > 60 and {"quiet", "amber", "trouble", "on_lit"} <= {words for _, words, _ in states}
    painted = [("painted", *pair) for pair in product(("text", "quiet", "amber", "trouble"), GROUNDS)]
    faint = {
        (head, words, ground): contrast(getattr(theme, words), getattr(theme, ground))
        for head, words, ground in [*states, *painted]
    }
    assert {state: ratio for state, ratio in faint.items() if ratio < 4.5} == {}


@pytest.mark.parametrize("name", THEMES)
def test_marks_can_be_seen(name: str) -> None:
    theme = THEMES[name]
    for mark, ground in product(("wire", "amber", "trouble", "quiet"), GROUNDS):
        assert contrast(getattr(theme, mark), getattr(theme, ground)) >= 3.0, (mark, ground)


@pytest.mark.parametrize("name", THEMES)
def test_what_surrounds_colours_is_a_true_grey_a_fifth_as_bright_as_white_at_most(name: str) -> None:
    red, green, blue, _ = colour_from_hex(THEMES[name].surround)
    assert red == green == blue <= 0.2  # ISO 3664:2009 and ISO 12646:2015, from memory


@pytest.mark.parametrize("theme", THEMES.values(), ids=THEMES)
def test_grey_lies_round_what_is_surrounded(qtbot: QtBot, qapp: QApplication, theme: Theme) -> None:
    before = colours.theme()
    colours.use(theme)
    try:
        style.apply(qapp)
        swatch = ColourButton((1.0, 0.0, 0.0, 1.0))
        frame = surrounded(swatch)
        qtbot.addWidget(frame)
        style.dress(frame)
        frame.resize(160, 60)
        frame.show()
        qtbot.waitExposed(frame)
        shown = frame.grab().toImage()
        assert shown.pixelColor(WIDTH // 2, 30).name() == theme.surround
        inside = swatch.mapTo(frame, swatch.rect().topLeft())
        left, middle = inside.x(), inside.y() + swatch.height() // 2
        row = [shown.pixelColor(left + x, middle).name() for x in range(18)]
        at = row.index("#ff0000")
        assert row[at - 2] == theme.surround, row  # beside the colour itself, grey alone
    finally:
        colours.use(before)
        style.apply(qapp)


def test_a_desktop_that_asks_for_dark_gets_dusk_and_any_other_paper(
    monkeypatch: pytest.MonkeyPatch, tmp_path: Path, qapp: QApplication
) -> None:

    monkeypatch.setattr(choice, "remembered", lambda: QSettings(str(tmp_path / "s.ini"), QSettings.Format.IniFormat))
    before = colours.theme()
    try:
        for scheme, name in ((Qt.ColorScheme.Dark, "dusk"), (Qt.ColorScheme.Light, "paper")):
            monkeypatch.setattr(choice, "_asked_for", lambda _, scheme=scheme: scheme)
            choice.dress(qapp)
            assert colours.theme().name == name
        choice.switch_theme()
        choice.dress(qapp)
        assert colours.theme().name == "dusk"  # what was chosen counts from then on
    finally:
        colours.use(before)
        style.apply(qapp)
