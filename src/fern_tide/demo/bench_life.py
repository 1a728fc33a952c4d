"""What lives on the potting bench: fronds that bend, water that ripples and sprays, a moth that flies."""

from __future__ import annotations

from math import cos, pi, radians, sin

from fern_tide.core.scene.part import Anchor
from fern_tide.core.scene.ride import Ends, Ride
from fern_tide.core.scene.scene import Part, PartChoice, Scene
from fern_tide.core.scene.shaping import ShaperChoice, Shaping
from fern_tide.demo.bench_scene import BENCH_TOP, potting_bench
from fern_tide.demo.solid import solid_part

FRONDS = 4
_WING = {"width": 0.2, "height": 0.006, "depth": 0.15}
_ROOT = 0.1  # from a wing's middle to where it joins the body


def lively_bench() -> Scene:
    """Build the potting bench with what lives on it; the same parts in the same order every time."""
    bench = potting_bench()
    return bench.but(parts=(*bench.parts, *_fronds(), _water(), *_spray(), *_moth()))


def _fronds() -> list[Part]:
    """Blades at both ends of the bench, narrower to the top, leaning away from the middle."""
    shapers = (
        Shaping(slot=1, shaper=ShaperChoice.model_validate({"id": "bend", "params": {"most": 120}})),
        Shaping(slot=2, shaper=ShaperChoice(id="taper")),
    )
    parts = []
    for place in range(FRONDS):
        side, inner = (-1 if place < FRONDS // 2 else 1), place % 2
        blade = solid_part(
            f"frond-{place + 1}",
            f"Frond {place + 1}",
            "box",
            params={"width": 0.14, "height": 1.0 - 0.25 * inner, "depth": 0.02},
            x=side * (1.72 - 0.14 * inner),
            y=BENCH_TOP,
            z=-0.2,
            turn_y=0.0 if side > 0 else 180.0,
            colour="#3f7d4d" if inner else "#5c9a52",
            roughness=0.8,
            shaper1_amount=12.0,
            shaper2_amount=0.15,
        )
        parts.append(blade.but(shapers=shapers))
    return parts


def _water() -> Part:
    water = solid_part(
        "water",
        "Water",
        "cylinder",
        parent="tray",
        params={"radius": 0.54, "height": 0.004, "around": 40},
        y=0.082,
        colour="#7fb6c2",
        metallic=0.3,
        roughness=0.15,
    )
    ripple = ShaperChoice.model_validate({"id": "ripple", "params": {"wavelength": 0.2}})
    return water.but(shapers=(Shaping(slot=1, shaper=ripple),))


def _spray() -> list[Part]:
    """Drops that the mist tray throws up from its ring."""
    drops = {
        "layout": {
            "id": "spray",
            "params": {"nozzle": {"id": "ring"}, "count": 110, "last_size": 0.3, "uneven": 0.3, "before_s": 1.0},
        },
        "coloured": True,
    }
    return [
        solid_part(
            "spray",
            "Spray",
            "array_3d",
            parent="tray",
            params=drops,
            rate=6.0,
            force=2.0,
            width=20.0,
            life=0.9,
            nozzle=0.4,
            from_y=0.12,
            piece_colour="#e8f6f3",
            piece_last_colour="#4a9fb5",
        ),
        solid_part("drop", "Drop", "sphere", parent="spray", params={"radius": 0.03, "around": 8}, roughness=0.1),
    ]


def _moth() -> list[Part]:
    """A moth of a body and two wings, its way, and the two poses that it flaps between."""
    points = []
    for corner in range(8):
        angle = corner * pi / 4
        up = 1.75 + 0.22 * sin(2 * angle)
        points.append({"x": round(0.95 * cos(angle), 3), "y": round(up, 3), "z": round(0.3 + 0.7 * sin(angle), 3)})
    way = {"id": "way_3d", "params": {"points": points, "closed": True}}
    moth = solid_part("moth", "Moth", "group_3d", anchor=Anchor(word="origin"))
    wings = [
        solid_part(
            f"wing-{name}",
            f"Wing {name}",
            "box",
            parent="moth",
            params=_WING,
            anchor=Anchor(x=-side * _ROOT, word="root"),
            x=side * (0.01 + _ROOT),
            colour="#f0e2c0",
            emission="#6b5a35",
        )
        for name, side in (("left", 1), ("right", -1))
    ]
    body = solid_part("moth-body", "Moth body", "sphere", parent="moth", params={"radius": 0.03}, y=-0.03, scale_z=3.0)
    return [
        Part(id="moth-way", name="Way of the moth", shape=PartChoice.model_validate(way)),
        moth.but(ride=Ride(way="moth-way", leans=30.0, ends=Ends.AGAIN)),
        body,
        *wings,
        Part(id="wings", name="Poses of the wings", shape=PartChoice.model_validate(_poses())),
    ]


def _poses() -> dict[str, object]:
    def pose(name: str, turn: float) -> dict[str, object]:
        across, up = 0.01 + _ROOT * cos(radians(turn)), _ROOT * sin(radians(turn))
        wings = (("wing-left", 1), ("wing-right", -1))
        values = {
            wing: {"x": round(side * across, 6), "y": round(up, 6), "turn_z": side * turn} for wing, side in wings
        }
        return {"name": name, "values": values}

    return {"id": "poses_3d", "params": {"poses": [pose("Open", -8.0), pose("Up", 68.0)]}}
