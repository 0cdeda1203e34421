"""Puts on the canvas what the finder offers: nodes, snippets, recipes and formulas, joined to the wire in the hand."""

from __future__ import annotations

from msgspec import Struct
from PyQt6.QtCore import QObject, QPointF

from soft_lantern.app.canvas.finder import RECENT_MOST, Finder, HeldWire, Offer, offers
from soft_lantern.app.canvas.steps import Steps
from soft_lantern.app.canvas.view import CanvasView
from soft_lantern.app.canvas.wishes import Wishes
from soft_lantern.graph import edits
from soft_lantern.graph.document import Material, Node, changed, new_id, node_and_port, port_ref
from soft_lantern.graph.layout import SLIP_WIDTH, free_place, slip_height
from soft_lantern.graph.nesting import used_snippets
from soft_lantern.graph.recipes.joining import Joined, effect, joined
from soft_lantern.graph.recipes.recipe import Recipe
from soft_lantern.graph.wiring import wired
from soft_lantern.nodes import Role
from soft_lantern.values.kinds import Kind


class _Spot(Struct, frozen=True):
    """Where something is to stand, in canvas units, and the port whose loose wire it is to take."""

    at: QPointF
    ref: str = ""
    from_output: bool = True


class Placing(QObject):
    """The finder over a canvas, and what comes of it."""

    def __init__(self, view: CanvasView, wishes: Wishes) -> None:
        super().__init__(view)
        self.view, self.wishes = view, wishes
        self.finder = Finder(view)
        self.finder.chosen.connect(self._place)
        self.finder.closed.connect(self._give_up)
        self.finder.hint_of = self._hint
        self.recent: list[str] = []
        self._spot: _Spot | None = None

    def open(self, place: QPointF, text: str = "", ref: str = "", *, from_output: bool = True) -> None:
        """Open the finder at a place of the widget, for what fits a port's wire where one is held."""
        material = self.view.material
        fitting = None
        if ref:
            fitting = edits.fitting_inputs(material, ref) if from_output else edits.fitting_outputs(material, ref)
        kind = self._kind_of(ref, from_output) if ref else None
        self._spot = _Spot(self.view.to_canvas(place), ref, from_output)
        held, snippets, recent = HeldWire(fitting, from_output, kind), self.view.snippets, tuple(self.recent)
        self.finder.open_at(place.toPoint(), text, lambda typed: offers(typed, material, held, snippets, recent))

    def open_after_selected(self) -> None:
        """Open the finder for what could follow the selected slip, wired to it."""
        if len(self.view.selected) == 1:
            slip = self.view.spread.slips[next(iter(self.view.selected))]
            out = next((r for r in slip.rows if r.is_output), None)
            if out and out.port:
                place = self.view.to_widget(slip.rect.topRight() + QPointF(60, 0))
                self.open(place, "", port_ref(slip.node_id, out.port.name))

    def place_parameter(self, parameter_id: str, place: QPointF) -> None:
        """Put a node that shows a parameter at a place of the widget."""
        if self.view.material.parameter(parameter_id):
            node = Node(type="parameter", settings={"parameter": parameter_id})
            self._place_node(node, _Spot(self.view.to_canvas(place)), "Place parameter")

    def _hint(self, offer: Offer) -> str:
        """What an offer is; of a recipe, what it will do here too."""
        if offer.recipe and self._spot and not self._spot.ref:
            return f"{offer.hint}\n{effect(self.view.material, offer.recipe)}"
        return offer.hint

    def _kind_of(self, ref: str, from_output: bool) -> Kind:
        """What a port gives, or takes."""
        if from_output:
            return self.view.spread.kinds[ref]
        node_id, name = node_and_port(ref)
        row = self.view.spread.slips[node_id].row(name, is_output=False)
        return row.kind if row and row.kind else Kind.NUMBER

    def _give_up(self) -> None:
        self._spot = None
        self.view.setFocus()

    def _place(self, offer: Offer) -> None:
        if self._spot is None:
            return
        self.recent = [offer.key, *(key for key in self.recent if key != offer.key)][:RECENT_MOST]
        if offer.recipe:
            self._place_recipe(offer.recipe, self._spot)
        else:
            self._place_node(offer.node, self._spot, f"Add {offer.title}", offer.port)

    def _place_recipe(self, recipe: Recipe, spot: _Spot) -> None:
        """Put a recipe on the canvas, its end into the input in the hand, or joined to the surface it is meant for."""
        into = "" if spot.from_output else spot.ref
        at = (spot.at.x() - (360.0 if into else 0.0), spot.at.y() - 20)
        made: list[Joined] = []

        def placed(material: Material) -> Material:
            made[:] = [joined(material, recipe, at, into)]
            return made[0].material

        self._spot = None
        self.wishes.edit(f"Add {recipe.title}", placed)
        if made:
            self.view.select(set(made[0].node_ids))
            Steps(self.view).bring_in(made[0].node_ids)
            self.wishes.told.emit(made[0].words)
        self.view.setFocus()

    def _place_node(self, node: Node, spot: _Spot, name: str, port: str = "") -> None:
        node_id = new_id(node.type)
        back = 0.0 if not spot.ref or spot.from_output else 150.0
        wanted, snippets = (spot.at.x() - back, spot.at.y() - 20), self.view.snippets

        def placed(base: Material) -> Material:
            if node.role is Role.SNIPPET:
                used = used_snippets(changed(base, nodes={node_id: node}), snippets)
                base = changed(base, snippets=base.snippets | used)
            x, y = free_place(base, wanted, (SLIP_WIDTH, slip_height(base, node)))
            material = edits.add_node(base, node_id, changed(node, x=x, y=y))
            if spot.ref and spot.from_output:
                return wired(material, spot.ref, port_ref(node_id, port))
            return wired(material, port_ref(node_id, port), spot.ref) if spot.ref else material

        self.wishes.edit(name, placed)
        if node_id in self.view.material.nodes:
            self._spot = None
            self.view.select({node_id})
            Steps(self.view).bring_in([node_id])
        self.view.setFocus()
