"""What the Hand-off shows: curves with their state, checks, and the formats that the stage can be written in."""

from __future__ import annotations

from collections.abc import Mapping as Named
from collections.abc import Sequence
from dataclasses import dataclass

from fern_tide.core.bake.checking import Outcome, run_checks
from fern_tide.core.bake.curve import Curve
from fern_tide.core.bake.expand_size import n_expanded
from fern_tide.core.bake.flashing import Flashing
from fern_tide.core.bake.thin import Interpolation
from fern_tide.core.base.params import FieldSpec, fields
from fern_tide.core.base.target import Target
from fern_tide.core.derivation.node import NotReadYet
from fern_tide.core.document import Project
from fern_tide.core.formats.format import Format, KeyParams
from fern_tide.core.formats.profile import AxesParams
from fern_tide.core.formats.registry import FORMATS
from fern_tide.core.formats.writers.csv import CsvParams
from fern_tide.core.scene.own_motion import overruled
from fern_tide.store.revision import Revision
from fern_tide.web.context import services, staged, studio
from fern_tide.web.shapes import spark_points
from fern_tide.web.views.in_time import InTime, in_time
from fern_tide.web.views.touch_ups import TouchUpsView, touch_ups_view
from fern_tide.workflows.bake import baking
from fern_tide.workflows.bake.baking import CurveState, State
from fern_tide.workflows.derive.checked import checked
from fern_tide.workflows.hand_off import proof, proof_order
from fern_tide.workflows.hand_off.video import KINDS, VideoKind
from fern_tide.workflows.tune.touching import MOVED_PERCENT


@dataclass(frozen=True)
class CurveRow:
    """A curve in the list: its state, a small picture of it as points, and how many keys it thins to."""

    state: CurveState
    spark: str
    key_count: int


@dataclass(frozen=True)
class HandoffView:
    """What the Hand-off shows beside the plot of keys.

    Attributes:
        rows: every driven property; chosen is the one whose keys are shown.
        counts: how many of them are in each state.
        track: the one whose waveform and hits lie beneath the curve; '' where there is none.
        touch_ups: what hands did to curves.
        in_time: how far the chosen curve lies behind its hits; None while its sound is still being read.
        outcomes: what the checks say; nothing before anything is baked.
        formats: those that carry such a stage; elsewhere are the others.
        moving_parts: id and name of each part that a curve moves.
        lost: for each format, what it rounds; behind is how many curves it leaves out.
        n_expanded: how many parts the pieces of arrays are written out as, at most; 0 without arrays.
        options: the switches of writing, and how many curves go with what each leaves out.
        carried: how many of the baked curves go into each format.
        stale: the names of those that a bake would change.
        profile: the axes, units, counts and names that a program may have; profiled says which formats go by them.
        proof_kinds: of videos; proof_size is that which one is made in at first.
        overruled: motion that files came with and that gives way, since the same is driven here, in words.
    """

    revision: Revision
    rows: list[CurveRow]
    chosen: CurveState | None
    counts: dict[str, int]
    track: str
    touch_ups: TouchUpsView
    in_time: InTime | None
    outcomes: Sequence[Outcome]
    formats: dict[str, Format]
    elsewhere: list[Format]
    interpolations: list[Interpolation]
    moving_parts: list[tuple[str, str]]
    lost: Named[str, list[str]]
    behind: Named[str, int]
    n_expanded: int
    options: list[tuple[FieldSpec, int]]
    carried: Named[str, int]
    stale: list[str]
    overruled: list[str]
    profile: list[FieldSpec]
    profiled: str
    proof_kinds: list[VideoKind]
    proof_size: tuple[int, int]


def handoff_view(
    revision: Revision, *, target: str, limits: Named[str, Named[str, str]], moved_percent: float = MOVED_PERCENT
) -> HandoffView:
    """Give what the Hand-off shows.

    Args:
        revision: of which revision.
        target: the curve whose keys are shown; the first one where there is none of that name.
        limits: of checks, by their ids.
        moved_percent: how far the ground under a touch-up may move unsaid.

    Raises:
        InvalidParameter: a limit is not possible.
    """
    project, key, space = revision.document, revision.key, revision.document.scene.kind
    states = baking.states(studio(), services().levels, key, project)
    baked = baking.baked_curves(studio(), services().levels, key, project)
    chosen = next((state for state in states if str(state.target) == target), next(iter(states), None))
    flashing = _flashing(project) if baked else None
    return HandoffView(
        revision=revision,
        rows=[_row(state, project.keys_error_percent) for state in states],
        chosen=chosen,
        track=_track(project, chosen),
        touch_ups=touch_ups_view(project, None if chosen is None else chosen.target, moved_percent=moved_percent),
        in_time=None if chosen is None else in_time(project, chosen.target),
        counts={str(kind): sum(state.state is kind for state in states) for kind in State},
        outcomes=_outcomes(project, baked, limits, flashing),
        formats={name: spec for name, spec in FORMATS.items() if space in spec.spaces},
        elsewhere=[spec for spec in FORMATS.values() if space not in spec.spaces],
        interpolations=list(Interpolation),
        moving_parts=list(dict.fromkeys((curve.target.part, curve.part_name) for curve in baked)),
        lost={id: sorted({words for curve in baked if (words := spec.loses(curve))}) for id, spec in FORMATS.items()},
        behind={id: _behind(project, spec, [state.target for state in states]) for id, spec in FORMATS.items()},
        n_expanded=n_expanded(project.scene),
        options=_options(project, baked),
        carried={id: _carried(project, spec, baked) for id, spec in FORMATS.items()},
        stale=[f"{one.part_name}, {one.label.lower()}" for one in states if one.state is not State.FRESH],
        overruled=_overruled(project, [state.target for state in states]),
        profile=[field for field in fields(CsvParams) if field.kind != "switch"],
        profiled=_profiled(space),
        proof_kinds=list(KINDS.values()),
        proof_size=_proof_size(project),
    )


