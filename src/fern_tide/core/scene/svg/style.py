"""What style sheets and style attributes of an SVG file say about each element, as plain attributes.

Read are type, class, id and '*' selectors, one inside another, in lists; what else a selector may say is noted.
Order and specificity are those of CSS 2.1, section 6.4.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

from fern_tide.core.scene.svg.allowed import SvgLimits, listed, without_comments
from fern_tide.core.scene.svg.drawing import Drawing, Node, refuse

PRESENTATION = listed(
    """
    alignment-baseline baseline-shift clip-path clip-rule color color-interpolation color-interpolation-filters
    cursor direction display dominant-baseline fill fill-opacity fill-rule filter flood-color flood-opacity
    font-family font-size font-size-adjust font-stretch font-style font-variant font-weight image-rendering
    letter-spacing lighting-color marker-end marker-mid marker-start mask mask-type opacity overflow paint-order
    shape-rendering stop-color stop-opacity stroke stroke-dasharray stroke-dashoffset stroke-linecap
    stroke-linejoin stroke-miterlimit stroke-opacity stroke-width text-anchor text-decoration text-rendering
    unicode-bidi vector-effect visibility word-spacing writing-mode transform
    """
)
INHERITED = listed(
    """
    color fill fill-opacity stroke stroke-width stroke-opacity stroke-dashoffset font-size letter-spacing
    font-family font-weight text-anchor
    """
)
_COMPOUND = re.compile(r"^(\*|[A-Za-z][\w\-]*)?((?:[.#][\w\-]+)*)$")
_PIECE = re.compile(r"[.#][\w\-]+")


@dataclass(frozen=True)
class _Compound:
    """Such as 'path.leaf#tip'."""

    tag: str
    classes: frozenset[str]
    id: str

    def fits(self, node: Node) -> bool:
        attributes = node.attributes
        return (
            (not self.tag or self.tag == node.tag)
            and (not self.id or attributes.get("id") == self.id)
            and (not self.classes or self.classes <= set(attributes.get("class", "").split()))
        )


@dataclass(frozen=True)
class _Rule:
    chain: tuple[_Compound, ...]
    declarations: tuple[tuple[str, str, bool], ...]
    weight: tuple[int, int, int, int]


def declarations(text: str) -> tuple[tuple[str, str, bool], ...]:
    """Read 'fill: red; opacity: .5 !important' as names, values and whether they are important."""
    pairs = []
    for part in without_comments(text).split(";"):
        name, colon, value = part.partition(":")
        value, bang, _ = value.partition("!")
        if colon and value.strip():
            pairs.append((name.strip().lower(), value.strip(), bool(bang)))
    return tuple(pairs)


def _rules(sheets: Sequence[str]) -> list[_Rule]:
    rules: list[_Rule] = []
    for sheet in sheets:
        for block in without_comments(sheet).replace("<!--", "").replace("-->", "").split("}")[:-1]:
            head, _, body = block.rpartition("{")
            pairs, selectors = declarations(body), head.rpartition("{")[2]
            for selector in selectors.split(","):
                chain = _chain(selector)
                if chain:
                    ids = sum(bool(item.id) for item in chain)
                    classes = sum(len(item.classes) for item in chain)
                    rules.append(_Rule(chain, pairs, (ids, classes, sum(bool(i.tag) for i in chain), len(rules))))
    return sorted(rules, key=lambda rule: rule.weight)


def _chain(selector: str) -> tuple[_Compound, ...]:
    """Read a selector; an empty chain for one that is not understood."""
    chain = []
    for word in selector.split():
        match = _COMPOUND.match(word)
        if match is None:
            return ()
        pieces = _PIECE.findall(match[2])
        tag = match[1] or ""
        ids = [piece[1:] for piece in pieces if piece[0] == "#"]
        classes = frozenset(piece[1:] for piece in pieces if piece[0] == ".")
        chain.append(_Compound("" if tag == "*" else tag, classes, ids[0] if ids else ""))
    return tuple(chain)


def styled(drawing: Drawing) -> tuple[dict[str, str], ...]:
    """Give each element's attributes with what the styles say written into them; 'style' and 'class' are gone.

    What no attribute can say, such as a blend mode, is in the attribute 'data-css'.
    """
    nodes = drawing.nodes
    rules = _rules([node.text for node in nodes if node.tag == "style"])
    simple: dict[str, list[_Rule]] = {}
    for rule in rules:
        last = rule.chain[-1]
        key = f"#{last.id}" if last.id else f".{min(last.classes)}" if last.classes else last.tag
        simple.setdefault(key, []).append(rule)
    if sum(len(simple.get(key, ())) for node in nodes for key in _keys(node)) > SvgLimits.styles:
        raise refuse("its style sheets say more than can be worked out")
    return tuple(_written(node, nodes, simple) for node in nodes)


def _keys(node: Node) -> list[str]:
    """Under which keys the rules are that an element may fit."""
    classes = [f".{name}" for name in node.attributes.get("class", "").split()]
    return ["", node.tag, f"#{node.attributes.get('id', '')}", *classes]


def _written(node: Node, nodes: Sequence[Node], rules: dict[str, list[_Rule]]) -> dict[str, str]:
    attributes = {name: value for name, value in node.attributes.items() if name not in {"style", "class"}}
    own_style = node.attributes.get("style", "")
    if not rules and not own_style:
        return attributes
    fitting = sorted(
        {id(rule): rule for key in _keys(node) for rule in rules.get(key, ()) if _applies(rule, node, nodes)}.values(),
        key=lambda rule: rule.weight,
    )
    pairs = [item for rule in fitting for item in rule.declarations] + list(declarations(own_style))
    rest: dict[str, str] = {}
    for important in (False, True):
        for name, value, bang in pairs:
            if bang is important:
                (attributes if name in PRESENTATION else rest)[name] = value
    if rest:
        attributes["data-css"] = ";".join(f"{name}:{value}" for name, value in rest.items())
    return attributes


def _applies(rule: _Rule, node: Node, nodes: Sequence[Node]) -> bool:
    if not rule.chain[-1].fits(node):
        return False
    wanted, at = len(rule.chain) - 2, node.parent
    while wanted >= 0 and at >= 0:
        wanted -= rule.chain[wanted].fits(nodes[at])
        at = nodes[at].parent
    return wanted < 0


def computed(attributes: Sequence[dict[str, str]], nodes: Sequence[Node]) -> tuple[dict[str, str], ...]:
    """Give what each element has or inherits of the properties that are passed on."""
    styles: list[dict[str, str]] = []
    for node, own in zip(nodes, attributes, strict=True):
        above = styles[node.parent] if node.parent >= 0 else {}
        mine = {**above, **{name: own[name] for name in INHERITED & own.keys() if own[name] != "inherit"}}
        styles.append(above if mine == above else mine)
    return tuple(styles)
