"""Snippets: graphs that are used as nodes of other graphs."""

from __future__ import annotations

from collections.abc import Iterable

from soft_lantern.errors import BadEdit
from soft_lantern.graph.document import Material, Node, Project, changed, new_id, node_and_port, node_of, port_ref
from soft_lantern.graph.edits import add_node, connect, fragment, paste, remove_nodes, type_value
from soft_lantern.graph.identity import by_identity
from soft_lantern.graph.kinds import output_kinds, parameter_of, shown_name
from soft_lantern.graph.lowering import lower
from soft_lantern.graph.nesting import attached, used_snippets
from soft_lantern.ir.cost import Cost, cost
from soft_lantern.nodes import Role
from soft_lantern.values.kinds import Kind
from soft_lantern.values.words import first_numbered


def put_snippet(project: Project, snippet: Material) -> Project:
    """The project with a snippet added or replaced. Raises BadEdit where it would hold itself."""
    every = {**project.snippets, snippet.id: snippet}
    if snippet.id in used_snippets(snippet, every):
        raise BadEdit(f"{snippet.name} cannot hold itself")
    return attached(changed(project, snippets=every))


def remove_snippet(project: Project, snippet_id: str) -> Project:
    """The project without a snippet. Raises BadEdit while a graph uses it."""
    users = [g.name for g in (*project.materials.values(), *project.snippets.values()) if snippet_id in g.snippets]
    if users:
        raise BadEdit(f"{project.snippets[snippet_id].name} is used in {', '.join(sorted(users))}")
    return changed(project, snippets={i: s for i, s in project.snippets.items() if i != snippet_id})


def snippet_made(project: Project, graph_id: str, node_ids: Iterable[str]) -> Project:
    """The project with some nodes of a graph put into a new snippet. Raises BadEdit where they cannot be."""
    graph = project.graph(graph_id)
    if graph is None:
        raise BadEdit("that graph is gone")
    taken = {s.name for s in project.snippets.values()}
    left, snippet = collapse(graph, node_ids, first_numbered("Snippet", taken))
    project = put_snippet(project, snippet)
    if graph_id in project.snippets:
        return put_snippet(project, left)
    return attached(changed(project, materials={**project.materials, graph_id: left}))


def collapse(material: Material, node_ids: Iterable[str], name: str) -> tuple[Material, Material]:
    """The material with some nodes put into a new snippet, and the snippet.

    What feeds them from outside becomes inputs, what they feed becomes outputs; parameters stay outside. Raises BadEdit
    where nothing is left to put in, or a wire would lead out and in again.
    """
    outside = ("parameter", "surface", "unlit_surface", "vertex_offset", "snippet_input", "snippet_output")
    inside = {i for i in node_ids if material.nodes[i].type not in outside}
    if not inside:
        raise BadEdit("select nodes that compute something; parameters and outputs stay in the material")
    kinds = output_kinds(material)
    piece = fragment(material, inside)
    snippet = Material(id=new_id("snippet"), name=name, nodes=piece.nodes, wires=piece.wires)
    left, right = min(n.x for n in piece.nodes.values()), max(n.x for n in piece.nodes.values())
    top = min(n.y for n in piece.nodes.values())
    entries: dict[str, str] = {}
    exits: dict[str, str] = {}
    for into, out in material.wires.items():
        reader, (source, port) = node_of(into), node_and_port(out)
        if reader in inside and source not in inside:
            if out not in entries:
                entries[out] = entry = new_id("input")
                named = _called(material, source, port)
                settings, parameter = {"kind": str(kinds[out])}, parameter_of(material, material.nodes[source])
                values = {"value": parameter.default} if parameter else {}
                place = Node(
                    type="snippet_input",
                    name=named,
                    x=left - 190,
                    y=top + 175 * (len(entries) - 1),
                    settings=settings,
                    values=values,
                )
                snippet = add_node(snippet, entry, place)
            snippet = changed(snippet, wires={**snippet.wires, into: port_ref(entries[out], "out")})
        elif source in inside and reader not in inside and out not in exits:
            exits[out] = leaving = new_id("output")
            named = _called(material, source, port)
            place = Node(type="snippet_output", name=named, x=right + 190, y=top + 90 * (len(exits) - 1))
            snippet = add_node(snippet, leaving, place)
            snippet = changed(snippet, wires={**snippet.wires, port_ref(leaving, "value"): out})
    return _put_in_place(material, inside, snippet, entries, exits), snippet


