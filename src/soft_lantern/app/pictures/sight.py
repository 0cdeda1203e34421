"""How a stage is looked at, apart from where from."""

from __future__ import annotations

from msgspec import Struct, field

from soft_lantern.render.card import Card
from soft_lantern.render.staging import StageOptions


class Sight(Struct, frozen=True):
    """What is drawn and when, and what is tried on.

    `tried`: the look that objects of its material wear in place of their own, where one is tried; `card`: the flat card
    shown instead of the scene, and `on_card` what it wears; `selected`: an object's id, and `part` one of its parts.
    """

    options: StageOptions = field(default_factory=StageOptions)
    time: float = 0.0
    tried: str = ""
    card: Card | None = None
    on_card: str = ""
    selected: str = ""
    part: str = ""
