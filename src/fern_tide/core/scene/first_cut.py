"""What a document knows of its first cut: which mappings it proposes, why, and what to put back if it goes."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from fern_tide.core.base.limits import MOST_PARTS, Most
from fern_tide.core.base.params import Frozen
from fern_tide.core.base.target import Id, Name
from fern_tide.core.scene.part import Anchor

MOST_PROPOSED = 12


class Proposed(Frozen, frozen=True):
    """A mapping that a first cut proposes.

    Attributes:
        mapping: its id.
        words: what happens, in the scene's own words: 'the five fronds breathe'.
        reason: why, with numbers of the sound.
    """

    mapping: Id
    words: Name
    reason: Annotated[str, Field(max_length=240)] = ""


class FirstCut(Frozen, frozen=True):
    """A first cut that is not decided yet.

    Attributes:
        seed: which of the possible ones; 1 is the first.
        waits: whether it still waits for the sound to be analyzed.
        rows: while it waits, how many bands will be wanted for a row of things alike; 0 for none.
        items: what it proposes; none while it waits, or where nothing could be proposed.
        envelopes: the ids of those that came with it.
        anchors: those that parts had before, by part id.
        reason: why nothing could be proposed; '' where something was.
    """

    seed: Annotated[int, Field(ge=1, lt=2**31)] = 1
    waits: bool = False
    rows: Annotated[int, Field(ge=0, le=100_000)] = 0
    items: Annotated[tuple[Proposed, ...], Most(MOST_PROPOSED)] = ()
    envelopes: Annotated[tuple[Id, ...], Most(MOST_PROPOSED)] = ()
    anchors: Annotated[dict[Id, Anchor], Most(MOST_PARTS)] = Field(default_factory=dict)
    reason: Annotated[str, Field(max_length=240)] = ""
