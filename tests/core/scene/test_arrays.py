"""Layouts, orders and reaches of arrays: by hand, by properties, and against what they must not do."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.scene.arrays.field import LAYOUTS, ArrayParams, pieces_of
from fern_tide.core.scene.arrays.layout import MOST_PIECES
from fern_tide.core.scene.arrays.reach import REACHES, Reach, joined
from fern_tide.core.scene.order_choice import ORDERS
from fern_tide.core.scene.rotation import matrices, quaternions
from fern_tide.core.scene.scene import PART_KINDS, Part, Scene

EVERY_LAYOUT = pytest.mark.parametrize("spec", LAYOUTS.values(), ids=lambda spec: spec.id)


def laid(layout, **params):
    return LAYOUTS[layout].lay(LAYOUTS[layout].params(**params))


def params(**fields):
    return ArrayParams.model_validate(fields)


def pieces(given, n_sources=1):
    return pieces_of(given, sizes={s.id: s.default for s in given.layout.spec.sizes}, n_sources=n_sources, space="3d")


def test_a_line_goes_evenly_to_both_sides_of_the_middle():
    assert laid("line", count=3).places({"gap": 0.5}).tolist() == [[-0.5, 0, 0], [0, 0, 0], [0.5, 0, 0]]
    assert laid("line", count=2, direction="up_and_down").places({"gap": 2.0})[:, 1].tolist() == [-1, 1]
    assert laid("line", count=2, direction="towards_you").places({"gap": 2.0})[:, 2].tolist() == [-1, 1]


def test_a_grid_counts_across_first_then_up_then_towards_you():
    places = laid("grid", across=2, up=2, deep=2).places({"gap_x": 2.0, "gap_y": 4.0, "gap_z": 6.0})
    assert places.tolist() == [[x, y, z] for z in (-3, 3) for y in (-2, 2) for x in (-1, 1)]


def test_a_ring_begins_at_the_right_and_goes_away_from_you_on_the_floor_or_up():
    lying = laid("ring", count=4).places({"radius": 2.0})
    assert lying == pytest.approx(np.array([[2, 0, 0], [0, 0, -2], [-2, 0, 0], [0, 0, 2]]), abs=1e-12)
    standing = laid("ring", count=3, lying=False, degrees=180).places({"radius": 1.0})
    assert standing == pytest.approx(np.array([[1, 0, 0], [0, 1, 0], [-1, 0, 0]]), abs=1e-12)


@pytest.mark.parametrize(
    ("layout", "axis", "fields"),
    [("ring", 0, {}), ("ring", 0, {"lying": False}), ("spiral", 0, {"facing": True}), ("ball", 1, {})],
)
def test_what_faces_outward_has_its_own_axis_along_the_way_out(layout, axis, fields):
    spread = laid(layout, count=24, **fields)
    out = spread.ways["radius"]
    own = matrices(quaternions(spread.turns))[:, axis].T  # the piece's own axis, turned
    far = np.linalg.norm(out, axis=1)
    assert own[far > 0] == pytest.approx(out[far > 0] / far[far > 0, None], abs=1e-9)


def test_a_ball_is_even_and_a_spiral_ends_at_its_radius_and_rise():
    points = laid("ball", count=500).ways["radius"]
    assert np.linalg.norm(points, axis=1) == pytest.approx(np.ones(500))
    apart = np.sort(np.linalg.norm(points[:, None] - points[None], axis=2), axis=1)[:, 1]
    assert apart.min() > 0.6 * apart.max()
    places = laid("spiral", count=10).places({"radius": 3.0, "rise": 2.0})
    assert np.linalg.norm(places[-1, [0, 2]]) == pytest.approx(3.0) and places[-1, 1] == 2.0
    assert places[0].tolist() == [0, 0, 0]
    half = laid("spiral", count=5, rounds=1.0).places({"radius": 2.0, "rise": 0.0})[1]  # the root of a quarter
    assert half == pytest.approx([-1.0, 0.0, 0.0], abs=1e-12)


@EVERY_LAYOUT
def test_a_layout_gives_as_many_places_as_it_says_and_moves_in_proportion_to_its_sizes(spec):
    given = spec.params()
    spread, sizes = spec.lay(given), {size.id: 0.75 for size in spec.sizes}
    assert spread.n_pieces == spec.count(given) == len(spread.places(sizes))
    assert set(spread.ways) == (set() if spec.throws else {size.id for size in spec.sizes})
    assert not spread.places(dict.fromkeys(sizes, 0.0)).any()
    assert 2 * spread.places(sizes) == pytest.approx(spread.places(dict.fromkeys(sizes, 1.5)))
    if "count" in spec.params.model_fields:
        for count in (1, 2):
            assert spec.lay(spec.params(count=count)).n_pieces == count
        with pytest.raises(ValueError, match="count"):
            spec.params(count=0)


def test_more_pieces_than_are_taken_are_refused_by_their_number():
    with pytest.raises(InvalidParameter, match="251,001"):
        params(layout={"id": "grid", "params": {"across": 501, "up": 501}})
    most = params(layout={"id": "grid", "params": {"across": 500, "up": 500}})
    assert most.n_pieces == MOST_PIECES


def test_on_a_2d_stage_up_is_up_a_ring_stands_and_pieces_turn_clockwise():
    given = params(layout={"id": "ring", "params": {"count": 4}})
    ring = pieces_of(given, sizes={"radius": 1.0}, n_sources=1, space="2d")
    assert ring.laid.places({"radius": 1.0}) == pytest.approx(
        np.array([[1, 0, 0], [0, -1, 0], [-1, 0, 0], [0, 1, 0]]), abs=1e-12
    )
    assert ring.laid.turns.tolist() == [[0] * 4, [0] * 4, [0, -90, -180, -270]]
    gaps = dict.fromkeys(("gap_x", "gap_y", "gap_z"), 1.0)
    grid = pieces_of(params(layout={"id": "grid"}), sizes=gaps, n_sources=1, space="2d")
    assert grid.laid.places(gaps)[0].tolist() == [-4.5, 4.5, 0]
    assert {spec.id for spec in LAYOUTS.values() if spec.flat} >= {"line", "grid", "ring", "spiral"}


# --- orders

SQUARE = np.array([[-1.0, -1.0, 0.0], [1.0, -1.0, 0.0], [-1.0, 1.0, 0.0], [1.0, 1.0, 0.0]])  # two below, two above


def ranked(order, places=SQUARE, **fields):
    spec = ORDERS[order]
    return (spec.ranks(places, spec.params(**fields)) * (len(places) - 1)).round(6).tolist()


def test_orders_of_a_square_are_as_worked_out_by_hand():
    assert ranked("angle", degrees=0) == [0, 2, 1, 3]
    assert ranked("angle", degrees=90) == [0, 1, 2, 3]
    assert ranked("angle", degrees=180) == [2, 0, 3, 1]
    assert ranked("outward", middle=False, x=1.0, y=1.0) == [3, 1, 2, 0]
    assert ranked("outward") == [0, 1, 2, 3]  # all as far: in their own order
    assert ranked("around", lying=False, start_degrees=0) == [2, 3, 1, 0]  # upper right, upper left, lower left
    assert ranked("around", lying=False, start_degrees=90) == [1, 2, 0, 3]
    assert ranked("by_hand", picked=(3, 0, 3)) == [1, 2, 3, 0]
    assert ranked("by_hand", picked=(9,)) == [0, 1, 2, 3]


def test_in_2d_up_is_up_all_the_same():
    flat = SQUARE[:, :2] * [1, -1]  # down counts downwards
    assert ranked("angle", flat, degrees=90) == ranked("angle", degrees=90)
    assert ranked("around", flat, start_degrees=0) == ranked("around", lying=False, start_degrees=0)


def test_from_above_goes_round_counter_clockwise_as_seen_from_there():
    floor = SQUARE[:, [0, 2, 1]] * [1, 1, -1]  # the upper two are farther away
    assert ranked("around", floor, start_degrees=0) == ranked("around", lying=False, start_degrees=0)


def test_a_spiral_goes_ring_by_ring_then_round():
    places = np.array([[0.1, 0, 0], [2.0, 0, 0], [0, 2.0, 0], [-0.1, 0, 0], [0, -0.9, 0]])
    assert ranked("spiral", places, lying=False, start_degrees=0, rings=2, middle=False) == [0, 3, 4, 1, 2]


def test_the_same_seed_shuffles_the_same_and_another_otherwise():
    line = np.zeros((50, 3))
    one, again, other = (ranked("shuffled", line, seed=seed) for seed in (7, 7, 8))
    assert one == again != other and sorted(one) == list(range(50))
    assert one == np.random.Generator(np.random.PCG64(7)).permutation(50).tolist()


def test_from_the_middle_and_backwards_are_laid_over_any_order():
    line = {"layout": {"id": "line", "params": {"count": 5}}, "order": {"id": "x"}}
    assert pieces(params(**line)).ranks.tolist() == [0, 0.25, 0.5, 0.75, 1]
    assert pieces(params(**line, backwards=True)).ranks.tolist() == [1, 0.75, 0.5, 0.25, 0]
    assert pieces(params(**line, both_ends=True)).ranks.tolist() == [1, 0.5, 0, 0.5, 1]
    assert pieces(params(**line, both_ends=True, backwards=True)).ranks.tolist() == [0, 0.5, 1, 0.5, 0]


@pytest.mark.parametrize("order", ORDERS)
@pytest.mark.parametrize("count", [1, 2, 9])
def test_every_order_of_pieces_is_a_permutation_the_same_each_time(order, count):
    given = params(layout={"id": "ring", "params": {"count": count}}, order={"id": order})
    ranks = pieces(given).ranks
    if order != "middle":
        assert sorted(ranks) == pytest.approx(np.arange(count) / max(1, count - 1))
    assert (pieces(params(**given.model_dump(mode="json"))).ranks == ranks).all()


def test_weights_follow_the_order_and_pieces_are_made_in_turn_or_shuffled():
    line = {"layout": {"id": "line", "params": {"count": 3}}, "order": {"id": "x"}, "backwards": True}
    given = params(**line, first=1.0, last=0.5, between={"id": "exponent", "params": {"power": 2.0}})
    assert pieces(given).weights.tolist() == pytest.approx([0.5, 0.875, 1.0])
    assert pieces(params(**line), n_sources=2).sources.tolist() == [0, 1, 0]
    many = {"layout": {"id": "line", "params": {"count": 400}}, "shuffled": True}
    drawn = pieces(params(**many), n_sources=3).sources
    assert np.bincount(drawn).min() > 90 and (pieces(params(**many, seed=2), n_sources=3).sources != drawn).any()


# --- reaches


def shares(reach, place, **values):
    given = {item.id: np.array([float(item.default)]) for item in reach.properties("3d")}
    given |= {reach.name(name): np.atleast_1d(np.array(value, dtype=float)) for name, value in values.items()}
    return reach.shares(np.array(place, dtype=float).reshape(-1, 3).T[:, :, None], given)[..., 0].tolist()


def test_a_ball_fades_from_its_inner_to_its_outer_size():
    ball = Reach(slot=1, easing={"id": "straight"})
    line = [[x, 0, 0] for x in (0.0, 1.0, 1.5, 2.0, 3.0)]
    assert shares(ball, line, inner=1, outer=2) == [1, 1, 0.5, 0, 0]
    assert shares(ball, line, inner=1, outer=2, x=3.0) == [0, 0, 0.5, 1, 1]
    assert shares(ball, line, inner=1.5, outer=1.5) == [1, 1, 1, 0, 0]  # a sharp edge
    smooth = Reach(slot=1)
    assert shares(smooth, [[1.25, 0, 0]], inner=1, outer=2) == pytest.approx([0.84375])  # 3t^2 - 2t^3 of 0.75


def test_a_box_goes_by_the_largest_of_its_axes_and_turns():
    box = Reach(slot=2, shape={"id": "box"}, easing={"id": "straight"})
    sizes = {"size_x": 2.0, "size_y": 1.0, "size_z": 1.0, "inner": 0.5, "outer": 1.0}
    assert shares(box, [[0, 0, 0], [1.5, 0, 0], [1.5, 0.9, 0], [2.1, 0, 0]], **sizes) == pytest.approx([1, 0.5, 0.2, 0])
    assert shares(box, [[0, 1.5, 0]], **sizes, turn_z=90.0) == pytest.approx([0.5])  # its x axis is up now
    assert shares(box, [[0, 0, -1.5]], **sizes, turn_y=90.0) == pytest.approx([0.5])


def test_a_plane_covers_what_lies_below_it_and_sweeps_when_it_moves():
    plane = Reach(slot=1, shape={"id": "plane"}, easing={"id": "straight"})
    heights = [[0, y, 0] for y in (-9.0, 0.0, 0.5, 1.0)]
    assert shares(plane, heights, inner=0, outer=1) == [1, 1, 0.5, 0]
    given = {item.id: np.array([float(item.default)]) for item in plane.properties("3d")}
    given |= {"reach1_inner": np.zeros(1), "reach1_y": np.array([0.0, 0.5, 1.0])}
    sweep = plane.shares(np.array([[0.0], [1.0], [0.0]])[:, :, None], given)
    assert sweep.tolist() == [[0.0, 0.5, 1.0]]


def test_reaches_add_up_to_at_most_1_and_what_takes_away_multiplies():
    gives, more, takes = Reach(slot=1), Reach(slot=2), Reach(slot=3, away=True)
    full = joined(
        [(gives, np.array([[0.4], [0.8]])), (more, np.array([[0.3], [0.8]])), (takes, np.array([[0.0], [0.25]]))]
    )
    assert full.tolist() == [[pytest.approx(0.7)], [0.75]]
    assert joined([(takes, np.array([[0.25]]))]).tolist() == [[0.75]]
    assert joined([]) is None


@pytest.mark.parametrize("shape", REACHES)
@given(
    place=st.tuples(*[st.floats(-5, 5)] * 3),
    inner=st.floats(0, 2),
    outer=st.floats(0, 2),
    turn=st.floats(-360, 360),
)
def test_every_reach_gives_a_share_from_0_to_1(shape, place, inner, outer, turn):
    reach = Reach(slot=1, shape={"id": shape})
    turned = {"turn_x": turn, "turn_z": turn} if REACHES[shape].turned else {}
    (share,) = shares(reach, [place], inner=inner, outer=outer, **turned)
    assert 0.0 <= share <= 1.0


def test_two_reaches_cannot_have_one_number_and_each_names_its_own_properties():
    with pytest.raises(InvalidParameter, match="reach"):
        params(reaches=[{"slot": 1}, {"slot": 1}])
    given = params(reaches=[{"slot": 1}, {"slot": 3, "shape": {"id": "box"}}])
    names = [item.id for item in given.own_properties("3d")]
    assert names[0] == "gap" and {"reach1_x", "reach1_outer", "reach3_size_z", "reach3_turn_y"} <= set(names)
    assert not {"reach1_turn_x", "reach1_size_x"} & set(names)
    assert len({item.id for item in PART_KINDS["array_3d"].more(given)}) == len(PART_KINDS["array_3d"].more(given))
    first = {item.id: item.default for item in given.own_properties("3d")}
    assert [first[name] for name in ("reach1_inner", "reach1_outer", "reach3_inner", "reach3_outer")] == [
        0.2,
        1,
        0.5,
        1,
    ]
    flat = {item.id: item for item in given.own_properties("2d")}
    assert flat["gap"].default == 50.0 and flat["gap"].unit == "px" and "reach3_turn_x" not in flat


# --- what may lie in one


def placed(name, kind, parent=None, **given):
    shape = {"id": kind, "params": given}
    return Part.model_validate({"id": name, "name": name.title(), "parent": parent, "shape": shape})


@pytest.mark.parametrize("kind", ["array_3d", "point_light", "sun", "camera", "dial_3d"])
@pytest.mark.parametrize("between", [False, True])
def test_an_array_holds_only_what_pieces_can_be_made_from(kind, between):
    inside = [placed("pot", "group_3d", "row")] if between else []
    parts = (placed("row", "array_3d"), *inside, placed("lamp", kind, "pot" if between else "row"))
    with pytest.raises(InvalidParameter, match="Lamp in an array"):
        Scene(name="s", kind="3d", parts=parts)
    beside = (placed("row", "array_3d"), placed("pot", "group_3d"), placed("lamp", kind, "pot"))
    assert len(Scene(name="s", kind="3d", parts=beside).parts) == 3


def test_all_arrays_of_a_scene_together_have_a_most():
    large = {"layout": {"id": "grid", "params": {"across": 500, "up": 500}}}
    two = (placed("one", "array_3d", **large), placed("two", "array_3d", **large))
    assert len(Scene(name="s", kind="3d", parts=two).parts) == 2
    with pytest.raises(InvalidParameter, match="500,012"):
        Scene(name="s", kind="3d", parts=(*two, placed("three", "array_3d")))


def test_pieces_follow_nothing_but_others_may_follow_them_and_the_array_itself_what_it_likes():
    parts = (placed("row", "array_3d"), placed("pot", "box"))

    def following(target, source):
        return Scene(name="s", kind="3d", parts=parts, follows=({"target": target, "source": source},))

    with pytest.raises(InvalidParameter, match="pieces follow nothing"):
        following("row:piece_scale_x", "row:piece_scale_y")
    with pytest.raises(InvalidParameter, match="pieces follow nothing"):
        following("row:piece_x", "pot:x")
    assert following("pot:x", "row:piece_x").follows and following("row:turn_y", "pot:x").follows
