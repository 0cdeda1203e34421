"""A material and its looks as a MaterialX document.

Its graph is the definition of a node whose inputs are the parameters. Each look is such a node with the look's values,
a surface shader that it feeds, and a material.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from typing import Any

from msgspec import Struct
from msgspec.structs import replace

from soft_lantern.formats.materialx.definitions import (
    KEY,
    SETTINGS,
    Definitions,
    Input,
    picture_at,
    settings_text,
)
from soft_lantern.formats.materialx.expressions import (
    Picture,
    texel_of,
)
from soft_lantern.formats.materialx.graph_writer import GraphWriter
from soft_lantern.formats.materialx.graphs import Place, Sheet, give, hand_out, number, out_name, typed
from soft_lantern.formats.materialx.library import KINDS, VERSION, package
from soft_lantern.formats.materialx.pictures import PictureFiles
from soft_lantern.graph.document import Material, Parameter, port_ref
from soft_lantern.graph.kinds import counting
from soft_lantern.graph.lowering import (
    Lowered,
    lower,
    lower_apart,
    parameter_uniform,
)
from soft_lantern.ir import functions as f
from soft_lantern.ir.expr import Expr, join, topological
from soft_lantern.ir.glsl_words import Identifiers
from soft_lantern.ir.inputs import surface_input
from soft_lantern.nodes import Role
from soft_lantern.values.kinds import Value, components

OFFSET, SPACE = "offset_out", "lanternspace"
"""The output that says how vertices move, and its attribute for the space it says it in."""
ALPHA_MODES = ("opaque", "mask", "blend")


class Named(Struct, frozen=True):
    """A look: what it is called, and its values by parameter id where they are not the material's."""

    name: str
    values: Mapping[str, Value]


class Written(Struct, frozen=True):
    """A document as text, and the GLSL that some of its definitions have, "" for none.

    `graph`: the name of the graph of the material's nodes; `nodes`: which of ours its elements are, by their names.
    """

    text: str
    functions: str
    graph: str
    nodes: Mapping[str, str]


def written(material: Material, base: str, looks: Sequence[Named], pictures: PictureFiles) -> Written:
    """A material and its looks, the first of which is the material as it is, as a document.

    `base`: the identifier of it and its files. Raises BadValue where something cannot be written.
    """
    document = package().createDocument()
    document.setVersionString(VERSION)
    document.setColorSpace("lin_rec709")
    definitions = Definitions(document, f"{base}.functions.glsl")
    lowered = lower_apart(material)
    surface = _surface_defined(material, base, lowered, definitions, pictures)
    sheet, names = Sheet(document), Identifiers(set())
    for each in looks:
        _look(sheet, names.take(each.name), each, surface, pictures)
    graph = f"NG_{surface.category}"
    return Written(package().writeToXmlString(document), definitions.native_text(), graph, surface.nodes)


class _Surface(Struct, frozen=True):
    """A material's definition: what nodes of it are called, what a surface shader is given, by the name of its input,
    and the parameters that are read. What is given is an output, or what is the same everywhere, typed."""

    category: str
    given: Mapping[str, Place]
    parameters: Sequence[Parameter]
    lowered: Lowered
    nodes: Mapping[str, str]


def elements_of_lines(done: Written) -> list[str]:
    """For each line of a document, the id of the node of ours whose element it is part of, "" where it is none's."""
    found, inside, node = [], False, ""
    for line in done.text.splitlines():
        head = re.match(r"    <\w+ name=\"(\w+)\"", line)
        if line.startswith("  <nodegraph "):
            inside = f'name="{done.graph}"' in line
        if head:
            node = done.nodes.get(head[1], "")
        elif not line.startswith(("     ", "    </")):
            node = ""
        found.append(node if inside else "")
    return found


def parameters_written(material: Material) -> list[Parameter]:
    """The parameters that the surface reads, in their order."""
    whole = lower(material)
    reached = set(topological([*whole.surface.values(), *([] if whole.offset is None else [whole.offset])]))
    return [each for each in material.parameters if parameter_uniform(each) in reached]


def _surface_defined(
    material: Material, base: str, lowered: Lowered, definitions: Definitions, pictures: PictureFiles
) -> _Surface:
    """The definition that computes a material's surface."""
    parameters = parameters_written(material)
    inputs = [each for parameter in parameters for each in _inputs_of(parameter, pictures)]
    attributes = {KEY: "material", SETTINGS: settings_text(lowered.traits), "uiname": material.name}
    opened = nodedef, graph = definitions.opened(base, inputs, {}, **attributes)
    for parameter in parameters:
        _describe(nodedef.getInput(parameter.identifier), parameter)
    leaves: dict[Expr, Place] = {}
    read: dict[Expr, Picture] = {}
    for parameter in parameters:
        symbol = parameter_uniform(parameter)
        if parameter.kind.is_read:
            read[symbol] = picture_at(parameter.identifier, pictures(str(parameter.default)).sampling)
        else:
            leaves[symbol] = Place(KINDS[parameter.kind], interface=parameter.identifier)
    writer = GraphWriter(material, lowered, definitions, opened, pictures, leaves, read)
    writer.nodes()
    given: dict[str, Place] = {}
    for name, (type_, expr) in surface_outputs(lowered).items():
        if expr is surface_input("normal_world"):
            continue  # what a surface shader takes by itself
        place = writer.computed(expr, type_)
        if place.value and name != "base_color":
            given[name] = place
            continue
        nodedef.addOutput(out_name(name), type_)
        hand_out(graph, name, place, writer.sheet)
        given[name] = Place(type_, output=out_name(name))
    _hand_out_offset(material, nodedef, writer)
    return _Surface(writer.finish().category, given, parameters, lowered, writer.elements)


