"""Parts of the 3D demo scenes."""

from __future__ import annotations

from collections.abc import Mapping

from fern_tide.core.scene.part import Anchor
from fern_tide.core.scene.scene import Part, PartChoice


def solid_part(
    part_id: str,
    name: str,
    kind: str,
    *,
    parent: str | None = None,
    anchor: Anchor | None = None,
    params: Mapping[str, object] | None = None,
    **values: float | str,
) -> Part:
    """Make a part of a kind with its own values; its anchor is at its base unless it is said."""
    shape = PartChoice.model_validate({"id": kind, "params": params or {}})
    return Part(
        id=part_id, name=name, parent=parent, shape=shape, anchor=anchor or Anchor(word="base"), values=dict(values)
    )
