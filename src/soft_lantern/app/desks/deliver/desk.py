"""The Deliver desk: materials and targets, the text that leaves, what it costs, and what is proven of it."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QAbstractScrollArea, QFileDialog, QListWidget, QVBoxLayout, QWidget

from soft_lantern.app.command import Command
from soft_lantern.app.desks.deliver.budget_dialog import BudgetDialog
from soft_lantern.app.desks.deliver.shown_text import Shown, shown_text
from soft_lantern.app.desks.deliver.text_pane import TextPane
from soft_lantern.app.desks.deliver.what_leaves import WhatLeaves
from soft_lantern.app.desks.desk import Desk
from soft_lantern.app.panels.notice_answers import take_answers
from soft_lantern.app.session.session import Session
from soft_lantern.app.stage.stage_bar import StageBar, with_bar
from soft_lantern.app.stage.stage_view import StageView
from soft_lantern.app.widgets.buttons import tool_button
from soft_lantern.app.widgets.halves import halves
from soft_lantern.app.widgets.labels import heading_label, quiet_label, side_by_side
from soft_lantern.app.widgets.notice_list import NoticeList
from soft_lantern.app.widgets.passing import passing
from soft_lantern.app.widgets.tick_list import KEY, TickList
from soft_lantern.app.widgets.when_seen import WhenSeen
from soft_lantern.app.work.beside import NewestAnswer
from soft_lantern.baked_assets.target import WORDS as GLTF
from soft_lantern.commands.exporting import whole_targets
from soft_lantern.errors import LanternError
from soft_lantern.formats.delivery import TARGETS, Delivery, changed_since, deliver
from soft_lantern.formats.materialx.target import WORDS as MATERIALX
from soft_lantern.formats.shaders.figures import LIMITS
from soft_lantern.graph.document import Material, changed
from soft_lantern.graph.notice import Notice, Severity
from soft_lantern.progress import Progress
from soft_lantern.proof.report import PROVEN, in_words, proofs
from soft_lantern.render.worker import RenderWorker
from soft_lantern.review.target import WORDS as PAGE
from soft_lantern.scene.alone import shown_alone
from soft_lantern.values.words import counted

WORDS = {key: target.words for key, target in TARGETS.items()} | {"mtlx": MATERIALX, "gltf": GLTF, "page": PAGE}
"""What there is to tick, by its key."""
READABLE = tuple(key for key in WORDS if key not in ("spirv", "gltf", "page"))
"""Targets whose files are text to read."""


class DeliverDesk(Desk):
    """Where what was made leaves, and is proven to be what it was here."""

    def __init__(self, session: Session, worker: RenderWorker, parent: QWidget | None = None) -> None:
        super().__init__(session, worker, parent)
        self.stage = StageView(session, worker, "deliver")
        self.stage_bar = StageBar(session, self.stage)
        self.stage_bar.probe.hide()  # a trace shows on the canvas, which is not here
        self.leaving = WhatLeaves(session.project)
        self.changed_ones = tool_button("Changed", self._tick_changed)
        self.changed_ones.setToolTip("Tick what is other than when it was delivered last")
        self.targets = TickList()
        self.targets.setAccessibleName("targets")
        self.targets.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._states: dict[str, dict[str, str]] = {}
        for key, words in WORDS.items():
            self.targets.add(key, words, ticked=key == "glsl")
        self.deliver = tool_button("Deliver…", self.ask_folder)
        self.prove = tool_button("Prove", self.begin_proof)
        self.prove.setToolTip("Have other programs compile and run the text of what is ticked, and compare")
        self.pane = TextPane({key: WORDS[key] for key in READABLE})
        self.target, self.file, self.code, self.changes = (
            *(self.pane.target, self.pane.file, self.pane.code, self.pane.changes),
        )
        self.pane.target_chosen.connect(lambda _: self.refresh())
        self.pane.node_chosen.connect(lambda node: session.select_nodes({node}))
        self.pane.node_opened.connect(self._go_to)
        session.nodes_selected.connect(self.pane.mark_nodes)
        self.budgets = tool_button("Budgets…", self.ask_budgets)
        self.budgets.setToolTip("What a material may spend on each tier of devices; pre-flight says who spends most")
        self.figures, self.log = QListWidget(), QListWidget()
        self.figures.setAccessibleName("figures")
        self.figures.setSizeAdjustPolicy(QAbstractScrollArea.SizeAdjustPolicy.AdjustToContents)
        self.notices = NoticeList()
        self.notices.setAccessibleName("pre-flight")
        self.notices.jump_wanted.connect(self.notice_wanted)
        take_answers(session, self.notices)
        self.log.setAccessibleName("deliveries and proofs")
        self.log.setWordWrap(True)
        self.log.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.log.setResizeMode(QListWidget.ResizeMode.Adjust)
        self._asking = NewestAnswer("generated text", self, self._show, self._failed)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(halves((self._left(), 284), (self.pane, 616), (self._right(), 380), stretch={1: 1}))
        self.leaving.opened.connect(self._open)
        catch_up = WhenSeen(self, self.refresh)
        session.changed.connect(catch_up)
        session.opened_material.connect(catch_up)
        self.refresh()

    def refresh(self) -> None:
        """Show how things are: the text of the open material is made beside the window."""
        self.leaving.follow(self.session.project)
        material, target = self.session.material, self.pane.chosen
        if material is None:
            self._show(Shown())
            return
        project, images, home = self.session.project, dict(self.session.images), self.session.folder
        self._asking.ask(lambda: shown_text(project, material, target, images, home))

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
        whole = whole_targets(home, read, self.leaving.looks.picked)

        scenes, assets = self.leaving.scenes.ticked, self.leaving.assets.ticked

        def work(progress: Progress) -> Delivery:
            shown = shown_alone(project, scenes, assets, models)
            return deliver(shown, materials, targets, folder, progress=progress, whole=whole)

        def take(done: Delivery) -> None:
            self.pane.delivered_to(done.folder)
            for target in targets:
                files = [name for name, row in done.manifest["files"].items() if row.get("target") == target]
                fresh = len(set(files) & set(done.written))
                self._tell_state(target, delivered=f"{counted(len(files), 'file')}, {fresh} new")
            words = f"{counted(len(done.written), 'file')} written, {len(done.kept)} as they were, to {done.folder}"
            self.log.insertItem(0, words)
            self.session.told.emit(words)

        if self._may():
            self.session.beside("Delivering", work, take)

    def ask_budgets(self) -> None:
        """Ask what materials may spend on each tier of devices."""
        dialog = BudgetDialog(self.session.project.budgets, self)
        dialog.wanted.connect(
            lambda budgets: self.session.apply("Change budgets", lambda project: changed(project, budgets=budgets))
        )
        passing(dialog).open()

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

    def _tick_changed(self) -> None:
        """Tick the materials that are other than when they were delivered last, and no others."""
        folder, there = self.pane.delivered, list(self.session.project.materials.values())
        try:
            fresh = set(changed_since(self.session.project, there, folder)) if folder else {each.id for each in there}
        except LanternError as error:
            self.session.complain(error)
            return
        shown = self.leaving.materials.list
        for row in range(shown.count()):
            item = shown.item(row)
            shown.tick([row], on=bool(item) and item.data(KEY) in fresh)  # type: ignore[union-attr]
        since = f"since they were delivered to {folder}" if folder else "never delivered from this window"
        self.session.told.emit(f"{counted(len(fresh), 'material')} changed {since}" if folder else f"All: {since}")

    def _tell_state(self, target: str, **told: str) -> None:
        """Show on a target's entry what was delivered and what was proven last."""
        state = self._states.setdefault(target, {})
        state |= told
        self.targets.tell(target, "\n".join([WORDS[target], *state.values()]))

    def _chosen(self) -> list[Material]:
        return self.leaving.chosen(self.session.project)

    def _open(self, material_id: str) -> None:
        """Show the text of the material that is gone to in the list."""
        if self.isVisible() and material_id != self.session.material_id:
            self.session.open_material(material_id)

    def _go_to(self, node: str) -> None:
        """Follow a line to its node on the Build desk."""
        place = self.session.material_id
        self.notice_wanted.emit(Notice(Severity.INFO, "line", "", place, node))

    def _show(self, made: Shown) -> None:
        read = {value for value in made.read if value in self.session.project.textures}
        own = [each for each in self.session.notices if each.place in {self.session.material_id, *read}]
        self.notices.show_notices([*made.notices, *own])
        self.pane.show_texts(made.texts, made.nodes, made.names)
        self.pane.mark_nodes(self.session.selected_nodes)
        self.figures.clear()
        self.figures.setToolTip(LIMITS[self.pane.chosen].source if self.pane.chosen in LIMITS else "")
        for figure in made.figures:
            self.figures.addItem(f"{figure.words}: more than every device has" if figure.too_much else figure.words)

    def _failed(self, words: str) -> None:
        self._show(Shown({"": f"// {words}"}))

    def _show_proofs(self, rows: list[dict[str, Any]]) -> None:
        bad = [row for row in rows if not row["holds"]]
        for row in rows:
            holds = "holds" if row["holds"] else "FAILS"
            self.log.insertItem(0, f"{row['material']}, {WORDS[row['target']]}: {holds}; {in_words(row)}")
        for target in dict.fromkeys(row["target"] for row in rows):
            mine = [row for row in rows if row["target"] == target]
            wrong = [row for row in mine if not row["holds"]]
            proven = [row for row in mine if not row["how"].startswith("not proven")]
            state = f"{counted(len(wrong), 'proof')} failed" if wrong else f"{counted(len(proven), 'proof')} hold"
            self._tell_state(target, proven=state if proven else mine[0]["how"])
        told = f"{len(bad)} of {counted(len(rows), 'proof')} failed" if bad else f"{counted(len(rows), 'proof')} hold"
        self.log.insertItem(0, told)
        self.session.told.emit(told)

    def _left(self) -> QWidget:
        panel = QWidget()
        column = QVBoxLayout(panel)
        column.setContentsMargins(10, 10, 4, 10)
        column.addWidget(side_by_side(heading_label("What leaves"), self.changed_ones, filled=True))
        column.addWidget(self.leaving, 1)
        column.addWidget(heading_label("Targets"))
        column.addWidget(self.targets, 1)
        column.addWidget(side_by_side(self.deliver, self.prove))
        return panel

    def _right(self) -> QWidget:
        panel = QWidget()
        column = QVBoxLayout(panel)
        column.setContentsMargins(4, 10, 10, 10)
        column.addWidget(with_bar(self.stage, self.stage_bar, within=True), 3)
        column.addWidget(heading_label("Pre-flight"))
        column.addWidget(self.notices, 3)
        column.addWidget(side_by_side(heading_label("Figures"), self.budgets, filled=True))
        column.addWidget(self.figures)
        column.addWidget(heading_label("Deliveries and proofs"))
        column.addWidget(self.log, 2)
        column.addWidget(quiet_label("The text is that of the open material", wraps=True))
        return panel


DELIVER_COMMANDS: dict[str, tuple[Command[DeliverDesk], ...]] = {
    "Project": (
        Command("Deliver what is ticked", DeliverDesk.ask_folder, "Ctrl+Alt+D", DeliverDesk.hindered),
        Command("Changes since the last delivery", lambda desk: desk.changes.click()),
        Command("Tick what changed since the last delivery", lambda desk: desk.changed_ones.click()),
        Command("Budgets", DeliverDesk.ask_budgets),
        Command("Prove what is ticked", DeliverDesk.begin_proof, hindered=DeliverDesk.hindered),
    ),
}
