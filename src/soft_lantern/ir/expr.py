"""Hash-consed typed expressions: building the same expression twice gives the same object.

Common subexpressions therefore vanish by construction, and identity is equality. Arguments always exist before the
expression that uses them, so the serial number of an expression is a topological order.
"""

from __future__ import annotations

import inspect
import itertools
import operator
import threading
import weakref
from collections.abc import Callable, Iterable, Iterator
from enum import Enum, StrEnum

from msgspec import Struct

Scalar = int | float


class Type(Enum):
    """What an expression evaluates to: the GLSL type name, and how many components it has.

    Float, bool and uint have 1; a sampler has those of what is read from it.
    """

    FLOAT = "float", 1
    VEC2 = "vec2", 2
    VEC3 = "vec3", 3
    VEC4 = "vec4", 4
    BOOL = "bool", 1
    UINT = "uint", 1
    SAMPLER = "sampler2D", 4

    width: int

    def __new__(cls, name: str, width: int) -> Type:
        made = object.__new__(cls)
        made._value_, made.width = name, width
        return made

    __hash__ = object.__hash__  # an enumeration's own is written in Python, and slow


FLOAT_TYPES = (Type.FLOAT, Type.VEC2, Type.VEC3, Type.VEC4)
_FLOATS = frozenset(FLOAT_TYPES)


def vector_type(width: int) -> Type:
    """The float type of that many components, 1 to 4."""
    return FLOAT_TYPES[width - 1]


class Op(StrEnum):
    """Every operator a reader must have a rule for. Names are GLSL's where GLSL has the operator."""

    CONST = "const"
    INPUT = "input"
    UNIFORM = "uniform"
    SWIZZLE = "swizzle"
    JOIN = "join"
    SELECT = "select"

    ADD = "+"
    SUB = "-"
    MUL = "*"
    DIV = "/"
    NEG = "neg"
    ABS = "abs"
    SIGN = "sign"
    FLOOR = "floor"
    CEIL = "ceil"
    FRACT = "fract"
    MOD = "mod"
    MIN = "min"
    MAX = "max"
    CLAMP = "clamp"
    MIX = "mix"
    STEP = "step"
    SMOOTHSTEP = "smoothstep"
    SQRT = "sqrt"
    POW = "pow"
    EXP = "exp"
    LOG = "log"
    EXP2 = "exp2"
    LOG2 = "log2"
    SIN = "sin"
    COS = "cos"

    DOT = "dot"
    LENGTH = "length"
    NORMALIZE = "normalize"
    CROSS = "cross"

    LESS = "<"
    LESS_EQUAL = "<="
    EQUAL = "=="
    AND = "&&"
    OR = "||"
    NOT = "!"
    FINITE = "finite"

    BITS_AND = "&"
    BITS_OR = "|"
    BITS_XOR = "^"
    SHIFT_LEFT = "<<"
    SHIFT_RIGHT = ">>"
    WHOLE = "whole"
    """The bits of the whole number at or below a float, as two's complement."""
    TO_FLOAT = "float"

    TEXTURE = "texture"
    TEXTURE_LEVEL = "texture level"
    """A texture read between two of its smaller copies."""
    TEXEL = "texel"
    """One over a texture's size in texels."""
    CHANGE_RIGHT = "change right"
    """How much a value changes to the next pixel to the right; only at pixels."""
    CHANGE_UP = "change up"
    CALL = "call"

    __hash__ = str.__hash__  # an enumeration's own is written in Python, and slow


LEAVES = frozenset({Op.CONST, Op.INPUT, Op.UNIFORM})
COMPARISONS = frozenset({Op.LESS, Op.LESS_EQUAL, Op.EQUAL})
LOGIC = frozenset({Op.AND, Op.OR, Op.NOT})
BITS = frozenset({Op.BITS_AND, Op.BITS_OR, Op.BITS_XOR, Op.SHIFT_LEFT, Op.SHIFT_RIGHT})
CHANGES = frozenset({Op.CHANGE_RIGHT, Op.CHANGE_UP})
"""What only pixels have: `ir.levels` works it out for readers that do not know it."""
_NOT_ELEMENTWISE = (
    LEAVES
    | COMPARISONS
    | LOGIC
    | BITS
    | CHANGES
    | {Op.SWIZZLE, Op.JOIN, Op.SELECT, Op.DOT, Op.LENGTH, Op.NORMALIZE, Op.CROSS, Op.FINITE}
    | {Op.WHOLE, Op.TO_FLOAT, Op.TEXTURE, Op.TEXTURE_LEVEL, Op.TEXEL, Op.CALL}
)
ELEMENTWISE = frozenset(Op) - _NOT_ELEMENTWISE


