"""The records a project is made of. All are immutable; an edit makes new ones and shares what did not change.

Ids are stable: wires, overrides and worn looks refer to ids, so names and identifiers may change freely. Lengths are
metres, angles degrees, colours linear RGBA.
"""

from __future__ import annotations

import os
from collections.abc import Callable
from typing import Any, Literal, TypeVar

import msgspec

from soft_lantern.errors import BadEdit
from soft_lantern.nodes import Role, role_of
from soft_lantern.values.kinds import Kind, Value

FORMAT_VERSION = 1

Vector = tuple[float, float, float]


class Record(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True, forbid_unknown_fields=True):
    """The base of every record. `unknown`: fields of its file that this version does not know, kept as they are.

    A decoder refuses such fields; `formats.records` puts them there.
    """

    unknown: dict[str, Any] = {}


class Node(Record, frozen=True, kw_only=True):
    """One node of a graph: its type's key, what people call it, its place, and what is typed into it."""

    type: str
    name: str = ""
    x: float = 0.0
    y: float = 0.0
    values: dict[str, Value] = {}
    settings: dict[str, str] = {}
    thumbnail: bool = True

    @property
    def role(self) -> Role:
        """What the node is there for, by its type."""
        return role_of(self.type)


class Accepted(Record, frozen=True, kw_only=True):
    """A notice the author has looked at and lets stand: its kind, node and port, and why."""

    kind: str
    node: str = ""
    port: str = ""
    remark: str = ""


class Note(Record, frozen=True, kw_only=True):
    """A note area on the canvas: a titled rectangle behind the slips that lie in it."""

    id: str
    title: str
    x: float
    y: float
    width: float
    height: float


class Parameter(Record, frozen=True, kw_only=True):
    """A value exposed to designers. `low` and `high` are hard limits: no instance can leave them.

    `soft_low` and `soft_high` are the ends of its slider alone; `scale`: how the slider runs between them.
    `choices`: what the whole numbers from 0 mean, for a number that is chosen from a drop-down instead of set.
    `use`: what the number or vector is, where that is more than its kind says. `alpha` and `hdr`: whether a
    colour's alpha is offered, and whether it may be brighter than white. `advanced`: folded away until asked for.
    `shown_when`: the id of a switch or choice, and `shown_value` what it must be for this to be offered.
    `reference`: a linear RGBA colour to match, shown beside the control. `shipped`: its identifier has gone out to
    others, and stays what it is when the label changes.
    """

    id: str
    identifier: str
    label: str
    kind: Kind
    default: Value
    group: str = ""
    tooltip: str = ""
    low: float | None = None
    high: float | None = None
    step: float | None = None
    unit: str = ""
    control: Literal["slider", "field"] = "field"
    choices: tuple[str, ...] = ()
    soft_low: float | None = None
    soft_high: float | None = None
    scale: Literal["linear", "log", "stops"] = "linear"
    use: Literal["", "whole", "switch", "direction", "scale", "range"] = ""
    alpha: bool = True
    hdr: bool = False
    advanced: bool = False
    shown_when: str = ""
    shown_value: float = 1.0
    reference: tuple[float, float, float, float] | None = None
    shipped: bool = False


class Preset(Record, frozen=True, kw_only=True):
    """A named set of values of a material, by parameter id."""

    name: str
    values: dict[str, Value] = {}


class Material(Record, frozen=True, kw_only=True):
    """A graph and the parameters it exposes. `wires` maps an input "node.port" to the output "node.port" feeding it.

    A snippet is such a graph too, with snippet inputs and outputs among its nodes. `snippets` holds those a graph uses,
    theirs included, by id; they come from the project and are not part of the material's file. `retired`: parameters
    that are exposed no longer, so that instances' values for them can be named, and count again if one comes back.
    """

    id: str
    name: str
    nodes: dict[str, Node] = {}
    wires: dict[str, str] = {}
    parameters: tuple[Parameter, ...] = ()
    retired: tuple[Parameter, ...] = ()
    presets: tuple[Preset, ...] = ()
    accepted: tuple[Accepted, ...] = ()
    notes: tuple[Note, ...] = ()
    thumbnail_size: float = 44.0
    snippets: dict[str, Material] = {}

    def node(self, node_id: str) -> Node:
        """The node of that id. Raises BadEdit where there is none."""
        found = self.nodes.get(node_id)
        if found is None:
            raise BadEdit("that node is gone")
        return found

    def parameter(self, parameter_id: str) -> Parameter | None:
        """The parameter of that id."""
        return next((p for p in self.parameters if p.id == parameter_id), None)


