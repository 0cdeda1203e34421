"""A material as all targets see it: what its surface comes to, what that reads, and what its vertices hand on."""

from __future__ import annotations

from collections.abc import Container, Iterable, Mapping, Sequence

from msgspec import Struct, field
from msgspec.structs import replace as replaced

from soft_lantern.errors import BadValue
from soft_lantern.formats.shader_gradients import ATLAS, Shipped, with_gradients
from soft_lantern.formats.shaders.block import Slot, laid_out
from soft_lantern.graph.document import Material, Parameter
from soft_lantern.graph.kinds import label_of
from soft_lantern.graph.lowering import Lowered, lower_as_typed, parameter_uniform
from soft_lantern.graph.notices.project import limits
from soft_lantern.graph.parameters.edits import trouble_with_parameter
from soft_lantern.ir.defined import defined
from soft_lantern.ir.expr import Expr, Op, Type, const, in_reading_order, make, topological, uniform
from soft_lantern.ir.glsl_program import vertex_results
from soft_lantern.ir.glsl_words import Identifiers, as_identifier
from soft_lantern.ir.inputs import BEHIND, INPUTS
from soft_lantern.ir.interval import Interval
from soft_lantern.ir.narrow import narrowed
from soft_lantern.ir.printer import Body
from soft_lantern.ir.rewrite import rebuilt
from soft_lantern.ir.simplify import simplified
from soft_lantern.ir.surface_inputs import at_vertex, derived_inputs, inputs_among, seen_by_pixel, vertex_steps
from soft_lantern.values.colour import colour_to_hex
from soft_lantern.values.kinds import Kind, components

BEHIND_NAME = "scene_colour"


class Stage(Struct, frozen=True, eq=False):
    """What one stage computes: results by name, the names people chose on the way, and the inputs that it reads.

    `order`: all that the results need, arguments first. `origins`: the node of the graph that an expression is part
    of; `parts`: what people call that node.
    """

    results: dict[str, Expr]
    order: list[Expr]
    names: dict[Expr, str]
    inputs: list[str]
    origins: dict[Expr, str] = field(default_factory=dict)
    parts: dict[Expr, str] = field(default_factory=dict)

    def body(self, leaves: Mapping[str, str]) -> Body:
        """What a function computes that is this stage; `leaves`: what its uniforms and inputs are called."""
        return Body(list(self.results.values()), self.names, leaves, self.parts, apart=True, needed=self.order)


class SurfaceProgram(Struct, frozen=True, eq=False):
    """A material ready for a target.

    `pixel`: the surface's values; `vertex`: where a vertex stands in the world under "", and what pixels take of it.
    `used`: the parameters that either reads. `leaves`: an identifier for each uniform. `textures`: identifiers of all
    that are read, with words about them; `block`: the other parameters in memory. `reads`: the surface inputs that the
    graph itself asks for.
    """

    material: Material
    base: str
    alpha_mode: str
    pixel: Stage
    vertex: Stage
    used: list[Parameter]
    leaves: dict[str, str]
    textures: dict[str, str]
    block: list[Slot]
    reads: list[str]

    def called(self, base: str) -> SurfaceProgram:
        """The same under another name for its functions and files."""
        return self if base == self.base else replaced(self, base=base)

    @property
    def type_name(self) -> str:
        """The name in capitals that types of the surface begin with."""
        return "".join(word.capitalize() for word in self.base.split("_"))

    def words_of(self, identifier: str) -> str:
        """Words about the parameter of an identifier."""
        return next((described(p) for p in self.used if p.identifier == identifier), "")


