"""Animated SVG: the 2D scene with its motion inside, as SMIL, playing by itself in a browser.

A scene that is one SVG file that was brought in, and no more, comes back letter for letter, with the animations added
into its elements. Any other scene is drawn whole.
"""

from __future__ import annotations

import xml.etree.ElementTree as ET
from collections.abc import Iterable, Mapping

import numpy as np
from defusedxml import ElementTree as SafeET

from fern_tide.core.bake.curve import Curve
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Target
from fern_tide.core.formats.format import Format, HandOff, KeyParams
from fern_tide.core.formats.shaped import read_amounts, shaped_parts
from fern_tide.core.formats.smil import (
    MARK,
    PIECES,
    Clock,
    Link,
    animate,
    animate_outline,
    animate_path,
    animate_transform,
    chain,
    keyed,
    read_colour,
    values_in,
)
from fern_tide.core.formats.svg_outlines import (
    insertions,
    outline_animations,
    read_levels,
    read_points,
)
from fern_tide.core.scene.drawing import TRANSFORMS, bindings, draw, level_names
from fern_tide.core.scene.outlines import OUTLINE
from fern_tide.core.scene.scene import Part, Scene
from fern_tide.core.scene.svg.allowed import SVG
from fern_tide.core.scene.svg.geometry import number
from fern_tide.core.scene.svg.parts import Sheet, values_of
from fern_tide.core.scene.svg.picture import PLACE_NAMES, driven_names, silenced_nodes


class SvgParams(KeyParams):
    """How curves become keys; cubic ones are written as straight lines, a key every frame."""


def encode(hand_off: HandOff, params: SvgParams) -> bytes:
    """Write the scene at its first frame with an animation in every element that moves."""
    if params.interpolation == "cubic":
        params = SvgParams()
    clock = Clock(hand_off.n_frames, float(hand_off.rate.duration_s(hand_off.n_frames)), params)
    if root := returned_file(hand_off):
        return _returned(hand_off, root, clock)
    return _drawn(hand_off, clock)


def returned_file(hand_off: HandOff) -> Part | None:
    """Give the part of the SVG file that a scene comes back as; None where it is drawn whole.

    It is all that is seen, and nothing of it itself is other than it came, but for its shapers.
    """
    roots = [part for part in hand_off.scene.parts if part.parent is None and part.kind.looks]
    if len(roots) != 1 or roots[0].kind.in_file != "file":
        return None
    changed = {*roots[0].values, *hand_off.by_part.get(roots[0].id, ())}
    return None if changed - {item.id for item in roots[0].shaped} else roots[0]


# --- the file that came in, with animations


def _returned(hand_off: HandOff, root: Part, clock: Clock) -> bytes:
    """Put animations into the text of a file, and take out its own where they are switched off; no more is touched."""
    sheet = hand_off.media.sheets[hand_off.scene.file(root.file).media]
    inserted = {
        part.file_index: [*_statics(part, sheet), *_element_animations(part, hand_off, clock)]
        for part in _inside(hand_off.scene, root)
    }
    hand_off.progress(len(hand_off.by_part.get(root.id, ())))
    outlined = outline_animations(hand_off, clock)
    for index, animation in outlined.items():
        inserted.setdefault(index, []).append(animation)
    cuts = insertions(sheet.drawing, inserted, outlined)
    cuts += [
        (sheet.drawing.nodes[index].start, sheet.drawing.nodes[index].end, b"") for index in _silent(hand_off, root)
    ]
    pieces, at = [], 0
    for start, end, markup in sorted(cuts):
        pieces += [sheet.drawing.text[at:start], markup]
        at = end
    return b"".join([*pieces, sheet.drawing.text[at:]])


def _silent(hand_off: HandOff, root: Part) -> frozenset[int]:
    """List the animations of its own that a file does not come back with."""
    file = hand_off.scene.file(root.file)
    inside = ((part, hand_off.scene.gatherings(part)) for part in _inside(hand_off.scene, root))
    driven = driven_names(inside, {part: curves.keys() for part, curves in hand_off.by_part.items()})
    outlined = [node for shaped in shaped_parts(hand_off).values() for node in shaped.outlines]
    return silenced_nodes(hand_off.media.sheets[file.media], plays=file.plays, driven=driven, outlined=outlined)


