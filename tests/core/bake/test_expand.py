"""Arrays written out piece by piece: where each piece stands and how it moves, against the formula of its matrix."""

import numpy as np
import pytest

from fern_tide.core.bake.bake import stack_of
from fern_tide.core.bake.curve import Curve
from fern_tide.core.bake.expand import Clock, Moved, expanded, without_motion
from fern_tide.core.bake.expand_size import MOST_EXPANDED, n_expanded
from fern_tide.core.bake.pieces import ArrayMotion, piece_values
from fern_tide.core.base.errors import FernTideError
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.target import Target
from fern_tide.core.formats.format import HandOff, write
from fern_tide.core.formats.registry import FORMATS
from fern_tide.core.mapping.colour import mix_colours
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.scene.drawing import draw
from fern_tide.core.scene.rotation import matrices, quaternions
from fern_tide.core.scene.scene import Part, Scene
from fern_tide.core.scene.svg.geometry import matrix_of

RATE, FRAMES = FrameRate.parse("30"), 12
RNG = np.random.default_rng(3)


def part(name, kind, *, parent=None, anchor=None, params=None, values=None):
    shape = {"id": kind, "params": params or {}}
    plain = {"id": name, "name": name.title(), "parent": parent, "shape": shape, "values": values or {}}
    return Part.model_validate(plain | ({"anchor": anchor} if anchor else {}))


def scene(params, *, values=None, sources=None):
    sources = sources or [part("bead", "box", parent="row", anchor={"y": 0.5}, values={"y": 0.25, "turn_z": 90.0})]
    return Scene(name="s", kind="3d", parts=(part("row", "array_3d", params=params, values=values), *sources))


def driven(scene, name, rest, full, lift, *, spread=False):
    drive = {"target": f"row:{name}", "rest": rest, "full": full}
    marks = {"low": 0.0, "high": 1.0}
    plain = {"id": "m", "name": "m", "envelope": "low", "marks": marks, "spread": spread, "drives": [drive]}
    mapping = Mapping.model_validate(plain)
    target = Target(part="row", property=name)
    return target, Moved(stack_of(scene, target, [(mapping, mapping.drives[0])]), [lift])


def written(scene, *moves, curves=()):
    moved = dict(moves)
    leads = [one.stack.curve(one.stack.values(one.lifts, sources=(), n_frames=FRAMES)) for one in moved.values()]
    return expanded(scene, (*leads, *curves), moved=moved, clock=Clock(RATE, FRAMES))


def world(scene, curves, part_id, frame, *, of):
    """Give the matrix of a part in the world at a frame, as the formats place a node."""
    by = {(c.target.part, c.target.property): c.values for c in curves}
    item = scene.part(part_id)

    def value(name, moving=True):
        values = by.get((part_id, name)) if moving else None
        return float(item.own(name)) if values is None else float(values[frame])

    def turned(moving):
        turn = np.array([[value(f"turn_{axis}", moving)] for axis in "xyz"])
        size = np.diag([value(f"scale_{axis}", moving) for axis in "xyz"])
        return matrices(quaternions(turn))[..., 0] @ size

    anchor = np.array([item.anchor.x, item.anchor.y, item.anchor.z])
    made = np.eye(4)
    made[:3, :3] = turned(True)
    made[:3, 3] = [value(axis) for axis in "xyz"] + turned(False) @ anchor - turned(True) @ anchor
    return made if item.parent is None or item.parent == of else world(scene, curves, item.parent, frame, of=of) @ made


def formula(place, facing, pivot, own, moving):
    """T(place) R(facing) T(pivot + d) R S T(-pivot), as the stage shows it."""

    def shift(by):
        made = np.eye(4)
        made[:3, 3] = by
        return made

    def turn(degrees):
        made = np.eye(4)
        made[:3, :3] = matrices(quaternions(np.array(degrees)[:, None]))[..., 0]
        return made

    at = own | moving
    size = np.diag([*(at[f"scale_{axis}"] for axis in "xyz"), 1.0])
    move = shift(pivot + np.array([at[axis] for axis in "xyz"]))
    return shift(place) @ turn(facing) @ move @ turn([at[f"turn_{axis}"] for axis in "xyz"]) @ size @ shift(-pivot)


