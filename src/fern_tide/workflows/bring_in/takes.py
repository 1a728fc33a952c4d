"""What was performed comes in: a take is stored as it is, and an envelope of it is there at once."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.naming import fresh_id
from fern_tide.core.base.target import Target
from fern_tide.core.commands.mapping import PutMapping
from fern_tide.core.commands.project import PutEnvelope
from fern_tide.core.commands.registry import Together
from fern_tide.core.document import Project
from fern_tide.core.envelope.envelope import CleanUpChoice, Envelope, ReadingChoice, reading_in_role
from fern_tide.core.envelope.readings.take import BEGINS, OF_HITS, TakeGiven, TakeParams
from fern_tide.core.envelope.takes import MOST_BYTES, Performed, Take, TakeKind, read_take
from fern_tide.core.mapping.drive import Drive
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.mapping.marks import Marks
from fern_tide.store.revision import Revision
from fern_tide.workflows.bring_in.laying import lay
from fern_tide.workflows.studio import Studio
from fern_tide.workflows.tune.aiming import name_after

_NAMES = {TakeGiven.HITS: "Taps", TakeGiven.ACROSS: "Across", TakeGiven.UP: "Up", TakeGiven.PRESSURE: "Pressure"}


@dataclass(frozen=True)
class Led:
    """A property that a hand led: where it is at level 0, and at level 1."""

    target: Target
    rest: float
    full: float


def add_take(
    studio: Studio,
    key: str,
    content: bytes,
    *,
    into: Sequence[str] = (),
    given: Sequence[str] = (),
    led: Sequence[Led] = (),
) -> tuple[Revision, tuple[str, ...]]:
    """Store a take, and add it to envelopes of takes or make new ones.

    Args:
        studio: where it is stored.
        key: of the project.
        content: the take, as JSON; see core/envelope/takes.py.
        into: the ids of envelopes that it is one more take of; those that are gone or of another kind are passed over.
        given: what of it, for new envelopes where it goes into none: of a gesture 'across', 'up' and 'pressure'.
        led: what the new envelopes then move, one after the other, as the hand did.

    Returns:
        The revision, and the ids of the envelopes.

    Raises:
        UnreadableTake: it is none; nothing stays behind.
        InvalidParameter: there is nothing in it.
        UnknownName: there is no such property.
    """
    take = read_take(content)
    if not len(take.times_s):
        raise InvalidParameter("take", value="empty", allowed="one with a tap or a move in it")
    for one in led:
        studio.projects.current(key).document.scene.resolve(one.target)
    with studio.media.receive([take.content()], most=MOST_BYTES) as (digest, _, keep):
        keep.append(True)

    def with_take(project: Project) -> tuple[Project, str, tuple[str, ...]]:
        there = [item for item in project.envelopes if item.id in into and _takes_in(item, take)]
        called = [name_after(project, one.target) for one in led]
        envelopes = [_with(item, digest) for item in there] or _new(project, take, digest, given, called=called)
        names = " and ".join(item.name for item in envelopes)
        words = f"Perform {names}" if not there else f"Perform {names} again"
        commands: list[PutEnvelope | PutMapping] = [PutEnvelope(envelope=item) for item in envelopes]
        moved = project
        for one, envelope in zip(led, () if there else envelopes, strict=False):
            mapping = led_mapping(moved, envelope.id, one.target, rest=one.rest, full=one.full)
            moved = moved.but(mappings=(*moved.mappings, mapping), envelopes=(*moved.envelopes, envelope))
            commands.append(PutMapping(mapping=mapping))
            words = f"Lead {mapping.name}" if one is led[0] else f"{words} and {mapping.name}"
        command = Together(words=words[:120], commands=tuple(commands))
        return command.apply(project), command.label(project), tuple(item.id for item in envelopes)

    return lay(studio, key, with_take)


def _takes_in(envelope: Envelope, take: Take) -> bool:
    """Say whether an envelope is made of takes of such a kind."""
    params = envelope.reading.params
    return isinstance(params, TakeParams) and (params.given in OF_HITS) == (take.kind is TakeKind.TAPS)


def _with(envelope: Envelope, digest: str) -> Envelope:
    """Give an envelope with one take more."""
    params = envelope.reading.params
    assert isinstance(params, TakeParams)
    names = {take.name for take in params.takes}
    name = next(name for name in (f"Take {count}" for count in itertools.count(1)) if name not in names)
    takes = (*params.takes, Performed(media=digest, name=name))
    return envelope.but(reading=envelope.reading.but(params=params.but(takes=takes)))


def _new(
    project: Project, take: Take, digest: str, given: Sequence[str], *, called: Sequence[str] = ()
) -> list[Envelope]:
    """Make an envelope of each thing that is taken of a take, called by that, or one after the other as is said."""
    wanted = [TakeGiven.HITS] if take.kind is TakeKind.TAPS else _led(given)
    envelopes: list[Envelope] = []
    for one, own in itertools.zip_longest(wanted, called[: len(wanted)]):
        among = (*project.envelopes, *envelopes)
        names = {item.name for item in among}
        numbered = (f"{own or _NAMES[one]} {count}" for count in itertools.count(1))
        name = own if own and own not in names else next(name for name in numbered if name not in names)
        params = TakeParams(takes=(Performed(media=digest, name="Take 1"),), given=one)
        envelope = Envelope(
            id=fresh_id(name, among=among),
            name=name,
            reading=ReadingChoice(id=reading_in_role("take").id, params=params),
            clean_up=tuple(map(CleanUpChoice.parse, BEGINS[take.kind])),
        )
        envelopes.append(envelope)
    return envelopes


def led_mapping(project: Project, envelope_id: str, target: Target, *, rest: float | str, full: float | str) -> Mapping:
    """Give the mapping that moves a property as it was led: lift is the level itself."""
    name = name_after(project, target)
    drive = Drive(target=target, rest=rest, full=full)
    id = fresh_id(name, among=project.mappings)
    return Mapping(id=id, name=name, envelope=envelope_id, marks=Marks(low=0.0, high=1.0), drives=(drive,))


def _led(given: Sequence[str]) -> list[TakeGiven]:
    """Read what is taken of a gesture; nothing named is how far up it is."""
    possible = [one.value for one in TakeGiven if one not in OF_HITS]
    for name in given:
        if name not in possible:
            raise InvalidParameter("of a gesture", value=name, allowed=", ".join(possible))
    return [TakeGiven(name) for name in dict.fromkeys(given)] or [TakeGiven.UP]
