"""A wall of The Glasshouse Hour: a thousand panes as one array, low bands in its middle, high ones at its rim."""

from __future__ import annotations

from fern_tide.core.scene.part import Anchor
from fern_tide.core.scene.scene import Scene
from fern_tide.demo.solid import solid_part

ACROSS, UP = 40, 25


def pane_wall() -> Scene:
    """Build the scene; the same parts in the same order every time."""
    panes = {
        "layout": {"id": "grid", "params": {"across": ACROSS, "up": UP}},
        "order": {"id": "outward"},
        "late_frames": 5.0,
        "differs": 0.25,
        "coloured": True,
        "reaches": [{"slot": 1}],
    }
    return Scene(
        name="The wall of panes",
        kind="3d",
        floor=False,
        parts=(
            solid_part(
                "panes",
                "Panes",
                "array_3d",
                params=panes,
                y=1.8,
                gap_x=0.13,
                gap_y=0.14,
                reach1_inner=0.6,
                reach1_outer=2.2,
                piece_colour="#2f6b62",
                piece_last_colour="#1b3a4b",
            ),
            solid_part(
                "pane",
                "Pane",
                "box",
                params={"width": 0.11, "height": 0.12, "depth": 0.03},
                parent="panes",
                anchor=Anchor(y=0.06, word="middle"),
                roughness=0.25,
                metallic=0.1,
            ),
            solid_part("sky", "Sky", "sun", turn_x=-35.0, turn_y=25.0, intensity=2.2, colour="#dfe9d6"),
            solid_part("lantern", "Lantern", "point_light", y=1.8, z=1.6, intensity=6.0, colour="#f7dfa0"),
            solid_part("lens", "Lens", "camera", x=-1.1, y=2.0, z=5.6, turn_y=-11.0, turn_x=-2.0),
        ),
    )
