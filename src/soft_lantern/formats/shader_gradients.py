"""Gradients in exported shaders: written out exactly, or read from a row of a shared atlas; with the cost of each."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Literal

from msgspec import Struct, field

from soft_lantern.bake.atlas import Atlas, atlas_of
from soft_lantern.graph.document import Gradient, Material, Project
from soft_lantern.graph.gradients.editing import width_advice
from soft_lantern.graph.instances.values import ancestry
from soft_lantern.graph.lowering import Lowered, read_ids
from soft_lantern.graph.ramps.images import expression
from soft_lantern.ir.cost import cost
from soft_lantern.ir.expr import LEAVES, Expr, Type, const, topological, uniform
from soft_lantern.ir.ramp import GRADIENT_AT, ROW_AT
from soft_lantern.ir.rewrite import rebuilt
from soft_lantern.values.kinds import Kind

Form = Literal["row", "exact"]
ATLAS = "gradient_atlas"
WIDEST_ROW = 1024


class Shipped(Struct, frozen=True, eq=False):
    """The gradients that go out with a material: by id, in which form, and their atlas where they are rows."""

    gradients: dict[str, Gradient] = field(default_factory=dict)
    form: Form = "row"
    atlas: Atlas | None = None

    def row(self, gradient_id: str) -> float:
        """v of a gradient's row; of one that is not there, the first row's."""
        assert self.atlas
        places = list(self.gradients)
        return self.atlas.rows[places.index(gradient_id) if gradient_id in places else 0].v


def shipped(project: Project, material: Material, form: Form = "row", width: int | None = None) -> Shipped:
    """The gradients that a material and its instances hold; with a row for each, as wide as its error asks for."""
    values = [value for node in material.nodes.values() for value in node.values.values()]
    values += [p.default for p in material.parameters if p.kind is Kind.GRADIENT]
    for instance in project.instances.values():
        if ancestry(project, instance.id)[1] is material:
            values += instance.values.values()
    held = {value for value in values if isinstance(value, str)}
    gradients = {key: each for key, each in project.gradients.items() if key in held}
    if not gradients or form == "exact":
        return Shipped(gradients, form)
    wide = width or max(width_advice(each)[1] or WIDEST_ROW for each in gradients.values())
    return Shipped(gradients, form, atlas_of(list(gradients.values()), wide))


def with_gradients(
    roots: Sequence[Expr], material: Material, lowered: Lowered, sent: Shipped
) -> tuple[dict[Expr, Expr], dict[str, str]]:
    """Every expression the roots need with its gradients in the form they are sent, and what was read of which.

    Nothing where no gradient is sent. The second: for each uniform that holds a row, the parameter it belongs to.
    """
    held = {name: value for name, value in read_ids(lowered, material).items() if value in sent.gradients}
    if not held:
        return {}, {}
    done: dict[Expr, Expr] = {}
    rows: dict[str, str] = {}
    for expr in topological(roots):
        args = [done[arg] for arg in expr.args]
        name = str(expr.args[0].data) if expr.data is GRADIENT_AT else ""
        if name not in held:
            done[expr] = expr if expr.op in LEAVES else rebuilt(args, expr)
        elif sent.form == "exact":
            done[expr] = expression(sent.gradients[held[name]], args[1])
        else:
            parameter = lowered.uniforms[name].parameter
            row = uniform(f"row:{parameter}", Type.FLOAT) if parameter else const(sent.row(held[name]))
            if parameter:
                rows[f"row:{parameter}"] = parameter
            done[expr] = ROW_AT(uniform(ATLAS, Type.SAMPLER), args[1], row)
    return done, rows


def gradient_rows(sent: Shipped) -> list[dict[str, Any]]:
    """What each gradient costs and how far it is from exact, in both forms."""
    at, sampler, row = uniform("at", Type.FLOAT), uniform(ATLAS, Type.SAMPLER), uniform("row", Type.FLOAT)
    read = cost([ROW_AT(sampler, at, row)])
    listed = []
    for key, gradient in sent.gradients.items():
        exact = cost([expression(gradient, at)])
        told: dict[str, Any] = {
            "name": gradient.name,
            "exact": {"operations": exact.operations, "texture_reads": exact.texture_reads, "error": 0.0},
            "row": {"operations": read.operations, "texture_reads": read.texture_reads},
        }
        if sent.atlas:
            placed = sent.atlas.rows[list(sent.gradients).index(key)]
            told["row"] |= {"v": placed.v, "error": placed.error, "clipped": placed.clipped}
        listed.append(told)
    return listed


def known_rows(sent: Shipped) -> list[dict[str, Any]]:
    """The name and v of every row, from the top."""
    return [{"name": each.name, "v": sent.row(key)} for key, each in sent.gradients.items()] if sent.atlas else []
