"""The Tune desk: instances as a family tree, a large stage with comparisons, and the value sheet."""

from __future__ import annotations

from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import (
    QMenu,
    QStackedWidget,
    QTabWidget,
    QVBoxLayout,
    QWidget,
)

from soft_lantern.app.command import Command, through
from soft_lantern.app.desks.desk import Desk
from soft_lantern.app.desks.tune.compare_panel import ComparePanel
from soft_lantern.app.desks.tune.family_tree import FamilyTree
from soft_lantern.app.desks.tune.instance_commands import INSTANCE_COMMANDS, InstanceCommands
from soft_lantern.app.desks.tune.pick_panel import PickPanel
from soft_lantern.app.desks.tune.scene_tab import SceneTab
from soft_lantern.app.desks.tune.selection import TuneSelection
from soft_lantern.app.desks.tune.sweep_strip import SweepStrip
from soft_lantern.app.desks.tune.tree_panel import TreePanel
from soft_lantern.app.desks.tune.value_commands import VALUE_COMMANDS, ValueCommands
from soft_lantern.app.desks.tune.values_page import ValuesPage
from soft_lantern.app.desks.tune.variation_dialog import VariationDialog
from soft_lantern.app.desks.tune.worn_by import WornBy, words_of_trying
from soft_lantern.app.panels.object_commands import OBJECTS
from soft_lantern.app.pictures.comparison import DIFFERENCE, DIVIDER, FOUR
from soft_lantern.app.pictures.portraits import Portraits
from soft_lantern.app.session.session import Session
from soft_lantern.app.stage.stage_bar import StageBar, with_bar
from soft_lantern.app.stage.stage_view import StageView
from soft_lantern.app.widgets.buttons import below
from soft_lantern.app.widgets.halves import halves
from soft_lantern.app.widgets.labels import ElidedLabel
from soft_lantern.app.widgets.passing import passing
from soft_lantern.app.widgets.when_seen import WhenSeen
from soft_lantern.app.widgets.whole_look import ENDS
from soft_lantern.app.work.mishaps import each_by_itself
from soft_lantern.app.work.timers import single_shot
from soft_lantern.graph.instances.picks import wearers, worn, worn_materials
from soft_lantern.render.worker import RenderWorker

VALUES, COMPARE = range(2)


