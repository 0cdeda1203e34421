"""The Deliver desk: materials and targets, the text that leaves, what it costs, and what is proven of it."""

from __future__ import annotations

import difflib
from pathlib import Path
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QFileDialog, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from soft_lantern.app.command import Command
from soft_lantern.app.desks.desk import Desk
from soft_lantern.app.session.session import Session
from soft_lantern.app.stage.stage_bar import StageBar, with_bar
from soft_lantern.app.stage.stage_view import StageView
from soft_lantern.app.widgets.buttons import tool_button
from soft_lantern.app.widgets.choices import fill
from soft_lantern.app.widgets.code_view import CodeView
from soft_lantern.app.widgets.halves import halves
from soft_lantern.app.widgets.labels import heading_label, quiet_label, side_by_side
from soft_lantern.app.widgets.notice_list import NoticeList
from soft_lantern.app.widgets.tick_list import KEY, TickBox, TickList
from soft_lantern.app.work.beside import NewestAnswer
from soft_lantern.app.work.when_seen import WhenSeen
from soft_lantern.baked_assets.target import WORDS as GLTF
from soft_lantern.commands.exporting import whole_targets
from soft_lantern.errors import BadFile
from soft_lantern.formats.delivery import TARGETS, Delivery, deliver
from soft_lantern.formats.materialx.target import WORDS as MATERIALX
from soft_lantern.formats.places import read_text
from soft_lantern.formats.shader_gradients import shipped
from soft_lantern.formats.shaders.figures import Figure, figures
from soft_lantern.formats.shaders.surface import program_of
from soft_lantern.graph.document import Material, Project
from soft_lantern.graph.notice import Fix, Notice
from soft_lantern.progress import Progress
from soft_lantern.proof.preflight import preflight
from soft_lantern.proof.report import PROVEN, in_words, proofs
from soft_lantern.render.worker import RenderWorker
from soft_lantern.review.target import WORDS as PAGE
from soft_lantern.values.words import counted

WORDS = {key: target.words for key, target in TARGETS.items()} | {"mtlx": MATERIALX, "gltf": GLTF, "page": PAGE}
"""What there is to tick, by its key."""
READABLE = tuple(target for target in TARGETS if target != "spirv")
"""Targets whose files are text to read."""


