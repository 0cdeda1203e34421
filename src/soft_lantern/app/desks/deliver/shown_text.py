"""What the Deliver desk shows of a material for a target: texts and their nodes, what they cost, what is wrong."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path

from msgspec import Struct, field

from soft_lantern.formats.delivery import TARGETS
from soft_lantern.formats.materialx.document import elements_of_lines
from soft_lantern.formats.materialx.target import document_of
from soft_lantern.formats.shader_gradients import shipped
from soft_lantern.formats.shaders.figures import Figure, figures
from soft_lantern.formats.shaders.origins import nodes_of_lines
from soft_lantern.formats.shaders.surface import program_of
from soft_lantern.graph.document import Material, Project
from soft_lantern.graph.kinds import label_of
from soft_lantern.graph.lowering import lower, read_ids
from soft_lantern.graph.notice import Notice, with_accepted
from soft_lantern.proof.preflight import preflight
from soft_lantern.values.images import Image


class Shown(Struct, frozen=True):
    """Texts by file, the node of each of their lines, the names of nodes by id, what is measured, and what is wrong.

    `read`: the ids of all that the material reads at a place.
    """

    texts: Mapping[str, str] = field(default_factory=dict)
    nodes: Mapping[str, Sequence[str]] = field(default_factory=dict)
    names: Mapping[str, str] = field(default_factory=dict)
    figures: Sequence[Figure] = ()
    notices: Sequence[Notice] = ()
    read: frozenset[str] = frozenset()


def shown_text(project: Project, material: Material, target: str, images: Mapping[str, Image], folder: Path) -> Shown:
    """What is to be shown of a material. Raises BadValue or BadFile where it cannot be written."""
    program = program_of(material, shipped(project, material, "row"))
    read = frozenset(read_ids(lower(material), material).values())
    against = with_accepted(material, preflight(program, target, project.budgets))
    measured = figures(program, target), against, read
    names = {key: label_of(material, node) for key, node in material.nodes.items()}
    if target == "mtlx":
        base, done = document_of(project, material, images, folder)
        texts = {f"{base}.mtlx": done.text} | ({f"{base}.functions.glsl": done.functions} if done.functions else {})
        nodes = {f"{base}.mtlx": elements_of_lines(done)}
        return Shown(texts, nodes, names, *measured)
    texts = {name: str(text) for name, text in TARGETS[target].files(program).items()}
    nodes = {name: nodes_of_lines(program, text) for name, text in texts.items()}
    return Shown(texts, nodes, names, *measured)
