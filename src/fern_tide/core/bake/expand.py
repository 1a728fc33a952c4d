"""Arrays as plain parts: every piece a group with a copy of what it is made from, and curves of its own.

What formats carry that know no arrays. The stage, in place of this, looks the pieces up as it shows them.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from fern_tide.core.bake.bake import Stack
from fern_tide.core.bake.curve import Curve
from fern_tide.core.bake.expand_size import check_size
from fern_tide.core.bake.pieces import ArrayMotion, motion_of, piece_values
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.naming import Ids
from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Target
from fern_tide.core.mapping.colour import colour_texts, mix_all, parse_colour
from fern_tide.core.scene.arrays.inside import PREFIX
from fern_tide.core.scene.arrays.sources import sources_of
from fern_tide.core.scene.part import Anchor
from fern_tide.core.scene.placement import anchored
from fern_tide.core.scene.properties import PLACE, PLACE_3D
from fern_tide.core.scene.rotation import matrices, quaternions
from fern_tide.core.scene.scene import Part, PartChoice, Scene


@dataclass(frozen=True)
class _Space:
    """How pieces are put down in a kind of scene."""

    group: str
    axes: tuple[str, ...]
    turns: tuple[str, ...]
    place: tuple[str, ...]
    """The properties of a group."""
    tint: str
    """The property of a part that is its colour."""


_SPACES = {
    "3d": _Space("group_3d", ("x", "y", "z"), ("turn_x", "turn_y", "turn_z"), tuple(i.id for i in PLACE_3D), "colour"),
    "2d": _Space("group", ("x", "y"), ("turn",), (*(item.id for item in PLACE), "blur"), "fill"),
}


@dataclass(frozen=True)
class Clock:
    """How long, and how fast."""

    rate: FrameRate
    n_frames: int


@dataclass(frozen=True)
class Moved:
    """What drives one property of an array's pieces: its stack, and the lifts of its drivers' mappings."""

    stack: Stack
    lifts: Sequence[FloatArray]


_SIZES = frozenset(("scale_x", "scale_y", "scale_z"))
_ANY = FrameRate.parse("30")


def expanded(
    scene: Scene, curves: Iterable[Curve], *, moved: Mapping[Target, Moved], clock: Clock
) -> tuple[Scene, tuple[Curve, ...]]:
    """Give a scene without arrays, and its curves: each piece is a group with a copy of what it is made from.

    Args:
        scene: a scene; one without arrays is given back as it is.
        curves: of all that is driven; those of pieces are what the arrays' leads do, and give way to the pieces' own.
        moved: what drives the driven properties of pieces.
        clock: of the curves.

    Raises:
        FernTideError: there would be more parts than are written out.
    """
    arrays = [part for part in scene.parts if part.kind.pieces]
    curves = tuple(curves)
    if not arrays:
        return scene, curves
    check_size(scene, curves)
    writer = _Writer(scene, curves, moved, clock)
    for part in scene.parts:
        writer.add(part)
    parts = tuple(writer.parts)
    there = {part.id for part in parts}
    return (
        scene.but(
            parts=parts,
            follows=(),
            limits=(),
            selections=tuple(item for one in scene.selections if (item := one.within(there)) is not None),
        ),
        tuple(writer.curves),
    )


class _Writer:
    def __init__(self, scene: Scene, curves: tuple[Curve, ...], moved: Mapping[Target, Moved], clock: Clock) -> None:
        self._scene, self._moved, self._clock = scene, moved, clock
        self._by_part: dict[str, list[Curve]] = {}
        for curve in curves:
            self._by_part.setdefault(curve.target.part, []).append(curve)
        self.make_id = Ids(part.id for part in scene.parts).make
        self._inside: set[str] = set()
        self.parts: list[Part] = []
        self.curves: list[Curve] = []

    def add(self, part: Part) -> None:
        """Add a part as it is, or an array as its pieces; what lies in an array comes with those."""
        if part.parent in self._inside:
            self._inside.add(part.id)
        elif part.kind.pieces:
            self._inside.add(part.id)
            self._array(part)
        else:
            self.parts.append(part)
            self.curves += self._by_part.get(part.id, ())

    def _array(self, part: Part) -> None:
        space = _SPACES[part.kind.space]
        own = {curve.target.property: curve for curve in self._by_part.get(part.id, ())}
        values = {name: value for name, value in part.values.items() if name in space.place}
        self.parts.append(_group(space, part.id, part.name, part.parent, values, part.anchor))
        self.curves += [curve for name, curve in own.items() if name in space.place]
        driven = {
            name: curve.values for name, curve in own.items() if name not in space.place and not name.startswith(PREFIX)
        }
        motion = motion_of(self._scene, part, driven, rate=self._clock.rate, n_frames=self._clock.n_frames)
        _Array(self, part, motion).write()

    def values(self, part: Part, motion: ArrayMotion, name: str) -> FloatArray | None:
        """Give the values of all pieces of a property, or None where nothing moves it."""
        moved = self._moved.get(Target(part=part.id, property=name))
        return None if moved is None else piece_values(motion, moved.stack, moved.lifts)

    def curve(self, part: Part, name: str, values: FloatArray) -> None:
        """Add a curve of a part."""
        item = part.property(name)
        target = Target(part=part.id, property=name)
        self.curves.append(Curve(target, part.name, item.label, item.unit, item.kind, np.ascontiguousarray(values)))

    def branch(self, source: Part) -> list[tuple[Part, list[Curve]]]:
        """List a part and what lies in it, each with its curves."""
        return [(item, self._by_part.get(item.id, [])) for item in self._scene.branch(source.id)]


def _group(
    space: _Space, part_id: str, name: str, parent: str | None, values: Mapping[str, float | str], anchor: Anchor
) -> Part:
    shape = PartChoice(id=space.group)
    return Part(id=part_id, name=name[:120], parent=parent, values=dict(values), anchor=anchor, shape=shape)


class _Array:
    """One array on its way to plain parts."""

    def __init__(self, writer: _Writer, part: Part, motion: ArrayMotion) -> None:
        self._writer, self._part, self._motion = writer, part, motion
        self._space = _SPACES[part.kind.space]
        self._sources = sources_of(writer._scene, part)
        self._every = np.arange(motion.pieces.n_pieces)
        thrown = motion.flights(self._every)
        self._places = motion.places(self._every) if thrown is None else thrown.places
        self._sizes = None if thrown is None else thrown.sizes
        self._shares = motion.pieces.ranks[:, np.newaxis] if thrown is None else thrown.ages
        self._turns = motion.pieces.laid.turns
        names = [item.id.removeprefix(PREFIX) for item in part.kind.properties if item.id.startswith(PREFIX)]
        self._moving = {name: writer.values(part, motion, f"{PREFIX}{name}") for name in names}
        self._own = {name: float(part.own(f"{PREFIX}{name}")) for name in names}
        self._of_group = [name for name in names if name in self._space.place]
        self._colours = self._mixed() if motion.params.coloured else None

    def _mixed(self) -> FloatArray:
        """Give the pieces' colours, shape (3, pieces, frames or 1)."""
        ends = []
        for name in ("piece_colour", "piece_last_colour"):
            values = self._writer.values(self._part, self._motion, name)
            still = np.tile(parse_colour(str(self._part.own(name)))[:, None, None], (1, len(self._every), 1))
            ends.append(still if values is None else values)
        first, last, shares = np.broadcast_arrays(*ends, self._shares)
        return mix_all(first, last, share=shares[0])

    def write(self) -> None:
        """Write all pieces."""
        for piece in self._every.tolist():
            self._piece(piece)

    def _piece(self, piece: int) -> None:
        writer, space, name = self._writer, self._space, f"{self._part.name} {piece + 1}"
        source = self._sources[self._motion.pieces.sources[piece]] if self._sources else None
        at = np.zeros(3) if source is None else anchored(source)
        place, parent = self._places[:, piece], self._part.id
        if self._turns.any():
            turn = self._turns[:, piece] if len(space.turns) == 3 else self._turns[2:, piece]
            still = self._still(place) | dict(zip(space.turns, turn.tolist(), strict=True))
            outer = _group(space, writer.make_id(name), name, parent, still, Anchor())
            writer.parts.append(outer)
            self._move(outer, place, piece=None)
            parent, place, name = outer.id, np.zeros((3, 1)), f"{name}, moving"
        sizes = None if self._sizes is None else self._sizes[piece]
        stands = place + self._stands(at, 1.0 if sizes is None else float(sizes[0]))[:, np.newaxis]
        own = np.array([[self._own.get(axis, 0.0)] for axis in "xyz"])
        still = {name: self._own[name] for name in self._of_group} | self._still(stands + own)
        if sizes is not None:
            still |= {name: still[name] * float(sizes[0]) for name in still if name in _SIZES}
        group = _group(space, writer.make_id(name), name, parent, still, Anchor(x=at[0], y=at[1], z=at[2]))
        writer.parts.append(group)
        self._move(group, stands, piece=piece)
        for item in self._of_group[len(space.axes) :]:
            moving = self._moving[item]
            values = None if moving is None else moving[piece]
            if sizes is not None and item in _SIZES and len(sizes) > 1:
                values = sizes * (self._own[item] if values is None else values)
            if values is not None:
                writer.curve(group, item, values)
        if source is not None:
            self._copy(source, group, piece)

    def _stands(self, at: FloatArray, size: float) -> FloatArray:
        """Give how far a group must be moved so that its anchor stands where the piece's does; see part.Anchor.

        In 3D a part at its own turn and scale stands where it says; in 2D its anchor does. Its size is what it is
        larger by than its own scale.
        """
        if len(self._space.axes) == 2:
            return np.zeros(3)
        turns = np.array([self._own[name] for name in self._space.turns])[:, np.newaxis]
        sizes = size * np.array([self._own[f"scale_{axis}"] for axis in "xyz"])
        return np.asarray(at - matrices(quaternions(turns))[..., 0] @ (sizes * at))

    def _still(self, place: FloatArray) -> dict[str, float]:
        return {axis: float(place[at, 0]) for at, axis in enumerate(self._space.axes)}

    def _move(self, group: Part, stands: FloatArray, *, piece: int | None) -> None:
        """Add the curves of a group's place: where its piece stands, and how the piece moves from there."""
        frames = self._writer._clock.n_frames
        for at, axis in enumerate(self._space.axes):
            moving = None if piece is None else self._moving[axis]
            if moving is None and stands.shape[1] == 1:
                continue
            own = 0.0 if piece is None else self._own[axis]
            offset = own if moving is None or piece is None else moving[piece]
            self._writer.curve(group, axis, np.broadcast_to(stands[at] + offset, (frames,)))

    def _copy(self, source: Part, group: Part, piece: int) -> None:
        """Copy what a piece is made from into its group, in the piece's colour and as see-through as it is."""
        names = {source.parent: group.id}
        for part, curves in self._writer.branch(source):
            name = f"{part.name} {piece + 1}"[:120]
            names[part.id] = self._writer.make_id(f"{part.id} {piece + 1}")
            moving = {curve.target.property: curve.values for curve in curves}
            values = dict(part.values)
            self._tint(part, piece, moving, values)
            copy = part.but(values=values).off_its_way.model_copy(
                update={"id": names[part.id], "name": name, "parent": names[part.parent]}
            )
            self._writer.parts.append(copy)
            for item, numbers in moving.items():
                if copy.has(item):
                    self._writer.curve(copy, item, numbers)

    def _tint(self, part: Part, piece: int, moving: dict[str, FloatArray], values: dict[str, float | str]) -> None:
        tint = self._space.tint
        if self._colours is not None and part.has(tint):
            colour = self._colours[:, piece]
            moving.pop(tint, None)
            values[tint] = colour_texts(colour[:, :1])[0]
            if colour.shape[1] > 1:
                moving[tint] = colour
        if not part.has("opacity") or "opacity" in self._of_group:
            return
        fading, still = self._moving["opacity"], self._own["opacity"]
        if fading is not None:
            moving["opacity"] = moving.get("opacity", float(part.own("opacity"))) * fading[piece]
        elif "opacity" in moving:
            moving["opacity"] = moving["opacity"] * still
        values["opacity"] = float(part.own("opacity")) * still


def without_motion(scene: Scene) -> Scene:
    """Give a scene whose arrays are written out as they stand at rest."""
    return expanded(scene, (), moved={}, clock=Clock(_ANY, 0))[0]