READS = (Op.TEXTURE, Op.TEXTURE_LEVEL)
"""Reads of a texture."""


class Function(Struct, frozen=True, eq=False):
    """A function traced once: its body over its own parameters. Every call of it is one expression.

    `bound`: what each component of the result keeps to whatever comes in, where that is known better than by reading
    the body. `keeps`: a range that holds the result wherever it holds every argument.
    """

    name: str
    parameters: tuple[Expr, ...]
    body: Expr
    bound: tuple[float, float] | None = None
    keeps: tuple[float, float] | None = None

    def __call__(self, *arguments: Expr | Scalar) -> Expr:
        lifted = tuple(lift(a) for a in arguments)
        wanted = [p.type for p in self.parameters]
        if [a.type for a in lifted] != wanted:
            raise TypeError(f"{self.name} takes {', '.join(t.value for t in wanted)}")
        return _intern(Op.CALL, self.body.type, lifted, self)

    def __repr__(self) -> str:
        return f"<function {self.name}>"


Data = tuple[float, ...] | str | Function | None


class Expr:
    """One node of an expression graph. Build with the functions below or with Python's operators, never directly.

    `data` holds a constant's components, an input's or uniform's name, the letters of a swizzle, or a call's function.
    """

    __slots__ = ("__weakref__", "args", "data", "op", "serial", "type")

    op: Op
    args: tuple[Expr, ...]
    data: Data
    type: Type
    serial: int

    def __add__(self, other: Expr | Scalar) -> Expr:
        return make(Op.ADD, self, lift(other))

    def __radd__(self, other: Scalar) -> Expr:
        return make(Op.ADD, lift(other), self)

    def __sub__(self, other: Expr | Scalar) -> Expr:
        return make(Op.SUB, self, lift(other))

    def __rsub__(self, other: Scalar) -> Expr:
        return make(Op.SUB, lift(other), self)

    def __mul__(self, other: Expr | Scalar) -> Expr:
        return make(Op.MUL, self, lift(other))

    def __rmul__(self, other: Scalar) -> Expr:
        return make(Op.MUL, lift(other), self)

    def __truediv__(self, other: Expr | Scalar) -> Expr:
        return make(Op.DIV, self, lift(other))

    def __rtruediv__(self, other: Scalar) -> Expr:
        return make(Op.DIV, lift(other), self)

    def __neg__(self) -> Expr:
        return make(Op.NEG, self)

    def __lt__(self, other: Expr | Scalar) -> Expr:
        return make(Op.LESS, self, lift(other))

    def __le__(self, other: Expr | Scalar) -> Expr:
        return make(Op.LESS_EQUAL, self, lift(other))

    def __gt__(self, other: Expr | Scalar) -> Expr:
        return make(Op.LESS, lift(other), self)

    def __ge__(self, other: Expr | Scalar) -> Expr:
        return make(Op.LESS_EQUAL, lift(other), self)

    @property
    def x(self) -> Expr:
        return swizzle(self, "x")

    @property
    def y(self) -> Expr:
        return swizzle(self, "y")

    @property
    def z(self) -> Expr:
        return swizzle(self, "z")

    @property
    def w(self) -> Expr:
        return swizzle(self, "w")

    @property
    def xyz(self) -> Expr:
        return swizzle(self, "xyz")

    def __iter__(self) -> Iterator[Expr]:
        raise TypeError("an expression has no length; use its components .x .y .z .w")

    def __bool__(self) -> bool:
        raise TypeError("an expression is not true or false; use select()")

    def __repr__(self) -> str:
        return _in_words(self, 3)


def _in_words(expr: Expr, depth: int) -> str:
    """The expression down to a depth: parts are shared, so that the whole may be endlessly long."""
    if expr.args and not depth:
        return "…"
    said = expr.data.name if isinstance(expr.data, Function) else expr.data
    inside = [*(_in_words(a, depth - 1) for a in expr.args), *([repr(said)] if said is not None else [])]
    return f"{expr.op.name.lower()}({', '.join(inside)})"


class _Held(weakref.ref[Expr]):
    """Where the table finds an expression for as long as anyone else holds it. Leaner than a WeakValueDictionary."""

    __slots__ = ("key",)

    key: tuple[object, ...]


def _forget(gone: weakref.ref[Expr]) -> None:
    assert isinstance(gone, _Held)
    with _lock:
        if _table.get(gone.key) is gone:
            del _table[gone.key]


_table: dict[tuple[object, ...], _Held] = {}
_lock = threading.RLock()  # an expression may go, and be forgotten, while its own thread holds the lock
_serials = itertools.count()


