"""Draw the derivation graph of the demo project as docs/graph.svg, from its files to its curves."""

from __future__ import annotations

from collections import Counter
from pathlib import Path
from xml.sax.saxutils import escape

from fern_tide.core.derivation.graph import Graph
from fern_tide.core.derivation.node import Kind, Node, below
from fern_tide.demo.project import demo_project

OUT = Path(__file__).parent.parent / "docs/graph.svg"
KINDS = (Kind.MEDIA, Kind.FEATURE, Kind.READING, Kind.LEVEL, Kind.CONTEXT, Kind.LIFT, Kind.CURVE)
COLOURS = {
    Kind.MEDIA: "#d9cfb8",
    Kind.FEATURE: "#d5e6ec",
    Kind.READING: "#d5e6ec",
    Kind.LEVEL: "#a9cbd8",
    Kind.CONTEXT: "#efe3c4",
    Kind.LIFT: "#dfe9d2",
    Kind.CURVE: "#b6d19a",
}
FONT = 'font-family="sans-serif" font-size="11"'
WIDE, TALL, ACROSS, DOWN, HEAD = 168, 22, 218, 30, 40


def words(node: Node, count: int) -> str:
    """Name a node shortly: a feature by its kind, everything else as people call it; and how many are the same."""
    if node.kind is Kind.FEATURE:
        feature = node.facts["feature"]
        more = [str(feature[key]) for key in ("channel", "window", "part", "detector") if feature.get(key)]
        return f"{feature['kind']} {' '.join(more)}"
    name = "what steps know" if node.kind is Kind.CONTEXT else node.name or node.id
    return name if count == 1 or node.kind is Kind.CONTEXT else f"{name[:18]} +{count - 1} alike"


def drawn(every: list[Node]) -> str:
    """Lay nodes out in columns by kind, in the order of their inputs, and draw them with their edges.

    Nodes of one fingerprint are worked out once, so they are one here.
    """
    counts = Counter(node.fingerprint for node in every)
    nodes = list({node.fingerprint: node for node in reversed(every)}.values())[::-1]
    at: dict[str, tuple[float, float]] = {}
    most = max(sum(node.kind is kind for node in nodes) for kind in KINDS)
    for place, kind in enumerate(KINDS):
        column = [node for node in nodes if node.kind is kind]
        wanted = {node.fingerprint: _middle(node, at, k) for k, node in enumerate(column)}
        top = HEAD + (most - len(column)) * DOWN / 2
        for row, node in enumerate(sorted(column, key=lambda node: wanted[node.fingerprint])):
            at[node.fingerprint] = (12 + place * ACROSS, top + row * DOWN)
    width = 24 + (len(KINDS) - 1) * ACROSS + WIDE
    height = max(y for _, y in at.values()) + DOWN + 8
    lines = [
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {width} {height:g}" {FONT}>',
        f'<rect width="{width}" height="{height:g}" fill="#fffdf6"/>',
    ]
    for place, kind in enumerate(KINDS):
        lines.append(f'<text x="{12 + place * ACROSS}" y="24" font-weight="bold" fill="#22332c">{kind}</text>')
    for node in nodes:
        x, y = at[node.fingerprint]
        for made_of in node.inputs:
            x0, y0 = at[made_of.fingerprint]
            x0, y0, y1 = x0 + WIDE, y0 + TALL / 2, y + TALL / 2
            way = f"M{x0:g} {y0:g}C{x0 + 30:g} {y0:g} {x - 30:g} {y1:g} {x:g} {y1:g}"
            lines.append(f'<path d="{way}" fill="none" stroke="#8a9a86" stroke-width="0.8"/>')
    for node in nodes:
        x, y = at[node.fingerprint]
        box = f'x="{x:g}" y="{y:g}" width="{WIDE}" height="{TALL}" rx="5" fill="{COLOURS[node.kind]}"'
        text = escape(words(node, counts[node.fingerprint])[:28])
        lines.append(f'<rect {box}/><text x="{x + 7:g}" y="{y + 15:g}" fill="#22332c">{text}</text>')
    return "\n".join([*lines, "</svg>"]) + "\n"


def _middle(node: Node, at: dict[str, tuple[float, float]], place: int) -> float:
    above = [at[item.fingerprint][1] for item in node.inputs if item.fingerprint in at]
    return sum(above) / len(above) if above else HEAD + place * DOWN


def graph_svg() -> str:
    """Give the drawing."""
    return drawn([node for node in below(Graph(demo_project()).curves.values()) if node.kind in KINDS])


if __name__ == "__main__":
    OUT.write_text(graph_svg())
