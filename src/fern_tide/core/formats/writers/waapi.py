"""Web Animations: keyframes as JSON, for element.animate() in pages (Web Animations 1)."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any

import numpy as np

from fern_tide.core.bake.thin import Interpolation
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Target
from fern_tide.core.formats.css_values import CssChannel, channels, read_channels
from fern_tide.core.formats.format import Format, HandOff, KeyParams, nine_digits


class WaapiParams(KeyParams):
    """How curves become keys; cubic ones are written as straight lines, a key every frame."""


def encode(hand_off: HandOff, params: WaapiParams) -> bytes:
    """Write one animation for each property of each part: its part, what is moved, keyframes and timing."""
    steps = params.interpolation is Interpolation.STEP
    timing = {
        "duration": 1000 * float(hand_off.rate.duration_s(hand_off.n_frames)),
        "easing": "linear",
        "fill": "both",
    }
    animations = [
        {
            "part": channel.part.id,
            "property": channel.js_name,
            "keyframes": _keyframes(channel, hand_off, params),
            "options": timing,
        }
        for channel in channels(hand_off)
    ]
    document = {
        "name": hand_off.name,
        "frames": hand_off.n_frames,
        "rate": str(hand_off.rate),
        "easing": "step-end" if steps else "linear",
        "origins": _origins(hand_off),
        "animations": animations,
    }
    return json.dumps(document, indent=1, ensure_ascii=False).encode()


def _origins(hand_off: HandOff) -> dict[str, str]:
    """Give the transform-origin of each part that moves."""
    if hand_off.scene.kind != "2d":
        return {}
    anchors = {part_id: hand_off.scene.part(part_id).anchor for part_id in hand_off.by_part}
    return {part_id: f"{at.x:g}px {at.y:g}px" for part_id, at in anchors.items()}


def _keyframes(channel: CssChannel, hand_off: HandOff, params: KeyParams) -> list[dict[str, Any]]:
    keys, n_frames = channel.keys(params), max(1, hand_off.n_frames)
    easing = "step-end" if keys.interpolation is Interpolation.STEP else "linear"
    texts = [channel.text(values) for values in keys.values.T.tolist()]
    shares = [float(np.floor(frame / n_frames * 1e9) / 1e9) for frame in keys.frames.tolist()]
    return [
        {"offset": share, channel.js_name: text, "easing": easing}
        for share, text in zip([*shares, 1.0], [*texts, texts[-1]], strict=True)
    ]


def read_back(content: bytes, hand_off: HandOff, params: WaapiParams) -> Mapping[Target, FloatArray]:
    """Read the keyframes as a browser finds them at every frame."""
    known = {(one["part"], one["property"]): one["keyframes"] for one in json.loads(content)["animations"]}

    def texts_of(channel: CssChannel) -> tuple[FloatArray, list[str], bool] | None:
        frames = known.get((channel.part.id, channel.js_name))
        if not frames:
            return None
        shares = np.array([one["offset"] for one in frames])
        return shares, [one[channel.js_name] for one in frames], frames[0]["easing"] == "step-end"

    return read_channels(hand_off, texts_of)


FORMAT = Format(
    id="waapi",
    label="Web Animations",
    help="Keyframes as JSON for element.animate() in a page.",
    params=WaapiParams,
    extension=".waapi.json",
    media_type="application/json",
    loses=nine_digits,
    encode=encode,
    read_back=read_back,
    rounds_by=1e-5,
    holds_cubic=False,
    numbers_only=True,
    lacks="what parts look like: only how they move",
)
