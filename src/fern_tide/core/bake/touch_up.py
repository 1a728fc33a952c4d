"""Touch-ups: edits by hand that are stored beside the mappings and laid over every new bake (SIGNAL.md, 'Touch-ups').

    v' = v + m(k) (g(k) - v)

with m a fade at both ends of a stretch, and g what the kind of touch-up makes of it. They are laid over a property's
stack in their order, before its limits.
"""

from __future__ import annotations

import base64
import binascii
from collections.abc import Sequence
from enum import StrEnum
from functools import cached_property, lru_cache
from typing import Annotated, Any, NamedTuple

import numpy as np
from pydantic import Field, StringConstraints

from fern_tide.core.bake import touch_ups as touch_ups_folder
from fern_tide.core.bake.touch import Stretch, Touch
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.params import Frozen
from fern_tide.core.base.registry import Choice, discover
from fern_tide.core.base.signal import FloatArray, frozen
from fern_tide.core.base.target import Id, Target

VERSION = 1
TOUCHES = discover(touch_ups_folder, attribute="TOUCH", of=Touch, kind="touch-up")
MOST_TOUCH_UPS = 5_000
MOST_GROUND = 512
"""Values that are stored of what lay below: of a longer stretch as many, evenly apart."""
NEAR_S = 0.25
"""How far from its time a hit may lie to be the one that a touch-up is tied to."""
_Seconds = Annotated[float, Field(ge=-1e6, le=1e6)]
_Length = Annotated[float, Field(ge=0, le=1e6)]


class TiedTo(StrEnum):
    """What the beginning of a touch-up stays with."""

    TIME = "time"
    HIT = "hit"
    MARKER = "marker"


class Start(Frozen, frozen=True):
    """When a touch-up begins.

    Attributes:
        tied_to: what moves it along.
        id: the track whose hit, or the marker, that it is tied to.
        at_s: when that was, as it was tied: in seconds of the track for a hit, else of the project.
        after_s: how much later than that the stretch begins.
    """

    tied_to: TiedTo = TiedTo.TIME
    id: Id | None = None
    at_s: _Seconds = 0.0
    after_s: _Seconds = 0.0


class TouchChoice(Choice):
    """A kind of touch-up and its options; switched off it changes nothing."""

    registry = TOUCHES


class TouchUp(Frozen, frozen=True):
    """A touch-up of one property.

    Attributes:
        start: when it begins.
        length_s: how long it is.
        fade_in_s: how long it takes from nothing to the whole of it; 0 is sharp.
        fade_out_s: the same at its end.
        ground: what lay below when it was made, as ground_text gives it; '' where that is not known.
    """

    id: Id
    target: Target
    start: Start = Start()
    length_s: Annotated[float, Field(gt=0, le=1e6)]
    fade_in_s: _Length = 0.0
    fade_out_s: _Length = 0.0
    touch: TouchChoice
    ground: Annotated[str, StringConstraints(max_length=4 * MOST_GROUND * 3 * 2, pattern=r"^[A-Za-z0-9+/=]*$")] = ""

    def pushed(self, field: str, value: Any) -> dict[str, Any]:
        """Forget what lay below where another stretch is set, or another motion below is taken as right."""
        return {"ground": ""} if field in {"start", "length_s", "target"} else {}

    @cached_property
    def facts(self) -> dict[str, Any]:
        """All that its values depend on but what it is tied to, as plain JSON."""
        plain = self.model_dump(mode="json", exclude={"id", "target", "ground"})
        return {**plain, "version": self.touch.spec.version}

    @cached_property
    def replaces_all(self) -> bool:
        """Whether it is all that moves the property, in every frame."""
        return self.touch.on and bool(self.touch.spec.replaces_all(self.touch.params))

    def began_s(self, *, times_s: FloatArray | None = None, offset_s: float = 0.0) -> float:
        """Give when it begins, in seconds of the project.

        Args:
            times_s: when the marker is that it is tied to, shape (1,), or when the hits of the track are, in its own
                seconds, ascending; None or empty where there is none: then it stays where it was.
            offset_s: when the track begins.
        """
        at = self.start.at_s
        if times_s is not None and len(times_s):
            nearest = float(times_s[np.argmin(np.abs(times_s - at))])
            if self.start.tied_to is TiedTo.MARKER or abs(nearest - at) <= NEAR_S:
                at = nearest
        return at + offset_s + self.start.after_s


class Laid(NamedTuple):
    """A touch-up where it lies in time.

    Attributes:
        touch_up: which.
        began_s: when it begins, in seconds of the project.
    """

    touch_up: TouchUp
    began_s: float

    def frames(self, rate: FrameRate) -> tuple[int, int]:
        """Give its first frame and the one after its last: those nearest its times, at least one."""
        fps = rate.per_second
        first = round(self.began_s * fps)
        return first, first + max(1, round(self.touch_up.length_s * fps))

    def inside(self, rate: FrameRate, n_frames: int) -> tuple[int, int]:
        """Give its frames that lie in the project; none where the first is not below the second."""
        if self.touch_up.replaces_all:
            return 0, n_frames
        first, end = self.frames(rate)
        return max(first, 0), min(end, n_frames)