def _hand_out_offset(material: Material, nodedef: Any, writer: GraphWriter) -> None:
    """How vertices move as our own node says it, for those who read it back; `displacement` says it to others."""
    node_id = counting(material, Role.OFFSET)
    if node_id:
        output = nodedef.addOutput(OFFSET, "vector3")
        output.setAttribute(SPACE, material.nodes[node_id].settings.get("space", "object"))
        place = writer.computed(writer.lowered.inputs[port_ref(node_id, "offset")], "vector3")
        hand_out(writer.sheet.element, OFFSET.removesuffix("_out"), place, writer.sheet)


def surface_outputs(lowered: Lowered) -> dict[str, tuple[str, Expr]]:
    """What the node of a material gives, by the names of the surface shader's inputs."""
    at = lowered.surface
    found = {"base_color": ("color3", at["base_colour"]), "alpha": ("float", at["alpha"])}
    if lowered.alpha_mode == "mask":
        found["alpha_cutoff"] = ("float", at["alpha_cutoff"])
    if not lowered.unlit:
        found |= {name: ("float", at[name]) for name in ("metallic", "roughness", "occlusion", "specular")}
        found |= {"specular_color": ("color3", at["specular_colour"]), "emissive": ("color3", at["emissive"])}
        found["normal"] = ("vector3", at["normal"])
    if lowered.offset is not None:
        frame = (surface_input(f"{each}_world") for each in ("tangent", "bitangent", "normal"))
        found["displacement"] = ("vector3", join(*(f.dot(axis, lowered.offset) for axis in frame)))
    return found


def _look(sheet: Sheet, name: str, look: Named, surface: _Surface, pictures: PictureFiles) -> None:
    """The nodes of a look, its material, and the look of that name that wears it everywhere."""
    document, outputs = sheet.element, [place for place in surface.given.values() if not place.value]
    values = sheet.add(surface.category, "multioutput" if len(outputs) > 1 else outputs[0].type, f"{name}_values")
    node = sheet.node(values)
    node.setAttribute("uiname", look.name)
    for parameter in surface.parameters:
        if parameter.id in look.values:
            for each in _inputs_of(parameter, pictures, look.values[parameter.id]):
                node.addInput(each.name, each.type).setValueString(each.value)
    alone = outputs[0] if len(outputs) == 1 else None
    here = {each: replace(each, node=values.node, output="" if alone else each.output) for each in outputs}
    given = {key: here.get(each, each) for key, each in surface.given.items()}
    offset = given.pop("displacement", None)
    if surface.lowered.unlit:
        shader = _unlit(sheet, name, given)
    else:
        shader = sheet.add("gltf_pbr", "surfaceshader", f"{name}_surface", **given)
        mode = sheet.node(shader).addInput("alpha_mode", "integer")
        mode.setValueString(str(ALPHA_MODES.index(surface.lowered.alpha_mode)))
    made = sheet.add("surfacematerial", "material", name, surfaceshader=shader)
    sheet.node(made).setAttribute("uiname", look.name)
    if offset:
        moved = sheet.add("displacement", "displacementshader", f"{name}_displacement", displacement=offset)
        give(sheet.node(made), "displacementshader", moved)
    worn = document.addLook(document.createValidChildName(f"{name}_look"))
    worn.addMaterialAssign("everywhere", made.node).setGeom("*")


def _unlit(sheet: Sheet, name: str, given: Mapping[str, Place]) -> Place:
    opacity = given["alpha"]
    if "alpha_cutoff" in given:
        one, none = typed("float", [1.0]), typed("float", [0.0])
        opacity = sheet.add("ifgreatereq", "float", value1=opacity, value2=given["alpha_cutoff"], in1=one, in2=none)
    return sheet.add(
        "surface_unlit", "surfaceshader", f"{name}_surface", emission_color=given["base_color"], opacity=opacity
    )


def _inputs_of(parameter: Parameter, pictures: PictureFiles, value: Value | None = None) -> list[Input]:
    """A parameter as inputs of a node, with its default or another value."""
    value = parameter.default if value is None else value
    if not parameter.kind.is_read:
        type_ = KINDS[parameter.kind]
        return [Input(parameter.identifier, type_, typed(type_, components(value)).value)]
    held = pictures(str(value))
    file = Input(parameter.identifier, "filename", held.file)
    return [file, Input(texel_of(parameter.identifier), "vector2", held.texel)]


def _describe(port: Any, parameter: Parameter) -> None:
    port.setAttribute("uiname", parameter.label)
    for name, text in (("uifolder", parameter.group), ("doc", parameter.tooltip)):
        if text:
            port.setAttribute(name, text)
    if parameter.advanced:
        port.setAttribute("uiadvanced", "true")
    ends = {"uimin": parameter.low, "uimax": parameter.high}
    ends |= {"uisoftmin": parameter.soft_low, "uisoftmax": parameter.soft_high, "uistep": parameter.step}
    for name, end in ends.items():
        if end is not None and not parameter.kind.is_read:
            port.setAttribute(name, ", ".join([number(end)] * parameter.kind.width))
    if parameter.choices:
        port.setAttribute("enum", ", ".join(each.replace(",", " ") for each in parameter.choices))
        port.setAttribute("enumvalues", ", ".join(str(n) for n in range(len(parameter.choices))))
