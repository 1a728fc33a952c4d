"""Curves as the channels of a glTF animation, and back: places about an anchor, colours in linear light, angles."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from fern_tide.core.bake.curve import Curve
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Target
from fern_tide.core.formats.format import HandOff
from fern_tide.core.mapping.colour import parse_colour, to_linear, to_srgb
from fern_tide.core.scene.gltf.built import Built
from fern_tide.core.scene.part import Channel, Form
from fern_tide.core.scene.rotation import angle_between, matrices, quaternions
from fern_tide.core.scene.scene import Part

_STEEPEST = 12.92  # sRGB per linear light, near black
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
        rows: its numbers as glTF counts them, shape (width, frames).
        spans: what an error of each row is a share of, shape (width,).
        curves: the curves that it carries, by property.
        shift: what the anchor adds to a translation, shape (3, frames); zeros elsewhere.
    """

    part: Part
    channel: Channel
    pointer: str
    rows: FloatArray
    spans: FloatArray
    curves: Mapping[str, Curve]
    shift: FloatArray


def moving_channels(hand_off: HandOff, built: Built) -> list[Moving]:
    """List the channels that any curve moves, in the order of the parts."""
    found = []
    for part_id, curves in hand_off.by_part.items():
        part = hand_off.scene.part(part_id)
        for channel, pointer in built.channels(part):
            carried = {name: curves[name] for name in channel.names if name in curves}
            shift = np.zeros((3, hand_off.n_frames))
            if channel.form is Form.TRANSLATION:
                shift = anchor_shift(part, curves, hand_off.n_frames)
            if not carried and not shift.any():
                continue
            rows = _rows(part, channel, curves, hand_off.n_frames) + (
                shift if channel.form is Form.TRANSLATION else 0.0
            )
            found.append(Moving(part, channel, pointer, rows, _spans(channel, carried, rows), carried, shift))
    return found


def _spans(channel: Channel, carried: Mapping[str, Curve], rows: FloatArray) -> FloatArray:
    """Give what errors are shares of: each row's range; of a turn, what keeps the angle within its least range.

    Of a colour it is what linear light may be off where sRGB is steepest, at black.
    """
    if channel.form is Form.ROTATION:
        span = min((curve.span for curve in carried.values()), default=0.0)
        return np.full(len(rows), np.radians(span) / 4)
    if channel.form in {Form.COLOUR, Form.COLOUR_ALPHA}:
        return np.array([1 / _STEEPEST] * 3 + [1.0])[: len(rows)]
    return np.ptp(rows, axis=1) if rows.size else np.zeros(len(rows))


def _values(part: Part, name: str, curves: Mapping[str, Curve], n_frames: int) -> FloatArray:
    return curves[name].values if name in curves else np.full(n_frames, float(part.own(name)))


def _stack(part: Part, names: tuple[str, ...], curves: Mapping[str, Curve], n_frames: int) -> FloatArray:
    return np.stack([_values(part, name, curves, n_frames) for name in names])


def _rows(part: Part, channel: Channel, curves: Mapping[str, Curve], n_frames: int) -> FloatArray:
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
    if channel.form is Form.ROTATION:
        return quaternions(rows)
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


def read_channel(item: Moving, read: FloatArray) -> dict[Target, FloatArray]:
    """Turn a channel's numbers, as read, into the values of the curves that it carries.

    A turn is read as the curve plus the angle, in degrees, by which the orientation that was read is off: three turns
    and one quaternion have no other common measure.
    """
    names = item.channel.names
    found: dict[Target, FloatArray] = {}
    for name, curve in item.curves.items():
        place = names.index(name)
        if item.channel.form is Form.ROTATION:
            found[curve.target] = curve.values + angle_between(item.rows, read)
        elif curve.kind == "colour":
            found[curve.target] = to_srgb(read[:3])
        elif item.channel.form is Form.COLOUR_ALPHA:
            found[curve.target] = read[3]
        elif item.channel.form is Form.RADIANS:
            found[curve.target] = np.degrees(read[place])
        else:
            found[curve.target] = read[place] - (item.shift[place] if item.channel.form is Form.TRANSLATION else 0.0)
    return found
