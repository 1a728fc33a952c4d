"""Edges that a small slip would move: caps, clips, phases, windows at the ends, largest rather than mean."""

import io
from dataclasses import replace

import numpy as np
import pytest
from PIL import Image
from tests.conftest import read, wav
from tests.core.scene.test_svg import svg

from fern_tide.core.bake.bake import bake
from fern_tide.core.bake.checks.near_zero_scale import CHECK
from fern_tide.core.bake.curve import Curve
from fern_tide.core.base.errors import UnreadableScene
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.target import Target
from fern_tide.core.envelope.beat_grid import BeatSetting, beat_grid
from fern_tide.core.envelope.beats import Beats
from fern_tide.core.formats.format import HandOff, write
from fern_tide.core.formats.moments import Moment, read_moments, write_csv
from fern_tide.core.formats.registry import FORMATS
from fern_tide.core.mapping.colour import mix_colours
from fern_tide.core.mapping.drive import Drive, Stacking
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.mapping.marks import Marks, Scale, crossings, histogram, lift
from fern_tide.core.scene import images
from fern_tide.core.scene.follow import Follow, Law, Limit, followed
from fern_tide.core.scene.scene import Part, PartChoice, Scene
from fern_tide.core.scene.svg.reading import read_svg
from fern_tide.core.sound.decode import measure
from fern_tide.core.sound.mix import MixTrack, mix_blocks
from fern_tide.core.sound.running import Waveform
from fern_tide.core.sound.spectrum import Window, resolve
from fern_tide.core.sound.whole import FiguresReader

LEAF = Scene(name="Leaf", parts=(Part(id="leaf", name="Leaf", shape=PartChoice(id="ellipse")),))


def curve(values, name="opacity") -> Curve:
    item = LEAF.part("leaf").property(name)
    return Curve(Target.parse(f"leaf:{name}"), "Leaf", item.label, item.unit, "number", np.asarray(values, dtype=float))


def test_the_error_of_a_read_back_is_the_largest_not_the_mean():
    spec = FORMATS["csv"]
    values = np.linspace(0, 1, 100)

    def one_off(content, hand_off, params):
        read = values.copy()
        read[37] += 0.5
        return {Target.parse("leaf:opacity"): read}

    written = write(
        HandOff("L", LEAF, (curve(values),), FrameRate.parse("30"), 100), format=replace(spec, read_back=one_off)
    )
    assert written.error == pytest.approx(0.5) and str(written.worst) == "leaf:opacity"


def mixed(*contents, n=4, **more) -> np.ndarray:
    """Mix sounds at their own rate, block by block, shape (2, n)."""
    tracks = [MixTrack(io.BytesIO(content), measure(io.BytesIO(content)), 0, 1.0, **more) for content in contents]
    return np.concatenate(list(mix_blocks(tracks, rate_hz=48_000, n_samples=n)), axis=1)


def test_a_mix_takes_the_two_first_channels_and_one_channel_for_both():
    one, two, three = ([[0.1, 0.2, 0.3, 0.4]] + [[0.01 * k] * 4 for k in range(1, n)] for n in (1, 2, 3))
    np.testing.assert_allclose(mixed(wav(np.array(one)))[1], [0.1, 0.2, 0.3, 0.4], atol=1e-6)
    for rows in (two, three):
        np.testing.assert_allclose(mixed(wav(np.array(rows))), rows[:2], atol=1e-6)
    np.testing.assert_allclose(mixed(wav(np.array(one)), wav(np.array(two)))[1], np.array(one[0]) + 0.01, atol=1e-6)


def test_loudness_needs_four_tenths_of_a_second_and_no_more():
    reader = FiguresReader(sample_rate_hz=48_000)
    reader.add(np.full((1, 19_200), 0.1, dtype=np.float32) * np.sin(np.arange(19_200) / 8, dtype=np.float32))
    assert reader.finish().loudness_lufs is not None
    short = FiguresReader(sample_rate_hz=48_000)
    short.add(np.full((1, 19_199), 0.1, dtype=np.float32))
    assert short.finish().loudness_lufs is None


