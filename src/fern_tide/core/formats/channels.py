"""Curves as the channels of a glTF animation, and back: places about an anchor, colours in linear light, angles."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from fern_tide.core.bake.curve import Curve
from fern_tide.core.bake.thin import Interpolation, Keys, Places
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Target
from fern_tide.core.formats.format import HandOff
from fern_tide.core.mapping.colour import parse_colour, to_linear, to_srgb
from fern_tide.core.scene.gltf.built import Built
from fern_tide.core.scene.part import Channel, Form
from fern_tide.core.scene.rotation import continued, matrices, quaternions, slerped, turned_apart
from fern_tide.core.scene.scene import Part
from fern_tide.core.scene.shaping import read_shapers, seen_of

_STEEPEST = 12.92  # sRGB per linear light, near black
_WIDEST_TURN = 1.0  # what an error of a turn is a share of, at most, in numbers of a quaternion: 5 % are 6 degrees
_MOST_TURN = 150.0  # degrees from one place to the next: players go the shorter way
_MOST_PIECES = 24  # of a frame: ten turns; what turns faster cannot be told, and its read-back says so
_PLACES = {
    Form.TRANSLATION: ("x", "y", "z"),
    Form.ROTATION: ("turn_x", "turn_y", "turn_z"),
    Form.SCALE: ("scale_x", "scale_y", "scale_z"),
}


@dataclass(frozen=True)
class Moving:
    """A channel that moves.

    Attributes:
        part: whose.
        channel: which.
        pointer: where it lies in the file.
        rows: its numbers as glTF counts them, shape (width, places).
        places: where they lie, in frames: one a frame, and for what turns fast some between.
        spans: what an error of each row is a share of, shape (width,).
        curves: the curves that it carries, by property.
        shift: what the anchor adds to a translation, shape (3, frames); zeros elsewhere.
    """

    part: Part
    channel: Channel
    pointer: str
    rows: FloatArray
    places: Places
    spans: FloatArray
    curves: Mapping[str, Curve]
    shift: FloatArray

    def whole_frames(self, n_frames: int) -> Moving:
        """Give the channel without what lies between frames."""
        frames = np.arange(n_frames, dtype=np.int64)
        return replace(self, rows=self.rows[:, np.searchsorted(self.places, frames)], places=frames)


def moving_channels(hand_off: HandOff, built: Built) -> list[Moving]:
    """List the channels that any curve moves, in the order of the parts."""
    moving = []
    for part_id, curves in hand_off.by_part.items():
        part = hand_off.scene.part(part_id)
        for channel, pointer in built.channels(part):
            carried = {name: curves[name] for name in channel.names if name in curves}
            shift = np.zeros((3, hand_off.n_frames))
            if channel.form is Form.TRANSLATION:
                shift = anchor_shift(part, curves, hand_off.n_frames)
            if not carried and not shift.any():
                continue
            places, rows = _rows(part, channel, curves, hand_off.n_frames)
            if channel.form is Form.TRANSLATION:
                rows = rows + shift
            moving.append(Moving(part, channel, pointer, rows, places, _spans(channel, carried, rows), carried, shift))
    return moving


def spans_with_anchors(hand_off: HandOff) -> dict[Target, float]:
    """Give what errors of places are shares of where turns about an anchor move them too: the range of both together.

    A place may hardly move by itself while its part swings far about its anchor; the file has one number for both.
    """
    spans: dict[Target, float] = {}
    for part_id, curves in hand_off.by_part.items():
        part = hand_off.scene.part(part_id)
        if part.kind.space != "3d" or not any(name in curves for name in "xyz"):
            continue
        shift = anchor_shift(part, curves, hand_off.n_frames)
        if shift.any():
            moved = {name: curves[name].values + row for name, row in zip("xyz", shift, strict=True) if name in curves}
            spans |= {curves[name].target: float(np.ptp(values)) for name, values in moved.items() if values.size}
    return spans


def _spans(channel: Channel, carried: Mapping[str, Curve], rows: FloatArray) -> FloatArray:
    """Give what errors are shares of: each row's range; of a turn, what keeps the angle within its least range.

    Of a colour it is what linear light may be off where sRGB is steepest, at black.
    """
    if channel.form is Form.ROTATION:
        span = min((curve.span for curve in carried.values()), default=0.0)
        return np.full(len(rows), min(np.radians(span) / 4, _WIDEST_TURN))
    if channel.form in {Form.COLOUR, Form.COLOUR_ALPHA}:
        return np.array([1 / _STEEPEST] * 3 + [1.0])[: len(rows)]
    return np.ptp(rows, axis=1) if rows.size else np.zeros(len(rows))


def _values(part: Part, name: str, curves: Mapping[str, Curve], n_frames: int) -> FloatArray:
    return curves[name].values if name in curves else np.full(n_frames, float(part.own(name)))


def _stack(part: Part, names: tuple[str, ...], curves: Mapping[str, Curve], n_frames: int) -> FloatArray:
    return np.stack([_values(part, name, curves, n_frames) for name in names])


def _rows(part: Part, channel: Channel, curves: Mapping[str, Curve], n_frames: int) -> tuple[Places, FloatArray]:
    """Give a channel's places and numbers."""
    frames = np.arange(n_frames, dtype=np.int64)
    if channel.form is not Form.ROTATION:
        return frames, _numbers(part, channel, curves, n_frames)
    turns = _stack(part, channel.names, curves, n_frames)
    places = _turning_places(turns)
    between = np.stack([np.interp(places, frames, row) for row in turns])
    return places, quaternions(between if len(places) > n_frames else turns)


