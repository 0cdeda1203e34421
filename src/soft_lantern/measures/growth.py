"""How long work takes on twice as much of a thing: on so many, and on as many again."""

from __future__ import annotations

import tempfile
from collections.abc import Callable
from functools import partial
from pathlib import Path

import numpy as np

from soft_lantern.demo.project import demo_project
from soft_lantern.formats.project_folder import open_project
from soft_lantern.formats.saving import save_project
from soft_lantern.graph.document import (
    Gradient,
    Instance,
    Material,
    Palette,
    Project,
    Scene,
    StageObject,
    Stop,
    changed,
)
from soft_lantern.graph.edits import type_value
from soft_lantern.graph.instances.look_tree import look_tree_of
from soft_lantern.graph.layout import tidy
from soft_lantern.graph.lowering import lower, uniform_values
from soft_lantern.graph.notices.project import check_material
from soft_lantern.graph.palettes.indexing import index_image, packed, unpacked
from soft_lantern.graph.ramps.images import shown_row
from soft_lantern.measures.ratio import ratio
from soft_lantern.render.measuring import Measuring
from soft_lantern.render.points import flat_card
from soft_lantern.render.staging import LoweredMaterials, StageOptions, frame_of
from soft_lantern.scene.mesh import Model
from soft_lantern.scene.primitives import primitive
from soft_lantern.scene.transforms import camera_for

FEWEST, MOST = 7, 49
"""Rounds; each has numbers of its own, of which there are a hundred."""
Work = Callable[[], object]


def growths(graph: Callable[[int], Material]) -> dict[str, Callable[[], float]]:
    """What tells seconds for twice as many over seconds for so many, by what there is more of.

    `graph`: one of so many nodes.
    """
    made: dict[str, tuple[Callable[[int], Work], int]] = {
        "lowering a graph of 1,000 nodes": (partial(_lowering, graph), 1000),
        "one edit of a lowered graph of 1,000 nodes": (partial(_editing, graph), 1000),
        "the notices of a graph of 500 nodes": (partial(_diagnosing, graph), 500),
        "thumbnails and ranges of 200 nodes": (partial(_measuring, graph), 200),
        "tidying a graph of 500 nodes": (partial(_tidying, graph), 500),
        "the frame of 300 objects": (_staging, 300),
        "opening a project of 1,500 instances": (_opening, 1500),
        "the family tree of 2,500 instances": (_branching, 2500),
        "a gradient of 100 stops": (_shading, 100),
        "indices by a palette of 128 cells": (_indexing, 128),
    }
    return {what: partial(_growth, *each) for what, each in made.items()}


def _growth(made: Callable[[int], Work], count: int) -> float:
    one, other = made(count), made(2 * count)
    return ratio(lambda _: other(), lambda _: one(), FEWEST, MOST)


def _lowering(graph: Callable[[int], Material], count: int) -> Work:
    material = graph(count)
    return lambda: lower(changed(material, name=material.name))  # a record of its own, of which nothing is known


def _editing(graph: Callable[[int], Material], count: int) -> Work:
    held = [graph(count)]
    lower(held[0])
    node = next(node_id for node_id, node in held[0].nodes.items() if node.type == "add")
    numbers = iter(range(1, 1000))

    def edit() -> None:
        held[0] = type_value(held[0], node, "b", next(numbers) / 1000)
        lower(held[0])

    return edit


def _diagnosing(graph: Callable[[int], Material], count: int) -> Work:
    material = graph(count)
    lowered = lower(material)
    return lambda: check_material(material, lowered)


def _measuring(graph: Callable[[int], Material], count: int) -> Work:
    material, card, measuring = graph(count), flat_card(96), Measuring()
    lowered = lower(material)
    weights = iter(np.linspace(0.1, 0.9, 100))

    def measure() -> None:
        values = uniform_values(lowered, material, {"weight": float(next(weights))})
        done = measuring.measure(lowered, values, card, 0.0)
        for wire in done.values:
            done.thumbnail(wire, lowered.kinds[wire])

    return measure


def _tidying(graph: Callable[[int], Material], count: int) -> Work:
    material = graph(count)
    return lambda: tidy(changed(material, name=material.name))


def _staging(count: int) -> Work:
    models = {"ball": Model((primitive("sphere", 16).parts[0],))}
    objects = tuple(StageObject(id=f"o{n}", name=f"O{n}", asset="ball", position=(n, 0, 0)) for n in range(count))
    scene, looks = Scene(id="s", name="S", objects=objects), LoweredMaterials()
    camera, project = camera_for(scene.view, (320, 200)), Project(name="Many")
    return lambda: frame_of(project, scene, models, camera, (320, 200), StageOptions(), looks)


def _many(count: int) -> Project:
    project = demo_project()
    one = project.instances["copper"]
    copies = {
        f"i{n}": changed(one, id=f"i{n}", name=f"I{n}", parent=f"i{n // 8}" if n > 8 else one.id) for n in range(count)
    }
    return changed(project, instances=project.instances | copies)


def _opening(count: int) -> Work:
    folder = tempfile.TemporaryDirectory(prefix="lantern-")
    save_project(_many(count), Path(folder.name) / "p")
    return lambda: open_project(Path(folder.name) / "p")


def _branching(count: int) -> Work:
    project = _many(count)
    names = iter(range(1000))

    def branch() -> None:
        one: Instance = project.instances["copper"]
        look_tree_of(changed(project, instances=project.instances | {"copper": changed(one, name=f"{next(names)}")}))

    return branch


def _shading(count: int) -> Work:
    chance = np.random.default_rng(1)
    colours = ((float(red), float(green), float(blue), 1.0) for red, green, blue in chance.random((count, 3)))
    stops = tuple(Stop(at=n / count, colour=colour) for n, colour in enumerate(colours))
    gradient = Gradient(id="g", name="G", stops=stops)
    return lambda: shown_row(changed(gradient, name="G"), 1024)


def _indexing(count: int) -> Work:
    chance = np.random.default_rng(1)
    pixels = chance.integers(0, 256, (256, 256, 4), dtype=np.uint8)
    own = unpacked(np.unique(packed(pixels))[:count])
    colours = tuple((float(red), float(green), float(blue), 1.0) for red, green, blue in own / 255)
    palette = Palette(id="p", name="P", colours=colours)
    return lambda: index_image(pixels, palette, 32)
