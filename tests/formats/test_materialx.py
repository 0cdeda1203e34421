"""Materials as MaterialX documents and back, against the MaterialX package's own GLSL generator."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import MaterialX as mx
import MaterialX.PyMaterialXGenGlsl as mx_glsl
import MaterialX.PyMaterialXGenShader as mx_shader
import numpy as np
import pytest

from materialx_drawing import COUNT, drawn, units
from soft_lantern.demo.project import write_demo
from soft_lantern.errors import BadFile
from soft_lantern.formats.materialx.library import library
from soft_lantern.formats.materialx.reading import read_document
from soft_lantern.formats.materialx.taking import bring_in_document
from soft_lantern.formats.materialx.target import documents
from soft_lantern.formats.project_folder import open_project
from soft_lantern.formats.project_source import from_disk
from soft_lantern.formats.shaders.surface import base_of
from soft_lantern.graph.authoring import Authoring
from soft_lantern.graph.document import Material, Project, changed
from soft_lantern.graph.instances.values import look
from soft_lantern.graph.lowering import lower, read_ids, uniform_values
from soft_lantern.graph.snippets import snippet_made
from soft_lantern.ir.numpy_reader import as_rows, evaluate
from soft_lantern.progress import silent
from soft_lantern.proof.by_materialx import outcomes, points_of
from soft_lantern.render.gl import GlRenderer
from soft_lantern.values.images import Image

POINTS = 200


@pytest.fixture(scope="module")
def delivered(tmp_path_factory: pytest.TempPathFactory) -> tuple[Project, Path]:
    """The demo, and a folder with all of its documents."""
    home, folder = tmp_path_factory.mktemp("demo") / "project", tmp_path_factory.mktemp("out")
    write_demo(home)
    project = open_project(home).project
    written(project, home, folder)
    return project, folder


def written(project: Project, home: Path, folder: Path) -> dict[str, str | bytes]:
    materials = sorted(project.materials.values(), key=lambda each: each.id)
    made = documents(project, materials, from_disk(home)(project)[1], home, silent)
    for name, data in made.items():
        (folder / name).write_bytes(data if isinstance(data, bytes) else data.encode())
    return made


MATERIALS = ["basin_nectar", "fluttering_paper", "kettle_metal", "mossy_urn", "moth_trail", "nectar", "weathered_urn"]


@pytest.mark.parametrize("name", MATERIALS)
def test_a_material_comes_back_with_the_same_values_nodes_and_looks(name: str, delivered: tuple[Project, Path]) -> None:
    project, folder = delivered
    before = project.materials[name]
    found = read_document(folder / f"{base_of(before)}.mtlx")
    (after,) = found.materials
    assert not found.remarks and after.name == before.name
    wanted = computed(before, before, project.textures, project.textures)
    assert computed(after, before, found.textures, project.textures) == pytest.approx(wanted, abs=1e-6)
    exposed = {each.identifier: each for each in before.parameters}
    for each in after.parameters:
        was = exposed[each.identifier]
        assert (each.label, each.group, each.low, each.high, each.tooltip) == (
            *(was.label, was.group, was.low, was.high, was.tooltip),
        )
    named = {node.name: node for node in after.nodes.values() if node.name}
    for node in before.nodes.values():
        if node.name in named and node.type not in ("parameter", "texture"):
            assert (named[node.name].type, round(named[node.name].x)) == (node.type, round(node.x))
    shown = {each.name: look(project, each.id) for each in project.instances.values()}
    looks = {key: each for key, each in shown.items() if each and each.material is before}
    assert {each.name for each in found.instances} == set(looks)
    for each in found.instances:
        for key, value in each.values.items():
            if not isinstance(value, str):
                assert value == pytest.approx(looks[each.name].shown[key], rel=1e-6)


def computed(material: Material, before: Material, textures: Any, known: Any) -> np.ndarray:
    """What a material comes to at the points of another, by whose names its parameters and pictures are."""
    points, results, lowered = points_of(before, POINTS, 1), outcomes(material), lower(material)
    pictures = {}
    held = read_ids(lower(before), before)
    for uniform, image in points.leaves.items():
        if isinstance(image, Image):
            pictures[_plain(held.get(uniform, uniform), known)] = image
    leaves = {name: rows for name, rows in points.leaves.items() if ":" not in name}
    values, ids = uniform_values(lowered, material, {}), read_ids(lowered, material)
    for name, source in lowered.uniforms.items():
        parameter = material.parameter(source.parameter) if source.parameter else None
        if isinstance(values[name], Image):
            leaves[name] = pictures[_plain(ids[name], textures)]
        elif parameter and parameter.identifier in points.values:
            parts = np.float32(points.values[parameter.identifier])
            leaves[name] = parts if parts.size == 1 else parts[:, None]
        else:
            parts = np.float32(values[name])
            leaves[name] = parts if parts.size == 1 else parts[:, None]
    with np.errstate(all="ignore"):
        got = evaluate([results[name] for name in points.wanted], leaves)
    rows = np.hstack([as_rows(got[results[name]], POINTS) for name in points.wanted])
    sound = np.hstack([np.isfinite(each) for each in points.wanted.values()])
    return np.where(sound, rows, 0.0)


def _plain(texture_id: str, textures: Any) -> str:
    """The name of a texture in small letters: that of its file comes back as its name."""
    texture = textures.get(texture_id)
    return texture.name.lower() if texture else texture_id


def test_documents_are_sound_and_the_same_each_time(delivered: tuple[Project, Path], tmp_path: Path) -> None:
    _, folder = delivered
    for file in folder.glob("*.mtlx"):
        document = mx.createDocument()
        mx.readFromXmlFile(document, str(file))
        document.setDataLibrary(library())
        assert document.validate() == (True, ""), file.name
    kettle = (folder / "kettle_metal.mtlx").read_text()
    assert kettle.count("<surfacematerial ") == kettle.count("<look ") == 8
    assert '<mix name="ramp_colour" type="color4"' in (folder / "height_ramp.mtlx").read_text()


def test_a_snippet_goes_out_as_a_definition_and_comes_back_as_a_snippet(tmp_path: Path) -> None:
    m = Authoring("Bands")
    spread = m.expose("Spread", 2.0, limits=(0.1, 10))
    height = m.add("position").into("separate").y
    scaled = height / spread
    wave = m.add("sine", angle=scaled, name="Swell")
    m.add("surface", roughness=m.add("remap", value=wave, low=-1.0, high=1.0))
    project = m.into_project(Project(name="Mine"))
    inside = [key for key, node in project.materials["bands"].nodes.items() if node.type in ("divide", "sine")]
    project = snippet_made(project, "bands", inside)
    before = project.materials["bands"]
    made = documents(project, [before], {}, tmp_path, silent)
    file = tmp_path / "bands.mtlx"
    file.write_text(str(made["bands.mtlx"]))
    found = read_document(file)
    (snippet,) = found.snippets.values()
    assert {node.type for node in snippet.nodes.values()} >= {"divide", "sine", "snippet_input", "snippet_output"}
    assert computed(found.materials[0], before, {}, {}) == pytest.approx(computed(before, before, {}, {}), abs=1e-6)


# Documents from elsewhere

_WIDTHS = {"float": 1, "vector2": 2, "vector3": 3, "vector4": 4, "color3": 3, "color4": 4}
_APART = {"ramp", "splitlr", "splittb", "geomcolor", "geompropvalue", "normal", "tangent", "bitangent", "asin", "acos"}
_APART |= {
    "worleynoise2d",
    "worleynoise3d",
    "transformnormal",
    "time",
    "tiledhexagons",
    "unifiednoise2d",
    "unifiednoise3d",
    "heighttonormal",
    "bump",
    "UsdPrimvarReader",
}
"""Nodes that are not compared by points that do not lie beside each other, or are coarse in drivers."""


FRAME = ("normal", "tangent", "bitangent", "viewdirection")


def _chosen() -> list[Any]:
    """Of each kind of standard node that computes with numbers, the definition for colours or vectors of three."""
    found: dict[str, Any] = {}
    for nodedef in library().getNodeDefs():
        group, category = nodedef.getNodeGroup(), nodedef.getNodeString()
        types = {each.getType() for each in nodedef.getActiveInputs()} - {"integer", "boolean", "string"}
        if group in ("pbr", "material", "shader", "light", "translation", "convolution2d") or category in _APART:
            continue
        if not types or not types <= set(_WIDTHS) or nodedef.getType() not in _WIDTHS:
            continue
        if category not in found or nodedef.getType() in ("color3", "vector3"):
            found.setdefault(category, nodedef)
            if found[category].getType() not in ("color3", "vector3"):
                found[category] = nodedef
    return list(found.values())


def test_standard_nodes_are_read_as_what_the_standards_own_generator_draws(tmp_path: Path, gl: GlRenderer) -> None:
    chosen, remarks, compared = _chosen(), [], 0
    assert len(chosen) > 70
    for batch in (chosen[at : at + 4] for at in range(0, len(chosen), 4)):
        document, names = _document(batch)
        file = tmp_path / "standard.mtlx"
        file.write_text(mx.writeToXmlString(document))
        found = read_document(file)
        remarks += found.remarks
        if found.remarks:
            continue
        random = np.random.default_rng(3)
        place, at = random.uniform(0.05, 2.0, (COUNT, 3)), random.uniform(0.05, 0.95, (COUNT, 2))
        given = {"position": np.float32(place), "texcoord": np.float32(at)}
        given |= {each: units(random.normal(size=(COUNT, 3))) for each in FRAME}
        text = _generated(document)
        theirs = drawn(gl, text, given, optional=True)[:, :3]
        lowered = lower(found.materials[0])
        leaves: dict[str, Any] = {name: np.float32(parts)[:, None] for name, parts in _numbers(lowered, found)}
        leaves |= {"position_object": given["position"].T, "normal_world": given["normal"].T, "time": np.float32(0)}
        leaves |= {"uv": np.float32([at[:, 0], 1 - at[:, 1]]), "camera_position": -3 * given["viewdirection"].T}
        leaves |= {"position_world": np.zeros((3, 1), np.float32)}
        leaves |= {f"{each}_world": given[each].T for each in ("tangent", "bitangent")}
        for axis, name in enumerate("xyz"):
            leaves[f"object_{name}"] = np.eye(3, dtype=np.float32)[axis][:, None]
        leaves["object_position"] = np.zeros((3, 1), np.float32)
        wanted = lowered.surface["base_colour"]
        with np.errstate(all="ignore"):
            ours = as_rows(evaluate([wanted], leaves)[wanted], COUNT)
        sound = np.isfinite(theirs) & np.isfinite(ours)
        assert sound.mean() > 0.4, names
        off = np.abs(ours - theirs)[sound] / np.maximum(np.abs(theirs[sound]), 1)
        assert (off > 5e-5).mean() < 0.01, (names, off.max())
        compared += len(batch)
    assert compared > 95 and not remarks


def _numbers(lowered: Any, found: Any) -> list[tuple[str, Any]]:
    return list(uniform_values(lowered, found.materials[0], {}).items())


def _document(batch: list[Any]) -> tuple[Any, list[str]]:
    """A document whose surface is the sum of what some nodes give, each fed by the point's position."""
    random, document = np.random.default_rng(5), mx.createDocument()
    place = document.addNode("position", "place", "vector3")
    place.addInput("space", "string").setValueString("object")
    total = ""
    for number, nodedef in enumerate(batch):
        node = document.addNodeInstance(nodedef, f"node_{number}")
        fed = False
        for port in nodedef.getActiveInputs():
            name, type_ = port.getName(), port.getType()
            if port.getAttribute("defaultgeomprop") or type_ == "string":
                continue
            if type_ in ("boolean", "integer"):
                node.addInput(name, type_).setValueString(port.getValueString())
            elif not fed and not port.getIsUniform():
                fed = True
                node.addInput(name, type_).setNodeName(_converted(document, "place", "vector3", type_, f"in_{number}"))
            else:
                low, high = (0.05, 0.35) if "low" in name or name == "min" else (0.6, 0.95)
                parts = random.uniform(low, high, _WIDTHS[type_])
                node.addInput(name, type_).setValueString(", ".join(f"{part:.4f}" for part in parts))
        shown = _converted(document, f"node_{number}", nodedef.getType(), "color3", f"out_{number}")
        if total:
            joined = document.addNode("add", f"sum_{number}", "color3")
            joined.addInput("in1", "color3").setNodeName(total)
            joined.addInput("in2", "color3").setNodeName(shown)
            shown = f"sum_{number}"
        total = shown
    shader = document.addNode("surface_unlit", "shader", "surfaceshader")
    shader.addInput("emission_color", "color3").setNodeName(total)
    document.addNode("surfacematerial", "made", "material").addInput("surfaceshader", "surfaceshader").setNodeName(
        "shader"
    )
    document.addOutput("chosen", "color3").setNodeName(total)
    return document, [each.getName() for each in batch]


