"""Silence: at rest, as if nothing were heard."""

from __future__ import annotations

import numpy as np

from fern_tide.core.bake.touch import Stretch, Touch
from fern_tide.core.base.params import Params
from fern_tide.core.base.signal import FloatArray


class SilenceParams(Params):
    """Silence has nothing to set."""


def silence(stretch: Stretch, params: SilenceParams) -> FloatArray:
    """Give where the mappings rest; what the property follows goes on."""
    out = np.empty_like(stretch.below)
    out[...] = stretch.rest_below
    return out


TOUCH = Touch(
    id="silence",
    label="Silence",
    help="Stands at rest, as if nothing were heard.",
    params=SilenceParams,
    apply=silence,
    words=lambda params: "silenced",
    soft=0.1,
)
