"""What a format is: it says what it carries, writes, and reads back what it wrote."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import TYPE_CHECKING, Annotated, Any

import numpy as np
import numpy.typing as npt
from pydantic import Field

from fern_tide.core.bake.curve import Curve
from fern_tide.core.bake.thin import Interpolation, Keys, Places, every_frame, thin
from fern_tide.core.base.errors import FernTideError, ReadBackFailed
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Target
from fern_tide.core.formats.moments import Moment
from fern_tide.core.formats.profile import is_plain, profiled
from fern_tide.core.scene.media import SceneMedia
from fern_tide.core.scene.scene import Part, Scene

if TYPE_CHECKING:
    from fern_tide.core.formats.factored import ByFormula


def _unheard(n_curves: int) -> None:
    pass


def nine_digits(curve: Curve) -> str:
    """Say what a format that writes numbers with nine digits loses."""
    return "numbers to nine digits"


@dataclass(frozen=True)
class Moments:
    """The named times of a project, in seconds.

    Attributes:
        markers: in time.
        hits: of each track that drives, by the track's name: when, ascending.
        beats: when, ascending.
        bars: which of the beats begin a bar, as many as there are beats.
    """

    markers: tuple[Moment, ...] = ()
    hits: Mapping[str, FloatArray] = field(default_factory=dict)
    beats: FloatArray = field(default_factory=lambda: np.zeros(0))
    bars: npt.NDArray[np.bool_] = field(default_factory=lambda: np.zeros(0, dtype=np.bool_))

    def all(self) -> tuple[Moment, ...]:
        """Give markers, hits and beats together, in time."""
        hits = (Moment(float(at), f"hit of {track}") for track, times in self.hits.items() for at in times)
        beats = (Moment(float(at), "bar" if bar else "beat") for at, bar in zip(self.beats, self.bars, strict=True))
        return tuple(sorted((*self.markers, *hits, *beats), key=lambda moment: moment.time_s))


@dataclass(frozen=True)
class HandOff:
    """What is handed off: a scene, its curves, and the clock.

    Attributes:
        name: the project's.
        scene: what the curves move.
        curves: all of n_frames frames.
        rate: the frame rate.
        n_frames: the project's length.
        media: what the scene's parts were brought in with.
        moments: its markers, hits and beats, for formats that carry those.
        arrays: those that are written by formula; all others are in the scene piece by piece.
        progress: told how many more curves have been written, while it is written.
    """

    name: str
    scene: Scene
    curves: tuple[Curve, ...]
    rate: FrameRate
    n_frames: int
    media: SceneMedia = field(default_factory=SceneMedia)
    moments: Moments = field(default_factory=Moments)
    arrays: tuple[ByFormula, ...] = ()
    progress: Callable[[int], None] = _unheard

    @cached_property
    def by_part(self) -> Mapping[str, Mapping[str, Curve]]:
        """The curves of each part, by property."""
        parts: dict[str, dict[str, Curve]] = {}
        for curve in self.curves:
            parts.setdefault(curve.target.part, {})[curve.target.property] = curve
        return parts

    def rows(self, part: Part, names: Iterable[str]) -> dict[str, FloatArray]:
        """Give the values of a part's properties, each of shape (frames,): their curves, or what they stand at."""
        curves, still = self.by_part.get(part.id, {}), np.ones(self.n_frames)
        return {name: curves[name].values if name in curves else float(part.own(name)) * still for name in names}


