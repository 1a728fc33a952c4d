"""Live: a sound that comes to a page moves a project, and what came last can be kept."""

from __future__ import annotations

import io
import secrets
from collections import OrderedDict
from collections.abc import Sequence
from dataclasses import dataclass, field
from operator import is_
from threading import Lock
from typing import TypeVar

import numpy as np
import soundfile

from fern_tide.core.base.errors import InvalidParameter, UnknownName
from fern_tide.core.base.naming import fresh_id
from fern_tide.core.base.params import fields
from fern_tide.core.base.registry import Choice
from fern_tide.core.base.signal import Float32Array, FloatArray
from fern_tide.core.commands.command import Command
from fern_tide.core.commands.mapping import PutMapping
from fern_tide.core.commands.project import PutEnvelope
from fern_tide.core.commands.registry import Together
from fern_tide.core.derivation.node import NotReadYet
from fern_tide.core.document import Project
from fern_tide.core.live.run import LiveRun
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.store.revision import Revision
from fern_tide.workflows.bring_in import sounds
from fern_tide.workflows.derive.levels import Levels
from fern_tide.workflows.studio import Studio

MOST_SESSIONS = 4
MOST_CHANNELS = 2
KEPT_S = 120.0
"""How much of what came last is remembered."""
SETTLE_S = 3.0
"""How much of what came last a document that was edited meanwhile hears before it goes on."""
MOST_BLOCK_S = 10.0
LOWEST_RATE_HZ, HIGHEST_RATE_HZ = 8_000, 96_000
C = TypeVar("C", bound=Choice)
_LOUDEST = 64.0  # full scales: what is beyond is no sound


class LiveEnded(UnknownName):
    """A live session is not there: it was closed, or the application began anew."""


class Recent:
    """The last stretch of a sound, in room that is taken once.

    Args:
        channels: how many.
        most: samples that are remembered.
    """

    def __init__(self, channels: int, most: int) -> None:
        self._samples: Float32Array = np.zeros((channels, most), dtype=np.float32)
        self._at = self._count = 0

    def add(self, block: Float32Array) -> None:
        """Remember more samples, shape (channels, samples); the oldest go."""
        most = self._samples.shape[1]
        block = block[:, -most:]
        places = (self._at + np.arange(block.shape[1])) % most
        self._samples[:, places] = block
        self._at = (self._at + block.shape[1]) % most
        self._count = min(most, self._count + block.shape[1])

    def last(self, most: int) -> Float32Array:
        """Give the last samples, no more than so many, shape (channels, samples)."""
        count = min(most, self._count)
        return self._samples[:, (self._at - count + np.arange(count)) % self._samples.shape[1]]


@dataclass
class LiveSession:
    """A page that listens.

    Attributes:
        key: of its project.
        rate_hz: of what it hears.
        track: in whose place it is; None is every track.
        run: moves the document of a revision.
        revision: that revision.
        recent: what came last.
        shown: whether the page knows how all that moves shows.
        reaches: how far beyond rest and full the page knows the responses of pieces, by property.
        lock: held while something comes.
    """

    key: str
    rate_hz: int
    track: str | None
    run: LiveRun
    revision: int
    recent: Recent
    shown: bool = False
    reaches: dict[str, float] = field(default_factory=dict)
    lock: Lock = field(default_factory=Lock)


class LiveSessions:
    """The sessions of the running application; the one that was not used for the longest goes for a new one."""

    def __init__(self) -> None:
        self._sessions: OrderedDict[str, LiveSession] = OrderedDict()
        self._lock = Lock()

    def open(self, session: LiveSession) -> str:
        """Take a session in and give its id."""
        name = secrets.token_urlsafe(12)
        with self._lock:
            self._sessions[name] = session
            while len(self._sessions) > MOST_SESSIONS:
                self._sessions.popitem(last=False)
        return name

    def of(self, key: str, name: str) -> LiveSession:
        """Give a project's session.

        Raises:
            LiveEnded: there is none of that id.
        """
        with self._lock:
            session = self._sessions.get(name)
            if session is None or session.key != key:
                raise LiveEnded("This page does not listen any more.", remedy="Go live again.", name=name)
            self._sessions.move_to_end(name)
        return session

    def close(self, key: str, name: str) -> None:
        """Let go of a session."""
        with self._lock:
            if name in self._sessions and self._sessions[name].key == key:
                del self._sessions[name]


def new_session(
    levels: Levels, revision: Revision, *, rate_hz: int, channels: int, track: str | None = None
) -> LiveSession:
    """Begin to move a project by what a page will hear.

    Args:
        levels: give the project's beats.
        revision: the document, and which it is.
        rate_hz: samples a second.
        channels: 1 or 2.
        track: the track in whose place it is; None is every track.

    Raises:
        InvalidParameter: a rate or a number of channels that is none.
        UnknownName: there is no such track.
    """
    if not LOWEST_RATE_HZ <= rate_hz <= HIGHEST_RATE_HZ:
        raise InvalidParameter("rate", value=rate_hz, allowed=f"{LOWEST_RATE_HZ} to {HIGHEST_RATE_HZ} Hz")
    if not 1 <= channels <= MOST_CHANNELS:
        raise InvalidParameter("channels", value=channels, allowed=f"1 to {MOST_CHANNELS}")
    project = revision.document
    if track is not None:
        project.track(track)
    run = _run(levels, project, rate_hz=rate_hz, channels=channels, track=track)
    recent = Recent(channels, round(KEPT_S * rate_hz))
    return LiveSession(revision.key, rate_hz, track, run, revision.id, recent)