def test_a_colour_that_nothing_moves_stands_still_in_every_frame():
    follow = Follow(target=Target.parse("leaf:fill"), source=Target.parse("leaf:stroke"))
    green = LEAF.parts[0].but(values={"stroke": "#204060"})
    (made,) = bake(LEAF.but(parts=(green,), follows=(follow,)), [], lifts={}, n_frames=3)
    np.testing.assert_allclose(made.values, np.repeat([[0x20], [0x40], [0x60]], 3, axis=1) / 255)


def test_a_mix_is_clipped_at_full_scale_on_both_sides():
    content = wav(np.array([[0.9, -0.9, 0.3, -0.3]]))
    tracks = [MixTrack(io.BytesIO(content), measure(io.BytesIO(content))) for _ in range(2)]
    mixed = np.concatenate(list(mix_blocks(tracks, rate_hz=48_000, n_samples=4)), axis=1)
    np.testing.assert_allclose(mixed, [[1, -1, 0.6, -0.6]] * 2, atol=1e-6)


def test_bars_begin_on_the_same_beat_after_doubling_and_halving():
    times = np.arange(16) * 0.5 + 0.25
    found = Beats(times, 120.0, True, 4, 3)
    for doublings in (1, -1, 2):
        grid = beat_grid(BeatSetting(doublings=doublings), found, offset_s=0.0, duration_s=8.0)
        bars = grid.times_s[grid.in_bar == 1]
        kept = times[3] if doublings > 0 else times[3::2][0]
        assert np.abs(bars - kept).min() < 1e-9, doublings


def test_stacked_colours_stay_within_what_a_colour_can_be():
    def mapping(name: str, stacking: Stacking) -> Mapping:
        drive = Drive(target=Target.parse("leaf:fill"), rest="#808080", full="#ffffff", stacking=stacking)
        return Mapping(id=name, name=name, envelope="e", marks=Marks(low=0, high=1), drives=(drive,))

    mappings = [mapping("a", Stacking.REPLACE), mapping("b", Stacking.ADD)]
    lifts = {"a": np.array([0.0, 1.0]), "b": np.array([1.0, 1.0])}
    (made,) = bake(LEAF, mappings, lifts=lifts, n_frames=2)
    assert made.values.min() >= 0.0 and made.values.max() <= 1.0
    beyond = mix_colours("#101010", "#f0f0f0", share=np.array([-1.0, 2.0]))
    assert beyond.min() >= 0.0 and beyond.max() <= 1.0


@pytest.mark.parametrize("detector", ["peak", "average", "minimum", "median", "rms"])
def test_a_window_at_the_sounds_ends_reads_only_what_is_there(detector):
    level = read(wav(np.full(4_800, 0.5)), f"amplitude detector={detector} window_ms=400", rate="30")
    np.testing.assert_allclose(level, 0.5, atol=1e-6)


def test_marks_at_their_very_edges():
    level = np.array([0.0999, 0.1, 0.1001, 0.5, 0.5001])
    for scale in Scale:
        found = lift(level, marks=Marks(low=0.1, high=0.5, scale=scale))
        assert found[0] == found[1] == 0.0 < found[2] < 0.01 and found[3] == found[4] == 1.0
    spilt = lift(level, marks=Marks(low=0.1, high=0.5, spill=True))
    assert spilt[4] > 1.0 and spilt[0] == 0.0
    assert crossings(np.array([1.0, 0.0, 0.1, 0.11, 0.1, 0.2]), mark=0.1) == 3
    counts, low, high = histogram(np.array([0.0, 0.0, 1.0]), scale=Scale.LINEAR)
    assert counts[0] == 2 and counts.sum() == 3 and (low, high) == (0.0, pytest.approx(1.05))


def test_limits_hold_one_end_or_both_and_nothing_else():
    values, target = np.array([-1.0, 0.0, 2.0]), Target.parse("leaf:x")
    assert Limit(target=target, low=-0.5).hold(values).tolist() == [-0.5, 0, 2]
    assert Limit(target=target, high=1.0).hold(values).tolist() == [-1, 0, 1]
    assert Limit(target=target, low=0.0, high=0.0).hold(values).tolist() == [0, 0, 0]
    assert Limit(target=target).hold(values).tolist() == values.tolist()


