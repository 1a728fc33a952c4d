"""Values at the very edge of a rule, worked out by hand: what was changed on purpose by one sign or number went by."""

import io
from types import SimpleNamespace

import mido
import numpy as np
import pytest
from pydantic import ValidationError
from tests.conftest import Held
from tests.core.first_cut.test_checking import box
from tests.core.formats.hand_offs import FRAMES, leaf

from fern_tide.core.bake.flashing import FlashMeter
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.target import Target
from fern_tide.core.document import Project
from fern_tide.core.envelope.beats import Beats
from fern_tide.core.envelope.envelope import ReadingChoice, read_raw
from fern_tide.core.envelope.live_hits import HitsAsTheySound, _Last
from fern_tide.core.first_cut.first_cut import _FROM_ONE_ENVELOPE, _allowed
from fern_tide.core.first_cut.things import Thing
from fern_tide.core.formats.format import write
from fern_tide.core.formats.moments import MOST_BYTES, UnreadableMoments, read_moments
from fern_tide.core.formats.registry import FORMATS
from fern_tide.core.live.sprays import LiveSpray
from fern_tide.core.mapping.mapping import STEPS
from fern_tide.core.scene.arrays.throw import Leaving
from fern_tide.core.scene.extent import Extent
from fern_tide.core.scene.scene import Part
from fern_tide.core.scene.way import of_curves, through
from fern_tide.demo.project import demo_project


@pytest.mark.parametrize(
    ("narrowest", "widest", "row"),
    [(1.0, 1.0, True), (0.7, 1.0, True), (0.6, 1.0, False), (1.0, 1.45, True), (1.0, 1.6, False)],
)
def test_a_row_is_of_about_one_width(narrowest, widest, row):
    wide = 0.06

    def extent(left, share):
        edges = (left, 0.5, left + share * wide, 0.9)
        return Extent(edges, edges, (left, 0.5))

    extents = (extent(0.1, narrowest), extent(0.3, 1.0), extent(0.5, widest))
    parts = tuple(box(0, 0, 10, 10, name=f"Pane {number}") for number in range(3))
    assert Thing(parts, extents, "the three panes").is_row is row


@pytest.mark.parametrize("new_frames", [1, 3, 4, 5, 9])
def test_drops_that_left_are_counted_however_many_frames_come_at_once(new_frames):
    """A steady rate of 6 a second, four frames remembered: what left before the first of them is rate x time."""
    part = Part.model_validate(
        {"id": "mist", "name": "Mist", "shape": {"id": "array", "params": {"layout": {"id": "spray"}}}}
    )
    spray = LiveSpray(part, rate=FrameRate.parse("24"))
    target, remembered, frames = Target(part="mist", property="rate"), 4, 4
    before_s = spray.left({target: np.full(remembered, 6.0)}, frames=remembered, more=remembered) / 6.0
    for _ in range(3):
        frames += new_frames
        left = spray.left({target: np.full(remembered, 6.0)}, frames=remembered, more=new_frames)
        assert left == pytest.approx(6.0 * (before_s + (frames - remembered) / 24))


def test_stairs_stay_until_the_reach_is_left(context):
    step = STEPS["stairs"]
    params = step.params(levels=5, stickiness=0.5)  # reaches 0.75 of a level
    at, past = 0.75 / 4, 0.7500001 / 4
    lift = np.array([0.0, at, at, past])
    np.testing.assert_array_equal(step.apply(lift, params=params, context=context), [0, 0, 0, 0.25])


def test_no_envelope_leads_more_of_a_first_cut_than_it_may():
    def measured(number):
        drive = SimpleNamespace(target=Target(part=f"p{number}", property="x"))
        mapping = SimpleNamespace(envelope="low", drives=(drive,))
        return SimpleNamespace(mapping=mapping, candidate=SimpleNamespace(rule=f"r{number}"))

    chosen = [measured(number) for number in range(_FROM_ONE_ENVELOPE)]
    assert _allowed(measured(99), chosen[:-1]) and not _allowed(measured(99), chosen)