class KeyParams(Params):
    """How curves become keys."""

    interpolation: Annotated[Interpolation, unit("", "What lies between two keys.")] = Interpolation.LINEAR
    error_percent: Annotated[
        float, Field(ge=0, le=20), unit("%", "How far keys may be from the curve; 0 is a key every frame.", step=0.1)
    ] = 0.0

    def keys(
        self, rows: FloatArray, *, spans: FloatArray | None = None, places: Places | None = None, turning: bool = False
    ) -> Keys:
        """Give the keys of channels that share them.

        Args:
            rows: shape (channels, places).
            spans: what the error is a share of, a number per channel; None takes each channel's own range.
            places: where the values lie, in frames; None is a value a frame.
            turning: the channels are a quaternion's.
        """
        if self.error_percent == 0:
            return every_frame(rows, interpolation=self.interpolation, places=places)
        if spans is None:
            spans = np.ptp(rows, axis=1) if rows.size else np.zeros(len(rows))
        tolerance = spans * self.error_percent / 100
        return thin(rows, tolerance=tolerance, interpolation=self.interpolation, places=places, turning=turning)


def _never_by_formula(params: Any) -> bool:
    return False


def _every(part: Part, name: str) -> bool:
    return True


def _own_spans(hand_off: HandOff) -> Mapping[Target, float]:
    return {}


def _nothing_left_out(part: Part, params: Any) -> bool:
    return False


@dataclass(frozen=True)
class Format:
    """One open format.

    Attributes:
        id: the file's name, which is what the command line calls it.
        label: what people read.
        help: one line on what it is for.
        params: the model of its options.
        extension: of the files, with its dot.
        media_type: for browsers.
        loses: says how a curve changes when written, or None when it is carried as it is.
        spaces: the kinds of scene that it can carry.
        leaves_out: says whether its params leave out a part, and with it the part's curves.
        rounds_by: how far its own numbers may be from a value, as a share of the curve's range; of times, in seconds.
        carries_property: says whether a property of a part shows in it.
        of_moments: for what carries markers, hits and beats and no curves: gives the times in its bytes that it
            should have, shape (moments,), and those that it has.
        lacks: what of a stage does not go into it, in words; '' where nothing is left out.
        spans: of some curves, what an error is a share of where that is more than the curve's own range.
        numbers_only: whether it carries curves by their names, also of what does not show by itself.
        by_formula: says whether its params ask for arrays by formula rather than piece by piece.
        formula_error: how far such arrays are off in its bytes, as a share of the range of their values.
        outlines: whether the outlines of 2D parts go into it, key by key, where shapers move them.
        holds_cubic: whether a cubic key is one in the file too, rather than many straight ones.
        encode: gives the file's bytes.
        read_back: gives the values found in such bytes, of the shapes of the curves' values; it has the same params.
    """

    id: str
    label: str
    help: str
    params: type[Params]
    extension: str
    media_type: str
    loses: Callable[[Curve], str | None]
    encode: Callable[[HandOff, Any], bytes]
    read_back: Callable[[bytes, HandOff, Any], Mapping[Target, FloatArray]]
    spaces: tuple[str, ...] = ("2d", "3d")
    leaves_out: Callable[[Part, Any], bool] = _nothing_left_out
    rounds_by: float = 0.0
    by_formula: Callable[[Any], bool] = _never_by_formula
    formula_error: Callable[[bytes, HandOff, Any], float] | None = None
    holds_cubic: bool = True
    outlines: bool = False
    carries_property: Callable[[Part, str], bool] = _every
    of_moments: Callable[[bytes, HandOff, Any], tuple[FloatArray, FloatArray]] | None = None
    lacks: str = ""
    spans: Callable[[HandOff], Mapping[Target, float]] = _own_spans
    numbers_only: bool = False

    def carries(self, part: Part, name: str, params: Any) -> bool:
        """Say whether the curve of a part's property goes into a file with such params."""
        if self.of_moments is not None:
            return False
        seen = self.numbers_only or (part.kind.looks and part.property(name).shows)
        return seen and self.carries_property(part, name) and not self.leaves_out(part, params)


