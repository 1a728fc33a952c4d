"""A value for each piece, as the page looks it up, against Python's own."""

import numpy as np
import pytest

from fern_tide.core.bake.bake import stack_of
from fern_tide.core.bake.pieces import ArrayMotion, piece_values
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.target import Target
from fern_tide.core.document import Project
from fern_tide.core.mapping.colour import colour_texts, mix_all, mix_colours, to_linear
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.scene.arrays.field import LAYOUTS
from fern_tide.core.scene.arrays.reach import REACHES
from fern_tide.core.scene.follow import Limit
from fern_tide.core.scene.order_choice import ORDERS
from fern_tide.core.scene.rotation import matrices, quaternions
from fern_tide.core.scene.scene import PART_KINDS, Part, Scene
from fern_tide.web.views.arrays import field_head, property_head

FRAMES = 60
RATE = FrameRate.parse("24000/1001")
RNG = np.random.default_rng(16)
ROWS = RNG.uniform(-0.2, 1.2, (5, FRAMES)).astype(np.float32).astype(np.float64)
ONE = RNG.uniform(0, 1, FRAMES).astype(np.float32).astype(np.float64)


class Plain:
    """A pack whose arrays are written in place, as float32 has them."""

    def add(self, values):
        return np.asarray(values).astype(np.float32).tolist()


class Listed:
    """A pack whose arrays are named by number, as float32 has them."""

    def __init__(self):
        self.arrays = []

    def add(self, values):
        self.arrays.append(np.asarray(values).astype(np.float32).tolist())
        return len(self.arrays) - 1


def array(params, values):
    shape = {"id": "array_3d", "params": params}
    return Part.model_validate({"id": "row", "name": "Row", "values": values, "shape": shape})


def mapping(drive, *, spread):
    drive = {"rest": 0.25, "full": 2.0, "target": "row:piece_scale_y", **drive}
    marks = {"low": 0.0, "high": 1.0}
    plain = {"id": "m", "name": "m", "envelope": "low", "marks": marks, "spread": spread, "drives": [drive]}
    return Mapping.model_validate(plain)


