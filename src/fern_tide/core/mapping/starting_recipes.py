"""The recipes that everybody has from the start, named by what they look like."""

from __future__ import annotations

from fern_tide.core.envelope.envelope import CleanUpChoice
from fern_tide.core.mapping.drive import ResponseChoice
from fern_tide.core.mapping.mapping import StepChoice
from fern_tide.core.mapping.marks import Scale
from fern_tide.core.mapping.recipe import Recipe


def _recipe(
    id: str,
    name: str,
    help: str,
    *,
    clean_up: tuple[str, ...] = (),
    steps: tuple[str, ...] = (),
    response: str = "straight",
    scale: Scale = Scale.LINEAR,
) -> Recipe:
    return Recipe(
        id=id,
        name=name,
        help=help,
        clean_up=tuple(CleanUpChoice.parse(text) for text in clean_up),
        scale=scale,
        steps=tuple(StepChoice.parse(text) for text in steps),
        response=ResponseChoice.parse(response),
    )


STARTING = (
    _recipe(
        "breath",
        "Breath",
        "Slow and round: comes and goes like a chest that breathes.",
        clean_up=("smooth width_ms=600",),
        response="smooth",
        scale=Scale.DB,
    ),
    _recipe(
        "ember",
        "Ember",
        "Lights up with a hit and dies down slowly.",
        clean_up=("rise_and_fall rise_ms=15 fall_ms=700",),
        response="exponent power=0.7",
    ),
    _recipe(
        "flick",
        "Flick",
        "Short and hard: up with every hit and down at once.",
        steps=("pulse attack_ms=15 decay_ms=180 as_strong=yes",),
    ),
    _recipe(
        "leaf-in-the-wind",
        "Leaf in the wind",
        "Swings both ways while sound lasts, further when it is louder.",
        clean_up=("rise_and_fall rise_ms=200 fall_ms=900",),
        steps=("sway period=1.6",),
    ),
    _recipe(
        "shiver",
        "Shiver",
        "Trembles at random, as much as it is loud.",
        clean_up=("rise_and_fall rise_ms=20 fall_ms=250",),
        steps=("wobble",),
    ),
    _recipe(
        "drop-on-water",
        "Drop on water",
        "Overshoots and settles, like something on a spring.",
        clean_up=("rise_and_fall rise_ms=10 fall_ms=120",),
        steps=("spring",),
    ),
    _recipe(
        "tide",
        "Tide",
        "Climbs while sound lasts and sinks for seconds after.",
        steps=("swell climb_s=0.6 sink_s=3",),
        response="smooth",
    ),
    _recipe(
        "mill-wheel",
        "Mill wheel",
        "Goes on turning, faster when it is louder, and stands in silence.",
        clean_up=("smooth width_ms=250",),
        steps=("build_up per_second=0.5", "wrap"),
    ),
    _recipe(
        "shuttle",
        "Shuttle",
        "Goes to and fro between its ends, driven on by the sound.",
        clean_up=("smooth width_ms=250",),
        steps=("build_up per_second=0.6", "fold"),
        response="smooth",
    ),
    _recipe(
        "stepping-stones",
        "Stepping stones",
        "Four even levels and nothing between them.",
        clean_up=("smooth width_ms=80",),
        steps=("stairs levels=4",),
    ),
    _recipe(
        "shutter",
        "Shutter",
        "Open or shut, and nothing between.",
        steps=("latch",),
    ),
    _recipe(
        "left-and-right",
        "Left and right",
        "Every hit leans to the other side.",
        clean_up=("rise_and_fall rise_ms=30 fall_ms=400",),
        steps=("take_turns",),
    ),
    _recipe(
        "unfurl",
        "Unfurl",
        "Opens a little further at every sound and stays; starts over at a marker.",
        steps=("build_up per_second=0.6 starts_over=yes hits=markers",),
    ),
)