def _intern(op: Op, type_: Type, args: tuple[Expr, ...], data: Data) -> Expr:
    """The one expression of those parts. An entry of the table is set once and taken out by `_forget` alone, and both
    are one step for all threads, so that no two can each make their own."""
    key = (op, type_, args, data)
    held = _table.get(key)
    found = held() if held is not None else None
    if found is not None:
        return found
    made = Expr()
    made.op, made.type, made.args, made.data = op, type_, args, data
    made.serial = next(_serials)
    own = _Held(made, _forget)
    own.key = key
    while (held := _table.setdefault(key, own)) is not own:
        found = held()
        if found is not None:
            return found
        _forget(held)
    return made


def const(*parts: Scalar) -> Expr:
    """A constant float or vector of 1 to 4 components."""
    # Adding zero turns −0.0 into 0.0: as keys they are equal, so they must be one constant.
    return _intern(Op.CONST, vector_type(len(parts)), (), tuple([float(p) + 0.0 for p in parts]))


def bits(value: int) -> Expr:
    """A constant of 32 bits, as an unsigned whole number."""
    return _intern(Op.CONST, Type.UINT, (), (float(value & 0xFFFFFFFF),))


def lift(value: Expr | Scalar) -> Expr:
    """The expression itself, or a Python number as a constant."""
    return value if isinstance(value, Expr) else const(value)


def input_(name: str, type_: Type) -> Expr:
    """A value the surface point brings along, such as its world position."""
    return _intern(Op.INPUT, type_, (), name)


def uniform(name: str, type_: Type) -> Expr:
    """A value that is the same over a whole draw and may change without compiling again."""
    return _intern(Op.UNIFORM, type_, (), name)


def swizzle(value: Expr, letters: str) -> Expr:
    """Components picked by letters from xyzw, such as swizzle(v, "zy")."""
    if any("xyzw".index(letter) >= value.type.width for letter in letters):
        raise TypeError(f"{value.type.value} has no component .{letters}")
    if value.type is Type.FLOAT:
        return value if letters == "x" else join(*[value] * len(letters))
    if letters == "xyzw"[: value.type.width]:
        return value
    if value.op is Op.SWIZZLE:
        inner = str(value.data)
        return swizzle(value.args[0], "".join(inner["xyzw".index(letter)] for letter in letters))
    if value.op is Op.JOIN:
        places = [(part, letter) for part in value.args for letter in "xyzw"[: part.type.width]]
        picked = [places["xyzw".index(letter)] for letter in letters]
        if all(part is picked[0][0] for part, _ in picked):
            return swizzle(picked[0][0], "".join(letter for _, letter in picked))
    return _intern(Op.SWIZZLE, vector_type(len(letters)), (value,), letters)


def join(*parts: Expr | Scalar) -> Expr:
    """A vector of the parts' components one after another, 2 to 4 in all."""
    lifted = tuple(lift(p) for p in parts)
    width = sum(p.type.width for p in lifted)
    if not 2 <= width <= 4:
        raise TypeError(f"cannot join {width} components")
    if all(p.op is Op.CONST for p in lifted):
        return const(*(c for p in lifted for c in constant_parts(p)))
    return _intern(Op.JOIN, vector_type(width), lifted, None)


def constant_parts(value: Expr) -> tuple[float, ...]:
    """The components of a constant expression."""
    assert value.op is Op.CONST and isinstance(value.data, tuple)
    return value.data


def make(op: Op, *args: Expr) -> Expr:
    """The expression that applies `op`, typed by the operator's rule.

    Raises TypeError where the arguments' types do not fit the operator.
    """
    first = args[0].type
    for each in args:
        if each.type is not first:
            break
    else:
        if op in ELEMENTWISE and first in _FLOATS:
            return _intern(op, first, args, None)
    return _intern(op, _result_type(op, args), args, None)


def _result_type(op: Op, args: tuple[Expr, ...]) -> Type:
    given = tuple(a.type for a in args)
    found = TYPING.get(op, _as_wide)(given)
    if found is None:
        raise TypeError(f"{op.value} cannot take {', '.join(t.value for t in given)}")
    return found


Types = tuple[Type, ...]


def _as_wide(given: Types) -> Type | None:
    """Component by component: a lone number acts on every component of a vector."""
    vectors = set(given) - {Type.FLOAT}
    return None if len(vectors) > 1 or not vectors <= _FLOATS else next(iter(vectors), Type.FLOAT)


def _sum(given: Types) -> Type | None:
    return Type.UINT if set(given) == {Type.UINT} else _as_wide(given)


