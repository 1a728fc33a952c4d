"""The 2D scene of The Glasshouse Hour: fern fronds, a hanging lamp, moths, panes, cloches and rain."""

from __future__ import annotations

from math import cos, hypot, pi, sin

import numpy as np

from fern_tide.core.mapping.drive import Number
from fern_tide.core.scene.part import Anchor
from fern_tide.core.scene.scene import Part, PartChoice, Scene

WIDTH, HEIGHT, FLOOR = 1920, 1080, 1080
Point = tuple[float, float]


def glasshouse() -> Scene:
    """Build the scene; the same parts in the same order every time."""
    return Scene(
        name="The Glasshouse Hour",
        width=WIDTH,
        height=HEIGHT,
        parts=(*_panes(), *_rain(), *_cloches(), *_lamp(), *_fronds(), *_moths(), *_title()),
    )


def _part(
    part_id: str,
    name: str,
    shape: PartChoice,
    *,
    anchor: tuple[float, float, str] = (WIDTH / 2, HEIGHT / 2, "centre"),
    parent: str | None = None,
    **values: Number | str,
) -> Part:
    x, y, word = anchor
    return Part(
        id=part_id, name=name, shape=shape, parent=parent, anchor=Anchor(x=x, y=y, word=word), values=dict(values)
    )


def _path(data: str, *, filled: bool = True) -> PartChoice:
    return PartChoice.model_validate({"id": "path", "params": {"data": data, "filled": filled}})


def _group() -> PartChoice:
    return PartChoice.model_validate({"id": "group"})


def _ellipse(cx: float, cy: float, rx: float, ry: float) -> PartChoice:
    return PartChoice.model_validate({"id": "ellipse", "params": {"cx": cx, "cy": cy, "rx": rx, "ry": ry}})


def _line(*points: Point) -> str:
    return "M" + "L".join(f"{x:.1f} {y:.1f}" for x, y in points)


def _panes() -> list[Part]:
    """The glasshouse itself: a pitched roof on posts, lit from behind."""
    left, right, eaves, ridge = 205.0, 1715.0, 508.0, 132.0
    roof = _line((left, eaves), (960, ridge), (right, eaves)) + _line((left, eaves), (right, eaves))
    rafters = "".join(
        _line((x, ridge + abs(x - 960) / 755 * (eaves - ridge)), (x, FLOOR)) for x in (580.0, 960.0, 1340.0)
    )
    posts = _line((left, eaves), (left, FLOOR)) + _line((right, eaves), (right, FLOOR))
    rails = _line((left, 790), (right, 790))
    glass = f"M{left} {FLOOR}L{left} {eaves}L960 {ridge}L{right} {eaves}L{right} {FLOOR}Z"
    top = (960.0, ridge, "ridge")
    return [
        _part("panes", "Panes", _group(), anchor=(960.0, float(FLOOR), "floor")),
        _part("glass", "Glass", _path(glass), parent="panes", anchor=top, fill="#143330", opacity=0.55),
        _part(
            "frame",
            "Frame",
            _path(roof + rafters + posts + rails, filled=False),
            parent="panes",
            anchor=top,
            stroke="#2c5249",
            stroke_width=6.0,
        ),
    ]


def _rain() -> list[Part]:
    rng = np.random.default_rng(7)
    drops = ""
    for _ in range(110):
        x, y = float(rng.uniform(120, 1830)), float(rng.uniform(-40, 1040))
        length = float(rng.uniform(14, 46))
        drops += _line((x, y), (x - length * 0.16, y + length))
    shape = _path(drops, filled=False)
    return [_part("rain", "Rain", shape, stroke="#9cc7cf", stroke_width=2.5, opacity=0.3)]


def _cloches() -> list[Part]:
    """Glass bells along the bench; each stretches from its base."""
    parts = [_part("cloches", "Cloches", _group(), anchor=(960.0, 1030.0, "bench"))]
    heights = (120, 178, 138, 165, 96, 190, 128, 150, 104, 172)
    for index, height in enumerate(heights):
        cx, half, base = 355.0 + index * 134.0, 37.0, 1030.0
        top = base - height
        data = (
            f"M{cx - half:.1f} {base}L{cx - half:.1f} {top + half:.1f}A{half} {half} 0 0 1 {cx + half:.1f} "
            f"{top + half:.1f}L{cx + half:.1f} {base}Z"
        )
        parts.append(
            _part(
                f"cloche-{index + 1}",
                f"Cloche {index + 1}",
                _path(data),
                parent="cloches",
                anchor=(cx, base, "base"),
                fill="#7fb0a6",
                stroke="#a8cfc4",
                stroke_width=2.0,
                opacity=0.42,
            )
        )
    return parts