def test_lists_of_moments_are_as_large_as_they_may_be_and_names_as_long():
    head = "time_s,name\n1.5,"
    (moment,) = read_moments((head + "n" * 121 + "\n").encode())
    (cue,) = read_moments(f"WEBVTT\n\n00:01.500 --> 00:02.000\n{'n' * 121}\n".encode())
    assert moment.name == cue.name == "n" * 120
    filled = f"{head}Drip".encode().ljust(MOST_BYTES, b"\n")
    assert len(read_moments(filled)) == 1
    with pytest.raises(UnreadableMoments, match="MB"):
        read_moments(filled + b"\n")


def test_the_first_wrong_entry_of_a_list_ends_the_look():
    plain = demo_project().model_dump(mode="json") | {"markers": [{"time_s": "never"}] * 50}
    with pytest.raises(ValidationError) as wrong:
        Project.model_validate(plain)
    assert {error["loc"][:2] for error in wrong.value.errors()} == {("markers", 0)}


def test_up_is_the_same_where_a_closed_way_meets_itself():
    angles = np.linspace(0, 2 * np.pi, 12, endpoint=False)
    points = np.stack([np.cos(angles), 0.6 * np.sin(2 * angles), np.sin(angles)], axis=1) * 100  # leaves its plane
    line = of_curves(through(points, closed=True))
    ends = np.array([0.0, 1.0])
    ups = line.ups(ends, line.tangents(ends))
    np.testing.assert_allclose(ups[:, 0], ups[:, 1], atol=1e-6)


@pytest.mark.parametrize("sensitivity", [0.2, 0.5, 0.8])
def test_a_live_hit_must_reach_the_same_share_of_a_strong_one_as_in_a_file(sensitivity):
    """SIGNAL.md: 0.12 of it at sensitivity 0.5, a factor of four over the whole range to either side."""
    hits = HitsAsTheySound(
        low_hz=0.0, high_hz=20_000.0, sensitivity=sensitivity, least_gap_s=0.1, sample_rate_hz=48_000
    )
    for rise in [50.0] + [0.0] * 400:
        hits._rises.append(rise)
    assert hits._threshold() == pytest.approx(0.12 * 4.0 ** (1 - 2 * sensitivity) * 50.0)


def test_a_beat_in_the_frame_after_the_last_gives_no_pulse():
    beats = Beats(np.array([0.5, 1.0, 2.0]), 60.0)
    source = Held(None, {}, rate=FrameRate.parse("30"), n_frames=60, beats=beats)
    level = read_raw(ReadingChoice.parse("beats given=pulses"), source)
    assert np.flatnonzero(level).tolist() == [15, 30]


def test_controllers_end_when_the_curve_does():
    made = leaf(("leaf:x", 0.0, 10.0))
    track = mido.MidiFile(file=io.BytesIO(write(made, format=FORMATS["midi"]).content)).tracks[-1]
    a_frame = next(message.time for message in track if message.type == "control_change" and message.time)
    assert sum(message.time for message in track) == FRAMES * a_frame


def test_drops_of_the_last_frame_leave_when_the_rate_has_let_them():
    """A rate that climbs by 30 a second from 0: drop n leaves at sqrt(2 n / 30)."""
    fps, frames = 30.0, 61
    leaving = Leaving(rate=30.0 * np.arange(frames) / fps, fps=fps, before_s=0.0)
    drops = np.arange(1, leaving.counts[-1] + 1)
    np.testing.assert_allclose(leaving.times(drops), np.sqrt(2.0 * drops / 30.0), atol=1e-9)
    steep = Leaving(rate=np.array([0.0, 0.0, 60.0]), fps=1.0, before_s=0.0)
    np.testing.assert_allclose(steep.times(np.array([15])), 1.0 + np.sqrt(2 * 15 / 60.0))


@pytest.mark.parametrize("other", [(1, 2), (2, 1)])
def test_a_red_with_much_of_either_other_colour_is_not_saturated(other):
    red = np.zeros((72, 96, 3), dtype=np.uint8)
    red[..., 0], red[..., other[0]] = 255, 148  # 0.30 in light: red is 77 % of all, where 80 % count
    meter = FlashMeter(30.0)
    for frame in range(60):
        meter.take(red if frame // 3 % 2 else np.zeros_like(red))
    assert not meter.flashing().red.any()


def test_of_numbers_that_come_the_last_ones_stay_however_many_come():
    last = _Last(5)
    assert last.numbers.size == 0
    for number in range(1, 40):
        last.append(number)
        assert last.numbers.tolist() == list(range(max(1, number - 4), number + 1))