class Trial:
    """An array with one driven property of its pieces, in Python and as the page has it."""

    def __init__(self, params, *drives, name="piece_scale_y", values=None, curves=None, limits=()):
        part = array(params, values or {})
        self.project = Project(
            name="p", rate=RATE, length_frames=FRAMES, scene=Scene(name="s", kind="3d", parts=(part,), limits=limits)
        )
        self.motion = ArrayMotion(part, 3, curves or {}, RATE, FRAMES)
        self.lifts = [ROWS if at % 2 == 0 else ONE for at in range(len(drives))]
        many = [mapping(drive, spread=lift.ndim == 2) for drive, lift in zip(drives, self.lifts, strict=True)]
        stack = stack_of(
            self.project.scene, Target(part="row", property=name), [(item, item.drives[0]) for item in many]
        )
        self.values = piece_values(self.motion, stack, self.lifts)
        self.pack = Listed()
        self.head = field_head(self.pack, self.project, part)
        self.property = property_head(Plain(), stack, self.lifts, self.motion)
        self.part = part

    def of(self, frame):
        names = {item.id for item in self.part.properties}
        own = {name: self.part.own(name) for name in names}
        return {"table": own | {name: float(values[frame]) for name, values in self.motion.curves.items()}}

    def check(self, modules, *, count=20, within=2e-4):
        field = modules("pieces", "unpacked", self.head, self.pack.arrays)
        pieces, frames = RNG.integers(0, self.motion.pieces.n_pieces, count), RNG.integers(0, FRAMES, count)
        span = np.ptp(self.values) or 1.0
        for piece, frame in zip(pieces.tolist(), frames.tolist(), strict=True):
            at = self.of(frame)
            places = modules("pieces", "placesOf", field, at)
            assert np.reshape(places, (-1, 3)) == pytest.approx(
                self.motion.places(np.arange(len(places) // 3))[..., min(frame, self.n_places - 1)].T, abs=1e-5
            )
            reach = modules("pieces", "reachesOf", field, places, at)
            value = modules(
                "pieces",
                "valueOfPiece",
                self.property,
                field,
                piece,
                frame,
                1.0 if reach is None else reach[piece],
            )
            assert value == pytest.approx(self.values[..., piece, frame].tolist(), abs=within * span)

    @property
    def n_places(self):
        return self.motion.places(np.array([0])).shape[-1]


GRID = {"layout": {"id": "grid", "params": {"across": 4, "up": 3, "deep": 2}}}
SPREAD = {"late_frames": 5.5, "late_ms": 70, "first": 0.5, "last": 1.5, "differs": 0.4}


@pytest.mark.parametrize("order", ORDERS)
def test_every_order_gives_the_values_that_python_gives(modules, order):
    Trial({**GRID, **SPREAD, "order": {"id": order}}, {}).check(modules)


@pytest.mark.parametrize("layout", [name for name, spec in LAYOUTS.items() if spec.throws is None])
def test_every_layout_stands_where_python_has_it_while_it_moves(modules, layout):
    sizes = {size.id: np.linspace(0.5, 3.0, FRAMES) for size in LAYOUTS[layout].sizes}
    Trial({"layout": {"id": layout}, "both_ends": True, **SPREAD}, {}, curves=sizes).check(modules, count=10)


@pytest.mark.parametrize("shape", REACHES)
def test_every_reach_fades_as_python_has_it_while_it_moves_and_turns(modules, shape):
    given = {
        **GRID,
        "reaches": [
            {"slot": 1, "shape": {"id": shape}},
            {"slot": 2, "away": True},
            {"slot": 5, "shape": {"id": "box"}},
        ],
    }
    names = {item.id for item in array(given, {}).properties}
    curves = {name: RNG.uniform(0.2, 1.5, FRAMES) for name in names if name.startswith("reach")}
    curves |= {name: RNG.uniform(-90, 90, FRAMES) for name in names if "_turn_" in name and name.startswith("reach")}
    Trial(given, {}, curves=curves).check(modules)


def test_rows_responses_stacks_and_limits_are_those_of_python(modules):
    bent = {"response": {"id": "overshoot"}, "late_frames": -1.25}
    limits = (Limit(target="row:piece_scale_y", low=0.5, high=2.5),)
    Trial({**GRID, **SPREAD, "rows": "nearest"}, bent, {"stacking": "add"}, limits=limits).check(modules)
    Trial({**GRID, **SPREAD}, {"stacking": "multiply"}, {"stacking": "multiply", "full": -1.0}).check(modules)
    Trial(GRID, values={"piece_scale_y": 1.75}).check(modules, count=3)


def test_colours_are_those_of_python(modules):
    target = {"target": "row:piece_colour", "rest": "#204060", "full": "#f0d080"}
    stops = {**target, "stops": [{"at": 0.3, "colour": "#c4572e"}]}
    Trial({**GRID, **SPREAD, "coloured": True}, stops, name="piece_colour").check(modules, within=5e-3)
    Trial({**GRID, "coloured": True}, {**target, "stacking": "add"}, name="piece_colour").check(modules, within=5e-3)


def test_axes_of_a_turn_are_the_columns_of_its_matrix(modules):
    for turns in RNG.uniform(-180, 180, (20, 3)):
        axes = modules("pieces", "axesOf", *turns.tolist())
        assert pytest.approx(matrices(quaternions(turns[:, None]))[..., 0], abs=1e-12) == np.array(axes).T


def test_a_table_is_read_between_its_places_and_goes_on_straight(modules):
    table = {"from": -1, "to": 1, "values": [0, 4, 6]}
    assert [modules("pieces", "lookUp", table, at) for at in (-1, -0.5, 0, 0.5, 1, 2, -2)] == [0, 2, 4, 5, 6, 8, -4]


def test_the_line_through_the_pieces_goes_by_their_order_and_keeps_both_ends(modules):
    field = {"pieces": 5, "ranks": [0.5, 0, 1, 0.25, 0.75], "ranks_more": [0] * 5}
    assert modules("pieces", "inOrder", field, 9) == [1, 3, 0, 4, 2]
    assert modules("pieces", "inOrder", field, 3) == [1, 0, 2]


def test_lateness_is_as_exact_as_pythons_for_a_quarter_of_a_million_pieces(modules):
    given = {"layout": {"id": "line", "params": {"count": 1000}}, "late_frames": 9999.0}
    trial = Trial(given, {})
    lift = modules(
        "pieces",
        "liftOf",
        {"rows": [ONE.tolist()], "late": -9950.5},
        modules("pieces", "unpacked", trial.head, trial.pack.arrays),
        997,
        40,
    )
    late = 997 / 999 * 9999.0 - 9950.5
    whole, part = int(np.floor(late)), late % 1
    wanted = ONE[40 - whole] * (1 - part) + ONE[39 - whole] * part
    assert lift == pytest.approx(wanted, abs=1e-6)


def test_two_colours_of_linear_light_mix_as_python_mixes_them(modules):
    first, last, shares = RNG.uniform(0, 1, (3, 9)), RNG.uniform(0, 1, (3, 9)), np.linspace(0, 1, 9)
    wanted = to_linear(mix_all(first, last, share=shares))
    for at, share in enumerate(shares.tolist()):
        ends = (to_linear(colours[:, at]).tolist() for colours in (first, last))
        assert modules("pieces", "mixedLight", *ends, share) == pytest.approx(wanted[:, at].tolist(), abs=1e-6)


def test_what_a_pack_names_by_number_is_found_in_its_arrays(modules):
    arrays = [[0.5], [1], [2], [3], [[7, 8]], [9, 9], [5, 6], [4]]
    names = {"ranks": 0, "ranks_more": 1, "gains": {"all": 0.5}, "source": 3, "turns": None, "pieces": 1}
    reach = {"name": "reach1", "easing": {"from": 0, "to": 1, "values": 5}}
    field = modules("pieces", "unpacked", {**names, "ways": {"gap": [0, {"all": 2}, 7]}, "reaches": [reach]}, arrays)
    assert field["ranks"] == [0.5] and field["ways"] == {"gap": [0.5, 2, 4]} and field["turns"] is None
    assert field["gains"] == [0.5]
    assert field["reaches"][0]["easing"]["values"] == [9, 9] and field["source"] == [3] and field["pieces"] == 1
    driver = {"rows": 4, "response": {"values": 5}, "colours": [{"values": 6}]}
    moved = modules("pieces", "unpackedMotion", {"piece_y": {"own": 1, "drivers": [driver]}}, arrays)["piece_y"]
    assert moved["drivers"][0] == {"rows": [[7, 8]], "response": {"values": [9, 9]}, "colours": [{"values": [5, 6]}]}
    one = modules("pieces", "unpackedMotion", {"piece_y": {"own": 1, "drivers": [{**driver, "rows": 4}]}}, arrays)
    assert one["piece_y"]["own"] == 1


def test_a_piece_is_picked_once_where_it_was_picked_first(modules):
    assert modules("stage_pieces", "withPiece", [3], 1) == [3, 1]
    assert modules("stage_pieces", "withPiece", [3, 1], 3) == [3, 1]
    assert modules("stage_pieces", "withPiece", [3], None) == [3]


def test_a_piece_of_a_drawing_is_put_where_python_puts_it(modules):
    transform = modules("placing", "pieceTransform", [10, 20], -90, [3, 4], [1, 2, 30, 1.5, 2])
    wanted = "translate(10 20) rotate(-90) translate(4 6) rotate(30) scale(1.5 2) translate(-3 -4)"
    assert transform == wanted
    assert "rotate(0)" in modules("placing", "pieceTransform", [0, 0], 0, [0, 0], [0, 0, 0, 1, 1])


def test_two_colours_as_text_mix_as_pythons_do(modules):
    for share in (0.0, 0.3, 1.0):
        wanted = colour_texts(mix_colours("#204060", "#f0d080", share=np.array([share])))[0]
        assert modules("pieces", "mixedColour", "#204060", "#f0d080", share) == wanted
        assert modules("pieces", "mixedColour", [32 / 255, 64 / 255, 96 / 255], "#f0d080", share) == wanted


def test_what_stands_on_something_begins_there(modules):
    field = {"pieces": 2, "fixed": [1, 2, 3, 4, 5, 6], "ways": {"out": [0, 1, 0, 1, 0, 0]}}
    places = modules("pieces", "placesOf", field, {"table": {"out": 0.5}})
    assert list(places) == [1, 2.5, 3, 4.5, 5, 6]


def test_the_edges_of_a_reach_are_where_motion_begins_to_fade_and_ends(modules):
    """On every point of its outer edge there is none of the motion, on its inner one all of it, as Python has it."""
    for space, kind in (("2d", "reach"), ("3d", "reach_3d")):
        for shape in ("ball", "box", "plane"):
            values = {"reach_x": 3.0, "reach_y": -2.0, "reach_z": 1.0, "reach_inner": 0.5, "reach_outer": 1.5}
            values |= {"reach_size_x": 2.0, "reach_size_y": 1.0, "reach_size_z": 0.5, "reach_turn_z": 30.0}
            values |= {"reach_turn_x": 20.0, "reach_turn_y": -70.0} if space == "3d" else {}
            fading = PART_KINDS[kind].fading(PART_KINDS[kind].params(shape={"id": shape}))
            own = {item.id: values[item.id] for item in fading.properties(space)}
            spec = fading.shape.spec
            head = {"measure": spec.measure, "turned": spec.turned}
            edges = modules("stage_reach", "edgesOf", head, space, {"table": own})
            assert len(modules("stage_reach", "linesOf", head, space, 1.5, [2.0, 1.0, 0.5])) == len(edges[0])
            for lines, share in zip(edges, (0.0, 1.0), strict=True):
                points = np.array([point for line in lines for point in line])
                assert len(points) >= 2 and (space == "3d" or not points[:, 2].any())
                got = fading.shares(points.T[:, :, np.newaxis], {name: np.array([one]) for name, one in own.items()})
                np.testing.assert_allclose(got, share, atol=1e-6, err_msg=f"{shape} {space}")


def test_pieces_come_in_their_order_whether_each_has_a_place_or_some_share_one(modules):
    ranks = RNG.permutation(9) / 8
    for given in (ranks, np.abs(ranks - 0.5), np.zeros(9)):
        field = {"ranks": given.tolist(), "ranks_more": [0] * 9, "pieces": 9}
        wanted = sorted(range(9), key=lambda piece, given=given: (given[piece], piece))
        assert modules("pieces", "inOrder", field, 100) == wanted
        assert modules("pieces", "inOrder", field, 3) == [wanted[0], wanted[4], wanted[8]]
