"""Baking a wire to a texture on the Build desk, by its command."""

from __future__ import annotations

import numpy as np

from by_hand import settled, until
from soft_lantern.app.window.window import MainWindow
from soft_lantern.graph.authoring import Authoring
from soft_lantern.graph.document import changed


def test_a_wire_becomes_a_texture_that_looks_the_same_and_undo_brings_it_back(window: MainWindow) -> None:
    m = Authoring("Stripes")
    u = m.add("texture_coordinates").into("separate_2").x
    m.add("surface", roughness=m.add("sine", angle=u * 25.0) * 0.4 + 0.5, base_colour=(0.8, 0.3, 0.1, 1.0))
    session, material = window.session, m.material
    session.apply("Add", lambda project: changed(project, materials={**project.materials, material.id: material}))
    session.open_material(material.id)
    before = settled(window)
    canvas = window.build.canvas
    window.commands.run("Bake the wire to a texture")
    assert "Select a wire" in window.status.message.text()
    (into,) = (each for each in material.wires if each.endswith(".roughness"))
    canvas.selected_wire = into
    textures = set(session.project.textures)
    window.commands.run("Bake the wire to a texture")
    until(lambda: set(session.project.textures) != textures)
    now = session.project.materials[material.id]
    assert {node.type for node in now.nodes.values()} == {"image", "separate_colour", "surface"}
    assert "128 × 128" in window.status.message.text() and "operations" in window.status.message.text()
    (new,) = set(session.project.textures) - textures
    assert (session.folder / session.project.textures[new].file).exists()
    until(lambda: not session.loading)
    assert np.abs(settled(window).astype(int) - before.astype(int)).mean() < 1.0
    session.undo.undo()
    assert session.project.materials[material.id] == material and set(session.project.textures) == textures
