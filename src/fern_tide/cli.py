"""The command line: the same workflows without a browser."""

from __future__ import annotations

import os

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")  # before numpy: small products spin on more threads

import argparse
import json
import sys
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from fern_tide.cli_projects import bake, check, first_cut, map_, swap, sync, write_demo
from fern_tide.cli_sounds import beats, hits, notes
from fern_tide.terminal import COULD_NOT, progress_on_terminal, refuse, write_csv


def main(argv: Sequence[str] | None = None) -> int:
    """Run a command; bad input ends with 2 and one line on standard error that names the thing and the remedy."""
    from pydantic import ValidationError

    from fern_tide.core.base.errors import FernTideError
    from fern_tide.core.base.refusal import refused

    arguments = _parser().parse_args(_with_levels_joined(sys.argv[1:] if argv is None else list(argv)))
    try:
        code = arguments.run(arguments)
        sys.stdout.flush()
    except FernTideError as wrong:
        return refuse(wrong, arguments)
    except ValidationError as cause:
        return refuse(refused(cause, model=None), arguments)
    except BrokenPipeError:  # what reads the output has enough
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 0
    except FileNotFoundError as wrong:
        print(f"fern-tide: there is no file {wrong.filename}. Check the name.", file=sys.stderr)
        return COULD_NOT
    except OSError as wrong:
        print(f"fern-tide: {wrong.filename or 'a file'}: {wrong.strerror}. Choose another place.", file=sys.stderr)
        return COULD_NOT
    return code or 0


def _with_levels_joined(words: list[str]) -> list[str]:
    """Turn '--low -30dB' into '--low=-30dB', since a word that begins with a dash would pass for an option."""
    joined: list[str] = []
    for word in words:
        if joined and joined[-1] in {"--low", "--high"}:
            joined[-1] = f"{joined[-1]}={word}"
        else:
            joined.append(word)
    return joined


class _Parser(argparse.ArgumentParser):
    """One line on standard error, and exit code 2."""

    def error(self, message: str) -> Any:
        self.exit(COULD_NOT, f"fern-tide: {message}. See '{self.prog} --help'.\n")


def _parser() -> argparse.ArgumentParser:
    parser = _Parser(prog="fern-tide", description="Turn a soundtrack into motion.")
    commands = parser.add_subparsers(metavar="COMMAND", required=True, parser_class=_Parser)

    def command(name: str, run: Any, text: str) -> argparse.ArgumentParser:
        one = commands.add_parser(name, help=text, description=text)
        one.set_defaults(run=run)
        return one

    for name, run, text in (
        ("serve", _serve, "Serve the application on this machine, with its worker."),
        ("demo", _demo, "Make the demo project if there is none, then serve; or write its files."),
        ("worker", _worker, "Run one more worker on the same data folder."),
    ):
        one = command(name, run, text)
        one.add_argument("--data", metavar="DIR", help="the folder of everything (FERN_TIDE_DATA, or ./data)")
        if name == "worker":
            one.add_argument("--with-server", action="store_true", help=argparse.SUPPRESS)
        else:
            one.add_argument("--host", default="127.0.0.1")
            one.add_argument("--port", type=int, default=5077)
        if name == "demo":
            one.add_argument("--write", metavar="DIR", help="write the demo project and its sounds there, and end")

    _add_sound_commands(command)

    _add_project_commands(command)

    one = command("schema", _schema, "Print the JSON Schema of the project document.")
    one.add_argument("--curves", action="store_true", help="that of JSON curves instead")
    return parser


