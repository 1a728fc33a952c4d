"""Sprays: where their drops leave."""

from __future__ import annotations

import numpy as np

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.target import Target
from fern_tide.core.commands.registry import Together
from fern_tide.core.commands.scene import PutFollow, RemoveFollow
from fern_tide.core.commands.several import SetValues
from fern_tide.core.scene.follow import Follow
from fern_tide.core.scene.placement import above, anchored, in_scene
from fern_tide.core.scene.scene import Part, Scene

_DIGITS = 4


def leaving_places(part: Part) -> tuple[str, ...]:
    """Name a spray's properties of where its drops leave, along x, y and z; none of any other part."""
    return tuple(name for name in ("from_x", "from_y", "from_z") if part.kind.pieces and part.has(name))


def parts_to_leave(scene: Scene, spray: Part) -> list[Part]:
    """List the parts where drops of a spray can leave: with a place, and beside it in the tree.

    Args:
        scene: whose.
        spray: an array whose layout throws; of any other part the list is empty.
    """
    if not leaving_places(spray):
        return []
    without = {item.id for item in (*scene.branch(spray.id), *above(scene, spray))}
    return [part for part in scene.parts if part.kind.looks and part.has("x") and part.id not in without]


def leaves_where(scene: Scene, spray_id: str, part_id: str | None) -> Together:
    """Let the drops of a spray leave where a part is, wherever it moves; None lets them leave where the numbers say.

    Args:
        scene: whose.
        spray_id: the spray.
        part_id: the part; where it lies in something that is turned or scaled, its way there is taken as it counts it.

    Raises:
        UnknownName: there is no such part.
        InvalidParameter: one is no spray, or the other has no place, or moves with the spray.
    """
    spray = scene.part(spray_id)
    names = leaving_places(spray)
    if not names:
        raise InvalidParameter("where drops leave", value=spray.name, allowed="a spray")
    if part_id is None:
        back = tuple(RemoveFollow(target=Target(part=spray_id, property=name)) for name in names)
        return Together(words=f"Let the drops of {spray.name} stay where they leave"[:120], commands=back)
    rest = scene.at_rest
    part = rest.part(part_id)
    if scene.part(part_id) not in parts_to_leave(scene, spray):
        raise InvalidParameter("where drops leave", value=part.name, allowed="a part with a place beside the spray")
    beside = np.eye(4) if part.parent is None else in_scene(rest, rest.part(part.parent))
    at = np.linalg.pinv(in_scene(rest, rest.part(spray_id))) @ beside @ [*anchored(part), 1.0]
    commands: list[SetValues | PutFollow] = []
    for axis, name in zip("xyz", names, strict=False):
        stands = round(float(at["xyz".index(axis)]), _DIGITS)
        source = Target(part=part_id, property=axis)
        follow = Follow(
            target=Target(part=spray_id, property=name),
            source=source,
            offset=round(stands - float(part.own(axis)), _DIGITS),
        )
        commands += [SetValues(parts=(spray_id,), property=name, value=stands), PutFollow(follow=follow)]
    return Together(words=f"Let the drops of {spray.name} leave where {part.name} is"[:120], commands=tuple(commands))


def left_by(scene: Scene, spray: Part) -> Part | None:
    """Give the part where a spray's drops leave; None where numbers say where that is."""
    names = leaving_places(spray)
    follow = scene.follow_of(Target(part=spray.id, property=names[0])) if names else None
    return None if follow is None else scene.part(follow.source.part)


def hidden_early(spray: Part, count: int) -> int:
    """Give how many pieces a spray needs at its own rate and life, where that is more than there are; else 0."""
    needed = int(np.ceil(float(spray.own("rate")) * float(spray.own("life"))))
    return needed if needed > count else 0
