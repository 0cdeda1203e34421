"""What hands do to baked light: who takes part, baking beside the window, tuning its groups, handing it over."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QFileDialog

from soft_lantern.app.command import Command
from soft_lantern.app.desks.dress.light_panel import WHAT, GroupRow, LightPanel, LightRow
from soft_lantern.app.session.session import Session
from soft_lantern.app.work.beside import NewestAnswer, reply_to
from soft_lantern.app.work.tasks import Task
from soft_lantern.bake.light.baking import Hold, Lit, bake
from soft_lantern.bake.light.cores import Cores
from soft_lantern.bake.light.kept import NO_LIGHT, BakedLight
from soft_lantern.formats.light_export import hand_over, lit_objects
from soft_lantern.formats.light_files import keep_light
from soft_lantern.graph.document import LightBake, LightGroup, Project, Scene
from soft_lantern.graph.scenes import edited_scene, with_bake, with_group, with_light_role
from soft_lantern.progress import Progress
from soft_lantern.render.baked import ShownLight, stale
from soft_lantern.render.light_parts import HIDDEN, MOVES, MeanEmissions, Part, parts_of, with_dark_ones
from soft_lantern.render.light_scene import gathered, unfold_ahead
from soft_lantern.render.staging import LoweredMaterials
from soft_lantern.values.words import counted

MENDS = {MOVES: "Let it stand still", HIDDEN: "Show it"}
SETTINGS = ("texels", "samples", "bounces", "seed", "denoise", "sky", "probes")


class Baking(QObject):
    """Serves a `LightPanel` from the scene on the stage. `selected` gives the selected object's id and part."""

    def __init__(self, session: Session, panel: LightPanel, selected: Callable[[], tuple[str, str]]) -> None:
        super().__init__(panel)
        self.session, self.panel, self._selected = session, panel, selected
        self.task: Task | None = None
        self.remarks: tuple[str, ...] = ()
        self._hold = Hold()
        self._looks, self._means = LoweredMaterials(), MeanEmissions()
        self._cores: Cores | None = None
        self._ahead = NewestAnswer("unfolding ahead", self, lambda _: None, lambda _: None)
        self._asking = NewestAnswer("who gives light", self, self._show_parts, lambda _: None)
        panel.role_wanted.connect(self.set_role)
        panel.all_wanted.connect(self.set_all)
        panel.mend_wanted.connect(self.mend)
        panel.grouped.connect(self.set_group)
        panel.bake_wanted.connect(self.bake)
        panel.hold_wanted.connect(self.hold)
        panel.stop_wanted.connect(self.stop)
        panel.setting_wanted.connect(self.set_up)
        panel.group_wanted.connect(self.tune)
        panel.hand_over_wanted.connect(self.choose_where)
        session.files.relit.connect(self._show_state)

    def refresh(self) -> None:
        """Show how things are; who gives light is worked out beside the window."""
        self._show_state()
        session, scene = self.session, self.session.scene
        if scene is None:
            self.panel.show_rows((), ("", ""))
            return
        project, models, images = session.project, dict(session.models), dict(session.images)
        looks, means = self._looks, self._means
        self._asking.ask(lambda: (scene.id, with_dark_ones(parts_of(project, scene, models, images, looks), means)))

    def _show_parts(self, found: tuple[str, list[Part]]) -> None:
        scene_id, parts = found
        scene, cores = self.session.scene, self._cores
        if scene is None or scene_id != scene.id:
            return
        self.panel.show_rows([_row(part, parts) for part in parts], self._selected())
        if cores is not None:
            texels = scene.baked.texels
            self._ahead.ask(lambda: unfold_ahead(parts, texels, cores))

    def _show_state(self) -> None:
        scene = self.session.scene
        if scene is None:
            return
        light = self.session.files.light_of(scene.id)
        groups = []
        for name in light.baked.groups if light else ():
            tuned = scene.baked.groups.get(name, LightGroup())
            groups.append(GroupRow(name, tuned.colour, tuned.strength))
        values = {name: float(getattr(scene.baked, name)) for name in SETTINGS}
        self.panel.show_settings(values, groups, self._state(light))
        self.panel.show_running(running=self.task is not None, held=not self._hold.going.is_set())

    def _state(self, light: ShownLight | None) -> str:
        scene = self.session.scene
        assert scene
        if light is None or not light.baked.samples:
            return "No light is baked here yet." if self.task is None else "Baking…"
        baked = light.baked
        words = f"{counted(baked.samples, 'sample')}, noise {baked.noise:.0%}, {baked.seconds:.1f} s"
        if self.task is not None:
            return f"So far: {words}"
        old = ". Something has moved since: what it lights is hatched" if stale(baked, scene) else ""
        return ". ".join([f"Baked: {words}{old}", *self.remarks])

    # Who takes part

    def set_role(self, object_id: str, part: str, what: str, on: bool) -> None:
        """Let a part give, take or stop light, or its object stay where it is, or not."""
        if what == "stays":
            self.session.change_object("Stand still" if on else "Move", object_id, moves=not on)
            return
        words = f"Let it {what.removesuffix('s')} light" if on else f"Let it not {what.removesuffix('s')} light"
        self.session.edit_scene(words, lambda scene: with_light_role(scene, object_id, part, {what: on}))

    def set_all(self, what: str, on: bool) -> None:
        """The same for every part that nothing keeps from it."""
        keys = [row.key for row in self.panel.rows if not row.why_not.get(what) and (what in row.does) is not on]

        def edit(scene: Scene) -> Scene:
            for object_id, part in keys:
                scene = with_light_role(scene, object_id, part, {what: on})
            return scene

        self.session.edit_scene(f"Let all {what.removesuffix('s')} light", edit)

    def set_group(self, object_id: str, part: str, name: str) -> None:
        """Let the light of a part count as a group of that name; "" is its object's own."""
        self.session.edit_scene("Group lights", lambda scene: with_light_role(scene, object_id, part, {"group": name}))

    def mend(self, object_id: str, part: str) -> None:
        """Do away with what keeps a part from taking part."""
        row = next((row for row in self.panel.rows if row.key == (object_id, part)), None)
        scene = self.session.scene
        thing = scene.object(object_id) if scene else None
        if row is None or thing is None:
            return
        if row.mend == MENDS[MOVES]:
            self.session.change_object("Stand still", object_id, moves=False)
        elif row.mend == MENDS[HIDDEN]:
            left = tuple(name for name in thing.hidden if name not in ("", part))
            self.session.change_object("Show", object_id, hidden=left)

    # Settings

    def set_up(self, name: str, value: object) -> None:
        """Change a field of how light is baked."""
        kind = type(getattr(LightBake(), name))
        self.session.edit_scene("Set how light is baked", lambda s: with_bake(s, **{name: kind(value)}), f"bake {name}")

    def tune(self, name: str, colour: tuple[float, float, float], strength: float) -> None:
        """Tune a light group, without a new bake."""
        self.session.edit_scene(
            f"Tune the light of {name}", lambda scene: with_group(scene, name, colour, strength), f"light {name}"
        )

    # Baking

    def warm_up(self, on: bool) -> None:
        """Begin the processes that a bake needs while its task is seen, so that it does not wait for them."""
        if on and self._cores is None and self.task is None:
            self._cores = Cores()
        elif not on and self._cores is not None:
            self._cores.close()
            self._cores = None
        scene = self.session.scene
        if on and scene and self.session.files.light_of(scene.id) is None:
            # The stage is ready for light before there is some.
            self.session.files.preview_light(scene.id, ShownLight(NO_LIGHT))

    def end(self) -> None:
        """End what runs beside the window."""
        self._asking.stop(wait=False)
        self._ahead.stop(wait=False)
        self.stop()
        self.warm_up(False)

    def hindered(self) -> str:
        """Why no light can be baked now, "" where it can."""
        if self.task is not None:
            return "Light is being baked"
        return "" if self.session.scene else "There is no scene"

    def bake(self) -> None:
        """Bake the light of the scene on the stage, beside the window."""
        session, scene = self.session, self.session.scene
        if self.hindered() or scene is None:
            return
        project, models, images = session.project, dict(session.models), dict(session.images)
        folder, scene_id, hold = session.folder, scene.id, Hold()
        self._hold = hold
        before = session.files.light_of(scene_id)
        unlit = before is None or not before.baked.samples or stale(before.baked, scene)
        good = None if before is None or unlit else before.baked.noise
        looks, means, cores = self._looks, self._means, self._cores or Cores()
        self._cores = None
        preview = reply_to(self, lambda light: self._preview(scene_id, light))

        def work(progress: Progress) -> tuple[str, BakedLight, tuple[str, ...]]:
            with cores:
                ready = gathered(project, scene, models, images, looks, cores, progress, means)

                def told(lit: Lit) -> None:
                    # The last good light stays until the new one is as good.
                    if good is None or (lit.samples > 2 and lit.noise <= good):
                        preview(ShownLight(ready.kept(lit)))

                light = ready.kept(bake(ready.job, cores, told, progress, hold))
            progress(1.0, "Writing the light")
            return keep_light(folder, scene, light), light, ready.remarks

        self.remarks = ()
        self.task = session.beside("Baking light", work, lambda made: self._baked(scene_id, *made))
        self.task.ended.connect(lambda: self._ended(scene_id))
        self._show_state()

    def _preview(self, scene_id: str, light: ShownLight) -> None:
        if self.task is not None:
            self.session.files.preview_light(scene_id, light)

    def _baked(self, scene_id: str, file: str, light: BakedLight, remarks: tuple[str, ...]) -> None:
        self.remarks = remarks
        self.session.files.hold_light(scene_id, file, ShownLight(light))
        self.session.files.preview_light(scene_id, None)

        def lit(project: Project) -> Project:
            return edited_scene(project, scene_id, lambda scene: with_bake(scene, file=file))

        self.session.apply("Bake light", lit)
        self.session.files.relit.emit()

    def _ended(self, scene_id: str) -> None:
        self.task = None
        self._hold = Hold()
        self.session.files.preview_light(scene_id, None)
        self.warm_up(self.panel.isVisible())
        self._show_state()

    def hold(self, on: bool) -> None:
        """Let the bake wait, or go on."""
        if on:
            self._hold.going.clear()
        else:
            self._hold.going.set()
        self._show_state()

    def stop(self) -> None:
        """Bake no more; the light is as it was before."""
        if self.task is not None:
            self._hold.going.set()
            self.task.cancel()

    # Out

    def choose_where(self) -> None:
        """Ask for a folder, and hand the light over to it."""
        chosen = QFileDialog.getExistingDirectory(self.panel, "Hand the light over to a folder", str(Path.home()))
        if chosen:
            self.hand_over(Path(chosen))

    def hand_over(self, folder: Path) -> None:
        """Write the light of the scene as it is tuned now into a folder."""
        session, scene = self.session, self.session.scene
        shown = session.files.light_of(scene.id) if scene else None
        if scene is None or shown is None or not shown.baked.samples:
            return
        project, models, images, looks = session.project, dict(session.models), dict(session.images), self._looks

        def work(progress: Progress) -> int:
            weights = shown.now(project, scene, models, images, looks).weights
            return len(hand_over(folder, shown.baked, weights, lit_objects(scene, models, shown.baked)))

        def tell(count: int) -> None:
            session.told.emit(f"Wrote {counted(count, 'file')} to {folder}")

        session.beside("Handing light over", work, tell)


def _row(part: Part, parts: list[Part]) -> LightRow:
    alone = sum(each.thing.id == part.thing.id for each in parts) == 1
    name = part.thing.name if alone or not part.name else f"{part.thing.name}: {part.name}"
    does = {what for what in WHAT[:3] if part.does(what)} | (set() if part.thing.moves else {"stays"})
    mend = next((MENDS[why] for why in part.why_not.values() if why in MENDS), "")
    return LightRow((part.thing.id, part.name), name, frozenset(does), part.why_not, mend, part.group)


LIGHT: tuple[Command[Baking], ...] = (
    Command("Bake light", lambda baking: baking.bake(), hindered=lambda baking: baking.hindered(), anywhere=True),
    Command(
        "Stop baking light",
        lambda baking: baking.stop(),
        hindered=lambda baking: "" if baking.task else "No light is being baked",
        anywhere=True,
    ),
    Command("Let everything take light", lambda baking: baking.set_all("takes", True), anywhere=True),
    Command("Hand light over", lambda baking: baking.choose_where(), anywhere=True),
)