def _add_project_commands(command: Callable[[str, Any, str], argparse.ArgumentParser]) -> None:
    one = command("scene", _scene, "Print a scene's parts and properties, as JSON.")
    one.add_argument("file", nargs="?", help="a scene or project file; without one, the demo scene")

    one = command("map", map_, "Make a project of a sound, an envelope and targets.")
    one.add_argument("sound")
    one.add_argument("--rate", default="30")
    one.add_argument("--reading", default="amplitude", metavar="'NAME key=value'")
    one.add_argument("--clean", action="append", default=[], metavar="'NAME key=value'")
    one.add_argument("--low", metavar="LEVEL", help="low water: -30dB or 0.03; suggested where not given")
    one.add_argument("--high", metavar="LEVEL", help="high water")
    one.add_argument("--step", action="append", default=[], metavar="'NAME key=value'")
    one.add_argument("--response", default="straight", metavar="'NAME key=value'")
    one.add_argument(
        "--target",
        action="append",
        required=True,
        metavar="'PART:PROPERTY rest=0.2 full=1'",
        help="or a pattern of ids, 'bar-*:scale_y'",
    )
    one.add_argument("--spread", metavar="'order=x'", help="each target a row of a bank: x, up, middle or tree")
    _add_scene_and_out(one)

    one = command("first-cut", first_cut, "Make a project of a sound with three to six mappings proposed from it.")
    one.add_argument("sounds", nargs="+", metavar="sound", help="a mix, or its stems")
    one.add_argument("--rate", default="30")
    one.add_argument("--seed", type=int, default=1, help="others swap what is nearly as good (default 1)")
    _add_scene_and_out(one)

    one = command("swap", swap, "Put newer files under a project's tracks, and print which curves moved, as JSON.")
    one.add_argument("project")
    one.add_argument("files", nargs="+", metavar="FILE", help="told by its name, or TRACK=FILE")
    one.add_argument("--out", required=True, metavar="PROJECT.ferntide")

    _add_bake_commands(command)


def _add_bake_commands(command: Callable[[str, Any, str], argparse.ArgumentParser]) -> None:
    one = command("bake", bake, "Bake a project file and write its curves.")
    one.add_argument("project")
    one.add_argument("--out", required=True, metavar="DIR")
    one.add_argument(
        "--format",
        action="append",
        default=[],
        metavar="NAME",
        help="one that 'read --list' shows, csv if none; repeats",
    )
    one.add_argument("--option", action="append", default=[], metavar="NAME=VALUE", help="an option of a format")
    one.add_argument("--parts", metavar="ID,ID", help="only these parts and what is inside them")
    one.add_argument("--interpolation", choices=("linear", "step", "cubic"), help="what lies between two keys")
    one.add_argument("--profile", metavar="JSON", help="axes, units, counts and names of the program it is for")
    one.add_argument("--watch", action="store_true", help="write anew whenever the file changes, until Ctrl-C")
    one.add_argument("--error", type=float, metavar="PERCENT", help="how far keys may be off; 0 is a key every frame")

    one = command("proof", _proof, "Make a video of the stage with its sound, drawn by Chromium.")
    one.add_argument("project")
    one.add_argument("--out", required=True, metavar="FILE", help="its ending says what: .mp4 .webm .mkv .zip .webp")
    one.add_argument("--size", default="960x540", metavar="WxH")
    one.add_argument("--rate", help="frames a second of the video; the project's where none is given")
    one.add_argument("--strip", action="store_true", help="burn timecode, name and levels in")
    one.add_argument("--clear", action="store_true", help="without the background, see-through")

    one = command("check", check, "Print what checks find in a project file, as JSON; ends with 1 where they do.")
    one.add_argument("project")

    one = command("sync", sync, "Write how far every curve lies behind the hits of its sound, as CSV.")
    one.add_argument("project")
    one.add_argument("--csv", required=True, metavar="OUT")


def _add_scene_and_out(one: argparse.ArgumentParser) -> None:
    one.add_argument("--scene", metavar="FILE", help="an SVG, GLB, picture or project file; else the demo scene")
    one.add_argument("--out", required=True, metavar="PROJECT.ferntide")


