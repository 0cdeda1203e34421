"""MaterialX documents in: their materials as materials and instances of a project.

Surfaces of glTF are taken as they are, standard surfaces by the standard library's own translation into those. What
has no counterpart is named in a remark, and left out.
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

from msgspec import Struct, field

from soft_lantern.errors import BadFile
from soft_lantern.formats.materialx.definitions import KEY, read_settings
from soft_lantern.formats.materialx.document import OFFSET, SPACE
from soft_lantern.formats.materialx.expressions import Sampling
from soft_lantern.formats.materialx.graph_reader import (
    WIDTHS,
    Given,
    GraphReader,
    Special,
    encoding_of,
    entry_of,
    exit_of,
    numbers,
)
from soft_lantern.formats.materialx.library import library, package
from soft_lantern.formats.materialx.specials import BROUGHT, SPECIAL, sampling_of
from soft_lantern.formats.places import file_inside, read_text
from soft_lantern.graph.document import (
    Instance,
    Material,
    Node,
    Parameter,
    Texture,
    changed,
    new_id,
    node_of,
    port_ref,
)
from soft_lantern.graph.layout import tidy
from soft_lantern.ir.glsl_words import HLSL_WORDS, Identifiers, as_identifier
from soft_lantern.values.kinds import Kind, Value
from soft_lantern.values.words import listed

_SURFACE = {
    "base_color": "base_colour",
    "metallic": "metallic",
    "roughness": "roughness",
    "normal": "normal",
    "occlusion": "occlusion",
    "emissive": "emissive",
    "emissive_strength": "emissive_strength",
    "specular": "specular",
    "specular_color": "specular_colour",
    "alpha": "alpha",
    "alpha_cutoff": "alpha_cutoff",
}
"""Inputs of the glTF surface shader, and ours."""
STEP, DOWN = 184.0, 120.0
"""How far apart nodes stand that a document says no place for."""
_MODES = ("opaque", "mask", "blend")
_TRANSLATED = {"standard_surface": "standard_surface_to_gltf_pbr"}
"""Surface shaders that the standard library translates into glTF's, and the node that does it."""
_KINDS = {"float": Kind.NUMBER, "integer": Kind.NUMBER, "boolean": Kind.NUMBER, "filename": Kind.TEXTURE}
_KINDS |= {"vector2": Kind.VECTOR2, "vector3": Kind.VECTOR3, "vector4": Kind.VECTOR4}
_KINDS |= {"color3": Kind.COLOUR, "color4": Kind.COLOUR}


class Documents(Struct):
    """What a document brings: records of a project, the files of its textures by id, and what was not taken over."""

    materials: list[Material] = field(default_factory=list)
    snippets: dict[str, Material] = field(default_factory=dict)
    instances: list[Instance] = field(default_factory=list)
    textures: dict[str, Texture] = field(default_factory=dict)
    files: dict[str, Path] = field(default_factory=dict)
    remarks: list[str] = field(default_factory=list)


def read_document(path: Path) -> Documents:
    """The materials of a MaterialX document. Raises BadFile where it is none, is damaged, or has none."""
    mx = package()
    text = read_text(path)
    if re.search(r"<!(DOCTYPE|ENTITY)", text):
        raise BadFile(f"{path.name} declares entities, which no MaterialX document needs; it is not read")
    document, options = mx.createDocument(), mx.XmlReadOptions()
    options.readXIncludeFunction = None
    try:
        mx.readFromXmlString(document, text, mx.FileSearchPath(), options)
    except Exception as error:  # the binding's own, of no class that it names
        raise BadFile(f"{path.name} is no sound MaterialX document: {_first_line(error)}") from error
    if document.getCategory() != "materialx" or not document.getChildren():
        raise BadFile(f"{path.name} holds nothing of MaterialX")
    document.setDataLibrary(library())
    return _Reader(document, path).found


