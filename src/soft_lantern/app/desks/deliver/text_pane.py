"""The text of the open material for a target: read, searched, beside what was delivered, and back to its nodes."""

from __future__ import annotations

import difflib
from collections.abc import Mapping, Sequence
from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QVBoxLayout, QWidget

from soft_lantern.app.widgets.alone import show_alone
from soft_lantern.app.widgets.buttons import tool_button
from soft_lantern.app.widgets.choices import fill
from soft_lantern.app.widgets.code_view import CodeView
from soft_lantern.app.widgets.labels import quiet_label, side_by_side
from soft_lantern.errors import BadFile
from soft_lantern.formats.places import read_text

HINT = "A line leads to its node: click it, or follow it with Return"


class TextPane(QWidget):
    """Shows texts by their files. `target_chosen` tells the key of another target that is wanted; `node_chosen` the
    node of the line that is gone to, `node_opened` of the one that is followed."""

    target_chosen = pyqtSignal(str)
    node_chosen = pyqtSignal(str)
    node_opened = pyqtSignal(str)

    def __init__(self, targets: Mapping[str, str], parent: QWidget | None = None) -> None:
        """`targets`: words for each target that can be shown, by key."""
        super().__init__(parent)
        self.target, self.file = QComboBox(), QComboBox()
        for key, words in targets.items():
            self.target.addItem(words, key)
        self.target.setAccessibleName("target that is shown")
        self.file.setAccessibleName("file that is shown")
        self.code = CodeView()
        self.changes = tool_button("Changes", self._show)
        self.changes.setCheckable(True)
        self.changes.setToolTip("What differs from the text that was delivered last")
        self.line = quiet_label(HINT, wraps=True)
        self.go = tool_button("Show the node", lambda: self.node_opened.emit(self._node))
        self.go.setEnabled(False)
        self.delivered: Path | None = None
        self._texts: dict[str, str] = {}
        self._nodes: dict[str, Sequence[str]] = {}
        self._names: dict[str, str] = {}
        self._node = ""
        self._marked: frozenset[str] = frozenset()
        column = QVBoxLayout(self)
        column.setContentsMargins(4, 10, 4, 10)
        column.addWidget(side_by_side(self.target, self.changes, filled=True))
        column.addWidget(self.file)
        column.addWidget(self.code, 1)
        column.addWidget(side_by_side(self.line, self.go, filled=True))
        self.target.activated.connect(lambda _: self.target_chosen.emit(self.chosen))
        self.file.activated.connect(lambda _: self._show())
        self.code.text.line_chosen.connect(self._choose)
        self.code.text.line_opened.connect(self._open)

    @property
    def chosen(self) -> str:
        """The key of the target that is shown."""
        return str(self.target.currentData())

    def show_texts(
        self, texts: Mapping[str, str], nodes: Mapping[str, Sequence[str]], names: Mapping[str, str]
    ) -> None:
        """Show texts by file. `nodes`: the node of each of their lines; `names` of nodes, by id."""
        if list(texts) != list(self._texts):
            self.line.setText(HINT)
            self.go.setEnabled(False)
        self._texts, self._nodes, self._names = dict(texts), dict(nodes), dict(names)
        files = list(self._texts)
        name = self.file.currentData() if self.file.currentData() in files else (files or [""])[0]
        fill(self.file, [(each, each) for each in files], name)
        self._show()

    def delivered_to(self, folder: Path) -> None:
        """Take a folder as the one of the last delivery."""
        self.delivered = folder
        self._show()

    def mark_nodes(self, node_ids: frozenset[str]) -> None:
        """Show which lines come from nodes."""
        self._marked = node_ids
        lines = self._lines()
        self.code.text.mark_lines(number for number, node in enumerate(lines) if node and node in node_ids)

    def _lines(self) -> Sequence[str]:
        """The node of each line that is shown."""
        return () if self.changes.isChecked() else self._nodes.get(str(self.file.currentData()), ())

    def _show(self) -> None:
        name = str(self.file.currentData() or "")
        text = self._texts.get(name, "")
        self.code.show_text(differences(self.delivered, name, text) if self.changes.isChecked() else text)
        self.mark_nodes(self._marked)

    def _choose(self, line: int) -> None:
        lines = self._lines()
        self._node = lines[line] if line < len(lines) else ""
        self.go.setEnabled(bool(self._node))
        if self._node:
            self.line.setText(f"Line {line + 1}: {self._names.get(self._node, self._node)}")
            self.node_chosen.emit(self._node)

    def _open(self, line: int) -> None:
        self._choose(line)
        if self._node:
            self.node_opened.emit(self._node)


def differences(folder: Path | None, name: str, text: str) -> str:
    """What differs between a file as it was delivered and the text that would be now."""
    if folder is None:
        return "Nothing was delivered yet since this window was opened"
    try:
        before = read_text(folder / name)
    except BadFile:
        return f"{name} was not delivered to {folder}"
    lines = difflib.unified_diff(before.splitlines(), text.splitlines(), "as delivered", "as it is now", lineterm="")
    return "\n".join(lines) or f"Nothing of {name} has changed since it was delivered"


def _example() -> QWidget:
    shown = TextPane({"glsl": "GLSL 3.30 core"})
    texts, nodes = {"a.glsl": "float rise = 1.0;\nfloat mask = rise;\n"}, {"a.glsl": ["rise", "mask"]}
    shown.show_texts(texts, nodes, {"rise": "Rise", "mask": "Mask"})
    return shown


if __name__ == "__main__":
    show_alone(_example)
