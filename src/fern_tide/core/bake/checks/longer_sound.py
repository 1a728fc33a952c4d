"""Sound that goes on after the last frame: what is heard there moves nothing."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from fern_tide.core.bake.check import Check, Checked, Finding, Remedy
from fern_tide.core.base.params import Params, unit


class LongerSoundParams(Params):
    """How much longer it may be."""

    seconds: Annotated[
        float,
        Field(ge=0, le=3600),
        unit("s", "So much longer the sound may be.", step=0.1, label="Longest rest of sound"),
    ] = 0.05


def look_at_all(checked: Checked, params: LongerSoundParams) -> list[Finding]:
    """Find that the sound is longer than the project."""
    seconds = checked.rate.duration_s(checked.n_frames)
    beyond = checked.sound_s - seconds
    if not checked.n_frames or beyond <= params.seconds:
        return []
    words = f"The sound goes on for {beyond:.2f} s after the last frame"
    return [
        Finding(
            None, checked.n_frames - 1, words, Remedy("As long as the sound", {"kind": "set_length", "frames": None})
        )
    ]


CHECK = Check(
    id="longer_sound",
    label="The project is as long as its sound",
    help="What is heard after the last frame moves nothing.",
    params=LongerSoundParams,
    look_at_all=look_at_all,
)
