"""What a recipe is: a function that adds nodes and exposes parameters, and says which surface inputs they are for."""

from __future__ import annotations

import functools
import inspect
from collections.abc import Callable, Mapping

from msgspec import Struct, field

from soft_lantern.graph.authoring import Authoring, Wire
from soft_lantern.graph.document import Material
from soft_lantern.graph.kinds import output_kinds
from soft_lantern.graph.layout import tidy
from soft_lantern.values.kinds import Kind

Body = Callable[..., Wire | dict[str, Wire]]
OFFSET = "offset"
"""The end of a recipe that moves vertices."""
UNDER: dict[str, tuple[str, object]] = {
    "base_colour": ("colour", "#808080"),
    "emissive": ("colour", "#000000"),
    "normal": ("vector_3", (0.0, 0.0, 1.0)),
    "alpha": ("number", 1.0),
}
"""What stands in a recipe for what feeds a surface input already: a constant, by the input."""


class Piece(Struct, frozen=True, eq=False):
    """A piece of graph, laid out. `ends`: the output meant for each surface input, the main one first.

    `under`: the node that stands for what feeds the main input, where the recipe works upon that.
    """

    material: Material
    ends: dict[str, str]
    under: str = ""


class Recipe(Struct, frozen=True, eq=False):
    """A recipe by name: other words for it, a sentence, what writes it, and the surface input its end is meant for.

    `over`: what it does with what already feeds that input, in words; "" where it cannot. `sets`: the settings of
    the surface that it needs.
    """

    title: str
    also: tuple[str, ...]
    summary: str
    body: Body
    into: str = ""
    over: str = ""
    sets: Mapping[str, str] = field(default_factory=dict)

    def piece(self, *, over: bool = False) -> Piece:
        """The piece of graph; `over`: such as works upon what feeds its main input."""
        m = Authoring(self.title)
        under = None
        if over and self.over:
            key, value = UNDER[self.into]
            under = m.add(key, name="Under", value=value)  # type: ignore[arg-type]
        result = self.body(m, under) if "under" in inspect.signature(self.body).parameters else self.body(m)
        ends = result if isinstance(result, dict) else {self.into: result}
        return Piece(tidy(m.material), {port: wire.ref for port, wire in ends.items()}, under.node_id if under else "")

    @property
    def kind(self) -> Kind:
        """The kind of what the recipe ends in."""
        return _kind_of(self)


@functools.cache
def _kind_of(recipe_: Recipe) -> Kind:
    made = recipe_.piece()
    return output_kinds(made.material)[next(iter(made.ends.values()))]


RECIPES: list[Recipe] = []


def recipe(
    title: str, *also: str, into: str = "base_colour", over: str = "", sets: Mapping[str, str] | None = None
) -> Callable[[Body], Body]:
    """Put a function among the recipes; its docstring says what it is for.

    `into`: where on the surface it goes. A body that takes `under`, the wire that feeds that input already, says in
    `over` what it does with it.
    """

    def register(body: Body) -> Body:
        summary = " ".join((body.__doc__ or "").split())
        RECIPES.append(Recipe(title, also, summary, body, into, over, sets or {}))
        return body

    return register
