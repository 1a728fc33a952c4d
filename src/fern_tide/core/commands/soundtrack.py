"""Edits of the soundtrack: tracks, the clock, beats and markers."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from fern_tide.core.bake.touch_up import Start, TiedTo, TouchUp
from fern_tide.core.base.errors import FernTideError
from fern_tide.core.base.frame_rate import FrameRate, RateField
from fern_tide.core.base.limits import MOST_MARKERS, Most
from fern_tide.core.base.target import Id
from fern_tide.core.commands.command import Command, Indirect, by_id, listed, next_number, put, verb, without
from fern_tide.core.document import Marker, Project, Track
from fern_tide.core.envelope.beat_grid import BeatSetting


class SetRate(Command, frozen=True):
    """Change the frame rate; curves are read anew at the new frames, and lengths keep their seconds."""

    kind: Literal["set_rate"] = "set_rate"
    rate: RateField

    def label(self, before: Project) -> str:
        return f"Set the rate to {self.rate.label} fps"

    def apply(self, project: Project) -> Project:
        def at_new(frame: int) -> int:
            return _frames_at(frame, project.rate, self.rate)

        length = None if project.length_frames is None else max(1, at_new(project.length_frames))
        work = project.work and (at_new(project.work[0]), max(at_new(project.work[1]), at_new(project.work[0]) + 1))
        return project.but(rate=self.rate, length_frames=length, work=work)


def _frames_at(frame: int, old: FrameRate, new: FrameRate) -> int:
    return round(old.seconds(frame) * new.fps)


class SetLength(Command, frozen=True):
    """Set the project's length by hand, or let it follow its tracks."""

    kind: Literal["set_length"] = "set_length"
    frames: Annotated[int, Field(ge=1, le=10_000_000)] | None

    def label(self, before: Project) -> str:
        return "Let the length follow the tracks" if self.frames is None else f"Set the length to {self.frames} frames"

    def apply(self, project: Project) -> Project:
        return project.but(length_frames=self.frames)


class SetWork(Command, frozen=True):
    """Set the work range, or take it away."""

    kind: Literal["set_work"] = "set_work"
    work: tuple[int, int] | None

    def label(self, before: Project) -> str:
        if self.work is None:
            return "Take the work range away"
        return f"Set the work range to frames {self.work[0]} to {self.work[1] - 1}"

    def apply(self, project: Project) -> Project:
        return project.but(work=self.work)


class SetBeat(Command, frozen=True):
    """Correct the beat grid."""

    kind: Literal["set_beat"] = "set_beat"
    beat: BeatSetting

    def label(self, before: Project) -> str:
        old, new = before.beat, self.beat
        if new.tempos and new.tempos != old.tempos:
            return "Take the beats of a song"
        if new.bpm is not None and new.bpm != old.bpm:
            return f"Set the tempo to {new.bpm:g} BPM"
        if new.per_bar != old.per_bar:
            return f"Set {new.per_bar} beats in a bar"
        if new.track != old.track:
            return "Find the beats in another track"
        if new.doublings != old.doublings:
            return "Double the tempo" if new.doublings > old.doublings else "Halve the tempo"
        return "Go back to the beats as found" if new == BeatSetting(per_bar=new.per_bar) else "Move the beats"

    def apply(self, project: Project) -> Project:
        return project.but(beat=self.beat)


class PutMarker(Command, frozen=True):
    """Add a marker, or change the one of the same id."""

    kind: Literal["put_marker"] = "put_marker"
    marker: Marker

    def label(self, before: Project) -> str:
        old = by_id(before.markers, self.marker.id)
        if old is None:
            return f"Add the marker {self.marker.name}"
        if old.name != self.marker.name:
            return f"Rename {old.name} to {self.marker.name}"
        return f"Move {old.name} in time" if old.time_s != self.marker.time_s else f"Change the colour of {old.name}"

    def apply(self, project: Project) -> Project:
        return project.but(markers=_in_time(put(project.markers, self.marker)))


class AddMarker(Indirect, frozen=True):
    """Add a marker at a time; the next free number is its name."""

    kind: Literal["add_marker"] = "add_marker"
    time_s: Annotated[float, Field(ge=0, le=1e6)]

    def stands_for(self, project: Project) -> PutMarker:
        number = next_number(project.markers, "marker")
        return PutMarker(marker=Marker(id=f"marker-{number}", name=f"Marker {number}", time_s=self.time_s))


class PutMarkers(Command, frozen=True):
    """Add many markers at once, as from a file."""

    kind: Literal["put_markers"] = "put_markers"
    markers: Annotated[tuple[Marker, ...], Most(MOST_MARKERS)]

    def label(self, before: Project) -> str:
        return f"Add {len(self.markers)} markers"

    def apply(self, project: Project) -> Project:
        return project.but(markers=_in_time((*project.markers, *self.markers)))


