"""Headless commands. A mistake gets one line on stderr and exit code 2, and changes nothing."""

from __future__ import annotations

import contextlib
import json
import math
import os
import re
import runpy
import shutil
import signal
import socket
import sys
from collections.abc import Iterable
from pathlib import Path
from typing import Annotated, Any, Literal, NoReturn, Protocol, TypeVar

import typer
from rich.console import Console
from rich.progress import Progress as Bar

from soft_lantern import __version__
from soft_lantern.contact_sheet import sheet as contact
from soft_lantern.contact_sheet.cores import draw_on_all_cores
from soft_lantern.demo.project import write_demo
from soft_lantern.errors import BadProject, BadValue, LanternError
from soft_lantern.formats.assets import load_models
from soft_lantern.formats.images import load_images, write_exr, write_png
from soft_lantern.formats.project_folder import open_project
from soft_lantern.formats.records import HEAD
from soft_lantern.formats.saving import save_project
from soft_lantern.formats.shader_package import HEADS, write_package
from soft_lantern.graph.document import Asset, Instance, Material, Project, Scene, StageObject, View, changed
from soft_lantern.graph.instances.values import look
from soft_lantern.graph.lowering import lower, uniform_values
from soft_lantern.graph.notice import Severity
from soft_lantern.graph.notices.project import check_project
from soft_lantern.graph.parameters.edits import held
from soft_lantern.ir.expr import Expr, Type
from soft_lantern.ir.hand_point import hand_point
from soft_lantern.ir.inputs import INPUTS
from soft_lantern.ir.numpy_reader import as_rows, evaluate, leaf
from soft_lantern.limits import PICTURE_SIDE
from soft_lantern.render.choose import BACKENDS, renderer_for
from soft_lantern.render.gl import GlRenderer
from soft_lantern.render.gl_evaluate import evaluate_on_gpu
from soft_lantern.render.mesh_fit import unfit_meshes
from soft_lantern.render.staging import LoweredMaterials, StageOptions, frame_of, scene_bounds
from soft_lantern.scene.primitives import PRIMITIVES
from soft_lantern.scene.transforms import camera_for, view_of_bounds
from soft_lantern.values.colour import colour_from_hex
from soft_lantern.values.kinds import Value, components, fitted

app = typer.Typer(
    add_completion=False,
    rich_markup_mode=None,
    pretty_exceptions_enable=False,
)


def _version(asked: bool) -> None:
    if asked:
        print(f"Soft Lantern {__version__}")
        raise typer.Exit


@app.callback()
def _first(
    version: Annotated[
        bool, typer.Option("--version", callback=_version, is_eager=True, help="print the version and end")
    ] = False,
) -> None:
    """Soft Lantern, without its window."""


ProjectFolder = Annotated[Path, typer.Argument(metavar="PROJECT", help="the project's folder")]
Output = Annotated[Path, typer.Option("-o", "--output", help="where to write")]


@app.command()
def demo(fresh: Annotated[bool, typer.Option(help="make the demo anew, dropping changes to it")] = False) -> None:
    """Open the window on the demo project, making it first if it is not there."""
    from platformdirs import user_data_path

    folder = user_data_path("soft-lantern") / "Mothlight Terraces"
    if fresh and folder.exists():
        shutil.rmtree(folder)
    if not (folder / "project.json").exists():
        write_demo(folder)
    _open_window(folder)


@app.command("open")
def open_(
    project: ProjectFolder,
    desk: Annotated[str, typer.Option(help="tune: offer the Tune desk alone, from which no graph can be changed")] = "",
) -> None:
    """Open the window on a project, by its folder or the project.json in it."""
    if desk not in ("", "tune"):
        raise BadValue(f"the one desk that can be offered alone is tune, not {desk}")
    if project.name == HEAD and project.is_file():
        project = project.parent  # as a file manager hands it on
    open_project(project)
    _open_window(project, desk.capitalize() or None)


@app.command()
def new(
    project: ProjectFolder, demo: Annotated[bool, typer.Option("--demo", help="write the demo project")] = False
) -> None:
    """Write a new project into an empty or missing folder."""
    if project.exists() and (not project.is_dir() or any(project.iterdir())):
        raise BadProject(f"{project} is not an empty folder")
    if demo:
        write_demo(project)
    else:
        save_project(Project(name=project.name), project)
    print(f"wrote {project}")


