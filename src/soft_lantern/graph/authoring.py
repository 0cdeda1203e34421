"""Writing materials as Python: the calls that scripts and the demo use.

m = Authoring("Height ramp")
spread = m.expose("Spread", 2.0, limits=(0.1, 10))
height = m.add("position").into("separate").y
m.add("surface", base_colour=height / spread)
project = m.into_project(Project(name="Mine"))
"""

from __future__ import annotations

from typing import Any, Literal

from soft_lantern.graph.document import Material, Node, Parameter, Project, port_ref
from soft_lantern.graph.edits import add_node, connect, remove_nodes, type_value
from soft_lantern.graph.instances.values import put_material
from soft_lantern.graph.kinds import known_type
from soft_lantern.graph.layout import tidy
from soft_lantern.graph.parameters.edits import add_parameter, with_choices
from soft_lantern.ir.glsl_words import HLSL_WORDS, as_identifier
from soft_lantern.nodes import LIBRARY
from soft_lantern.values.colour import colour_from_hex
from soft_lantern.values.kinds import Kind, Value


class Authoring:
    """A material while a script writes it."""

    def __init__(self, name: str, material_id: str = "") -> None:
        self.material = Material(id=material_id or as_identifier(name), name=name)

    def expose(
        self,
        label: str,
        default: float | str | tuple[float, ...],
        *,
        limits: tuple[float, float] | None = None,
        unit: str = "",
        group: str = "",
        tooltip: str = "",
        step: float | None = None,
        choices: tuple[str, ...] = (),
        kind: Kind | None = None,
        **more: Any,
    ) -> Wire:
        """A new parameter, as a wire: a number, or a colour from hex text or as linear RGBA, or of a kind that is said.

        Limits give a number a slider; choices, what the whole numbers from 0 mean, a drop-down. `more`: further fields
        of `graph.document.Parameter`, such as soft_high, scale, use, hdr or advanced.
        """
        kind = kind or (Kind.COLOUR if isinstance(default, str | tuple) else Kind.NUMBER)
        identifier = as_identifier(label, {p.identifier for p in self.material.parameters} | HLSL_WORDS)
        low, high = (float(limits[0]), float(limits[1])) if limits else (None, None)
        control: Literal["slider", "field"] = "slider" if limits else "field"
        parameter = Parameter(
            id=identifier,
            identifier=identifier,
            label=label,
            kind=kind,
            default=default if kind.is_read else _value(default),
            group=group,
            tooltip=tooltip,
            low=low,
            high=high,
            step=step,
            unit=unit,
            control=control,
            **more,
        )
        self.material = add_parameter(self.material, with_choices(parameter, choices))
        return self._put(Node(type="parameter", settings={"parameter": identifier}), identifier)

    def expose_texture(self, label: str, texture_id: str = "", *, group: str = "", tooltip: str = "") -> Wire:
        """A new parameter that holds a texture of the project, as a wire."""
        return self.expose(label, texture_id, kind=Kind.TEXTURE, group=group, tooltip=tooltip)

    def wire(self, wire: Wire, node: Wire, port: str) -> None:
        """Put a wire into a further input of a node, such as one that a formula's text gives it."""
        self.material = connect(self.material, wire.ref, port_ref(node.node_id, port))

    def remove(self, wire: Wire) -> None:
        """Take a node away."""
        self.material = remove_nodes(self.material, [wire.node_id])

    def add(self, node_type: str, *, name: str = "", **given: Wire | float | tuple[float, ...] | str) -> Wire:
        """A new node, as the wire from its first output. Ports take wires, numbers, tuples or hex colours;
        settings take their choice as text."""
        known = LIBRARY.get(node_type)
        names = ["expression"] if node_type == "formula" else [s.name for s in known.settings] if known else []
        settings = {setting: str(given.pop(setting)) for setting in names if setting in given}
        wire = self._put(Node(type=node_type, name=name, settings=settings), as_identifier(name or node_type))
        for port, value in given.items():
            if isinstance(value, Wire):
                self.material = connect(self.material, value.ref, port_ref(wire.node_id, port))
            else:
                self.material = type_value(self.material, wire.node_id, port, _value(value))
        return wire

    def into_project(self, project: Project) -> Project:
        """The project with this material in it, its nodes laid out."""
        return put_material(project, tidy(self.material))

    def _put(self, node: Node, wish: str) -> Wire:
        node_id = as_identifier(wish, self.material.nodes, "node")
        self.material = add_node(self.material, node_id, node)
        outputs = known_type(self.material, node).outputs
        return Wire(self, node_id, outputs[0].name if outputs else "")


class Wire:
    """What leaves one output of a node. Arithmetic on wires makes nodes; .x .y .z picks another output."""

    def __init__(self, authoring: Authoring, node_id: str, port: str) -> None:
        self.authoring, self.node_id, self.port = authoring, node_id, port

    @property
    def ref(self) -> str:
        """The output as "node.port"."""
        return port_ref(self.node_id, self.port)

    def into(self, node_type: str, **given: Wire | float | tuple[float, ...] | str) -> Wire:
        """A new node fed by this wire at its first input."""
        first = LIBRARY[node_type].inputs[0].name
        given[first] = self
        return self.authoring.add(node_type, name="", **given)

    def __getattr__(self, port: str) -> Wire:
        node_type = known_type(self.authoring.material, self.authoring.material.nodes[self.node_id])
        if node_type.output(port) is None:
            raise AttributeError(f"{node_type.title} has no output “{port}”")
        return Wire(self.authoring, self.node_id, port)

    def __add__(self, other: Wire | float) -> Wire:
        return self.authoring.add("add", a=self, b=other)

    def __sub__(self, other: Wire | float) -> Wire:
        return self.authoring.add("subtract", a=self, b=other)

    def __mul__(self, other: Wire | float) -> Wire:
        return self.authoring.add("multiply", a=self, b=other)

    def __truediv__(self, other: Wire | float) -> Wire:
        return self.authoring.add("divide", a=self, b=other)


def _value(given: float | tuple[float, ...] | str) -> Value:
    if isinstance(given, str):
        return colour_from_hex(given) if given.startswith("#") or not given else given
    return tuple(map(float, given)) if isinstance(given, tuple) else float(given)
