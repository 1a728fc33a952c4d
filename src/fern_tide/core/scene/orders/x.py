"""Left to right: the part farthest left is first."""

from __future__ import annotations

from fern_tide.core.scene.ordering import Order, by_key

ORDER = Order(
    id="x",
    label="Left to right",
    help="The part farthest left is first.",
    ranks=lambda middles, params: by_key(middles[:, 0]),
)
