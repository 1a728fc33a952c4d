"""Make the outlines of the shipped fonts for 3D text: src/fern_tide/core/scene/glyphs.npz.

Usage: python scripts/glyphs.py     reads node_modules; what comes out is committed and ships with the application
"""

from itertools import pairwise
from pathlib import Path

import mapbox_earcut
import numpy as np
from fontTools.pens.recordingPen import DecomposingRecordingPen
from fontTools.ttLib import TTFont
from fontTools.ttLib.removeOverlaps import removeOverlaps

ROOT = Path(__file__).parent.parent
OUT = ROOT / "src/fern_tide/core/scene/glyphs.npz"
FONTS = {"serif": ("fraunces", 600), "sans": ("instrument-sans", 600), "mono": ("spline-sans-mono", 500)}
LETTERS = [
    chr(code) for code in (*range(32, 127), *range(160, 256), 0x2013, 0x2014, 0x2018, 0x2019, 0x201C, 0x201D, 0x2026)
]
STEPS = 6  # straight pieces of a curve


def curve(start, controls):
    """Flatten a Bezier of any degree."""
    points = [np.array(point, dtype=float) for point in (start, *controls)]
    for step in range(1, STEPS + 1):
        row, t = points, step / STEPS
        while len(row) > 1:
            row = [a + (b - a) * t for a, b in pairwise(row)]
        yield row[0]


def contours(glyphs, name):
    """Give a glyph's closed outlines, each of shape (points, 2)."""
    pen = DecomposingRecordingPen(glyphs)
    glyphs[name].draw(pen)
    found, now = [], []
    for verb, points in pen.value:
        if verb == "moveTo":
            now = [np.array(points[0], dtype=float)]
        elif verb == "lineTo":
            now.append(np.array(points[0], dtype=float))
        elif verb == "curveTo":
            now.extend(curve(now[-1], points))
        elif verb == "qCurveTo":
            if points[-1] is None:  # a ring that is curved all around begins between two handles
                handles = np.array(points[:-1], dtype=float)
                now = [(handles[-1] + handles[0]) / 2]
                points = (*points[:-1], tuple(now[0]))
            *controls, end = [np.array(point, dtype=float) for point in points]
            for place, control in enumerate(controls):
                through = end if place == len(controls) - 1 else (control + controls[place + 1]) / 2
                now.extend(curve(now[-1], (control, through)))
        elif verb in {"closePath", "endPath"} and len(now) > 2:
            if np.allclose(now[0], now[-1]):
                now.pop()
            found.append(np.array(now))
    return found


def area(ring):
    x, y = ring.T
    return float(np.sum(x * np.roll(y, -1) - np.roll(x, -1) * y) / 2)


def inside(point, ring):
    x, y = point
    a, b = ring, np.roll(ring, -1, axis=0)
    crosses = (a[:, 1] > y) != (b[:, 1] > y)
    with np.errstate(divide="ignore", invalid="ignore"):
        at = a[:, 0] + (y - a[:, 1]) / (b[:, 1] - a[:, 1]) * (b[:, 0] - a[:, 0])
    return bool(np.sum(crosses & (x < at)) % 2)


def shape(rings):
    """Give points, triangles and edges of a glyph: outer rings with the holes in them, counter-clockwise."""
    depth = [sum(inside(ring[0], other) for other in rings if other is not ring) for ring in rings]
    points, triangles, edges, count = [], [], [], 0
    for ring, deep in zip(rings, depth, strict=True):
        if deep % 2:
            continue
        holes = [r for r, d in zip(rings, depth, strict=True) if d == deep + 1 and inside(r[0], ring)]
        group = [ring if area(ring) > 0 else ring[::-1], *(hole if area(hole) < 0 else hole[::-1] for hole in holes)]
        flat = np.concatenate(group)
        ends = np.cumsum([len(part) for part in group]).astype(np.uint32)
        triangles.append(mapbox_earcut.triangulate_float64(flat, ends).reshape(-1, 3) + count)
        start = count
        for part in group:
            order = start + np.arange(len(part))
            edges.append(np.stack([order, np.roll(order, -1)], axis=1))
            start += len(part)
        points.append(flat)
        count += len(flat)
    empty = np.zeros((0, 3), dtype=int)
    found = np.concatenate(points) if points else np.zeros((0, 2))
    faces = np.concatenate(triangles).astype(int) if triangles else empty
    if len(faces):
        a, b, c = (found[faces[:, n]] for n in range(3))
        turned = (b - a)[:, 0] * (c - a)[:, 1] - (b - a)[:, 1] * (c - a)[:, 0] < 0
        faces[turned] = faces[turned][:, ::-1]
    return found, faces, np.concatenate(edges) if edges else empty[:, :2]


def always_other(source):
    """Give the glyphs that stand in for others in every text: OpenType's 'rvrn', which nobody can turn off."""
    table = source["GSUB"].table
    places = [
        place
        for record in table.FeatureList.FeatureRecord
        if record.FeatureTag == "rvrn"
        for place in record.Feature.LookupListIndex
    ]
    others = {}
    for place in places:
        for part in table.LookupList.Lookup[place].SubTable:
            others |= getattr(getattr(part, "ExtSubTable", part), "mapping", {})
    return others


def main() -> None:
    out = {}
    for font, (family, weight) in FONTS.items():
        source = TTFont(ROOT / f"node_modules/@fontsource/{family}/files/{family}-latin-{weight}-normal.woff2")
        removeOverlaps(source)  # strokes of a letter may lie over each other, which no triangulation is made for
        glyphs, em, others = source.getGlyphSet(), source["head"].unitsPerEm, always_other(source)
        cmap = {code: others.get(glyph, glyph) for code, glyph in source.getBestCmap().items()}
        letters = [letter for letter in LETTERS if ord(letter) in cmap]
        shapes = [shape(contours(glyphs, cmap[ord(letter)])) for letter in letters]
        out[f"{font}_letters"] = np.array([ord(letter) for letter in letters], dtype=np.uint32)
        out[f"{font}_widths"] = np.array([glyphs[cmap[ord(letter)]].width / em for letter in letters], dtype=np.float32)
        for place, name in enumerate(("points", "triangles", "edges")):
            parts = [item[place] for item in shapes]
            out[f"{font}_{name}_ends"] = np.cumsum([len(part) for part in parts]).astype(np.uint32)
            whole = np.concatenate(parts)
            out[f"{font}_{name}"] = (whole / em).astype(np.float32) if name == "points" else whole.astype(np.uint16)
    np.savez_compressed(OUT, **out)
    print(f"{OUT.relative_to(ROOT)}: {OUT.stat().st_size:,} bytes")


if __name__ == "__main__":
    main()