def _add_sound_commands(command: Callable[[str, Any, str], argparse.ArgumentParser]) -> None:
    one = command("describe", _describe, "Print what a sound file holds, as JSON.")
    one.add_argument("sound")
    one.add_argument("--rate", default="30", help="frames a second: 30, 24000/1001 (default 30)")

    one = command("read", _read, "Read a level out of a sound file, one a frame.")
    one.add_argument("sound", nargs="?")
    one.add_argument("--rate", default="30")
    one.add_argument("--reading", default="amplitude", metavar="'NAME key=value'")
    one.add_argument("--clean", action="append", default=[], metavar="'NAME key=value'")
    one.add_argument("--csv", default="-", metavar="OUT", help="a file; - is standard output")
    one.add_argument("--list", action="store_true", help="print every reading, clean-up, step and response")

    one = command("hits", hits, "Find where a sound sets in.")
    one.add_argument("sound")
    one.add_argument("--csv", default="-", metavar="OUT", help="a file; - is standard output")
    one.add_argument("--midi", default="", metavar="OUT", help="write them as notes of a MIDI file instead")
    one.add_argument("--low", default="0Hz", metavar="HZ", help="only hits of the band from here")
    one.add_argument("--high", default="96000Hz", metavar="HZ", help="to here")
    one.add_argument("--sensitivity", type=float, default=0.5, help="0 the strongest only, 1 nearly all (default 0.5)")
    one.add_argument("--least-gap-ms", type=float, default=80.0, help="no two hits are closer (default 80)")

    one = command("notes", notes, "Print what a MIDI file plays.")
    one.add_argument("song", help="a Standard MIDI File")
    one.add_argument("--csv", default="-", metavar="OUT", help="a file; - is standard output")

    one = command("beats", beats, "Find the beats of a sound.")
    one.add_argument("sound")
    one.add_argument("--csv", default="-", metavar="OUT", help="a file; - is standard output")


def _serve(arguments: argparse.Namespace) -> None:
    from fern_tide.web.server import serve

    serve(data=arguments.data, host=arguments.host, port=arguments.port, with_demo=False)


def _demo(arguments: argparse.Namespace) -> None:
    if arguments.write:
        write_demo(Path(arguments.write))
        return
    from fern_tide.web.server import serve

    serve(data=arguments.data, host=arguments.host, port=arguments.port, with_demo=True)


def _worker(arguments: argparse.Namespace) -> None:
    from fern_tide.jobs.queue import work
    from fern_tide.workflows.studio import Settings, Studio

    work(Studio.open(Settings.from_environment(arguments.data)), with_server=arguments.with_server)


def _describe(arguments: argparse.Namespace) -> None:
    from fern_tide.workflows.bring_in.sound_file import describe

    with progress_on_terminal("reading") as progress:
        facts = describe(Path(arguments.sound), rate=arguments.rate, progress=progress)
    print(json.dumps(facts, indent=1))


def _read(arguments: argparse.Namespace) -> None:
    from fern_tide.core.base.errors import InvalidParameter

    if arguments.list:
        from fern_tide.workflows.hand_off.offline import list_specs

        print(list_specs())
        return
    from fern_tide.workflows.bring_in.sound_file import read_level

    if not arguments.sound:
        raise InvalidParameter("SOUND", value="missing", allowed="a sound file")
    rate, columns = read_level(
        Path(arguments.sound), rate=arguments.rate, reading=arguments.reading, clean_up=arguments.clean
    )
    values = zip(*(column.tolist() for column in columns.values()), strict=True)
    rows = ([frame, repr(float(rate.seconds(frame))), *map(repr, row)] for frame, row in enumerate(values))
    write_csv(arguments.csv, ["frame", "time_s", *columns], rows)


def _scene(arguments: argparse.Namespace) -> None:
    from fern_tide.core.scene.describe import describe
    from fern_tide.workflows.hand_off.offline import load_scene

    print(json.dumps(describe(load_scene(arguments.file)[0]), indent=1, ensure_ascii=False))


def _proof(arguments: argparse.Namespace) -> None:
    """Make a video of a project's stage with its sound."""
    from fern_tide.web.proof_run import make_proof, plan_of

    out = Path(arguments.out)
    about = {"strip": arguments.strip, "clear": arguments.clear, "rate": arguments.rate}
    plan = plan_of(out, size=arguments.size, **about)
    with progress_on_terminal("drawing") as progress:
        make_proof(Path(arguments.project), out, plan=plan, progress=progress)
    print(out)


def _schema(arguments: argparse.Namespace) -> None:
    from fern_tide.core.document import document_schema
    from fern_tide.core.formats.writers.json import schema

    print(json.dumps(schema() if arguments.curves else document_schema(), indent=1, sort_keys=True))


if __name__ == "__main__":
    sys.exit(main())