def _converted(document: Any, node: str, given: str, wanted: str, name: str) -> str:
    if given == wanted:
        return node
    if wanted == "float":
        made = document.addNode("extract", name, "float")
        made.addInput("index", "integer").setValueString("0")
    else:
        made = document.addNode("convert", name, wanted)
    made.addInput("in", given).setNodeName(node)
    return name


def _generated(document: Any, output: Any = None) -> str:
    document.setDataLibrary(library())
    generator = mx_glsl.GlslShaderGenerator.create()
    context = mx_shader.GenContext(generator)
    context.registerSourceCodeSearchPath(mx.getDefaultDataSearchPath())
    context.getOptions().shaderInterfaceType = mx_shader.ShaderInterfaceType.SHADER_INTERFACE_COMPLETE
    return str(generator.generate("chosen", output or document.getOutput("chosen"), context).getSourceCode("pixel"))


LAYERS = """<materialx version="1.39">
  <nodegraph name="pattern">
    <input name="octaves" type="integer" value="3" uisoftmin="1" uisoftmax="8" />
    <input name="diminish" type="float" value="0.6" />
    <position name="place" type="vector3" />
    <fractal3d name="noise" type="float">
      <input name="octaves" type="integer" interfacename="octaves" />
      <input name="diminish" type="float" interfacename="diminish" />
      <input name="position" type="vector3" nodename="place" />
    </fractal3d>
    <output name="out" type="float" nodename="noise" />
  </nodegraph>
</materialx>
"""


