"""Takes of an envelope under the hand: the best is chosen for a stretch, one is taken away or named."""

from __future__ import annotations

from enum import StrEnum
from typing import Any

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.commands.project import PutEnvelope
from fern_tide.core.commands.registry import Together
from fern_tide.core.document import Project
from fern_tide.core.envelope.envelope import Envelope
from fern_tide.core.envelope.readings.take import TakeParams
from fern_tide.core.envelope.takes import Stretch, counting, read_take
from fern_tide.workflows.studio import Studio


class HandOnTake(StrEnum):
    """What a hand does to a take."""

    CHOOSE = "choose"
    DROP = "drop"
    RENAME = "rename"
    FORGET = "forget"


def counting_takes(studio: Studio, envelope: Envelope) -> list[tuple[float, float, str]]:
    """List from when to when which take of an envelope counts, by its name, in seconds of the project."""
    params = envelope.reading.params
    if not isinstance(params, TakeParams):
        return []
    takes = [read_take(studio.media.read(one.media)) for one in params.takes]
    named = ((begin, end, params.takes[place].name) for begin, end, place in counting(takes, params.stretches))
    return [(begin + params.later_s, end + params.later_s, name) for begin, end, name in named]


def hand_on_take(
    project: Project,
    envelope_id: str,
    *,
    how: HandOnTake,
    place: int = 0,
    stretch_s: tuple[float, float] | None = None,
    name: str = "",
) -> Together:
    """Give the edit that a hand does to a take of an envelope.

    Args:
        project: as the hand sees it.
        envelope_id: whose takes.
        how: what is done; 'forget' leaves of the choice nothing, so that the last take recorded counts again.
        place: which take, from 0.
        stretch_s: where a chosen one counts, in seconds of the project; None is everywhere.
        name: of a renamed one.

    Raises:
        InvalidParameter: the envelope has no such take, the stretch is none, or it is its only take that would go.
    """
    envelope = project.envelope(envelope_id)
    params = envelope.reading.params
    if not isinstance(params, TakeParams) or not (0 <= place < len(params.takes)):
        raise InvalidParameter("take", value=place + 1, allowed=f"one of the takes of {envelope.name}")
    take = params.takes[place].name
    words = {
        HandOnTake.CHOOSE: f"Choose {take} of {envelope.name}",
        HandOnTake.DROP: f"Take {take} away from {envelope.name}",
        HandOnTake.RENAME: f"Rename {take} of {envelope.name}",
        HandOnTake.FORGET: f"Let the last takes of {envelope.name} count",
    }[how]
    changed = params.but(**_changes(params, how, place, stretch_s, name))
    command = PutEnvelope(envelope=envelope.but(reading=envelope.reading.but(params=changed)))
    return Together(words=words[:120], commands=(command,))


def _changes(
    params: TakeParams, how: HandOnTake, place: int, stretch_s: tuple[float, float] | None, name: str
) -> dict[str, Any]:
    match how:
        case HandOnTake.CHOOSE:
            begin, end = stretch_s or (-36_000.0, 36_000.0)
            mine = Stretch(begin_s=begin, end_s=end, take=place)
            over = [one for one in params.stretches if not (begin <= one.begin_s and one.end_s <= end)]
            return {"stretches": (*over, mine)}
        case HandOnTake.DROP:
            if len(params.takes) == 1:
                raise InvalidParameter("take", value="the only one", allowed="one of several; remove the envelope")
            rest = (one for one in params.stretches if one.take != place)
            return {
                "takes": (*params.takes[:place], *params.takes[place + 1 :]),
                "stretches": tuple(one.but(take=one.take - (one.take > place)) for one in rest),
            }
        case HandOnTake.RENAME:
            takes = [one.but(name=name) if at == place else one for at, one in enumerate(params.takes)]
            return {"takes": tuple(takes)}
    return {"stretches": ()}
