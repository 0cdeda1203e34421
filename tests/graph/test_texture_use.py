"""Images are read as what they are for: colours decoded, numbers as they are, as glTF 2.0 has it (section 3.9.2)."""

from __future__ import annotations

from collections.abc import Callable

import pytest

from soft_lantern.graph.authoring import Authoring, Wire
from soft_lantern.graph.document import Material, Project, Texture, changed
from soft_lantern.graph.edits import connect, type_value
from soft_lantern.graph.instances.values import edited_graph, put_material
from soft_lantern.graph.notices.project import check_textures
from soft_lantern.graph.texture_use import uses

Body = Callable[[Authoring, Wire], None]


def normal(m: Authoring, texel: Wire) -> None:
    m.add("surface", normal=m.add("normal_to_world", normal=m.add("decode_normal", colour=texel)))


def roughness(m: Authoring, texel: Wire) -> None:
    m.add("surface", roughness=m.add("separate_colour", colour=texel).g)


def mask(m: Authoring, texel: Wire) -> None:
    m.add("surface", base_colour=m.add("mix", a="#112233", b="#ddeeff", factor=m.add("channel_mask", colour=texel)))


def base_colour(m: Authoring, texel: Wire) -> None:
    m.add("surface", base_colour=texel)


def tinted(m: Authoring, texel: Wire) -> None:
    m.add("surface", base_colour=m.add("multiply_tint", colour=m.add("elbow", value=texel), tint="#ff8800"))


def alpha_alone(m: Authoring, texel: Wire) -> None:
    m.add("surface", base_colour=texel, alpha=texel.alpha)


def material(body: Body) -> Material:
    m = Authoring("M")
    body(m, m.add("image", texture="picture"))
    return m.material


def project(encoding: str) -> Project:
    texture = Texture(id="picture", name="Picture", file="images/p.png", encoding=encoding)  # type: ignore[arg-type]
    return Project(name="P", textures={"picture": texture})


@pytest.mark.parametrize(
    ("body", "wanted"),
    [
        (normal, "data"),
        (roughness, "data"),
        (mask, "data"),
        (base_colour, "colour"),
        (tinted, "colour"),
        (alpha_alone, "colour"),
    ],
)
def test_what_an_image_is_wired_into_says_how_it_is_read(body: Body, wanted: str) -> None:
    whole = material(body)
    assert uses(whole) == {"picture": {wanted}}
    other = "colour" if wanted == "data" else "data"
    # The last wire on the way makes it so, in the same edit.
    image = next(i for i, n in whole.nodes.items() if n.type == "image")
    loose = changed(whole, wires={into: out for into, out in whole.wires.items() if not out.startswith(f"{image}.")})
    before = put_material(project(other), loose)

    def wired(graph: Material) -> Material:
        for into, out in whole.wires.items():
            graph = connect(graph, out, into)
        return graph

    after = edited_graph(before, loose.id, wired)
    assert after.textures["picture"].encoding == wanted
    assert edited_graph(after, loose.id, lambda g: g) is after


def test_an_image_that_is_loaded_where_data_is_wanted_is_read_as_data() -> None:
    empty = material(normal)
    image = next(i for i, n in empty.nodes.items() if n.type == "image")
    before = put_material(project("colour"), type_value(empty, image, "texture", ""))
    after = edited_graph(before, empty.id, lambda g: type_value(g, image, "texture", "picture"))
    assert after.textures["picture"].encoding == "data"


def test_a_choice_of_ones_own_stands_until_the_wires_change_and_is_told() -> None:
    whole = put_material(project("colour"), material(normal))
    (graph,) = whole.materials.values()
    (notice,) = [n for n in check_textures(whole, graph) if n.kind == "decoded-data"]
    kept = edited_graph(whole, graph.id, lambda g: changed(g, name="Other"))
    assert kept.textures["picture"].encoding == "colour"
    mended = notice.fixes[0].mended(whole, graph.id)
    assert mended.textures["picture"].encoding == "data" and not list(check_textures(mended, graph))


def test_an_image_that_two_graphs_want_differently_stays_as_it_is() -> None:
    both = put_material(project("colour"), changed(material(base_colour), id="a"))
    loose = changed(material(normal), id="b")
    image = next(i for i, n in loose.nodes.items() if n.type == "image")
    both = put_material(both, type_value(loose, image, "texture", ""))
    after = edited_graph(both, "b", lambda g: type_value(g, image, "texture", "picture"))
    assert after.textures["picture"].encoding == "colour"
    assert [n.kind for n in check_textures(after, after.materials["b"])] == ["decoded-data"]