@pytest.mark.parametrize("octaves", [1, 3, 8])
def test_how_many_layers_a_noise_has_stays_a_parameter(octaves: int, tmp_path: Path, gl: GlRenderer) -> None:
    file = tmp_path / "layers.mtlx"
    file.write_text(LAYERS)
    found = read_document(file)
    (material,) = found.materials
    assert not found.remarks and [each.identifier for each in material.parameters] == ["octaves", "diminish"]
    document = mx.createDocument()
    mx.readFromXmlString(document, LAYERS.replace('value="3"', f'value="{octaves}"'))
    place = np.float32(np.random.default_rng(2).uniform(0.05, 2.0, (COUNT, 3)))
    theirs = drawn(gl, _generated(document, document.getNodeGraph("pattern").getOutput("out")), {"position": place})[
        :, 0
    ]
    lowered = lower(material)
    leaves: dict[str, Any] = dict(uniform_values(lowered, material, {"octaves": float(octaves)}).items())
    leaves = {name: np.float32(parts)[:, None] for name, parts in leaves.items()}
    shown = lowered.surface["base_colour"]
    ours = evaluate([shown], leaves | {"position_object": place.T})[shown][0]
    assert ours == pytest.approx(theirs, abs=2e-5)


RELIEF = """<materialx version="1.39">
  <texcoord name="at" type="vector2" />
  <multiply name="turns" type="vector2">
    <input name="in1" type="vector2" nodename="at" /><input name="in2" type="vector2" value="9.0, 7.0" />
  </multiply>
  <dotproduct name="sum" type="float">
    <input name="in1" type="vector2" nodename="turns" /><input name="in2" type="vector2" value="1, -1" />
  </dotproduct>
  <sin name="height" type="float"><input name="in" type="float" nodename="sum" /></sin>
  <heighttonormal name="relief" type="vector3">
    <input name="in" type="float" nodename="height" /><input name="scale" type="float" value="2.5" />
  </heighttonormal>
  <surface_unlit name="shader" type="surfaceshader">
    <input name="emission_color" type="color3" nodename="colour" />
  </surface_unlit>
  <convert name="colour" type="color3"><input name="in" type="vector3" nodename="relief" /></convert>
  <surfacematerial name="made" type="material">
    <input name="surfaceshader" type="surfaceshader" nodename="shader" />
  </surfacematerial>
</materialx>
"""