def _run(levels: Levels, project: Project, *, rate_hz: int, channels: int, track: str | None) -> LiveRun:
    there = track if any(item.id == track for item in project.tracks) else None
    beats = _beats(levels, project) if any(mapping.needs_beats for mapping in project.mappings) else None
    return LiveRun(project, sample_rate_hz=rate_hz, channels=channels, track=there, beat_times_s=beats)


def _beats(levels: Levels, project: Project) -> FloatArray | None:
    try:
        return levels.beats(project).times_s
    except NotReadYet:
        return None


def samples_in(content: bytes, *, session: LiveSession) -> Float32Array:
    """Read what a page sends: 32-bit floats, little-endian, one channel after the other; shape (channels, samples).

    Raises:
        InvalidParameter: it is cut, or longer than is taken at once.
    """
    channels = session.run.channels
    if len(content) % (4 * channels) or len(content) > 4 * channels * MOST_BLOCK_S * session.rate_hz:
        allowed = f"whole samples of {channels} channels, at most {MOST_BLOCK_S:.0f} s"
        raise InvalidParameter("samples", value=f"{len(content)} bytes", allowed=allowed)
    samples = np.frombuffer(content, dtype="<f4").reshape(channels, -1)
    heard: Float32Array = np.clip(np.nan_to_num(samples, posinf=0.0, neginf=0.0), -_LOUDEST, _LOUDEST)
    return heard


def take(levels: Levels, session: LiveSession, samples: Float32Array, *, edited: Revision | None) -> bool:
    """Let a session hear samples, under its lock.

    Args:
        levels: give the project's beats.
        session: whose.
        samples: shape (channels, samples).
        edited: the document as it is now, where it was edited since: it settles on what came last, then goes on.

    Returns:
        Whether frames became whole.
    """
    if edited is not None:
        channels = session.run.channels
        run = _run(levels, edited.document, rate_hz=session.rate_hz, channels=channels, track=session.track)
        run.take(session.recent.last(round(SETTLE_S * session.rate_hz)))
        session.run, session.revision, session.shown = run, edited.id, False
        session.reaches = {}
    session.recent.add(samples)
    return session.run.take(samples) is not None


def keep(studio: Studio, session: LiveSession, *, at_s: float) -> tuple[Revision, Command | None]:
    """Keep what came last as a track with an envelope like each one that heard it.

    Args:
        studio: where it is stored.
        session: what heard it.
        at_s: when the track begins, in seconds of the project.

    Returns:
        The revision, and the edit that would let what was moved live be moved by that track; None where nothing was.

    Raises:
        InvalidParameter: nothing came yet.
    """
    with session.lock:
        heard = session.recent.last(round(KEPT_S * session.rate_hz))
        hears = [envelope.id for envelope in session.run.hearing]
    if not heard.shape[1]:
        raise InvalidParameter("what was heard", value="nothing", allowed="a moment of sound")
    out = io.BytesIO()
    soundfile.write(out, heard.T, session.rate_hz, format="WAV", subtype="FLOAT")
    number = sum(track.name.startswith("Live ") for track in studio.projects.current(session.key).document.tracks) + 1
    revision = sounds.add_track(studio, session.key, [out.getvalue()], file_name=f"Live {number}.wav", at_s=at_s)
    return revision, _moved_by(revision.document, hears)


def _moved_by(project: Project, heard: Sequence[str]) -> Command | None:
    """Give the edit that lets what envelopes move be moved by the latest track, read and blended in the same ways.

    Args:
        project: the document, the track in it.
        heard: the envelopes, each after those that it is made of; those that are gone are passed over.
    """
    track, after, commands = project.tracks[-1], project, list[Command]()
    names: dict[str, str] = {}
    there = {envelope.id: envelope for envelope in project.envelopes}
    for envelope in [there[name] for name in heard if name in there]:
        reading = _pointing(envelope.reading, names)
        if envelope.track is None and reading is envelope.reading:
            continue
        name = f"{envelope.name}, {track.name.lower()}"[:120]
        id_, own = fresh_id(name, among=after.envelopes), track.id if envelope.track is not None else None
        put = PutEnvelope(envelope=envelope.but(id=id_, name=name, track=own, reading=reading))
        after, names[envelope.id] = put.apply(after), id_
        commands.append(put)
    moved = [_followed(mapping, names) for mapping in project.mappings]
    changed = [now for now, was in zip(moved, project.mappings, strict=True) if now is not was]
    commands += [PutMapping(mapping=mapping) for mapping in changed]
    return Together(words=f"Move the stage by {track.name}", commands=tuple(commands)) if changed else None


def _followed(mapping: Mapping, names: dict[str, str]) -> Mapping:
    """Give a mapping that follows other envelopes, its steps too; the very same where none of it does."""
    steps = tuple(_pointing(choice, names) for choice in mapping.steps)
    if mapping.envelope not in names and all(map(is_, steps, mapping.steps)):
        return mapping
    return mapping.but(envelope=names.get(mapping.envelope, mapping.envelope), steps=steps)


def _pointing(choice: C, names: dict[str, str]) -> C:
    """Give a choice whose params name other envelopes; the very same where they name none of them."""
    named = {
        field.name: getattr(choice.params, field.name)
        for field in fields(type(choice.params))
        if field.kind == "envelope"
    }
    others = {field: names[name] for field, name in named.items() if name in names}
    return choice.but(params=choice.params.but(**others)) if others else choice