class _Reader:
    def __init__(self, document: Any, path: Path) -> None:
        self.document, self.path, self.found = document, path, Documents()
        self._textures: dict[tuple[str, Sampling], str] = {}
        self._snippets: dict[str, Material | None] = {}
        self._reading: set[str] = set()
        self._missing: list[str] = []
        try:
            self._read()
        except BadFile as error:
            words = str(error)
            raise BadFile(words if words.startswith(path.name) else f"{path.name}: {words}") from error
        except (LookupError, TypeError, ValueError, AttributeError, RecursionError) as error:
            raise BadFile(f"{path.name} has nodes that go together in no way: {_first_line(error)}") from error

    def _read(self) -> None:
        families: dict[str, Material] = {}
        for node in self.document.getNodes():
            if node.getType() != "material" or node.getCategory() != "surfacematerial":
                continue
            shader = _upstream(node, "surfaceshader")
            if shader is None:
                self.remark(f"{node.getName()} has no surface shader; it is left out")
                continue
            values = self._own_values(shader)
            family = values.getNodeDefString() or values.getCategory() if values is not None else ""
            if family and family in families:
                self.found.instances.append(self._instance(node, values, families[family]))
            else:
                made = self._material(node, shader, values)
                if made is not None:
                    self.found.materials.append(made)
                    families |= {family: made} if family else {}
        if not self.found.materials:
            self._patterns()
        if self._missing:
            images, are = ("image", "is") if len(set(self._missing)) == 1 else ("images", "are")
            self.remark(f"the {images} {listed(dict.fromkeys(self._missing))} {are} not there")
        if not self.found.materials:
            raise BadFile(f"{self.path.name} has no material and no graph of colours that could become one")

    # What graphs ask.

    def texture(self, file: str, sampling: Sampling) -> str:
        """The id of the texture for a file; one that is not there stays named, without its picture."""
        key = file, sampling
        if key not in self._textures:
            made = Texture(
                id=new_id("texture"),
                name=Path(file).stem.replace("_", " ") or "Texture",
                encoding=sampling.encoding,
                filter=sampling.filter,
                wrap=sampling.wrap,
            )
            self._textures[key] = made.id
            self.found.textures[made.id] = made
            try:
                held = file_inside(self.path.parent, file, self.path.name)
                if held.is_file():
                    self.found.files[made.id] = held
                else:
                    self._missing.append(file)
            except BadFile as error:
                self.remark(str(error))
        return self._textures[key]

    def special(self, category: str) -> Special | None:
        """How a standard node is read that takes more than a table."""
        return SPECIAL.get(category)

    def brought(self, name: str) -> Callable[[GraphReader], Given] | None:
        """How that is had which geometry brings to an input that says nothing."""
        return BROUGHT.get(name)

    def remark(self, words: str) -> None:
        """Note what was not taken over, once."""
        if words not in self.found.remarks:
            self.found.remarks.append(words)

    def snippet(self, nodedef: Any) -> Material | None:
        """The snippet for a definition that is a graph of nodes; None where it is something else."""
        name = nodedef.getName()
        if name in self._reading:
            raise BadFile(f"{self.path.name} has a definition that holds itself: {name}")
        if name not in self._snippets:
            graph = nodedef.getImplementation()
            if graph is None or graph.getCategory() != "nodegraph":
                self._snippets[name] = None
            else:
                self._reading.add(name)
                self._snippets[name] = self._snippet(nodedef, graph)
                self._reading.discard(name)
        return self._snippets[name]

    def _snippet(self, nodedef: Any, graph: Any) -> Material:
        entries: dict[str, Given] = {}

        def exposed(port: Any) -> Given | None:
            return entries.get(port.getName()) if port.getParent().getCategory() == "nodedef" else None

        reader = GraphReader(self, exposed)
        for number, port in enumerate(nodedef.getActiveInputs()):
            kind = _KINDS.get(port.getType())
            if kind is None:
                continue
            kind = Kind.VECTOR3 if port.getType() == "color3" else kind
            held = _value(port) if kind is not Kind.TEXTURE else ""
            reader.nodes[entry_of(port.getName())] = Node(
                type="snippet_input",
                name=port.getAttribute("uiname") or port.getName(),
                y=90.0 * number,
                settings={"kind": str(kind)},
                values={"value": held if held is not None else kind.neutral},
            )
            width = kind.width if kind is not Kind.TEXTURE else 0
            entries[port.getName()] = Given(width, wire=port_ref(entry_of(port.getName()), "out"))
        for number, output in enumerate(graph.getOutputs()):
            given = reader.port(output) if output.getType() in WIDTHS else None
            if given is not None:
                leaving = exit_of(output.getName())
                name = output.getAttribute("uiname") or output.getName().removesuffix("_out")
                reader.nodes[leaving] = Node(type="snippet_output", name=name, y=90.0 * number)
                reader.wires[port_ref(leaving, "value")] = reader.wired(given).wire
        title = nodedef.getAttribute("uiname") or nodedef.getNodeString().replace("_", " ").capitalize()
        made = tidy(reader.graph(new_id("snippet"), title))
        self.found.snippets |= {made.id: made} | made.snippets
        return made

    # Materials.

    def _own_values(self, shader: Any) -> Any:
        """The node that computes all of a surface, in documents that this program wrote."""
        for port in shader.getInputs():
            node = port.getConnectedNode()
            nodedef = node.getNodeDef() if node is not None else None
            if nodedef is not None and nodedef.getAttribute(KEY) == "material":
                return node
        return None

    def _material(self, node: Any, shader: Any, values: Any) -> Material | None:
        name = node.getAttribute("uiname") or node.getName().replace("_", " ")
        parameters = _Parameters(self)
        reader = GraphReader(self, parameters.exposed)
        parameters.reader = reader
        given = self._shader_inputs(reader, shader, values)
        if given is None:
            return None
        if values is not None:
            name = values.getNodeDef().getAttribute("uiname") or name
        settings = read_settings(values.getNodeDef()) if values is not None else {}
        if shader.getCategory() == "surface_unlit":
            _unlit(reader, given, settings)
        else:
            self._surface(reader, shader, given, settings, parameters.made)
        _offset(reader, node, values)
        made = reader.graph(as_identifier(name), name, parameters.with_unread())
        return _placed(made, reader.placed)

    def _shader_inputs(self, reader: GraphReader, shader: Any, values: Any) -> dict[str, Given | None] | None:
        """What a surface shader is given, by the names of glTF's inputs; None where it is of no known kind."""
        category, name = shader.getCategory(), shader.getName()
        if category in ("gltf_pbr", "surface_unlit"):
            ports = {port.getName(): port for port in shader.getInputs()}
            cut = _upstream(shader, "opacity") if values is not None else None
            if cut is not None and cut.getCategory() == "ifgreatereq":
                ports |= {"opacity": cut.getInput("value1"), "alpha_cutoff": cut.getInput("value2")}
            return {name: reader.port(_inside(port, values)) for name, port in ports.items()}
        if category not in _TRANSLATED:
            self.remark(f"{name} is a {category}, which is not known here; its material is left out")
            return None
        nodedef = self.document.getMatchingNodeDefs(_TRANSLATED[category])[0]
        stand_in = self.document.addNode(_TRANSLATED[category], f"{name}_as_gltf", "multioutput")
        own, said, lost = shader.getNodeDef(), set[str](), list[str]()
        for port in shader.getInputs():
            name = port.getName()
            if _says(own, port):
                said.add(name)
            if nodedef.getActiveInput(name) is not None:
                stand_in.addInput(name, port.getType()).copyContentFrom(port)
            elif name in said:
                lost.append(name)
        self._leave_out(lost, shader.getName(), "a surface of glTF")
        asked = {each.getName(): _handed_in(each) for each in nodedef.getImplementation().getOutputs()}
        found = {key.removesuffix("_out"): (key, each) for key, each in reader.node(stand_in).items()}
        # What has no place here is told only where the document says something about it.
        return {name: each for name, (key, each) in found.items() if name in _SURFACE or asked.get(key, said) & said}

    def _surface(
        self,
        reader: GraphReader,
        shader: Any,
        given: Mapping[str, Given | None],
        settings: Mapping[str, str],
        parameters: list[Parameter],
    ) -> None:
        taken: dict[str, Given | None] = {}
        nodedef = self.document.getNodeDef("ND_gltf_pbr_surfaceshader")
        for theirs, ours in _SURFACE.items():
            each, port = given.get(theirs), nodedef.getActiveInput(theirs)
            if each is None and port.getValueString():
                each = Given(WIDTHS[port.getType()], parts=_parts(port))
            taken[ours] = reader.wired(each) if each and each.width == 3 else each
        known = (*_SURFACE, "alpha_mode", "tangent")
        others = {name: each for name, each in given.items() if name not in known and each}
        known_parts = {name: each.parts or reader.constant(each, parameters) for name, each in others.items()}
        left = [name for name, parts in known_parts.items() if not _is_default(nodedef, name, parts)]
        self._leave_out(left, shader.getName(), "our surface")
        mode = given.get("alpha_mode")
        chosen = _MODES[int(mode.parts[0]) % 3] if mode and mode.parts else "opaque"
        reader.add("surface", {"alpha_mode": chosen} | dict(settings), "", **taken)

    def _leave_out(self, inputs: list[str], shader: str, place: str) -> None:
        if inputs:
            have, are = ("has", "it is") if len(inputs) == 1 else ("have", "they are")
            self.remark(f"{listed(inputs)} of {shader} {have} no place in {place}; {are} left out")

    def _patterns(self) -> None:
        """Of a document without materials, each graph's first output, worn as it is."""
        for graph in self.document.getNodeGraphs():
            outputs = [each for each in graph.getOutputs() if each.getType() in WIDTHS]
            if not outputs or graph.getNodeDefString() or graph.hasSourceUri():
                continue
            parameters = _Parameters(self)
            reader = GraphReader(self, parameters.exposed)
            parameters.reader = reader
            shown = reader.port(outputs[0])
            if shown is not None:
                reader.add("unlit_surface", colour=reader.wired(reader.as_width(shown, 3)))
                name = graph.getAttribute("uiname") or graph.getName().replace("_", " ")
                made = reader.graph(as_identifier(name), name, parameters.made)
                self.found.materials.append(_placed(made, reader.placed))

    def _instance(self, node: Any, values: Any, material: Material) -> Instance:
        known = {each.identifier: each for each in material.parameters}
        held: dict[str, Value] = {}
        for port in values.getInputs():
            parameter = known.get(as_identifier(port.getName()))
            if parameter is not None and (value := self._parameter_value(port, parameter.kind, material)) is not None:
                held[parameter.id] = value
        name = node.getAttribute("uiname") or node.getName().replace("_", " ")
        return Instance(id=new_id("instance"), name=name, parent=material.id, values=held)

    def _parameter_value(self, port: Any, kind: Kind, material: Material) -> Value | None:
        if kind is not Kind.TEXTURE:
            return _value(port, kind)
        if not port.getValueString():
            return None
        parameter = next(p for p in material.parameters if p.identifier == as_identifier(port.getName()))
        like = self.found.textures.get(str(parameter.default))
        sampling = Sampling(like.encoding, like.filter, like.wrap) if like else Sampling()
        return self.texture(port.getResolvedValueString(), sampling)


