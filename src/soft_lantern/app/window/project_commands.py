"""What is done to the project as a whole: materials, snippets, scenes, files that come and go."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QInputDialog, QWidget

from soft_lantern.app.command import Command
from soft_lantern.app.panels.object_panel import ask_for_mesh
from soft_lantern.app.session.imports import import_document
from soft_lantern.app.session.session import Session
from soft_lantern.app.widgets.passing import passing
from soft_lantern.formats.shader_gradients import Form
from soft_lantern.formats.shader_package import write_package
from soft_lantern.graph.document import Material, Node, changed, new_id, with_records, without_record
from soft_lantern.graph.instances.picks import worn_looks
from soft_lantern.graph.instances.values import put_material
from soft_lantern.graph.parameters.edits import with_shipped
from soft_lantern.graph.scenes import new_scene
from soft_lantern.graph.snippets import empty_snippet, put_snippet, remove_snippet


class ProjectCommands:
    """Questions are asked over `over`."""

    def __init__(self, session: Session, over: QWidget, selected: Callable[[], Sequence[str]]) -> None:
        """`selected` gives the looks that are selected on the open desk, if any."""
        self.session, self.over, self.selected = session, over, selected

    def new_material(self) -> None:
        """Add a material with an output node and open it."""
        name = f"Material {len(self.session.project.materials) + 1}"
        surface = Node(type="surface", x=320.0, y=80.0)
        material = Material(id=new_id("material"), name=name, nodes={new_id("surface"): surface})
        self.session.apply("New material", lambda project: put_material(project, material))
        self.session.open_material(material.id)

    def new_snippet(self) -> None:
        """Add a snippet of one input and one output, and open it."""
        snippet = empty_snippet(f"Snippet {len(self.session.project.snippets) + 1}")
        self.session.apply("New snippet", lambda project: put_snippet(project, snippet))
        self.session.open_material(snippet.id)

    def delete_snippet(self) -> None:
        """Take the open snippet away, if no graph uses it."""
        snippet_id = self.session.material_id
        self.session.apply("Delete snippet", lambda project: remove_snippet(project, snippet_id))

    def new_scene(self) -> None:
        """Add an empty scene and put it on the stage."""
        scene = new_scene(self.session.project)
        self.session.apply(f"Add {scene.name}", lambda project: with_records(project, scene))
        self.session.open_scene(scene.id)

    def delete_scene(self) -> None:
        """Take the scene on the stage away; its assets stay in the project."""
        scene = self.session.scene
        if scene:
            self.session.apply(f"Delete {scene.name}", lambda project: without_record(project, "scenes", scene.id))

    def rename_scene(self) -> None:
        """Type another name for the scene on the stage."""
        scene = self.session.scene
        if scene:
            name, given = QInputDialog.getText(self.over, "Rename scene", "Name", text=scene.name)
            if given and name.strip():
                self.session.edit_scene("Rename scene", lambda now: changed(now, name=name.strip()))

    def keep_view(self) -> None:
        """Let the scene open with the present view."""
        view = self.session.view
        self.session.edit_scene("Keep view", lambda scene: changed(scene, view=view))

    def contact_sheet(self) -> None:
        """Ask what a contact sheet is to show, and draw it: at first what is selected, and all that the stage wears."""
        project, scene = self.session.project, self.session.scene
        chosen = [*self.selected(), *(w for o in (scene.objects if scene else ()) for w in worn_looks(project, o))]
        from soft_lantern.app.window.sheet_dialog import SheetDialog  # slow to import, for its processes

        dialog = passing(SheetDialog(self.session, chosen, self.over))
        if dialog.exec():
            dialog.begin()

    def export_glsl(self) -> None:
        """Ask for a folder and write the open material's shader there."""
        folder = QFileDialog.getExistingDirectory(self.over, "Export GLSL into a folder")
        if folder:
            self.export_to(Path(folder))

    def export_exact(self) -> None:
        """The same with gradients written into the shader."""
        folder = QFileDialog.getExistingDirectory(self.over, "Export GLSL with exact gradients into a folder")
        if folder:
            self.export_to(Path(folder), "exact")

    def import_materialx(self) -> None:
        """Ask for a MaterialX document, and take its materials in."""
        name, _ = QFileDialog.getOpenFileName(self.over, "Import a MaterialX document", "", "MaterialX (*.mtlx)")
        if name:
            import_document(self.session, Path(name))

    def export_to(self, folder: Path, form: Form = "row") -> None:
        """Write the open material's shader text, parameter table and gradients into a folder."""
        material, session = self.session.material, self.session
        written: list[Path] = []

        def write() -> None:
            assert material
            written[:] = write_package(material, folder, project=session.project, form=form)

        if material and session.attempt(write):
            session.edit_material("Mark identifiers as gone out", material.id, with_shipped)
            session.told.emit(f"Exported {', '.join(p.name for p in written)} to {folder}")


def _no_scene(commands: ProjectCommands) -> str:
    return commands.session.scene_held if commands.session.scene else "There is no scene yet"


def _no_material(commands: ProjectCommands) -> str:
    return "" if commands.session.material else "There is no material yet"


def _no_snippet(commands: ProjectCommands) -> str:
    return "" if commands.session.material_id in commands.session.project.snippets else "Open the snippet that is to go"


MAKING: tuple[Command[ProjectCommands], ...] = (
    Command("New material", ProjectCommands.new_material, "Ctrl+Shift+M"),
    Command("New snippet", ProjectCommands.new_snippet),
    Command("Delete snippet", ProjectCommands.delete_snippet, hindered=_no_snippet),
    Command("Import mesh", lambda commands: ask_for_mesh(commands.session, commands.over), "Ctrl+I"),
    Command("Import MaterialX", ProjectCommands.import_materialx, "Ctrl+Alt+I"),
)
GIVING: tuple[Command[ProjectCommands], ...] = (
    Command("Export GLSL", ProjectCommands.export_glsl, "Ctrl+Shift+E", _no_material),
    Command("Export GLSL with exact gradients", ProjectCommands.export_exact, hindered=_no_material),
)
SCENES: tuple[Command[ProjectCommands], ...] = (
    Command("New scene", ProjectCommands.new_scene),
    Command("Rename scene", ProjectCommands.rename_scene, hindered=_no_scene, designers=True),
    Command("Delete scene", ProjectCommands.delete_scene, hindered=_no_scene, designers=True),
    Command("Keep this view for the scene", ProjectCommands.keep_view, hindered=_no_scene, designers=True),
)
SHEETS: tuple[Command[ProjectCommands], ...] = (
    Command("Contact sheet", ProjectCommands.contact_sheet, "Ctrl+Shift+C", designers=True),
)
