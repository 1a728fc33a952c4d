"""What the Hand-off shows of how far a curve lies behind the hits of its sound."""

from __future__ import annotations

from dataclasses import dataclass
from math import ceil

from fern_tide.core.bake.sync import REACH_S
from fern_tide.core.base.target import Target
from fern_tide.core.derivation.node import NotReadYet
from fern_tide.core.document import Project
from fern_tide.web.context import services
from fern_tide.workflows.tune.sync_report import Cause, SyncRow, causes, earlier, on_screen, sync_rows

_WIDEST = 12  # frames to each side that the histogram shows
_HEIGHT, _BAR = 76.0, 10.0


@dataclass(frozen=True)
class Bar:
    """A bar of the histogram: how many hits have so many frames of lag, and where it stands in px."""

    lag: int
    count: int
    x: float
    y: float
    height: float


@dataclass(frozen=True)
class InTime:
    """How far a curve lies behind its hits.

    Attributes:
        row: the figures.
        words: the median in words: 'frames late in the median'.
        bars: of the histogram, from early to late; width and height are those of its picture.
        causes: what makes it late, the most first.
        earlier: what brings its median to its hits, as words and an edit; None where it is there.
        frame_ms: how long a frame is.
        on_screen: the median lag where the picture is shown, in frames.
    """

    row: SyncRow
    words: str
    bars: list[Bar]
    width: float
    height: float
    causes: list[Cause]
    earlier: tuple[str, dict[str, object]] | None
    frame_ms: float
    on_screen: float


def in_time(project: Project, target: Target) -> InTime | None:
    """Give how far a property's curve lies behind its hits; None where that cannot be said now."""
    levels = services().levels
    try:
        rows = sync_rows(levels, project, only=[target])
        if not rows:
            return None
        row, why = rows[0], causes(levels, project, rows[0])
        graph = levels.graph(project)
    except NotReadYet:
        return None
    reach = min(_WIDEST, ceil(REACH_S * project.rate.per_second))
    counts = row.sync.histogram(reach=reach).tolist()
    most = max(*counts, 1)
    bars = [Bar(at - reach, n, at * _BAR, _HEIGHT * (1 - n / most), _HEIGHT * n / most) for at, n in enumerate(counts)]
    mend = earlier(project, row, graph)
    commands = (
        [] if mend is None else [{"kind": "put_mapping", "mapping": item.model_dump(mode="json")} for item in mend[1]]
    )
    return InTime(
        row=row,
        words=_words(row.sync.median),
        bars=bars,
        width=len(counts) * _BAR,
        height=_HEIGHT,
        causes=sorted(why, key=lambda cause: -abs(cause.frames)),
        earlier=None
        if mend is None
        else (mend[0], {"kind": "together", "words": mend[0].capitalize(), "commands": commands}),
        frame_ms=1000 / project.rate.per_second,
        on_screen=on_screen(project, row.sync.median),
    )


def _words(median: float) -> str:
    if median == 0:
        return "frames late in the median"
    return f"frame{'' if abs(median) == 1 else 's'} {'late' if median > 0 else 'early'} in the median"
