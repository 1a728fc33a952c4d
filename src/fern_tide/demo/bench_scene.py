"""The 3D scene of The Glasshouse Hour: a potting bench, two rows of glass cloches, a hanging lamp, a mist tray."""

from __future__ import annotations

from math import hypot, sin

from fern_tide.core.scene.part import Anchor
from fern_tide.core.scene.scene import Part, Scene
from fern_tide.demo.solid import solid_part

CLOCHES = 24
_IN_A_ROW = 12
BENCH_TOP = 0.86


def potting_bench() -> Scene:
    """Build the scene; the same parts in the same order every time."""
    return Scene(
        name="The potting bench",
        kind="3d",
        parts=(*_bench(), *_cloches(), *_lamp(), *_tray(), *_light_and_lens()),
    )


def _bench() -> list[Part]:
    wood, dark = "#8a6a45", "#5c452c"
    top = {"width": 3.6, "height": 0.06, "depth": 0.9}
    leg = {"width": 0.08, "height": 0.8, "depth": 0.08}
    parts = [
        solid_part("bench", "Potting bench", "group_3d"),
        solid_part(
            "bench-top", "Bench top", "box", parent="bench", params=top, y=BENCH_TOP - 0.06, colour=wood, roughness=0.8
        ),
        solid_part(
            "bench-back",
            "Back board",
            "box",
            parent="bench",
            params={"width": 3.6, "height": 0.3, "depth": 0.04},
            y=BENCH_TOP,
            z=-0.43,
            colour=wood,
            roughness=0.8,
        ),
    ]
    for place, (x, z) in enumerate(((-1.7, 0.36), (1.7, 0.36), (-1.7, -0.36), (1.7, -0.36))):
        parts.append(
            solid_part(f"leg-{place + 1}", f"Leg {place + 1}", "box", parent="bench", params=leg, x=x, z=z, colour=dark)
        )
    return parts


def _cloches() -> list[Part]:
    """Bell jars in two rows along the bench, each standing on its base, with a seedling in it."""
    parts = [solid_part("cloches", "Cloches", "group_3d", y=BENCH_TOP)]
    for place in range(CLOCHES):
        back, along = divmod(place, _IN_A_ROW)
        x, z = -1.56 + (along + 0.5 * back) * 3.12 / (_IN_A_ROW - 0.5), 0.22 - 0.34 * back
        tall = 0.3 + 0.06 * sin(place * 1.7)
        number = place + 1
        parts.append(
            solid_part(
                f"seedling-{number}",
                f"Seedling {number}",
                "cone",
                parent="cloches",
                params={"radius": 0.05, "height": 0.16, "around": 10},
                x=round(x, 4),
                z=round(z, 4),
                colour="#4f8a45",
            )
        )
        parts.append(
            solid_part(
                f"cloche-{number}",
                f"Cloche {number}",
                "bell_jar",
                parent="cloches",
                params={"radius": 0.11, "height": round(tall, 4), "around": 20},
                x=round(x, 4),
                z=round(z, 4),
                colour="#b9ddd2",
                opacity=0.38,
                roughness=0.1,
            )
        )
    return parts


def _lamp() -> list[Part]:
    """It hangs by its hook: the group stands where the hook is, and everything in it hangs below."""
    return [
        solid_part("lamp", "Lamp", "group_3d", y=2.5, z=0.1, anchor=Anchor(word="origin")),
        solid_part(
            "lamp-cord",
            "Lamp cord",
            "cylinder",
            parent="lamp",
            params={"radius": 0.012, "height": 0.8, "around": 8},
            y=-0.8,
            colour="#9a8a55",
        ),
        solid_part(
            "lamp-shade",
            "Lamp shade",
            "cone",
            parent="lamp",
            params={"radius": 0.24, "height": 0.22, "around": 28},
            y=-0.98,
            colour="#2f4a40",
        ),
        solid_part(
            "lamp-bulb",
            "Lamp bulb",
            "sphere",
            parent="lamp",
            params={"radius": 0.09, "around": 20},
            y=-1.07,
            colour="#f7dfa0",
            emission="#f2c45a",
            emission_strength=1.5,
        ),
        solid_part("lamp-light", "Lamp light", "point_light", parent="lamp", y=-1.05, colour="#ffe2a0", intensity=6.0),
    ]


def _tray() -> list[Part]:
    return [
        solid_part("tray", "Mist tray", "group_3d", x=0.0, y=0.0, z=1.0),
        solid_part(
            "tray-pan",
            "Tray",
            "cylinder",
            parent="tray",
            params={"radius": 0.6, "height": 0.08, "around": 36},
            colour="#49605a",
            metallic=0.6,
            roughness=0.4,
        ),
        solid_part(
            "mist",
            "Mist",
            "cylinder",
            parent="tray",
            params={"radius": 0.54, "height": 0.16, "around": 28},
            y=0.086,
            colour="#cfe6e2",
            opacity=0.2,
            roughness=1.0,
        ),
        solid_part(
            "drop-ring",
            "Drop ring",
            "torus",
            parent="tray",
            params={"radius": 0.2, "thickness": 0.025, "around": 32},
            y=0.1,
            anchor=Anchor(y=0.0125, word="centre"),
            colour="#9cc7cf",
            emission="#1e6f8b",
        ),
    ]


def _light_and_lens() -> list[Part]:
    return [
        solid_part("moon", "Moon", "sun", turn_x=-55.0, turn_y=-35.0, colour="#bcd2e8", intensity=1.1),
        solid_part("camera", "Camera", "camera", y=1.75, z=4.9, turn_x=-10.0, field_of_view=38.0),
    ]


def outward() -> list[str]:
    """List the cloches from the middle of the bench outward, by their ids."""
    jars = [part for part in _cloches() if part.shape.id == "bell_jar"]
    away = {part.id: hypot(float(part.own("x")), float(part.own("z")) - 0.05) for part in jars}
    return sorted(away, key=lambda name: (away[name], name))
