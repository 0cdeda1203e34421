"""A tea kettle of six parts with a family of instances, and mushrooms whose glow is picked by chance."""

from __future__ import annotations

import numpy as np

from soft_lantern.demo.turning import resampled, rounded, tube, turned
from soft_lantern.graph.authoring import Authoring
from soft_lantern.graph.document import (
    Environment,
    Instance,
    Parameter,
    Pick,
    Preset,
    Scene,
    StageObject,
    View,
    changed,
)
from soft_lantern.graph.parameters.edits import put_preset
from soft_lantern.scene.mesh import Part
from soft_lantern.scene.primitives import joined
from soft_lantern.values.colour import colour_from_hex
from soft_lantern.values.kinds import Kind

KETTLE, GLOW = "kettle_metal", "glow_rim"


def tea_kettle() -> list[Part]:
    """A kettle 0.9 m tall: foot, body, lid, knob, spout and handle."""
    angle = np.linspace(0.0, np.pi * 0.93, 34)
    belly = np.array([(0.58 * np.sin(a) ** 0.85, 0.38 + 0.3 * np.cos(a)) for a in angle[5:]])
    body = rounded(resampled(np.concatenate([[[0.22, 0.655]], belly]), 48), 56)
    dome = np.linspace(0, np.pi / 2, 10)
    top = rounded(np.stack([0.25 * np.sin(dome), 0.64 + 0.09 * np.cos(dome)], axis=1), 40)
    lid = joined([top, turned([(0.25, 0.64), (0.25, 0.6)], 40)])
    ball = np.linspace(0, np.pi, 14)
    knob = rounded(np.stack([0.07 * np.sin(ball), 0.79 + 0.07 * np.cos(ball)], axis=1), 24)
    along = np.linspace(0, 1, 24)
    bend = np.stack([0.42 + 0.42 * along, 0.28 + 0.42 * along**2.2, 0 * along], axis=1)
    spout = tube(bend, 0.085 - 0.045 * along, 20)
    arch = np.linspace(np.pi * -0.01, np.pi * 1.01, 40)
    handle = tube(np.stack([0.5 * np.cos(arch), 0.5 + 0.52 * np.sin(arch), 0 * arch], axis=1), 0.034, 14)
    foot = turned([(0.26, 0.12), (0.3, 0.07), (0.34, 0.03), (0.34, 0.0), (0.0, 0.0)], 40)
    return [
        Part("foot", foot),
        Part("body", body),
        Part("lid", lid),
        Part("knob", knob),
        Part("spout", spout),
        Part("handle", handle),
    ]


def glow_mushroom() -> list[Part]:
    """A mushroom 0.8 m tall: a bent stem and a cap."""
    along = np.linspace(0, 1, 18)
    bend = np.stack([0.06 * np.sin(along * 2.4), 0.02 + 0.6 * along, 0 * along], axis=1)
    angle = np.linspace(0, np.pi / 2, 16)
    over = rounded(np.stack([0.34 * np.sin(angle), 0.58 + 0.24 * np.cos(angle)], axis=1), 44)
    under = turned([(0.34, 0.58), (0.3, 0.56), (0.16, 0.6), (0.0, 0.61)], 44)
    return [Part("stem", tube(bend, 0.075 - 0.025 * along, 18)), Part("cap", joined([over, under]))]


