"""Why a value is what it is at a frame: the level, the lift, each step and the response, with numbers."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.units import to_db
from fern_tide.core.mapping.colour import colour_texts
from fern_tide.core.mapping.drive import Drive, eased, value
from fern_tide.core.mapping.mapping import Tuning, drive_lift, traces
from fern_tide.core.mapping.step import StepContext


@dataclass(frozen=True)
class Line:
    """One line of the reason.

    Attributes:
        word: what was done: 'level', 'lift', the step's or the response's label.
        number: what it gave, in words.
        note: what it is made of.
    """

    word: str
    number: str
    note: str = ""


def explain(level: FloatArray, mapping: Tuning, drive: Drive, *, context: StepContext, frame: int) -> list[Line]:
    """List what leads from the level to a drive's value at a frame, in order.

    Args:
        level: shape (frames,), or (rows, frames) where the mapping is spread.
        mapping: its marks and steps.
        drive: one of its drives.
        context: as for shaped_lift.
        frame: from 0; one past the end is the last.

    Returns:
        Nothing where there are no frames.
    """
    if not level.shape[-1]:
        return []
    at = max(0, min(frame, level.shape[-1] - 1))
    lifts = traces(level, mapping, context=context)
    rows = [drive_lift(lift, mapping, drive)[at] for lift in lifts]
    now = float(drive_lift(level, mapping, drive)[at])
    marks = mapping.marks
    lines = [
        Line("Level", f"{to_db(now):.1f} dB", f"{now:.4g}"),
        Line("Lift", f"{rows[0]:.3f}", _between(now, marks.low, marks.high)),
    ]
    for choice, row in zip(mapping.steps, rows[1:], strict=True):
        lines.append(Line(choice.spec.label, f"{row:.3f}" if choice.on else "off"))
    last = np.array([rows[-1]])
    words = "response" if drive.share == 1.0 else f"response, {drive.share:g} x of it"
    lines.append(Line(drive.response.spec.label, f"{float(eased(last, drive=drive)[0]):.3f}", words))
    lines.append(Line("Value", value_text(value(last, drive=drive)), _ends(drive)))
    return lines


def value_text(values: FloatArray) -> str:
    """Write the one value of an array of shape (1,), or (3, 1) for a colour."""
    return colour_texts(values)[0] if values.ndim > 1 else f"{values[0]:.6g}"


def _between(level: float, low: float, high: float) -> str:
    if level <= low:
        return f"at or below low water, {to_db(low):.1f} dB"
    if level >= high:
        return f"at or above high water, {to_db(high):.1f} dB"
    return f"between {to_db(low):.1f} and {to_db(high):.1f} dB"


def _ends(drive: Drive) -> str:
    if isinstance(drive.rest, str) or isinstance(drive.full, str):
        return f"from {drive.rest} to {drive.full}"
    return f"{drive.rest:.6g} at rest, {drive.full:.6g} at full"
