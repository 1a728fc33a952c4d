"""What a first cut is checked for, on things and lifts made by hand."""

import numpy as np
import pytest

from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.units import from_db
from fern_tide.core.envelope.beats import Beats
from fern_tide.core.envelope.envelope import Envelope, ReadingChoice
from fern_tide.core.first_cut.checking import (
    _SILENT_DB,
    gentler,
    is_calm,
    rests_in_silence,
    stays_on_stage,
    windows_that_live,
)
from fern_tide.core.first_cut.ear import Ear
from fern_tide.core.first_cut.measuring import Measured, visible
from fern_tide.core.first_cut.rule import Candidate, drive, times
from fern_tide.core.first_cut.scene import _stance, look
from fern_tide.core.first_cut.sound import Role, Voice, likeness, range_db
from fern_tide.core.first_cut.things import Stance, Thing
from fern_tide.core.mapping.colour import luminance, parse_colour
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.mapping.marks import Marks
from fern_tide.core.scene.extent import Extent, extents
from fern_tide.core.scene.media import SceneMedia
from fern_tide.core.scene.part import Anchor
from fern_tide.core.scene.scene import Part, PartChoice, Scene
from fern_tide.demo.project import demo_project
from fern_tide.demo.scene import glasshouse

RATE = FrameRate.parse("30")
VOICE = Voice(
    Role.PULSE,
    Envelope(id="e", name="E", track="t", reading=ReadingChoice(id="amplitude")),
    np.linspace(0, 1, 90),
    0.8,
    "clear",
)


def box(x, y, width, height, *, anchor=None, name="Box 1", **values):
    shape = PartChoice.model_validate({"id": "rectangle", "params": {"x": x, "y": y, "width": width, "height": height}})
    ax, ay = anchor or (x + width / 2, y + height / 2)
    return Part(id=name.lower().replace(" ", "-"), name=name, shape=shape, anchor=Anchor(x=ax, y=ay), values=values)


def measured(part, *drives, lift=None, light=1.0):
    scene = Scene(name="s", width=1000, height=500, parts=(part,))
    thing = Thing((part,), (extents(scene, media=SceneMedia())[part.id],), "the box", light=light)
    candidate = Candidate(VOICE, thing, "the box moves", drives)
    lift = np.linspace(0, 1, 90) if lift is None else lift
    mapping = Mapping(id="m", name="M", envelope="e", marks=Marks(low=0.1, high=0.9), drives=drives)
    return Measured(candidate, mapping, lift, visible(candidate, lift))


@pytest.mark.parametrize(
    ("x", "factor", "stays"), [(400, 1.5, True), (700, 1.5, True), (850, 1.3, True), (850, 1.7, False), (950, 3, True)]
)
def test_what_is_on_the_stage_stays_there_at_full(x, factor, stays):
    part = box(x, 200, 120, 100)  # at 950 it hangs over the edge already
    assert stays_on_stage(measured(part, times(part, "scale_x", factor))) == stays


def test_growing_from_the_base_and_rising_count_too():
    part = box(400, 50, 100, 300, anchor=(450, 350))
    assert stays_on_stage(measured(part, times(part, "scale_y", 1.15)))
    assert not stays_on_stage(measured(part, times(part, "scale_y", 1.4)))
    assert stays_on_stage(measured(part, drive(part, "y", rest=0.0, full=-40.0)))
    assert not stays_on_stage(measured(part, drive(part, "y", rest=0.0, full=-80.0)))
    swings = np.sin(np.arange(90) / 5) * 1.5
    assert not stays_on_stage(measured(part, drive(part, "y", rest=0.0, full=-40.0), lift=swings)), "further than full"