def _compared(given: Types) -> Type | None:
    return Type.BOOL if set(given) in ({Type.FLOAT}, {Type.UINT}) else None


def _choice(given: Types) -> Type | None:
    return given[1] if given[0] is Type.BOOL and given[1] is given[2] else None


def _always(result: Type, *taken: Type) -> Callable[[Types], Type | None]:
    """Arguments all of one of the types `taken`."""
    return lambda given: result if len(set(given)) == 1 and given[0] in taken else None


def _exactly(result: Type, *wanted: Type) -> Callable[[Types], Type | None]:
    return lambda given: result if given == wanted else None


TYPING: dict[Op, Callable[[Types], Type | None]] = {
    Op.ADD: _sum,
    Op.SUB: _sum,
    **dict.fromkeys(COMPARISONS, _compared),
    **dict.fromkeys(LOGIC, _always(Type.BOOL, Type.BOOL)),
    **dict.fromkeys(BITS, _always(Type.UINT, Type.UINT)),
    **dict.fromkeys((*CHANGES, Op.NORMALIZE), lambda given: given[0] if given[0] in _FLOATS else None),
    Op.FINITE: _always(Type.BOOL, *FLOAT_TYPES),
    Op.LENGTH: _always(Type.FLOAT, *FLOAT_TYPES),
    Op.WHOLE: _always(Type.UINT, Type.FLOAT),
    Op.TO_FLOAT: _always(Type.FLOAT, Type.UINT, Type.BOOL),
    Op.SELECT: _choice,
    Op.DOT: lambda given: Type.FLOAT if _as_wide(given) else None,
    Op.CROSS: _exactly(Type.VEC3, Type.VEC3, Type.VEC3),
    Op.TEXTURE: _exactly(Type.VEC4, Type.SAMPLER, Type.VEC2),
    Op.TEXTURE_LEVEL: _exactly(Type.VEC4, Type.SAMPLER, Type.VEC2, Type.FLOAT),
    Op.TEXEL: _exactly(Type.VEC2, Type.SAMPLER),
}
"""The type of each operator's result from its arguments' types, None where they do not fit."""


_SERIAL = operator.attrgetter("serial")


def topological(roots: Iterable[Expr]) -> list[Expr]:
    """Every expression reachable from `roots`, arguments before users, in the order they were first built."""
    found = _reached(roots)
    found.reverse()  # nearly in order, which is sorted sooner
    found.sort(key=_SERIAL)
    return found


def reads(roots: Iterable[Expr], leaf: Expr) -> bool:
    """Whether computing `roots` needs that leaf."""
    return leaf in _reached(roots)


def _reached(roots: Iterable[Expr]) -> list[Expr]:
    found = list(dict.fromkeys(roots))
    seen = set(found)
    for expr in found:
        for arg in expr.args:
            if arg not in seen:
                seen.add(arg)
                found.append(arg)
    return found


def in_reading_order(roots: Iterable[Expr]) -> list[Expr]:
    """Every expression reachable from `roots`, arguments before users: the same order however they were built."""
    done: dict[Expr, None] = {}
    waiting = list(roots)
    waiting.reverse()
    while waiting:
        expr = waiting[-1]
        if expr in done:
            waiting.pop()
            continue
        before = len(waiting)
        for arg in reversed(expr.args):
            if arg not in done:
                waiting.append(arg)
        if len(waiting) == before:
            done[waiting.pop()] = None
    return list(done)


def functions_called(roots: Iterable[Expr]) -> list[Function]:
    """Every function that computing `roots` calls, each after those it calls itself."""
    return functions_among(in_reading_order(roots))


def functions_among(order: Iterable[Expr]) -> list[Function]:
    """The same for expressions that are all there is to compute."""
    found: dict[Function, None] = {}
    for expr in order:
        if expr.op is Op.CALL and expr.data not in found:
            assert isinstance(expr.data, Function)
            found |= dict.fromkeys(functions_called([expr.data.body]))
            found[expr.data] = None
    return list(found)


def traced(
    name: str,
    body: Callable[..., Expr],
    *types: Type,
    bound: tuple[float, float] | None = None,
    keeps: tuple[float, float] | None = None,
    words: Iterable[str] = (),
) -> Function:
    """The function that Python code describes, traced once over parameters of those types.

    `words` names the parameters where the code takes any number of them.
    """
    words = tuple(words) or tuple(inspect.signature(body).parameters)
    parameters = tuple(uniform(word, type_) for word, type_ in zip(words, types, strict=True))
    return Function(name, parameters, body(*parameters), bound, keeps)
