"""Standard MIDI File: curves as controllers of 14 bits, a track a part (MIDI 1.0; RP-001)."""

from __future__ import annotations

import io
import re
from collections.abc import Iterable, Iterator, Mapping
from functools import partial
from math import ceil
from typing import Any

import numpy as np

from fern_tide.core.bake.curve import Curve
from fern_tide.core.base.errors import FernTideError
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.params import Params
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Target
from fern_tide.core.formats.format import Format, HandOff
from fern_tide.core.formats.hits_midi import latin

_TICKS_A_FRAME = 32
_FULL = (1 << 14) - 1
_COARSE = [*range(1, 6), *range(7, 32)]  # controllers that have a fine one 32 above; 0 and 6 mean something else
_MOST = 16 * len(_COARSE)
_LABEL = re.compile(r"^(.+) = controller (\d+) of channel (\d+), (\S+) to (\S+)$")


class MidiParams(Params):
    """A MIDI file has nothing to set."""


def encode(hand_off: HandOff, params: MidiParams) -> bytes:
    """Write a controller for every number that moves, its least value as 0 and its greatest as 16383.

    Raises:
        FernTideError: there are more numbers than channels and controllers.
    """
    import mido

    rows = list(_rows(hand_off))
    if len(rows) > _MOST:
        raise FernTideError(
            f"MIDI carries {_MOST} numbers, and these are {len(rows):,}.", remedy="Let fewer parts go in."
        )
    file = mido.MidiFile(type=1, ticks_per_beat=_frames_a_beat(hand_off.rate) * _TICKS_A_FRAME)
    conductor = mido.MidiTrack()
    conductor.append(mido.MetaMessage("track_name", name=latin(hand_off.name)))
    conductor.append(mido.MetaMessage("set_tempo", tempo=_tempo_us(hand_off.rate)))
    conductor.append(mido.MetaMessage("end_of_track", time=hand_off.n_frames * _TICKS_A_FRAME))
    file.tracks.append(conductor)
    for at, (name, values) in enumerate(rows):
        file.tracks.append(_track(name, values, channel=at // len(_COARSE), controller=_COARSE[at % len(_COARSE)]))
        hand_off.progress(1)
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()


def _rows(hand_off: HandOff) -> Iterator[tuple[str, FloatArray]]:
    """Give each number that moves under its name; a colour is three."""
    for curve in hand_off.curves:
        if curve.kind == "colour":
            for name, row in zip("rgb", curve.values, strict=True):
                yield f"{curve.target}.{name}", row
        else:
            yield str(curve.target), curve.values


def _frames_a_beat(rate: FrameRate) -> int:
    """Give how many frames a quarter note takes: a second of them, rounded up, so that ticks fall on frames."""
    return max(1, ceil(rate.fps))


def _tempo_us(rate: FrameRate) -> int:
    return round(_frames_a_beat(rate) / rate.fps * 1_000_000)


def _track(name: str, values: FloatArray, *, channel: int, controller: int) -> Any:
    import mido

    low, high = (float(values.min()), float(values.max())) if values.size else (0.0, 0.0)
    steps = np.rint((values - low) / ((high - low) or 1.0) * _FULL).astype(np.int64)
    move = partial(mido.Message, "control_change", skip_checks=True, channel=channel)  # all are in range
    track = mido.MidiTrack()
    label = f"{name} = controller {controller} of channel {channel + 1}, {low!r} to {high!r}"
    track.append(mido.MetaMessage("track_name", name=latin(label)))
    moves = np.flatnonzero(np.diff(steps, prepend=-1))
    last = 0
    for frame in moves.tolist():
        value, wait = int(steps[frame]), (frame - last) * _TICKS_A_FRAME
        track.append(move(control=controller, value=value >> 7, time=wait))
        track.append(move(control=controller + 32, value=value & 127))
        last = frame
    track.append(mido.MetaMessage("end_of_track", time=(len(values) - last) * _TICKS_A_FRAME))
    return track


def read_back(content: bytes, hand_off: HandOff, params: MidiParams) -> Mapping[Target, FloatArray]:
    """Read the controllers as they stand at every frame."""
    import mido

    rows: dict[str, FloatArray] = {}
    for track in mido.MidiFile(file=io.BytesIO(content)).tracks[1:]:
        match = _LABEL.match(track[0].name)
        if match is None:
            continue
        low, high = float(match[4]), float(match[5])
        rows[match[1]] = low + _steps(track[1:], hand_off.n_frames) / _FULL * (high - low)
    curves = {}
    for curve in hand_off.curves:
        names = [f"{curve.target}.{name}" for name in "rgb"] if curve.kind == "colour" else [str(curve.target)]
        if all(name in rows for name in names):
            values = np.stack([rows[name] for name in names])
            curves[curve.target] = values if curve.kind == "colour" else values[0]
    return curves


def _steps(messages: Iterable[Any], n_frames: int) -> FloatArray:
    """Give where a controller stands at every frame, 0 to 16383, shape (n_frames,); 0 until it is moved."""
    ticks, steps, tick, coarse = [-1], [0], 0, 0
    for message in messages:
        tick += message.time
        if message.type == "control_change" and message.control < 32:
            coarse = message.value
        elif message.type == "control_change":
            ticks.append(tick)
            steps.append(coarse << 7 | message.value)
    frames = np.array(ticks) // _TICKS_A_FRAME
    at = np.searchsorted(frames, np.arange(n_frames), side="right") - 1
    return np.array(steps, dtype=np.float64)[at]


def loses(curve: Curve) -> str | None:
    """Say that values are rounded to steps of its range."""
    return "values to a 16,383rd of their range"


FORMAT = Format(
    id="midi",
    label="MIDI controllers",
    help="Every number as a controller of 14 bits, in sync to the frame.",
    params=MidiParams,
    extension=".mid",
    media_type="audio/midi",
    loses=loses,
    encode=encode,
    read_back=read_back,
    rounds_by=4e-5,
    numbers_only=True,
    lacks="what parts look like: only their numbers",
)
