"""What a check is: it looks at curves before hand-off and says what would go wrong in the next program."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from fern_tide.core.bake import checks as checks_folder
from fern_tide.core.bake.curve import Curve
from fern_tide.core.base.params import Params
from fern_tide.core.base.registry import discover
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


@dataclass(frozen=True)
class Outcome:
    """A check and all that it found."""

    check: Check
    findings: tuple[Finding, ...]


def run_checks(curves: Sequence[Curve]) -> tuple[Outcome, ...]:
    """Run every check, with its default limits, on every curve."""
    registry = discover(checks_folder, attribute="CHECK", of=Check, kind="check")
    return tuple(
        Outcome(check, tuple(finding for curve in curves for finding in check.look(curve, check.params())))
        for check in registry.values()
    )
