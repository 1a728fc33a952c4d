"""As listed: the part that is first in the tree is first."""

from __future__ import annotations

import numpy as np

from fern_tide.core.scene.ordering import Order, by_key

ORDER = Order(
    id="tree",
    label="As listed",
    help="The part that is first in the tree is first.",
    ranks=lambda middles, params: by_key(np.arange(len(middles), dtype=np.float64)),
)