def _turning_places(turns: FloatArray) -> Places:
    """Give every frame, and as many places between two as it takes for none to be half a turn from the next.

    Args:
        turns: shape (3, frames), degrees about x, y and z.
    """
    frames = np.arange(turns.shape[1], dtype=np.int64)
    pieces = np.ceil(np.abs(np.diff(turns, axis=1)).sum(axis=0) / _MOST_TURN)
    pieces = np.clip(pieces, 1, _MOST_PIECES).astype(np.int64)
    if not (pieces > 1).any():
        return frames
    inside = [frame + np.arange(n) / n for frame, n in zip(frames, pieces, strict=False)]
    return np.concatenate([*inside, frames[-1:]])


def _numbers(part: Part, channel: Channel, curves: Mapping[str, Curve], n_frames: int) -> FloatArray:
    if channel.form in {Form.COLOUR, Form.COLOUR_ALPHA}:
        name = channel.names[0]
        srgb = (
            curves[name].values
            if name in curves
            else np.repeat(parse_colour(str(part.own(name)))[:, None], n_frames, 1)
        )
        linear = to_linear(np.clip(srgb, 0.0, 1.0))
        if channel.form is Form.COLOUR:
            return linear
        return np.concatenate([linear, np.clip(_values(part, channel.names[1], curves, n_frames), 0.0, 1.0)[None]])
    rows = _stack(part, channel.names, curves, n_frames)
    if channel.form is Form.SHAPES:
        return seen_of(part.shapers, dict(zip(channel.names, rows, strict=True)))
    return np.radians(rows) if channel.form is Form.RADIANS else rows


