"""Squash and stretch: as a part gets taller it gets thinner, so that its area, or in 3D its volume, stays."""

from __future__ import annotations

from dataclasses import dataclass

from fern_tide.core.base.target import Target
from fern_tide.core.commands.registry import Together
from fern_tide.core.commands.scene import PutFollow, RemoveFollow
from fern_tide.core.scene.follow import Follow, Law
from fern_tide.core.scene.scene import Part, Scene


@dataclass(frozen=True)
class Squash:
    """Squash and stretch of a part.

    Attributes:
        on: whether its width follows its height now.
        turned: the command that turns it the other way.
    """

    on: bool
    turned: Together


def squash_of(scene: Scene, part: Part) -> Squash | None:
    """Give squash and stretch of a part; None for one without a height to scale."""
    if not part.has("scale_y"):
        return None
    solid = scene.kind == "3d"
    targets = [Target(part=part.id, property=name) for name in (("scale_x", "scale_z") if solid else ("scale_x",))]
    follow = scene.follow_of(targets[0])
    on = follow is not None and follow.law is not Law.SAME
    source, law = Target(part=part.id, property="scale_y"), Law.VOLUME if solid else Law.AREA
    commands = [
        RemoveFollow(target=target) if on else PutFollow(follow=Follow(target=target, source=source, law=law))
        for target in targets
    ]
    words = f"{'No squash and stretch' if on else 'Squash and stretch'} of {part.name}"[:120]
    return Squash(on=on, turned=Together(words=words, commands=tuple(commands)))
