"""Gate: lets a level through only while it is clearly there."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import Field, model_validator

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.live import Live
from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.units import from_db
from fern_tide.core.envelope.cleaning import CleanUp


class GateParams(Params):
    """Where it opens and closes."""

    open_db: Annotated[
        float, Field(ge=-120, le=24), unit("dB", "Opens when the level rises above this.", step=1)
    ] = -40.0
    close_db: Annotated[float, Field(ge=-120, le=24), unit("dB", "Closes when it sinks below this.", step=1)] = -46.0
    stay_ms: Annotated[float, Field(ge=0, le=10_000), unit("ms", "Stays open at least this long.", step=10)] = 80.0

    @model_validator(mode="after")
    def _in_order(self) -> GateParams:
        if self.close_db > self.open_db:
            allowed = f"at most Open, {self.open_db:g} dB"
            raise InvalidParameter("Close", value=f"{self.close_db:g}", allowed=allowed, field="close_db")
        return self


def gate(level: FloatArray, *, params: GateParams, rate: FrameRate) -> FloatArray:
    """Give the level while the gate is open, and silence while it is closed.

    Args:
        level: shape (..., frames), linear.
        params: opens above one level, closes below another (hysteresis), never before stay_ms have passed.
        rate: turns the time into frames.

    Returns:
        The same shape; every value is the level or 0.
    """
    return Gate(params, rate)(level)


class Gate:
    """A gate that stays as it is from one stretch to the next."""

    def __init__(self, params: GateParams, rate: FrameRate) -> None:
        self._opens, self._closes = from_db(params.open_db), from_db(params.close_db)
        self._stay = round(rate.frames_of_ms(params.stay_ms))
        self._first = 0
        self._states: list[tuple[bool, int]] = []  # of every row: whether it is open, and until which frame at least

    def __call__(self, block: FloatArray) -> FloatArray:
        """Take the next frames."""
        rows = block.reshape(-1, block.shape[-1])
        self._states = self._states or [(False, 0)] * len(rows)
        passed = np.empty_like(rows)
        for index, row in enumerate(rows):
            is_open, until = self._states[index]
            mask = []
            for frame, now in enumerate(row.tolist(), self._first):
                if not is_open and now > self._opens:
                    is_open, until = True, frame + self._stay
                elif is_open and now < self._closes and frame >= until:
                    is_open = False
                mask.append(is_open)
            passed[index] = np.where(mask, row, 0.0)
            self._states[index] = is_open, until
        self._first += block.shape[-1]
        return passed.reshape(block.shape)


CLEAN_UP = CleanUp(
    id="gate",
    label="Gate",
    help="Lets a level through only while it is clearly there.",
    params=GateParams,
    apply=gate,
    live=Live(Gate),
    shown={"open_db": -14, "close_db": -18},
)