class _Parameters:
    """The parameters of a material, made as its graph asks for what comes in."""

    def __init__(self, around: _Reader) -> None:
        self.around = around
        self.reader: GraphReader | None = None
        self.made: list[Parameter] = []
        self._wires: dict[str, Given | None] = {}
        self._graphs: dict[str, Any] = {}
        self._taken = Identifiers(set(HLSL_WORDS))

    def exposed(self, port: Any) -> Given | None:
        """What an input of a graph gives that designers may set, None where it is no such input."""
        owner = port.getParent()
        if owner.getCategory() not in ("nodegraph", "nodedef") or port.getCategory() != "input" or port.getNodeName():
            return None
        path = port.getNamePath()
        if path not in self._wires:
            self._graphs[owner.getNamePath()] = owner
            self._wires[path] = self._parameter(port)
        return self._wires[path]

    def with_unread(self) -> list[Parameter]:
        """Those that were asked for, and after them what else comes into the same graphs, though nothing reads it."""
        for graph in list(self._graphs.values()):
            for port in graph.getActiveInputs() if graph.getCategory() == "nodedef" else graph.getInputs():
                self.exposed(port)
        return self.made

    def _parameter(self, port: Any) -> Given | None:
        kind = _KINDS.get(port.getType())
        if kind is None or port.getName().endswith("_texel") or port.getDocString().startswith("From the host"):
            return None
        assert self.reader
        value: Value | None
        if kind is Kind.TEXTURE:
            sampling = _sampling_inside(port)
            value = self.around.texture(port.getResolvedValueString(), sampling) if port.getValueString() else ""
            if port.getParent().getAttribute(KEY) and not port.getAttribute("uiname"):
                return Given(file=port.getResolvedValueString(), sampling=sampling) if value else None
        else:
            value = _value(port, kind)
        identifier = self._taken.take(port.getName())
        made = _parameter(port, identifier, kind, kind.neutral if value is None else value)
        self.made.append(made)
        node_id = self.reader.add("parameter", {"parameter": made.id}, made.label)
        width = 0 if kind is Kind.TEXTURE else kind.width
        given = self.reader.out(node_id, width)
        return self.reader.as_width(given, 3) if port.getType() == "color3" else given


