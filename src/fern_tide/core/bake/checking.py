"""The checks by id, and all of them run on curves."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from fern_tide.core.bake import checks as checks_folder
from fern_tide.core.bake.check import Check, Checked, Finding
from fern_tide.core.bake.curve import Curve
from fern_tide.core.base.params import Params, build
from fern_tide.core.base.registry import discover
from fern_tide.core.base.signal import FloatArray

CHECKS = discover(checks_folder, attribute="CHECK", of=Check, kind="check")


@dataclass(frozen=True)
class Outcome:
    """A check, the limits that it went by, all that it found, what it waits for, and its graph (see Check)."""

    check: Check
    params: Params
    findings: tuple[Finding, ...]
    waits: str = ""
    graph: FloatArray = field(default_factory=lambda: np.zeros(0))


def run_checks(
    curves: Sequence[Curve], *, limits: Mapping[str, Mapping[str, Any]] | None = None, about: Checked | None = None
) -> tuple[Outcome, ...]:
    """Run every check on every curve, and on all of them together.

    Args:
        curves: baked.
        limits: by a check's id, params that differ from its defaults, as numbers or as text.
        about: what they belong to; None looks at the curves alone.

    Raises:
        InvalidParameter: a limit is none that the check has, or is out of its range.
    """
    checked, outcomes = about or Checked(curves), []
    for check in CHECKS.values():
        params = build(check.params, dict((limits or {}).get(check.id, {})))
        single = [finding for curve in curves for finding in check.look(curve, params)]
        findings = (*single, *check.look_at_all(checked, params))
        outcomes.append(Outcome(check, params, findings, check.waits(checked), check.graph(checked)))
    return tuple(outcomes)
