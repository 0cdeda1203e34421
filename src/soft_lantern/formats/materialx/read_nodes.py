"""What standard nodes become: nodes of ours where one computes the same, else formulas."""

from __future__ import annotations

from collections.abc import Mapping

from soft_lantern.formats.materialx.standard import READ_ONLY, STANDARD, Row

ROWS: dict[str, list[tuple[str, Row]]] = {}
"""By the name of a standard node, the keys of ours that it may become."""
for _key, _row in (STANDARD | READ_ONLY).items():
    if _key != "saturate":
        ROWS.setdefault(_row.category, []).append((_key, _row))

_IF = {"ifgreater": ">", "ifgreatereq": ">=", "ifequal": "=="}
FORMULAS: dict[str, str] = {
    "add": "{in1} + {in2}",
    "subtract": "{in1} - {in2}",
    "multiply": "{in1} * {in2}",
    "divide": "{in1} / {in2}",
    "modulo": "mod({in1}, {in2})",
    "invert": "{amount} - {in}",
    "power": "pow({in1}, {in2})",
    "safepower": "sign({in1}) * pow(abs({in1}), {in2})",
    "min": "min({in1}, {in2})",
    "max": "max({in1}, {in2})",
    "clamp": "min(max({in}, {low}), {high})",
    "mix": "{bg} + ({fg} - {bg}) * {mix}",
    "remap": "{outlow} + ({in} - {inlow}) * ({outhigh} - {outlow}) / ({inhigh} - {inlow})",
    "round": "floor({in} + 0.5)",
    "dotproduct": "dot({in1}, {in2})",
    "magnitude": "length({in})",
    "distance": "length({in1} - {in2})",
    "normalize": "normalize({in})",
    "and": "{in1} * {in2}",
    "or": "max({in1}, {in2})",
    "xor": "abs({in1} - {in2})",
    "not": "1.0 - {in}",
    "plus": "{bg} + {fg} * {mix}",
    "minus": "{bg} - {fg} * {mix}",
    "difference": "mix({bg}, abs({bg} - {fg}), {mix})",
    "screen": "mix({bg}, 1.0 - (1.0 - {fg}) * (1.0 - {bg}), {mix})",
    "inside": "{in} * {mask}",
    "outside": "{in} * (1.0 - {mask})",
    "premult": "vec4({in}.rgb * {in}.a, {in}.a)",
    "unpremult": "{in}.a == 0.0 ? {in} : vec4({in}.rgb / {in}.a, {in}.a)",
    **{
        name: f"({text}) * {{mix}} + {{bg}} * (1.0 - {{mix}})"
        for name, text in {
            "over": "{fg} + {bg} * (1.0 - {fg}.a)",
            "disjointover": (
                "vec4({fg}.a + {bg}.a <= 1.0 ? {fg}.rgb + {bg}.rgb : abs({bg}.a) < 1e-8 ? vec3(0.0)"
                " : {fg}.rgb + {bg}.rgb * ((1.0 - {fg}.a) / {bg}.a), min({fg}.a + {bg}.a, 1.0))"
            ),
            "in": "{fg} * {bg}.a",
            "out": "{fg} * (1.0 - {bg}.a)",
            "mask": "{bg} * {fg}.a",
            "matte": "vec4({fg}.rgb * {fg}.a + {bg}.rgb * (1.0 - {fg}.a), {fg}.a + {bg}.a * (1.0 - {fg}.a))",
        }.items()
    },
    "ramplr": "mix({valuel}, {valuer}, clamp({texcoord}.x, 0.0, 1.0))",
    "ramptb": "mix({valueb}, {valuet}, clamp({texcoord}.y, 0.0, 1.0))",
    "splitlr": "{texcoord}.x >= {center} ? {valuer} : {valuel}",
    "splittb": "{texcoord}.y >= {center} ? {valuet} : {valueb}",
    **{name: f"{{value1}} {sign} {{value2}} ? {{in1}} : {{in2}}" for name, sign in _IF.items()},
    **{name: f"{name}({{in}})" for name in ("sin", "cos", "exp", "sqrt", "floor", "ceil", "fract", "sign")},
    "roughness_anisotropy": (
        "{anisotropy} > 0.0"
        " ? vec2(min(clamp({roughness} * {roughness}, 1e-8, 1.0) / sqrt(1.0 - clamp({anisotropy}, 0.0, 0.98)), 1.0),"
        " clamp({roughness} * {roughness}, 1e-8, 1.0) * sqrt(1.0 - clamp({anisotropy}, 0.0, 0.98)))"
        " : vec2(clamp({roughness} * {roughness}, 1e-8, 1.0))"
    ),
    "absval": "abs({in})",
    "ln": "log({in})",
    "tan": "sin({in}) / cos({in})",
}
"""Formulas over the inputs of a standard node."""
CONDITIONS = {name: f"{{value1}} {sign} {{value2}} ? 1.0 : 0.0" for name, sign in _IF.items()}
"""The same where the node gives a truth, which is 1 or 0 here."""
PER_COMPONENT = {
    "burn": "abs({fg}) < 1e-8 ? 0.0 : {mix} * (1.0 - (1.0 - {bg}) / {fg}) + (1.0 - {mix}) * {bg}",
    "dodge": "abs(1.0 - {fg}) < 1e-8 ? 0.0 : {mix} * ({bg} / (1.0 - {fg})) + (1.0 - {mix}) * {bg}",
}
"""Formulas that ask something of single numbers: one for each component of fg and bg."""
SPACES = {"model": "object", "object": "object", "world": "world"}
"""What spaces of MaterialX are called here."""


def by_components(formula: str, width: int) -> str:
    """A formula over fg and bg for each of their components."""
    if width == 1:
        return formula
    parts = [formula.replace("{fg}", "{fg}." + each).replace("{bg}", "{bg}." + each) for each in "xyzw"[:width]]
    return f"vec{width}({', '.join(f'({part})' for part in parts)})"


def combined(inputs: Mapping[str, str]) -> str:
    """The formula of the nodes that put numbers and vectors together, from the widths of their inputs."""
    return f"vec{sum(int(width) for width in inputs.values())}({', '.join(f'{{{name}}}' for name in inputs)})"


def converted(given: int, wanted: int) -> str:
    """The formula that turns so many components into others: what is missing is 0, or 1 where it is the fourth."""
    if given == 1 < wanted:
        return f"vec{wanted}({{in}})"
    if wanted < given:
        return "{in}." + "xyzw"[:wanted]
    missing = ["0.0"] * min(wanted - given, 3 - given) + ["1.0"] * (wanted == 4)
    return f"vec{wanted}({{in}}, {', '.join(missing)})" if wanted > given else "{in}"
