"""What a first cut is checked for before it is shown: that it lives, rests, stays on the stage and does not flash."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
import numpy.typing as npt

from fern_tide.core.bake.sync import sync
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.units import from_db
from fern_tide.core.first_cut.measuring import Measured
from fern_tide.core.mapping.colour import luminance, parse_colour
from fern_tide.core.mapping.drive import Drive, value
from fern_tide.core.scene.extent import Extent
from fern_tide.core.scene.scene import Part

WINDOW_S = 4.0  # in each of which something moves, where there is sound
_HEARD_DB, _SILENT_DB = -50.0, -80.0
_MOVES = 0.08  # of the way from rest to full
_RESTS = 0.02
_QUIET_S = 1.7  # smoothing and falls of this length are over by then
_OVER = 0.01  # of the stage that something may hang over its edge
_LARGE = 341 * 256 / (1024 * 768) / 4  # WCAG 2.3.1: a quarter of that much of the stage
_FLASH, _DARK, _A_SECOND = 0.10, 0.80, 3


def windows_that_live(moves: FloatArray, loudness: FloatArray, *, rate: FrameRate) -> npt.NDArray[np.bool_]:
    """Say of each 4 s in which there is sound whether something moves.

    Args:
        moves: how far something is from rest, shape (frames,).
        loudness: of the sound, shape (frames,).
        rate: of the frames.

    Returns:
        Shape (windows,): of those only that are heard at least half of the time.
    """
    size = max(1, round(WINDOW_S * rate.per_second))
    starts = range(0, max(1, len(moves) - size // 2), size)
    heard = [at for at in starts if np.median(loudness[at : at + size]) > from_db(_HEARD_DB)]
    return np.array([np.ptp(moves[at : at + size]) > _MOVES for at in heard], dtype=bool)


def rests_in_silence(moves: FloatArray, loudness: FloatArray, *, rate: FrameRate) -> bool:
    """Say whether all that was silent for a while, and is for a while more, is at rest."""
    reach = round(_QUIET_S * rate.per_second)
    loud = np.concatenate([np.zeros(reach, dtype=bool), loudness > from_db(_SILENT_DB), np.zeros(reach, dtype=bool)])
    count = np.concatenate([[0], np.cumsum(loud)])
    silent = count[2 * reach + 1 :] == count[: -2 * reach - 1]
    return not bool(np.any(moves[silent] > _RESTS))


def stays_on_stage(measured: Measured) -> bool:
    """Say whether 2D things that are on the stage as a whole stay there, at full and as far to the other side."""
    thing, tuned = measured.candidate.thing, measured.mapping.drives
    furthest = max(1.0, float(measured.moves.max(initial=0.0)))
    for part, extent in zip(thing.parts, thing.extents, strict=False):
        if extent.own is None or not _inside(extent.stage):
            continue
        own = [drive for drive in tuned if drive.target.part == part.id]
        anchor = measured.candidate.anchors.get(part.id)
        if not _inside(_at_full(part if anchor is None else part.but(anchor=anchor), extent, own, furthest), _OVER):
            return False
    return True


def _inside(box: tuple[float, float, float, float], over: float = 0.0) -> bool:
    return box[0] >= -over and box[1] >= -over and box[2] <= 1 + over and box[3] <= 1 + over


def _at_full(part: Part, extent: Extent, drives: Sequence[Drive], by: float) -> tuple[float, float, float, float]:
    """Give a part's box when its drives have gone all the way; turns are left out."""
    assert extent.own is not None
    left, top, right, bottom = extent.stage
    numbers = [drive for drive in drives if not isinstance(drive.rest, str)]
    ends = {drive.target.property: (float(drive.rest), float(drive.full)) for drive in numbers}
    own_wide, own_tall = extent.own[2] - extent.own[0], extent.own[3] - extent.own[1]
    across = (part.anchor.x - extent.own[0]) / own_wide if own_wide else 0.5
    down = (part.anchor.y - extent.own[1]) / own_tall if own_tall else 0.5
    ax, ay = left + across * (right - left), top + down * (bottom - top)

    def factor(name: str) -> float:
        rest, full = ends.get(name, (1.0, 1.0))
        return 1.0 + by * (full / rest - 1.0) if rest else 1.0

    rest_y, full_y = ends.get("y", (0.0, 0.0))
    shift = by * (full_y - rest_y) / own_tall * (bottom - top) if own_tall else 0.0
    wide, tall = factor("scale_x"), factor("scale_y")
    return (
        ax + (left - ax) * wide,
        ay + (top - ay) * tall + shift,
        ax + (right - ax) * wide,
        ay + (bottom - ay) * tall + shift,
    )


