"""What a check is: it looks at curves before hand-off and says what would go wrong in the next program."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from fern_tide.core.bake.curve import Curve
from fern_tide.core.base.params import Params
from fern_tide.core.base.target import Target


@dataclass(frozen=True)
class Finding:
    """One thing that a check found, at a frame of a curve, in words."""

    target: Target
    frame: int
    words: str


@dataclass(frozen=True)
class Check:
    """One check.

    Attributes:
        id: the file's name.
        label: what holds when nothing is found, as a sentence.
        help: one line on why it matters.
        params: the model of its limits.
        look: gives what it finds in one curve.
    """

    id: str
    label: str
    help: str
    params: type[Params]
    look: Callable[[Curve, Any], list[Finding]]
