"""The review page in a browser: the same pictures as the stage's, and a sheet that anyone can use."""

from __future__ import annotations

import base64
import io
import json
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import numpy.typing as npt
import pytest
from msgspec.structs import replace
from PIL import Image as Picture

from soft_lantern.commands.baking import bake_scene
from soft_lantern.demo.project import write_demo
from soft_lantern.errors import BadValue
from soft_lantern.formats.answers import read_values
from soft_lantern.formats.assets import load_models
from soft_lantern.formats.images import load_images
from soft_lantern.formats.light_files import load_light
from soft_lantern.formats.project_folder import open_project
from soft_lantern.graph.document import Project, changed
from soft_lantern.measures.chromium import Page, chromium
from soft_lantern.progress import silent
from soft_lantern.render.baked import ShownLight
from soft_lantern.render.gl import GlRenderer
from soft_lantern.render.staging import LoweredMaterials, frame_of
from soft_lantern.review.packing import Packing, _radiance, _small
from soft_lantern.review.page import review_page
from soft_lantern.review.stage import LARGEST, OPTIONS, finite
from soft_lantern.review.target import page_target
from soft_lantern.scene.transforms import camera_for
from soft_lantern.values.images import Image

SIZE = (1000, 200)


@pytest.fixture(scope="module")
def home(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("review") / "p"
    write_demo(folder)
    bake_scene(folder, "night_grotto", 16, 1, None, silent)
    return folder


@pytest.fixture(scope="module")
def project(home: Path) -> Project:
    return open_project(home).project


@pytest.fixture(scope="module")
def file(home: Path, project: Project) -> Path:
    (text,) = page_target(home)["page"].files(project, list(project.materials.values()), silent).values()
    (home / "all.html").write_text(str(text), encoding="utf-8")
    return home / "all.html"


@pytest.fixture(scope="module")
def page(file: Path, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Page]:
    with chromium(tmp_path_factory.mktemp("browser")) as opened:
        opened.open(file, SIZE)
        yield opened
        assert opened.said == []


def drawn(page: Page) -> npt.NDArray[np.uint8]:
    """The pixels of the stage, once it shows how things are."""
    data = page.value("review.draw(), document.getElementById('stage').toDataURL()").partition(",")[2]
    return np.asarray(Picture.open(io.BytesIO(base64.b64decode(data))).convert("RGB"))


def choose(page: Page, box: str, words: str) -> None:
    """Choose one of a box by its words, as the keyboard does."""
    found = page.value(
        f"(() => {{ const b = document.getElementById('{box}'); const o = [...b.options].find((e) => e.text === "
        f"{json.dumps(words)}); b.value = o.value; b.dispatchEvent(new Event('change')); return b.selectedIndex }})()"
    )
    assert found >= 0


def test_every_scene_looks_as_it_does_on_the_stage(page: Page, project: Project, home: Path) -> None:
    models, images = load_models(project, home)[0], load_images(project, home)[0]
    renderer = GlRenderer()
    names = page.value("review.data.views.map((view) => view.name)")
    assert names == [scene.name for scene in sorted(project.scenes.values(), key=lambda each: each.id)]
    for name in names:
        choose(page, "view", name)
        theirs = drawn(page)
        scene = next(each for each in project.scenes.values() if each.name == name)
        size = theirs.shape[1], theirs.shape[0]
        camera, looks = camera_for(scene.view, size), LoweredMaterials()
        assert bool(scene.baked.file) is (scene.id == "night_grotto")
        kept = ShownLight(load_light(home, scene)) if scene.baked.file else None
        light = kept.now(project, scene, models, images, looks) if kept else None
        frame = frame_of(project, scene, models, camera, size, OPTIONS, looks, 0.0, 4, images, light)
        ours = renderer.render(replace(frame, samples=4)).pixels[..., :3]
        off = np.abs(ours.astype(int) - theirs.astype(int)).mean(axis=2)
        assert off.mean() <= 1.0, f"{name}: {off.mean():.2f} steps of 255"  # edges and all
        assert np.percentile(off, 99) <= 6.0, name
    renderer.release()


def test_a_value_that_is_tuned_is_seen_marked_and_answered(page: Page, project: Project) -> None:
    choose(page, "view", "Tea terrace")
    choose(page, "material", "Kettle metal")
    look = page.value("document.getElementById('look').selectedOptions[0].text")
    before = drawn(page)
    row = next(p for p in project.materials["kettle_metal"].parameters if p.identifier == "roughness")
    number = next(n for n, p in enumerate(project.materials["kettle_metal"].parameters) if p is row)
    page.type(f"#value-{number}", "0.9")
    after = drawn(page)
    assert (np.abs(after.astype(int) - before.astype(int)).max(axis=2) > 4).mean() > 0.01
    assert page.value(f"document.getElementById('value-{number}').closest('.line').classList.contains('changed')")
    answer = page.value("review.answer()")
    assert answer["material"] == "kettle_metal" and answer["project"] == project.name
    (said,) = answer["instances"]
    assert said["values"] == {"roughness": 0.9} and said["instance"] == f"{look}, tuned"
    page.type(f"#value-{number}", "7")  # beyond its limits
    assert page.value("review.answer()")["instances"][0]["values"] == {"roughness": row.high}
    page.click("#reset")
    assert page.value("review.answer()")["instances"][0]["values"] == {}
    assert (drawn(page) == before).all()


def test_a_gradient_is_chosen_anew_and_comes_back_by_its_id(page: Page, project: Project, tmp_path: Path) -> None:
    graded = project.materials["graded_nectar"]
    choose(page, "view", next(each.name for each in project.scenes.values() if "by_gradient" in str(each)))
    choose(page, "material", graded.name)
    before = drawn(page)
    number = next(n for n, p in enumerate(graded.parameters) if p.identifier == "depths")
    other = next(each for key, each in project.gradients.items() if key != graded.parameters[number].default)
    choose(page, f"value-{number}", other.name)
    after = drawn(page)
    assert (np.abs(after.astype(int) - before.astype(int)).max(axis=2) > 8).mean() > 0.005
    (said,) = page.value("review.answer()")["instances"]
    assert said["values"] == {"depths": other.id}
    file = tmp_path / "a.json"
    file.write_text(json.dumps(page.value("review.answer()")))
    plan = read_values(project, graded.id, file)
    assert [(each.parameter, each.after) for each in plan.changes] == [(graded.parameters[number].id, other.id)]
    page.click("#reset")
    assert (drawn(page) == before).all()


def test_two_looks_stand_side_by_side_and_hands_and_keys_turn_the_stage(page: Page) -> None:
    choose(page, "view", "Tea terrace")
    alone = drawn(page)
    page.click("#beside")
    both = drawn(page)
    half = both.shape[1] // 2
    assert (both[:, :half] == both[:, half : 2 * half]).mean() > 0.999 and (both != alone).any()
    colour = page.value("document.querySelector('#groups input[type=color]').id")
    page.value(f"document.getElementById('{colour}').value = '#2040ff'")
    page.value(f"document.getElementById('{colour}').dispatchEvent(new Event('input'))")
    tuned = drawn(page)
    assert (tuned[:, :half] == both[:, :half]).all() and (tuned[:, half:] != both[:, half:]).any()
    page.click("#beside")
    page.click("#reset")
    box = page.value("document.getElementById('stage').getBoundingClientRect().toJSON()")
    x, y = box["x"] + 100, box["y"] + 100
    yaw = page.value("review.state.camera.yaw")
    page.mouse("mousePressed", x, y)
    page.mouse("mouseMoved", x + 50, y)
    page.mouse("mouseReleased", x + 50, y)
    assert page.value("review.state.camera.yaw") == pytest.approx((yaw - 20) % 360)
    page.press("ArrowRight")
    assert page.value("review.state.camera.yaw") == pytest.approx((yaw - 12) % 360)
    page.press("f")
    assert not (drawn(page) == alone).all()


def test_everything_is_named_reached_by_tab_and_readable(page: Page) -> None:
    """Contrast: 4.5 to 1 (WCAG 2.1, 1.4.3), by its own formula of relative luminance."""
    named = """[...document.querySelectorAll('select, input, textarea, button, canvas')].filter((e) =>
        !(e.labels && e.labels.length && e.labels[0].textContent.trim()) && !e.getAttribute('aria-label')
        && !e.textContent.trim()).map((e) => e.outerHTML)"""
    assert page.value(named) == []
    page.value("document.getElementById('view').focus()")
    seen = []
    for _ in range(6):
        page.press("Tab")
        seen.append(page.value("document.activeElement.id"))
    assert seen == ["sky", "beside", "moving", "stage", "material", "look"]
    for dark in (False, True):
        wished = {"name": "prefers-color-scheme", "value": "dark" if dark else "light"}
        page("Emulation.setEmulatedMedia", features=[wished])
        colours = {
            name: page.value(f"getComputedStyle(document.documentElement).getPropertyValue('--{name}')").strip()
            for name in ("ground", "panel", "text", "quiet", "live")
        }
        for text in ("text", "quiet", "live"):
            for ground in ("ground", "panel"):
                assert contrast(colours[text], colours[ground]) >= 4.5, (dark, text, ground)


def contrast(first: str, second: str) -> float:
    def luminance(colour: str) -> float:
        parts = [int(colour[at : at + 2], 16) / 255 for at in (1, 3, 5)]
        linear = [part / 12.92 if part <= 0.04045 else ((part + 0.055) / 1.055) ** 2.4 for part in parts]
        return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]

    low, high = sorted((luminance(first), luminance(second)))
    return (high + 0.05) / (low + 0.05)