@pytest.mark.parametrize("layout", ["line", "ring"])
def test_every_piece_stands_and_moves_as_the_formula_of_its_matrix_says(layout):
    values = {"piece_scale_x": 1.5, "piece_turn_y": 30.0, "piece_x": 0.2}
    stage = scene({"layout": {"id": layout, "params": {"count": 5}}, "late_frames": 3}, values=values)
    rows = RNG.uniform(0, 1, (3, FRAMES))
    ends = {"scale_y": (1.0, 3.0), "turn_z": (0.0, 90.0), "z": (0.0, 0.5), "turn_y": (30.0, 60.0)}
    moves = [driven(stage, f"piece_{name}", *both, rows, spread=True) for name, both in ends.items()]
    out, curves = written(stage, *moves)
    array = stage.part("row")
    motion = ArrayMotion(array, 1, {}, RATE, FRAMES)
    own = {item.id.removeprefix("piece_"): array.own(item.id) for item in array.properties if "piece_" in item.id}
    rows_of = {target.property[6:]: piece_values(motion, one.stack, one.lifts) for target, one in moves}
    copies = [item.id for item in out.parts if item.shape.id == "box"]
    assert len(copies) == 5 and len({item.id for item in out.parts}) == len(out.parts)
    for piece, copy in enumerate(copies):
        for frame in (0, 4, FRAMES - 1):
            moving = {name: rows[piece, frame] for name, rows in rows_of.items()}
            place, facing = motion.places(np.array([piece]))[:, 0, 0], motion.pieces.laid.turns[:, piece]
            base = formula(place, facing, np.array([-0.5, 0.25, 0.0]), own, moving)
            source = world(stage, (), "bead", frame, of="row")
            np.testing.assert_allclose(world(out, curves, copy, frame, of="row"), base @ source, atol=1e-12)


def test_a_layout_that_grows_moves_the_pieces_and_the_arrays_own_motion_stays_its_own():
    stage = scene({"layout": {"id": "line", "params": {"count": 3}}})
    grows = np.linspace(0.5, 1.0, FRAMES)
    turn = Curve(Target(part="row", property="turn_y"), "Row", "Turn", "°", "number", np.linspace(0, 90, FRAMES))
    gap = Curve(Target(part="row", property="gap"), "Row", "Gap", "m", "number", grows)
    out, curves = written(stage, curves=(turn, gap))
    by = {str(curve.target): curve.values for curve in curves}
    assert (by["row:turn_y"] == turn.values).all() and "row:gap" not in by
    firsts = [item.id for item in out.parts if item.parent == "row"]
    assert by[f"{firsts[0]}:x"] == pytest.approx(-grows + 0.0) and by[f"{firsts[2]}:x"] == pytest.approx(grows)


def test_colours_go_over_the_order_and_opacity_multiplies_what_the_source_has():
    sources = [part("bead", "sphere", parent="row", values={"opacity": 0.5})]
    params = {"layout": {"id": "line", "params": {"count": 3}}, "order": {"id": "x"}, "coloured": True}
    stage = scene(params, values={"piece_colour": "#102030", "piece_last_colour": "#e0d0c0"}, sources=sources)
    still, curves = written(stage)
    beads = [item for item in still.parts if item.shape.id == "sphere"]
    assert [item.own("colour") for item in beads][::2] == ["#102030", "#e0d0c0"] and curves == ()
    _, curves = written(stage, driven(stage, "piece_opacity", 0.0, 1.0, np.linspace(0, 1, FRAMES)))
    fades = [curve for curve in curves if curve.target.property == "opacity"]
    assert len(fades) == 3 and fades[0].values == pytest.approx(np.linspace(0, 0.5, FRAMES))
    lift = np.linspace(0, 1, FRAMES)
    _, curves = written(stage, driven(stage, "piece_colour", "#102030", "#ff0000", lift))
    tints = [curve.values for curve in curves if curve.target.property == "colour"]
    np.testing.assert_allclose(tints[0], mix_colours("#102030", "#ff0000", share=lift), atol=1e-9)
    assert np.ptp(tints[2], axis=1).max() < 1e-9


