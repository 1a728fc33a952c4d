"""Hand-off: baked curves written in open formats, each read back; and project files in and out."""

from __future__ import annotations

import re
import tempfile
from collections.abc import Callable, Collection, Iterator, Mapping
from dataclasses import replace
from types import MappingProxyType
from typing import BinaryIO

from fern_tide.core.bake.curve import Curve
from fern_tide.core.bake.expand import Clock, Moved, expanded
from fern_tide.core.bake.expand_size import n_outlined
from fern_tide.core.bake.pieces import is_of_pieces, motion_of
from fern_tide.core.base.errors import FernTideError, UnreadableScene, UnreadableSound
from fern_tide.core.base.params import Params, build
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.signal import moved as shifted
from fern_tide.core.base.target import Target
from fern_tide.core.document import Project
from fern_tide.core.envelope import takes
from fern_tide.core.envelope.notes import HEAD, read_notes
from fern_tide.core.envelope.points import MOST_BYTES, read_points
from fern_tide.core.formats.factored import ByFormula
from fern_tide.core.formats.format import HandOff, KeyParams, Moments, Written, write
from fern_tide.core.formats.moments import Moment
from fern_tide.core.formats.registry import FORMATS
from fern_tide.core.project_file import ProjectFileLimits, read_project_file, write_project_file
from fern_tide.core.scene.arrays.field import ArrayParams
from fern_tide.core.scene.media import SceneMedia, load
from fern_tide.core.scene.scene import Scene
from fern_tide.core.sound.decode import SoundInfo, measure
from fern_tide.store.revision import Revision
from fern_tide.workflows.bring_in.scene_files import look_at
from fern_tide.workflows.derive import analysis
from fern_tide.workflows.derive.levels import Levels
from fern_tide.workflows.studio import Studio


def file_stem(name: str) -> str:
    """Give a name as a file name that every system takes."""
    return re.sub(r"[^\w\-. ]+", "", name).strip(" .")[:80] or "project"


def write_format(
    project: Project,
    curves: tuple[Curve, ...],
    *,
    format_id: str,
    media: SceneMedia,
    options: Mapping[str, object] | None = None,
    parts: Collection[str] | None = None,
    moved: Mapping[Target, Moved] = MappingProxyType({}),
    moments: Moments | None = None,
    progress: Callable[[float], None] = lambda share: None,
) -> Written:
    """Write curves in a format and read them back; arrays are written out piece by piece.

    Args:
        project: whose scene and clock.
        curves: as baked.
        format_id: which.
        media: what the scene was brought in with.
        options: the format's params, where they are not its defaults.
        parts: the ids of the parts that go in, each with all that is inside it; None is every part.
        moved: what drives the pieces of arrays.
        moments: markers, hits and beats, for the formats that carry those; None is the markers alone.
        progress: told the share, 0 to 1, that is written; reading back comes after it.

    Raises:
        UnknownName: there is no such format or part.
        InvalidParameter: an option is not possible.
        FernTideError: there is nothing to write.
        ReadBackFailed: what was written does not hold what was baked.
    """
    chosen = FORMATS[format_id]
    params = build(chosen.params, dict(options or {}))
    lengths = {curve.n_frames for curve in curves}
    if len(lengths) > 1:
        raise FernTideError("The curves were baked at different lengths.", remedy="Bake the changed curves first.")
    n_frames = max(lengths, default=project.n_frames)
    scene, clock = project.scene.at_rest, Clock(project.rate, n_frames)
    arrays: tuple[ByFormula, ...] = ()
    by = project.picture_delay.earlier(project.rate)
    if chosen.by_formula(params):
        arrays_of = [one.shape.params for one in scene.parts if isinstance(one.shape.params, ArrayParams)]
        if by and any(params.layout.spec.throws for params in arrays_of):
            words = "A spray that is written by formula cannot make up for the picture's delay."
            raise FernTideError(words, remedy="Write the pieces one by one, or let the delay be.")
        moved = {target: _earlier_pieces(one, by) for target, one in moved.items()} if by else moved
        curves = _earlier(curves, by)
        arrays = _by_formula(scene, curves, moved=moved, clock=clock)
    else:
        if chosen.outlines:
            n_outlined(scene, curves, parts=parts)
        scene, curves = expanded(scene, curves, moved=moved, clock=clock)
        curves = _earlier(curves, by)
    if parts is not None:
        within = {part.id for part_id in parts for part in scene.branch(scene.part(part_id).id)}
        curves = tuple(curve for curve in curves if curve.target.part in within)
        arrays = tuple(array for array in arrays if array.motion.part.id in within)
    if not curves and chosen.of_moments is None:
        raise FernTideError("There are no baked curves to write.", remedy="Bake first.")
    hand_off = HandOff(
        name=project.name,
        scene=scene,
        curves=curves,
        rate=project.rate,
        n_frames=n_frames,
        media=media,
        arrays=arrays,
        moments=moments or Moments(_markers(project)),
        progress=_share_of(progress, n_curves=max(1, len(curves) * _n_times(params))),
    )
    return write(hand_off, format=chosen, params=params)


