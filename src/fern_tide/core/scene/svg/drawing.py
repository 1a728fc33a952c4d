"""An SVG file that was read: its text and its elements."""

from __future__ import annotations

from dataclasses import dataclass, field

from fern_tide.core.base.errors import UnreadableScene

_REMEDY = "Save it again as plain SVG, or choose another file."


@dataclass
class Node:
    """An SVG element that stayed.

    Attributes:
        index: its place among all that stayed, in document order.
        tag: its name.
        parent: its parent's index, or -1.
        attributes: by name; an xlink:href is called href.
        start: where it begins in the text.
        end: where it ends.
        head: where its start tag ends in the text: where the first child goes; of a tag that closes itself, its '/>'.
        closed: whether its start tag closes itself.
        name: the raw name, with its prefix.
        text: what it says, for text, titles and styles.
        children: the indices of its children.
    """

    index: int
    tag: str
    parent: int
    attributes: dict[str, str]
    start: int = 0
    end: int = 0
    head: int = 0
    closed: bool = False
    name: str = ""
    text: str = ""
    label: str = ""
    tail: str = ""
    children: list[int] = field(default_factory=list)


@dataclass(frozen=True)
class Drawing:
    """A safe SVG file.

    Attributes:
        text: its UTF-8 bytes: what came in but for what was cut out.
        nodes: its elements in document order; the first is the svg element.
        notes: what was cut out, in words.
    """

    text: bytes
    nodes: tuple[Node, ...]
    notes: tuple[str, ...]


def refuse(why: str) -> UnreadableScene:
    """Make the error for a file that is not taken."""
    return UnreadableScene(f"The SVG file cannot be used: {why}.", remedy=_REMEDY)


def named(node: Node) -> str:
    """Give what a file calls an element, or ''."""
    attributes = node.attributes
    return (attributes.get("data-name") or node.label or attributes.get("id") or "").strip()[:120]
