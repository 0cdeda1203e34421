"""Where a person was in a project: the window, the desk, what was open and selected at each."""

from __future__ import annotations

import msgspec

from soft_lantern.graph.document import View


class Places(msgspec.Struct, frozen=True, omit_defaults=True):
    """Where a person was. `canvas`: scale and middle; `edges` and `scrolled`: by desk, in the order of its parts."""

    desk: str = ""
    material: str = ""
    scene: str = ""
    view: View | None = None
    nodes: tuple[str, ...] = ()
    canvas: tuple[float, float, float] | None = None
    look: str = ""
    ramp: str = ""
    thing: str = ""
    window: str = ""
    edges: dict[str, tuple[str, ...]] = {}
    scrolled: dict[str, tuple[int, ...]] = {}
