"""What a rule of the first cut is, and what it proposes."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field

from fern_tide.core.base.params import Params
from fern_tide.core.base.target import Target
from fern_tide.core.first_cut.scene import SceneSummary
from fern_tide.core.first_cut.sound import SoundSummary, Voice
from fern_tide.core.first_cut.things import Thing
from fern_tide.core.mapping.drive import Drive, ResponseChoice
from fern_tide.core.mapping.marks import Scale
from fern_tide.core.scene.part import Anchor
from fern_tide.core.scene.scene import Part


@dataclass(frozen=True, eq=False)
class Candidate:
    """Something that a rule proposes: this in the sound moves that in the scene, because.

    Attributes:
        voice: what is followed.
        thing: what is moved.
        words: what happens, in the scene's own words.
        drives: the properties, with rest and full.
        steps: of the mapping, as text.
        scale: of its marks.
        spread: whether each drive follows a row of its own.
        anchors: parts whose anchor is moved first, by id.
        taste: how good the idea is when all else is alike, 0 to 1.
        rule: the id of the rule; set by who asks it.
    """

    voice: Voice
    thing: Thing
    words: str
    drives: tuple[Drive, ...]
    steps: tuple[str, ...] = ()
    scale: Scale = Scale.LINEAR
    spread: bool = False
    anchors: Mapping[str, Anchor] = field(default_factory=dict)
    taste: float = 1.0
    rule: str = ""

    @property
    def key(self) -> str:
        """What tells it apart from the other candidates of a project."""
        return f"{self.rule} {self.voice.role} {self.drives[0].target} {len(self.drives)}"


Offer = Callable[[SoundSummary, SceneSummary], Iterable[Candidate]]


@dataclass(frozen=True)
class Rule:
    """One idea of what a sound could do to a scene.

    Attributes:
        id: the file's name.
        label: what people read.
        help: one line on when it applies and what it does.
        offer: gives what it proposes for a sound and a scene; nothing where it does not apply.
        params: it has none.
    """

    id: str
    label: str
    help: str
    offer: Offer
    params: type[Params] = Params


def drive(part: Part, name: str, *, rest: float | str, full: float | str, response: str = "straight") -> Drive:
    """Write a drive of a part's property down, numbers to six digits."""
    ends = {
        end: round(value, 6) if isinstance(value, float) else value for end, value in (("rest", rest), ("full", full))
    }
    return Drive(target=Target(part=part.id, property=name), response=ResponseChoice.parse(response), **ends)


def times(part: Part, name: str, factor: float, *, response: str = "straight") -> Drive:
    """Write a drive from a part's own value to a multiple of it."""
    own = float(part.own(name))
    return drive(part, name, rest=own, full=own * factor, response=response)


def sizes(part: Part) -> list[str]:
    """List the properties that scale a part."""
    return [name for name in ("scale_x", "scale_y", "scale_z") if part.has(name)]


def grown(thing: Thing, factor: float, *, response: str = "straight") -> tuple[Drive, ...]:
    """Write drives that grow all parts of a thing evenly."""
    return tuple(times(part, name, factor, response=response) for part in thing.parts for name in sizes(part))