def anchor_shift(part: Part, curves: Mapping[str, Curve], n_frames: int) -> FloatArray:
    """Give what keeps an anchor where it is: R0 S0 a - R S a, with the part's own turn and scale first.

    Args:
        part: a 3D part with a place.
        curves: its curves, by property.
        n_frames: the project's length.

    Returns:
        Shape (3, frames), in metres of what the part lies in; zeros where nothing turns or scales.
    """
    anchor = np.array([part.anchor.x, part.anchor.y, part.anchor.z])
    names = [name for form in (Form.ROTATION, Form.SCALE) for name in _PLACES[form]]
    if not anchor.any() or not any(name in curves for name in names):
        return np.zeros((3, n_frames))
    has = {name: part.has(name) for name in names}

    def place(moved: Mapping[str, Curve], n: int) -> FloatArray:
        rows = [
            _values(part, name, moved, n) if has[name] else np.full(n, float(name.startswith("scale")))
            for name in names
        ]
        rotation = matrices(quaternions(np.stack(rows[:3])))
        return np.asarray(np.einsum("ijn,jn->in", rotation, np.stack(rows[3:]) * anchor[:, None]), dtype=np.float64)

    return place({}, 1) - place(curves, n_frames)


def read_channel(item: Moving, keys: Keys, *, n_frames: int) -> dict[Target, FloatArray]:
    """Turn a channel's keys, as read, into the values of the curves that it carries.

    A turn is read as the curve plus the angle, in degrees, by which the turn that was read is off when both are
    followed from the first frame: three turns and one quaternion have no other common measure.
    """
    turning = item.channel.form is Form.ROTATION
    off = _turned_off(item, keys, n_frames) if turning else np.zeros(n_frames)
    read = np.zeros((0, n_frames)) if turning else keys.dense(n_frames)
    names = item.channel.names
    curves: dict[Target, FloatArray] = {}
    shaped = _shaped(item, read, n_frames) if item.channel.form is Form.SHAPES else {}
    for name, curve in item.curves.items():
        place = names.index(name)
        if name in shaped:
            curves[curve.target] = shaped[name]
        elif turning:
            curves[curve.target] = curve.values + off
        elif curve.kind == "colour":
            curves[curve.target] = to_srgb(read[:3])
        elif item.channel.form is Form.COLOUR_ALPHA:
            curves[curve.target] = read[3]
        elif item.channel.form is Form.RADIANS:
            curves[curve.target] = np.degrees(read[place])
        else:
            curves[curve.target] = read[place] - (item.shift[place] if item.channel.form is Form.TRANSLATION else 0.0)
    return curves


def _shaped(item: Moving, read: FloatArray, n_frames: int) -> dict[str, FloatArray]:
    baked = {name: _values(item.part, name, item.curves, n_frames) for name in item.channel.names}
    return read_shapers(item.part.shapers, read, baked)


def _turned_off(item: Moving, keys: Keys, n_frames: int) -> FloatArray:
    """Give by how many degrees a turn that was read is off at every frame, and on the way to the next; (frames,).

    The keys are followed as players do, on the shorter way from each to the next.
    """
    places = np.asarray(item.places, dtype=np.float64)
    if len(places) < 2:
        return turned_apart(item.rows, keys.at(places))
    if keys.interpolation is Interpolation.STEP:
        off = turned_apart(item.whole_frames(n_frames).rows, keys.dense(n_frames))
        return np.minimum(off, 360.0 - off)  # nothing lies between
    followed = np.sort(np.concatenate([places, (places[1:] + places[:-1]) / 2]))
    read = continued(_played(keys, followed))
    read = -read if float(read[:, 0] @ item.rows[:, 0]) < 0 else read
    off = turned_apart(item.rows, read[:, ::2])
    starts = np.searchsorted(places, np.arange(n_frames))
    return np.asarray(np.maximum.reduceat(off, starts))


def _played(keys: Keys, moments: FloatArray) -> FloatArray:
    """Give the orientation at moments in frames as players find it, shape (4, moments)."""
    if keys.interpolation is Interpolation.CUBIC or len(keys.frames) < 2:
        return keys.at(moments)
    place = np.clip(np.searchsorted(keys.frames, moments, side="right") - 1, 0, len(keys.frames) - 2)
    start, end = keys.frames[place], keys.frames[place + 1]
    share = np.clip((moments - start) / (end - start), 0.0, 1.0)
    return slerped((keys.values[:, place], keys.values[:, place + 1]), share)
