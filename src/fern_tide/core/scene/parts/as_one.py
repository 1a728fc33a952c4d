"""As one: parts of a drawing that move as one, while the file that they came with stays as it is."""

from __future__ import annotations

from typing import Annotated

from fern_tide.core.base.params import Params, unit
from fern_tide.core.scene.part import PartKind
from fern_tide.core.scene.properties import PLACE


class AsOneParams(Params):
    """Which file its parts came with."""

    file: Annotated[str, unit("", "The file.", kind="file")] = ""


KIND = PartKind(
    id="as_one",
    label="As one",
    help="Parts of a drawing that move as one; the drawing's own file stays as it is.",
    params=AsOneParams,
    properties=PLACE[:5],
    in_file="gathering",
    offered=False,
)