def test_a_heights_normal_is_the_standards(tmp_path: Path, gl: GlRenderer) -> None:
    """Theirs takes the slope from pixels beside each other, ours differentiates: they agree as pixels get small."""
    file, side = tmp_path / "relief.mtlx", 2000
    file.write_text(RELIEF)
    found = read_document(file)
    assert not found.remarks
    document = mx.createDocument()
    mx.readFromXmlString(document, RELIEF)
    document.addOutput("chosen", "vector3").setNodeName("relief")
    text = _generated(document).replace("vd.texcoord_0.xy", f"(gl_FragCoord.xy / {side}.0)")
    theirs = drawn(gl, text, {}, height=4)[:, :3]
    lowered = lower(found.materials[0])
    leaves: dict[str, Any] = {name: np.float32(parts)[:, None] for name, parts in _numbers(lowered, found)}
    u = (np.arange(COUNT) + 0.5) / side
    for axis, way in (("", None), ("_dx", (1.0 / side, 0.0)), ("_dy", (0.0, -1.0 / side))):
        leaves[f"uv{axis}"] = np.float32([u, np.full(COUNT, 1 - 0.5 / side)] if way is None else [*zip(way)])
    wanted = lowered.surface["base_colour"]
    ours = as_rows(evaluate([wanted], leaves)[wanted], COUNT)[:, :3]
    assert ours == pytest.approx(theirs, abs=2e-3) and np.ptp(ours[:, 0]) > 0.3


