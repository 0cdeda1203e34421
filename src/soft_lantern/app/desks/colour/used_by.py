"""What uses the gradient or palette that is chosen, in words that lead on."""

from __future__ import annotations

from soft_lantern.app.widgets.labels import link, linked_label
from soft_lantern.graph.document import Project
from soft_lantern.graph.records import KINDS, users

_OTHERS = [kind for kind in KINDS if kind not in ("gradients", "palettes")]


class UsedBy:
    """Its `label` tells the id of what was clicked."""

    def __init__(self) -> None:
        self.label = linked_label()
        self.label.setToolTip("Click to open it, with a scene where it is worn")
        self._told: tuple[object, ...] = ()

    def show(self, project: Project, chosen: str) -> None:
        """Tell the users; looked for again where something else than colours changed, since that takes long."""
        swaps = [(key, each.name, each.swaps) for key, each in project.palettes.items()]
        told = (chosen, swaps, *(getattr(project, kind) for kind in _OTHERS))
        if told == self._told:
            return
        self._told = told
        names = {place.record: place.home for place in users(project, chosen)} if chosen else {}
        links = [link(user_id, name) for user_id, name in names.items()]
        unused = "Used by nothing yet" if chosen else ""
        self.label.setText(f"Used by {', '.join(links)}" if links else unused)
