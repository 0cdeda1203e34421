"""Graphs in graphs: which snippets a graph holds, and how large it is with all of them unfolded."""

from __future__ import annotations

from collections.abc import Mapping

from soft_lantern.graph.document import Material, Node, Project, changed
from soft_lantern.limits import SNIPPET_DEPTH
from soft_lantern.nodes import Role


def snippet_of(node: Node) -> str:
    """The id of the snippet a node stands for, else empty."""
    return node.settings.get("snippet", "") if node.role is Role.SNIPPET else ""


def snippet_in(graph: Material, node: Node) -> Material | None:
    """The snippet that a node of a graph stands for, where the graph holds it."""
    return graph.snippets.get(snippet_of(node))


def used_snippets(graph: Material, every: Mapping[str, Material]) -> dict[str, Material]:
    """The snippets a graph uses, theirs included, by id; each holds those it uses itself."""
    found: dict[str, Material] = {}
    waiting = [graph]
    while waiting:
        for node in waiting.pop().nodes.values():
            wanted = snippet_of(node)
            if wanted in every and wanted not in found:
                found[wanted] = every[wanted]
                waiting.append(every[wanted])
    return found


def attached(project: Project) -> Project:
    """The project with every graph holding the snippets it uses, as they are now.

    Not those that use it in turn, nor those that are too deep already: it goes without, and says so.
    """
    uses = {i: used_snippets(snippet, project.snippets) for i, snippet in project.snippets.items()}
    whole: dict[str, Material] = {}
    depth: dict[str, int] = {}
    for snippet_id in sorted(uses, key=lambda i: len(uses[i].keys() | {i})):
        below = [inner for inner in uses[snippet_id] if snippet_id not in uses[inner]]
        held = {inner: whole[inner] for inner in below if depth[inner] < SNIPPET_DEPTH}
        within = used_snippets(project.snippets[snippet_id], held)
        depth[snippet_id] = 1 + max((depth[inner] for inner in within), default=0)
        whole[snippet_id] = _holding(project.snippets[snippet_id], within)
    snippets = {i: whole[i] for i in project.snippets}
    materials = {i: _holding(m, used_snippets(m, snippets)) for i, m in project.materials.items()}
    if _same(materials, project.materials) and _same(snippets, project.snippets):
        return project
    return changed(project, materials=materials, snippets=snippets)


def unfolded_size(graph: Material) -> int:
    """How many nodes a graph has with its snippets, and theirs, in their places."""
    sizes: dict[str, int] = {}

    def size(each: Material) -> int:
        if each.id not in sizes:
            held = (snippet_in(each, node) for node in each.nodes.values())
            sizes[each.id] = len(each.nodes) + sum(size(inner) for inner in held if inner)
        return sizes[each.id]

    return size(graph)


def _holding(graph: Material, used: dict[str, Material]) -> Material:
    """The graph with its snippets; the very object it was where they are the very same."""
    same = len(used) == len(graph.snippets) and _same(used, graph.snippets)
    return graph if same else changed(graph, snippets=used)


def _same(new: Mapping[str, Material], old: Mapping[str, Material]) -> bool:
    return all(new[i] is old.get(i) for i in new)