def kettle_metal() -> Authoring:
    """Bare metal or enamel, with a patina that settles where the metal does not look, and speckles if asked."""
    m = Authoring("Kettle metal")
    base = m.expose("Base", "#c8703c", group="Metal", alpha=False, tooltip="The colour of the metal or the enamel")
    finish = m.expose(
        "Finish", 0.0, group="Metal", choices=("bare metal", "enamel"), tooltip="Enamel shines but is no metal"
    )
    roughness = m.expose("Roughness", 0.28, limits=(0.03, 1), group="Metal", step=0.01)
    patina = m.expose("Patina", "#4f8f7c", group="Patina", alpha=False, reference=colour_from_hex("#5a9a86"))
    amount = m.expose("Patina amount", 0.4, limits=(0, 4), soft_high=1.0, group="Patina")
    away = m.expose(
        "Rubbed from", (0.0, 0.8, 0.6), kind=Kind.VECTOR3, use="direction", group="Patina",
        tooltip="Hands reach it from there, so it stays bare",
    )  # fmt: skip
    grain = m.expose(
        "Patina grain", 6.0, limits=(0.5, 64), scale="log", group="Patina", advanced=True, tooltip="Spots in a metre"
    )
    speckled = m.expose("Speckles", 0.0, use="switch", group="Speckles")
    dots = m.expose("Speckle colour", "#f3ead6", group="Speckles", alpha=False)
    seed = m.expose("Speckle seed", 3.0, limits=(0, 99), use="whole", group="Speckles", advanced=True)
    m.material = changed(m.material, parameters=tuple(_shown(p) for p in m.material.parameters))
    normal = m.add("normal", space="world")
    hidden = m.add("remap", value=m.add("dot_product", a=normal, b=away), low=1.0, high=-1.0, new_low=0.3, new_high=1.1)
    place = m.add("position", space="object")
    uneven = m.add("layered_noise_3d", name="Spots", at=place, scale=grain)
    spread = m.add("multiply", a=m.add("add", a=hidden, b=m.add("multiply", a=uneven, b=0.7)), b=amount)
    settled = m.add("saturate", value=spread)
    dust = m.add("perlin_noise_3d", name="Speckle dust", at=m.add("add", a=place, b=seed), scale=22.0)
    spots = m.add("step", name="Spots of it", edge=0.34, value=dust)
    shown = m.add("multiply", name="Speckles shown", a=spots, b=speckled)
    body = m.add("mix", name="With patina", a=base, b=patina, factor=settled)
    bare = m.add("subtract", a=1.0, b=finish)
    m.add(
        "surface",
        base_colour=m.add("mix", name="With speckles", a=body, b=dots, factor=shown),
        metallic=m.add("multiply", a=bare, b=m.add("subtract", a=1.0, b=settled)),
        roughness=m.add("mix", a=roughness, b=0.85, factor=m.add("multiply", a=settled, b=bare)),
    )
    m.material = put_preset(m.material, Preset(name="Polished", values={"roughness": 0.12, "patina_amount": 0.0}))
    m.material = put_preset(m.material, Preset(name="Left out in the rain", values={"patina_amount": 1.3}))
    return m


def _shown(parameter: Parameter) -> Parameter:
    """What belongs to the speckles is offered only where there are some."""
    belongs = parameter.group == "Speckles" and parameter.use != "switch"
    return changed(parameter, shown_when="speckles") if belongs else parameter


def glow_rim() -> Authoring:
    """A dark skin that glows toward its edges: the rim's colour and exponent are what makes each kind."""
    m = Authoring("Glow rim")
    rim = m.expose("Rim colour", (0.25, 1.3, 1.1, 1.0), group="Glow", hdr=True, alpha=False)
    exponent = m.expose(
        "Exponent", 2.5, limits=(0.5, 100), soft_low=1.0, soft_high=10.0, scale="log", group="Glow",
        tooltip="Higher keeps the glow closer to the edge; near 100 almost nothing is left",
    )  # fmt: skip
    strength = m.expose("Strength", 1.0, limits=(0.0625, 16), scale="stops", group="Glow")
    skin = m.expose("Skin", "#28304a", group="Skin", alpha=False)
    mask = m.add("rim_mask", name="Rim", exponent=exponent)
    shine = m.add("multiply_tint", colour=rim, tint=m.add("multiply", a=mask, b=strength))
    m.add("surface", base_colour=skin, roughness=0.6, emissive=shine)
    return m


def materials() -> tuple[Authoring, ...]:
    """Both of them."""
    return kettle_metal(), glow_rim()


