"""Tables of instances' values, held against Python's own csv and json and files as spreadsheets write them."""

from __future__ import annotations

import csv
import functools
import json
import tempfile
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from PyQt6.QtCore import QPointF
from PyQt6.QtWidgets import QDialogButtonBox

from by_hand import click
from soft_lantern.app.window.window import MainWindow
from soft_lantern.demo.project import demo_project
from soft_lantern.errors import BadFile
from soft_lantern.formats.value_tables import Plan, cell, read_table, to_csv, to_json, write_table
from soft_lantern.graph.document import Parameter, Project, changed
from soft_lantern.graph.instances.family import descendants, narrow
from soft_lantern.graph.instances.values import edited_instance, look
from soft_lantern.values.kinds import Kind

RAMP = "height_ramp"


@functools.cache
def _demo() -> Project:
    return demo_project()


@pytest.fixture(scope="module")
def project() -> Project:
    return _demo()


def read(project: Project, folder: Path, text: str, name: str = "t.csv") -> Plan:
    (folder / name).write_bytes(text.encode())
    return read_table(project, RAMP, folder / name)


def test_pythons_own_csv_reads_what_is_written(project: Project) -> None:
    rows = list(csv.DictReader(to_csv(project, RAMP).splitlines()))
    assert [row["id"] for row in rows] == [i.id for i in descendants(project, RAMP)]
    last = next(row for row in rows if row["id"] == "last_light")
    assert (last["parent"], float(last["spread"]), last["high_colour"]) == ("amber_hour", 3.5, "")
    assert last["low_colour"] == "#2b2233"


@pytest.mark.parametrize("ending", [".csv", ".json"])
def test_a_table_read_back_changes_nothing(project: Project, tmp_path: Path, ending: str) -> None:
    write_table(project, RAMP, tmp_path / f"table{ending}")
    assert read_table(project, RAMP, tmp_path / f"table{ending}").changes == ()


@pytest.mark.parametrize("ending", [".csv", ".json"])
def test_the_layer_over_a_looks_colours_goes_out_and_in_with_its_values(
    project: Project, tmp_path: Path, ending: str
) -> None:
    path = tmp_path / f"table{ending}"
    turned = edited_instance(project, "amber_hour", lambda i: changed(i, hue=20.0, saturation=-0.25))
    write_table(turned, RAMP, path)
    assert read_table(turned, RAMP, path).changes == ()
    plan = read_table(project, RAMP, path)
    assert {(c.parameter, c.after) for c in plan.changes} == {("look.hue", 20.0), ("look.saturation", -0.25)}
    assert plan.applied(project) == turned
    path.write_text(path.read_text().replace("-0.25", "-1.5"))
    (trouble,) = read_table(turned, RAMP, path).troubles
    assert "look.saturation" in trouble.text and "-1 to 4" in trouble.text


def test_a_table_keeps_to_limits_that_are_narrowed(project: Project, tmp_path: Path) -> None:
    held = narrow(project, "amber_hour", "spread", (2.0, 4.0))
    plan = read(held, tmp_path, "id,spread\namber_hour,5\nlast_light,3\npool_depths,5\n")
    assert {(c.instance, c.after) for c in plan.changes} == {("last_light", 3.0), ("pool_depths", 5.0)}
    assert ["2 to 4" in trouble.text for trouble in plan.troubles] == [True]


_PARTS = st.floats(-1e6, 1e6, allow_subnormal=False)


_LIGHT = st.floats(0, 1e6, allow_subnormal=False)


@given(st.tuples(_LIGHT, _LIGHT, _LIGHT, st.floats(0, 1)), _PARTS)
def test_every_value_comes_back_exactly(colour: tuple[float, ...], number: float) -> None:
    """Also colours far brighter than white, which hex cannot say."""
    project = _demo()
    ramp = project.materials[RAMP]
    free = tuple(changed(p, low=None, high=None, hdr=p.kind == "colour") for p in ramp.parameters)
    project = changed(project, materials={**project.materials, RAMP: changed(ramp, parameters=free)})
    amber = project.instances["amber_hour"]
    wild = changed(amber, values={"high_colour": colour, "spread": number})
    there = changed(project, instances={**project.instances, amber.id: wild})
    with tempfile.TemporaryDirectory() as folder:
        for ending in (".csv", ".json"):
            path = Path(folder) / f"t{ending}"
            write_table(there, RAMP, path)
            plan = read_table(project, RAMP, path)
            assert not plan.troubles and plan.applied(project).instances["amber_hour"].values == wild.values


def test_a_file_as_a_spreadsheet_writes_it(project: Project, tmp_path: Path) -> None:
    """Semicolons, a byte order mark, CRLF, quotes round everything, a decimal comma, an empty line at the end."""
    text = '\ufeff"instance";"id";"spread";"high_colour"\r\n"Amber hour";"amber_hour";"2,5";"#ffffff"\r\n;;;\r\n'
    plan = read(project, tmp_path, text)
    assert not plan.troubles
    after = plan.applied(project)
    found = look(after, "amber_hour")
    assert found and found.values["spread"] == 2.5 and found.values["high_colour"] == (1.0, 1.0, 1.0, 1.0)
    assert project.instances["amber_hour"].values["spread"] == 5.0  # the plan alone changed nothing