class TuneDesk(Desk):
    """Where designers tune. The graph cannot be reached from here."""

    place = "look"

    def __init__(self, session: Session, worker: RenderWorker, parent: QWidget | None = None) -> None:
        super().__init__(session, worker, parent)
        self.selection = TuneSelection(session, self)
        self._pictured: object = None
        self.tries_on = True
        """Whether a look that nothing wears is shown on what wears its family."""
        self.tree = FamilyTree()
        self._shown = single_shot(self, 0, self.tree.bring_into_sight)  # once the tree is filled
        self.beside_tree = TreePanel(self.tree)
        self.stage = StageView(session, worker, "tune")
        self.stage_bar = StageBar(session, self.stage)
        self.stage_bar.probe.hide()  # a trace shows on the canvas, which is not here
        self.values_page = ValuesPage()
        self.sheet, self.whole = self.values_page.sheet, self.values_page.whole
        self.compare = ComparePanel(session, self.stage.comparison)
        self.strip = SweepStrip(session, worker)
        self.pick_panel = PickPanel(session)
        self.scene_tab = SceneTab(session)
        self.instance_commands = InstanceCommands(session, self.selection, self)
        self.value_commands = ValueCommands(session, worker, self.selection, self)
        self.variations: VariationDialog | None = None
        self.portraits = Portraits(session, worker, self.tree.in_sight, self)
        self.tree.scrolled.connect(self.portraits.hurry)
        self.portraits.arrived.connect(lambda i: self.tree.show_portrait(i, self.portraits.images.get(i)))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(halves((self.beside_tree, 250), (self._middle(), 660), (self._right(), 370), stretch={1: 1}))
        instances, values, sheet = self.instance_commands, self.value_commands, self.sheet
        instances.added.connect(self.tree.setFocus)  # so that F2 names it
        self.selection.cleared.connect(self.tree.clearSelection)
        self.selection.changed.connect(self._selected_elsewhere)
        self.tree.chosen.connect(self._chosen)
        self.tree.rename_wanted.connect(instances.rename)
        self.tree.delete_wanted.connect(instances.delete)
        self.tree.parent_wanted.connect(instances.put_under)
        self.tree.menu_wanted.connect(lambda at: self.menu().popup(at))
        panel = self.beside_tree
        panel.search.textChanged.connect(lambda _: self._show_tree())
        panel.search.returnPressed.connect(self.tree.choose_first)
        panel.favourites.toggled.connect(lambda _: self._show_tree())
        panel.add_button.clicked.connect(lambda _: instances.add())
        panel.duplicate_button.clicked.connect(lambda _: instances.duplicate())
        panel.delete_button.clicked.connect(lambda _: instances.delete())
        panel.more_button.clicked.connect(lambda _: self.menu().popup(below(panel.more_button)))
        page = self.values_page
        page.presets_wanted.connect(lambda: values.preset_menu().popup(below(page.presets)))
        page.try_wanted.connect(self.try_values)
        page.vary_wanted.connect(self.vary)
        values.serve(sheet, self.whole)
        sheet.sweep_wanted.connect(lambda parameter: self.strip.open_on(self.selection.look_id, parameter))
        self.strip.values_wanted.connect(values.set_values)
        self.compare.take_wanted.connect(values.take_snapshot)
        self.stage.picking.picked.connect(self._picked)
        self.scene_tab.objects.selected.connect(self._mark)
        catch_up = WhenSeen(self, self.refresh)
        session.changed.connect(catch_up)
        session.models_changed.connect(catch_up)
        self.selection.settle()
        catch_up.stale = True

    # What is shown

    def refresh(self) -> None:
        """Show how things are."""
        each_by_itself(self.selection.settle, self._show_tree, self._show_selected)
        if self.isVisible():
            self.portraits.refresh()

    def showEvent(self, event: QShowEvent | None) -> None:
        self.portraits.refresh()
        self._shown.start()

    def select(self, look_id: str) -> None:
        """Select an instance, material or pick."""
        self.selection.select(look_id)

    @property
    def in_hand(self) -> str:
        return self.selection.look_id

    def show_record(self, record_id: str, part: str = "") -> None:
        self.select(record_id)

    def select_several(self, look_ids: list[str]) -> None:
        """Select several instances, to edit them at once."""
        self.tree.clearSelection()
        for look_id in look_ids:
            self.tree.items[look_id].setSelected(True)
        self.selection.take(look_ids[-1], list(look_ids))
        self._show_selected()

    def menu(self) -> QMenu:
        """What can be done with what is selected."""
        menu = passing(QMenu(self))
        for listed in (INSTANCES, VALUES_OF_THEM, TRYING):
            for command in listed:
                action = menu.addAction(command.name, lambda command=command: command.run(self))
                assert action
                action.setEnabled(not command.hindered(self))
            menu.addSeparator()
        return menu

    def compare_by(self, mode: str) -> None:
        """Compare what is tuned in that way, or no longer."""
        self.tabs.setCurrentWidget(self.compare)
        self.compare.compare("" if self.compare.mode.currentData() == mode else mode)

    def go_to_value(self) -> None:
        """Ask for a value by its name, and put the keyboard there."""
        self.tabs.setCurrentWidget(self.values_page)
        self.values_page.ask()

    def try_values(self) -> None:
        """Open the strip of pictures with other values, or put it away."""
        if self.strip.isHidden():
            self.strip.open_on(self.selection.look_id)
        else:
            self.strip.close_strip()

    def vary(self) -> None:
        """Open random variations of what is selected."""
        self.variations = passing(VariationDialog(self.session, self.worker, self.selection.look_id, self))
        self.variations.open()

    def try_on_or_show_worn(self) -> None:
        """Show what is selected on what wears its family, or what is worn as it is."""
        self.tries_on = not self.tries_on
        self._show_selected()

    def change_sky(self) -> None:
        """Go to the sky and light of the scene, or to how to come by a scene that may be changed."""
        self.tabs.setCurrentWidget(self.scene_tab)
        held = self.session.scene_held
        (self.scene_tab.copy if held else self.scene_tab.light.sky).setFocus()

    def _show_tree(self) -> None:
        self.tree.show_project(
            self.session.project,
            self.selection.look_id,
            self.beside_tree.search.text(),
            favourites=self.beside_tree.favourites.isChecked(),
        )
        if self._pictured is not self.tree.items:
            self._pictured = self.tree.items
            for look_id, image in self.portraits.images.items():
                self.tree.show_portrait(look_id, image)

    def _selected_elsewhere(self) -> None:
        self.refresh()
        self.tree.bring_into_sight()

    def _show_selected(self) -> None:
        project, look_id = self.session.project, self.selection.look_id
        is_pick = look_id in project.picks
        self.panels.setCurrentIndex(1 if is_pick else 0)
        if is_pick:
            self.pick_panel.show_pick(look_id)
            self.name.setText(project.picks[look_id].name)
            self.worn_by.show_wearers([], "")
            return
        shown = self.selection.instances or [look_id]
        self.sheet.show_looks(project, shown)
        first = project.instances.get(shown[0])
        self.whole.show_values({name: getattr(first, name) for name in ENDS} if first else None)
        self.compare.look_id = look_id
        if self.compare.isVisible() or self.stage.comparison.on:
            self.compare.refresh()
        self.strip.show_look(look_id)
        self.stage.modes.put_on_card(look_id)
        instance = self.selection.instance
        several = f"{len(shown)} instances at once"
        self.name.setText(several if len(shown) > 1 else instance.name if instance else "The material’s own defaults")
        for button in (self.beside_tree.duplicate_button, self.beside_tree.delete_button):
            button.setEnabled(instance is not None)
        self._show_wearers(shown)

    def _show_wearers(self, shown: list[str]) -> None:
        scene = self.session.scene
        found = list(wearers(self.session.project, scene, set(shown))) if scene else []
        instance, material = self.selection.instance, self.selection.material
        kin = bool(material and worn_materials(self.session.project, self.session.scene_id)[material.id])
        tried_on = instance.id if instance and kin and not found and self.tries_on else ""
        self.stage.modes.try_on(tried_on)
        self.stage.remark = words_of_trying(instance.name if instance and kin and not found else "", bool(tried_on))
        self.stage.update()
        unworn = "Worn by nothing here: tried on what wears its family" if tried_on else "Worn by nothing here"
        self.worn_by.show_wearers([(thing.id, thing.name, part) for thing, part in found], unworn)

    def _chosen(self, look_id: str, selected: list[str]) -> None:
        self.selection.take(look_id, selected)
        self._show_selected()

    def _picked(self, object_id: str, part: str) -> None:
        thing = self.session.scene.object(object_id) if self.session.scene else None
        self._mark(object_id, part)
        look_id = worn(self.session.project, thing, part) if thing else ""
        if look_id:
            self.select(look_id)

    def _mark(self, object_id: str, part: str = "") -> None:
        self.stage.modes.select(object_id, part)
        self.scene_tab.objects.show_object(object_id, part)
        self.stage.update()

    def _show_alone(self, object_id: str, part: str) -> None:
        """Show which part it is that wears it: alone, or with the others again."""
        self.stage.modes.select(object_id, part)
        self.stage.modes.solo(object_id, part)

    # Parts

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
        self.name = ElidedLabel()
        font = self.name.font()
        font.setPointSizeF(13)
        font.setBold(True)
        self.name.setFont(font)
        self.worn_by = WornBy()
        self.worn_by.part_chosen.connect(self._show_alone)
        self.tabs = QTabWidget()
        self.tabs.setAccessibleName("about the look")
        self.tabs.addTab(self.values_page, "Values")
        self.tabs.addTab(self.compare, "Compare")
        self.tabs.addTab(self.scene_tab, "Scene")
        self.tabs.currentChanged.connect(lambda _: self.compare.refresh())
        self.panels = QStackedWidget()
        self.panels.addWidget(self.tabs)
        self.panels.addWidget(self.pick_panel)
        column.addWidget(self.name)
        column.addWidget(self.worn_by)
        column.addWidget(self.panels, 1)
        return panel


