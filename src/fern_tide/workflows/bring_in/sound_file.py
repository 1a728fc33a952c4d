"""What can be read out of one sound file by itself: figures, levels, hits and beats.

No project is made, so that a level is there in half a second from the command line.
"""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Sequence
from functools import cached_property
from pathlib import Path
from typing import Any

import numpy as np

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.signal import Float32Array, FloatArray
from fern_tide.core.envelope.beat_grid import BeatSetting, beat_grid
from fern_tide.core.envelope.beats import Beats, rhythm
from fern_tide.core.envelope.envelope import CleanUpChoice, ReadingChoice, clean, needs, read_raw
from fern_tide.core.envelope.hits import Hits
from fern_tide.core.envelope.notes import HEAD, MOST_BYTES, Notes, read_notes
from fern_tide.core.envelope.readings.hits import HitsParams, hits_of
from fern_tide.core.envelope.takes import Take
from fern_tide.core.sound.attacks import Attack, Attacks
from fern_tide.core.sound.channels import Channel, pick
from fern_tide.core.sound.decode import SoundHead, SoundInfo, SoundLimits, measure
from fern_tide.core.sound.features import AttacksFeature, Feature, RisesFeature, analyze
from fern_tide.core.sound.grid import FrameGrid
from fern_tide.core.sound.layout import usual_layout
from fern_tide.core.sound.onsets import RISE_BANDS, Rises, n_rises
from fern_tide.core.sound.spectrum import transform_for
from fern_tide.core.sound.whole import Figures, FiguresReader


class SoundFile:
    """A sound file as readings see one: it begins with the project and is all there is. Features are read once.

    Args:
        path: the file; it is measured at once.
        rate: the frame rate.

    Raises:
        UnreadableSound: it is no sound that can be read, or not what it claims.
    """

    offset_s = 0.0

    def __init__(self, path: Path, rate: FrameRate) -> None:
        self._path, self.rate = path, rate
        with path.open("rb") as stream:
            self.info = measure(stream)
        self._features: dict[Feature, Float32Array] = {}

    @property
    def n_frames(self) -> int:
        """The frames that the sound reaches into."""
        return self._grid.n_frames

    @property
    def _grid(self) -> FrameGrid:
        return FrameGrid(self.rate, self.info.sample_rate_hz, self.info.n_samples)

    def read(self, features: Sequence[Feature]) -> None:
        """Read the features that are not read yet, in one pass."""
        missing = [feature for feature in features if feature not in self._features]
        if missing:
            with self._path.open("rb") as stream:
                self._features.update(analyze(stream, self.info, grid=self._grid, features=missing))

    def get(self, feature: Feature) -> Float32Array:
        """Give a feature's array."""
        self.read([feature])
        return self._features[feature]

    @cached_property
    def rhythm(self) -> tuple[Hits, Beats]:
        """The hits and beats of the whole spectrum."""
        self.read([RisesFeature(), AttacksFeature()])
        rises, attacks = self.get(RisesFeature()), self.get(AttacksFeature())
        return rhythm(rises, attacks, sample_rate_hz=self.info.sample_rate_hz)

    def beats(self) -> Beats:
        """Give the beats as they are found, to the end of the sound."""
        return beat_grid(BeatSetting(), self.rhythm[1], offset_s=0.0, duration_s=self.rate.duration_s(self.n_frames))

    def level(self, envelope_id: str) -> FloatArray:
        """Refuse: there are no envelopes beside."""
        raise InvalidParameter("envelope", value=envelope_id, allowed="an envelope of a project: a file has none")

    def points(self, media: str) -> FloatArray:
        """Refuse: there are no files beside."""
        raise InvalidParameter("file", value=media, allowed="a file of a project: a sound has none")

    def notes(self, media: str) -> Notes:
        """Refuse: there are no files beside."""
        raise InvalidParameter("notes", value=self._path.name, allowed="a MIDI file: this is a sound")

    def take(self, media: str) -> Take:
        """Refuse: there are no files beside."""
        raise InvalidParameter("take", value=media, allowed="a take of a project: a sound has none")


class NotesFile:
    """A MIDI file as what readings of notes read from, in memory."""

    def __init__(self, content: bytes, rate: FrameRate) -> None:
        self.rate = rate
        self._notes = read_notes(content)
        self.n_frames = int(rate.frames_of_times(np.array([self._notes.end_s]))[0]) + 1

    def notes(self, media: str) -> Notes:
        """Give what it plays."""
        return self._notes

    def __getattr__(self, name: str) -> Any:
        raise InvalidParameter("reading", value=name, allowed="notes or note_rows: this is a MIDI file")