class DeliverDesk(Desk):
    """Where what was made leaves, and is proven to be what it was here."""

    def __init__(self, session: Session, worker: RenderWorker, parent: QWidget | None = None) -> None:
        super().__init__(session, worker, parent)
        self.stage = StageView(session, worker, "deliver")
        self.stage_bar = StageBar(session, self.stage)
        self.stage_bar.probe.hide()  # a trace shows on the canvas, which is not here
        self.materials = TickBox(_named(session.project), set(session.project.materials), "materials to deliver")
        self.targets = TickList()
        self.targets.setAccessibleName("targets")
        for key, words in WORDS.items():
            self.targets.add(key, words, ticked=key == "glsl")
        self.deliver = tool_button("Deliver…", self.ask_folder)
        self.prove = tool_button("Prove", self.begin_proof)
        self.prove.setToolTip("Have other programs compile and run the text of what is ticked, and compare")
        self.target, self.file = QComboBox(), QComboBox()
        for key in READABLE:
            self.target.addItem(TARGETS[key].words, key)
        self.target.setAccessibleName("target that is shown")
        self.file.setAccessibleName("file that is shown")
        self.code = CodeView()
        self.changes = tool_button("Changes", self._show_file)
        self.changes.setCheckable(True)
        self.changes.setToolTip("What differs from the text that was delivered last")
        self.delivered: Path | None = None
        self.figures, self.log = QListWidget(), QListWidget()
        self.figures.setAccessibleName("figures")
        self.figures.setFixedHeight(116)
        self.notices = NoticeList()
        self.notices.setAccessibleName("pre-flight")
        self.notices.fix_wanted.connect(self._mend)
        self.log.setAccessibleName("deliveries and proofs")
        self.log.setWordWrap(True)
        self.log.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.log.setResizeMode(QListWidget.ResizeMode.Adjust)
        self._shown: dict[str, str] = {}
        self._names: list[tuple[str, str]] = _named(session.project)
        self._asking = NewestAnswer("generated text", self, self._show, self._failed)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(halves((self._left(), 240), (self._middle(), 660), (self._right(), 380), stretch={1: 1}))
        self.target.activated.connect(lambda _: self.refresh())
        self.materials.list.currentItemChanged.connect(lambda item, _: self._open(item))
        self.file.activated.connect(lambda _: self._show_file())
        catch_up = WhenSeen(self, self.refresh)
        session.changed.connect(catch_up)
        session.opened_material.connect(catch_up)
        self.refresh()

    def refresh(self) -> None:
        """Show how things are: the text of the open material is made beside the window."""
        self._list_materials()
        material, target = self.session.material, str(self.target.currentData())
        if material is None:
            self._show(({}, [], []))
            return
        project = self.session.project
        self._asking.ask(lambda: _text_of(project, material, target))

    def ask_folder(self) -> None:
        """Ask for a folder, and deliver what is ticked into it."""
        folder = QFileDialog.getExistingDirectory(self, "Deliver into a folder")
        if folder:
            self.deliver_to(Path(folder))

    def deliver_to(self, folder: Path) -> None:
        """Deliver what is ticked into a folder, beside the window."""
        project, materials, targets = self.session.project, self._chosen(), self.targets.ticked
        models, images = dict(self.session.models), dict(self.session.images)
        home, read = self.session.folder, lambda _: (models, images)
        whole = whole_targets(home, read)

        def work(progress: Progress) -> Delivery:
            return deliver(project, materials, targets, folder, progress=progress, whole=whole)

        def take(done: Delivery) -> None:
            self.delivered = done.folder
            self._show_file()
            words = f"{counted(len(done.written), 'file')} written, {len(done.kept)} as they were, to {done.folder}"
            self.log.insertItem(0, words)
            self.session.told.emit(words)

        if self._may():
            self.session.beside("Delivering", work, take)

    def begin_proof(self) -> None:
        """Have others compile and run what is ticked, beside the window."""
        project, materials = self.session.project, self._chosen()
        targets = [target for target in self.targets.ticked if target in PROVEN]
        if self._may():
            self.session.beside(
                "Proving", lambda progress: proofs(project, materials, targets, progress=progress), self._show_proofs
            )

    def hindered(self) -> str:
        """Why nothing can be delivered now, "" where it can."""
        if not self._chosen():
            return "Tick a material first"
        return "" if self.targets.ticked else "Tick a target first"

    def _may(self) -> bool:
        """Whether something can be delivered; where not, it is said."""
        why = self.hindered()
        if why:
            self.session.complain(why)
        return not why

    def stop(self) -> None:
        """Stop what runs beside the window."""
        self._asking.stop(wait=False)
        super().stop()

    def _chosen(self) -> list[Material]:
        there = self.session.project.materials
        return [there[key] for key in self.materials.ticked if key in there]

    def _list_materials(self) -> None:
        """Follow materials that came, went or were renamed; new ones are ticked."""
        names = _named(self.session.project)
        if names == self._names:
            return
        before, ticked = {key for key, _ in self._names}, set(self.materials.ticked)
        self._names = names
        self.materials.list.clear()
        for key, name in names:
            self.materials.list.add(key, name, ticked=key in ticked or key not in before)

    def _open(self, item: QListWidgetItem | None) -> None:
        """Show the text of the material that is gone to in the list."""
        if item is not None and self.isVisible() and item.data(KEY) != self.session.material_id:
            self.session.open_material(str(item.data(KEY)))

    def _show(self, made: Shown) -> None:
        self._shown, measured, against = made
        own = [each for each in self.session.notices if each.place == self.session.material_id]
        self.notices.show_notices([*against, *own])
        names = list(self._shown)
        name = self.file.currentData() if self.file.currentData() in names else (names or [""])[0]
        fill(self.file, [(each, each) for each in names], name)
        self._show_file()
        self.figures.clear()
        for figure in measured:
            self.figures.addItem(f"{figure.words}: more than every device has" if figure.too_much else figure.words)

    def _mend(self, notice: Notice, fix: Fix) -> None:
        self.session.apply(fix.words, lambda project: fix.mended(project, notice.place))

    def _failed(self, words: str) -> None:
        self._show(({"": f"// {words}"}, [], []))

    def _show_file(self) -> None:
        name = str(self.file.currentData() or "")
        text = self._shown.get(name, "")
        self.code.show_text(_differences(self.delivered, name, text) if self.changes.isChecked() else text)

    def _show_proofs(self, rows: list[dict[str, Any]]) -> None:
        bad = [row for row in rows if not row["holds"]]
        for row in rows:
            holds = "holds" if row["holds"] else "FAILS"
            self.log.insertItem(0, f"{row['material']}, {WORDS[row['target']]}: {holds}; {in_words(row)}")
        told = f"{len(bad)} of {counted(len(rows), 'proof')} failed" if bad else f"{counted(len(rows), 'proof')} hold"
        self.log.insertItem(0, told)
        self.session.told.emit(told)

    def _left(self) -> QWidget:
        panel = QWidget()
        column = QVBoxLayout(panel)
        column.setContentsMargins(10, 10, 4, 10)
        column.addWidget(heading_label("Materials"))
        column.addWidget(self.materials, 3)
        column.addWidget(heading_label("Targets"))
        column.addWidget(self.targets, 2)
        column.addWidget(side_by_side(self.deliver, self.prove))
        return panel

    def _middle(self) -> QWidget:
        panel = QWidget()
        column = QVBoxLayout(panel)
        column.setContentsMargins(4, 10, 4, 10)
        column.addWidget(side_by_side(self.target, self.file, self.changes, filled=True))
        column.addWidget(self.code, 1)
        return panel

    def _right(self) -> QWidget:
        panel = QWidget()
        column = QVBoxLayout(panel)
        column.setContentsMargins(4, 10, 10, 10)
        column.addWidget(with_bar(self.stage, self.stage_bar), 3)
        column.addWidget(heading_label("Pre-flight"))
        column.addWidget(self.notices, 3)
        column.addWidget(heading_label("Figures"))
        column.addWidget(self.figures)
        column.addWidget(heading_label("Deliveries and proofs"))
        column.addWidget(self.log, 2)
        column.addWidget(quiet_label("The text is that of the open material", wraps=True))
        return panel