def _compares(name: str, keys: str, mode: str) -> Command[TuneDesk]:
    return Command(name, lambda desk: desk.compare_by(mode), keys, designers=True, anywhere=True)


INSTANCES: tuple[Command[TuneDesk], ...] = through(INSTANCE_COMMANDS, lambda desk: desk.instance_commands)
VALUES_OF_THEM: tuple[Command[TuneDesk], ...] = through(VALUE_COMMANDS, lambda desk: desk.value_commands)
TRYING: tuple[Command[TuneDesk], ...] = (
    Command("Try on, or show what is worn", TuneDesk.try_on_or_show_worn, "Ctrl+Alt+T", designers=True),
    Command("Try values", TuneDesk.try_values, "Ctrl+Shift+V", designers=True, anywhere=True),
    Command("Vary at random", TuneDesk.vary, designers=True, anywhere=True),
    _compares("Compare side by side", "Ctrl+K", DIVIDER),
    _compares("Compare four at once", "", FOUR),
    _compares("Show the difference", "Ctrl+Shift+K", DIFFERENCE),
    Command("Keep a snapshot", lambda desk: desk.compare.keep_snapshot(), designers=True),
    Command("Go to a value", TuneDesk.go_to_value, "Ctrl+J", designers=True),
    Command("Find instances", lambda desk: desk.beside_tree.seek(), "Ctrl+Shift+F", designers=True, anywhere=True),
)
IN_THE_SCENE: tuple[Command[TuneDesk], ...] = (
    *through(OBJECTS, lambda desk: desk.scene_tab.objects),
    Command("Make a copy of the scene to change", lambda desk: desk.scene_tab.make_copy(), designers=True),
    Command("Change the sky and light", TuneDesk.change_sky, designers=True),
)
TUNE_COMMANDS = {"Instances": (*INSTANCES, *VALUES_OF_THEM, *TRYING), "Objects": IN_THE_SCENE}