@dataclass(frozen=True)
class Written:
    """A file as written and read back.

    Attributes:
        format: which.
        content: its bytes.
        error: the largest difference between a baked value and the value read back, as a share of its curve's span.
        worst: the target where it is; None without curves.
        n_curves: how many curves went in.
        n_moments: how many markers, hits and beats went in; its error is then in seconds.
        dense: whether keys were asked to be thinned and each frame has one all the same, since that is no larger.
    """

    format: Format
    content: bytes
    error: float
    worst: Target | None
    n_curves: int
    dense: bool = False
    n_moments: int = 0


def _smaller(hand_off: HandOff, format: Format, params: Params) -> tuple[bytes, Params]:
    """Encode with fewer keys than frames, or with a key every frame where the file is not larger for it."""
    content = format.encode(hand_off, params)
    if not isinstance(params, KeyParams) or params.error_percent == 0:
        return content, params
    exact = params.model_copy(update={"error_percent": 0.0})
    dense = format.encode(hand_off, exact)
    return (dense, exact) if len(dense) <= len(content) else (content, params)


def _moments_written(hand_off: HandOff, format: Format, params: Params) -> Written:
    """Write markers, hits and beats, and read their times back."""
    assert format.of_moments is not None
    content = format.encode(hand_off, params)
    wanted, read = format.of_moments(content, hand_off, params)
    if not len(wanted):
        raise FernTideError("There are no such moments to write.", remedy="Set a marker with M, or let hits go in.")
    if len(wanted) != len(read):
        raise ReadBackFailed(
            f"{len(read)} of {len(wanted)} moments are in the {format.label} file.",
            remedy="This is our mistake: please report it. Nothing was handed off.",
        )
    error = float(np.abs(np.sort(read) - np.sort(wanted)).max())
    return Written(format, content, error=error, worst=None, n_curves=0, n_moments=len(wanted))


def write(hand_off: HandOff, *, format: Format, params: Params | None = None) -> Written:
    """Write and read back.

    Raises:
        FernTideError: the format carries no such scene, or its params leave out all that moves.
        ReadBackFailed: a curve is missing in what was written, or has another length.
    """
    if hand_off.scene.kind not in format.spaces:
        raise FernTideError(
            f"{format.label} carries no {hand_off.scene.kind} scene.", remedy="Write another format.", format=format.id
        )
    params = params or format.params()
    if format.of_moments is not None:
        return _moments_written(hand_off, format, params)
    whose = ((curve, hand_off.scene.part(curve.target.part)) for curve in hand_off.curves)
    carried = tuple(curve for curve, part in whose if format.carries(part, curve.target.property, params))
    if hand_off.curves and not carried:
        raise FernTideError(
            f"All that moves is left out of the {format.label} file.", remedy="Let cameras or lights go in."
        )
    if hand_off.arrays and not is_plain(params):
        raise FernTideError(
            "Arrays by formula keep the stage's own axes and units.", remedy="Write them piece by piece, or no profile."
        )
    hand_off = replace(hand_off, curves=profiled(carried, hand_off.scene, params))
    content, used = _smaller(hand_off, format, params)
    read_back, spans = format.read_back(content, hand_off, used), format.spans(hand_off)
    worst: Target | None = None
    error = 0.0
    for curve in hand_off.curves:
        read = read_back.get(curve.target)
        if read is None or read.shape != curve.values.shape:
            raise ReadBackFailed(
                f"{curve.part_name}, {curve.label.lower()} is not whole in the {format.label} file.",
                remedy="This is our mistake: please report it. Nothing was handed off.",
                target=str(curve.target),
            )
        span = max(curve.span, spans.get(curve.target, 0.0)) or 1.0
        apart = float(np.abs(read - curve.values).max(initial=0.0)) / span
        if worst is None or apart > error:
            worst, error = curve.target, apart
    if hand_off.arrays and format.formula_error is not None:
        error = max(error, format.formula_error(content, hand_off, used))
    n_curves, dense = len(hand_off.curves), used != params
    return Written(format=format, content=content, error=error, worst=worst, n_curves=n_curves, dense=dense)
