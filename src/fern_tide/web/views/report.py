"""The sync report as a page that prints: every curve, its picture, its figures, and what makes it late."""

from __future__ import annotations

from dataclasses import dataclass

from fern_tide.store.revision import Revision
from fern_tide.web.context import services
from fern_tide.web.shapes import spark_points
from fern_tide.workflows.tune.sync_report import Cause, LeftOut, SyncRow, causes, sync_rows


@dataclass(frozen=True)
class ReportRow:
    """A curve in the report: its figures, a picture of it as points, and what makes it late."""

    row: SyncRow
    picture: str
    causes: list[Cause]


@dataclass(frozen=True)
class ReportView:
    """The report.

    Attributes:
        rows: of every curve, the latest first.
        frame_ms: how long a frame is.
    """

    revision: Revision
    rows: list[ReportRow]
    frame_ms: float


def report_view(revision: Revision) -> ReportView:
    """Give the report of a project.

    Raises:
        NotReadYet: a sound is still being read.
    """
    project, levels = revision.document, services().levels
    known = sorted(sync_rows(levels, project), key=lambda row: -abs(row.sync.median))
    values = {curve.target: curve.values for curve in levels.curves(project)}
    shared: LeftOut = {}
    rows = [
        ReportRow(
            row, spark_points(values[row.target], width=260, height=34), causes(levels, project, row, shared=shared)
        )
        for row in known
    ]
    return ReportView(revision, rows, 1000 / project.rate.per_second)