def test_an_empty_cell_comes_from_the_parent_again(project: Project, tmp_path: Path) -> None:
    plan = read(project, tmp_path, "id,spread\nlast_light,\n")
    found = look(plan.applied(project), "last_light")
    assert found and found.values["spread"] == 5.0 and found.origins["spread"] == "amber_hour"


def test_every_mistake_has_its_line_and_column_and_the_rest_may_be_taken(project: Project, tmp_path: Path) -> None:
    text = (
        "instance,id,parent,spread,glitter,low_colour\n"
        "Amber hour,amber_hour,,99,1,#12\n"
        '"Two\nlines",no_such,,1,,\n'
        "Pool depths,pool_depths,amber_hour,abc,,\n"
        ",,,3,,\n"
        "Last light,,,2,,\n"
    )
    plan = read(project, tmp_path, text)
    said = {(t.line, t.column): t.text for t in plan.troubles}
    assert said[1, 5].startswith("Height ramp has no parameter “glitter”")
    assert said[2, 4] == "spread: 99 is outside its limits, 0.1 to 10"
    assert "low_colour" in said[2, 6] and "not a colour" in said[2, 6]
    assert "no instance “no_such”" in said[3, 2]
    assert "not a number" in said[5, 4] and "parent is height_ramp" in said[5, 3]
    assert said[6, 1] == "this row names no instance"
    assert len(said) == 7
    taken = {(c.instance, c.parameter): c.after for c in plan.changes}
    assert taken == {
        ("pool_depths", "low_colour"): None,
        ("last_light", "spread"): 2.0,
        ("last_light", "low_colour"): None,
    }


def test_mistakes_in_json_are_found_where_they_stand(project: Project, tmp_path: Path) -> None:
    text = json.dumps(
        {"instances": [{"id": "amber_hour", "values": {"spread": True}}, {"id": "moss", "values": {"shine": 1}}]},
        indent=1,
    )
    lines = text.splitlines()
    plan = read(project, tmp_path, text, "t.json")
    said = {t.line: t.text for t in plan.troubles}
    assert "not a number" in said[next(n for n, x in enumerate(lines, 1) if "spread" in x)]
    assert "no instance “moss”" in said[next(n for n, x in enumerate(lines, 1) if '"moss"' in x)]
    assert "no parameter “shine”" in said[next(n for n, x in enumerate(lines, 1) if "shine" in x)]
    assert to_json(project, RAMP).startswith("{")


@pytest.mark.parametrize(
    ("name", "text", "words"),
    [
        ("t.csv", "", "is empty"),
        ("t.csv", "a,b\n1,2\n", "no column “id”"),
        ("t.csv", "id,spread,spread\n", "the column spread twice"),
        ("t.csv", 'id,spread\n"amber', "not sound CSV"),
        ("t.json", "{", "not JSON at line 1"),
        ("t.json", "[]", "no list of"),
        ("t.json", '{"instances": [3]}', "holds no “values”"),
    ],
)
def test_what_is_no_table_is_said(project: Project, tmp_path: Path, name: str, text: str, words: str) -> None:
    with pytest.raises(BadFile, match=words):
        read(project, tmp_path, text, name)


def test_drop_downs_are_written_by_their_names() -> None:
    kind = Parameter(id="k", identifier="k", label="K", kind=Kind.NUMBER, default=0.0, choices=("moss", "ash"))
    assert (cell(kind, 1.0), cell(kind, 0.0), cell(kind, 0.5)) == ("ash", "moss", "0.5")


def test_values_go_out_and_come_back_by_the_window(window: MainWindow, tmp_path: Path) -> None:
    """Written, changed by another program, shown as a plan with its mistakes, confirmed, and undone in one step."""
    window.go_to_desk("Tune")
    window.tune.select("amber_hour")
    window.tune.value_commands.write_values(tmp_path / "ramp.csv")
    assert "3 instances of Height ramp" in window.status.message.text()
    rows = list(csv.DictReader((tmp_path / "ramp.csv").read_text().splitlines()))
    rows[0]["spread"], rows[1]["spread"] = "6.5", "nonsense"
    with (tmp_path / "ramp.csv").open("w", newline="") as file:
        writer = csv.DictWriter(file, list(rows[0]), delimiter=";")
        writer.writeheader()
        writer.writerows(rows)
    before = window.session.project
    dialog = window.tune.value_commands.plan_values(tmp_path / "ramp.csv")
    assert dialog and window.session.project is before
    dialog.show()
    assert dialog.table.rowCount() == 1 and dialog.table.item(0, 3).text() == "6.5"
    assert "line 3, column 7" in dialog.troubles.item(0).text()
    apply = dialog.buttons.button(QDialogButtonBox.StandardButton.Apply)
    dialog.accepted.connect(lambda: window.tune.value_commands.take_values(dialog))
    click(apply, QPointF(apply.rect().center()))
    assert window.session.project.instances["amber_hour"].values["spread"] == 6.5
    window.session.undo.undo()
    assert window.session.project.instances["amber_hour"].values["spread"] == 5.0
    (tmp_path / "no.csv").write_text("a,b\n")
    assert window.tune.value_commands.plan_values(tmp_path / "no.csv") is None
    assert "no column" in window.status.message.text()
