"""The manual is whole, its links and pictures lead somewhere, and every notice leads to its own words."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from PyQt6.QtCore import Qt, QUrl
from PyQt6.QtGui import QTextDocument
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QAbstractButton

from by_hand import CTRL, LEFT, Open, until
from soft_lantern.app.widgets.manual_view import ManualView, manual_folder
from soft_lantern.app.window.window import MainWindow

ROOT = Path(__file__).parents[3]
PAGES = sorted((ROOT / "docs" / "manual").glob("*.md"))
KIND = re.compile(
    r"""(?:Severity\.\w+,\s*|_say\(\s*Severity\.\w+,\s*|\bkind\s*=\s*|SAME_ID\s*=\s*)"([a-z]+(?:-[a-z]+)*)"(?=[,\n])"""
)


def kinds() -> set[str]:
    """The kinds of notices that the source text makes."""
    found = set()
    for file in (ROOT / "src" / "soft_lantern").rglob("*.py"):
        if "/app/" not in str(file):
            text = file.read_text()
            found |= set(KIND.findall(text)) if "Notice" in text or "notice" in text else set()
    return found


def test_every_kind_of_notice_is_told_about_and_nothing_that_is_none() -> None:
    told = re.findall(r"^### ([a-z-]+): ", (manual_folder() / "notices.md").read_text(), re.M)
    assert len(told) == len(set(told)) > 45
    made = kinds() - {"colour", "data", "number", "vector"}
    assert made - set(told) == set()
    source = "".join(f.read_text() for f in (ROOT / "src" / "soft_lantern").rglob("*.py"))
    assert {kind for kind in told if f'"{kind}"' not in source} == set()


@pytest.mark.parametrize("page", PAGES, ids=lambda page: page.stem)
def test_links_and_pictures_lead_somewhere(page: Path) -> None:
    text = page.read_text()
    targets = re.findall(r"\]\(([^)]+)\)", text)
    assert all((page.parent / target).is_file() for target in targets), targets
    assert max(map(len, text.splitlines())) <= 125
    assert page.resolve() == (manual_folder() / page.name).resolve()  # the application shows this very page


def test_contents_lead_to_every_page() -> None:
    listed = set(re.findall(r"\]\(([a-z-]+)\.md\)", (manual_folder() / "index.md").read_text()))
    assert listed == {page.stem for page in PAGES} - {"index"}


def test_the_keys_that_the_manual_tells_do_what_it_says(open_window: Open, demo_folder: Path) -> None:
    actions = open_window(demo_folder).commands.actions
    known = {keys.toString() for action in actions.values() for keys in action.shortcuts()}
    told = {
        keys for page in PAGES for keys in re.findall(r"\b(?:Ctrl\+(?:(?:Shift|Alt)\+)*\w+|F\d+)\b", page.read_text())
    }
    assert told - known == set() and len(told) > 10


def test_a_notice_leads_to_its_words_and_the_manual_to_its_pages(open_window: Open, demo_folder: Path) -> None:
    window: MainWindow = open_window(demo_folder)
    window.session.open_material("moth_trail")
    QTest.keyClick(window, Qt.Key.Key_N, CTRL)
    until(lambda: any(notice.kind == "not-finite" or notice.severity == "error" for notice in window.session.notices))
    cards = window.build.notice_list
    until(lambda: [b for b in cards.findChildren(QAbstractButton) if b.text() == "Why?" and b.isVisible()])
    shown = cards.notices[0]
    QTest.mouseClick(next(b for b in cards.findChildren(QAbstractButton) if b.text() == "Why?" and b.isVisible()), LEFT)
    (view,) = window.findChildren(ManualView)
    assert view.isVisible() and view.browser.textCursor().block().text().startswith(f"{shown.kind}: ")
    assert view.browser.cursorRect().top() < view.browser.height() / 2  # it is in sight, not at the foot
    QTest.keyClick(window, Qt.Key.Key_F1, CTRL)
    assert [view] == window.findChildren(ManualView)  # one window of it
    assert view.browser.document().firstBlock().text() == "Manual"  # type: ignore[union-attr]
    view.browser.anchorClicked.emit(QUrl("tune.md"))
    assert view.browser.document().firstBlock().text() == "Tune"  # type: ignore[union-attr]
    kind = QTextDocument.ResourceType.ImageResource.value
    assert view.browser.loadResource(kind, QUrl("pictures/tune.png"))  # its picture comes along
    QTest.mouseClick(view.back, LEFT)
    assert view.browser.document().firstBlock().text() == "Manual"  # type: ignore[union-attr]
