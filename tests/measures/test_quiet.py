"""Measures are taken again while the machine's host keeps the cores."""

from __future__ import annotations

from pathlib import Path

import pytest

from soft_lantern.measures import quiet
from soft_lantern.measures.quiet import Quiet
from soft_lantern.measures.row import Measure, Row


class Machine:
    """A `/proc/stat` whose first line says what a measure wants: work and what is stolen, hundredths of a second."""

    def __init__(self, place: Path) -> None:
        self.place, self.work, self.stolen = place, 5000, 70
        self.live(0, 0)

    def live(self, work: int, stolen: int) -> None:
        self.work, self.stolen = self.work + work, self.stolen + stolen
        self.place.write_text(f"cpu  {self.work} 10 20 99999 800 0 30 {self.stolen} 0 0\ncpu0 1 2 3\n")

    def measure(self, *turns: tuple[int, int]) -> Measure:
        """One that tells its own turn's number, and works and is kept from working as told, turn by turn."""
        left = list(enumerate(turns))

        def taken() -> list[Row]:
            turn, lived = left.pop(0)
            self.live(*lived)
            return [Row("turn", float(turn), 9)]

        return taken


@pytest.fixture
def machine(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Machine:
    monkeypatch.setattr(quiet, "_STAT", tmp_path / "stat")
    return Machine(tmp_path / "stat")


@pytest.mark.parametrize(
    ("turns", "told", "loudest"),
    [
        ([(990, 10)], 0, 0.01),  # quiet at once, and not taken again
        ([(900, 100), (995, 5)], 1, 0.005),
        ([(900, 100), (700, 300), (990, 10)], 2, 0.01),
        ([(900, 100), (950, 50), (700, 300)], 1, 0.05),  # never quiet: the quietest, and the table says so
    ],
)
def test_the_quietest_of_three_is_told(
    turns: list[tuple[int, int]], told: float, loudest: float, machine: Machine
) -> None:
    taking = Quiet(patience=0)
    assert [row.value for row in taking.rows([machine.measure(*turns)])] == [told]
    assert taking.row().value == pytest.approx(loudest)
    assert taking.row().reached == (loudest <= 0.02)


def test_the_table_says_how_loud_its_loudest_measure_was(machine: Machine) -> None:
    taking = Quiet(patience=0)
    loud = machine.measure((970, 30), (970, 30), (970, 30))
    list(taking.rows([machine.measure((1000, 0)), loud, machine.measure((1000, 0))]))
    assert taking.row().value == pytest.approx(0.03)


def test_where_the_machine_tells_nothing_every_measure_is_quiet(machine: Machine) -> None:
    machine.place.unlink()
    taking = Quiet(patience=0)
    assert [row.name for row in taking.rows([lambda: [Row("one", 1.0, 2)]])] == ["one"]
    assert taking.row().value == 0
