"""The sync report: how far every curve lies behind the hits of its sound, and what makes it late."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from functools import partial

import numpy as np
import numpy.typing as npt

from fern_tide.core.bake.bake import Drivers, Stack
from fern_tide.core.bake.pieces import is_of_pieces
from fern_tide.core.bake.sync import Sync, added, sync
from fern_tide.core.base.params import build
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Target
from fern_tide.core.commands.command import Command, put
from fern_tide.core.commands.mapping import PutMapping
from fern_tide.core.commands.project import PutEnvelope
from fern_tide.core.derivation.graph import Graph
from fern_tide.core.document import Project, Track
from fern_tide.core.envelope.envelope import CleanUpChoice, Envelope
from fern_tide.core.mapping.drive import Drive, ResponseChoice
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.workflows.derive.levels import Levels

CSV_HEAD = ("curve", "hits", "median_frames", "p95_frames", "misses", "extras", "median_ms", "track", "screen_ms")
_COUNTS = 0.05
"""Frames: what adds less than this is said to add nothing."""


@dataclass(frozen=True)
class SyncRow:
    """The sync figure of a curve.

    Attributes:
        target: the property.
        name: what people call it.
        track: whose hits it was measured against; None where no track drives it.
        sync: the figure.
    """

    target: Target
    name: str
    track: Track | None
    sync: Sync


@dataclass(frozen=True)
class Cause:
    """Something that moves a curve's peaks in time.

    Attributes:
        words: what it is: 'rise and fall of Drip'.
        frames: how much later it makes the peaks, in the mean; found by leaving it out.
        remedy: what mends it, as words and command; None where nothing is to be mended.
    """

    words: str
    frames: float
    remedy: tuple[str, Command] | None = None


def sync_rows(levels: Levels, project: Project, *, only: Iterable[Target] | None = None) -> list[SyncRow]:
    """Measure every curve, or some of them, against the hits of what drives it.

    Raises:
        NotReadYet: a sound is still being read.
    """
    graph = levels.graph(project)
    wanted = graph.curves if only is None else [target for target in only if target in graph.curves]
    hits: dict[str, npt.NDArray[np.int64]] = {}
    rows = []
    for target in wanted:
        stack = graph.stacks[target]
        if is_of_pieces(stack.part, stack.item.id):
            continue
        track = _driving_track(project, graph.drivers.get(target, []))
        if track is not None and track.id not in hits:
            hits[track.id] = _hit_frames(levels, project, track)
        measured = Sync(np.zeros(0)) if track is None else _measure(levels, graph, target, hits=hits[track.id])
        rows.append(SyncRow(target, f"{stack.part.name}, {stack.item.label.lower()}", track, measured))
    return rows


def _driving_track(project: Project, drivers: Drivers) -> Track | None:
    """Give the track behind the first driver that has one."""
    for mapping, _ in drivers:
        for envelope in project.made_of(project.envelope(mapping.envelope)):
            if envelope.track is not None and envelope.reading.spec.of_track:
                return project.track(envelope.track)
    return None


def _hit_frames(levels: Levels, project: Project, track: Track) -> npt.NDArray[np.int64]:
    times = levels.rhythm(project, track)[0].times_s + float(track.offset)
    frames = project.rate.frames_of_times(times)
    return np.unique(frames[(frames >= 0) & (frames < project.n_frames)])


def _measure(levels: Levels, graph: Graph, target: Target, *, hits: npt.NDArray[np.int64]) -> Sync:
    node = graph.curves_of([target])[target]
    stack = graph.stacks[target]
    excursion = _excursion(stack, np.asarray(levels.value(node)), levels, graph)
    return sync(excursion, hits, fps=graph.project.rate.per_second)


def _excursion(stack: Stack, values: FloatArray, levels: Levels, graph: Graph) -> FloatArray:
    """Give how far a property is from rest: a number's distance, a colour's in sRGB; shape (frames,)."""
    sources = stack.rest_sources
    nodes = graph.curves_of(sources) if sources else {}
    rest = stack.limited(stack.rest(sources=[np.asarray(levels.value(nodes[name])) for name in sources]))
    apart = np.abs(values - rest)
    return np.asarray(np.sqrt((apart**2).sum(axis=0)) if apart.ndim > 1 else apart)


# --- what makes a curve late


LeftOut = dict[tuple[object, ...], Graph]
"""The graphs of a project with one thing left out: curves share what they are made of, and so these."""


def causes(levels: Levels, project: Project, row: SyncRow, *, shared: LeftOut | None = None) -> list[Cause]:
    """Find what each clean-up, step, response, lateness and the touch-ups add to a curve's lag, by leaving each out.

    Args:
        levels: of its sounds.
        project: whose curve.
        row: its sync figure.
        shared: filled as it goes, where many curves of the same project are looked at.
    """
    if row.track is None or not row.sync.lags.size:
        return []
    hits, graph, known = _hit_frames(levels, project, row.track), levels.graph(project), []
    shared = {} if shared is None else shared
    for left in _each_left_out(project, graph, row.target):
        if left.key not in shared:
            shared[left.key] = Graph(left.without(), like=graph)
        frames = added(row.sync, _measure(levels, shared[left.key], row.target, hits=hits))
        known.append(Cause(left.words, frames, left.remedy if frames > _COUNTS else None))
    return known


@dataclass(frozen=True)
class _Left:
    """One thing that is left out: what tells it apart, its words, the project without it, and how it is mended."""

    key: tuple[object, ...]
    words: str
    without: Callable[[], Project]
    remedy: tuple[str, Command] | None


def _each_left_out(project: Project, graph: Graph, target: Target) -> Iterator[_Left]:
    for mapping, drive in graph.drivers.get(target, []):
        envelope = project.envelope(mapping.envelope)
        for at, clean_up in enumerate(envelope.clean_up):
            if clean_up.on:
                left = _cleaned(envelope, at, clean_up.but(on=False))
                words = f"{clean_up.spec.label.lower()} of {envelope.name}"
                without = partial(_with_envelope, project, left)
                yield _Left(("envelope", envelope.id, at), words, without, _mend(envelope, at))
        for at, step in enumerate(mapping.steps):
            if step.on:
                less = mapping.but(steps=(*mapping.steps[:at], step.but(on=False), *mapping.steps[at + 1 :]))
                remedy = ("Leave it out", PutMapping(mapping=less))
                words = f"step {step.spec.label.lower()}"
                yield _Left(("step", mapping.id, at), words, partial(_with, project, less), remedy)
        if drive.response.id != "straight":
            straight = _with_drive(mapping, target, ResponseChoice(id="straight"), None)
            words = f"response {drive.response.spec.label.lower()}"
            yield _Left(("response", mapping.id, target), words, partial(_with, project, straight), None)
        if drive.late_frames:
            on_time = _with_drive(mapping, target, None, 0.0)
            words = f"{abs(drive.late_frames):g} frames {'late' if drive.late_frames > 0 else 'early'}"
            remedy = ("In time", PutMapping(mapping=on_time))
            yield _Left(("late", mapping.id, target), words, partial(_with, project, on_time), remedy)
    if graph.touch_ups.get(target):
        yield _Left(("touch-ups", target), "touch-ups", partial(_without_touch_ups, project, target), None)


def _without_touch_ups(project: Project, target: Target) -> Project:
    ups = (one.but(touch=one.touch.but(on=False)) if one.target == target else one for one in project.touch_ups)
    return project.but(touch_ups=tuple(ups))


def _with(project: Project, mapping: Mapping) -> Project:
    return project.but(mappings=put(project.mappings, mapping))


def _with_envelope(project: Project, envelope: Envelope) -> Project:
    return project.but(envelopes=put(project.envelopes, envelope))


def _cleaned(envelope: Envelope, at: int, *instead: CleanUpChoice) -> Envelope:
    return envelope.but(clean_up=(*envelope.clean_up[:at], *instead, *envelope.clean_up[at + 1 :]))


def _mend(envelope: Envelope, at: int) -> tuple[str, Command]:
    """Give what makes a clean-up late no more: others that do the same in time where there are any, else without it."""
    choice = envelope.clean_up[at]
    instead = [
        build(CleanUpChoice, {"id": id_, "params": params}) for id_, params in choice.spec.without_lag(choice.params)
    ]
    if not instead:
        return "Leave it out", PutEnvelope(envelope=_cleaned(envelope, at, choice.but(on=False)))
    return "Smooth without lag", PutEnvelope(envelope=_cleaned(envelope, at, *instead))


def _with_drive(mapping: Mapping, target: Target, response: ResponseChoice | None, late: float | None) -> Mapping:
    def other(drive: Drive) -> Drive:
        if drive.target != target:
            return drive
        return drive.but(response=response or drive.response, late_frames=drive.late_frames if late is None else late)

    return mapping.but(drives=tuple(map(other, mapping.drives)))


def earlier(project: Project, row: SyncRow, graph: Graph) -> tuple[str, list[Mapping]] | None:
    """Give what brings a curve's median to its hits: its drives as many frames earlier; None where it is there."""
    frames = round(row.sync.median)
    if not frames or not row.sync.lags.size:
        return None
    moved: dict[str, Mapping] = {}
    for mapping, drive in graph.drivers.get(row.target, []):
        now = moved.get(mapping.id, mapping)
        moved[mapping.id] = _with_drive(now, row.target, None, drive.late_frames - frames)
    if not moved:
        return None
    count = f"{abs(frames)} frame{'' if abs(frames) == 1 else 's'}"
    return f"{count} {'earlier' if frames > 0 else 'later'}", list(moved.values())


def on_screen(project: Project, lag: float) -> float:
    """Give how many frames a lag is where the picture is shown: with its delay, and what makes up for that."""
    delay = project.picture_delay
    return lag + delay.frames(project.rate) - delay.earlier(project.rate)


def sync_csv(project: Project, rows: Iterable[SyncRow]) -> str:
    """Write figures as CSV, a row a curve."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(CSV_HEAD)
    for row in rows:
        figure, ms = row.sync, 1000 / project.rate.per_second
        track = "" if row.track is None else row.track.name
        writer.writerow(
            [
                str(row.target),
                len(figure.by_hit),
                f"{figure.median:g}",
                f"{figure.p95:g}",
                figure.misses,
                figure.extras,
                f"{figure.median * ms:.3f}",
                "'" + track if track[:1] in {"=", "+", "-", "@"} else track,
                f"{on_screen(project, figure.median) * ms:.3f}",
            ]
        )
    return out.getvalue()