class RemoveMarker(Command, frozen=True):
    """Take a marker away."""

    kind: Literal["remove_marker"] = "remove_marker"
    id: Id

    def label(self, before: Project) -> str:
        old = by_id(before.markers, self.id)
        return f"Remove the marker {old.name}" if old else "Remove a marker"

    def apply(self, project: Project) -> Project:
        marker = by_id(project.markers, self.id)
        touch_ups = project.touch_ups if marker is None else _untied(project.touch_ups, self.id, at_s=marker.time_s)
        return project.but(markers=without(project.markers, self.id), touch_ups=touch_ups)


def _in_time(markers: tuple[Marker, ...]) -> tuple[Marker, ...]:
    return tuple(sorted(markers, key=lambda marker: marker.time_s))


class PutTrack(Command, frozen=True):
    """Add a track, or change the one of the same id; another file under it is a swap."""

    kind: Literal["put_track"] = "put_track"
    track: Track

    def label(self, before: Project) -> str:
        old, new = by_id(before.tracks, self.track.id), self.track
        if old is None:
            return f"Add the track {new.name}"
        if old.media != new.media:
            return f"Swap the file under {old.name}"
        if old.name != new.name:
            return f"Rename {old.name} to {new.name}"
        if old.heard != new.heard:
            return f"{'Hear' if new.heard else 'Silence'} {old.name}"
        if old.muted != new.muted:
            return f"{'Mute' if new.muted else 'Unmute'} {old.name}"
        if old.solo != new.solo:
            return f"{'Hear only' if new.solo else 'No longer hear only'} {old.name}"
        if old.gain_db != new.gain_db:
            return f"Set the gain of {old.name} to {new.gain_db:g} dB"
        if old.offset_samples != new.offset_samples:
            return f"Move {old.name} in time"
        if old.drives != new.drives:
            return f"Let {old.name} {'drive' if new.drives else 'drive nothing'}"
        return f"Change the track {old.name}"

    def apply(self, project: Project) -> Project:
        return project.but(tracks=put(project.tracks, self.track))


class MoveTrack(Command, frozen=True):
    """Move a track to another place in the list."""

    kind: Literal["move_track"] = "move_track"
    id: Id
    place: Annotated[int, Field(ge=0)]

    def label(self, before: Project) -> str:
        return f"Move {before.track(self.id).name} in the list"

    def apply(self, project: Project) -> Project:
        rest = list(without(project.tracks, self.id))
        rest.insert(self.place, project.track(self.id))
        return project.but(tracks=tuple(rest))


class RemoveTrack(Command, frozen=True):
    """Take a track out; refused while envelopes read from it, unless what depends on it goes with it.

    Attributes:
        with_users: take the envelopes made of it, and the mappings that follow them, out as well.
    """

    kind: Literal["remove_track"] = "remove_track"
    id: Id
    with_users: bool = False

    def label(self, before: Project) -> str:
        return f"Remove the track {before.track(self.id).name}"

    def apply(self, project: Project) -> Project:
        track = project.track(self.id)
        envelopes, mappings = project.users(self.id)
        if envelopes and not self.with_users:
            names = [item.name for item in envelopes] + [item.name for item in mappings]
            raise FernTideError(
                f"{track.name} drives: {listed(names)} {verb(names, 'depends', 'depend')} on it.",
                remedy="Remove them with it, or let them read another track first.",
            )
        beat = project.beat.model_copy(update={"track": None}) if project.beat.track == self.id else project.beat
        return project.but(
            touch_ups=_untied(project.touch_ups, self.id, offset_s=float(track.offset)),
            mappings=tuple(item for item in project.mappings if item not in mappings),
            envelopes=tuple(item for item in project.envelopes if item not in envelopes),
            tracks=without(project.tracks, self.id),
            beat=beat,
        )


def _untied(
    touch_ups: tuple[TouchUp, ...], gone: str, *, at_s: float | None = None, offset_s: float = 0.0
) -> tuple[TouchUp, ...]:
    """Give touch-ups of which those stay where they are that were tied to a marker, or a track's hit, that goes."""
    tied_to = TiedTo.HIT if at_s is None else TiedTo.MARKER

    def stays(one: TouchUp) -> TouchUp:
        start = one.start
        if start.tied_to is not tied_to or start.id != gone:
            return one
        return one.but(start=Start(at_s=start.at_s + offset_s if at_s is None else at_s, after_s=start.after_s))

    return tuple(map(stays, touch_ups))