def _inside(scene: Scene, root: Part) -> list[Part]:
    """List the elements of a file."""
    return [part for part in scene.branch(root.id) if part.kind.in_file == "element"]


def _statics(part: Part, sheet: Sheet) -> Iterable[ET.Element]:
    """Set what was changed by hand and does not move."""
    before = values_of(sheet, part)
    for binding in bindings(part):
        now = part.own(binding.property)
        if now != before.get(binding.property):
            text = now if isinstance(now, str) else number(now)
            yield ET.Element(
                "set", {"id": f"{MARK}{part.id}-{binding.property}", "attributeName": binding.attribute, "to": text}
            )


def _element_animations(part: Part, hand_off: HandOff, clock: Clock) -> list[ET.Element]:
    """Write the animations of an element that was brought in."""
    curves = hand_off.by_part.get(part.id, {})
    hand_off.progress(len(curves))
    animations = [
        animate(curves[binding.property], binding.attribute, clock)
        for binding in bindings(part)
        if binding.property in curves
    ]
    if links := _chained(part, hand_off):
        base = str(getattr(part.shape.params, "base", ""))
        animations += chain([_link(item, hand_off) for item in links], base=base, clock=clock)
    return animations


def _chained(part: Part, hand_off: HandOff) -> list[Part]:
    """List what places an element: what it was put together in, and itself, where they move or stand elsewhere."""
    return [item for item in (*hand_off.scene.gatherings(part), part) if part.has("x") and _moves(item, hand_off)]


def _is_driven(part: Part, hand_off: HandOff) -> bool:
    return any(item.id in hand_off.by_part for item in (part, *hand_off.scene.gatherings(part)))


def _moves(part: Part, hand_off: HandOff) -> bool:
    """Say whether a part's place moves, or is another than its file says."""
    curves = hand_off.by_part.get(part.id, {})
    return any(name in curves or part.own(name) != part.property(name).default for name in PLACE_NAMES)


def _link(part: Part, hand_off: HandOff) -> Link:
    return Link(hand_off.rows(part, PLACE_NAMES), (part.anchor.x, part.anchor.y))


# --- a scene that is drawn whole


def _drawn(hand_off: HandOff, clock: Clock) -> bytes:
    def dress(part_id: str, slot: str, element: ET.Element) -> None:
        part, curves = hand_off.scene.part(part_id), hand_off.by_part.get(part_id, {})
        if slot.startswith(OUTLINE):
            if not shaped[part_id].is_still:
                outline = shaped[part_id].outlines[int(slot.removeprefix(OUTLINE))]
                element.append(animate_outline(outline, outline_keys[part_id], clock))
            return
        if part.kind.in_file == "element":
            element.extend(_element_animations(part, hand_off, clock) if _is_driven(part, hand_off) else ())
            return
        hand_off.progress(len(curves) if slot == "own" else 0)
        verb, *names = TRANSFORMS.get(slot, ("",))
        if any(name in curves for name in names):
            rows = np.stack(list(hand_off.rows(part, names).values()))
            if slot == "move":
                rows = rows + np.array([[part.anchor.x], [part.anchor.y]])
            element.append(animate_transform(rows, verb, clock))
        for binding in bindings(part):
            if binding.slot == slot and binding.property in curves:
                element.append(animate(curves[binding.property], binding.attribute, clock))
        names = level_names(part) if slot == "own" else []
        if any(name in curves for name in names):
            levels = np.stack(list(hand_off.rows(part, names).values()))
            element.append(animate_path(part, levels, clock))

    shaped = shaped_parts(hand_off)
    outline_keys = {part_id: keyed(one.seen, clock) for part_id, one in shaped.items()}
    first = {curve.target: curve.at(0) for curve in hand_off.curves if curve.n_frames}
    root = draw(hand_off.scene, media=hand_off.media, values=first, dress=dress)
    for element in root.iter():
        if css := element.attrib.pop("data-css", None):
            element.set("style", css)
    title = ET.Element("title")
    title.text = hand_off.name
    root.insert(0, title)
    content: bytes = ET.tostring(root, encoding="utf-8", xml_declaration=True)
    return content


