"""What a clean-up is: a level in, a level out."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any, Protocol

from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.live import Flow, Live
from fern_tide.core.base.params import Params
from fern_tide.core.base.signal import FloatArray


class Clean(Protocol):
    """A pure function of a whole level."""

    def __call__(self, level: FloatArray, *, params: Any, rate: FrameRate) -> FloatArray:
        """Give a level of the same shape, (..., frames)."""


def _nothing(params: Any) -> tuple[tuple[str, Mapping[str, Any]], ...]:
    return ()


@dataclass(frozen=True)
class CleanUp:
    """One way to clean a level up.

    Attributes:
        id: the file's name.
        label: what people read.
        help: one line on what it is for.
        params: the model of its options.
        apply: the function.
        across_rows: whether a bank's rows are treated by their place, rather than each by itself.
        shown: the params with which its drawing shows what it does, where the default ones hardly do.
        without_lag: gives the clean-ups that do the same without making anything late, by id and params; none where
            it can only be left out.
        live: how it works while the sound comes; None of what needs the whole.
        version: raised when the numbers change.
    """

    id: str
    label: str
    help: str
    params: type[Params]
    apply: Clean
    across_rows: bool = False
    shown: Mapping[str, Any] = field(default_factory=dict)
    without_lag: Callable[[Any], tuple[tuple[str, Mapping[str, Any]], ...]] = _nothing
    live: Live[FrameRate, Flow] | None = None
    version: int = 1