@pytest.mark.parametrize(("name", "wanted"), [("st", 0.25), ("displayColor", 0.5), ("temperature", 0.75)])
def test_a_property_of_geometry_is_taken_by_its_usual_name(name: str, wanted: float, tmp_path: Path) -> None:
    """What geometry has here by the names that programs give it (common practice); else the node's own default."""
    file = tmp_path / "property.mtlx"
    file.write_text(
        f"""<materialx version="1.39"><nodegraph name="pattern">
        <geompropvalue name="asked" type="float"><input name="geomprop" type="string" value="{name}" />
        <input name="default" type="float" value="0.75" /></geompropvalue>
        <output name="out" type="float" nodename="asked" /></nodegraph></materialx>"""
    )
    found = read_document(file)
    assert bool(found.remarks) == (name == "temperature")
    lowered = lower(found.materials[0])
    leaves: dict[str, Any] = {each: np.float32(parts)[:, None] for each, parts in _numbers(lowered, found)}
    leaves |= {"uv": np.float32([[0.25], [0.1]]), "vertex_color": np.float32([[0.5], [0.1], [0.2], [1.0]])}
    leaves["has_vertex_color"] = np.float32([[1.0]])
    shown = lowered.surface["base_colour"]
    assert evaluate([shown], leaves)[shown][0, 0] == pytest.approx(wanted)


