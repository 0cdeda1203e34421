"""The reading of one wire: its histogram, lowest, mean and highest value, what is not finite, its bound, the probe."""

from __future__ import annotations

from PyQt6.QtWidgets import QGridLayout, QLabel, QVBoxLayout, QWidget

from soft_lantern.app.widgets.histogram import Histogram
from soft_lantern.app.widgets.labels import heading_label, plain_label
from soft_lantern.app.widgets.number_field import written
from soft_lantern.ir.interval import Interval
from soft_lantern.render.measuring import Measured

_ROWS = ("lowest", "mean", "highest", "not finite", "bound", "expected", "probe")


class Reading(QWidget):
    """Shows what was measured of a wire."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.title = heading_label()
        self.histogram = Histogram()
        self.numbers: dict[str, QLabel] = {}
        grid = QGridLayout()
        grid.setHorizontalSpacing(10)
        grid.setVerticalSpacing(3)
        for index, name in enumerate(_ROWS):
            label, number = plain_label(name), plain_label()
            label.setProperty("quiet", True)
            row, column = index % 4, index // 4 * 2
            grid.addWidget(label, row, column)
            grid.addWidget(number, row, column + 1)
            self.numbers[name] = number
        grid.setColumnStretch(1, 1)
        grid.setColumnStretch(3, 2)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 4, 0, 0)
        layout.addWidget(self.title)
        layout.addWidget(self.histogram, 1)
        layout.addLayout(grid)
        self.show_nothing()

    def show_nothing(self) -> None:
        """No wire is selected."""
        self.title.setText("Select a slip or a wire to read its values")
        self.histogram.clear()
        for number in self.numbers.values():
            number.clear()

    def show_wire(
        self,
        title: str,
        wire: str,
        measured: Measured,
        bound: Interval | None,
        expected: tuple[float, float] | None,
        traced: tuple[float, ...] | None,
    ) -> None:
        """Show one output of the last pass."""
        reach = measured.statistics[wire]
        self.title.setText(f"{title}, measured on {measured.points.words}")
        counts, edges = measured.histogram(wire)
        self.histogram.show_counts(counts, (float(edges[0]), float(edges[-1])), reach.mean, expected)
        texts = {
            "lowest": written(reach.low),
            "mean": written(reach.mean),
            "highest": written(reach.high),
            "not finite": str(reach.not_finite),
            "bound": _range((min(bound.low), max(bound.high))) + (", NaN" if bound.may_be_nan else "") if bound else "",
            "expected": _range(expected) if expected else "anything",
            "probe": "  ".join(written(part) for part in traced) if traced else "",
        }
        for name, text in texts.items():
            self.numbers[name].setText(text)


def _range(span: tuple[float, float]) -> str:
    return f"{written(span[0])} to {written(span[1])}"


if __name__ == "__main__":
    from soft_lantern.app.widgets.alone import show_alone

    show_alone(Reading)