def _parameter(port: Any, identifier: str, kind: Kind, value: Value) -> Parameter:
    def end(name: str) -> float | None:
        text = port.getAttribute(name)
        try:
            return float(text.split(",")[0]) if text else None
        except ValueError:
            return None

    choices = tuple(each.strip() for each in port.getAttribute("enum").split(",") if each.strip())
    low, high = end("uimin"), end("uimax")
    return Parameter(
        id=identifier,
        identifier=identifier,
        label=port.getAttribute("uiname") or port.getName().replace("_", " ").capitalize(),
        kind=kind,
        default=value,
        group=port.getAttribute("uifolder"),
        tooltip=port.getAttribute("doc"),
        low=low if kind.width == 1 or kind is not Kind.COLOUR else None,
        high=high if kind.width == 1 or kind is not Kind.COLOUR else None,
        soft_low=end("uisoftmin"),
        soft_high=end("uisoftmax"),
        step=end("uistep"),
        control="slider" if low is not None and high is not None else "field",
        choices=choices if kind is Kind.NUMBER and len(choices) > 1 else (),
        use="switch" if port.getType() == "boolean" else "",
        advanced=port.getAttribute("uiadvanced") == "true",
        alpha=port.getType() != "color3",
    )


def _sampling_inside(port: Any) -> Sampling:
    """How the file that comes in by an input of a graph is read there."""
    owner, name = port.getParent(), port.getName()
    graphs = [owner] if owner.getCategory() == "nodegraph" else [owner.getImplementation()]
    for _ in range(16):
        nodes = [node for graph in graphs if graph is not None for node in graph.getNodes()]
        for node in nodes:
            for each in node.getInputs():
                if each.getInterfaceName() == name and node.getCategory() == "image":
                    return sampling_of(node, encoding_of(each))
        inner = [(n, each) for n in nodes for each in n.getInputs() if each.getInterfaceName() == name]
        if not inner:
            break
        node, each = inner[0]
        nodedef = node.getNodeDef()
        graphs, name = [nodedef.getImplementation()] if nodedef is not None else [], each.getName()
        graphs = [graph for graph in graphs if graph is not None and graph.getCategory() == "nodegraph"]
    return Sampling(encoding_of(port), "linear", "repeat")