def program_of(material: Material, sent: Shipped | None = None) -> SurfaceProgram:
    """A material made ready. `sent`: the gradients that go with it, or else samplers stand for them.

    Raises BadValue where a parameter cannot be written.
    """
    sent = sent or Shipped()
    for parameter in material.parameters:
        trouble = trouble_with_parameter(material, parameter)
        if trouble:
            raise BadValue(f"{material.name} cannot be exported: {trouble}")
    lowered = lower_as_typed(material)
    made = _simple(material, lowered, sent)
    known = {str(parameter_uniform(p).data): limits(p) for p in material.parameters if not p.kind.is_read}
    seen = seen_by_pixel(list(made.surface.values()))
    whole = [seen[value] for value in made.surface.values()]
    plain = _plain(whole, known, made.reached)
    named = {expr: name for name, expr in derived_inputs().items()}
    named |= {seen[expr]: name for expr, name in made.names.items() if expr in seen}
    origins = {seen[expr]: node for expr, node in made.origins.items() if expr in seen}
    results = dict(zip(made.surface, (plain[value] for value in whole), strict=True))
    pixel = _stage(results, plain, named, origins, material)

    moved = vertex_results(made.offset, pixel.inputs)
    plain = _plain(list(moved.values()), known, made.reached)
    first = _at_first_level(list(plain.values()))
    plain = {old: first[new] for old, new in plain.items()}
    moving = {expr: at_vertex(expr) for expr in topological([made.offset])} if made.offset is not None else {}
    names = {moving[expr]: name for expr, name in made.names.items() if expr in moving}
    origins = {moving[expr]: node for expr, node in made.origins.items() if expr in moving}
    steps, handed_on = vertex_steps(made.offset), {plain[value] for value in moved.values()}
    names = {expr: name for expr, name in steps.items() if plain.get(expr) not in handed_on} | names
    vertex = _stage({name: plain[value] for name, value in moved.items()}, plain, names, origins, material, steps)

    read = [expr for stage in (pixel, vertex) for expr in stage.order]
    used = _used_parameters(material, made.reached, made.rows)
    leaves, textures = _identifiers(dict.fromkeys(read), used)
    widths = {p.identifier: len(components(p.default)) for p in used if not p.kind.is_read}
    widths |= {name: 1 for name in leaves.values() if name not in textures and name not in widths}
    block, base = laid_out(widths.items()), base_of(material)
    reads = inputs_among(made.reached)
    return SurfaceProgram(material, base, lowered.alpha_mode, pixel, vertex, used, leaves, textures, block, reads)


def base_of(material: Material) -> str:
    """The identifier that a material's functions and files are called by."""
    taken = {*INPUTS, *(p.identifier for p in material.parameters)}
    return as_identifier(material.name, taken, fallback="material")


def _plain(values: Sequence[Expr], known: Mapping[str, Interval], done: Container[Expr]) -> dict[Expr, Expr]:
    """What each expression comes to without needless work, by defined operations alone.

    `known`: bounds of uniforms; `done`: what is simple already.
    """
    simple = simplified(values, done)
    narrow = narrowed([simple[value] for value in values])
    sound = defined([narrow[simple[value]] for value in values], known)
    return {old: sound[narrow[new]] for old, new in simple.items() if new in narrow and narrow[new] in sound}


def _at_first_level(values: Sequence[Expr]) -> dict[Expr, Expr]:
    """The same with textures read from their full size: vertices have no next pixel that would tell another."""
    done: dict[Expr, Expr] = {}
    for expr in topological(values):
        built = rebuilt([done[arg] for arg in expr.args], expr)
        done[expr] = make(Op.TEXTURE_LEVEL, *built.args, const(0.0)) if built.op is Op.TEXTURE else built
    return done


def _stage(
    results: dict[str, Expr],
    plain: Mapping[Expr, Expr],
    names: Mapping[Expr, str],
    origins: Mapping[Expr, str],
    material: Material,
    steps: Mapping[Expr, str] = {},
) -> Stage:
    """A stage that computes results. `plain`: what expressions with a name or an origin come to.

    `steps`: what people call those that no node stands for.
    """
    order = in_reading_order(results.values())
    nodes = _handed_down({plain[expr]: node for expr, node in origins.items() if expr in plain}, order)
    chosen = {plain[expr]: name for expr, name in names.items() if expr in plain}
    parts = _handed_down({plain[expr]: words for expr, words in steps.items() if expr in plain}, order)
    titles = {node: label_of(material, material.nodes[node]) for node in set(nodes.values())}
    parts |= {expr: titles[node] for expr, node in nodes.items()}
    return Stage(results, order, chosen, inputs_among(order), nodes, parts)


