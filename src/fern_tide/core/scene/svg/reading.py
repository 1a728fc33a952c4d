"""Reading an SVG file: what is safe stays letter for letter, the rest is cut out and said."""

from __future__ import annotations

import re
from collections import Counter
from xml.parsers import expat

from fern_tide.core.scene.svg.allowed import (
    ANIMATIONS,
    ELEMENTS,
    SVG,
    XLINK,
    SvgLimits,
    animation_is_safe,
    attribute_is_safe,
    css_is_safe,
    is_quiet,
)
from fern_tide.core.scene.svg.drawing import Drawing, Node, refuse
from fern_tide.core.scene.svg.entities import with_namespace, without_entities
from fern_tide.core.scene.svg.numbers import holds_numbers
from fern_tide.core.scene.svg.unpacking import as_utf8, unpacked

NO_NAMESPACE = "no namespace: it is read as SVG all the same"
_TAG_NAME = re.compile(rb"<([^\s/>]+)")
_ATTRIBUTE = re.compile(rb"""(?<!\s)\s++([^\s=/>"']++)\s*+=\s*+("[^"]*+"|'[^']*+')""")


def read_svg(content: bytes, *, limits: SvgLimits | None = None) -> Drawing:
    """Read an SVG or svgz file.

    Raises:
        UnreadableScene: it is no SVG, is damaged, is larger or deeper than is taken, declares entities that are not
            plain text, or repeats itself without end.
    """
    limits = limits or SvgLimits()
    source = without_entities(as_utf8(unpacked(content, most=limits.bytes)))
    source, named = with_namespace(source)
    reader = _Reader(source, limits)
    if named:
        reader.say(NO_NAMESPACE)
    drawing = reader.read()
    _check_uses(drawing.nodes, limits)
    return drawing