def test_pieces_are_made_in_turn_from_several_parts_with_all_in_them_and_their_own_motion():
    sources = [
        part("pot", "group_3d", parent="row"),
        part("rim", "torus", parent="pot"),
        part("bead", "sphere", parent="row"),
    ]
    stage = scene({"layout": {"id": "line", "params": {"count": 3}}}, sources=sources)
    spin = Curve(Target(part="rim", property="turn_y"), "Rim", "Turn", "°", "number", np.linspace(0, 90, FRAMES))
    out, curves = written(stage, curves=(spin,))
    kinds = [item.shape.id for item in out.parts if item.shape.id in {"torus", "sphere"}]
    assert kinds == ["torus", "sphere", "torus"] and len([c for c in curves if c.target.property == "turn_y"]) == 2
    names = [item.name for item in out.parts]
    assert names[0] == "Row" and {"Row 1", "Row 3", "Rim 1", "Rim 3", "Bead 2"} <= set(names)


def test_what_was_written_out_comes_back_from_every_format_that_carries_it():
    stage = scene({"layout": {"id": "ring", "params": {"count": 6}}, "late_frames": 2})
    out, curves = written(stage, driven(stage, "piece_scale_y", 1.0, 2.0, RNG.uniform(0, 1, FRAMES)))
    hand_off = HandOff("p", out, curves, RATE, FRAMES)
    for name in ("gltf", "json", "csv"):
        assert write(hand_off, format=FORMATS[name]).n_curves == 6
        assert write(hand_off, format=FORMATS[name]).error < 1e-5


def test_an_empty_array_is_a_group_of_groups_and_a_scene_without_arrays_stays_itself():
    bare = Scene(name="s", kind="3d", parts=(part("row", "array_3d"),))
    assert {item.shape.id for item in without_motion(bare).parts} == {"group_3d"}
    plain = Scene(name="s", kind="3d", parts=(part("bead", "sphere"),))
    assert without_motion(plain) is plain


def test_the_parts_that_are_written_out_are_counted_by_the_largest_source():
    sources = [part("bead", "box", parent="row"), part("pot", "box", parent="row"), part("lid", "box", parent="pot")]
    stage = scene({"layout": {"id": "line", "params": {"count": 10}}}, sources=sources)
    assert n_expanded(stage) == 10 * (2 + 2)


def test_more_parts_than_are_written_out_are_refused_with_their_number_beforehand():
    stage = scene({"layout": {"id": "grid", "params": {"across": 100, "up": 100}}})
    assert n_expanded(stage) == 30_000 > MOST_EXPANDED
    with pytest.raises(FernTideError, match="30,000 parts"):
        written(stage)


def test_more_values_than_are_written_out_are_refused_before_they_are_worked_out():
    stage = scene({"layout": {"id": "line", "params": {"count": 2000}}})
    moving = driven(stage, "piece_y", 0.0, 1.0, np.zeros(10_001))
    lead = moving[1].stack.curve(np.zeros(10_001))
    with pytest.raises(FernTideError, match="20,002,000 values"):
        expanded(stage, (lead,), moved=dict([moving]), clock=Clock(RATE, 10_001))


# --- 2D

FLAT = {"layout": {"id": "ring", "params": {"count": 5}}, "coloured": True}


def flat_scene(params=None, **values):
    leaf = {"id": "leaf", "name": "Leaf", "parent": "row", "anchor": {"x": 30.0, "y": 12.0}}
    shape = {"id": "rectangle", "params": {"x": 20.0, "y": 0.0, "width": 20.0, "height": 12.0}}
    leaf |= {"shape": shape, "values": {"x": 5.0, "turn": 20.0, "fill": "#3e6b3a"}}
    array = part("row", "array", params={**FLAT, **(params or {})}, values=values)
    return Scene(name="s", kind="2d", parts=(array, Part.model_validate(leaf)))


def matrix(text):
    a, b, c, d, e, f = matrix_of(text)
    return np.array([[a, c, e], [b, d, f], [0.0, 0.0, 1.0]])


def about(values, anchor):
    x, y, turn, wide, tall = values
    moves = f"translate({x + anchor.x} {y + anchor.y}) rotate({turn}) scale({wide} {tall})"
    return matrix(f"{moves} translate({-anchor.x} {-anchor.y})")


def flat_world(scene, curves, part_id, frame, *, of):
    by = {(c.target.part, c.target.property): c.values for c in curves}
    item = scene.part(part_id)
    names = ("x", "y", "turn", "scale_x", "scale_y")
    values = [by[part_id, name][frame] if (part_id, name) in by else float(item.own(name)) for name in names]
    made = about(values, item.anchor)
    return made if item.parent in {None, of} else flat_world(scene, curves, item.parent, frame, of=of) @ made


