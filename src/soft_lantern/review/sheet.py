"""What a page's sheet shows: materials with their parameters, and the looks of each with their values."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from typing import Any

from soft_lantern.graph.document import Material, Parameter, Project
from soft_lantern.graph.instances.family import looks_of
from soft_lantern.graph.instances.shade import NONE
from soft_lantern.graph.instances.values import ancestry, look
from soft_lantern.graph.lowering import Lowered, parameter_uniform, uniform_values
from soft_lantern.graph.ramps.images import readable_names
from soft_lantern.render.staging import LoweredMaterials
from soft_lantern.review.packing import Packing
from soft_lantern.review.stage import finite, values
from soft_lantern.values.images import Image
from soft_lantern.values.kinds import Value, components

Row = dict[str, Any]


def sheets(
    project: Project,
    materials: Sequence[Material],
    images: Mapping[str, Image],
    packing: Packing,
    looks: Collection[str] | None = None,
) -> list[Row]:
    """The materials, each with its parameters as designers get them and the looks there are of it.

    `looks`: the ids of the instances among them; None is all.
    """
    lowered_materials, rows = LoweredMaterials(), []
    for material in materials:
        lowered = lowered_materials.lowered(material)
        ids = looks_of(project, material.id, looks)
        rows.append(
            {
                "id": material.id,
                "name": material.name,
                "parameters": [_parameter(project, each, lowered, images, packing) for each in material.parameters],
                "looks": [_look(project, each, lowered, images, packing) for each in ids],
            }
        )
    return rows


def _parameter(
    project: Project, parameter: Parameter, lowered: Lowered, images: Mapping[str, Image], packing: Packing
) -> Row:
    key = str(parameter_uniform(parameter).data)
    names = readable_names(project)[parameter.kind] if parameter.kind.is_read else {}
    read = {key: packing.image(images[key]) for key in names if key in images}
    return {
        "id": parameter.id,
        "identifier": parameter.identifier,
        "label": parameter.label,
        "group": parameter.group,
        "tooltip": parameter.tooltip,
        "kind": str(parameter.kind),
        "width": parameter.kind.width,
        "read": parameter.kind.is_read,
        "names": {key: name for key, name in names.items() if key in read},
        "images": read,
        "uniform": key if key in lowered.uniforms else "",
        "low": parameter.low,
        "high": parameter.high,
        "soft_low": parameter.soft_low,
        "soft_high": parameter.soft_high,
        "step": parameter.step,
        "unit": parameter.unit,
        "scale": parameter.scale,
        "use": parameter.use,
        "choices": list(parameter.choices),
        "alpha": parameter.alpha,
        "hdr": parameter.hdr,
        "advanced": parameter.advanced,
        "shown_when": parameter.shown_when,
        "shown_value": parameter.shown_value,
    }


def _look(project: Project, look_id: str, lowered: Lowered, images: Mapping[str, Image], packing: Packing) -> Row:
    found = look(project, look_id)
    assert found
    chain, material = ancestry(project, look_id)
    assert material
    own = {each.id: found.values.get(each.id, each.default) for each in material.parameters}
    return {
        "id": look_id,
        "name": chain[0].name if chain else material.name,
        "values": {key: _plain(value) for key, value in own.items()},
        "limits": {each.id: [each.low, each.high] for each in found.parameters if each not in material.parameters},
        "locked": sorted({key for each in chain for key in each.locks}),
        "layered": found.shade != NONE,
        "uniforms": values(uniform_values(lowered, material, found.shown, images), packing),
    }


def _plain(value: Value) -> str | list[float]:
    return value if isinstance(value, str) else finite(components(value))
