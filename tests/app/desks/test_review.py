"""The way of an answer: a page is delivered, a look is tuned in a browser, and comes back as a look of the project."""

from __future__ import annotations

import json
import re
from pathlib import Path
from typing import Any

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QDialogButtonBox

from by_hand import LEFT, until
from soft_lantern.app.desks.deliver.desk import DeliverDesk
from soft_lantern.app.desks.tune.desk import TuneDesk
from soft_lantern.app.widgets.tick_list import KEY, TickList
from soft_lantern.app.window.window import MainWindow
from soft_lantern.measures.chromium import chromium

pytestmark = pytest.mark.left_at("Deliver")

PAGE = "mothlight_terraces.review.html"


def tick(shown: TickList, *keys: str) -> None:
    for number in range(shown.count()):
        item = shown.item(number)
        assert item
        item.setCheckState(Qt.CheckState.Checked if item.data(KEY) in keys else Qt.CheckState.Unchecked)


def looks_in(page: Path) -> dict[str, Any]:
    found = re.search(r'<script type="application/json" id="data">(.*?)</script>', page.read_text("utf-8"), re.DOTALL)
    assert found
    materials = json.loads(found[1])["materials"]
    (kettle,) = (each for each in materials if each["id"] == "kettle_metal")
    return {each["id"]: each for each in kettle["looks"]}


def test_a_look_tuned_in_a_browser_comes_back_and_only_it_is_new(window: MainWindow, tmp_path: Path) -> None:
    session, out = window.session, tmp_path / "out"
    desk = window.desk("Deliver")
    assert isinstance(desk, DeliverDesk)
    until(lambda: not session.loading)
    tick(desk.leaving.materials.list, "kettle_metal")
    tick(desk.targets, "page", "glsl")
    desk.deliver_to(out)
    until(lambda: (out / PAGE).exists() and not window.status.task_bar.tasks)
    before = {each.name: each.read_bytes() for each in out.iterdir()}
    assert len(before[PAGE]) < 5e6

    with chromium(tmp_path / "browser") as page:
        page.open(out / PAGE, (1000, 600), downloads=tmp_path)
        material = session.project.materials["kettle_metal"]
        at = next(n for n, p in enumerate(material.parameters) if p.identifier == "roughness")
        parent = page.value("document.getElementById('look').selectedOptions[0].text")
        page.type(f"#value-{at}", "0.75")
        page.type("#remark", "Duller, please")
        page.type("#called", "Rainy kettle")
        page.click("#download")
        until(lambda: (tmp_path / "Rainy kettle.answer.json").exists())
        assert page.said == []

    window.go_to_desk("Tune")
    tune = window.desk("Tune")
    assert isinstance(tune, TuneDesk)
    tune.selection.select("kettle_metal")
    values = tune.value_commands
    dialog = values.plan_values(tmp_path / "Rainy kettle.answer.json")
    assert dialog and "Rainy kettle" in dialog.words.text() and "Duller, please" in dialog.words.text()
    assert dialog.table.rowCount() == 1 and not dialog.troubles.count()
    apply = dialog.buttons.button(QDialogButtonBox.StandardButton.Apply)
    assert apply and apply.text() == "Add 1 look"
    instances = dict(session.project.instances)
    dialog.accepted.connect(lambda: values.take_values(dialog))
    dialog.show()
    QTest.mouseClick(apply, LEFT)
    (new,) = (each for key, each in session.project.instances.items() if key not in instances)
    assert new.name == "Rainy kettle" and list(new.values.values()) == [0.75]
    named = session.project.instances.get(new.parent) or session.project.materials[new.parent]
    assert named.name == parent

    window.go_to_desk("Deliver")
    desk.deliver_to(out)
    until(lambda: desk.log.count() == 2 and not window.status.task_bar.tasks)
    after = {each.name: each.read_bytes() for each in out.iterdir()}
    assert {name for name in before if before[name] != after[name]} == {PAGE, "delivery.json"}
    (tmp_path / "old.html").write_bytes(before[PAGE])
    old, now = looks_in(tmp_path / "old.html"), looks_in(out / PAGE)
    assert {key: row for key, row in now.items() if key != new.id} == old and now[new.id]["name"] == "Rainy kettle"
    session.undo.undo()
    assert dict(session.project.instances) == instances