@app.command()
def check(
    project: ProjectFolder, as_json: Annotated[bool, typer.Option("--json", help="print as JSON")] = False
) -> None:
    """Print what is wrong with a project; exit with 1 if any of it is an error."""
    opened = open_project(project)
    models, meshes = load_models(opened.project, project)
    images, textures = load_images(opened.project, project)
    notices = [*opened.notices, *meshes, *textures, *check_project(opened.project, images)]
    for scene in opened.project.scenes.values():
        camera = camera_for(scene.view, (1, 1))
        notices += unfit_meshes(opened.project, scene, models, camera, LoweredMaterials(), images)
    if as_json:
        fields = ("severity", "kind", "text", "place", "node", "port")
        print(json.dumps([{f: str(getattr(n, f)) for f in fields} for n in notices], indent=2, ensure_ascii=False))
    else:
        for notice in notices:
            where = f"{notice.place}: " if notice.place else ""
            print(" ".join(f"{notice.severity}: {where}{notice.text}".split()))
        print(f"{len(notices)} notice{'' if len(notices) == 1 else 's'}")
    if any(n.severity is Severity.ERROR for n in notices):
        raise typer.Exit(1)


@app.command()
def render(
    project: ProjectFolder,
    output: Output,
    scene: Annotated[str, typer.Option(help="the scene to draw")] = "",
    object_: Annotated[str, typer.Option("--object", help="or one asset, or a primitive")] = "",
    material: Annotated[str, typer.Option(help="what the object wears")] = "",
    instance: Annotated[str, typer.Option(help="and which instance of it")] = "",
    time: Annotated[float, typer.Option(help="seconds")] = 0.0,
    size: Annotated[str, typer.Option(help="WIDTHxHEIGHT")] = "960x640",
    backend: Annotated[str, typer.Option(help="gl or soft; by default gl where the machine has it")] = "",
) -> None:
    """Draw a scene, or one object in a material, into a PNG file, or its linear light into an OpenEXR file."""
    document = open_project(project).project
    pixels = _parsed_size(size)
    if backend and backend not in BACKENDS:
        raise BadValue(f"there is no backend “{backend}”, only {' and '.join(BACKENDS)}")
    if bool(scene) == bool(object_):
        raise BadValue("say either --scene NAME or --object ASSET --material M")
    if scene:
        shown = _named(document.scenes.values(), scene, "scene")
        options = StageOptions()
    else:
        document, shown = _single_object(document, object_, material, instance)
        options = StageOptions(floor=False, grid=False)
    models, notices = load_models(document, project)
    images, _ = load_images(document, project)
    for notice in notices:
        if notice.severity is Severity.ERROR and any(o.asset == notice.place for o in shown.objects):
            raise BadValue(notice.text)
    view = shown.view if scene else view_of_bounds(*scene_bounds(shown, models), View())
    camera = camera_for(view, pixels)
    frame = frame_of(document, shown, models, camera, pixels, options, LoweredMaterials(), time, 4, images)
    renderer, remark = renderer_for(backend or None)
    if remark:
        print(remark, file=sys.stderr)
    picture = renderer.render(frame)
    if output.suffix.lower() == ".exr":
        write_exr(picture.linear, output)
    else:
        write_png(picture.pixels, output)
    print(f"wrote {output}")