def _profiled(space: str) -> str:
    """Say which formats of a stage go by a profile's axes and units, by all of them or by some."""
    words = []
    for spec in FORMATS.values():
        own = [one for one in fields(spec.params) if one.name in AxesParams.model_fields]
        if own and space in spec.spaces:
            some = ", ".join(one.label.lower() for one in own) if len(own) < len(AxesParams.model_fields) else ""
            words.append(f"{spec.label} (only {some})" if some else spec.label)
    return f"In {', '.join(words)}."


def _flashing(project: Project) -> Flashing | None:
    """Give what was measured on the stage's pictures, if it was."""
    try:
        pictures = proof_order.pictures_key(services().levels, project, staged(project.scene))
    except NotReadYet:
        return None
    return proof.flashing_of(studio(), pictures, fps=project.rate.per_second)


def _outcomes(
    project: Project, baked: Sequence[Curve], limits: Named[str, Named[str, str]], flashing: Flashing | None
) -> Sequence[Outcome]:
    if not baked:
        return ()
    try:
        about = checked(services().levels, project, baked, staged=staged(project.scene), flashing=flashing)
    except NotReadYet:
        about = None
    outcomes = run_checks(baked, limits=limits, about=about)
    return sorted(outcomes, key=lambda outcome: (not outcome.findings, not outcome.waits))


def _track(project: Project, chosen: CurveState | None) -> str:
    """Name the track that drives the chosen curve, else the one whose beats are found."""
    if chosen is not None:
        for mapping in project.mappings:
            envelope = project.envelope(mapping.envelope)
            if envelope.track is not None and any(drive.target == chosen.target for drive in mapping.drives):
                return envelope.track
    return project.beat_track.id if project.beat_track else ""


def _proof_size(project: Project) -> tuple[int, int]:
    """Give a size of the stage's own shape, 960 wide."""
    scene = project.scene
    return 960, min(proof_order.MOST, max(proof_order.LEAST, round(960 * scene.height / scene.width / 2) * 2))


def _behind(project: Project, spec: Format, driven: Sequence[Target]) -> int:
    """Count the driven properties that a format leaves out: it cannot show them, or what has them has no look."""
    parts = ((project.scene.part(target.part), target.property) for target in driven)
    return sum(part.property(name).shows and not spec.carries(part, name, spec.params()) for part, name in parts)


def _carried(project: Project, spec: Format, baked: Sequence[Curve]) -> int:
    """Count the curves that go into a format: of what only moves others, those of others are enough."""
    parts = ((project.scene.part(curve.target.part), curve.target.property) for curve in baked)
    return sum(spec.carries(part, name, spec.params()) for part, name in parts)


def _overruled(project: Project, driven: Sequence[Target]) -> list[str]:
    items = overruled(project.scene, driven, media=staged(project.scene).media) if project.scene.files else ()
    return list(dict.fromkeys(f"{words} of {part.name}" for part, words in items))


def _row(state: CurveState, error_percent: float) -> CurveRow:
    keys = baking.keys_of(services().levels, state, error_percent=error_percent)
    spark = spark_points(state.values) if state.values is not None else ""
    return CurveRow(state, spark, 0 if keys is None else len(keys.frames))


def _options(project: Project, baked: Sequence[Curve]) -> list[tuple[FieldSpec, int]]:
    """List the switches of the stage's formats, and how many curves go with what each leaves out."""
    parts = [project.scene.part(curve.target.part) for curve in baked]
    switches: dict[str, tuple[FieldSpec, int]] = {}
    for spec in FORMATS.values():
        for field in fields(spec.params) if project.scene.kind in spec.spaces else ():
            if field.kind == "switch" and field.name not in KeyParams.model_fields:
                without = spec.params.model_validate({field.name: not field.default})
                switches.setdefault(field.name, (field, sum(spec.leaves_out(part, without) for part in parts)))
    return list(switches.values())
