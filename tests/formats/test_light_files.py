"""Files of baked light: what is kept comes back, and a damaged one is said, whatever is wrong with it."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from soft_lantern.bake.light.kept import BakedLight, LightMap, Probes
from soft_lantern.errors import BadFile
from soft_lantern.formats.layered_exr import ExrPart, write_parts
from soft_lantern.formats.light_files import read_light, write_light


@pytest.fixture
def light() -> BakedLight:
    chance = np.random.default_rng(1)
    maps = {
        name: LightMap(
            {"body": chance.random((30, 3, 2)).astype(np.float32)},
            {group: chance.random((12, 9, 3)).astype(np.float32) * 4 for group in ("Lantern 1", "Lantern/1")},
        )
        for name in ("stone", "wall")
    }
    held = {group: chance.normal(size=(12, 9, 3)).astype(np.float32) for group in ("Lantern 1", "Lantern/1")}
    probes = Probes((-1.0, 0.0, 2.0), 0.5, (2, 3, 2), held)
    means = {"Lantern 1": (0.0, 4.0, 0.5), "Lantern/1": (1.0, 1.0, 1.0)}
    return BakedLight(means, maps, probes, {"stone": "ab12", "moth": "cd34"}, 64, 7, 0.04, 2.5)


def test_light_comes_back_as_it_was_kept(light: BakedLight, tmp_path: Path) -> None:
    """Maps to half precision, 2⁻¹¹ of the value (IEEE 754 binary16); all else to the bit."""
    write_light(tmp_path / "l.exr", light)
    back = read_light(tmp_path / "l.exr")
    assert back.groups == light.groups and back.stood == light.stood
    assert (back.samples, back.seed, back.noise, back.seconds) == (64, 7, 0.04, 2.5)
    assert back.probes and light.probes
    assert (back.probes.low, back.probes.spacing, back.probes.counts) == ((-1.0, 0.0, 2.0), 0.5, (2, 3, 2))
    for group in light.groups:
        assert np.array_equal(back.probes.light[group], light.probes.light[group])
        for name, held in light.maps.items():
            assert np.array_equal(back.maps[name].coordinates["body"], held.coordinates["body"])
            assert np.allclose(back.maps[name].light[group], held.light[group], rtol=2**-11)


def test_damaged_files_are_said_and_never_crash(light: BakedLight, tmp_path: Path) -> None:
    write_light(tmp_path / "l.exr", light)
    whole, chance = (tmp_path / "l.exr").read_bytes(), np.random.default_rng(3)
    refused = 0
    for number in range(120):
        data = bytearray(whole)
        if number % 3 == 0:
            data = data[: int(chance.integers(len(data)))]
        for at in chance.integers(len(data) or 1, size=int(chance.integers(1, 12))) if data else ():
            data[at] = int(chance.integers(256))
        (tmp_path / "d.exr").write_bytes(data)
        try:
            read_light(tmp_path / "d.exr")
        except BadFile as error:
            refused += "d.exr" in str(error)
    assert refused > 60
    for note in ("", "{", '{"groups": [], "maps": [{"object": "x", "part": 9, "places": []}], "stood": {}}'):
        write_parts(tmp_path / "n.exr", [ExrPart("a", np.zeros((1, 1, 3), np.float32), ("R", "G", "B"))], note)
        with pytest.raises(BadFile, match=r"n\.exr is no sound file of baked light"):
            read_light(tmp_path / "n.exr")


def test_probes_between_points_are_mixed_and_end_at_the_edge(light: BakedLight) -> None:
    probes = light.probes
    assert probes
    weights = {"Lantern 1": (2.0, 0.0, 1.0)}
    at_first = probes.light["Lantern 1"][0] * (2.0, 0.0, 1.0)
    at_next = probes.light["Lantern 1"][1] * (2.0, 0.0, 1.0)
    assert np.allclose(probes.at(np.array([-1.0, 0.0, 2.0]), weights), at_first)
    assert np.allclose(probes.at(np.array([-9.0, -9.0, -9.0]), weights), at_first)
    assert np.allclose(probes.at(np.array([-0.75, 0.0, 2.0]), weights), (at_first + at_next) / 2)
