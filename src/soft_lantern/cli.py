"""Headless commands. A mistake gets one line on stderr and exit code 2, and changes nothing.

Each command imports what it does when it is called, so that none waits for what another needs.
"""

from __future__ import annotations

import contextlib
import gc
import json
import os
import re
import runpy
import signal
import socket
import sys
from pathlib import Path
from typing import Annotated, NoReturn, Protocol, TypeVar

import typer

from soft_lantern import __version__
from soft_lantern.errors import BadProject, BadValue, LanternError
from soft_lantern.values.words import counted

app = typer.Typer(
    add_completion=False,
    rich_markup_mode=None,
    pretty_exceptions_enable=False,
)


def _version(asked: bool) -> None:
    if asked:
        print(f"Soft Lantern {__version__}")
        raise typer.Exit


@app.callback(invoke_without_command=True)
def _first(
    context: typer.Context,
    version: Annotated[
        bool, typer.Option("--version", callback=_version, is_eager=True, help="print the version and end")
    ] = False,
) -> None:
    """Soft Lantern. Without a command, its start page opens."""
    if context.invoked_subcommand is None:
        _open_window(None)


ProjectFolder = Annotated[Path, typer.Argument(metavar="PROJECT", help="the project's folder")]
Output = Annotated[Path, typer.Option("-o", "--output", help="where to write")]


@app.command()
def demo(fresh: Annotated[bool, typer.Option(help="make the demo anew, dropping changes to it")] = False) -> None:
    """Open the window on the demo project, making it first if it is not there."""
    from soft_lantern.demo.project import own_demo

    _open_window(own_demo(fresh=fresh))


@app.command("open")
def open_(
    project: Annotated[
        Path | None, typer.Argument(metavar="PROJECT", help="the project's folder; else the start page opens")
    ] = None,
    desk: Annotated[str, typer.Option(help="tune: offer the Tune desk alone, from which no graph can be changed")] = "",
) -> None:
    """Open the window on a project, by its folder or the project.json in it."""
    from soft_lantern.formats.records import HEAD

    if desk not in ("", "tune"):
        raise BadValue(f"the one desk that can be offered alone is tune, not {desk}")
    if project is None:
        _open_window(None)
    if project.name == HEAD and project.is_file():
        project = project.parent  # as a file manager hands it on
    _open_window(project, desk.capitalize() or None)


@app.command()
def new(
    project: ProjectFolder,
    demo: Annotated[bool, typer.Option("--demo", help="write the demo project")] = False,
    start: Annotated[str, typer.Option("--from", help="write a starting point, such as height_ramp")] = "",
) -> None:
    """Write a new project into an empty or missing folder."""
    from soft_lantern.demo.project import write_demo
    from soft_lantern.demo.starting_points import POINTS
    from soft_lantern.formats.saving import save_project
    from soft_lantern.graph.document import Project

    if project.exists() and (not project.is_dir() or any(project.iterdir())):
        raise BadProject(f"{project} is not an empty folder")
    if start and start not in POINTS:
        raise BadValue(f"there is no starting point {start}; there are {', '.join(POINTS)}")
    if demo:
        write_demo(project)
    elif start:
        POINTS[start].begin(project)
    else:
        save_project(Project(name=project.name), project)
    print(f"wrote {project}")


@app.command()
def check(
    project: ProjectFolder, as_json: Annotated[bool, typer.Option("--json", help="print as JSON")] = False
) -> None:
    """Print what is wrong with a project; exit with 1 if any of it is an error."""
    from soft_lantern.commands.checking import check as found_in

    notices = found_in(project)
    if as_json:
        fields = ("severity", "kind", "text", "place", "node", "port")
        listed = [{"name": name, **{f: str(getattr(n, f)) for f in fields}} for name, n in notices]
        print(json.dumps(listed, indent=2, ensure_ascii=False))
    else:
        for name, notice in notices:
            where = f"{name}: " if name else ""
            print(" ".join(f"{notice.severity}: {where}{notice.text}".split()))
        print(counted(len(notices), "notice"))
    if any(n.severity == "error" for _, n in notices):
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
    from soft_lantern.commands import drawing

    drawing.render(project, output, scene, object_, material, instance, time, size, backend)
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
    from soft_lantern.commands import drawing

    drawing.sheet(project, output, instance or [], asset or [], sky or [], size, backend)
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
    from soft_lantern.commands.probing import probe as probed

    answer = probed(project, material, instance, set_ or [], at or [], reader)
    if as_json:
        print(json.dumps(answer, indent=2))
        return
    for name, value in answer["surface"].items():
        print(f"surface {name}: {', '.join(map(str, value))}")
    for name, value in answer["wires"].items():
        print(f"{name}: {', '.join(map(str, value))}")


@app.command()
def export(
    project: ProjectFolder,
    to: Annotated[list[str], typer.Option(help="a target, such as glsl or hlsl; may be repeated")],
    output: Output,
    material: Annotated[list[str] | None, typer.Option(help="a material; may be repeated; else all")] = None,
    instance: Annotated[list[str] | None, typer.Option(help="a look for gltf, page, mtlx; else all")] = None,
    asset: Annotated[list[str] | None, typer.Option(help="an asset alone for gltf and page; repeatable")] = None,
    scene: Annotated[list[str] | None, typer.Option(help="a scene for gltf and page; repeatable; else all")] = None,
    gradients: Annotated[str, typer.Option(help="gradients as: row or exact")] = "row",
    proof: Annotated[bool, typer.Option("--proof", help="have others compile and run the text")] = False,
    watch: Annotated[bool, typer.Option("--watch", help="deliver again whenever the project changes")] = False,
    as_json: Annotated[bool, typer.Option("--json", help="print what was written as JSON")] = False,
) -> None:
    """Write materials' shader text, parameter tables and gradients into a folder, or a page that shows them."""
    from soft_lantern.commands.exporting import Chosen, changes, in_words, state_of
    from soft_lantern.commands.exporting import export as export_

    chosen = Chosen(material or (), instance or (), asset or (), scene or ())

    def once() -> bool:
        done, rows = export_(project, to, output, chosen, gradients, proof=proof)
        print("\n".join(in_words(done, rows, as_json=as_json)), flush=True)
        return all(row["holds"] for row in rows)

    before = state_of(project, output) if watch else {}  # what changes while the first is written counts
    holds = once()
    for _ in changes(project, output, before) if watch else ():
        try:
            once()
        except LanternError as error:  # the next change may mend it
            print(f"lantern: {error}", file=sys.stderr, flush=True)
    raise typer.Exit(0 if holds else 1)