class Texture(Record, frozen=True, kw_only=True):
    """An image file inside the project folder, and how it is read.

    `encoding` "colour": sRGB-encoded; "data": the numbers as they are. `filter` and `wrap` as samplers of glTF 2.0.
    `indexes`: the id of the palette whose cells its red and green name, for a sprite of indices.
    """

    id: str
    name: str
    file: str = ""
    encoding: Literal["colour", "data"] = "colour"
    filter: Literal["linear", "nearest"] = "linear"
    wrap: Literal["repeat", "clamp", "mirror"] = "repeat"
    indexes: str = ""


class Stop(Record, frozen=True, kw_only=True):
    """One colour of a gradient, linear RGBA, and where it stands from 0 to 1.

    `shape`: how the way from here to the next stop goes: straight, held until it, smoothstep, quadratic from or into.
    """

    at: float
    colour: tuple[float, float, float, float]
    shape: Literal["linear", "constant", "smooth", "ease in", "ease out"] = "linear"


class AlphaStop(Record, frozen=True, kw_only=True):
    """One alpha of a gradient, and where it stands from 0 to 1."""

    at: float
    alpha: float


class Gradient(Record, frozen=True, kw_only=True):
    """Colours along a line from 0 to 1. `mixing`: the space in which what lies between two stops is mixed.

    `hue`: of OKLCH, which way round, as in CSS Color 4. `alphas`: where there are any, alpha has
    these stops of its own.
    """

    id: str
    name: str
    stops: tuple[Stop, ...] = ()
    mixing: Literal["linear", "srgb", "oklab", "oklch"] = "oklab"
    hue: Literal["shorter", "longer", "increasing", "decreasing"] = "shorter"
    alphas: tuple[AlphaStop, ...] = ()


class Palette(Record, frozen=True, kw_only=True):
    """Linear RGBA colours, looked up by index in a square of cells.

    `side`: cells along an edge, with spare room; 0 is the least that holds all. `swaps`: the id of the palette in whose
    place this one can stand, for the same indices. `locked`: the places of colours that generating leaves alone.
    """

    id: str
    name: str
    colours: tuple[tuple[float, float, float, float], ...] = ()
    side: int = 0
    swaps: str = ""
    locked: tuple[int, ...] = ()


class Instance(Record, frozen=True, kw_only=True):
    """A tuned set of values. `parent` is a material's or an instance's id; `values` holds overrides by parameter id.

    An override whose parameter no longer exists stays here untouched, and counts again if it comes back.
    `locks`: parameters that no descendant may set; what one holds for them does not count while they are locked.
    `folder` and `tags` are for finding it. `hue` (degrees), `saturation` and `brightness` (shares) are added to all its
    colours and those of its descendants (`graph.instances.shade`). `limits`: between which it and its descendants keep
    a parameter, narrower than the author's; null where as above.
    """

    id: str
    name: str
    parent: str
    values: dict[str, Value] = {}
    locks: tuple[str, ...] = ()
    folder: str = ""
    tags: tuple[str, ...] = ()
    favourite: bool = False
    hue: float = 0.0
    saturation: float = 0.0
    brightness: float = 0.0
    limits: dict[str, tuple[float | None, float | None]] = {}


class Snapshot(Record, frozen=True, kw_only=True):
    """How a look was at a moment, kept with a remark: all its values, by parameter id."""

    id: str
    look: str
    remark: str = ""
    values: dict[str, Value] = {}


class Pick(Record, frozen=True, kw_only=True):
    """Looks of which each object that wears this gets one by chance, the same one as long as the seed stays.

    `weights`: how often each look is got beside the others, in their order; 1 where there is none. `even`: as often as
    that among the objects of a scene that wear this, to the whole object, rather than by each one's own chance.
    """

    id: str
    name: str
    looks: tuple[str, ...] = ()
    seed: int = 0
    weights: tuple[float, ...] = ()
    even: bool = False


