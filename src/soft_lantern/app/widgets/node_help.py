"""What the selected node is: its sentence, formula, ports with units and ranges, an example, cost and source."""

from __future__ import annotations

from html import escape

from PyQt6.QtWidgets import QTextBrowser, QWidget

from soft_lantern.ir.cost import Cost
from soft_lantern.nodes.definition import NodeType
from soft_lantern.nodes.explain import explain


class NodeHelp(QTextBrowser):
    """Shows one node type at a time."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setOpenLinks(False)
        self.setAccessibleName("what the node is")
        self._shown: object = None
        self.show_node(None, None)

    def show_node(self, node_type: NodeType | None, whole: Cost | None, inside: Cost | None = None) -> None:
        """Explain a node type, and say what the whole graph costs; `inside`: what the graph in a snippet does."""
        if (node_type, whole, inside) == self._shown:
            return
        self._shown = (node_type, whole, inside)
        total = f"<p>The whole graph: {whole}, {whole.live} numbers kept at once.</p>" if whole else ""
        if node_type is None:
            self.setHtml("<p>Select a slip to read what it does</p>" + total)
            return
        told = explain(node_type)
        rows = "".join(
            f"<tr><td>{escape(r.way)}</td><td><b>{escape(r.name)}</b>&nbsp;&nbsp;</td>"
            f"<td>{escape(r.kind)} {escape(r.unit)}"
            f"&nbsp;&nbsp;</td><td>{escape(r.expected)}&nbsp;&nbsp;</td><td>{escape(r.default)}</td></tr>"
            for r in told.rows
        )
        notes = "".join(f"<p>{escape(note)}</p>" for note in told.notes)
        self.setHtml(
            f"<p><b>{escape(node_type.title)}</b> &nbsp;{escape(told.summary)}</p>"
            f"<p><code>{escape(told.formula)}</code></p>{notes}<table>{rows}</table>"
            f"<p>{escape(told.example)}</p><p>Costs {inside or told.cost}. Source: {escape(told.source)}.</p>{total}"
        )


if __name__ == "__main__":
    from soft_lantern.app.widgets.alone import show_alone
    from soft_lantern.nodes import LIBRARY

    def example() -> NodeHelp:
        widget = NodeHelp()
        widget.show_node(LIBRARY["height_mask"], None)
        return widget

    show_alone(example)
