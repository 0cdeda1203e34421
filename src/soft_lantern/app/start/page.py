"""The start page: go on with a project, begin with one of six, open another, or look at the demo."""

from __future__ import annotations

import time
from collections.abc import Callable
from importlib.resources import files
from pathlib import Path

from PyQt6.QtCore import QSize, QStandardPaths, Qt, pyqtSignal
from PyQt6.QtGui import QAction, QPainter, QPixmap
from PyQt6.QtWidgets import (
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QScrollArea,
    QSizePolicy,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from soft_lantern.app.session.recent import Recent, forget, recent_projects
from soft_lantern.app.theme.remembered import remembered
from soft_lantern.app.theme.style import app_font, dress
from soft_lantern.app.widgets.buttons import tool_button
from soft_lantern.app.widgets.labels import heading_label, plain_label, quiet_label, tip
from soft_lantern.app.widgets.pixel_image import untinted_icon
from soft_lantern.app.widgets.surround import in_surround
from soft_lantern.app.work.beside import NewestAnswer
from soft_lantern.demo.project import own_demo
from soft_lantern.demo.starting_points import POINTS, StartingPoint, unused_folder

SIZE, LARGE, SMALL = QSize(1120, 700), QSize(248, 155), QSize(96, 60)
COLUMNS = 3
GAP = 10
EMPTY = "Projects you open are listed here, newest first."


class StartPage(QWidget):
    """A window of its own. `project_wanted` gives the folder of a project to open; `tour_wanted` asks for the tour."""

    project_wanted = pyqtSignal(Path)
    tour_wanted = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setWindowTitle("Soft Lantern")
        self.setObjectName("start page")
        self.resize(SIZE)
        self.home = Path(str(remembered().value("projects", "")) or _documents())
        self.words = quiet_label(wraps=True)
        self.words.setAccessibleName("what goes on")
        self.where = quiet_label()
        self.points = {key: self._point(point) for key, point in POINTS.items()}
        self.recent: dict[str, QToolButton] = {}
        self.demo_button = tool_button("Look at the demo", lambda: self._make("Making the demo…", own_demo))
        self.demo_button.setToolTip("Mothlight Terraces: a night garden with every kind of material")
        self.tour_button = tool_button("Take the tour: ten minutes", self._take_tour)
        self.open_button = tool_button("Open…", self._ask_project)
        self.open_button.setShortcut("Ctrl+O")
        self.move_button = tool_button("Change…", self._ask_home)
        self.move_button.setToolTip("Choose the folder that new projects are made in")
        self._list = QVBoxLayout()
        self._making = NewestAnswer("new project", self, self.project_wanted.emit, self.say)
        title = plain_label("Soft Lantern")
        title.setFont(app_font(20, bold=True))
        below = QHBoxLayout()
        below.setSpacing(28)
        below.addLayout(self._left(), 2)
        below.addLayout(self._right(), 6)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(28, 22, 28, 18)
        layout.setSpacing(18)
        layout.addWidget(title)
        layout.addLayout(below, 1)
        self._show_home()
        self.refresh()
        dress(self)

    def say(self, text: str) -> None:
        """Say what goes on, or why something did not work; what was asked for may be asked for again."""
        self.words.setText(text)
        self._let(True)

    def refresh(self) -> None:
        """List the recent projects as they are now."""
        for button in self.recent.values():
            self._list.removeWidget(button)
            button.deleteLater()
        found = recent_projects()
        self.recent = {each.folder: self._project(each) for each in found}
        for button in self.recent.values():
            self._list.addWidget(button)
        self.empty.setVisible(not found)
        (next(iter(self.recent.values()), None) or self.points["height_ramp"]).setFocus()

    def begin(self, point: StartingPoint) -> None:
        """Make a new project from a starting point, beside the window, and ask for it to be opened."""
        folder = unused_folder(self.home, point.title)

        def make() -> Path:
            point.begin(folder)
            return folder

        self._make(f"Making {folder}…", make)

    def _take_tour(self) -> None:
        self.words.setText("Making what the tour begins with…")
        self._let(False)
        self.tour_wanted.emit()

    def _make(self, words: str, work: Callable[[], Path]) -> None:
        self.words.setText(words)
        self._let(False)
        self._making.ask(work)

    # Parts of the page

    def _left(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(GAP)
        column.addWidget(heading_label("Go on with"))
        self.empty = quiet_label(EMPTY, wraps=True)
        column.addWidget(self.empty)
        inside = QWidget()
        inside.setLayout(self._list)
        self._list.setContentsMargins(0, 0, 0, 0)
        self._list.setAlignment(Qt.AlignmentFlag.AlignTop)
        area = QScrollArea()
        area.setWidget(inside)
        area.setWidgetResizable(True)
        area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        area.setMinimumWidth(2 * SMALL.width() + 70)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        column.addWidget(area, 1)
        row = QHBoxLayout()
        row.addWidget(self.open_button, 1)
        row.addWidget(self.demo_button, 1)
        column.addWidget(self.tour_button)
        column.addLayout(row)
        for button in (self.open_button, self.demo_button, self.tour_button):
            button.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        return column

    def _right(self) -> QVBoxLayout:
        column, grid = QVBoxLayout(), QGridLayout()
        column.setSpacing(GAP)
        column.addWidget(heading_label("Begin with"))
        grid.setSpacing(GAP)
        for number, button in enumerate(self.points.values()):
            grid.addWidget(button, number // COLUMNS, number % COLUMNS)
            grid.setColumnStretch(number % COLUMNS, 1)
        column.addLayout(grid)
        column.addStretch(1)
        column.addWidget(self.words)
        row = QHBoxLayout()
        row.addWidget(self.where, 1)
        row.addWidget(self.move_button)
        column.addLayout(row)
        return column

    def _point(self, point: StartingPoint) -> QToolButton:
        data = files("soft_lantern.app.start").joinpath("pictures", f"{point.key}.png").read_bytes()
        picture = QPixmap()
        picture.loadFromData(data)
        button = _card(f"{point.title}\n{point.words}", picture, LARGE)
        button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
        button.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        button.setAccessibleName(point.title)
        button.setAccessibleDescription(point.words)
        button.clicked.connect(lambda _: self.begin(point))
        return button

    def _project(self, project: Recent) -> QToolButton:
        when = "no longer there" if not project.is_there else _ago(time.time() - project.opened)
        button = _card(f"{project.name}\n{when}", QPixmap(str(project.picture)), SMALL, gap=GAP)
        button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
        button.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        button.setAccessibleName(project.name)
        button.setAccessibleDescription(f"{when}, {project.folder}")
        button.setToolTip(tip(project.folder))
        button.setEnabled(project.is_there)
        button.clicked.connect(lambda _: self.project_wanted.emit(Path(project.folder)))
        off = QAction("Take off this list", button)
        off.triggered.connect(lambda: self._forget(project.folder))
        button.addAction(off)
        button.setContextMenuPolicy(Qt.ContextMenuPolicy.ActionsContextMenu)
        return button

    def _forget(self, folder: str) -> None:
        forget(folder)
        self.refresh()

    def _let(self, may: bool) -> None:
        for button in (*self.points.values(), self.demo_button, self.open_button, self.tour_button):
            button.setEnabled(may)

    def _ask_project(self) -> None:
        folder = QFileDialog.getExistingDirectory(self, "Open a project’s folder", str(self.home))
        if folder:
            self.project_wanted.emit(Path(folder))

    def _ask_home(self) -> None:
        folder = QFileDialog.getExistingDirectory(self, "Make new projects in", str(self.home))
        if folder:
            self.home = Path(folder)
            remembered().setValue("projects", folder)
            self._show_home()

    def _show_home(self) -> None:
        self.where.setText(f"New projects are made in {self.home}")


def _card(text: str, picture: QPixmap, size: QSize, *, gap: int = 0) -> QToolButton:
    """A button with a picture, empty where there is none, and lines of words; `gap`: between the two, in pixels."""
    button = QToolButton()
    button.setProperty("start", True)
    button.setText(text)
    if picture.isNull():
        picture = QPixmap(size)
        picture.fill(Qt.GlobalColor.transparent)
    framed = in_surround(picture, 6 / size.width())
    held = QPixmap(round(framed.width() * (1 + gap / size.width())), framed.height())
    held.fill(Qt.GlobalColor.transparent)
    painter = QPainter(held)
    painter.drawPixmap(0, 0, framed)
    painter.end()
    button.setIcon(untinted_icon(held))
    button.setIconSize(size + QSize(gap, 0))
    return button


def _documents() -> str:
    documents = QStandardPaths.writableLocation(QStandardPaths.StandardLocation.DocumentsLocation)
    return str(Path(documents) / "Soft Lantern")


def _ago(seconds: float) -> str:
    """How long ago, in words."""
    for length, word in ((86400 * 365, "year"), (86400 * 30, "month"), (86400, "day"), (3600, "hour"), (60, "minute")):
        count = int(seconds // length)
        if count:
            return f"{count} {word}{'s' if count > 1 else ''} ago"
    return "just now"


if __name__ == "__main__":
    from soft_lantern.app.widgets.alone import show_alone

    show_alone(StartPage)