class _Reader:
    """Copies the source piece by piece as the parser passes over it, and leaves out what is not allowed."""

    def __init__(self, source: bytes, limits: SvgLimits) -> None:
        self._source, self._limits = source, limits
        self._out: list[bytes] = []
        self._length = 0
        self._copied = 0  # how much of the source is dealt with
        self._nodes: list[Node] = []
        self._open: list[Node | None] = []
        self._cut_depth = 0
        self._cut_end = 0  # where an element that is cut out and closes itself ends
        self._cut: Counter[str] = Counter()
        self._parser = expat.ParserCreate(namespace_separator=" ")
        self._parser.ordered_attributes = True
        self._parser.StartElementHandler = self._start
        self._parser.EndElementHandler = self._end
        self._parser.CharacterDataHandler = self._text
        self._parser.ProcessingInstructionHandler = self._instruction
        self._parser.EntityDeclHandler = self._entity
        self._parser.ExternalEntityRefHandler = self._entity
        self._parser.AttlistDeclHandler = self._default

    def say(self, note: str) -> None:
        """Say something of the file with what is cut out of it."""
        self._cut[note] += 1

    def read(self) -> Drawing:
        try:
            self._parser.Parse(self._source, True)
        except expat.ExpatError as cause:
            raise refuse(f"line {cause.lineno} is no XML") from cause
        except (RecursionError, MemoryError) as cause:
            raise refuse("it is nested too deeply") from cause
        if not self._nodes or self._nodes[0].tag != "svg":
            raise refuse("it holds no svg element")
        self._copy(len(self._source))
        notes = tuple(f"{count} {what}" if count > 1 else what for what, count in self._cut.items())
        return Drawing(b"".join(self._out), tuple(self._nodes), notes)

    # --- the parser's calls

    def _start(self, name: str, flat: list[str]) -> None:
        at = self._parser.CurrentByteIndex
        self._open.append(None)
        if len(self._open) > self._limits.depth:
            raise refuse(f"it is nested deeper than {self._limits.depth}")
        if self._cut_depth:
            self._cut_depth += 1
            return
        namespace, _, tag = name.rpartition(" ")
        pairs = list(zip(flat[::2], flat[1::2], strict=True))
        if any(len(value) > self._limits.attribute for _, value in pairs):
            raise refuse(f"an attribute is longer than {self._limits.attribute:,} letters")
        why = self._why_not(namespace, tag, pairs)
        if why is not None:
            self._cut[why] += 1
            self._copy(at)
            self._cut_depth = 1
            end = self._tag_end(at)
            self._cut_end = end if self._source[end - 2 : end] == b"/>" else 0
            return
        if namespace == SVG:
            self._keep(at, tag, pairs)

    def _why_not(self, namespace: str, tag: str, pairs: list[tuple[str, str]]) -> str | None:
        """Say why an element is cut out, or None."""
        if namespace == SVG:
            if self._open[-2:-1] and (above := self._open[-2]) is not None and above.tag == "style":
                return "element inside a style"
            if tag not in ELEMENTS:
                return f"element named {tag:.40}"
            if tag in ANIMATIONS and not animation_is_safe(dict(pairs)):
                return "animation of a link or handler"
            if not self._nodes and tag != "svg":
                raise refuse("it holds no svg element")
            return None
        if not self._nodes:
            raise refuse("it holds no svg element")
        return None if is_quiet(namespace) else "element that is no SVG"

    def _keep(self, at: int, tag: str, pairs: list[tuple[str, str]]) -> None:
        if len(self._nodes) >= self._limits.elements:
            raise refuse(f"it has more than {self._limits.elements:,} elements")
        end = self._tag_end(at)
        raw = self._source[at:end]
        attributes: dict[str, str] = {}
        unsafe: set[int] = set()
        for place, (full, value) in enumerate(pairs):
            space, _, name = full.rpartition(" ")
            if not attribute_is_safe(name, value, tag=tag, namespace=space):
                unsafe.add(place)
                self._cut["link to outside" if name.lower() == "href" else f"attribute {name:.40}"] += 1
            elif not space and not holds_numbers(tag, name, value):
                unsafe.add(place)
                self._cut[f"{name:.40} that is no number"] += 1
            elif not space:
                attributes[name] = value
            elif space == XLINK:
                attributes.setdefault(name, value)  # SVG 2, 16.1.6: a plain href wins, wherever it stands
            elif name == "label":
                attributes.setdefault("data-name", value)
        self._copy(at)
        start = self._length
        head = _without(raw, unsafe) if unsafe else raw
        self._emit(head)
        self._copied = end
        closed = raw.endswith(b"/>")
        node = Node(
            index=len(self._nodes),
            tag=tag,
            parent=next((item.index for item in reversed(self._open) if item is not None), -1),
            attributes=attributes,
            start=start,
            end=self._length,
            head=self._length - (2 if closed else 0),
            closed=closed,
            name=_TAG_NAME.findall(raw)[0].decode(),
        )
        if node.parent >= 0:
            self._nodes[node.parent].children.append(node.index)
        self._nodes.append(node)
        self._open[-1] = node

    def _end(self, name: str) -> None:
        node = self._open.pop()
        if self._cut_depth:
            self._cut_depth -= 1
            if not self._cut_depth:
                self._copied = self._cut_end or self._tag_end(self._parser.CurrentByteIndex)
            return
        if node is not None and node.tag == "style" and not css_is_safe(node.text):
            self._cut["style that fetches something"] += 1
            self._blank(node)
        if node is not None and not node.closed:
            self._copy(self._tag_end(self._parser.CurrentByteIndex))
            node.end = self._length
        if node is not None and node.tag in {"title", "desc"} and node.parent >= 0 and node.tag == "title":
            self._nodes[node.parent].label = node.text.strip()

    def _blank(self, node: Node) -> None:
        """Leave out what a style element says, with what of it is copied already."""
        node.text = ""
        while self._length > node.head:
            self._length -= len(self._out.pop())
        self._copied = self._parser.CurrentByteIndex

    def _text(self, text: str) -> None:
        node = self._open[-1] if self._open else None
        if node is None or self._cut_depth:
            return
        if node.children and node.tag in {"text", "tspan", "textPath", "a"}:
            self._nodes[node.children[-1]].tail += text
        else:
            node.text += text
            if len(node.text) > self._limits.attribute:
                raise refuse(f"a text is longer than {self._limits.attribute:,} letters")

    def _instruction(self, target: str, data: str) -> None:
        if self._cut_depth:
            return
        at = self._parser.CurrentByteIndex
        self._copy(at)
        self._copied = self._source.index(b"?>", at) + 2
        self._cut[f"instruction {target:.40}"] += 1

    def _entity(self, *_: object) -> int:
        raise refuse("it declares entities that are not plain text, which are never followed")

    def _default(self, element: str, attribute: str, kind: str, default: str | None, required: int) -> None:
        if default is not None and not attribute.startswith("xmlns"):
            raise refuse("it declares attributes that its elements do not have")

    # --- copying

    def _copy(self, until: int) -> None:
        if until > self._copied:
            self._emit(self._source[self._copied : until])
            self._copied = until

    def _emit(self, piece: bytes) -> None:
        self._out.append(piece)
        self._length += len(piece)

    def _tag_end(self, at: int) -> int:
        """Find where the tag that starts here ends; a '>' inside quotes does not end it."""
        source, quote = self._source, 0
        while True:
            letter = source[at]
            if quote:
                at = source.index(quote, at)
                quote = 0
            elif letter in b"\"'":
                quote = letter
            elif letter == 62:
                return at + 1
            at += 1


def _without(raw: bytes, places: set[int]) -> bytes:
    """Give a start tag without some of its attributes; namespace declarations are not counted."""
    counted = -1

    def keep(match: re.Match[bytes]) -> bytes:
        nonlocal counted
        name = match[1]
        if name == b"xmlns" or name.startswith(b"xmlns:"):
            return match[0]
        counted += 1
        return b"" if counted in places else match[0]

    return _ATTRIBUTE.sub(keep, raw)


def _check_uses(nodes: tuple[Node, ...], limits: SvgLimits) -> None:
    """Refuse a file whose 'use' elements go round in a circle or multiply beyond what can be drawn."""
    by_id = {node.attributes["id"]: node for node in nodes if "id" in node.attributes}
    sizes: dict[int, int] = {}
    on_the_way: set[int] = set()
    stack: list[tuple[int, bool]] = [(0, False)]
    while stack:
        index, done = stack.pop()
        node = nodes[index]
        links = list(node.children)
        if node.tag == "use" and (target := by_id.get(node.attributes.get("href", "")[1:])) is not None:
            links.append(target.index)
        if done:
            on_the_way.discard(index)
            sizes[index] = min(10**12, 1 + sum(sizes[link] for link in links))
            continue
        if index in sizes:
            continue
        on_the_way.add(index)
        stack.append((index, True))
        for link in links:
            if link in on_the_way:
                raise refuse("a 'use' element repeats itself without end")
            stack.append((link, False))
    if sizes.get(0, 0) > limits.shown:
        raise refuse(f"its 'use' elements would draw {sizes[0]:,} shapes")
