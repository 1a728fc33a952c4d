"""CSS: @keyframes for every part, for pages of one's own (CSS Animations 1, Transforms 2, Properties and Values 1)."""

from __future__ import annotations

import re
from collections.abc import Mapping

import numpy as np

from fern_tide.core.bake.thin import Interpolation
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Target
from fern_tide.core.formats.css_values import CssChannel, channels, read_channels
from fern_tide.core.formats.format import Format, HandOff, KeyParams, nine_digits

_BLOCK = re.compile(r"@keyframes ([\\\w -]+) \{([^{}]*(?:\{[^{}]*\}[^{}]*)*)\}")
_KEY = re.compile(r"([\d.]+)% \{ ([\w-]+): ([^;}]+); \}")


class CssParams(KeyParams):
    """How curves become keys; cubic ones are written as straight lines, a key every frame."""


def identifier(name: str) -> str:
    """Write a part's id as CSS has names: none begins with a digit (CSS Syntax 3, 'Escaping')."""
    return f"\\3{name[0]} {name[1:]}" if name[0].isdigit() else name


def keyframes_name(channel: CssChannel) -> str:
    """Name a channel's keyframes: 'lamp--fill-opacity', which is not the opacity of lamp-fill."""
    return f"{identifier(channel.part.id)}--{channel.name.lstrip('-')}"


def encode(hand_off: HandOff, params: CssParams) -> bytes:
    """Write keyframes, and a rule for each part under its id as a class."""
    duration = float(hand_off.rate.duration_s(hand_off.n_frames))
    blocks: list[str] = []
    parts: dict[str, list[CssChannel]] = {}
    registered: set[str] = set()
    for channel in channels(hand_off):
        parts.setdefault(channel.part.id, []).append(channel)
        if channel.registered and channel.name not in registered:
            registered.add(channel.name)
            kind = ("<color>", "black") if channel.colour else ("<number>", "0")
            blocks.append(
                f'@property {channel.name} {{ syntax: "{kind[0]}"; inherits: true; initial-value: {kind[1]}; }}'
            )
        blocks.append(_keyframes(channel, hand_off, params))
    timing = "step-end" if params.interpolation is Interpolation.STEP else "linear"
    for part_id, moving in parts.items():
        names = ", ".join(f"{keyframes_name(one)} {duration:.9g}s {timing} both" for one in moving)
        anchor = moving[0].part.anchor
        origin = f" transform-origin: {anchor.x:g}px {anchor.y:g}px;" if hand_off.scene.kind == "2d" else ""
        blocks.append(f".{identifier(part_id)} {{{origin} animation: {names}; }}")
    what = f"{_quiet(hand_off.name)}: {hand_off.n_frames} frames at {hand_off.rate.label} fps"
    head = f"/* {what}. Give elements a part's id as class. */"
    return "\n".join([head, *blocks, ""]).encode()


def _quiet(text: str) -> str:
    return text.replace("*/", "* /")


def _keyframes(channel: CssChannel, hand_off: HandOff, params: KeyParams) -> str:
    keys, n_frames = channel.keys(params), max(1, hand_off.n_frames)
    texts = [channel.text(values) for values in keys.values.T.tolist()]
    at = [f"{_share(frame, n_frames):.9g}" for frame in keys.frames.tolist()]
    lines = [f"  {share}% {{ {channel.name}: {text}; }}" for share, text in zip(at, texts, strict=True)]
    lines.append(f"  100% {{ {channel.name}: {texts[-1]}; }}")
    return "\n".join([f"@keyframes {keyframes_name(channel)} {{", *lines, "}"])


def _share(frame: float, n_frames: int) -> float:
    """Give a frame's moment in percent, rounded down, so that a step is never late."""
    return float(np.floor(100 * frame / n_frames * 1e7) / 1e7)


def read_back(content: bytes, hand_off: HandOff, params: CssParams) -> Mapping[Target, FloatArray]:
    """Read the keyframes as a browser finds them at every frame."""
    text = content.decode()
    blocks = {name: _KEY.findall(body) for name, body in _BLOCK.findall(text)}
    steps = params.interpolation is Interpolation.STEP

    def texts_of(channel: CssChannel) -> tuple[FloatArray, list[str], bool] | None:
        marks = blocks.get(keyframes_name(channel))
        if not marks:
            return None
        return np.array([float(share) / 100 for share, _, _ in marks]), [value for _, _, value in marks], steps

    return read_channels(hand_off, texts_of)


FORMAT = Format(
    id="css",
    label="CSS keyframes",
    help="Motion for elements of a page, each by its part's id as class.",
    params=CssParams,
    extension=".css",
    media_type="text/css",
    loses=nine_digits,
    encode=encode,
    read_back=read_back,
    rounds_by=1e-5,
    holds_cubic=False,
    numbers_only=True,
    lacks="what parts look like: only how they move",
)