def _inside(port: Any, values: Any) -> Any:
    """The output of a definition's graph for an input of a shader that a node of it feeds; else the input."""
    node = port.getConnectedNode() if values is not None else None
    if node is None or node.getName() != values.getName():
        return port
    graph = node.getNodeDef().getImplementation()
    return graph.getOutput(port.getOutputString()) or graph.getOutputs()[0]


def _unlit(reader: GraphReader, given: Mapping[str, Given | None], settings: Mapping[str, str]) -> None:
    one, white = Given(1, parts=(1.0,)), Given(3, parts=(1.0, 1.0, 1.0))
    strength, colour = given.get("emission") or one, given.get("emission_color") or white
    if strength != one:
        colour = reader.formula("{strength} * {colour}", 3, strength=strength, colour=colour)
    alpha = given.get("opacity")
    mode = "blend" if alpha is not None and (alpha.wire or alpha.parts != (1.0,)) else "opaque"
    taken = {"colour": reader.wired(colour), "alpha": alpha, "alpha_cutoff": given.get("alpha_cutoff")}
    reader.add("unlit_surface", {"alpha_mode": mode} | dict(settings), "", **taken)


def _offset(reader: GraphReader, node: Any, values: Any) -> None:
    """How a material's vertices move: along the tangent, the bitangent and the normal."""
    if values is not None and (own := values.getNodeDef().getActiveOutput(OFFSET)) is not None:
        offset = reader.port(values.getNodeDef().getImplementation().getOutput(OFFSET))
        reader.add("vertex_offset", {"space": own.getAttribute(SPACE) or "world"}, "", offset=offset)
        return
    shader = _upstream(node, "displacementshader")
    port = shader.getInput("displacement") if shader is not None else None
    moved = reader.port(_inside(port, values)) if port is not None else None
    if moved is None:
        return
    scale = shader.getInput("scale")
    if scale is not None and (by := reader.port(scale)) is not None:
        moved = reader.formula("{moved} * {by}", moved.width, moved=moved, by=by)
    frame = {key: reader.out(reader.add(key), 3) for key in ("tangent", "bitangent", "normal")}
    text = "{tangent} * {moved}.x + {bitangent} * {moved}.y + {normal} * {moved}.z"
    if moved.width == 1:
        text, frame = "{normal} * {moved}", {"normal": frame["normal"]}
    reader.add("vertex_offset", {"space": "world"}, "", offset=reader.formula(text, 3, moved=moved, **frame))