@app.command()
def sheet(
    project: ProjectFolder,
    output: Output,
    instance: Annotated[list[str] | None, typer.Option(help="an instance or material; else all instances")] = None,
    asset: Annotated[list[str] | None, typer.Option(help="an asset or a primitive; a sphere where none")] = None,
    sky: Annotated[list[str] | None, typer.Option(help="a sky; studio soft where none")] = None,
    size: Annotated[str, typer.Option(help="WIDTHxHEIGHT of each picture")] = "256x256",
    backend: Annotated[str, typer.Option(help="gl or soft; by default gl where the machine has it")] = "",
) -> None:
    """Draw instances × assets × skies into one PNG or PDF with captions."""
    document = open_project(project).project
    pixels = _parsed_size(size)
    known: list[Instance | Material] = [*document.instances.values(), *document.materials.values()]
    looks = [_named(known, name, "instance").id for name in instance or []]
    looks = looks or [i.id for i in sorted(document.instances.values(), key=lambda i: i.name.lower())]
    assets = []
    for name in asset or ["sphere"]:
        document, found = contact.named_asset(document, name, PRIMITIVES)
        assets.append(found)
    skies = [contact.named_sky(document, name) for name in sky or ["studio soft"]]
    listed = contact.cells(document, looks, assets, skies)
    if output.suffix.lower() not in contact.ENDINGS:
        raise BadValue(f"{output.name}: a contact sheet is written as {' or '.join(contact.ENDINGS)}")
    models, notices = load_models(document, project)
    images, _ = load_images(document, project)
    for notice in notices:
        if notice.severity is Severity.ERROR and notice.place in assets:
            raise BadValue(notice.text)
    if backend not in ("", *BACKENDS):
        raise BadValue(f"there is no backend “{backend}”, only {' and '.join(BACKENDS)}")
    with Bar(transient=True, console=Console(stderr=True)) as bar:
        task = bar.add_task("", total=1.0)

        def moved(share: float, words: str) -> None:
            bar.update(task, completed=share, description=words)

        pictures = draw_on_all_cores(document, listed, models, images, pixels, backend or None, moved)
    columns = contact.columns_for(len(assets), len(skies), len(listed))
    contact.write(contact.laid_out(listed, pictures, columns, document.name), output)
    print(f"wrote {output}")


@app.command()
def probe(
    project: ProjectFolder,
    material: Annotated[str, typer.Option(help="the material")],
    instance: Annotated[str, typer.Option(help="an instance of it")] = "",
    set_: Annotated[list[str] | None, typer.Option("--set", metavar="PARAM=VALUE")] = None,
    at: Annotated[list[str] | None, typer.Option("--at", metavar="INPUT=VALUES")] = None,
    reader: Annotated[str, typer.Option(help="numpy or glsl")] = "numpy",
    as_json: Annotated[bool, typer.Option("--json", help="print as JSON")] = False,
) -> None:
    """Evaluate a material's graph at one point: every surface output and every wire."""
    document = open_project(project).project
    found, values = _look(document, material, instance)
    for text in set_ or []:
        identifier, given = _pair(text, "--set")
        parameter = next((p for p in found.parameters if identifier in (p.identifier, p.id)), None)
        if parameter is None:
            known = ", ".join(p.identifier for p in found.parameters) or "none"
            raise BadValue(f"{found.name} has no parameter “{identifier}”; it has {known}")
        value = fitted(_value(given, identifier), parameter.kind)
        if held(parameter, value) != value:
            raise BadValue(f"{identifier}={given} is outside the limits {parameter.low} to {parameter.high}")
        values[parameter.id] = value
    lowered = lower(found)
    images, _ = load_images(document, project)
    leaves = {name: leaf(parts) for name, parts in uniform_values(lowered, found, values, images).items()}
    leaves |= {name: leaf(parts) for name, parts in _inputs(at or []).items()}
    results: dict[str, Expr] = {f"surface {n}": e for n, e in lowered.surface.items()} | lowered.wires
    results = {name: expr for name, expr in results.items() if expr.type is not Type.SAMPLER}
    computed = _computed(results, leaves, reader)
    answer = {
        "material": found.id,
        "surface": {n: computed[f"surface {n}"] for n in lowered.surface},
        "wires": {n: computed[n] for n in lowered.wires if n in computed},
    }
    if as_json:
        print(json.dumps(answer, indent=2))
    else:
        for name in computed:
            print(f"{name}: {', '.join(str(part) for part in computed[name])}")


@app.command()
def export(
    project: ProjectFolder,
    material: Annotated[str, typer.Option(help="the material")],
    to: Annotated[str, typer.Option(help=f"the target: {' or '.join(HEADS)}")],
    output: Output,
    gradients: Annotated[str, typer.Option(help="gradients as: row or exact")] = "row",
) -> None:
    """Write a material's shader text, parameter table and gradients into a folder."""
    if gradients not in ("row", "exact"):
        raise BadValue(f"gradients go out as row or exact, not “{gradients}”")
    form: Literal["row", "exact"] = "row" if gradients == "row" else "exact"
    if to not in HEADS:
        raise BadValue(f"there is no target “{to}”, only {' and '.join(HEADS)}")
    document = open_project(project).project
    named = _named(document.materials.values(), material, "material")
    for path in write_package(named, output, to, document, form):
        print(f"wrote {path}")