STANDARD_SURFACE = """<materialx version="1.39">
  <nodegraph name="pattern">
    <input name="tint" type="color3" value="0.8, 0.2, 0.1" uiname="Tint" uifolder="Look" uimin="0, 0, 0" />
    <image name="bark" type="color3">
      <input name="file" type="filename" value="bark.png" colorspace="srgb_texture" />
    </image>
    <multiply name="tinted" type="color3" xpos="2" ypos="1">
      <input name="in1" type="color3" nodename="bark" /><input name="in2" type="color3" interfacename="tint" />
    </multiply>
    <output name="out" type="color3" nodename="tinted" />
  </nodegraph>
  <standard_surface name="shader" type="surfaceshader">
    <input name="base" type="float" value="0.5" />
    <input name="base_color" type="color3" nodegraph="pattern" output="out" />
    <input name="specular_roughness" type="float" value="0.25" />
    <input name="emission" type="float" value="2.0" />
    <input name="emission_color" type="color3" value="0.1, 0.2, 0.3" />
    <input name="subsurface" type="float" value="0.4" />
  </standard_surface>
  <surfacematerial name="bark_look" type="material">
    <input name="surfaceshader" type="surfaceshader" nodename="shader" />
  </surfacematerial>
</materialx>
"""


def test_a_standard_surface_comes_as_the_standards_translation_has_it(tmp_path: Path) -> None:
    """By standard_surface_to_gltf_pbr of the MaterialX 1.39 libraries: base times base colour, roughness as it is."""
    file, folder = tmp_path / "bark.mtlx", tmp_path / "project"
    file.write_text(STANDARD_SURFACE)
    write_demo(folder)
    picture = next((folder / "textures").glob("*.png"), None) or next(folder.rglob("*.png"))
    (tmp_path / "bark.png").write_bytes(picture.read_bytes())
    brought = bring_in_document(file, folder)
    project, (material_id,) = brought.into(open_project(folder).project)
    material = project.materials[material_id]
    assert any("subsurface" in each for each in brought.found.remarks)
    (tint,) = material.parameters
    assert (tint.label, tint.group, tint.default, tint.alpha) == ("Tint", "Look", (0.8, 0.2, 0.1, 1.0), False)
    (texture,) = (each for each in brought.found.textures.values())
    assert texture.encoding == "colour" and (folder / texture.file).is_file()
    lowered = lower(material)
    texel = (0.5, 0.4, 0.25, 1.0)
    leaves: dict[str, Any] = {"uv": np.float32([[0.3], [0.6]]), "normal_world": np.float32([[0], [1], [0]])}
    leaves |= {"tangent_world": np.float32([[1], [0], [0]])}
    for name, parts in uniform_values(lowered, material, {}).items():
        image = Image(np.full((2, 2, 4), texel, np.float32), "data")
        leaves[name] = image if isinstance(parts, Image) else np.float32(parts)[:, None]
    got = evaluate(list(lowered.surface.values()), leaves)
    shown = {name: np.ravel(got[expr]) for name, expr in lowered.surface.items()}
    assert shown["base_colour"] == pytest.approx(np.array(texel[:3]) * (0.8, 0.2, 0.1) * 0.5, rel=1e-6)
    assert shown["roughness"] == pytest.approx([0.25]) and shown["emissive"] == pytest.approx([0.2, 0.4, 0.6])
    assert shown["metallic"] == pytest.approx([0.0])  # by default no metal, which a surface of glTF would be


def test_what_a_document_says_and_nothing_takes_is_told_and_what_it_does_not_say_is_not(tmp_path: Path) -> None:
    file = tmp_path / "wall.mtlx"
    file.write_text(WALL)
    found = read_document(file)
    (told,) = found.remarks
    assert "clearcoat" in told and "sheen_color" in told and "transmission" not in told and "iridescence" not in told
    (material,) = found.materials
    courses = next(each for each in material.parameters if each.label == "Courses")
    assert courses.default == 9.0 and courses.group == "Bricks"  # nothing reads it, and it is kept


