"""What the Stage shows of parts that are chosen together."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.target import Target
from fern_tide.core.document import Project
from fern_tide.core.scene.follow import Limit
from fern_tide.core.scene.order_choice import OF_PARTS
from fern_tide.core.scene.ordering import Order
from fern_tide.core.scene.properties import Property
from fern_tide.core.scene.scene import Part, Scene
from fern_tide.core.scene.selection import MOST_CHOSEN, Selection
from fern_tide.web.context import staged
from fern_tide.workflows.derive.stages import Staged
from fern_tide.workflows.tune import several
from fern_tide.workflows.tune.several import Line, Takes

NINE = tuple(
    tuple(" ".join(word for word in (y, x) if word) or "centre" for x in ("left", "", "right"))
    for y in ("top", "", "bottom")
)
IN_SPACE = ("origin", "base", "centre", "top")


@dataclass(frozen=True)
class SharedRow:
    """A property that all chosen parts have.

    Attributes:
        item: the property.
        own: the value that all of them have, or None where they differ.
        driven: how many of them something moves.
        limit: the limits of the first.
    """

    item: Property
    own: float | str | None
    driven: int
    limit: Limit | None


@dataclass(frozen=True)
class SeveralView:
    """Parts that are chosen together.

    Attributes:
        parts: in the order of the tree.
        words: what they are called: '20 bars'.
        kinds: what kinds they are of, in words.
        rows: what all of them have.
        selection: the one of these parts, where it has a name.
        line: in which order, and what each takes.
        ordered: their ids, the first first.
        places: of a 3D scene, which node each of them is, by id.
        orders: what there is to choose from.
        takes: the same, of what each takes, with words.
        anchor: the word of the anchor that all have, or ''.
        anchors: the words of anchors, in rows.
    """

    parts: Sequence[Part]
    words: str
    kinds: str
    rows: Sequence[SharedRow]
    selection: Selection | None
    line: Line
    ordered: Sequence[str]
    places: Mapping[str, int]
    orders: Sequence[Order]
    takes: Sequence[tuple[Takes, str]]
    anchor: str
    anchors: Sequence[Sequence[str]]


_TAKES = ((Takes.ROW, "a row"), (Takes.SAME, "the same"), (Takes.LATER, "later"))


def line_of(asked: Mapping[str, object]) -> Line:
    """Read how parts are put in a row from what a page says.

    Raises:
        InvalidParameter: it says something that is not possible.
    """
    order = str(asked.get("order") or Line.order)
    if order not in OF_PARTS:
        raise InvalidParameter("order", value=order, allowed=f"one of {', '.join(OF_PARTS)}")
    takes = str(asked.get("takes") or Line.takes)
    if takes not in set(Takes):
        raise InvalidParameter("takes", value=takes, allowed=f"one of {', '.join(Takes)}")
    late = _number(asked, "late", Line.late_frames, most=10_000, words="frames late")
    shares = [_number(asked, name, 1.0, most=10, words="share of the motion") for name in ("first_has", "last_has")]
    return Line(order, asked.get("backwards") in ("yes", True), Takes(takes), late, *shares)


def _number(asked: Mapping[str, object], name: str, otherwise: float, *, most: float, words: str) -> float:
    given = asked.get(name)
    text = str(otherwise if given in (None, "") else given)
    try:
        number = float(text)
    except ValueError:
        number = float("nan")
    if not -most <= number <= most:
        raise InvalidParameter(words, value=text[:40], allowed=f"from -{most:g} to {most:g}")
    return number


def parts_of(scene: Scene, asked: Sequence[str]) -> list[Part]:
    """Give the parts that a page names and that are there, in the order of the tree.

    Raises:
        InvalidParameter: there are too many.
    """
    if len(asked) > MOST_CHOSEN:
        raise InvalidParameter("parts", value=len(asked), allowed=f"at most {MOST_CHOSEN} together")
    wanted = set(asked)
    return [part for part in scene.parts if part.id in wanted] if wanted else []


def several_view(project: Project, parts: Sequence[Part], *, line: Line) -> SeveralView | None:
    """Give what is shown of parts that are chosen together; None for fewer than two."""
    if len(parts) < 2:
        return None
    ids = tuple(part.id for part in parts)
    stage = staged(project.scene)
    anchors = {part.anchor.word for part in parts}
    kinds = list(dict.fromkeys(part.kind.label for part in parts))
    return SeveralView(
        parts=parts,
        words=several.group_words(parts),
        kinds=", ".join(kinds[:3]) + (" and more" if len(kinds) > 3 else ""),
        rows=_rows(project, parts),
        selection=next((one for one in project.scene.selections if one.parts == ids), None),
        line=line,
        ordered=[part for part, _ in several.in_line(stage, ids, line=line)],
        places=_places(stage, ids),
        orders=list(OF_PARTS.values()),
        takes=_TAKES,
        anchor=next(iter(anchors)) if len(anchors) == 1 else "",
        anchors=NINE if project.scene.kind == "2d" else (IN_SPACE,),
    )


def _places(stage: Staged, ids: Sequence[str]) -> dict[str, int]:
    if stage.scene.kind == "2d":
        return {}
    nodes = {name: stage.built.places.get(name, {}).get("node", -1) for name in ids}
    return {name: node for name, node in nodes.items() if node >= 0}


def _rows(project: Project, parts: Sequence[Part]) -> list[SharedRow]:
    moved = {drive.target for mapping in project.mappings for drive in mapping.drives}
    rows = []
    for item in several.shared(parts):
        owns = {part.own(item.id) for part in parts}
        driven = sum(Target(part=part.id, property=item.id) in moved for part in parts)
        limit = project.scene.limit_of(Target(part=parts[0].id, property=item.id))
        rows.append(SharedRow(item, next(iter(owns)) if len(owns) == 1 else None, driven, limit))
    return rows
