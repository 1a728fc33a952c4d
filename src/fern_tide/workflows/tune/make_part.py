"""New parts: of a kind, in the middle of the stage, in a colour that can be seen; and copies of parts."""

from __future__ import annotations

from collections.abc import Collection, Sequence

import numpy as np

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.naming import Ids
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Target
from fern_tide.core.commands.mapping import PutMapping, RemoveMapping
from fern_tide.core.commands.project import PutEnvelope
from fern_tide.core.commands.registry import Together
from fern_tide.core.commands.scene import ArrangePart, PutPart
from fern_tide.core.commands.several import SetValues
from fern_tide.core.document import Project
from fern_tide.core.envelope.envelope import READINGS, CleanUpChoice, Envelope, ReadingChoice
from fern_tide.core.mapping.drive import Drive
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.mapping.marks import Scale, suggest_marks
from fern_tide.core.scene.arrays.field import LAYOUTS
from fern_tide.core.scene.graphic import is_level
from fern_tide.core.scene.mesh import bounds
from fern_tide.core.scene.part import Anchor, PartKind
from fern_tide.core.scene.scene import PART_KINDS, Part, PartChoice, Scene
from fern_tide.workflows.derive.levels import Levels

_FILL, _STROKE = "#d9b44a", "#f7dfa0"
_WIDTHS = {"width": 1.0, "radius": 2.0, "outer": 2.0, "r": 2.0, "rx": 2.0}  # of 2D shapes, by their fields
_FIRST = {"3d": ("sphere", {"radius": 0.1, "around": 16}), "2d": ("ellipse", {"rx": 14.0, "ry": 14.0})}
_OF_A_DROP = 0.3  # how much smaller what is thrown is
_CENTRED = {"cx": "x", "cy": "y", "mask_x": "x", "mask_y": "y"}


def new_part(scene: Scene, kind_id: str) -> PutPart:
    """Make a part of a kind.

    Raises:
        UnknownName: there is no such kind.
        InvalidParameter: it is no part of such a scene.
    """
    kind = PART_KINDS[kind_id]
    if not kind.offered or kind.space != scene.kind:
        raise InvalidParameter("kind of part", value=kind.label, allowed=f"one that a {scene.kind} stage has")
    number = 1 + sum(part.shape.id == kind_id for part in scene.parts)
    name = kind.label if number == 1 else f"{kind.label} {number}"
    draft = Part(id=Ids(part.id for part in scene.parts).make(name), name=name, shape=_shape(kind, scene))
    return PutPart(part=_placed(draft, scene))


def array_of(
    project: Project, part_ids: Sequence[str], *, name: str = "", layout: str = "line", width: float = 0.0
) -> tuple[Together, str]:
    """Make an array whose pieces are made from parts, and that stands where the first of them stood.

    Args:
        project: the document.
        part_ids: the parts; they move into the array.
        name: what it is called; '' is after the first part.
        layout: the id of how its pieces are laid out.
        width: how wide the first part stands, in metres, where its own shape does not say; 0 for what is not known.

    Returns:
        The edit, and the array's id.

    Raises:
        UnknownName: there is no such part.
        InvalidParameter: it is an array, or came with a drawing.
    """
    scene = project.scene
    parts = [scene.part(name) for name in part_ids]
    kind = next(kind for kind in PART_KINDS.values() if kind.pieces and kind.space == scene.kind)
    wrong = [part.name for part in parts if not part.kind.is_piece]
    if wrong or not parts:
        value = wrong[0] if wrong else "nothing"
        allowed = "parts that were made here and are seen, or nodes of a model, and no array"
        raise InvalidParameter("array of", value=value, allowed=allowed)
    first = parts[0]
    name = name or f"Array of {first.name}"[:120]
    driven = {drive.target for mapping in project.mappings for drive in mapping.drives}
    stands = _standing(first, driven)
    array = Part(
        id=Ids(part.id for part in scene.parts).make(name),
        name=name,
        parent=first.parent,
        shape=PartChoice.model_validate({"id": kind.id, "params": {"layout": {"id": layout}}}),
        values={axis: value for axis, value in stands.items() if value},
    )
    if array.has("gap"):
        array = array.but(values={**array.values, "gap": _gap(first, width)})
    commands: list[PutPart | ArrangePart | SetValues] = [PutPart(part=array)]
    for place, part in enumerate(parts):
        commands.append(ArrangePart(id=part.id, parent=array.id, place=place))
        home = {axis: float(part.own(axis)) - at for axis, at in _standing(part, driven).items()}
        commands += [SetValues(parts=(part.id,), property=axis, value=value) for axis, value in home.items()]
    return Together(words=f"Make an array of {first.name}"[:120], commands=tuple(commands)), array.id