def moments_of(levels: Levels, project: Project) -> Moments:
    """Give a project's markers, the hits of its tracks that drive, and its beats, those inside its length.

    Raises:
        NotReadYet: a sound is still being read.
    """
    end = float(project.rate.duration_s(project.n_frames))
    hits: dict[str, FloatArray] = {}
    for track in project.tracks:
        if track.drives:
            times = levels.rhythm(project, track)[0].times_s + float(track.offset)
            name = track.name if track.name not in hits else f"{track.name} ({track.id})"
            hits[name] = times[(times >= 0) & (times < end)]
    beats = levels.beats(project)
    inside = (beats.times_s >= 0) & (beats.times_s < end)
    return Moments(_markers(project), hits, beats.times_s[inside], beats.in_bar[inside] == 1)


def _markers(project: Project) -> tuple[Moment, ...]:
    return tuple(Moment(item.time_s, item.name, item.colour) for item in project.markers)


def _earlier(curves: tuple[Curve, ...], by: float) -> tuple[Curve, ...]:
    """Give curves so many frames earlier; the last value goes on."""
    if not by:
        return curves
    return tuple(replace(curve, values=shifted(curve.values, frames=-by)) for curve in curves)


def _earlier_pieces(one: Moved, by: float) -> Moved:
    return replace(one, lifts=[shifted(lift, frames=-by) for lift in one.lifts])


def _by_formula(
    scene: Scene, curves: Collection[Curve], *, moved: Mapping[Target, Moved], clock: Clock
) -> tuple[ByFormula, ...]:
    """List a scene's arrays as what their pieces follow from."""
    arrays = []
    for part in scene.parts:
        if part.kind.pieces:
            own = {curve.target.property: curve.values for curve in curves if curve.target.part == part.id}
            sizes = {name: values for name, values in own.items() if not is_of_pieces(part, name)}
            motion = motion_of(scene, part, sizes, rate=clock.rate, n_frames=clock.n_frames)
            its = {target.property: one for target, one in moved.items() if target.part == part.id}
            arrays.append(ByFormula(motion, its))
    return tuple(arrays)


def _n_times(params: Params) -> int:
    """Count how often curves are written: thinned ones, and then with a key every frame, since that may be smaller."""
    return 2 if isinstance(params, KeyParams) and params.error_percent > 0 else 1


def _share_of(progress: Callable[[float], None], *, n_curves: int) -> Callable[[int], None]:
    """Count written curves, and tell what share of all they are."""
    n_written = 0

    def count(n_more: int) -> None:
        nonlocal n_written
        n_written += n_more
        progress(min(1.0, n_written / n_curves))

    return count


def export_project(studio: Studio, project: Project) -> BinaryIO:
    """Write a project with its media into a temporary file, opened at its start."""
    out = tempfile.TemporaryFile()  # noqa: SIM115 - who asked for it closes it
    write_project_file(out, project, media=studio.media.open)
    out.seek(0)
    return out


def import_project(studio: Studio, stream: BinaryIO) -> Revision:
    """Read a project file and store it as a new project; nothing stays behind when it cannot be read.

    Raises:
        UnreadableProject: it is no project file, is damaged or hostile, or comes from a newer version.
        UnreadableSound: one of its sounds is none.
    """

    measured: dict[str, SoundInfo] = {}

    def keep(digest: str, chunks: Iterator[bytes]) -> None:
        with studio.media.receive(chunks, most=studio.settings.most_upload_bytes) as (own_digest, content, keep_file):
            try:
                measured[digest] = measure(content, limits=studio.settings.sound_limits)
            except UnreadableSound:
                content.seek(0)  # a curve or a scene's file that was imported is no sound
                _check_other(content.read(studio.settings.most_scene_bytes + 1))
            keep_file.append(own_digest == digest)

    limits = ProjectFileLimits(media_bytes=studio.settings.most_upload_bytes)
    project = read_project_file(stream, keep=keep, limits=limits)
    for track in project.tracks:
        if track.media not in measured:
            raise UnreadableSound(f"The file of {track.name} is no sound.", remedy="Export the project again.")
    tracks = (track.model_copy(update={"info": measured[track.media]}) for track in project.tracks)
    load(project.scene, studio.media.read)
    project = project.but(tracks=tuple(tracks))  # what was measured, not what the document claims
    revision = studio.projects.create(project, label="Open a project file")
    analysis.ensure(studio, project)
    return revision


def _check_other(content: bytes) -> None:
    """Refuse what is neither a file of a scene, nor a curve, nor notes, nor a take."""
    try:
        look_at({"file": content})
    except UnreadableScene:
        if content.startswith(HEAD):
            read_notes(content)
        elif content.startswith(takes.HEAD):
            takes.read_take(content)
        else:
            read_points(content[: MOST_BYTES + 1])
