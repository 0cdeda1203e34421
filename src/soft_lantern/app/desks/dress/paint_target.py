"""Which part is painted, and what it holds and wears at the moment."""

from __future__ import annotations

from collections.abc import Callable

from soft_lantern.app.session.session import Session
from soft_lantern.formats.assets import Layers
from soft_lantern.graph.document import Material, StageObject, node_and_port, node_of
from soft_lantern.graph.instances.picks import worn
from soft_lantern.graph.instances.values import Look, look
from soft_lantern.graph.kinds import label_of, output_kinds
from soft_lantern.scene.colour_layers import drawn, own_layers, selections
from soft_lantern.scene.mesh import Part


class PaintTarget:
    """One part of an object of the scene: `selected` gives the object's id and the part's name as they are now."""

    def __init__(self, session: Session, selected: Callable[[], tuple[str, str]]) -> None:
        self.session, self.selected = session, selected

    def thing(self) -> StageObject | None:
        """The object whose part is painted."""
        scene = self.session.scene
        return scene.object(self.selected()[0]) if scene else None

    def part(self) -> Part | None:
        """The part that is painted: the one that is selected, or the only one there is."""
        thing = self.thing()
        model = self.session.models.get(thing.asset) if thing else None
        parts = model.parts if model else ()
        name = self.selected()[1]
        return next((p for p in parts if p.name == name), parts[0] if len(parts) == 1 else None)

    def missing(self) -> str:
        """Why nothing can be painted, "" where it can."""
        return "" if self.part() else "Select a part first"

    def look(self) -> Look | None:
        """What the part wears."""
        thing, part = self.thing(), self.part()
        return look(self.session.project, worn(self.session.project, thing, part.name)) if thing and part else None

    def layers(self) -> Layers | None:
        """The layers there are, those of the file counted; None where no part is selected."""
        part = self.part()
        return None if part is None else drawn(part.layers) or own_layers(part.bare)

    def kept(self) -> Layers:
        """The selections that the part keeps."""
        part = self.part()
        return selections(part.layers) if part else ()

    def key(self) -> tuple[str, str]:
        """What is painted, by its asset and its part's name."""
        thing, part = self.thing(), self.part()
        return (thing.asset, part.name) if thing and part else ("", "")

    def wires(self) -> list[tuple[str, str]]:
        """What could fill a layer: every output of what the part wears, by its name."""
        found = self.look()
        return self.wires_of(found.material) if found else []

    def wires_of(self, material: Material) -> list[tuple[str, str]]:
        """Every output of a material that gives numbers, by its name."""
        named = [
            (f"{label_of(material, material.nodes[node_of(ref)])}: {node_and_port(ref)[1]}", ref)
            for ref, kind in output_kinds(material).items()
            if not kind.is_read
        ]
        return sorted(named)

    def heights(self) -> tuple[float, float]:
        """The lowest and highest point of the part, in the model's own space."""
        part = self.part()
        if part is None:
            return (0.0, 1.0)
        low, high = part.placed.bounds
        return float(low[1]), float(high[1])