def _standing(part: Part, driven: Collection[Target]) -> dict[str, float]:
    """Give where a part stands, by axis, where nothing drives that: a 2D part by its anchor."""
    anchor = {"x": part.anchor.x, "y": part.anchor.y} if part.kind.space == "2d" else {}
    axes = [axis for axis in "xyz" if part.has(axis) and Target(part=part.id, property=axis) not in driven]
    return {axis: float(part.own(axis)) + anchor.get(axis, 0.0) for axis in axes}


def _gap(part: Part, width: float) -> float:
    """Give a gap of a quarter of a part's width between one piece and the next."""
    wide = width
    if part.kind.solid is not None:
        low, high = bounds(part.kind.solid(part.shape.params))
        wide = float(high[0] - low[0]) * float(part.own("scale_x"))
    elif not width:
        params = part.shape.params.model_dump()
        wide = next((times * float(params[name]) for name, times in _WIDTHS.items() if params.get(name)), 0.0)
        wide *= float(part.own("scale_x")) if part.has("scale_x") else 1.0
    return round(1.25 * wide, 2) or (0.5 if part.kind.space == "3d" else 60.0)


def new_array(project: Project, *, layout: str = "line") -> tuple[Together, str]:
    """Make an array of small balls or dots, to begin with; see array_of.

    Raises:
        UnknownName: there is no such layout.
    """
    spec, (kind, size) = LAYOUTS[layout], _FIRST[project.scene.kind]
    if spec.throws is not None:
        size = {name: value * _OF_A_DROP if isinstance(value, float) else value for name, value in size.items()}
    ball = new_part(project.scene, kind).part
    ball = ball.but(shape=ball.shape.but(params=ball.shape.params.but(**size)))
    words = spec.label if spec.throws is not None else "Array"
    edit, name = array_of(PutPart(part=ball).apply(project), [ball.id], name=words, layout=layout)
    added = f"Add {'an' if words == 'Array' else 'a'} {words.lower()}"
    return edit.but(words=added, commands=(PutPart(part=ball), *edit.commands)), name


def _shape(kind: PartKind, scene: Scene) -> PartChoice:
    """Give a kind's first geometry; 2D shapes lie about the middle of the stage."""
    if scene.kind == "3d":
        return PartChoice.model_validate({"id": kind.id, "params": kind.new_params(0.0, 0.0)})
    middle = {"x": scene.width / 2, "y": scene.height / 2}
    fields = kind.params.model_fields
    params: dict[str, object] = {name: middle[axis] for name, axis in _CENTRED.items() if name in fields}
    params |= kind.new_params(middle["x"], middle["y"])
    return PartChoice.model_validate({"id": kind.id, "params": params})


def _placed(part: Part, scene: Scene) -> Part:
    """Give a part an anchor and values with which it can be seen."""
    values: dict[str, float | str] = {}
    if part.has("fill"):
        values["fill"] = _FILL
    if part.has("stroke"):
        values |= {"stroke": _STROKE, "stroke_width": 0.0}
    values |= part.kind.new_values
    if scene.kind == "2d":
        if part.kind.fading is not None:
            values |= {"reach_x": scene.width / 2, "reach_y": scene.height / 2, "reach_outer": scene.height / 3}
        return part.model_copy(
            update={"anchor": Anchor(x=scene.width / 2, y=scene.height / 2), "values": _no_defaults(part, values)}
        )
    if part.has("colour") and part.kind.solid is not None:
        values["colour"] = "#8fb0a6"
    return part.model_copy(update={"anchor": Anchor(word="base"), "values": _no_defaults(part, values)})


def _no_defaults(part: Part, values: dict[str, float | str]) -> dict[str, float | str]:
    return {name: value for name, value in values.items() if part.property(name).default != value}