def _lamp() -> list[Part]:
    hook = (960.0, 132.0, "hook")
    return [
        _part("lamp", "Lamp", _group(), anchor=hook),
        _part(
            "lamp-cord",
            "Lamp cord",
            _path(_line((960, 132), (960, 430)), filled=False),
            parent="lamp",
            anchor=hook,
            stroke="#9a8a55",
            stroke_width=5.0,
        ),
        _part(
            "lamp-glow",
            "Lamp glow",
            PartChoice.model_validate({"id": "glow", "params": {"cx": 960, "cy": 470, "r": 430}}),
            parent="lamp",
            anchor=(960.0, 470.0, "bulb"),
            fill="#d9b44a",
        ),
        _part(
            "lamp-bulb",
            "Lamp bulb",
            _ellipse(960, 470, 56, 56),
            parent="lamp",
            anchor=(960.0, 470.0, "bulb"),
            fill="#f7dfa0",
            stroke="#d9a431",
            stroke_width=0.0,
        ),
    ]


def _fronds() -> list[Part]:
    parts = [_part("fronds", "Fronds", _group(), anchor=(960.0, float(FLOOR), "floor"))]
    grown = (
        ("far-left", "Frond far left", (430.0, 1130.0), -0.62, 640.0, "#4f7a45"),
        ("left", "Frond left", (700.0, 1140.0), -0.34, 790.0, "#5f8f50"),
        ("middle", "Frond middle", (930.0, 1140.0), 0.16, 500.0, "#4f7a45"),
        ("right", "Frond right", (1220.0, 1140.0), 0.34, 790.0, "#5f8f50"),
        ("far-right", "Frond far right", (1490.0, 1130.0), 0.62, 640.0, "#4f7a45"),
    )
    for key, name, root, lean, length, colour in grown:
        parts.append(
            _part(
                f"frond-{key}",
                name,
                _path(_frond(root, lean=lean, length=length)),
                parent="fronds",
                anchor=(*root, "root"),
                fill=colour,
                stroke="#86ab6c",
                stroke_width=2.0,
            )
        )
    return parts


def _frond(root: Point, *, lean: float, length: float) -> str:
    """A fern frond: a stem that bends further towards its tip, with pairs of leaves that shrink along it."""
    pieces, (x, y), angle = 26, root, lean
    data, step = "", length / 26
    for index in range(pieces):
        share = index / pieces
        angle += lean * 0.045 * (0.4 + share)
        nx, ny = x + step * sin(angle), y - step * cos(angle)
        thick = 6.0 * (1 - share) + 1.2
        across = (cos(angle) * thick / 2, sin(angle) * thick / 2)
        data += (
            f"M{x - across[0]:.1f} {y - across[1]:.1f}L{x + across[0]:.1f} {y + across[1]:.1f}"
            f"L{nx + across[0] * 0.9:.1f} {ny + across[1] * 0.9:.1f}"
            f"L{nx - across[0] * 0.9:.1f} {ny - across[1] * 0.9:.1f}Z"
        )
        if index >= 3:
            size = length * 0.2 * sin(pi * (0.18 + 0.8 * share)) ** 0.9
            for side in (-1.0, 1.0):
                data += _leaf((nx, ny), angle + side * (1.15 - 0.35 * share), size)
        x, y = nx, ny
    return data + _leaf((x, y), angle, length * 0.06)


def _leaf(base: Point, angle: float, size: float) -> str:
    (x, y), (dx, dy) = base, (sin(angle), -cos(angle))
    width = size * 0.17
    tip = (x + dx * size, y + dy * size)
    half = (x + dx * size * 0.45, y + dy * size * 0.45)
    if hypot(dx, dy) == 0:
        return ""
    left = (half[0] - dy * width, half[1] + dx * width)
    right = (half[0] + dy * width, half[1] - dx * width)
    return (
        f"M{x:.1f} {y:.1f}Q{left[0]:.1f} {left[1]:.1f} {tip[0]:.1f} {tip[1]:.1f}"
        f"Q{right[0]:.1f} {right[1]:.1f} {x:.1f} {y:.1f}Z"
    )


def _moths() -> list[Part]:
    parts = []
    for key, name, (cx, cy), size in (
        ("one", "Moth one", (770.0, 330.0), 30.0),
        ("two", "Moth two", (1180.0, 405.0), 23.0),
    ):
        wings = (
            f"M{cx} {cy}C{cx - size} {cy - size * 1.4} {cx - size * 2} {cy - size} {cx - size * 1.5} {cy + size * 0.2}"
            f"C{cx - size * 1.3} {cy + size * 0.9} {cx - size * 0.4} {cy + size * 0.7} {cx} {cy}"
            f"C{cx + size} {cy - size * 1.4} {cx + size * 2} {cy - size} {cx + size * 1.5} {cy + size * 0.2}"
            f"C{cx + size * 1.3} {cy + size * 0.9} {cx + size * 0.4} {cy + size * 0.7} {cx} {cy}Z"
        )
        parts.append(
            _part(
                f"moth-{key}",
                name,
                _path(wings),
                anchor=(cx, cy, "body"),
                fill="#e8ddbd",
                stroke="#b9a878",
                stroke_width=1.5,
            )
        )
    return parts


def _title() -> list[Part]:
    words = {"words": "The Glasshouse Hour", "x": 960, "y": 86, "size": 58, "spacing": 6}
    shape = PartChoice.model_validate({"id": "text", "params": words})
    return [
        _part(
            "title", "Title", shape, anchor=(960.0, 66.0, "middle"), fill="#e8ddbd", stroke="#e8ddbd", stroke_width=0.0
        )
    ]