def instances() -> tuple[Instance, ...]:
    """The kettle's family, and six glows by two parents."""

    def kettle(name: str, parent: str, tags: tuple[str, ...] = (), **values: object) -> Instance:
        return _instance(name, parent, tags, **values)

    def glow(name: str, parent: str, **values: object) -> Instance:
        return _instance(name, parent, ("glow",), **values)

    return (
        kettle("Copper", KETTLE, base="#c8703c"),
        kettle("Aged copper", "copper", ("old",), patina_amount=0.95, roughness=0.42),
        kettle("New copper", "copper", ("polished",), patina_amount=0.0, roughness=0.12),
        kettle("Brass", KETTLE, ("polished",), base="#d3a54a", patina="#5d6b3a", patina_amount=0.22, roughness=0.2),
        kettle("Black iron", KETTLE, base="#3a3836", patina="#6b3d24", patina_amount=0.5, roughness=0.55),
        kettle("Enamel", KETTLE, finish=1.0, base="#2f5f86", patina_amount=0.0, roughness=0.14),
        kettle("Speckled enamel", "enamel", speckles=1.0, speckle_colour="#f3ead6"),
        glow("Cool glow", GLOW),
        glow("Cool lagoon", "cool_glow", rim_colour=(0.1, 0.9, 1.6, 1.0)),
        glow("Cool mint", "cool_glow", rim_colour=(0.35, 1.5, 0.6, 1.0), exponent=3.5),
        glow("Cool violet", "cool_glow", rim_colour=(0.8, 0.4, 1.9, 1.0), exponent=1.8),
        glow("Warm glow", GLOW, rim_colour=(1.6, 0.55, 0.12, 1.0), skin="#4a2a1e", exponent=2.0),
        glow("Warm ember", "warm_glow", rim_colour=(1.9, 0.25, 0.08, 1.0)),
        glow("Warm honey", "warm_glow", rim_colour=(1.7, 0.9, 0.2, 1.0), exponent=3.0),
        glow("Warm rose", "warm_glow", rim_colour=(1.6, 0.4, 0.7, 1.0)),
    )


def picks() -> tuple[Pick, ...]:
    """What each mushroom gets one of."""
    kinds = ("cool_lagoon", "cool_mint", "cool_violet", "warm_ember", "warm_honey", "warm_rose")
    return (Pick(id="any_glow", name="Any glow", looks=kinds, seed=4),)


def tea_scene() -> Scene:
    """The kettle among mushrooms, each part of it in a look of its own."""
    wears = {
        "": "aged_copper",
        "lid": "new_copper",
        "knob": "speckled_enamel",
        "handle": "black_iron",
        "spout": "copper",
        "foot": "brass",
    }
    places = ((-1.15, 0.55, 1.0), (-0.85, -0.75, 1.35), (1.05, -0.7, 1.2), (1.4, 0.35, 0.8), (0.55, -1.2, 0.95))
    mushrooms = tuple(
        StageObject(
            id=f"mushroom_{number}",
            name=f"Mushroom {number}",
            asset="glow_mushroom",
            position=(x, 0.0, z),
            rotation=(0.0, 70.0 * number, 0.0),
            scale=(size, size, size),
            wears={"": "any_glow"},
        )
        for number, (x, z, size) in enumerate(places, 1)
    )
    kettle = StageObject(id="kettle", name="Tea kettle", asset="tea_kettle", rotation=(0.0, -28.0, 0.0), wears=wears)
    return Scene(
        id="tea_terrace",
        name="Tea terrace",
        objects=(kettle, *mushrooms),
        view=View(target=(0.05, 0.48, 0.0), yaw=8.0, pitch=14.0, distance=4.1),
        environment=Environment(sky="overcast", exposure=-0.7),
    )


def _instance(name: str, parent: str, tags: tuple[str, ...], **given: object) -> Instance:
    values = {key: colour_from_hex(value) if isinstance(value, str) else value for key, value in given.items()}
    return Instance(id=name.lower().replace(" ", "_"), name=name, parent=parent, tags=tags, values=values)  # type: ignore[arg-type]
