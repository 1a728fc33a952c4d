"""What a kind of touch-up is: it says what a stretch of a curve becomes (SIGNAL.md, 'Touch-ups')."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, NamedTuple

from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.params import Params
from fern_tide.core.base.signal import FloatArray


class Stretch(NamedTuple):
    """A stretch of a curve that is touched up.

    Attributes:
        values: the whole curve below, shape (frames,), or (3, frames) in sRGB from 0 to 1 for a colour.
        rest: where its mappings rest, of the shape of values, or with one frame where it stands still.
        first: the first frame of the stretch that lies inside the project.
        end: the one after its last.
        starts_at: where the stretch begins, in frames, which may lie before the first frame.
        rate: the project's frame rate.
    """

    values: FloatArray
    rest: FloatArray
    first: int
    end: int
    starts_at: float
    rate: FrameRate

    @property
    def below(self) -> FloatArray:
        """The curve's own values in the stretch, shape (..., frames of the stretch)."""
        return self.values[..., self.first : self.end]

    @property
    def rest_below(self) -> FloatArray:
        """Where it rests in the stretch, of the same shape."""
        still = self.rest.shape[-1] == 1
        return self.rest if still else self.rest[..., self.first : self.end]


def _never(params: Any) -> bool:
    return False


@dataclass(frozen=True)
class Touch:
    """One kind of touch-up.

    Attributes:
        id: the file's name.
        label: what people read on its button.
        help: one line on what it is for.
        params: the model of its options.
        apply: gives what the stretch becomes where the touch-up is whole, of the shape of the stretch's values.
        words: says what it does, in a list: 'held at 0.6'.
        soft: how much of a new stretch the fade at each end takes, as a share of its length.
        begins: gives the params of a new one from its stretch, as options.
        colours: whether it can touch up a colour.
        replaces_all: says whether such params hide all that is below, in every frame.
        version: raised when the numbers change.
    """

    id: str
    label: str
    help: str
    params: type[Params]
    apply: Callable[[Stretch, Any], FloatArray]
    words: Callable[[Any], str]
    soft: float = 0.0
    begins: Callable[[Stretch], dict[str, Any]] = lambda stretch: {}
    colours: bool = True
    replaces_all: Callable[[Any], bool] = _never
    version: int = 1