def _handed_down(told: dict[Expr, str], order: Sequence[Expr]) -> dict[Expr, str]:
    """What is told of expressions, and of what goes into them where nothing is told of that."""
    for expr in reversed(order) if told else ():
        words = told.get(expr)
        if words is not None:
            for arg in expr.args:
                told.setdefault(arg, words)
    return told


class _Simple(Struct, frozen=True, eq=False):
    """A material's expressions without needless work, and its gradients as they are sent.

    `reached`: all that they need. `rows`: for each uniform that holds a gradient's row, the parameter it belongs to.
    """

    surface: dict[str, Expr]
    offset: Expr | None
    names: dict[Expr, str]
    origins: dict[Expr, str]
    reached: set[Expr]
    rows: dict[str, str]


def _simple(material: Material, lowered: Lowered, sent: Shipped) -> _Simple:
    roots = [*lowered.surface.values(), *([lowered.offset] if lowered.offset is not None else [])]
    shown, rows = with_gradients(roots, material, lowered, sent)
    simple = simplified([shown.get(root, root) for root in roots])
    done = {old: simple[new] for old, new in shown.items() if new in simple} if shown else simple
    surface = {port: done[expr] for port, expr in lowered.surface.items()}
    offset = done[lowered.offset] if lowered.offset is not None else None
    return _Simple(
        surface,
        offset,
        {done[old]: name for old, name in lowered.names.items() if old in done},
        {done[old]: node for old, node in lowered.origins.items() if old in done and done[old].op is not Op.CONST},
        set(topological(done[root] for root in roots)),
        rows,
    )


def _used_parameters(material: Material, reached: Container[Expr], rows: Mapping[str, str]) -> list[Parameter]:
    by_row = {parameter for name, parameter in rows.items() if uniform(name, Type.FLOAT) in reached}
    return [p for p in material.parameters if parameter_uniform(p) in reached or p.id in by_row]


def _identifiers(read: Iterable[Expr], used: list[Parameter]) -> tuple[dict[str, str], dict[str, str]]:
    """The identifier of every uniform among what is read; of those, the textures with words about each."""
    leaves, found = {}, {}
    textures = Identifiers({p.identifier for p in used} | {ATLAS, BEHIND_NAME})
    known = {str(parameter_uniform(p).data): p for p in used} | {f"row:{p.id}": p for p in used}
    for expr in read:
        if expr.op is not Op.UNIFORM:
            continue
        name = str(expr.data)
        if name in known:
            leaves[name] = known[name].identifier
            words = described(known[name])
        elif expr is BEHIND:
            leaves[name] = BEHIND_NAME
            words = "linear colour of all that is opaque, first row lowest, clamped, with mipmaps"
        elif name == ATLAS:
            leaves[name] = ATLAS
            words = "a gradient in each row, clamped"
        else:  # a texture chosen on its node
            leaves[name] = textures.take(name.removeprefix("typed:").replace(".", " "))
            words = ""
        if expr.type is Type.SAMPLER:
            found[leaves[name]] = words
    return leaves, found


def described(parameter: Parameter) -> str:
    """A parameter in words: its label, limits, unit and default."""
    text = parameter.label
    if parameter.low is not None or parameter.high is not None:
        low = "" if parameter.low is None else f"{parameter.low:g}"
        high = "" if parameter.high is None else f"{parameter.high:g}"
        text += f", {low} to {high}"
    text += f" {parameter.unit}" if parameter.unit else ""
    if parameter.kind.is_read:
        return f"{text}; the middle of its row" if parameter.kind is Kind.GRADIENT else text
    default = components(parameter.default)
    shown = colour_to_hex(default) if parameter.kind is Kind.COLOUR else ", ".join(f"{p:g}" for p in default)
    return f"{text}; default {shown}"


_IN_ASCII = str.maketrans(
    {"−": "-", "–": "-", "×": "x", "·": "*", "’": "'", "“": '"', "”": '"', "°": " deg", "²": "^2"}
)


def remark(text: str) -> str:
    """Words as the end of a line: printable ASCII without a backslash, so that they cannot end it early or go on."""
    plain = "".join(c if 32 <= ord(c) < 127 and c != "\\" else "?" for c in text.translate(_IN_ASCII))
    return f" // {plain}" if text else ""