WALL = """<?xml version="1.0"?>
<materialx version="1.38" colorspace="lin_rec709">
  <nodegraph name="NG_wall">
    <input name="brick_tint" type="color3" value="0.62, 0.25, 0.18" uiname="Brick tint" uifolder="Bricks"/>
    <input name="courses" type="float" value="9" uimin="1" uimax="40" uiname="Courses" uifolder="Bricks"/>
    <dot name="colour" type="color3"><input name="in" type="color3" interfacename="brick_tint"/></dot>
    <output name="base" type="color3" nodename="colour"/>
  </nodegraph>
  <standard_surface name="SR_wall" type="surfaceshader">
    <input name="base_color" type="color3" nodegraph="NG_wall" output="base"/>
    <input name="coat" type="float" value="0.5"/>
    <input name="sheen" type="float" value="0.2"/>
  </standard_surface>
  <surfacematerial name="Wall" type="material">
    <input name="surfaceshader" type="surfaceshader" nodename="SR_wall"/>
  </surfacematerial>
</materialx>
"""


HEAD = '<materialx version="1.39">'
GRAPH = HEAD + '<nodegraph name="g">{}<output name="out" type="float" nodename="x"/></nodegraph></materialx>'
NODE = '<{} name="{}" type="float">{}</{}>'
TAKES = '<input name="{}" type="{}" {}="{}"/>'


def node(category: str, name: str, *inputs: tuple[str, str, str, str]) -> str:
    return NODE.format(category, name, "".join(TAKES.format(*each) for each in inputs), category)


CIRCLE = "".join(node("add", one, ("in1", "float", "nodename", other)) for one, other in ("xy", "yx"))
BAD = {
    "no XML": ("hello", "no sound MaterialX document"),
    "entities": ('<!DOCTYPE x [<!ENTITY a "aaaa">]><materialx version="1.39"/>', "declares entities"),
    "a circle": (GRAPH.format(CIRCLE), "x feeds itself"),
    "no number": (GRAPH.format(node("constant", "x", ("value", "float", "value", "1e999"))), "“1e999” is not 1 number"),
    "nothing in it": (HEAD + "</materialx>", "holds nothing"),
    "no material": (HEAD + '<constant name="x" type="float"/></materialx>', "no material"),
    "another file's text": (HEAD + '<xi:include href="/etc/passwd"/></materialx>', "holds nothing"),
}


@pytest.mark.parametrize("case", BAD)
def test_a_bad_document_is_refused_in_one_sentence(case: str, tmp_path: Path) -> None:
    file = tmp_path / "bad.mtlx"
    file.write_text(BAD[case][0])
    with pytest.raises(BadFile) as caught:
        read_document(file)
    assert "bad.mtlx" in str(caught.value) and BAD[case][1] in str(caught.value) and "\n" not in str(caught.value)


def test_what_a_document_names_and_is_not_there_is_told_and_the_rest_comes(tmp_path: Path) -> None:
    file, folder = tmp_path / "odd.mtlx", tmp_path / "project"
    image = node("image", "i", ("file", "filename", "value", "../../etc/passwd"))
    total = node("add", "x", ("in1", "float", "nodename", "i"), ("in2", "float", "nodename", "f"))
    file.write_text(GRAPH.format(image + node("frobnicate", "f") + total))
    folder.mkdir()
    brought = bring_in_document(file, folder)
    told = " ".join(brought.found.remarks)
    assert "points outside its folder" in told and "frobnicate, which is not known" in told
    project, ids = brought.into(Project(name="Mine"))
    project, more = brought.into(changed(project, textures={}))
    assert len({*ids, *more}) == 2 and {each.name for each in project.materials.values()} == {"g", "g 2"}
    assert not any(folder.iterdir())
