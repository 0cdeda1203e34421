"""Which vertices of parts are selected. Any thread may ask and put."""

from __future__ import annotations

import numpy as np

from soft_lantern.scene.mesh import Mesh
from soft_lantern.scene.vertex_sets import VertexSet

Key = tuple[str, str]
"""An asset's id, and a part's name."""


class Selected:
    """The selection of each part, for as long as the window is open."""

    def __init__(self) -> None:
        self._sets: dict[Key, VertexSet] = {}
        self._none = np.zeros(0, bool)

    def of(self, key: Key, mesh: Mesh) -> VertexSet | None:
        """The selected vertices of a part's bare mesh, (n,); None where none is, or they were those of another mesh."""
        found = self._sets.get(key)
        return found if found is not None and len(found) == len(mesh.positions) and found.any() else None

    def all_of(self, key: Key, mesh: Mesh) -> VertexSet:
        """As `of`, but all false where none is selected: the same one each time, so that nothing is marked anew."""
        found = self.of(key, mesh)
        if found is None and len(self._none) != len(mesh.positions):
            self._none = np.zeros(len(mesh.positions), bool)
        return self._none if found is None else found

    def put(self, key: Key, chosen: VertexSet) -> None:
        """Let others be selected."""
        self._sets[key] = chosen
