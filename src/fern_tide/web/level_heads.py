"""An envelope's level as the page draws it, with the hits and takes that it is made of."""

from __future__ import annotations

from typing import Any

import numpy as np

from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.units import to_db
from fern_tide.core.document import Project
from fern_tide.core.envelope.envelope import Envelope
from fern_tide.core.envelope.hit_edits import EditedHits
from fern_tide.web.context import services, studio
from fern_tide.web.packing import Pack
from fern_tide.workflows.derive.levels import Levels
from fern_tide.workflows.tune.takes_by_hand import counting_takes


def level_head(pack: Pack, project: Project, envelope: Envelope, *, levels: Levels | None = None) -> dict[str, Any]:
    """Pack an envelope's level, one array a row; in dB as well for the figure at the playhead."""
    levels = levels or services().levels
    raw, cleaned = levels.raw(project, envelope), levels.cleaned(project, envelope)
    followers = [mapping for mapping in project.mappings if mapping.envelope == envelope.id]
    hits = levels.hits(project, envelope)
    return {
        "envelope": envelope.id,
        "hits": None if hits is None else _hits_head(pack, project, hits),
        "takes": [
            [begin * project.rate.per_second, end * project.rate.per_second, name]
            for begin, end, name in counting_takes(studio(), envelope)
        ],
        "raw": pack.add(np.atleast_2d(raw)),
        "cleaned": pack.add(np.atleast_2d(cleaned)),
        "cleaned_db": pack.add(np.atleast_2d(to_db(cleaned))),
        "rows": envelope.rows,
        "floor": float(min(0.0, raw.min(initial=0.0))),
        "top": _top(raw, cleaned),
        "loudest_db": to_db(float(cleaned.max(initial=0.0))),
        "marks": [{"name": m.name, "low": m.marks.low, "high": m.marks.high} for m in followers],
    }


def _hits_head(pack: Pack, project: Project, hits: EditedHits) -> dict[str, Any]:
    """Pack the hits that an envelope is made of, in frames of the project."""
    return {
        "frames": pack.add(hits.times_s * project.rate.per_second),
        "strengths": pack.add(hits.strengths),
        "edited": pack.add((hits.edits >= 0).astype(np.float64)),
    }


def _top(raw: FloatArray, cleaned: FloatArray) -> float:
    """Give the top of the level axis; in a bank a rare frame of one row does not flatten all the others."""
    if raw.ndim > 1 and raw.size:
        return float(np.percentile(cleaned, 99.8))
    return float(max(raw.max(initial=0.0), cleaned.max(initial=0.0)))