@pytest.mark.parametrize(
    ("hz", "size", "rest", "calm"),
    [(2, 900, 0.0, True), (6, 900, 0.0, False), (6, 60, 0.0, True), (6, 900, 0.95, True)],
)
def test_large_things_do_not_flash(hz, size, rest, calm):
    part = box(0, 0, size, size / 2)
    lift = (np.sin(2 * np.pi * hz * np.arange(90) / 30 + 0.3) > 0).astype(float)
    assert is_calm(measured(part, drive(part, "opacity", rest=rest, full=1.0), lift=lift), rate=RATE) == calm
    dark = measured(part, drive(part, "opacity", rest=rest, full=1.0), lift=lift, light=0.05)
    assert is_calm(dark, rate=RATE), "what is dark hardly flashes"


def test_a_colour_that_flashes_is_no_calm_one():
    part = box(0, 0, 900, 450)
    lift = (np.arange(90) // 3 % 2).astype(float)
    assert not is_calm(measured(part, drive(part, "fill", rest="#000000", full="#ffffff"), lift=lift), rate=RATE)
    assert is_calm(measured(part, drive(part, "fill", rest="#808080", full="#848484"), lift=lift), rate=RATE)


def test_what_reaches_down_from_the_top_hangs_if_all_of_it_is_tall():
    def extent(left, right, bottom):
        return Extent((left, 0.0, right, bottom), (left, 0.0, right, bottom), (left, 0.0))

    parts = [box(0, 0, 10, 10, name=f"Box {number}") for number in (1, 2)]
    middles = [part.but(anchor=Anchor(x=0.0, y=0.25)) for part in parts]
    tall, wide = extent(0.1, 0.15, 0.5), extent(0.3, 0.9, 0.5)
    assert _stance(middles, [tall, tall]) is Stance.HANGS
    assert _stance(middles, [tall, wide]) is _stance(middles, [wide, tall]) is Stance.FREE
    assert _stance([*middles, middles[0]], [tall] * 3) is Stance.FLOOR, "a row of three stands level"


def test_gentler_is_half_as_far():
    part = box(0, 0, 10, 10)
    assert gentler(times(part, "scale_x", 1.4)).full == pytest.approx(1.2)
    assert gentler(drive(part, "opacity", rest=0.4, full=1.0)).rest == pytest.approx(0.7), "a light stays as bright"
    assert gentler(drive(part, "fill", rest="#000000", full="#fefefe")).full == "#7f7f7f"


def test_rest_in_silence_is_looked_for_away_from_sound():
    loud = np.zeros(300)
    loud[:60] = 0.5
    still, late, restless = (np.zeros(300) for _ in range(3))
    late[:100] = 1.0
    restless[200] = 0.5
    assert rests_in_silence(still, loud, rate=RATE)
    assert rests_in_silence(late, loud, rate=RATE), "falls may last 1.7 s"
    assert not rests_in_silence(restless, loud, rate=RATE)
    assert not rests_in_silence(restless, np.full(300, from_db(_SILENT_DB)), rate=RATE), "silence begins at its limit"


def test_windows_live_where_something_moves():
    loud, moves = np.full(480, 0.5), np.zeros(480)
    loud[360:] = 0.0
    moves[130:150] = 0.4
    assert windows_that_live(moves, loud, rate=RATE).tolist() == [False, True, False]


def test_how_far_a_motion_is_seen():
    part = box(400, 200, 200, 100)
    small = measured(part, times(part, "scale_x", 1.01)).visible
    large = measured(part, times(part, "scale_x", 1.15)).visible
    assert small == pytest.approx(np.sqrt(0.2 * 0.01 * 0.96 / 0.04), rel=1e-3), "a fifth of the stage, by a hundredth"
    assert large > small and measured(part, times(part, "scale_x", 3.0)).visible == 1.0
    assert measured(part, times(part, "scale_x", 3.0), lift=np.zeros(90)).visible == 0.0
    turned = measured(part, drive(part, "turn", rest=0.0, full=0.5)).visible
    assert 0.1 < turned < 0.5


def test_levels_are_compared_and_ranged():
    a = np.sin(np.arange(900) / 20)
    assert likeness(a, 3 * a + 1) == pytest.approx(1.0) and likeness(a, -a) == pytest.approx(1.0)
    assert likeness(a, np.ones(900)) == 0.0
    assert likeness(a, np.cos(np.arange(900) / 20)) < 0.1
    assert range_db(np.geomspace(0.01, 1.0, 1000)) == pytest.approx(0.8 * 40, abs=0.2)
    assert range_db(np.zeros(100)) == 0.0


def things_of(scene):
    return {thing.words: thing for thing in look(scene, extents=extents(scene, media=SceneMedia())).things}


def test_the_demo_scene_is_seen_as_people_see_it():
    things = things_of(glasshouse())
    assert things["the ten cloches"].is_row and things["the ten cloches"].stance is Stance.FLOOR
    assert things["the lamp"].stance is Stance.HANGS
    assert not things["the five fronds"].is_row and things["the five fronds"].stance is Stance.FLOOR
    assert things["the two moths"].stance is Stance.FREE and things["the title"].text
    assert things["the lamp glow"].glows and things["the lamp bulb"].joined
    assert "the cloches" not in things and "the fronds" not in things, "what only holds them is not moved beside them"


def test_what_is_hidden_small_or_moved_is_left_alone():
    parts = (
        box(0, 0, 300, 300, name="Seen"),
        box(0, 0, 300, 300, name="Clear", opacity=0.0),
        box(0, 0, 10, 10, name="Speck"),
        box(2000, 0, 300, 300, name="Outside"),
    )
    scene = Scene(name="s", width=1000, height=500, parts=parts)
    assert list(things_of(scene)) == ["the seen"]
    everything = extents(scene, media=SceneMedia())
    assert not look(scene, extents=everything, still={"seen"}).things
    assert [thing.words for thing in look(scene, extents=everything, only={"seen"}).things] == ["the seen"]


def test_parts_without_names_are_alike_by_their_size():
    sizes = (100, 105, 110, 300, 310)
    parts = tuple(box(0, 0, size, size, name=f"Path {at}") for at, size in enumerate(sizes))
    counts = sorted(thing.count for thing in things_of(Scene(name="s", width=1000, height=500, parts=parts)).values())
    assert counts == [2, 3]
    many = tuple(box(at, 0, 100, 100, name=f"Path {at}") for at in range(121))
    assert not things_of(Scene(name="s", width=1000, height=500, parts=many)), "a texture, not a hundred things"


def test_an_extent_covers_only_what_is_on_the_stage():
    assert Extent((-1.0, 0.0, 0.5, 0.5), None, (0, 0)).share == 0.25
    assert Extent((1.5, 0.0, 2.0, 0.5), None, (0, 0)).share == 0.0


def test_hits_on_the_beat_are_counted_however_many_there_are():
    project = demo_project()
    beats = Beats(np.arange(1.0, 200.0, 0.5), 120.0)
    ear = Ear(project, None, project.tracks[0], beats)
    on, off = [30, 45, 5970], [37, 52, 0]
    assert ear._on_beat(on) == 3 and ear._on_beat(off) == 0 and ear._on_beat([*on, *off]) == 3
    assert Ear(project, None, project.tracks[0], Beats(np.array([1.0]), 0.0))._on_beat(on) == 0


def test_luminance_is_that_of_the_standard():
    assert luminance(parse_colour("#ffffff")) == pytest.approx(1.0)
    assert luminance(parse_colour("#00ff00")) == pytest.approx(0.7152)
    assert luminance(np.array([[1.0, 0.0], [0.0, 0.0], [0.0, 1.0]])) == pytest.approx([0.2126, 0.0722])


def test_a_verb_fits_what_it_is_said_of():
    things = things_of(glasshouse())
    assert things["the glass"].says("sways", "sway") == "the glass sways"
    assert things["the panes"].says("sways", "sway") == "the panes sway"
    assert things["the two moths"].says("sways", "sway") == "the two moths sway"
