"""What uses a gradient or palette."""

from __future__ import annotations

from soft_lantern.graph.document import Project


def users_of(project: Project, ramp_id: str) -> dict[str, str]:
    """The names of materials, snippets and instances that hold a gradient or palette, by their ids."""
    found: dict[str, str] = {}
    for graph in (*project.materials.values(), *project.snippets.values()):
        typed = (value for node in graph.nodes.values() for value in node.values.values())
        defaults = (parameter.default for parameter in graph.parameters)
        if ramp_id in typed or ramp_id in defaults:
            found[graph.id] = graph.name
    for instance in project.instances.values():
        if ramp_id in instance.values.values():
            found[instance.id] = instance.name
    return found
