"""The Tune desk: instances as a family tree, a large stage with comparisons, and the value sheet."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QLineEdit,
    QMenu,
    QPushButton,
    QSplitter,
    QStackedWidget,
    QTabWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from soft_lantern.app.mishaps import each_by_itself
from soft_lantern.app.portraits import Portraits
from soft_lantern.app.session import Session
from soft_lantern.app.stage.stage_bar import StageBar, with_bar
from soft_lantern.app.stage.stage_view import StageView
from soft_lantern.app.tune.compare_panel import ComparePanel
from soft_lantern.app.tune.family_tree import FAVOURITE, FamilyTree
from soft_lantern.app.tune.instance_hands import InstanceHands
from soft_lantern.app.tune.pick_panel import PickPanel
from soft_lantern.app.tune.sheet import Sheet
from soft_lantern.app.tune.sweep_strip import SweepStrip
from soft_lantern.app.tune.variation_dialog import VariationDialog
from soft_lantern.app.when_seen import WhenSeen
from soft_lantern.app.widgets.labels import link, linked_label, plain_label
from soft_lantern.app.widgets.passing import passing
from soft_lantern.graph.document import Instance
from soft_lantern.graph.instances import ancestry
from soft_lantern.graph.picks import wearers, worn, worn_looks, worn_materials
from soft_lantern.render.worker import RenderWorker

VALUES, COMPARE = range(2)


class TuneDesk(QWidget):
    """Where designers tune. The graph cannot be reached from here."""

    def __init__(self, session: Session, worker: RenderWorker, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session, self.worker = session, worker
        self.look_id = ""
        self.selected: list[str] = []
        self._pictured: object = None
        self.tree = FamilyTree()
        self.stage = StageView(session, worker, "tune")
        self.stage_bar = StageBar(session, self.stage)
        self.stage_bar.probe.hide()  # a trace shows on the canvas, which is not here
        self.sheet = Sheet()
        self.compare = ComparePanel(session, self.stage.comparison)
        self.strip = SweepStrip(session, worker)
        self.pick_panel = PickPanel(session)
        self.hands = InstanceHands(self)
        self.variations: VariationDialog | None = None
        self.portraits = Portraits(session, worker, self)
        self.portraits.arrived.connect(lambda i: self.tree.show_portrait(i, self.portraits.images.get(i)))
        halves = QSplitter(Qt.Orientation.Horizontal)
        for widget in (self._left(), self._middle(), self._right()):
            halves.addWidget(widget)
        halves.setSizes([250, 660, 370])
        halves.setStretchFactor(1, 1)
        halves.setChildrenCollapsible(False)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(halves)
        hands, sheet = self.hands, self.sheet
        self.tree.chosen.connect(self._chosen)
        self.tree.rename_wanted.connect(hands.rename)
        self.tree.delete_wanted.connect(hands.delete)
        self.tree.parent_wanted.connect(hands.put_under)
        self.tree.menu_wanted.connect(lambda at: self.menu().popup(at))
        self.search.textChanged.connect(lambda _: self._show_tree())
        self.favourites.toggled.connect(lambda _: self._show_tree())
        sheet.value_wanted.connect(hands.set_value)
        sheet.reset_wanted.connect(hands.reset_values)
        sheet.clamp_wanted.connect(hands.clamp)
        sheet.copy_wanted.connect(hands.copy)
        sheet.paste_wanted.connect(hands.paste)
        sheet.lock_wanted.connect(hands.lock)
        sheet.sweep_wanted.connect(lambda parameter: self.strip.open_on(self.look_id, parameter))
        self.strip.values_wanted.connect(hands.set_values)
        self.compare.take_wanted.connect(hands.take_snapshot)
        self.stage.picked.connect(self._picked)
        catch_up = WhenSeen(self, self.refresh)
        session.changed.connect(catch_up)
        session.models_changed.connect(catch_up)
        self._settle()
        catch_up.stale = True

    # What is shown

    def stop(self) -> None:
        """Stop what runs beside the window."""
        self.stage.stop()

    def refresh(self) -> None:
        """Show how things are."""
        each_by_itself(self._settle, self._show_tree, self._show_selected)
        if self.isVisible():
            self.portraits.refresh()

    def showEvent(self, event: QShowEvent | None) -> None:
        self.portraits.refresh()
        self.tree.bring_into_sight()

    def select(self, look_id: str) -> None:
        """Select an instance, material or pick."""
        self.tree.clearSelection()
        self.look_id, self.selected = look_id, [look_id]
        self.refresh()
        self.tree.bring_into_sight()

    def select_several(self, look_ids: list[str]) -> None:
        """Select several instances, to edit them at once."""
        self.tree.clearSelection()
        for look_id in look_ids:
            self.tree.items[look_id].setSelected(True)
        self.look_id, self.selected = look_ids[-1], list(look_ids)
        self._show_selected()

    def instance(self) -> Instance | None:
        """The instance that is current."""
        return self.session.project.instances.get(self.look_id)

    def instances(self) -> list[str]:
        """The instances that are selected, the current one first, all of its material."""
        project = self.session.project
        chosen = [self.look_id, *(each for each in self.selected if each != self.look_id)]
        return [each for each in chosen if each in project.instances]

    def menu(self) -> QMenu:
        """What can be done with what is selected."""
        menu = passing(QMenu(self))
        many = len(self.instances())
        for words, call, needs in self.hands.entries():
            if not words:
                menu.addSeparator()
                continue
            action = menu.addAction(words, call)
            assert action
            action.setEnabled(many >= needs or not needs)
        return menu

    def try_values(self) -> None:
        """Open the strip of pictures with other values, or put it away."""
        if self.strip.isHidden():
            self.strip.open_on(self.look_id)
        else:
            self.strip.close_strip()

    def vary(self) -> None:
        """Open random variations of what is selected."""
        self.variations = passing(VariationDialog(self.session, self.worker, self.look_id, self))
        self.variations.open()

    def for_designers(self) -> None:
        """Take away what is the author's alone."""
        self.sheet.author = False

    def _settle(self) -> None:
        """Let something that is there be current, and nothing selected that is gone."""
        project = self.session.project
        if not any(self.look_id in each for each in (project.instances, project.materials, project.picks)):
            scene = self.session.scene
            seen = [look_id for thing in (scene.objects if scene else ()) for look_id in worn_looks(project, thing)]
            first = [*(each for each in seen if each in project.instances), *sorted(project.instances)]
            self.look_id = next(iter([*first, *sorted(project.materials)]), "")
        known = (project.instances, project.materials)
        self.selected = [each for each in self.selected if any(each in some for some in known)] or [self.look_id]

    def _show_tree(self) -> None:
        self.tree.show_project(
            self.session.project, self.look_id, self.search.text(), favourites=self.favourites.isChecked()
        )
        if self._pictured is not self.tree.items:
            self._pictured = self.tree.items
            for look_id, image in self.portraits.images.items():
                self.tree.show_portrait(look_id, image)

    def _show_selected(self) -> None:
        project = self.session.project
        is_pick = self.look_id in project.picks
        self.panels.setCurrentIndex(1 if is_pick else 0)
        if is_pick:
            self.pick_panel.show_pick(self.look_id)
            self.name.setText(project.picks[self.look_id].name)
            self.worn_by.setText("")
            return
        shown = self.instances() or [self.look_id]
        self.sheet.show_looks(project, shown)
        self.compare.look_id = self.look_id
        if self.compare.isVisible() or self.stage.comparison.on:
            self.compare.refresh()
        self.strip.show_look(self.look_id)
        self.stage.card_look = self.look_id
        if self.stage.card:
            self.stage.request()
        instance = self.instance()
        several = f"{len(shown)} instances at once"
        self.name.setText(several if len(shown) > 1 else instance.name if instance else "The material’s own defaults")
        for button in (self.duplicate_button, self.delete_button):
            button.setEnabled(instance is not None)
        self._show_wearers(shown)

    def _show_wearers(self, shown: list[str]) -> None:
        scene = self.session.scene
        found = list(wearers(self.session.project, scene, set(shown))) if scene else []
        links = [link(f"{o.id}|{part}", f"{o.name}: {part}" if part else o.name) for o, part in found[:12]]
        more = f" and {len(found) - 12} more" if len(found) > 12 else ""
        instance, material = self.instance(), ancestry(self.session.project, self.look_id)[1]
        kin = material and worn_materials(self.session.project, self.session.scene_id)[material.id]
        tried_on = instance.id if instance and not found and kin else ""
        if self.stage.dress_as != tried_on:
            self.stage.dress(tried_on)
        unworn = "Worn by nothing here; its kin show it" if tried_on else ""
        self.worn_by.setText(f"Worn by {', '.join(links)}{more}" if links else unworn or "Worn by nothing here")

    def _chosen(self, look_id: str, selected: list[str]) -> None:
        self.look_id, self.selected = look_id, selected
        self._show_selected()

    def _picked(self, object_id: str, part: str) -> None:
        thing = self.session.scene.object(object_id) if self.session.scene else None
        self.stage.selected, self.stage.selected_part = object_id, part
        look_id = worn(self.session.project, thing, part) if thing else ""
        if look_id:
            self.select(look_id)

    def _follow(self, link: str) -> None:
        """Show which part it is that wears it: alone, or with the others again."""
        object_id, _, part = link.partition("|")
        self.stage.selected, self.stage.selected_part = object_id, part
        self.stage.solo(object_id, part)

    # Parts

    def _left(self) -> QWidget:
        panel = QWidget()
        column = QVBoxLayout(panel)
        column.setContentsMargins(10, 10, 4, 10)
        self.search = QLineEdit()
        self.search.setPlaceholderText("Find: name, tag, spread > 3")
        self.search.setClearButtonEnabled(True)
        self.search.setAccessibleName("find instances")
        self.favourites = QToolButton()
        self.favourites.setText(FAVOURITE)
        self.favourites.setCheckable(True)
        self.favourites.setToolTip("Favourites alone")
        self.favourites.setAccessibleName("favourites alone")
        top = QHBoxLayout()
        top.addWidget(self.search, 1)
        top.addWidget(self.favourites)
        column.addLayout(top)
        column.addWidget(self.tree, 1)
        self.add_button = QPushButton("New instance")
        self.add_button.setToolTip("An instance of what is selected above")
        self.add_button.clicked.connect(self.hands.add)
        self.duplicate_button = _button("Duplicate", self.hands.duplicate)
        self.delete_button = _button("Delete", self.hands.delete)
        self.more_button = _button("More", lambda: self.menu().popup(self._below(self.more_button)))
        row = QHBoxLayout()
        row.addWidget(self.add_button, 1)
        column.addLayout(row)
        second = QHBoxLayout()
        for button in (self.duplicate_button, self.delete_button, self.more_button):
            second.addWidget(button, 1)
        column.addLayout(second)
        return panel

    def _middle(self) -> QWidget:
        panel = QWidget()
        column = QVBoxLayout(panel)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(with_bar(self.stage, self.stage_bar), 1)
        column.addWidget(self.strip)
        return panel

    def _right(self) -> QWidget:
        panel = QWidget()
        column = QVBoxLayout(panel)
        column.setContentsMargins(4, 10, 10, 10)
        self.name = plain_label()
        font = self.name.font()
        font.setPointSizeF(13)
        font.setBold(True)
        self.name.setFont(font)
        self.worn_by = linked_label()
        self.worn_by.setToolTip("Click a part to see it alone, and again to see all")
        self.worn_by.linkActivated.connect(self._follow)
        self.tabs = QTabWidget()
        self.tabs.addTab(self._values(), "Values")
        self.tabs.addTab(self.compare, "Compare")
        self.tabs.currentChanged.connect(lambda _: self.compare.refresh())
        self.panels = QStackedWidget()
        self.panels.addWidget(self.tabs)
        self.panels.addWidget(self.pick_panel)
        column.addWidget(self.name)
        column.addWidget(self.worn_by)
        column.addWidget(self.panels, 1)
        return panel

    def _values(self) -> QWidget:
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(0, 8, 0, 0)
        row = QHBoxLayout()
        self.presets = _button("Presets", lambda: self.hands.preset_menu().popup(self._below(self.presets)))
        self.try_button = _button("Try values", self.try_values)
        self.vary_button = _button("Vary", self.vary)
        self.try_button.setToolTip("Small pictures of a parameter at several values, or of two as a grid")
        self.vary_button.setToolTip("Random instances within spreads, of which to keep some")
        for button in (self.presets, self.try_button, self.vary_button):
            row.addWidget(button)
        row.addStretch(1)
        column.addLayout(row)
        column.addWidget(self.sheet, 1)
        return page

    def _below(self, button: QWidget) -> QPoint:
        return button.mapToGlobal(QPoint(0, button.height()))


def _button(text: str, call: Callable[[], object]) -> QToolButton:
    button = QToolButton()
    button.setText(text)
    button.clicked.connect(lambda _: call())
    return button
