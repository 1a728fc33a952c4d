"""The grounds of a scene: which properties other properties give, and how; and the scene as these leave it at rest."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.order import MadeOfItself, in_order
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Target
from fern_tide.core.mapping.colour import colour_texts, parse_colour
from fern_tide.core.scene.arrays.layout import completed_at, is_open
from fern_tide.core.scene.course import grounds_of_rides
from fern_tide.core.scene.ground import FollowGround, Ground
from fern_tide.core.scene.poses import grounds_of_poses

if TYPE_CHECKING:
    from fern_tide.core.scene.scene import Scene


def grounds_of(scene: Scene) -> dict[Target, Ground]:
    """Give what each property stands on that others give.

    Raises:
        InvalidParameter: two give the same property, one follows another kind of property, or one is made of itself.
    """
    grounds: dict[Target, Ground] = {}
    for follow in scene.follows:
        _, target = scene.resolve(follow.target)
        part, source = scene.resolve(follow.source)
        if target.kind != source.kind:
            raise InvalidParameter(str(follow.target), value=str(follow.source), allowed="a property of its kind")
        if follow.target in grounds:
            raise InvalidParameter("follow", value="twice", allowed="one property to follow")
        grounds[follow.target] = FollowGround(follow, part, part.own(source.id), source.label)
    for given, ground in grounds_of_rides(scene):
        _add(scene, grounds, given, ground)
    for given, posed in grounds_of_poses(scene, frozenset(grounds)):
        _add(scene, grounds, given, posed)
    try:
        in_order(grounds, inputs=lambda target: grounds[target].sources if target in grounds else ())
    except MadeOfItself as wrong:
        part, item = scene.resolve(wrong.way[0])
        raise InvalidParameter(
            f"what {part.name}, {item.label.lower()} follows",
            value=f"{wrong.way[1]}, which follows it",
            allowed="a property that does not follow it in turn",
        ) from wrong
    return grounds


def _add(scene: Scene, grounds: dict[Target, Ground], target: Target, ground: Ground) -> None:
    if target in grounds:
        part, item = scene.resolve(target)
        raise InvalidParameter(
            f"{item.label.lower()} of {part.name}, which {ground.words}",
            value=f"that it {grounds[target].words} too",
            allowed="one of the two",
        )
    grounds[target] = ground


def at_rest(scene: Scene) -> Scene:
    """Give a scene in which what rides and poses give stands where these leave it at rest, and arrays are complete.

    What follows stands at its own value until something moves: a follow is of what moves, not of where it stands.
    """
    given = {target: one for target, one in scene.grounds.items() if one.kind != "follow"}
    if not given:
        return _completed(scene)
    rests: dict[Target, float | str] = {}
    for target in in_order(given, inputs=lambda target: given[target].sources if target in given else ()):
        part, item = scene.resolve(target)
        rests[target] = part.own(item.id)
        if target in given:
            values = given[target].values([_still(rests[one]) for one in given[target].sources], own=rests[target])
            limit = scene.limit_of(target)
            rests[target] = _text(values if limit is None else limit.hold(values))
    changed: dict[str, dict[str, float | str]] = {}
    for target in given:
        changed.setdefault(target.part, {})[target.property] = rests[target]
    parts = tuple(
        part.but(values={**part.values, **changed[part.id]}) if part.id in changed else part for part in scene.parts
    )
    return _completed(scene.but(parts=parts))


def _completed(scene: Scene) -> Scene:
    """Complete what arrays take from other parts."""
    if not any(is_open(part) for part in scene.parts):
        return scene
    return scene.but(parts=tuple(completed_at(scene, part) if is_open(part) else part for part in scene.parts))


def _still(value: float | str) -> FloatArray:
    return parse_colour(value)[:, np.newaxis] if isinstance(value, str) else np.array([value])


def _text(values: FloatArray) -> float | str:
    return colour_texts(values)[0] if values.ndim > 1 else float(values[0])
