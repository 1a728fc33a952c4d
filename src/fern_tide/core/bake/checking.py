"""The checks by id, and all of them run on curves."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from fern_tide.core.bake import checks as checks_folder
from fern_tide.core.bake.check import Check, Finding
from fern_tide.core.bake.curve import Curve
from fern_tide.core.base.registry import discover

CHECKS = discover(checks_folder, attribute="CHECK", of=Check, kind="check")


@dataclass(frozen=True)
class Outcome:
    """A check and all that it found."""

    check: Check
    findings: tuple[Finding, ...]


def run_checks(curves: Sequence[Curve]) -> tuple[Outcome, ...]:
    """Run every check, with its default limits, on every curve."""
    return tuple(
        Outcome(check, tuple(finding for curve in curves for finding in check.look(curve, check.params())))
        for check in CHECKS.values()
    )
