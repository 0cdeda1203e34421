"""What a change of a project does to its instances: whose look or values differ before and after, and how."""

from __future__ import annotations

from msgspec import Struct

from soft_lantern.graph.document import Instance, Material, Project
from soft_lantern.graph.instances.family import descendants, outside, value_of
from soft_lantern.graph.instances.values import Look, fits, look
from soft_lantern.graph.parameters.edits import limits_in_words
from soft_lantern.values.kinds import Value

OUTSIDE, ASIDE, BACK, CONVERTED, LOOKS = "outside its limits", "kept aside", "back", "converted", "looks different"


class Effect(Struct, frozen=True):
    """What happens to one instance, or to one of its values: which kind of thing, and in words."""

    instance: str
    parameter: str
    kind: str
    words: str


def effects(before: Project, after: Project, material_id: str, *, graphs: bool = False) -> list[Effect]:
    """What becomes of a material's instances, those whose values need a decision first.

    `graphs`: another graph counts too, which may change the look of every instance.
    """
    was, now = before.materials.get(material_id), after.materials.get(material_id)
    if was is None or now is None:
        return []
    found: list[Effect] = []
    for instance in descendants(after, material_id):
        old = before.instances.get(instance.id)
        if old is None:
            continue
        own = _of_values(was, now, old, instance)
        own = own or _of_look(instance, look(before, instance.id), look(after, instance.id), was, now)
        if not own and graphs and (was.nodes, was.wires) != (now.nodes, now.wires):
            own = [Effect(instance.id, "", LOOKS, "its graph is another")]
        found += own
    order = [OUTSIDE, ASIDE, CONVERTED, BACK, LOOKS]
    return sorted(found, key=lambda effect: order.index(effect.kind))


def _of_values(was: Material, now: Material, old: Instance, instance: Instance) -> list[Effect]:
    found = []
    for parameter_id, value in instance.values.items():
        before, after = was.parameter(parameter_id), now.parameter(parameter_id)
        counted = before is not None and fits(before, old.values.get(parameter_id, ""))
        counts = after is not None and fits(after, value)
        known = after or before
        label = known.label if known else parameter_id

        def say(kind: str, words: str, parameter_id: str = parameter_id) -> Effect:
            return Effect(instance.id, parameter_id, kind, words)

        if counted and not counts:
            found.append(say(ASIDE, f"its value of {label} no longer counts, and is kept"))
        elif counts and not counted and parameter_id in old.values:
            found.append(say(BACK, f"its value of {label} counts again"))
        elif before and after and counts and before.kind is not after.kind and old.values.get(parameter_id) != value:
            found.append(say(CONVERTED, f"its value of {label} is now a {after.kind.words}"))
        elif before and after and counts and outside(after, value) and not outside(before, value):
            found.append(say(OUTSIDE, f"{label} is {_shown(value)}, outside {limits_in_words(after)}"))
    return found


def _of_look(instance: Instance, old: Look | None, new: Look | None, was: Material, now: Material) -> list[Effect]:
    if old is None or new is None:
        return []
    labels = []
    for parameter in now.parameters:
        before = was.parameter(parameter.id)
        if before and value_of(old, before) != value_of(new, parameter):
            labels.append(parameter.label)
    if old.shade != new.shade:
        labels.append("hue, saturation or brightness")
    if labels:
        return [Effect(instance.id, "", LOOKS, f"it gets another {', '.join(labels)}")]
    return []


def _shown(value: Value) -> str:
    parts = value if isinstance(value, tuple) else (value,)
    return " ".join(part if isinstance(part, str) else f"{part:g}" for part in parts)