@app.command()
def bench(as_json: Annotated[bool, typer.Option("--json", help="print as JSON")] = False) -> None:
    """Print the benchmark table: ratios and longest waits within this one run."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from soft_lantern.app.measures import table as window_table
    from soft_lantern.measures.table import table

    rows = [*table(), *window_table()]
    if as_json:
        listed = [{"name": r.name, "value": r.value, "limit": r.limit, "unit": r.unit} for r in rows]
        print(json.dumps(listed, indent=2))
        return
    for row in rows:
        verdict = "reached" if row.reached else "not reached"
        print(f"{row.name:56} {row.value:8.2f} {row.unit:2}  must be {row.limit:g} or less: {verdict}")


@app.command(
    context_settings={
        "allow_extra_args": True,
        "ignore_unknown_options": True,
        "allow_interspersed_args": False,  # from FILE.py on, everything is the script's, --help too
    }
)
def script(context: typer.Context, file: Annotated[Path, typer.Argument(metavar="FILE.py")]) -> None:
    """Run a Python script with the package importable; what follows FILE.py is the script's own arguments."""
    if not file.is_file():
        raise BadValue(f"there is no script {file}")
    sys.argv = [str(file), *context.args]
    runpy.run_path(str(file), run_name="__main__")


def main() -> None:
    """The entry point: run a command, and say in one line what went wrong.

    Exit codes: 2 where what was given is wrong or the disk refuses, 70 after a mistake of this program, 128 and the
    signal's number after a signal.
    """
    signal.signal(signal.SIGTERM, _ended)
    try:
        code = app(standalone_mode=False)
    except LanternError as error:
        _leave(str(error), 2)
    except (typer.Abort, KeyboardInterrupt):
        _leave("stopped", 128 + signal.SIGINT)
    except _Ended:
        _leave("ended", 128 + signal.SIGTERM)
    except typer.TyperException as error:  # a command line that cannot be understood
        _leave(error.format_message() if hasattr(error, "format_message") else str(error), 2)
    except BrokenPipeError:  # whoever read the output has seen enough
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        sys.exit(128 + signal.SIGPIPE)
    except OSError as error:
        _leave(f"{error.filename or 'the system'}: {error.strerror or error}", 2)
    except MemoryError:
        _leave("this does not fit into memory", 2)
    except Exception as error:
        if sys.argv[1:2] == ["script"] or os.environ.get("LANTERN_TRACEBACK"):
            raise
        _leave(f"a mistake of this program, {type(error).__name__}: {error} (LANTERN_TRACEBACK=1 tells where)", 70)
    sys.exit(code if isinstance(code, int) else 0)


class _Ended(BaseException):
    """The system asked this process to end."""


def _ended(number: int, frame: object) -> None:
    raise _Ended


def _leave(words: str, code: int) -> NoReturn:
    print(f"lantern: {' '.join(words.split())}", file=sys.stderr)
    sys.exit(code)


def _open_window(folder: Path, only: str | None = None) -> None:
    _check_screen()
    from soft_lantern.app.main import run

    sys.exit(run(folder, only))


def _check_screen() -> None:
    """Raises BadValue where Qt would end the program for want of a screen."""
    platform = os.environ.get("QT_QPA_PLATFORM", "")
    if platform.partition(":")[0] not in ("", "xcb", "wayland", "wayland-egl"):
        return
    display, wayland = os.environ.get("DISPLAY", ""), os.environ.get("WAYLAND_DISPLAY", "")
    if not display and not wayland:
        raise BadValue("there is no screen to open a window on: neither DISPLAY nor WAYLAND_DISPLAY is set")
    number = re.fullmatch(r"(?:unix)?:(\d+)(?:\.\d+)?", display)
    if number and not wayland and not Path(f"/tmp/.X11-unix/X{number.group(1)}").exists():
        with contextlib.closing(socket.socket(socket.AF_UNIX)) as screen:
            try:
                screen.connect(f"\0/tmp/.X11-unix/X{number.group(1)}")
            except OSError:
                raise BadValue(f"there is no screen {display} to open a window on") from None


class _Named(Protocol):
    @property
    def id(self) -> str: ...

    @property
    def name(self) -> str: ...


T = TypeVar("T", bound=_Named)


def _named(records: Iterable[T], wanted: str, kind: str) -> T:
    """The record of that id, or of that name whatever its case."""
    listed = list(records)
    for record in listed:
        if record.id == wanted:
            return record
    matches = [r for r in listed if r.name.lower() == wanted.lower()]
    if len(matches) == 1:
        return matches[0]
    if matches:
        raise BadValue(f"several of the project’s {kind}s are called “{wanted}”; use an id: {_ids(matches)}")
    raise BadValue(f"the project has no {kind} “{wanted}”; it has {_ids(listed)}")