def _placed(graph: Material, placed: set[str]) -> Material:
    """The graph with nodes where the document has them, and the others beside what they feed; else laid out anew."""
    if not placed & graph.nodes.keys():
        return tidy(graph)
    nodes, stacked = dict(graph.nodes), dict[float, int]()
    right = max(nodes[key].x for key in placed if key in nodes)
    feeds: dict[str, list[str]] = {}
    for into, out in graph.wires.items():
        feeds.setdefault(node_of(out), []).append(node_of(into))
    for key in reversed(list(nodes)):  # what feeds comes before what it feeds
        if key not in placed:
            x = min((nodes[each].x for each in feeds.get(key, ())), default=right + 2 * STEP) - STEP
            stacked[x] = stacked.get(x, 0) + 1
            nodes[key] = changed(nodes[key], x=x, y=-DOWN * stacked[x])
    return changed(graph, nodes=nodes)


def _handed_in(output: Any) -> set[str]:
    """The inputs of its graph that an output comes from, by name."""
    ends = [output, *(edge.getUpstreamElement() for edge in output.traverseGraph())]
    ports = [output, *(port for end in ends[1:] if end is not None for port in end.getInputs())]
    return {port.getInterfaceName() for port in ports} - {""}


def _says(nodedef: Any, port: Any) -> bool:
    """Whether an input says anything but its default."""
    usual = nodedef.getActiveInput(port.getName()) if nodedef is not None else None
    if usual is None or not port.getValueString() or port.getType() not in WIDTHS or not usual.getValueString():
        return True
    return _parts(port) != _parts(usual)


def _is_default(nodedef: Any, name: str, parts: tuple[float, ...]) -> bool:
    """Whether the numbers that an input of a shader is given are its default."""
    port = nodedef.getActiveInput(name)
    if port is None or not port.getValueString() or not parts:
        return bool(parts)  # typed where there is no default: what programs write for none
    return all(math.isclose(a, b, abs_tol=1e-6) for a, b in zip(parts, _parts(port), strict=True))


def _parts(port: Any) -> tuple[float, ...]:
    return numbers(port.getValueString(), WIDTHS[port.getType()])


def _value(port: Any, kind: Kind | None = None) -> Value | None:
    """The value that an input holds, a colour with an alpha of 1 where it has none."""
    if port.getType() not in WIDTHS or not port.getValueString():
        return None
    parts = _parts(port)
    if kind is Kind.COLOUR and len(parts) == 3:
        parts = (*parts, 1.0)
    return parts[0] if len(parts) == 1 else parts


def _upstream(node: Any, name: str) -> Any:
    port = node.getInput(name)
    return port.getConnectedNode() if port is not None else None


def _first_line(error: Exception) -> str:
    return (str(error).strip().splitlines() or [type(error).__name__])[0]