def test_while_it_turns_fewer_pixels_are_worked_out_and_at_rest_all_of_them(page: Page) -> None:
    """Here the browser draws by software, and never in time."""
    choose(page, "view", "Tea terrace")
    drawn(page)
    page.value(
        "(() => { const told = document.documentElement; window.shares = []; new MutationObserver(() => "
        "shares.push(Number(told.dataset.share))).observe(told, { attributeFilter: ['data-drawn'] }); })()"
    )
    page.click("#stage")
    page.press("ArrowLeft")
    page.until("shares.length > 1 && shares[shares.length - 1] === 1")
    assert min(page.value("shares")) < 1
    at_rest = page.value("document.getElementById('stage').toDataURL()")
    assert at_rest == page.value("review.draw(), document.getElementById('stage').toDataURL()")


def test_it_fits_a_phone_and_asks_no_network(page: Page, file: Path) -> None:
    page.resize((390, 780))
    assert page.value("document.documentElement.scrollWidth") <= 390
    width, height = (page.value(f"document.getElementById('stage').client{side}") for side in ("Width", "Height"))
    assert width == 390 and 300 < height < 780
    assert drawn(page).std() > 5
    page.resize(SIZE)
    text = file.read_text(encoding="utf-8")
    assert "http://" not in text and "https://" not in text and " src=" not in text and "import(" not in text