def copied(scene: Scene, part_id: str, *, middle: bool = False) -> PutPart:
    """Make another one of a part, without what is inside it.

    Args:
        scene: whose.
        part_id: which.
        middle: of a picture, show only its middle, through an ellipse, so that it can move alone.

    Raises:
        InvalidParameter: the part came with a file and can be there only once, or is no picture.
    """
    part = scene.part(part_id)
    if not part.kind.is_shaped:
        raise InvalidParameter("part to copy", value=part.name, allowed="a part that was made here, or a picture")
    if middle and part.kind.middle is None:
        raise InvalidParameter("picture", value=part.name, allowed="a picture")
    name = f"{part.name}, middle"[:120] if middle else f"{part.name} copy"[:120]
    shape, anchor = part.shape, part.anchor
    if middle and part.kind.middle is not None:
        params, (x, y) = part.kind.middle(shape.params)
        shape, anchor = shape.but(params=params), Anchor(x=x, y=y)
    copy = {"id": Ids(item.id for item in scene.parts).make(name), "name": name, "shape": shape, "anchor": anchor}
    return PutPart(part=part.model_copy(update=copy))


def drawing(project: Project, part_id: str) -> list[Mapping]:
    """List the mappings that draw a sound graphic."""

    def draws(drive: Drive) -> bool:
        return drive.target.part == part_id and is_level(drive.target.property)

    return [mapping for mapping in project.mappings if any(draws(drive) for drive in mapping.drives)]


def drawn_by_sound(levels: Levels, project: Project, part_id: str, *, reading: str) -> Together:
    """Let the sound draw a sound graphic: an envelope with a row a level, and one mapping over all of them.

    Args:
        levels: reads the sound, to know where the marks go.
        project: the document.
        part_id: the graphic.
        reading: the id of one that draws.

    Raises:
        InvalidParameter: the part is no sound graphic, or there is no track that drives.
        NotAnalyzedYet: the sound is still being read.
    """
    part = project.scene.part(part_id)
    names = [item.id for item in part.properties if is_level(item.id)]
    track = next((item for item in project.tracks if item.drives), None)
    if not names:
        raise InvalidParameter("part", value=part.name, allowed="a sound graphic")
    if track is None:
        raise InvalidParameter("track", value="missing", allowed="a sound first: add one in the Sound room")
    draws = READINGS[reading].draws
    if draws is None:
        raise InvalidParameter("reading", value=reading, allowed="one that draws a sound graphic")
    words = draws.words
    envelope = Envelope(
        id=Ids(item.id for item in project.envelopes).make(f"{track.name} {words}"),
        name=f"{track.name}, {words}"[:120],
        track=track.id,
        reading=ReadingChoice.model_validate({"id": reading, "params": draws.params(len(names))}),
        clean_up=tuple(map(CleanUpChoice.parse, draws.clean_up)),
    )
    put = PutEnvelope(envelope=envelope)
    with_it = put.apply(project)
    marks = suggest_marks(np.ravel(levels.under_the_hand.cleaned(with_it, envelope)), scale=Scale.LINEAR).marks
    drives = tuple(Drive(target=Target(part=part.id, property=name), rest=0.0, full=1.0) for name in names)
    mapping = Mapping(
        id=Ids(item.id for item in project.mappings).make(part.name),
        name=f"{part.name}, {words}"[:120],
        envelope=envelope.id,
        spread=True,
        marks=marks,
        drives=drives,
    )
    gone = [RemoveMapping(id=item.id) for item in drawing(project, part.id)]
    words_of_edit = f"Let the {words} of {track.name} draw {part.name}"[:120]
    return Together(words=words_of_edit, commands=(put, *gone, PutMapping(mapping=mapping)))


def middle_of(part: Part) -> dict[str, Anchor]:
    """Give the anchors that a solid offers: its base, centre and top, in its own metres."""
    if part.kind.solid is None:
        return {}
    return anchors_of(*bounds(part.kind.solid(part.shape.params)))


def anchors_of(low: FloatArray, high: FloatArray) -> dict[str, Anchor]:
    """Give the anchors of a box: its base, centre and top, from its lower and upper corner, shape (3,) each."""
    x, z = (low[0] + high[0]) / 2, (low[2] + high[2]) / 2
    heights = {"base": low[1], "centre": (low[1] + high[1]) / 2, "top": high[1]}
    return {word: Anchor(x=float(x), y=float(y), z=float(z), word=word) for word, y in heights.items()}