def _named(project: Project) -> list[tuple[str, str]]:
    return sorted(((each.id, each.name) for each in project.materials.values()), key=lambda pair: pair[1].lower())


Shown = tuple[dict[str, str], list[Figure], list[Notice]]
"""The texts of a material by their names, what they cost, and what stands against them."""


def _text_of(project: Project, material: Material, target: str) -> Shown:
    program = program_of(material, shipped(project, material, "row"))
    texts = {name: str(text) for name, text in TARGETS[target].files(program).items()}
    return texts, figures(program), preflight(program, target)


def _differences(folder: Path | None, name: str, text: str) -> str:
    """What differs between a file as it was delivered and the text that would be now."""
    if folder is None:
        return "Nothing was delivered yet since this window was opened"
    try:
        before = read_text(folder / name)
    except BadFile:
        return f"{name} was not delivered to {folder}"
    lines = difflib.unified_diff(before.splitlines(), text.splitlines(), "as delivered", "as it is now", lineterm="")
    return "\n".join(lines) or f"Nothing of {name} has changed since it was delivered"


DELIVER_COMMANDS: dict[str, tuple[Command[DeliverDesk], ...]] = {
    "Project": (
        Command("Deliver what is ticked", DeliverDesk.ask_folder, "Ctrl+Alt+D", DeliverDesk.hindered),
        Command("Changes since the last delivery", lambda desk: desk.changes.click()),
        Command("Prove what is ticked", DeliverDesk.begin_proof, hindered=DeliverDesk.hindered),
    ),
}