# --- reading back


def read_back(content: bytes, hand_off: HandOff, params: SvgParams) -> Mapping[Target, FloatArray]:
    """Read the animations of every driven property, as a browser would find them."""
    root = SafeET.fromstring(content)
    elements = _elements(root, hand_off)
    curves = read_amounts(hand_off, lambda name, outline: read_points(elements.get(name), hand_off.n_frames))
    known_levels: dict[str, FloatArray] = {}
    for curve in hand_off.curves:
        part = hand_off.scene.part(curve.target.part)
        if curve.target.property in PLACE_NAMES:
            curves[curve.target] = _read_place(part, curve, elements, hand_off)
        if curve.target.property in level_names(part):
            levels = read_levels(part, elements, hand_off.n_frames, known=known_levels)
            curves[curve.target] = levels[int(curve.target.property.removeprefix("level_"))]
        for binding in bindings(part):
            if binding.property == curve.target.property:
                element = elements.get((part.id, binding.slot))
                texts = next(
                    iter(values_in(element, "animate", attribute=binding.attribute, n_frames=hand_off.n_frames)), []
                )
                if curve.kind == "colour":
                    curves[curve.target] = np.array([read_colour(text) for text in texts]).reshape(-1, 3).T
                else:
                    curves[curve.target] = np.array([float(text) for text in texts])
    return curves


def _elements(root: ET.Element, hand_off: HandOff) -> dict[tuple[str, str], ET.Element]:
    """Find the elements of parts: by id where the scene was drawn, by their place in a file that came back."""
    only = returned_file(hand_off)
    if only is None:
        named = {element.get("id", ""): element for element in root.iter()}
        return {(name.rpartition("--")[0], name.rpartition("--")[2]): element for name, element in named.items()}
    theirs = (element for element in root.iter() if not element.get("id", "").startswith(MARK))
    elements = [element for element in theirs if isinstance(element.tag, str) and element.tag.startswith(f"{{{SVG}}}")]
    file = hand_off.scene.file(only.file)
    gone = set(_silent(hand_off, only))
    for node in hand_off.media.sheets[file.media].drawing.nodes if gone else ():
        if node.parent in gone:
            gone.add(node.index)
    left = (index for index in range(len(elements) + len(gone)) if index not in gone)
    by_index = dict(zip(left, elements, strict=True))
    numbered = {(only.id, f"n{index}"): element for index, element in by_index.items()}
    return numbered | {(part.id, "own"): by_index[part.file_index] for part in _inside(hand_off.scene, only)}


def _read_place(
    part: Part, curve: Curve, elements: Mapping[tuple[str, str], ET.Element], hand_off: HandOff
) -> FloatArray:
    name, scene = curve.target.property, hand_off.scene
    shown = next((item for item in scene.moved_with(part.id) if item.has("x")), part)
    inside = shown.kind.in_file == "element"
    before = [item.id for item in _chained(shown, hand_off)].index(part.id) * PIECES if inside else 0
    for place, (slot, (_, *names)) in enumerate(TRANSFORMS.items()):
        if name in names:
            column = names.index(name)
            shift = (part.anchor.x, part.anchor.y)[column] if slot == "move" else 0.0
            element = elements.get((shown.id, "own" if inside else slot))
            animations = values_in(element, "animateTransform", attribute="transform", n_frames=hand_off.n_frames)
            texts = animations[before + place if inside else 0] if animations else []
            return np.array([float(text.split()[column]) - shift for text in texts])
    raise AssertionError(name)


def loses(curve: Curve) -> str | None:
    """Say that numbers are rounded."""
    return "numbers to seven digits"


FORMAT = Format(
    id="svg",
    label="Animated SVG",
    help="The scene with its motion inside, plays in any browser.",
    params=SvgParams,
    extension=".svg",
    media_type="image/svg+xml",
    loses=loses,
    encode=encode,
    read_back=read_back,
    outlines=True,
    rounds_by=1e-3,
    holds_cubic=False,
    spaces=("2d",),
)