def _ids(records: Iterable[_Named]) -> str:
    return ", ".join(sorted(r.id for r in records)) or "none"


def _look(document: Project, material: str, instance: str) -> tuple[Material, dict[str, Value]]:
    found = _named(document.materials.values(), material, "material")
    if not instance:
        return found, {}
    tuned = _named(document.instances.values(), instance, "instance")
    whole = look(document, tuned.id)
    if whole is None or whole.material.id != found.id:
        raise BadValue(f"{tuned.name} is not an instance of {found.name}")
    return found, dict(whole.values)


def _single_object(document: Project, asset: str, material: str, instance: str) -> tuple[Project, Scene]:
    if not material:
        raise BadValue("--object needs --material")
    found, _ = _look(document, material, instance)
    worn = _named(document.instances.values(), instance, "instance").id if instance else found.id
    if asset in PRIMITIVES and asset not in document.assets:
        made = Asset(id=asset, name=asset, primitive=asset, subdivision=64)  # type: ignore[arg-type]
        document = changed(document, assets={**document.assets, made.id: made})
    chosen = _named(document.assets.values(), asset, "asset")
    thing = StageObject(id="object", name=chosen.name, asset=chosen.id, wears={"": worn})
    return document, Scene(id="single", name="single", objects=(thing,))


def _parsed_size(text: str) -> tuple[int, int]:
    parts = text.lower().split("x")
    sides = [int(part) for part in parts if re.fullmatch(r"[0-9]{1,5}", part)]
    if len(parts) != 2 or len(sides) != 2 or not all(1 <= side <= PICTURE_SIDE for side in sides):
        raise BadValue(f"“{text}” is not a size; write WIDTHxHEIGHT, each from 1 to {PICTURE_SIDE}")
    return sides[0], sides[1]


def _pair(text: str, option: str) -> tuple[str, str]:
    name, equals, value = text.partition("=")
    if not equals:
        raise BadValue(f"{option} takes NAME=VALUE, not “{text}”")
    return name.strip(), value.strip()


def _value(text: str, name: str) -> Value:
    if text.startswith("#"):
        return colour_from_hex(text)
    try:
        parts = tuple(float(part) for part in text.split(","))
    except ValueError:
        raise BadValue(f"{name}={text} is not a number, a list of numbers or a hex colour") from None
    return parts if len(parts) > 1 else parts[0]


def _inputs(given: list[str]) -> dict[str, tuple[float, ...]]:
    """Every surface input's components, those that follow from what is given too.

    `position` is the point in the world, where its object stands at the origin unless said, and `normal` its normal.
    """
    found: dict[str, tuple[float, ...]] = {}
    short = {"position": ["position_world"], "normal": ["normal_world"]}
    for text in given:
        name, values = _pair(text, "--at")
        targets = short.get(name, [name])
        if targets[0] not in INPUTS:
            raise BadValue(f"there is no input “{name}”; there are {', '.join([*short, *INPUTS])}")
        value = _value(values, name)
        parts = components(value)
        if len(parts) != INPUTS[targets[0]].type.width:
            raise BadValue(f"{name} takes {INPUTS[targets[0]].type.width} number(s), not {len(parts)}")
        found |= dict.fromkeys(targets, parts)
    return hand_point(found)


def _computed(results: dict[str, Expr], leaves: dict[str, Any], reader: str) -> dict[str, list[float | str]]:
    if reader == "numpy":
        values = evaluate(results.values(), leaves)
        rows = {name: as_rows(values[expr], 1)[0] for name, expr in results.items()}
    elif reader == "glsl":
        rows = {name: r[0] for name, r in evaluate_on_gpu(GlRenderer(), results, leaves, 1).items()}
    else:
        raise BadValue(f"there is no reader “{reader}”, only numpy and glsl")
    return {name: [_plain_number(float(part)) for part in row] for name, row in rows.items()}


def _plain_number(value: float) -> float | str:
    """JSON has no infinity and no NaN: they become text."""
    if math.isfinite(value):
        return value
    return "NaN" if math.isnan(value) else ("Infinity" if value > 0 else "-Infinity")
