"""Measures the open graph beside the window and tells what every wire came to."""

from __future__ import annotations

from collections.abc import Mapping

from msgspec import Struct, field
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QImage

from soft_lantern.app.widgets.pixel_image import rgba_image
from soft_lantern.app.work.beside import NewestAnswer
from soft_lantern.graph.document import Material, Project, Scene, View, node_of, port_ref
from soft_lantern.graph.expectations import Range, expected_by_outputs
from soft_lantern.graph.kinds import type_of
from soft_lantern.graph.lowering import Lowered, uniform_values
from soft_lantern.graph.notice import Notice, with_accepted
from soft_lantern.graph.notices.project import bounds_of, check_material
from soft_lantern.ir.interval import Interval
from soft_lantern.ir.numpy_reader import Array
from soft_lantern.render.measuring import Measured, Measuring
from soft_lantern.render.mesh_fit import unfit_meshes
from soft_lantern.render.points import Points, flat_card, on_objects
from soft_lantern.render.staging import LoweredMaterials
from soft_lantern.scene.mesh import Model
from soft_lantern.scene.transforms import camera_for
from soft_lantern.turns import give_way
from soft_lantern.values.images import Image
from soft_lantern.values.kinds import Value

SIDE = 96


class Question(Struct, frozen=True, eq=False):
    """What to measure: a material with values, on the flat card or on an object ("" is all) as the stage sees it."""

    material: Material
    values: dict[str, Value]
    time: float = 0.0
    on_object: bool = False
    object_id: str = ""
    scene: Scene | None = None
    models: dict[str, Model] | None = None
    view: View | None = None
    clip_view: bool = False
    probe: Points | None = None
    project: Project | None = None
    images: Mapping[str, Image] = field(default_factory=dict)
    loading: frozenset[str] = frozenset()


class Answer(Struct, frozen=True, eq=False):
    """What came of it: the measures, bounds and expected ranges of outputs, thumbnails by node, the probe's trace."""

    material: Material
    measured: Measured
    bounds: dict[str, Interval]
    expected: dict[str, Range]
    thumbnails: dict[str, QImage]
    trace: dict[str, tuple[float, ...]]
    lowered: Lowered
    notices: list[Notice]


class Measurer(QObject):
    """Asks are answered by `answered`, on the window's thread; only the newest counts."""

    answered = pyqtSignal(object)
    failed = pyqtSignal(str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._newest = NewestAnswer("measuring", self, self.answered.emit, self.failed.emit)
        self._answers = Answers()

    def ask(self, question: Question) -> None:
        """Measure; an ask not yet begun is dropped for this one."""
        answers = self._answers
        self._newest.ask(lambda: answers.answer(question))

    def stop(self) -> None:
        """End the thread."""
        self._newest.stop()


class Answers:
    """Works out one answer after another, keeping what the next may share. On one thread at a time."""

    def __init__(self) -> None:
        self._lowered_materials = LoweredMaterials()
        self._measuring, self._probing = Measuring(), Measuring()
        self._card = flat_card(SIDE)
        self._seen: tuple[object, Points | None] = (None, None)
        self._coarse_of: tuple[object, list[Notice]] = (None, [])
        self._pictures: dict[str, tuple[Array, bool, QImage]] = {}

    def answer(self, question: Question) -> Answer:
        """The answer to a question."""
        material = question.material
        lowered = self._lowered_materials.lowered(material)
        uniforms = uniform_values(lowered, material, question.values, question.images)
        measured = self._measuring.measure(lowered, uniforms, self._points(question), question.time)
        trace: dict[str, tuple[float, ...]] = {}
        if question.probe:
            trace = self._probing.measure(lowered, uniforms, question.probe, question.time).at(0)
        known = bounds_of(material, lowered, question.images)
        return Answer(
            material,
            measured,
            {wire: known[expr] for wire, expr in lowered.wires.items()},
            expected_by_outputs(material),
            self._thumbnails(material, lowered, measured, question.clip_view),
            trace,
            lowered,
            check_material(material, lowered, measured.statistics, measured.values, question.images, known)
            + with_accepted(material, self._coarse(question)),
        )

    def _coarse(self, question: Question) -> list[Notice]:
        """The meshes on the stage that are too coarse for the material's vertex offset."""
        project, scene, models = question.project, question.scene, question.models
        if project is None or scene is None or models is None:
            return []
        models = {i: m for i, m in models.items() if i not in question.loading}  # the rest is on its way
        key = (
            question.material,
            project.instances,
            project.assets,
            scene.objects,
            tuple(map(id, models.values())),
            question.images,
        )
        if self._coarse_of[0] != key:
            camera = camera_for(scene.view, (SIDE, SIDE))
            found = unfit_meshes(
                project,
                scene,
                models,
                camera,
                self._lowered_materials,
                question.images,
                question.material.id,
                question.time,
            )
            self._coarse_of = (key, list(found))
        return self._coarse_of[1]

    def _points(self, question: Question) -> Points:
        if not question.on_object or not question.scene or not question.view or question.models is None:
            return self._card
        key = (question.scene.objects, question.view, question.object_id, tuple(map(id, question.models.values())))
        if self._seen[0] != key:
            camera = camera_for(question.view, (SIDE, SIDE))
            size = (SIDE, SIDE)
            self._seen = (key, on_objects(question.scene, question.models, camera, size, question.object_id))
        return self._seen[1] or self._card

    def _thumbnails(
        self, material: Material, lowered: Lowered, measured: Measured, clip_view: bool
    ) -> dict[str, QImage]:
        kept: dict[str, tuple[Array, bool, QImage]] = {}
        for node_id, node in material.nodes.items():
            give_way()
            node_type = type_of(material, node)
            if not node.thumbnail or not node_type or not node_type.outputs:
                continue
            wire = port_ref(node_id, node_type.outputs[0].name)
            if wire not in measured.values:
                continue
            value = measured.values[wire]
            old = self._pictures.get(wire)
            if old and old[0] is value and old[1] == clip_view:
                kept[wire] = old
            else:
                kept[wire] = (
                    value,
                    clip_view,
                    rgba_image(measured.thumbnail(wire, lowered.kinds[wire], clip_view=clip_view)),
                )
        self._pictures = kept
        return {node_of(wire): image for wire, (_, _, image) in kept.items()}
