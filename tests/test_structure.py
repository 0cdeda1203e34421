"""How the code hangs together: no circles, no class that everything leans on, every widget by itself."""

from __future__ import annotations

import ast
import importlib
import pkgutil
import re
from collections.abc import Iterator
from graphlib import TopologicalSorter
from pathlib import Path

import pytest
from PyQt6.QtWidgets import QApplication, QWidget

import soft_lantern.app.widgets as widgets

SOURCE = Path(__file__).parent.parent / "src"
MODULES = {
    ".".join(path.relative_to(SOURCE).with_suffix("").parts).removesuffix(".__init__"): path
    for path in SOURCE.rglob("*.py")
}
ALONE = [each.name for each in pkgutil.iter_modules(widgets.__path__) if each.name != "alone"]
RUNNABLE = [
    name
    for name in ALONE
    if re.search(r"^class \w+\(Q\w+\)", MODULES[f"soft_lantern.app.widgets.{name}"].read_text(), re.M)
]


def imports_of(path: Path) -> Iterator[str]:
    """The modules of the program that a module imports anywhere, even for the sake of types alone."""
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.Import):
            yield from (alias.name for alias in node.names if alias.name in MODULES)
        elif isinstance(node, ast.ImportFrom) and node.module in MODULES:
            inner = [f"{node.module}.{alias.name}" for alias in node.names]
            yield from (each if each in MODULES else node.module for each in inner)


def test_no_module_imports_in_a_circle() -> None:
    graph = {name: set(imports_of(path)) - {name} for name, path in MODULES.items()}
    assert len(list(TopologicalSorter(graph).static_order())) == len(MODULES)  # raises CycleError, with the circle


def test_classes_and_files_of_the_window_stay_small() -> None:
    app = {name: path.read_text() for name, path in MODULES.items() if name.startswith("soft_lantern.app.")}
    long = {name for name, text in app.items() if text.count("\n") > 400}
    large = {
        f"{name}.{node.name}"
        for name, text in app.items()
        for node in ast.walk(ast.parse(text))
        if isinstance(node, ast.ClassDef) and (node.end_lineno or 0) - node.lineno >= 250
    }
    assert not long and not large


@pytest.mark.parametrize("name", ALONE)
def test_widgets_know_values_and_not_the_session(name: str) -> None:
    found = set(imports_of(MODULES[f"soft_lantern.app.widgets.{name}"]))
    assert not {each for each in found if each.split(".")[2:3] in (["session"], ["window"], ["desks"], ["work"])}, found


@pytest.mark.parametrize(
    "name", [n for n in ALONE if "__main__" in (MODULES[f"soft_lantern.app.widgets.{n}"].read_text())]
)
def test_widgets_run_alone(name: str, qapp: QApplication, monkeypatch: pytest.MonkeyPatch, qtbot: object) -> None:
    """python -m soft_lantern.app.widgets.NAME shows it, and it paints."""
    shown: list[QWidget] = []

    def show(make: object) -> None:
        widget = make()  # type: ignore[operator]
        widget.show()
        assert not widget.grab().isNull()
        shown.append(widget)

    monkeypatch.setattr("soft_lantern.app.widgets.alone.show_alone", show)
    source = MODULES[f"soft_lantern.app.widgets.{name}"].read_text()
    exec(compile(source, name, "exec"), {"__name__": "__main__"})
    assert len(shown) == 1
    shown[0].close()
    importlib.invalidate_caches()
