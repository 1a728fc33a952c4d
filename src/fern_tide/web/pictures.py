"""Small drawings of what clean-up, steps, responses and recipes do, made by the functions themselves."""

from __future__ import annotations

from functools import lru_cache
from itertools import pairwise

import numpy as np

from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.params import build
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.envelope.envelope import CLEAN_UPS, CleanUpChoice, clean
from fern_tide.core.mapping.drive import RESPONSES
from fern_tide.core.mapping.mapping import STEPS
from fern_tide.core.mapping.marks import Marks, lift
from fern_tide.core.mapping.recipe import Recipe
from fern_tide.core.mapping.step import StepContext

RATE = FrameRate.parse("30")
FRAMES = 150
_HITS = (12, 40, 58, 90)
_HEIGHTS = (1.0, 0.6, 0.9, 0.75)
WIDTH, HEIGHT = 84, 30


@lru_cache(maxsize=1)
def sample() -> FloatArray:
    """Give five seconds of an invented level: four hits that ring and a swell at the end, shape (150,)."""
    at = np.arange(FRAMES)
    level = 0.45 * np.exp(-(((at - 122) / 10.0) ** 2))
    for start, high in zip(_HITS, _HEIGHTS, strict=True):
        level = np.maximum(level, np.where(at >= start, high * np.exp(-(at - start) / 7.0), 0.0))
    return level


def _context() -> StepContext:
    level = sample()
    return StepContext(
        rate=RATE,
        hit_frames=np.array(_HITS),
        hit_strengths=np.array(_HEIGHTS),
        marker_frames=np.array([75]),
        beat_times_s=np.arange(0.0, 5.0, 0.5),
        levels={"other": np.roll(level, 20)},
    )


@lru_cache(maxsize=1)
def rough_sample() -> FloatArray:
    """Give the same level half as loud, with jitter, a floor of noise and two stray frames, shape (150,)."""
    jitter = np.abs(np.random.default_rng(3).normal(size=FRAMES))
    level = 0.5 * sample() * (0.85 + 0.2 * jitter) + 0.03 * jitter
    level[[33, 104]] = 0.7
    return np.asarray(level)


@lru_cache(maxsize=64)
def clean_up_picture(clean_up_id: str) -> tuple[str, str]:
    """Give the points of two polylines: the level before a clean-up, and after it; over rows where it goes by those."""
    spec, before = CLEAN_UPS[clean_up_id], rough_sample()
    choice = CleanUpChoice.model_validate({"id": clean_up_id, "params": dict(spec.shown)})
    if spec.across_rows:
        before = np.linspace(0.8, 0.2, FRAMES)
        return _points([before, clean(before[:, None], (choice,), rate=RATE)[:, 0]])
    return _points([before, clean(before, (choice,), rate=RATE)])


@lru_cache(maxsize=64)
def step_picture(step_id: str) -> tuple[str, str]:
    """Give the points of two polylines: lift before a step, and after it."""
    spec, before = STEPS[step_id], lift(sample(), marks=Marks(low=0.05, high=1.0))
    params = build(spec.params, dict(spec.shown))
    return _points([before, spec.apply(before, params=params, context=_context())])


@lru_cache(maxsize=64)
def response_picture(response_id: str) -> tuple[str, str]:
    """Give the points of two polylines: lift from 0 to 1, and what a response with its default params makes of it."""
    spec, rising = RESPONSES[response_id], np.linspace(0.0, 1.0, FRAMES)
    return _points([rising, spec.apply(rising, params=spec.params())])


@lru_cache(maxsize=256)
def recipe_picture(recipe: Recipe) -> tuple[str, str]:
    """Give the points of two polylines: the level, and what a recipe makes of it."""
    level = sample()
    cleaned = clean(level, recipe.clean_up, rate=RATE)
    loudest = float(cleaned.max(initial=0.0)) or 1.0
    suggested = Marks(low=0.06 * loudest, high=0.9 * loudest)
    shaped = lift(cleaned, marks=recipe.marks(suggested))
    for choice in recipe.steps:
        if choice.on:
            shaped = choice.spec.apply(shaped, params=choice.params, context=_context())
    response = recipe.response
    return _points([level, RESPONSES[response.id].apply(shaped, params=response.params)])


def _points(rows: list[FloatArray]) -> tuple[str, str]:
    """Draw two rows over one height, from the least to the greatest value of the second and 0 to 1."""
    low = min(0.0, float(rows[1].min()))
    high = max(1.0, float(rows[1].max()))
    xs = np.linspace(1, WIDTH - 1, FRAMES)
    lines = []
    for row in rows:
        ys = HEIGHT - 2 - (row - low) / (high - low) * (HEIGHT - 4)
        lines.append(" ".join(f"{x:.1f},{y:.1f}" for x, y in zip(xs, ys, strict=True)))
    return lines[0], lines[1]


def curve_picture(level: FloatArray, motion: FloatArray) -> tuple[str, str]:
    """Give the points of two polylines of a whole track: the level against its loudest, and what it moves."""
    loudest = float(level.max(initial=0.0)) or 1.0
    return _points([_highest(level / loudest), _highest(motion)])


def _highest(values: FloatArray) -> FloatArray:
    """Give the value farthest from 0 of each of 150 stretches, shape (150,)."""
    edges = np.linspace(0, len(values), FRAMES + 1).astype(int)
    pieces = [values[low : max(high, low + 1)] for low, high in pairwise(edges.tolist())]
    return np.array([piece[np.argmax(np.abs(piece))] if piece.size else 0.0 for piece in pieces])
