"""JSON: every curve by name, with its unit, rate and frames; the schema is docs/curves.schema.json."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Annotated, Any

import numpy as np

from fern_tide.core.bake.curve import Curve
from fern_tide.core.bake.thin import Interpolation, Keys
from fern_tide.core.base.params import unit
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Target
from fern_tide.core.formats.factored import ARRAY_SCHEMA, largest_error, plain_of
from fern_tide.core.formats.format import Format, HandOff, KeyParams
from fern_tide.core.formats.profile import AxesParams


class JsonParams(KeyParams, AxesParams):
    """How curves become keys; with an error of 0 every frame is written. Axes and units are those asked for."""

    by_formula: Annotated[
        bool,
        unit(
            "",
            "Whether arrays go in as rows, order, lateness and weights, not piece by piece.",
            label="Arrays by formula",
        ),
    ] = False


def encode(hand_off: HandOff, params: JsonParams) -> bytes:
    """Write the curves; numbers have as many digits as it takes to read back the same double."""
    fps = hand_off.rate.fps
    plain = {
        "curves_version": 1,
        "name": hand_off.name,
        "rate": {"numerator": fps.numerator, "denominator": fps.denominator},
        "frames": hand_off.n_frames,
        "curves": [_curve(curve, params, hand_off) for curve in hand_off.curves],
    }
    if hand_off.arrays:
        plain["arrays"] = [plain_of(array) for array in hand_off.arrays]
    return json.dumps(plain, indent=1, ensure_ascii=False).encode()


def _curve(curve: Curve, params: JsonParams, hand_off: HandOff) -> dict[str, Any]:
    hand_off.progress(1)
    about = {
        "target": str(curve.target),
        "part": curve.part_name,
        "property": curve.label,
        "unit": curve.unit,
        "kind": curve.kind,
    }
    rows = np.atleast_2d(curve.values)
    if params.error_percent == 0.0 and params.interpolation is Interpolation.LINEAR:
        return about | {"values": curve.values.T.tolist()}
    keys = params.keys(rows, spans=np.full(len(rows), curve.span))
    plain: dict[str, Any] = {"interpolation": str(params.interpolation), "frames": keys.frames.tolist()}
    single = curve.kind != "colour"
    plain["values"] = keys.values[0].tolist() if single else keys.values.T.tolist()
    if params.interpolation is Interpolation.CUBIC:
        plain["slopes_per_frame"] = keys.slopes[0].tolist() if single else keys.slopes.T.tolist()
    return about | {"keys": plain}


def read_back(content: bytes, hand_off: HandOff, params: JsonParams) -> Mapping[Target, FloatArray]:
    """Read the values by the names of their targets, keys evaluated at every frame."""
    plain = json.loads(content)
    curves = {}
    for item in plain["curves"]:
        if "values" in item:
            values = np.array(item["values"], dtype=np.float64)
            values = values.T if item["kind"] == "colour" else values
        else:
            keys = item["keys"]
            rows = np.atleast_2d(np.array(keys["values"], dtype=np.float64).T)
            slopes = np.atleast_2d(np.array(keys.get("slopes_per_frame", np.zeros_like(rows.T)), dtype=np.float64).T)
            read = Keys(np.array(keys["frames"]), rows, slopes, 0.0, Interpolation(keys["interpolation"]))
            dense = read.dense(plain["frames"])
            values = dense if item["kind"] == "colour" else dense[0]
        curves[Target.parse(item["target"])] = values
    return curves


def formula_error(content: bytes, hand_off: HandOff, params: JsonParams) -> float:
    """Give how far the arrays are off that were written by formula."""
    written = {item["part"]: item for item in json.loads(content)["arrays"]}
    return max(largest_error(array, written[array.motion.part.id]) for array in hand_off.arrays)


def schema() -> dict[str, Any]:
    """Give the JSON Schema of the file."""
    number, triple = {"type": "number"}, {"type": "array", "items": {"type": "number"}, "minItems": 3, "maxItems": 3}
    row = {"type": "array", "items": {"oneOf": [number, triple]}}
    keys = {
        "type": "object",
        "properties": {
            "interpolation": {"enum": [str(item) for item in Interpolation]},
            "frames": {"type": "array", "items": {"type": "integer", "minimum": 0}},
            "values": row,
            "slopes_per_frame": row,
        },
        "required": ["interpolation", "frames", "values"],
        "additionalProperties": False,
    }
    text = {"type": "string"}
    curve = {
        "type": "object",
        "description": "One property: a value a frame, or keys. Colours are sRGB triples from 0 to 1.",
        "properties": {
            "target": text,
            "part": text,
            "property": text,
            "unit": text,
            "kind": {"enum": ["number", "colour"]},
            "values": row,
            "keys": keys,
        },
        "required": ["target", "part", "property", "unit", "kind"],
        "additionalProperties": False,
    }
    whole = {"type": "integer", "minimum": 1}
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Fern Tide curves",
        "type": "object",
        "properties": {
            "curves_version": {"const": 1},
            "name": text,
            "rate": {"type": "object", "properties": {"numerator": whole, "denominator": whole}},
            "frames": {"type": "integer", "minimum": 0},
            "curves": {"type": "array", "items": curve},
            "arrays": {"type": "array", "items": ARRAY_SCHEMA},
        },
        "required": ["curves_version", "name", "rate", "frames", "curves"],
        "additionalProperties": False,
    }


def loses(curve: Curve) -> str | None:
    """Say that nothing is lost."""
    return None


FORMAT = Format(
    id="json",
    label="JSON",
    help="Every curve by name, as values or keys, for scripts; with a published schema.",
    params=JsonParams,
    extension=".json",
    media_type="application/json",
    loses=loses,
    numbers_only=True,
    by_formula=lambda params: params.by_formula,
    formula_error=formula_error,
    encode=encode,
    read_back=read_back,
)
