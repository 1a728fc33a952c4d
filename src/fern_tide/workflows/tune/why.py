"""What a lane and its sheet can say about one mapping: why a value is so, what each step does, what else moves it."""

from __future__ import annotations

import numpy as np

from fern_tide.core.bake.bake import Drivers
from fern_tide.core.bake.curve import Curve
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Target
from fern_tide.core.document import Project, Track
from fern_tide.core.mapping.drive import Drive, Stacking, inverted
from fern_tide.core.mapping.explain import Line, explain, value_text
from fern_tide.core.mapping.linking import along
from fern_tide.core.mapping.mapping import Mapping, traces
from fern_tide.workflows.derive.levels import Levels


def why(levels: Levels, project: Project, mapping: Mapping, *, place: int, frame: int) -> list[Line]:
    """List why a driven property has its value at a frame: the mapping's own way to it, then what is laid over it.

    Raises:
        NotAnalyzedYet: a track's features are still being read.
    """
    drive = mapping.drives[min(place, len(mapping.drives) - 1)]
    level, context = levels.ingredients(project, mapping)
    lines = explain(level, mapping, drive, context=context, frame=frame)
    if mapping.muted:
        lines.append(Line("Muted", "it moves nothing", "for now"))
    curves = () if mapping.muted else levels.curves(project, [drive.target])
    curve = next((item for item in curves if item.target == drive.target), None)
    stack, limit = levels.graph(project).drivers.get(drive.target, []), project.scene.limit_of(drive.target)
    ground = project.scene.grounds.get(drive.target)
    reaches = [name for _, one in stack if one.within for name in one.within.reaches]
    more = len(stack) > 1 or limit is not None or ground is not None or bool(reaches)
    if curve is not None and curve.n_frames and more:
        at = min(max(frame, 0), curve.n_frames - 1)
        parts = [f"{item.name} ({one.stacking})" for item, one in stack]
        if ground is not None:
            parts.insert(0, f"it {ground.words}")
        parts += dict.fromkeys(part.name for part in project.scene.parts if part.id in reaches)
        if limit is not None:
            parts.append("limits")
        lines.append(Line("In all", value_text(curve.values[..., at : at + 1]), ", ".join(parts)))
    return lines


def attention(project: Project, mapping: Mapping, *, stacks: dict[Target, Drivers]) -> str:
    """Say in one sentence what keeps a mapping from doing what it seems to do, or ''."""
    for drive in mapping.drives:
        part, item = project.scene.resolve(drive.target)
        name = f"the {item.label.lower()} of {part.name}"
        if drive.rest == drive.full and not drive.stops:
            return f"At rest and at full are equal: {name} does not move."
        stack = stacks.get(drive.target, [])
        own = next((at for at, (item, _) in enumerate(stack) if item.id == mapping.id), len(stack))
        if any(one.stacking is Stacking.REPLACE for _, one in stack[own + 1 :]):
            return f"A later mapping replaces {name}: only that one is seen."
    for choice in mapping.steps:
        if choice.on and (lacks := choice.spec.lacks(choice.params)):
            return str(lacks)
        if choice.on and choice.spec.needs_markers(choice.params) and not project.markers:
            return f"{choice.spec.label} goes by markers, and there are none: press M to set one."
    silent = [track.name for track in _tracks(project, mapping) if not track.drives]
    if silent:
        return f"{silent[0]} does not drive: its level counts as silence."
    return ""


def _tracks(project: Project, mapping: Mapping) -> list[Track]:
    made_of = project.made_of(project.envelope(mapping.envelope))
    return [project.track(item.track) for item in made_of if item.track is not None and item.reading.spec.of_track]


def step_traces(levels: Levels, project: Project, mapping: Mapping) -> FloatArray:
    """Give lift after the marks and after each step, shape (steps + 1, frames); of a spread mapping the highest row.

    Raises:
        NotAnalyzedYet: a track's features are still being read.
    """
    level, context = levels.ingredients(project, mapping)
    lifts = traces(level, mapping, context=context)
    return np.stack([lift.max(axis=0) if lift.ndim > 1 else lift for lift in lifts])


def sum_lift(mapping: Mapping, curves: dict[Target, Curve], *, stacks: dict[Target, Drivers]) -> FloatArray | None:
    """Give the whole stack's value as a lift of a mapping's first drive, 0 at its rest and 1 at its full.

    Returns:
        Shape (frames,), or None where nothing else moves the property, or it is a colour, or rest is full.
    """
    drive = mapping.drives[0]
    curve = curves.get(drive.target)
    if curve is None or curve.kind == "colour" or len(stacks.get(drive.target, [])) < 2:
        return None
    rest, full = float(drive.rest), float(drive.full)
    return None if rest == full else np.asarray((curve.values - rest) / (full - rest))


def siblings(project: Project, drive: Drive) -> tuple[Target, ...]:
    """List the same property along the part's other axes: width and depth beside height, for instance."""
    part = project.scene.part(drive.target.part)
    head, _, axis = drive.target.property.rpartition("_")
    if axis not in {"x", "y", "z"}:
        return ()
    names = [f"{head}_{other}" if head else other for other in "xyz" if other != axis]
    return tuple(Target(part=part.id, property=name) for name in names if part.has(name))


def with_siblings(project: Project, mapping: Mapping, *, place: int, other_way: bool) -> Mapping:
    """Let a mapping move a property along the other axes as well: as far, or the other way (taller and thinner).

    They go along with it from then on, until one of them is changed itself.
    """
    drive = mapping.drives[min(place, len(mapping.drives) - 1)]
    taken = {item.target for item in mapping.drives}
    targets = [target for target in siblings(project, drive) if target not in taken]
    added = tuple(along(drive, drive.but(target=target, other_way=other_way)) for target in targets)
    return mapping.but(drives=mapping.drives + added)


def invert(mapping: Mapping, *, place: int) -> Mapping:
    """Let one of a mapping's drives go the other way."""
    at = min(place, len(mapping.drives) - 1)
    drives = tuple(inverted(drive) if index == at else drive for index, drive in enumerate(mapping.drives))
    return mapping.but(drives=drives)
