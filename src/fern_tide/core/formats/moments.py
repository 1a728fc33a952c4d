"""Markers and hits as text: CSV, and WebVTT (W3C), in and out."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Sequence
from dataclasses import dataclass

from fern_tide.core.base.errors import FernTideError

MOST_MOMENTS = 5000
MOST_BYTES = 4 << 20
_TIMING = re.compile(r"^(?:(\d{1,6}):)?(\d{1,2}):(\d{2})\.(\d{3})\s+-->\s+(?:(\d{1,6}):)?(\d{1,2}):(\d{2})\.(\d{3})")
_COLOUR = re.compile(r"^#[0-9a-f]{6}$")
_CUE_S = 1.0  # a moment has no length; a cue needs one


class UnreadableMoments(FernTideError):
    """A text holds no list of moments."""


@dataclass(frozen=True)
class Moment:
    """A named time in seconds, with a colour such as #d9a431, or '' for none."""

    time_s: float
    name: str
    colour: str = ""


def write_csv(moments: Sequence[Moment]) -> str:
    """Write the columns time_s, name, colour."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(["time_s", "name", "colour"])
    writer.writerows([repr(moment.time_s), _tame(moment.name), moment.colour] for moment in moments)
    return out.getvalue()


def _tame(name: str) -> str:
    """Put a quote before what a spreadsheet would take for a formula."""
    return f"'{name}" if name[:1] in {"=", "+", "-", "@"} else name


def write_vtt(moments: Sequence[Moment]) -> str:
    """Write a WebVTT file with a cue from each moment for a second, or to the next one."""
    lines = ["WEBVTT", ""]
    for at, moment in enumerate(moments):
        following = moments[at + 1].time_s if at + 1 < len(moments) else moment.time_s + _CUE_S
        end = min(moment.time_s + _CUE_S, max(following, moment.time_s + 0.001))
        text = moment.name.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")
        lines += [f"{_stamp(moment.time_s)} --> {_stamp(end)}", text, ""]
    return "\n".join(lines)


def _stamp(seconds: float) -> str:
    ms = round(seconds * 1000)
    return f"{ms // 3_600_000:02d}:{ms // 60_000 % 60:02d}:{ms // 1000 % 60:02d}.{ms % 1000:03d}"


def read_moments(content: bytes) -> list[Moment]:
    """Read WebVTT cues (their starts and first lines), or CSV with a column time_s and perhaps name and colour.

    Raises:
        UnreadableMoments: it is neither, or a time in it is none.
    """
    if len(content) > MOST_BYTES:
        raise UnreadableMoments(f"The list is larger than {MOST_BYTES >> 20} MB.", remedy="Bring in a shorter one.")
    try:
        text = content.decode("utf-8-sig").replace("\r\n", "\n").replace("\r", "\n")
    except UnicodeDecodeError as cause:
        raise UnreadableMoments("The list is no text.", remedy="Bring in a CSV or WebVTT file.") from cause
    moments = _read_vtt(text) if text.startswith("WEBVTT") else _read_csv(text)
    if not moments:
        raise UnreadableMoments("The list has no times in it.", remedy="Bring in a CSV with a column time_s.")
    if len(moments) > MOST_MOMENTS:
        raise UnreadableMoments(f"The list has more than {MOST_MOMENTS} times.", remedy="Bring in a shorter one.")
    return sorted(moments, key=lambda moment: moment.time_s)


def _read_vtt(text: str) -> list[Moment]:
    moments = []
    for block in text.split("\n\n")[1:]:
        lines = [line for line in block.split("\n") if line.strip()]
        at = next((index for index, line in enumerate(lines) if "-->" in line), None)
        if at is None:
            continue  # a note or a style
        timing = _TIMING.match(lines[at].strip())
        if not timing:
            raise UnreadableMoments(f"'{lines[at]:.60}' is no time.", remedy="Use 00:00:01.000 --> 00:00:02.000.")
        hours, minutes, seconds, ms = (int(part or 0) for part in timing.groups()[:4])
        name = re.sub(r"<[^>]*>", "", lines[at + 1]) if at + 1 < len(lines) else ""
        name = name.replace("&lt;", "<").replace("&gt;", ">").replace("&amp;", "&")
        moments.append(Moment(hours * 3600 + minutes * 60 + seconds + ms / 1000.0, name.strip()[:120]))
    return moments


def _read_csv(text: str) -> list[Moment]:
    try:
        rows = list(csv.DictReader(io.StringIO(text)))
    except csv.Error as cause:
        raise UnreadableMoments(f"The CSV cannot be read: {cause}.", remedy="Export it again.") from cause
    moments = []
    for line, row in enumerate(rows, start=2):
        if "time_s" not in row:
            raise UnreadableMoments("The CSV has no column time_s.", remedy="Name the column of times time_s.")
        try:
            time_s = float(row["time_s"] or "")
            if not 0 <= time_s <= 1e6:
                raise ValueError
        except ValueError as cause:
            raise UnreadableMoments(
                f"Line {line} has {row['time_s']!s:.40} for a time.", remedy="Use seconds, such as 4.02."
            ) from cause
        name = str(row.get("name") or "").strip()[:120]
        name = name[1:] if name[:2] in {"'=", "'+", "'-", "'@"} else name
        colour = str(row.get("colour") or "").strip().lower()
        moments.append(Moment(time_s, name, colour if _COLOUR.match(colour) else ""))
    return moments