def flashes(light: FloatArray, *, rate: FrameRate) -> int:
    """Count the most flashes in any one second (WCAG 2.3.1).

    A flash is a pair of opposing changes of 10 % or more of the largest luminance, the darker below 0.8.

    Args:
        light: relative luminance, 0 to 1, shape (frames,).
        rate: of the frames.
    """
    turns = _turns(light)
    second = rate.per_second
    at = np.array(turns, dtype=np.float64)
    counts = [int(np.count_nonzero((at >= first) & (at < first + second))) for first in at.tolist()]
    return max(counts, default=0) // 2


def _turns(light: FloatArray) -> list[int]:
    """List the frames in which luminance has gone by a tenth the other way, the darker end dark enough."""
    turns: list[int] = []
    low = high = float(light[0]) if len(light) else 0.0
    way = 0
    for frame, now in enumerate(light.tolist()):
        low, high = min(low, now), max(high, now)
        if way <= 0 and now - low >= _FLASH and low < _DARK:
            turns.append(frame)
            way, high = 1, now
        elif way >= 0 and high - now >= _FLASH and now < _DARK:
            turns.append(frame)
            way, low = -1, now
        if way > 0:
            low = now
        elif way < 0:
            high = now
    return turns


def is_calm(measured: Measured, *, rate: FrameRate) -> bool:
    """Say whether nothing large flashes more than three times in any second."""
    thing = measured.candidate.thing
    if sum(extent.share for extent in thing.extents) < _LARGE and not thing.has("intensity"):
        return True
    lift = measured.lift.max(axis=0) if measured.lift.ndim > 1 else measured.lift
    for drive in measured.mapping.drives:
        values = value(lift, drive=drive)
        if values.ndim > 1:
            light = luminance(values)
        elif "opacity" in drive.target.property:
            light = values * thing.light
        elif drive.target.property in {"intensity", "emission_strength"}:
            light = values / max(float(values.max()), 1e-9) * 0.5
        else:
            continue
        if flashes(light, rate=rate) > _A_SECOND:
            return False
    return True


def in_time(measured: Measured, *, rate: FrameRate) -> Measured:
    """Give a candidate that answers hits so many frames earlier that its median lag is under a frame.

    What has steps moves in a way of its own, between hits too, and stays as it is.
    """
    if measured.mapping.steps:
        return measured
    lag = sync(measured.moves, measured.candidate.voice.hits, fps=rate.per_second).median
    earlier = float(round(lag))
    if earlier <= 0:
        return measured
    drives = tuple(drive.but(late_frames=drive.late_frames - earlier) for drive in measured.mapping.drives)
    return replace(measured, mapping=measured.mapping.but(drives=drives))


def gentler(drive: Drive) -> Drive:
    """Give a drive that goes half as far."""
    if isinstance(drive.rest, str) or isinstance(drive.full, str):
        rest, full = parse_colour(str(drive.rest)), parse_colour(str(drive.full))
        mixed = "".join(f"{round(255 * part):02x}" for part in ((rest + full) / 2).tolist())
        return drive.but(full=f"#{mixed}")
    if drive.full < drive.rest or "opacity" not in drive.target.property:
        return drive.but(full=round((drive.rest + drive.full) / 2, 6))
    return drive.but(rest=round((drive.rest + drive.full) / 2, 6))  # a light dims less, and is as bright as it was