def read_level(
    sound: Path, *, rate: str, reading: str, clean_up: Sequence[str]
) -> tuple[FrameRate, dict[str, FloatArray]]:
    """Read and clean a level, as text names it.

    Returns:
        The rate; and the columns: the linear level, or that of each row of a bank, then the same in the reading's own
        unit. Shape (frames,) each.
    """
    choice, cleaned_by = ReadingChoice.parse(reading), tuple(CleanUpChoice.parse(text) for text in clean_up)
    file: Any
    if (content := midi_in(sound)) is not None:
        file = NotesFile(content, FrameRate.parse(rate))
        choice = _of_this_file(choice, content, name=sound.name)
    else:
        file = SoundFile(sound, FrameRate.parse(rate))
        file.read(needs(choice, file.info))
    level = clean(read_raw(choice, file), cleaned_by, rate=file.rate)
    names = tuple(choice.spec.rows(choice.params)) or ("level",)
    rows, unit = np.atleast_2d(level), choice.spec.unit(choice.params)
    own = (f"{name}_{unit.name.lower()}" if name == "level" else f"{name} in {unit.name}" for name in names)
    return file.rate, {**dict(zip(names, rows, strict=True)), **dict(zip(own, unit.of(rows), strict=True))}


def midi_in(path: Path) -> bytes | None:
    """Give the bytes of a MIDI file; None of any other."""
    with path.open("rb") as stream:
        head = stream.read(len(HEAD))
        return head + stream.read(MOST_BYTES + 1) if head == HEAD else None


def _of_this_file(choice: ReadingChoice, content: bytes, *, name: str) -> ReadingChoice:
    """Give a reading of notes as one of this file.

    Raises:
        InvalidParameter: it reads no notes.
    """
    if "media" not in type(choice.params).model_fields or choice.spec.role == "file":
        raise InvalidParameter("reading", value=choice.id, allowed=f"notes or note_rows: {name} is a MIDI file")
    return choice.but(params=choice.params.but(media=hashlib.sha256(content).hexdigest()))


def file_hits(sound: Path, *, options: HitsParams) -> Hits:
    """Find the hits of a sound file."""
    return hits_of(options, SoundFile(sound, _ANY_RATE))


def file_beats(sound: Path) -> Beats:
    """Find the beats of a sound file."""
    return SoundFile(sound, _ANY_RATE).rhythm[1]


_ANY_RATE = FrameRate.parse("30")  # hits and beats know no frames


class _Whole:
    """What is read of a whole sound while it is measured, in one pass: its figures, hits and beats."""

    def __call__(self, head: SoundHead) -> Callable[[Float32Array], None]:
        """Begin a sound whose length is not known for certain yet."""
        rate_hz = head.sample_rate_hz
        most = n_rises(SoundLimits().longest_s * rate_hz, sample_rate_hz=rate_hz)  # memory that is only lent
        self._rises, self._attacks = (np.zeros((rows, most), dtype=np.float32) for rows in (RISE_BANDS, len(Attack)))
        self._figures = FiguresReader(sample_rate_hz=rate_hz, layout=head.layout)
        transform = transform_for(head.claimed_samples)
        self._listeners = (
            Rises(self._rises, sample_rate_hz=rate_hz, transform=transform),
            Attacks(self._attacks, sample_rate_hz=rate_hz),
        )
        return self._add

    def _add(self, block: Float32Array) -> None:
        self._figures.add(block)
        mid = pick(block, channel=Channel.MID)  # once for both, which look at nothing else
        for listener in self._listeners:
            listener.add(mid)

    def finish(self, info: SoundInfo) -> tuple[Figures, Beats]:
        """Give the figures and the beats."""
        n = n_rises(info.n_samples, sample_rate_hz=info.sample_rate_hz)
        for listener in self._listeners:
            listener.end_at(n)
            listener.finish()
        _, beats = rhythm(self._rises[:, :n], self._attacks[:, :n], sample_rate_hz=info.sample_rate_hz)
        return self._figures.finish(), beats


def describe(
    sound: Path, *, rate: str, progress: Callable[[int, int], bool] = lambda done, total: True
) -> dict[str, Any]:
    """Measure a sound and say what it holds, as plain data; progress is told samples read, and claimed."""
    fps, whole = FrameRate.parse(rate), _Whole()
    with sound.open("rb") as stream:
        info = measure(stream, heard=whole, progress=progress)
    features, beats = whole.finish(info)
    return {
        "format": info.format,
        "encoding": info.encoding,
        "channels": info.channels,
        "layout": " ".join(info.layout or usual_layout(info.channels)),
        "sample_rate": info.sample_rate_hz,
        "duration_s": float(info.duration),
        "samples": info.n_samples,
        "note": info.note,
        "loudness_lufs": _rounded(features.loudness_lufs),
        "true_peak_dbtp": _rounded(features.true_peak_db),
        "peak_dbfs": _rounded(features.peak_db),
        "tempo_bpm": _rounded(beats.bpm) if len(beats.times_s) else None,
        "rate": str(fps),
        "frames": fps.n_frames(info.n_samples, sample_rate_hz=info.sample_rate_hz),
    }


def _rounded(value: float | None) -> float | None:
    return None if value is None else round(value, 2)