@app.command()
def answer(
    project: ProjectFolder,
    file: Annotated[Path, typer.Argument(help="what was downloaded from a review page, or a table of values")],
    take: Annotated[bool, typer.Option("--take", help="change the project; else only say what would change")] = False,
) -> None:
    """Say what an answer to a review page would change, and change it if that is wanted."""
    from soft_lantern.commands.answering import answer as answer_

    for line in answer_(project, file, take=take):
        print(line)


@app.command("import")
def import_(
    project: ProjectFolder,
    file: Annotated[Path, typer.Argument(help="a MaterialX document, *.mtlx")],
) -> None:
    """Take the materials of a MaterialX document into a project, with the pictures they read."""
    from soft_lantern.commands.importing import import_document

    for line in import_document(project, file):
        print(line)


@app.command()
def bake(
    project: ProjectFolder,
    scene: Annotated[str, typer.Option(help="the scene whose light is baked")],
    samples: Annotated[int | None, typer.Option(help="samples a texel; else as the scene says")] = None,
    seed: Annotated[int | None, typer.Option(help="the same one gives the same light; else as the scene says")] = None,
    output: Annotated[Path | None, typer.Option("-o", "--output", help="a folder to hand the light over to")] = None,
    as_json: Annotated[bool, typer.Option("--json", help="print the figures as JSON")] = False,
) -> None:
    """Bake the light that a scene's emissive surfaces give, and keep it in the project."""
    from soft_lantern.commands.baking import bake_scene
    from soft_lantern.commands.progress_bar import progress_bar

    with progress_bar() as progress:
        figures = bake_scene(project, scene, samples, seed, output, progress)
    if as_json:
        print(json.dumps(figures, indent=2, ensure_ascii=False))
        return
    for remark in figures["remarks"]:
        print(f"note: {remark}")
    maps = ", ".join(f"{name} {width} × {height}" for name, (width, height) in figures["light_maps"].items())
    taken = f"{figures['samples']} samples in {figures['seconds']:.1f} s, noise {figures['noise']:.3f}"
    print(f"{figures['scene']}: {taken}")
    print(f"light maps: {maps or 'none'}; probes: {figures['probes']}")
    for path in [project / figures["file"], *figures["written"]]:
        print(f"wrote {path}")


@app.command()
def bench(
    as_json: Annotated[bool, typer.Option("--json", help="print as JSON")] = False,
    against: Annotated[Path | None, typer.Option(help="an earlier table that --json printed")] = None,
) -> None:
    """Print the benchmark table: ratios and longest waits within this one run."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from soft_lantern.app.measures import table
    from soft_lantern.measures.earlier import compared, read_table

    earlier = read_table(against) if against else {}
    rows = []
    for row in table():
        rows.append(row)
        if not as_json:
            verdict = "reached" if row.reached else "not reached"
            words = f"{row.name:56} {row.value:8.2f} {row.unit:2}  must be {row.limit:g} or less: {verdict}"
            print(words, flush=True)
    if as_json:
        listed = [{"name": r.name, "value": r.value, "limit": r.limit, "unit": r.unit} for r in rows]
        print(json.dumps(listed, indent=2))
    for line in compared(rows, earlier) if against else ():
        print(line, file=sys.stderr if as_json else sys.stdout)


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
        if code == 128 + signal.SIGINT:  # which the library for commands has taken for itself
            raise KeyboardInterrupt
    except LanternError as error:
        _leave(str(error), 2)
    except (typer.Abort, KeyboardInterrupt) as ended:
        if isinstance(ended.__cause__, EOFError):  # not a person's doing: a file ended early, such as one of bytecode
            _leave(f"a file of this program is cut off ({ended.__cause__}); put it there anew", 70)
        _leave_signalled(ended)
    except _Ended as ended:
        _leave_signalled(ended)
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
        if isinstance(error.__cause__, KeyboardInterrupt | _Ended):  # it came while a class was made
            _leave_signalled(error.__cause__)
        if sys.argv[1:2] == ["script"] or os.environ.get("LANTERN_TRACEBACK"):
            raise
        _leave(f"a mistake of this program, {type(error).__name__}: {error} (LANTERN_TRACEBACK=1 tells where)", 70)
    sys.exit(code if isinstance(code, int) else 0)


class _Ended(BaseException):
    """The system asked this process to end."""


def _ended(number: int, frame: object) -> None:
    raise _Ended


def _leave_signalled(by: BaseException) -> NoReturn:
    words, number = ("ended", signal.SIGTERM) if isinstance(by, _Ended) else ("stopped", signal.SIGINT)
    _leave(words, 128 + number)


def _leave(words: str, code: int) -> NoReturn:
    print(f"lantern: {' '.join(words.split())}", file=sys.stderr)
    sys.exit(code)


def _open_window(folder: Path | None, only: str | None = None) -> NoReturn:
    _check_screen()
    gc.disable()  # the window looks for garbage itself, and while modules are read there is none
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
