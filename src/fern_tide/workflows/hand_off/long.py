"""Writing that takes long: work with progress and cancel, whose file is stored under what it is written of."""

from __future__ import annotations

import json
from collections.abc import Callable
from contextlib import suppress
from functools import cached_property
from typing import Any

from pydantic import BaseModel, ConfigDict

from fern_tide import __version__
from fern_tide.core.bake.expand_size import check_size, n_outlined, n_values
from fern_tide.core.base.params import build
from fern_tide.core.base.signal import fingerprint
from fern_tide.core.base.target import Target
from fern_tide.core.document import Project
from fern_tide.core.formats.format import Written
from fern_tide.core.formats.registry import FORMATS
from fern_tide.core.scene.arrays.field import ArrayParams
from fern_tide.core.scene.media import load
from fern_tide.store.job_rows import Job
from fern_tide.workflows.derive.analysis import Stretch, levels_of
from fern_tide.workflows.derive.curves import stored_curves
from fern_tide.workflows.derive.levels import Levels
from fern_tide.workflows.derive.pieces import moved_pieces
from fern_tide.workflows.hand_off.writing import moments_of, write_format
from fern_tide.workflows.studio import Studio

KIND = "write"
MOST_AT_ONCE = 500_000
"""Values that are written while somebody waits for the answer: some seconds' work."""
_SUFFIX = ".written"
_OF_A_PIECE = 12  # numbers, by formula
_BACK = 0.9  # the share of the work that writing is; the rest reads back


class Order(BaseModel):
    """What is to be written.

    Attributes:
        project: the document.
        baked: the fingerprint of each property's bake, by its target as text.
        format: the id of a format.
        options: its params, where they are not its defaults.
        parts: the ids of the parts that go in; None is every part.
    """

    model_config = ConfigDict(frozen=True)

    project: Project
    baked: dict[str, str]
    format: str
    options: dict[str, Any]
    parts: tuple[str, ...] | None = None

    @cached_property
    def key(self) -> str:
        """The fingerprint of all that the file depends on, the version that writes it among that."""
        return fingerprint({"written_by": __version__, **self.model_dump(mode="json")})


def is_long(studio: Studio, levels: Levels, order: Order) -> bool:
    """Say whether an order takes so long that nobody should wait for the answer.

    Raises:
        FernTideError: it is too much to be written at all.
    """
    curves, scene = stored_curves(studio, levels, order.project, baked=order.baked), order.project.scene
    chosen = FORMATS[order.format]
    of_arrays, of_others = n_values(scene, curves)
    if chosen.by_formula(build(chosen.params, order.options)):
        params = (part.shape.params for part in scene.parts)
        pieces = sum(one.n_pieces for one in params if isinstance(one, ArrayParams))
        return of_others + pieces * _OF_A_PIECE > MOST_AT_ONCE
    check_size(scene, curves)
    of_others += n_outlined(scene, curves, parts=order.parts) if chosen.outlines else 0
    return of_arrays + of_others > MOST_AT_ONCE


def is_stored(studio: Studio, order: Order) -> bool:
    """Say whether what was written for an order is there."""
    return studio.derived.path(order.key, suffix=_SUFFIX).exists()


def stored(studio: Studio, order: Order) -> Written | None:
    """Give what was written for an order, or None where it is not there."""
    path = studio.derived.path(order.key, suffix=_SUFFIX)
    with suppress(FileNotFoundError), path.open("rb") as stream:
        head = json.loads(stream.readline())
        worst = head.pop("worst")
        at = None if worst is None else Target.parse(worst)
        return Written(format=FORMATS[order.format], content=stream.read(), worst=at, **head)
    return None


def begin(studio: Studio, order: Order) -> Job:
    """Queue the writing of an order, unless it is under way."""
    payload = {"name": FORMATS[order.format].label, "order": order.model_dump(mode="json")}
    job, is_new = studio.jobs.start(KIND, key=order.key, payload=payload)
    if is_new:
        studio.enqueue(job)
    return studio.jobs.get(job.id) or job


def run(
    studio: Studio,
    job: Job,
    *,
    report: Callable[[float, str], bool],
    stretch: Callable[[], Stretch],
) -> None:
    """Write an order, read it back, and store the file.

    Args:
        studio: for stored curves and media.
        job: its payload as made by begin.
        report: called with the share done and words.
        stretch: a block of computation that may be stopped anywhere.

    Raises:
        Cancelled: it was cancelled.
        FernTideError: it cannot be written.
    """
    order = Order.model_validate(job.payload["order"])
    label, levels, project = FORMATS[order.format].label, levels_of(studio), order.project
    report(0.0, f"Writing {label}")
    curves = stored_curves(studio, levels, project, baked=order.baked)
    moved, media = moved_pieces(levels, project), load(project.scene, studio.media.read)
    with stretch() as reached:

        def progress(share: float) -> None:
            reached(share * _BACK, f"Writing {label}" if share < 1.0 else f"Reading {label} back")

        written = write_format(
            project,
            curves,
            format_id=order.format,
            media=media,
            options=order.options,
            parts=order.parts,
            moved=moved,
            moments=moments_of(levels, project) if FORMATS[order.format].of_moments else None,
            progress=progress,
        )
    head = {
        "error": written.error,
        "worst": None if written.worst is None else str(written.worst),
        "n_curves": written.n_curves,
        "dense": written.dense,
        "n_moments": written.n_moments,
    }
    with studio.derived.writing(order.key, suffix=_SUFFIX) as out:
        out.write(json.dumps(head).encode() + b"\n")
        out.write(written.content)
