"""An array's pieces in another order than its own, tried before it is chosen."""

from __future__ import annotations

import numpy as np

from fern_tide.core.bake.pieces import motion_of
from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.document import Project
from fern_tide.core.scene.arrays.field import ArrayParams
from fern_tide.core.scene.order_choice import OrderChoice
from fern_tide.core.scene.scene import Part

MOST_LISTED = 150


def order_tried(project: Project, part: Part, order: str) -> list[int]:
    """Give the pieces of an array in an order, evenly spaced where there are more than can be listed.

    Args:
        project: whose.
        part: the array; whether it goes backwards, or from the middle, stays as it is.
        order: the id of an order, with its defaults unless it is the array's own.

    Raises:
        InvalidParameter: the part is no array, or there is no such order.
    """
    params = part.shape.params
    if not isinstance(params, ArrayParams):
        raise InvalidParameter("array", value=part.name, allowed="an array")
    chosen = params.order if order == params.order.id else OrderChoice(id=order)
    tried = part.but(shape=part.shape.but(params=params.but(order=chosen)))
    ranks = motion_of(project.scene, tried, {}, rate=project.rate, n_frames=project.n_frames).pieces.ranks
    pieces = np.argsort(ranks, kind="stable")
    if len(pieces) > MOST_LISTED:
        pieces = pieces[np.round(np.linspace(0, len(pieces) - 1, MOST_LISTED)).astype(np.int64)]
    return [int(piece) for piece in pieces]
