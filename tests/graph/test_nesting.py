"""Snippets in snippets: what a graph holds, how large it unfolds, and what is said where it does not."""

from __future__ import annotations

from pathlib import Path

from soft_lantern.formats.project_folder import open_project
from soft_lantern.formats.saving import save_project
from soft_lantern.graph.document import Material, Node, Project
from soft_lantern.graph.lowering import lower
from soft_lantern.graph.nesting import attached, unfolded_size
from soft_lantern.limits import SNIPPET_DEPTH


def _snippet(name: str, *used: str) -> Material:
    """A number, and the snippets it uses, handed out as their sum where there are two."""
    nodes = {f"n{number}": Node(type="snippet", settings={"snippet": each}) for number, each in enumerate(used)}
    nodes |= {"sum": Node(type="add"), "out": Node(type="snippet_output", name="Out")}
    wires = {f"sum.{port}": f"n{number}.out" for number, port in zip(range(len(used)), "ab", strict=False)}
    return Material(id=name, name=name.upper(), nodes=nodes, wires=wires | {"out.value": "sum.out"})


def _project(*snippets: Material) -> Project:
    first = Node(type="snippet", settings={"snippet": snippets[0].id})
    nodes = {"first": first, "plain": Node(type="time"), "end": Node(type="surface")}
    material = Material(id="m", name="M", nodes=nodes)
    return attached(Project(name="p", materials={"m": material}, snippets={s.id: s for s in snippets}))


def _told(graph: Material) -> set[tuple[str, str]]:
    return {(notice.kind, notice.node) for notice in lower(graph).notices if notice.kind != "missing-wire"}


def test_what_doubles_with_every_step_is_told_and_the_rest_of_the_graph_goes_on(tmp_path: Path) -> None:
    deep = [_snippet(f"d{n}", f"d{n + 1}", f"d{n + 1}") for n in range(40)]
    project = _project(*deep, _snippet("d40"))
    # A tree of two branches everywhere: four nodes at each of its forks, two at each leaf.
    assert unfolded_size(project.snippets["d30"]) == 4 * (2**10 - 1) + 2 * 2**10
    assert _told(project.materials["m"]) == {("too-large", "first")}
    assert "plain.out" in lower(project.materials["m"]).wires
    assert not _told(project.snippets["d30"])
    save_project(project, tmp_path)
    again = open_project(tmp_path).project
    assert again.snippets.keys() == project.snippets.keys()
    assert again.snippets["d30"].snippets.keys() == {f"d{n}" for n in range(31, 41)}


def test_what_goes_too_deep_is_told() -> None:
    chain = [_snippet(f"d{n}", f"d{n + 1}") for n in range(3 * SNIPPET_DEPTH)]
    project = _project(*chain, _snippet(f"d{3 * SNIPPET_DEPTH}"))
    told = {name: _told(snippet) for name, snippet in project.snippets.items()}
    cut = {name for name, kinds in told.items() if kinds == {("unknown-node", "n0")}}
    assert cut == {"d0", f"d{SNIPPET_DEPTH}", f"d{2 * SNIPPET_DEPTH}"}
    assert not any(kinds for name, kinds in told.items() if name not in cut)


def test_snippets_in_a_circle_hold_none_of_it_and_each_says_so() -> None:
    project = _project(_snippet("a", "b", "leaf"), _snippet("b", "c"), _snippet("c", "a"), _snippet("leaf"))
    assert project.snippets["a"].snippets.keys() == {"leaf"}
    for each, node in (("a", "n0"), ("b", "n0"), ("c", "n0")):
        assert ("unknown-node", node) in _told(project.snippets[each])
    assert not _told(project.materials["m"])
    assert attached(project) is project