def _called(material: Material, node_id: str, port: str) -> str:
    """What people call an output: its node's name or parameter, and the port where there are several."""
    name = shown_name(material, material.node(node_id))
    return name if port == "out" else f"{name} {port.replace('_', ' ')}"


def _put_in_place(
    material: Material, inside: set[str], snippet: Material, entries: dict[str, str], exits: dict[str, str]
) -> Material:
    """The material with a node of the snippet where those inside it stood."""
    readers = {into: out for into, out in material.wires.items() if out in exits and node_of(into) not in inside}
    last = max((material.nodes[i] for i in inside), key=lambda node: node.x)
    used = used_snippets(snippet, material.snippets) | {snippet.id: snippet} | material.snippets
    node_id = new_id("snippet")
    left = changed(remove_nodes(material, inside), snippets=used)
    left = add_node(left, node_id, Node(type="snippet", x=last.x, y=last.y, settings={"snippet": snippet.id}))
    for out, entry in entries.items():
        left = connect(left, out, port_ref(node_id, entry))
    for into, out in readers.items():
        left = connect(left, port_ref(node_id, exits[out]), into)
    return left


def expand(material: Material, node_id: str) -> Material:
    """The material with a snippet's node replaced by the nodes in the snippet."""
    node = material.node(node_id)
    inner = material.snippets[node.settings["snippet"]]
    plain = [i for i, n in inner.nodes.items() if n.role not in (Role.ENTRY, Role.EXIT)]
    left = min((inner.nodes[i].x for i in plain), default=0.0)
    top = min((inner.nodes[i].y for i in plain), default=0.0)
    made, new_ids = paste(material, fragment(inner, plain), node.x - left, node.y - top)
    renamed = dict(zip(plain, new_ids, strict=True))

    def source_of(out: str) -> str | None:
        source, port = node_and_port(out)
        if source in renamed:
            return port_ref(renamed[source], port)
        return material.wires.get(port_ref(node_id, source))

    for into, out in inner.wires.items():
        reader, port = node_and_port(into)
        feeding = source_of(out)
        if reader in renamed and feeding:
            made = connect(made, feeding, port_ref(renamed[reader], port))
        elif reader in renamed and node_of(out) not in renamed:
            entry = inner.nodes[node_of(out)]
            typed = node.values.get(node_of(out), entry.values.get("value", 0.0))
            made = type_value(made, renamed[reader], port, typed)
    for into, out in material.wires.items():
        source, leaving = node_and_port(out)
        feeding = source_of(inner.wires.get(port_ref(leaving, "value"), "")) if source == node_id else None
        if feeding:
            made = connect(made, feeding, into)
    return remove_nodes(made, [node_id])


def empty_snippet(name: str) -> Material:
    """A snippet of one input that hands it out again."""
    entry, leaving = new_id("input"), new_id("output")
    nodes = {
        entry: Node(type="snippet_input", name="In", settings={"kind": str(Kind.NUMBER)}),
        leaving: Node(type="snippet_output", name="Out", x=320.0),
    }
    wires = {port_ref(leaving, "value"): port_ref(entry, "out")}
    return Material(id=new_id("snippet"), name=name, nodes=nodes, wires=wires)


@by_identity(64)
def cost_inside(snippet: Material) -> Cost:
    """What a snippet's own graph does for one pixel."""
    ends = [snippet.wires.get(port_ref(i, "value"), "") for i, n in snippet.nodes.items() if n.role is Role.EXIT]
    wires = lower(snippet).wires
    return cost(wires[end] for end in ends if end in wires)