class Asset(Record, frozen=True, kw_only=True):
    """Something to put on the stage: a primitive made by code, or a mesh file inside the project folder.

    `refine`: how often each triangle of a file is cut in four for the stage; the file stays as it is. `layers`: the
    file of the colour layers painted onto its parts.
    """

    id: str
    name: str
    primitive: Literal["sphere", "cube", "cylinder", "plane", "card", ""] = ""
    subdivision: int = 32
    file: str = ""
    refine: int = 0
    layers: str = ""


class LightRole(Record, frozen=True, kw_only=True):
    """How a part of an object takes part when light is baked: whether it gives, takes and stops light.

    `group`: the name of the light group that its light counts as; "" is the object's own name.
    """

    gives: bool = True
    takes: bool = False
    stops: bool = True
    group: str = ""


class StageObject(Record, frozen=True, kw_only=True):
    """An asset standing in a scene. `wears` maps a part's name to an instance's, material's or pick's id.

    "" is all other parts.

    `cut_outs` maps a part's name, or "" for all others, to a cut-out's id: materials may be hidden inside its volume.
    `hidden` parts are not drawn ("" is every part), though they still cut out. `light` maps a part's name, or "" for
    all others, to how it takes part when light is baked; `moves`: it does not, since it will not stay where it is.
    `texels`: how many texels of a light map a metre of it has; 0 is as many as the scene says. `group`: the name of the
    group in which it is listed, if any.
    """

    id: str
    name: str
    asset: str
    position: Vector = (0.0, 0.0, 0.0)
    rotation: Vector = (0.0, 0.0, 0.0)
    scale: Vector = (1.0, 1.0, 1.0)
    wears: dict[str, str] = {}
    cut_outs: dict[str, str] = {}
    hidden: tuple[str, ...] = ()
    casts_shadow: bool = True
    receives_shadow: bool = True
    light: dict[str, LightRole] = {}
    moves: bool = False
    texels: float = 0.0
    group: str = ""


class View(Record, frozen=True, kw_only=True):
    """Where the camera looks from: around `target`, at `distance`, turned by `yaw` and raised by `pitch` degrees."""

    target: Vector = (0.0, 1.0, 0.0)
    yaw: float = 30.0
    pitch: float = 15.0
    distance: float = 6.0


class Bookmark(Record, frozen=True, kw_only=True):
    """A view to come back to, by name."""

    name: str
    view: View


class Sun(Record, frozen=True, kw_only=True):
    """Parallel light: where it comes from in degrees, as a view's yaw and pitch, and its linear colour.

    `strength`: the radiance of a white diffuse surface that faces it.
    """

    azimuth: float = 43.0
    elevation: float = 49.0
    colour: Vector = (1.0, 1.0, 1.0)
    strength: float = 1.0


class Environment(Record, frozen=True, kw_only=True):
    """What lights a scene: a sky by its name or a panorama by its texture's id, turned by degrees about Y.

    `exposure`: how much brighter all of it is, in stops. `sun`: in place of the sky's own.
    """

    sky: str = "clear noon"
    rotation: float = 0.0
    exposure: float = 0.0
    sun: Sun | None = None


class LightGroup(Record, frozen=True, kw_only=True):
    """How a light group is tuned after its light was baked: a linear colour and a strength it is multiplied by."""

    colour: Vector = (1.0, 1.0, 1.0)
    strength: float = 1.0


class LightBake(Record, frozen=True, kw_only=True):
    """How the light of a scene is baked, and the file it was baked into; `groups` by name, where they were tuned.

    `texels` a metre, `samples` a texel, after at most so many `bounces`; `sky`: it gives light too; `probes`: metres
    between the points at which light for what moves is gathered, 0 for none.
    """

    texels: float = 16.0
    samples: int = 64
    bounces: int = 4
    seed: int = 1
    denoise: bool = True
    sky: bool = False
    probes: float = 1.0
    groups: dict[str, LightGroup] = {}
    file: str = ""


