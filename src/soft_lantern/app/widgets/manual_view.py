"""The manual in a window of its own, from the pages that come with the application."""

from __future__ import annotations

from importlib.resources import files
from pathlib import Path

from PyQt6.QtCore import QUrl
from PyQt6.QtGui import QDesktopServices, QTextBlock, QTextCursor
from PyQt6.QtWidgets import QDialog, QHBoxLayout, QTextBrowser, QVBoxLayout, QWidget

from soft_lantern.app.widgets.buttons import tool_button

FIRST = "index"


def manual_folder() -> Path:
    """Where the pages lie."""
    return Path(str(files("soft_lantern.app").joinpath("manual")))


def open_manual(over: QWidget, page: str = FIRST, heading: str = "") -> ManualView:
    """Show a page of the manual in the window that it has already, or in a new one."""
    window = over.window()
    found = window.findChild(ManualView) if window else None
    view = found or ManualView(window)
    view.go_to(page, heading)
    view.show()
    view.raise_()
    return view


class ManualView(QDialog):
    """A page with a way back and to the contents."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Manual")
        self.resize(760, 640)
        self.browser = QTextBrowser()
        self.browser.setAccessibleName("page of the manual")
        self.browser.setOpenLinks(False)
        self.browser.anchorClicked.connect(self._follow)
        self.back = tool_button("Back", self.browser.backward)
        self.contents = tool_button("Contents", lambda: self.go_to(FIRST))
        self.browser.backwardAvailable.connect(self.back.setEnabled)
        self.back.setEnabled(False)
        row = QHBoxLayout()
        row.addWidget(self.contents)
        row.addWidget(self.back)
        row.addStretch(1)
        column = QVBoxLayout(self)
        column.addLayout(row)
        column.addWidget(self.browser)

    def go_to(self, page: str, heading: str = "") -> None:
        """Show a page by its name, at the heading that begins so."""
        self.browser.setSource(QUrl.fromLocalFile(str(manual_folder() / f"{page}.md")))
        if heading:
            block = self.heading(heading)
            if block.isValid():
                self.browser.moveCursor(QTextCursor.MoveOperation.End)  # so that it comes to stand at the top
                found = QTextCursor(block)
                found.movePosition(QTextCursor.MoveOperation.EndOfBlock, QTextCursor.MoveMode.KeepAnchor)
                self.browser.setTextCursor(found)
                self.browser.ensureCursorVisible()

    def heading(self, begins: str) -> QTextBlock:
        """The heading that begins so; an invalid block where there is none."""
        document = self.browser.document()
        block = document.begin() if document else QTextBlock()
        while block.isValid() and not (block.blockFormat().headingLevel() and block.text().startswith(begins)):
            block = block.next()
        return block

    def _follow(self, link: QUrl) -> None:
        """Pages of the manual are shown here; what lies elsewhere is for the desktop to open."""
        target = (manual_folder() / link.path()).resolve()
        if target.suffix == ".md" and target.parent == manual_folder().resolve() and target.is_file():
            self.go_to(target.stem)
        elif target.is_file():
            QDesktopServices.openUrl(QUrl.fromLocalFile(str(target)))


if __name__ == "__main__":
    from soft_lantern.app.widgets.alone import show_alone

    def made() -> ManualView:
        view = ManualView()
        view.go_to(FIRST)
        return view

    show_alone(made)
