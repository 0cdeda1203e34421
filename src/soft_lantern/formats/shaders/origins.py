"""Which node of the graph each line of a delivered text comes from."""

from __future__ import annotations

import re
from collections.abc import Mapping

from soft_lantern.formats.shaders.surface import Stage, SurfaceProgram
from soft_lantern.graph.kinds import counting
from soft_lantern.ir.glsl import DIALECT
from soft_lantern.ir.glsl_program import TAKEN
from soft_lantern.ir.printer import write
from soft_lantern.nodes import Role

_WORD = re.compile(r"[A-Za-z_]\w*")
_RESULT = re.compile(r"\s*surface\.\w+ = ")


def nodes_of_lines(program: SurfaceProgram, text: str) -> list[str]:
    """For each line of a text of a material, the id of the node it comes from, "" where it is none's.

    A line is its first word's: the variable that is declared there, or a parameter. What the surface is given is the
    Surface node's.
    """
    pixel, vertex = (_locals(program, stage) for stage in (program.pixel, program.vertex))
    parameters = _parameters(program)
    surface = counting(program.material, Role.SURFACE)
    of_vertex, found = False, []
    for line in text.splitlines():
        code = line.partition("//")[0]
        of_vertex = of_vertex if not line[:1].strip() else ".vert." in line or "_vertex(" in line
        known = {**parameters, **(vertex if of_vertex else pixel)}
        if _RESULT.match(code) and not of_vertex:
            found.append(surface)
        else:
            found.append(next((known[word] for word in _WORD.findall(code) if word in known), ""))
    return found


def _locals(program: SurfaceProgram, stage: Stage) -> dict[str, str]:
    """The node that each local variable of a stage is part of."""
    _, (written,) = write(DIALECT, [stage.body(program.leaves)], TAKEN)
    return {name: stage.origins[expr] for name, expr in written.locals.items() if expr in stage.origins}


def _parameters(program: SurfaceProgram) -> Mapping[str, str]:
    """The first node that gives each parameter, by identifier."""
    identifiers = {each.id: each.identifier for each in program.material.parameters}
    found: dict[str, str] = {}
    for key, node in program.material.nodes.items():
        if node.role is Role.PARAMETER and (name := identifiers.get(node.settings.get("parameter", ""))):
            found.setdefault(name, key)
    return found