def test_what_follows_is_late_by_whole_frames_and_keeps_an_area():
    a, b = Target.parse("leaf:scale_y"), Target.parse("leaf:scale_x")
    source = np.array([1.0, 2.0, 4.0, -4.0])
    late = followed(
        source, follow=Follow(target=b, source=a, late_frames=1, factor=2.0, offset=1.0), own=1, source_own=1
    )
    assert late.tolist() == [3, 3, 5, 9]
    area = followed(source, follow=Follow(target=b, source=a, law=Law.AREA), own=3, source_own=2)
    np.testing.assert_allclose(area, [6, 3, 1.5, 1.5])
    volume = followed(source, follow=Follow(target=b, source=a, law=Law.VOLUME), own=3, source_own=1)
    np.testing.assert_allclose(volume, [3, 3 / np.sqrt(2), 1.5, 1.5])


@pytest.mark.parametrize(("least", "found"), [(0.0099, 1), (0.01, 0), (-0.0099, 1), (-0.5, 0)])
def test_a_scale_is_near_zero_below_a_hundredth_whatever_its_sign(least, found):
    values = [1.0, 0.8, least, 1.0]
    findings = CHECK.look(curve(values, "scale_x"), CHECK.params())
    assert len(findings) == found and all(item.frame == 2 for item in findings)
    assert CHECK.look(curve(values, "opacity"), CHECK.params()) == []


def test_the_waveform_keeps_every_extreme_whatever_the_blocks():
    x = np.zeros((2, 700), dtype=np.float32)
    x[0, 255], x[1, 256], x[0, 511], x[1, 699] = 0.5, -0.6, 0.7, 0.8
    for sizes in ([700], [1, 255, 256, 188], [300, 400]):
        out = np.zeros((2, 3), dtype=np.float32)
        waveform = Waveform(out)
        for start, size in zip(np.cumsum([0, *sizes[:-1]]), sizes, strict=True):
            waveform.add(x[:, start : start + size])
        waveform.finish()
        np.testing.assert_allclose(out, [[0, -0.6, 0], [0.5, 0.7, 0.8]])


def test_auto_takes_a_window_in_which_a_band_is_exactly_eight_bins_wide():
    bin_hz = 48_000 / 1024
    assert resolve(Window.AUTO, low_hz=0, high_hz=8 * bin_hz, sample_rate_hz=48_000) is Window.TIGHT
    assert resolve(Window.AUTO, low_hz=0, high_hz=8 * bin_hz - 0.01, sample_rate_hz=48_000) is Window.BALANCED


def test_a_picture_of_just_too_many_pixels_is_refused(monkeypatch):
    out = io.BytesIO()
    Image.new("RGB", (20, 10)).save(out, "PNG")
    monkeypatch.setattr(images, "MOST_PIXELS", 200)
    assert images.measure_image(out.getvalue()).width == 20
    monkeypatch.setattr(images, "MOST_PIXELS", 199)
    with pytest.raises(UnreadableScene, match="million pixels"):
        images.measure_image(out.getvalue())


@pytest.mark.parametrize("name", ["=1+1", "+1", "-2", "@cmd", "plain", "'=quoted"])
def test_a_name_that_a_spreadsheet_would_run_is_tamed_and_comes_back(name):
    text = write_csv([Moment(1.0, name)])
    cell = text.splitlines()[1].split(",")[1]
    assert cell[0] not in "=+-@"
    assert read_moments(text.encode())[0].name in {name, name.removeprefix("'")}


@pytest.mark.parametrize(
    "hostile",
    [
        '<rect fill="src(http://elsewhere/x)"/>',
        '<rect fill="image-set(&quot;http://elsewhere/x&quot; 1x)"/>',
        r'<rect fill="\75 rl(http://elsewhere/x)"/>',
        '<rect style="fill: SRC(url(http://elsewhere))"/>',
        '<a href="http://elsewhere"><rect/></a>',
        '<use href="http://elsewhere#x"/>',
        '<rect><animate attributeName="style" values="a;b" dur="1s"/></rect>',
        '<rect><set attributeName="href" to="http://elsewhere"/></rect>',
        '<rect><animate attributeName="onclick" values="a;b" dur="1s"/></rect>',
        '<style>rect { background: image-set("http://elsewhere/x") }</style><rect/>',
    ],
)
def test_nothing_in_an_svg_reaches_elsewhere(hostile):
    text = read_svg(svg(f'{hostile}<rect id="kept" width="3"/>')).text.decode()
    assert "elsewhere" not in text and "onclick" not in text and 'attributeName="style"' not in text
    assert "kept" in text