class Scene(Record, frozen=True, kw_only=True):
    """Objects, the view the scene opens with, its light, and where the level gauge stands (None: put away).

    The gauge lies square to `gauge_axis`, that far along it in metres. `own`: a designer's copy, which the designers'
    window may change.
    """

    id: str
    name: str
    objects: tuple[StageObject, ...] = ()
    view: View = View()
    bookmarks: tuple[Bookmark, ...] = ()
    environment: Environment = Environment()
    gauge: float | None = None
    gauge_axis: Literal["x", "y", "z"] = "y"
    gauge_label: str = ""
    own: bool = False
    baked: LightBake = LightBake()

    def object(self, object_id: str) -> StageObject | None:
        """The object of that id."""
        return next((o for o in self.objects if o.id == object_id), None)


class Budget(Record, frozen=True, kw_only=True):
    """What a material may spend for a pixel on one tier of devices; 0 is as much as it likes.

    `operations` on single numbers, `texture_reads`, and `live`: numbers that must be kept at once.
    """

    name: str
    operations: int = 0
    texture_reads: int = 0
    live: int = 0


class Project(Record, frozen=True, kw_only=True):
    """Everything in one project folder, by id.

    `swatches`: linear RGBA colours to choose from; `budgets`: for the tiers of devices it is made for.
    """

    name: str
    materials: dict[str, Material] = {}
    snippets: dict[str, Material] = {}
    instances: dict[str, Instance] = {}
    snapshots: dict[str, Snapshot] = {}
    picks: dict[str, Pick] = {}
    swatches: tuple[tuple[float, float, float, float], ...] = ()
    budgets: tuple[Budget, ...] = ()
    textures: dict[str, Texture] = {}
    gradients: dict[str, Gradient] = {}
    palettes: dict[str, Palette] = {}
    assets: dict[str, Asset] = {}
    scenes: dict[str, Scene] = {}

    def graph(self, graph_id: str) -> Material | None:
        """The material or snippet of that id."""
        return self.materials.get(graph_id) or self.snippets.get(graph_id)


R = TypeVar("R", bound=Record)


def changed(record: R, **fields: Any) -> R:
    """The record with some fields replaced."""
    return msgspec.structs.replace(record, **fields)


def alone(record: R) -> R:
    """The record as its own file has it: a graph without the snippets it uses, each of which holds more of them."""
    return changed(record, snippets={}) if isinstance(record, Material) and record.snippets else record


_TABLES: dict[type[Record], str] = {
    Texture: "textures",
    Gradient: "gradients",
    Palette: "palettes",
    Asset: "assets",
    Snapshot: "snapshots",
    Scene: "scenes",
}


def with_records(project: Project, *records: Texture | Gradient | Palette | Asset | Snapshot | Scene) -> Project:
    """The project with records added, or put in place of those of their ids."""
    for record in records:
        name = _TABLES[type(record)]
        project = changed(project, **{name: {**getattr(project, name), record.id: record}})
    return project


def edited_record(project: Project, table: str, record_id: str, edit: Callable[[Any], Any]) -> Project:
    """The project with one record of a table, such as "assets", edited. Raises BadEdit where it is gone."""
    record = getattr(project, table).get(record_id)
    if record is None:
        raise BadEdit(f"what this is about is no longer among the {table}")
    return changed(project, **{table: {**getattr(project, table), record_id: edit(record)}})


def without_record(project: Project, table: str, *record_ids: str) -> Project:
    """The project without some records of a table, such as "snapshots"."""
    left = {key: each for key, each in getattr(project, table).items() if key not in record_ids}
    return changed(project, **{table: left})


def new_id(prefix: str) -> str:
    """A fresh id such as "node_7gq2m4": readable, and unlike any other made anywhere."""
    alphabet = "23456789abcdefghjkmnpqrstuvwxyz"
    return f"{prefix}_{''.join(alphabet[each % len(alphabet)] for each in os.urandom(6))}"


def port_ref(node_id: str, port: str) -> str:
    """How a port is written in `Material.wires`."""
    return f"{node_id}.{port}"


def node_of(ref: str) -> str:
    """The node id of a reference."""
    return ref.rpartition(".")[0]


def node_and_port(ref: str) -> tuple[str, str]:
    """The node id and port name of a reference."""
    node_id, _, port = ref.rpartition(".")
    return node_id, port