def test_what_json_cannot_hold_and_what_is_too_large_to_send_goes_out_smaller(project: Project) -> None:
    assert finite([np.nan, np.inf, -np.inf, 0.5]) == [0.0, LARGEST, -LARGEST, 0.5]
    packing = Packing()
    chance = np.random.default_rng(5)
    large = Image(chance.integers(0, 256, (10, 3000, 4), np.uint8), "data")
    assert packing.image(large) == packing.image(large) == 0
    (row,) = packing.images
    assert row["form"] == "bytes" and 500 < row["width"] <= 1024
    grey = Image(np.full((1536, 2048, 4), (188, 188, 188, 255), np.uint8), "colour")
    sent = _small(grey).texels  # half of linear light is 188 of sRGB (IEC 61966-2-1), and stays it
    assert sent.shape == (768, 1024, 4) and (sent == (188, 188, 188, 255)).all()
    sky = np.abs(chance.normal(size=(8, 8, 4)) * [1e-3, 1.0, 60.0, 1.0]).astype(np.float32)
    form, planes = _radiance(sky)
    read = planes[..., :3] / 256 * 2.0 ** (planes[..., 3:].astype(float) - 15)
    assert form == "radiance" and (np.abs(read - sky[..., :3]).max(axis=2) <= sky[..., :3].max(axis=2) / 255).all()
    nobody = next(each for each in project.materials.values() if each.name == "Moth trail")
    with pytest.raises(BadValue, match="no object of any scene wears"):
        review_page(changed(project, scenes={}), [nobody], {}, {})