def test_pieces_of_a_drawing_stand_and_move_about_their_own_anchors():
    stage = flat_scene({"late_frames": 2}, piece_scale_x=1.5, piece_y=-4.0, radius=200.0)
    rows = RNG.uniform(0, 1, (3, FRAMES))
    ends = {"turn": (0.0, 90.0), "x": (0.0, 40.0), "opacity": (0.2, 1.0)}
    moves = [driven(stage, f"piece_{name}", *both, rows, spread=True) for name, both in ends.items()]
    out, curves = written(stage, *moves)
    array, leaf = stage.part("row"), stage.part("leaf")
    motion = ArrayMotion(array, 1, {}, RATE, FRAMES)
    rows_of = {target.property[6:]: piece_values(motion, one.stack, one.lifts) for target, one in moves}
    copies = [item.id for item in out.parts if item.shape.id == "rectangle"]
    at = (5.0 + 30.0, 12.0)
    own = about([float(leaf.own(name)) for name in ("x", "y", "turn", "scale_x", "scale_y")], leaf.anchor)
    for piece, copy in enumerate(copies):
        angle = 2 * np.pi * piece / 5
        for frame in (0, 5, FRAMES - 1):
            turn, x = rows_of["turn"][piece, frame], rows_of["x"][piece, frame]
            formula = matrix(
                f"translate({200 * np.cos(angle)} {-200 * np.sin(angle)}) rotate({-np.degrees(angle)}) "
                f"translate({at[0] + x} {at[1] - 4}) rotate({turn}) scale(1.5 1) translate({-at[0]} {-at[1]})"
            )
            np.testing.assert_allclose(flat_world(out, curves, copy, frame, of="row"), formula @ own, atol=1e-9)
    fades = [curve for curve in curves if curve.target.property == "opacity"]
    assert len(fades) == 5 and fades[3].values == pytest.approx(rows_of["opacity"][3])


def test_a_drawing_shows_each_piece_where_it_is_written_out_and_in_its_colour():
    stage = flat_scene({"order": {"id": "x"}}, piece_turn=30.0, piece_x=7.0, radius=150.0, piece_colour="#102030")
    still, _ = written(stage)
    root = draw(stage, prefix="stage-")
    shown = root.findall(".//*[@id='stage-row--pieces']/g")
    copies = [item for item in still.parts if item.shape.id == "rectangle"]
    assert [item.find("use").get("href") for item in shown] == ["#stage-leaf--move"] * 5
    leaf = stage.part("leaf")
    own = about([float(leaf.own(name)) for name in ("x", "y", "turn", "scale_x", "scale_y")], leaf.anchor)
    for element, copy in zip(shown, copies, strict=True):
        np.testing.assert_allclose(
            matrix(element.get("transform")) @ own, flat_world(still, (), copy.id, 0, of="row"), atol=2e-3
        )
        assert element.get("fill") == copy.own("fill")
    assert root.find(".//*[@id='stage-leaf--own']").get("fill") == "inherit"
    assert sorted(item.own("fill") for item in copies)[0] == "#102030"
    plain = draw(flat_scene({"coloured": False}), prefix="stage-")
    assert plain.find(".//*[@id='stage-leaf--own']").get("fill") == "#3e6b3a"
    many = draw(flat_scene({"layout": {"id": "line", "params": {"count": 5001}}}))
    (dots,) = many.findall(".//*[@id='row--pieces']/*")
    assert dots.tag == "path" and dots.get("d").count("M") == 5001


def test_pieces_of_a_drawing_come_back_from_the_animated_svg():
    stage = flat_scene({"late_frames": 1}, radius=100.0)
    tints = driven(stage, "piece_colour", "#204060", "#e0c080", RNG.uniform(0, 1, FRAMES))
    out, curves = written(stage, driven(stage, "piece_scale_y", 1.0, 2.0, RNG.uniform(0, 1, FRAMES)), tints)
    made = write(HandOff("p", out, curves, RATE, FRAMES), format=FORMATS["svg"])
    assert made.n_curves == 10 and made.error < 1e-2
