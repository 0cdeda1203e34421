"""What the canvas asks of the desk it stands on. Nothing on the canvas changes the document itself."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QObject, QPoint, pyqtSignal

from soft_lantern.graph.document import Material
from soft_lantern.graph.layout import pushed_down

Edit = Callable[[Material], Material]


class Wishes(QObject):
    """`material` gives the graph that is shown; it may have become another by the time an edit is made."""

    edited = pyqtSignal(str, str, object, str)
    """A graph's id, the name of an edit, the edit as a function of the material, and what it merges with."""
    told = pyqtSignal(str)
    image_wanted = pyqtSignal(str, str)
    """An image is to be loaded for a texture port: node id and port."""
    ramps_wanted = pyqtSignal(str)
    """Gradients and palettes are to be edited, this one first."""
    texture_changed = pyqtSignal(object)
    """A texture is to be read in another way."""
    snippet_wanted = pyqtSignal(str, object)
    """Nodes of a graph are to become a snippet: the graph's id and theirs."""
    open_wanted = pyqtSignal(str)
    """A snippet is to be opened."""
    exposed_below = pyqtSignal(str, str, QPoint)
    """A port was dragged off the canvas: node id, port, and where on the screen it was let go."""

    def __init__(self, material: Callable[[], Material], parent: QObject) -> None:
        super().__init__(parent)
        self.material = material

    def edit(self, name: str, edit: Edit, merge: str = "") -> None:
        """Ask for an edit of the graph as it is by then."""
        self.edited.emit(self.material().id, name, edit, merge)

    def reshape(self, name: str, node_id: str, edit: Edit) -> None:
        """Ask for an edit that may make a slip taller; what is under it makes room."""
        self.edit(name, lambda material: pushed_down(material, edit(material), node_id))