class Fades(NamedTuple):
    """The frames of a touch-up that lie in the project, and how much of it there is in each.

    Attributes:
        first: the first frame; there are none where it is not below the end.
        end: the one after the last.
        shares: m(k), from above 0 to 1, shape (end - first,).
        whole: those of them that are 1.
    """

    first: int
    end: int
    shares: FloatArray
    whole: slice


def fades(laid: Laid, *, rate: FrameRate, n_frames: int) -> Fades:
    """Give m(k): a raised cosine at each end.

    With a fade of f frames, the frame i of the stretch has the share (i + 1)/(f + 1) of the way.
    """
    touch_up, fps = laid.touch_up, rate.per_second
    if touch_up.replaces_all:
        return Fades(0, n_frames, *_shares(n_frames, 0, n_frames, 0.0, 0.0))
    first, end = laid.frames(rate)
    begin, stop = max(first, 0), min(end, n_frames)
    shares = _shares(end - first, begin - first, stop - first, touch_up.fade_in_s * fps, touch_up.fade_out_s * fps)
    return Fades(begin, stop, *shares)


@lru_cache(maxsize=64)
def _shares(length: int, begin: int, stop: int, fade_in: float, fade_out: float) -> tuple[FloatArray, slice]:
    """Give m of the frames from one to another of a stretch: remembered, since most are as long as others."""
    places = np.arange(begin, stop)
    ins = np.minimum((places + 1) / (fade_in + 1), 1.0)
    outs = np.minimum((length - places) / (fade_out + 1), 1.0)
    shares = (0.5 - 0.5 * np.cos(np.pi * ins)) * (0.5 - 0.5 * np.cos(np.pi * outs))
    (ones,) = np.nonzero(shares == 1.0)
    return frozen(shares), slice(int(ones[0]), int(ones[-1]) + 1) if ones.size else slice(0, 0)


def touched(
    values: FloatArray, laid: Sequence[Laid], *, rest: FloatArray, rate: FrameRate
) -> tuple[FloatArray, list[FloatArray]]:
    """Lay touch-ups over a curve, the first one lowest.

    Args:
        values: shape (frames,), or (3, frames) for a colour; not changed.
        laid: those of the property that are switched on.
        rest: see Stretch.
        rate: the project's.

    Returns:
        The curve with them, and what lay below each in its stretch.
    """
    out, n_frames, grounds = values.copy(), values.shape[-1], []
    for one in laid:
        first, end, shares, whole = fades(one, rate=rate, n_frames=n_frames)
        choice = one.touch_up.touch
        spec = choice.spec
        if first >= end or (values.ndim > 1 and not spec.colours):
            grounds.append(values[..., :0])
            continue
        wanted = spec.apply(Stretch(out, rest, first, end, one.began_s * rate.per_second, rate), choice.params)
        now = out[..., first:end]
        below = now.copy()
        grounds.append(below)
        way = wanted - below
        way *= shares
        np.add(below, way, out=now)
        now[..., whole] = wanted[..., whole]  # to the last bit
    return (np.clip(out, 0.0, 1.0) if values.ndim > 1 else out), grounds


# --- what lay below


def ground_text(values: FloatArray) -> str:
    """Give what lay below a touch-up as the document has it: float32, little-endian, row after row, in base64.

    Args:
        values: shape (frames,), or (3, frames); of more than MOST_GROUND frames as many are taken, evenly apart.
    """
    n = values.shape[-1]
    at = np.arange(n) if n <= MOST_GROUND else np.rint(np.linspace(0, n - 1, MOST_GROUND)).astype(np.int64)
    return base64.b64encode(np.atleast_2d(values)[:, at].astype("<f4").tobytes()).decode()


def ground_values(text: str, *, rows: int) -> FloatArray | None:
    """Read ground_text, as shape (rows, values); None where nothing is there, or it is none for so many rows."""
    try:
        numbers = np.frombuffer(base64.b64decode(text, validate=True), dtype="<f4")
    except (binascii.Error, ValueError):
        return None
    if not numbers.size or numbers.size % rows or not np.isfinite(numbers).all():
        return None
    return numbers.reshape(rows, -1).astype(np.float64)


def ground_moved(text: str, values: FloatArray) -> float:
    """Give how far what lies below a touch-up is from what lay there, at most, in the property's unit; 0 if unknown.

    Args:
        text: what lay there.
        values: what lies there now, shape (frames,), or (3, frames); as many values are compared as were stored.
    """
    now = np.atleast_2d(values)
    was = ground_values(text, rows=len(now))
    if was is None or not now.shape[1]:
        return 0.0
    places = np.linspace(0, now.shape[1] - 1, was.shape[1])
    if now.shape[1] > MOST_GROUND and was.shape[1] == MOST_GROUND:
        places = np.rint(places)  # as they were taken
    frames = np.arange(now.shape[1])
    moved = np.stack([np.interp(places, frames, row) for row in now])
    return float(np.abs(moved - was).max())
