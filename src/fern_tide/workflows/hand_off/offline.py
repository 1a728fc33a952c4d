"""From a sound file to written curves with no data folder: what the command line does."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from fnmatch import fnmatchcase
from pathlib import Path
from typing import Any
from urllib.parse import unquote

import numpy as np

from fern_tide.core.bake.checking import CHECKS
from fern_tide.core.base.errors import FernTideError, InvalidParameter, UnknownName, about
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.limits import TooMuch, read_json
from fern_tide.core.base.naming import Ids, fresh_id
from fern_tide.core.base.params import build, fields, parse_options
from fern_tide.core.base.registry import Registry
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Target
from fern_tide.core.base.units import parse_level
from fern_tide.core.commands.first_cut import KeepFirstCut
from fern_tide.core.document import Project, Track
from fern_tide.core.envelope.envelope import CLEAN_UPS, READINGS, reading_in_role
from fern_tide.core.formats.registry import FORMATS
from fern_tide.core.mapping.drive import RESPONSES, Drive, ResponseChoice
from fern_tide.core.mapping.mapping import STEPS, StepChoice
from fern_tide.core.mapping.mapping import Mapping as MappingModel
from fern_tide.core.mapping.marks import Marks, Scale, suggest_marks
from fern_tide.core.project_file import read_project_file
from fern_tide.core.scene.first_cut import FirstCut
from fern_tide.core.scene.media import load
from fern_tide.core.scene.ranks import ranks_of
from fern_tide.core.scene.scene import Scene
from fern_tide.demo.scene import glasshouse
from fern_tide.workflows.bring_in.scene_files import look_at, scene_of
from fern_tide.workflows.bring_in.sound_file import read_level
from fern_tide.workflows.derive.file_sources import FileSources, envelope_of, track_of
from fern_tide.workflows.derive.levels import Levels
from fern_tide.workflows.derive.stages import Staged
from fern_tide.workflows.tune.first_cut import first_cut

MISSING_END = "PART:PROPERTY rest=NUMBER full=NUMBER"


@dataclass(frozen=True)
class MapPlan:
    """What `fern-tide map` was asked for, as text."""

    rate: str
    reading: str
    clean_up: Sequence[str]
    low: str | None
    high: str | None
    steps: Sequence[str]
    response: str
    targets: Sequence[str]
    spread: str | None = None


def map_sound(sound: Path, *, plan: MapPlan, scene: Scene, files: Mapping[str, bytes]) -> Project:
    """Make a project of one sound, one envelope and one mapping; marks that are not given are suggested.

    Args:
        sound: the file.
        plan: what was asked for.
        scene: what is moved.
        files: those of the scene, by hash.

    Raises:
        FernTideError: something of it is not there or not possible.
    """
    rate, columns = read_level(sound, rate=plan.rate, reading=plan.reading, clean_up=plan.clean_up)
    rows = list(columns.values())
    level = rows[0] if plan.spread is None else np.max(rows, axis=0)
    track = track_of(sound)
    envelope = envelope_of(track, plan.reading, plan.clean_up)
    response = ResponseChoice.parse(plan.response)
    drives = tuple(drive for text in plan.targets for drive in _drives(text, scene, response))
    if plan.spread is not None:
        drives = _spread(plan.spread, drives, scene, files)
    part, item = scene.resolve(drives[0].target)
    name = f"{part.name} {item.label.lower()}"[:120]
    mapping = MappingModel(
        id=fresh_id(name, among=()),
        name=name,
        envelope=envelope.id,
        spread=plan.spread is not None,
        marks=_marks(plan.low, plan.high, level),
        steps=tuple(StepChoice.parse(text) for text in plan.steps),
        drives=drives,
    )
    return Project(name=track.name, rate=rate, tracks=(track,), envelopes=(envelope,), mappings=(mapping,), scene=scene)


def _marks(low: str | None, high: str | None, level: FloatArray) -> Marks:
    levels = [parse_level(text) for text in (low, high) if text is not None]
    scale = Scale.DB if any(in_db for _, in_db in levels) else Scale.LINEAR
    suggested = suggest_marks(level, scale=scale).marks
    ends = {
        "low": parse_level(low)[0] if low is not None else suggested.low,
        "high": parse_level(high)[0] if high is not None else suggested.high,
    }
    return build(Marks, {**ends, "scale": scale})


def _drives(text: str, scene: Scene, response: ResponseChoice) -> list[Drive]:
    """Read what is moved: one property, or the same of all parts whose ids have a pattern, such as 'bar-*:scale_y'."""
    head, options = parse_options(text)
    pattern, colon, name = head.partition(":")
    if not colon or not set(pattern) & set("*?["):
        return [_drive(head, options, scene, response)]
    parts = [part for part in scene.parts if fnmatchcase(part.id, pattern) and part.has(name)]
    if not parts:
        raise UnknownName(
            f"No part named like {pattern:.60} has a property {name:.60}.",
            remedy="'fern-tide scene FILE' lists parts and properties.",
            name=head,
        )
    return [_drive(f"{part.id}:{name}", options, scene, response) for part in parts]


def _spread(text: str, drives: tuple[Drive, ...], scene: Scene, files: Mapping[str, bytes]) -> tuple[Drive, ...]:
    """Give drives with their ranks among the rows of a bank: 'order=x', 'order=middle backwards=yes'."""
    _, options = parse_options(f"spread {text}")
    unknown = set(options) - {"order", "backwards"}
    if unknown:
        raise InvalidParameter(sorted(unknown)[0], value="unknown", allowed="'order=NAME backwards=yes'")
    staged = Staged(scene, load(scene, files.__getitem__))
    parts = [drive.target.part for drive in drives]
    order, backwards = str(options.get("order", "x")), str(options.get("backwards", "no")) in {"yes", "true", "True"}
    ranks = ranks_of(parts, order=order, extents=staged.extents, backwards=backwards).tolist()
    ranked = [drive.but(rank=rank) for drive, rank in zip(drives, ranks, strict=True)]
    return tuple(sorted(ranked, key=lambda drive: drive.rank or 0.0))


def _drive(head: str, options: Mapping[str, object], scene: Scene, response: ResponseChoice) -> Drive:
    target = Target.parse(head)
    part, item = scene.resolve(target)
    unknown = set(options) - {"rest", "full"}
    if unknown:
        raise InvalidParameter(sorted(unknown)[0], value="unknown", allowed=f"'{MISSING_END}'")
    rest, full = item.suggest_ends(part.own(item.id))
    ends = {"rest": options.get("rest", rest), "full": options.get("full", full)}
    if item.kind == "number":
        ends = {name: _number(f"{head} {name}", value) for name, value in ends.items()}
    return build(Drive, {"target": target, "response": response, **ends})


def _number(name: str, value: object) -> float:
    try:
        return float(str(value))
    except ValueError as cause:
        raise InvalidParameter(name, value=value, allowed="a number") from cause


def load_scene(file: str | None) -> tuple[Scene, dict[str, bytes]]:
    """Give the scene of an SVG, glTF, picture or project file, and its files; the demo scene where none is given.

    A .gltf takes what lies beside it under the names that it gives.
    """
    if file is None:
        return glasshouse(), {}
    path = Path(file)
    media: dict[str, bytes] = {}
    if path.suffix.lower() == ".ferntide":
        with path.open("rb") as stream:
            project = read_project_file(stream, keep=lambda digest, chunks: media.update({digest: b"".join(chunks)}))
        return project.scene, {digest: media[digest] for digest in project.scene.media}
    files = {path.name: path.read_bytes()}
    if path.suffix.lower() == ".gltf":
        for name in _beside(files[path.name]):
            if (path.parent / name).is_file():
                files[name] = (path.parent / name).read_bytes()
    content = look_at(files)
    digest = hashlib.sha256(content.content).hexdigest()
    return scene_of(content, digest), {digest: content.content}


def _beside(content: bytes) -> list[str]:
    """List the plain file names that a .gltf gives; what is wrong with it is said when it is read."""
    try:
        document = read_json(content)
        uris = [item.get("uri", "") for kind in ("buffers", "images") for item in document.get(kind, [])]
    except (ValueError, AttributeError, TypeError, TooMuch):
        return []
    names = [unquote(str(uri)).removeprefix("./") for uri in uris]
    return [name for name in names if name and name == Path(name).name and not name.startswith(("data:", "."))]


def cut_sounds(sounds: Sequence[Path], *, rate: str, seed: int, scene: Scene, files: Mapping[str, bytes]) -> Project:
    """Make a project of a sound, or of the stems of one, with a first cut on a scene, kept.

    Args:
        sounds: the files, each a track; the project is called like the first.
        rate: the frame rate.
        seed: 1 for the best; others swap what is nearly as good.
        scene: what is moved.
        files: those of the scene, by hash.

    Raises:
        FernTideError: nothing could be proposed, or the sound cannot be read.
    """
    if not 1 <= seed < 2**31:
        raise InvalidParameter("--seed", value=seed, allowed="1 or more")
    ids, reading = Ids(), reading_in_role("first")
    measured: list[Track] = []
    for sound in sounds:
        with about(sound.name):
            measured.append(track_of(sound))
    tracks = tuple(track.model_copy(update={"id": ids.make(track.name)}) for track in measured)
    envelopes = tuple(envelope_of(track, reading.id, reading.begins) for track in tracks)
    cut = FirstCut(seed=seed, waits=True)
    frames_a_second = FrameRate.parse(rate)
    project = Project(
        name=tracks[0].name, rate=frames_a_second, tracks=tracks, envelopes=envelopes, scene=scene, first_cut=cut
    )
    paths = {track.media: sound for track, sound in zip(tracks, sounds, strict=True)}
    levels = Levels(FileSources(lambda digest: paths[digest].open("rb")))
    command = first_cut(levels, project, staged=Staged(scene, load(scene, files.__getitem__)), seed=seed)
    if not command.mappings:
        raise FernTideError(command.cut.reason, remedy="Choose another sound or scene, or map by hand.")
    return KeepFirstCut().apply(command.apply(project))


def list_specs() -> str:
    """List every reading, clean-up, step, response, format and check with its params, units and ranges."""
    lines = []
    registries: tuple[tuple[str, Registry[Any]], ...] = (
        ("Readings", READINGS),
        ("Clean-up", CLEAN_UPS),
        ("Steps", STEPS),
        ("Responses", RESPONSES),
        ("Formats", FORMATS),
        ("Checks", CHECKS),
    )
    for title, registry in registries:
        lines.append(f"{title}:")
        for spec in registry.values():
            lines.append(f"  {spec.id}  {spec.help}")
            for item in fields(spec.params):
                counted = f" {item.unit}" if item.unit else ""
                lines.append(f"    {item.name}={item.default}  ({item.range_text}{counted})  {item.help}")
    return "\n".join(lines)
