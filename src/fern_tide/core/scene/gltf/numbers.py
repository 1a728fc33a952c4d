"""A part's own numbers as glTF counts them."""

from __future__ import annotations

from collections.abc import Mapping
from math import radians

import numpy as np

from fern_tide.core.mapping.colour import parse_colour, to_linear
from fern_tide.core.scene.gltf.container import Json
from fern_tide.core.scene.part import Channel, Form
from fern_tide.core.scene.rotation import parted, quaternions
from fern_tide.core.scene.scene import Part
from fern_tide.core.scene.shaping import seen_of


def is_plain(part: Part, channel: Channel) -> bool:
    """Say whether all that a place of a file shows of a part stands at its default."""
    return all(part.own(name) == part.property(name).default for name in channel.names)


def part_matrix(node: Json) -> None:
    """Turn a node's matrix into translation, rotation and scale, since a matrix cannot be animated."""
    if "matrix" in node:
        matrix = np.array(node.pop("matrix"), dtype=np.float64).reshape(4, 4).T
        for name, numbers in zip(("translation", "rotation", "scale"), parted(matrix), strict=True):
            node[name] = numbers.tolist()


def still(channel: Channel, values: Mapping[str, float | str], part: Part) -> list[float]:
    """Give a channel's numbers, as glTF counts them, for one value of each of its properties."""
    own = [values[name] for name in channel.names]
    if channel.form is Form.SHAPES:
        amounts = {name: np.array([float(value)]) for name, value in values.items()}
        return [float(number) for number in seen_of(part.shapers, amounts)[:, 0]]
    if channel.form in {Form.COLOUR, Form.COLOUR_ALPHA}:
        colour = to_linear(parse_colour(str(own[0]))).tolist()
        return [*colour, float(own[1])] if channel.form is Form.COLOUR_ALPHA else colour
    numbers = [float(value) for value in own]
    if channel.form is Form.ROTATION:
        return [float(number) for number in quaternions(np.array(numbers)[:, np.newaxis])[:, 0]]
    return [radians(number) for number in numbers] if channel.form is Form.RADIANS else numbers
