"""A colour goes to its neighbour on the wheel with the tone of the sound."""

from __future__ import annotations

from collections.abc import Iterator
from colorsys import hls_to_rgb, rgb_to_hls

from fern_tide.core.first_cut.rule import Candidate, Rule, drive
from fern_tide.core.first_cut.scene import SceneSummary
from fern_tide.core.first_cut.sound import Role, SoundSummary
from fern_tide.core.first_cut.things import painted
from fern_tide.core.mapping.colour import parse_colour

_WHEEL, _LIGHTER, _LEAST_SATURATION = 0.09, 0.12, 0.08
_MOST_PARTS = 24


def offer(sound: SoundSummary, scene: SceneSummary) -> Iterator[Candidate]:
    """Let the fill or the colour of a thing go a little along the wheel."""
    tone = sound.first_of(Role.TONE, Role.BED)
    for thing in scene.things:
        name = next((item for item in painted(thing.parts[0]) if thing.has(item)), None)
        if tone is None or name is None or thing.count > _MOST_PARTS or thing.glows or thing.text:
            continue
        drives = tuple(
            drive(part, name, rest=(own := str(part.own(name))), full=neighbour(own)) for part in thing.parts
        )
        words = thing.says("changes colour", "change colour")
        follows = "tone" if tone.role is Role.TONE else "sound"
        yield Candidate(tone, thing, f"{words} with the {follows}", drives, taste=0.75)


def neighbour(colour: str) -> str:
    """Give a colour's neighbour on the wheel, a little lighter; of a grey a lighter grey."""
    hue, light, saturation = rgb_to_hls(*parse_colour(colour).tolist())
    turned = hue + _WHEEL if saturation >= _LEAST_SATURATION else hue
    lighter = light + _LIGHTER if light < 0.6 else light - _LIGHTER
    red, green, blue = (round(255 * part) for part in hls_to_rgb(turned % 1.0, lighter, saturation))
    return f"#{red:02x}{green:02x}{blue:02x}"


RULE = Rule(
    id="colour_turns",
    label="A colour goes with the tone",
    help="A colour goes to its neighbour on the wheel with what moves least like the rest of the sound.",
    offer=offer,
)
