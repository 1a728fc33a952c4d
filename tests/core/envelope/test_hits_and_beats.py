"""Hits are found where the sound sets in, beats where they are; and people can correct both."""

import io

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import Held, read, sine, wav

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.envelope.beat_grid import BeatSetting, beat_grid, on_beat
from fern_tide.core.envelope.beats import NO_BEATS, Beats, find_beats, rhythm
from fern_tide.core.envelope.envelope import ReadingChoice, read_raw
from fern_tide.core.envelope.hits import Hits, find_hits, rise
from fern_tide.core.sound.decode import measure
from fern_tide.core.sound.features import AttacksFeature, RisesFeature, analyze
from fern_tide.core.sound.grid import FrameGrid
from fern_tide.core.sound.onsets import RISE_BANDS, n_rises, rise_hop
from fern_tide.demo.project import demo_sounds

RATE_HZ = 44_100


def analyzed(sound: np.ndarray, rate_hz: int = RATE_HZ):
    content = wav(sound, rate_hz=rate_hz)
    info = measure(io.BytesIO(content))
    grid = FrameGrid(FrameRate.parse("30"), rate_hz, info.n_samples)
    found = analyze(io.BytesIO(content), info, grid=grid, features=[RisesFeature(), AttacksFeature()])
    return found[RisesFeature()], found[AttacksFeature()]


def hits_in(sound: np.ndarray, *, band=(20, 20_000), sensitivity=0.5, gap_s=0.08, rate_hz=RATE_HZ) -> Hits:
    rises, attacks = analyzed(sound, rate_hz)
    novelty = rise(rises, low_hz=band[0], high_hz=band[1], sample_rate_hz=rate_hz)
    return find_hits(novelty, attacks, sample_rate_hz=rate_hz, sensitivity=sensitivity, least_gap_s=gap_s)


def band_drums(bpm: float, *, n_beats: int = 48, seed: int = 3, wander: float = 0.0) -> tuple[np.ndarray, np.ndarray]:
    """Low and high hits in turn on every beat, over a faint noise: (samples, times of the beats)."""
    rng, gap = np.random.default_rng(seed), 60.0 / bpm
    times = 0.5 + gap * np.arange(n_beats) * (1.0 + wander * np.arange(n_beats) / n_beats)
    sound = rng.normal(size=int((times[-1] + 2.0) * RATE_HZ)) * 1e-4
    t = np.arange(RATE_HZ // 5) / RATE_HZ
    low = np.sin(2 * np.pi * 60 * t) * np.exp(-t / 0.06)
    for beat, time in enumerate(times):
        hit = low if beat % 4 == 0 else np.diff(np.diff(rng.normal(size=t.size + 2))) * np.exp(-t / 0.03) * 0.2
        at = round(time * RATE_HZ)
        sound[at : at + t.size] += 0.6 * hit
    return sound, np.round(times * RATE_HZ) / RATE_HZ


def found_beats(sound: np.ndarray) -> Beats:
    rises, attacks = analyzed(sound)
    hits, low = (
        find_hits(
            rise(rises, low_hz=a, high_hz=b, sample_rate_hz=RATE_HZ),
            attacks,
            sample_rate_hz=RATE_HZ,
            sensitivity=0.5,
            least_gap_s=0.08,
        )
        for a, b in ((0, RATE_HZ / 2), (20, 150))
    )
    return find_beats(
        rise(rises, low_hz=0, high_hz=RATE_HZ / 2, sample_rate_hz=RATE_HZ, evenly=True),
        hits,
        low,
        sample_rate_hz=RATE_HZ,
    )


@pytest.mark.parametrize("rate_hz", [22_050, 44_100, 48_000, 96_000])
def test_a_click_is_a_hit_within_32_samples_of_itself(rate_hz):
    sound = np.random.default_rng(1).normal(size=3 * rate_hz) * 1e-5
    for at in (rate_hz // 2, rate_hz + 777, 2 * rate_hz + 31):
        sound[at : at + 200] += np.exp(-np.arange(200) / 50) * np.sign(np.cos(np.arange(200) * 1.7))
    hits = hits_in(sound, rate_hz=rate_hz)
    wanted = np.array([rate_hz // 2, rate_hz + 777, 2 * rate_hz + 31]) / rate_hz
    np.testing.assert_allclose(hits.times_s, wanted, atol=40 / rate_hz)
    assert hits.strengths.max() <= 1.0


def test_silence_has_no_hits_and_a_single_loud_sample_is_one():
    assert len(hits_in(np.zeros(RATE_HZ))) == 0
    assert hits_in(np.concatenate([[0.5], np.zeros(RATE_HZ)])).times_s.tolist() == [0.0]


def test_a_steady_tone_is_one_hit_at_its_start_at_most():
    sound = np.concatenate([np.zeros(RATE_HZ), sine(440, seconds=3, rate_hz=RATE_HZ)])
    hits = hits_in(sound)
    assert len(hits) == 1
    assert hits.times_s[0] == pytest.approx(1.0, abs=0.003)


def test_hits_of_a_band_leave_out_those_of_another():
    sound, times = band_drums(120)
    low = hits_in(sound, band=(20, 150))
    assert all(np.abs(low.times_s - time).min() < 0.004 for time in times[::4])
    assert len(low) <= len(times[::4]) + 2  # a burst of noise may hold some low


def test_sensitivity_takes_more_and_the_gap_takes_fewer():
    rng = np.random.default_rng(2)
    sound = rng.normal(size=4 * RATE_HZ) * 1e-4
    for k in range(20):
        at = round((0.1 + 0.18 * k) * RATE_HZ)
        sound[at : at + 2_000] += (
            rng.normal(size=2_000) * np.exp(-np.arange(2_000) / 400) * (0.5 if k % 2 == 0 else 0.003)
        )
    few, many = (len(hits_in(sound, sensitivity=s)) for s in (0.1, 1.0))
    assert few <= 10 < many
    assert len(hits_in(sound, sensitivity=1.0, gap_s=0.3)) < many


@pytest.mark.parametrize("bpm", [84, 100, 120, 140, 168])
def test_beats_of_clean_drums_are_found_to_a_few_milliseconds(bpm):
    sound, truth = band_drums(bpm)
    beats = found_beats(sound)
    apart_ms = np.array([np.abs(beats.times_s - time).min() for time in truth]) * 1000
    assert np.median(apart_ms) < 2 and np.percentile(apart_ms, 95) < 5
    assert beats.steady
    ratio = beats.bpm / bpm
    assert min(abs(ratio - r) for r in (0.5, 1.0, 2.0)) < 1e-3


def test_beats_go_on_to_the_end_of_the_sound():
    sound, _ = band_drums(120.0)
    assert 0 <= len(sound) / RATE_HZ - found_beats(sound).times_s[-1] < 0.51


def test_bars_begin_at_the_low_hits():
    sound, truth = band_drums(120)
    beats = found_beats(sound)
    assert beats.bpm == pytest.approx(120, abs=0.1)
    first_bars = beats.times_s[beats.in_bar == 1]
    apart = [np.abs(first_bars - time).min() for time in truth[::4]]
    assert np.median(apart) < 0.01


def test_beats_that_slow_down_are_followed():
    sound, truth = band_drums(126, wander=0.06)
    beats = found_beats(sound)
    apart_ms = np.array([np.abs(beats.times_s - time).min() for time in truth[2:-2]]) * 1000
    assert np.median(apart_ms) < 2
    assert np.percentile(apart_ms, 90) < 30


@pytest.mark.parametrize("sound", [np.zeros(4 * RATE_HZ), np.zeros(100)])
def test_silence_has_no_beats(sound):
    assert len(found_beats(sound).times_s) == 0


def test_the_rises_have_a_grid_of_their_own():
    rises, attacks = analyzed(np.zeros(44_100))
    assert rises.shape == (RISE_BANDS, n_rises(44_100, sample_rate_hz=44_100)) == (32, 100)
    assert attacks.shape == (4, 100) and rise_hop(44_100) == 441


FOUND = Beats(1.0 + 0.5 * np.arange(8), 120.0, True, 4, 2)


def grid(setting: BeatSetting | None = None, duration_s: float = 8.0, offset_s: float = 0.0) -> Beats:
    return beat_grid(setting or BeatSetting(), FOUND, offset_s=offset_s, duration_s=duration_s)


def test_a_found_grid_reaches_from_the_start_to_the_end_of_the_project():
    beats = grid()
    np.testing.assert_allclose(beats.times_s, 0.5 * np.arange(16), atol=1e-12)
    assert beats.times_s[beats.in_bar == 1].tolist() == pytest.approx([0.0, 2.0, 4.0, 6.0])  # bars at 2.0 as found


def test_a_late_track_has_late_beats():
    np.testing.assert_allclose(grid(offset_s=0.2).times_s[:2], [0.2, 0.7])


def test_doubling_and_halving_keep_bars_on_beats():
    assert grid(BeatSetting(doublings=1)).bpm == pytest.approx(240)
    assert len(grid(BeatSetting(doublings=1)).times_s) == 32
    halved = grid(BeatSetting(doublings=-1))
    assert halved.bpm == pytest.approx(60)
    assert 2.0 in halved.times_s[halved.in_bar == 1]


def test_half_a_beat_on_and_a_shift_move_the_grid():
    np.testing.assert_allclose(grid(BeatSetting(half_on=True)).times_s[0] % 0.5, 0.25)
    np.testing.assert_allclose(grid(BeatSetting(shift_s=0.1)).times_s[0] % 0.5, 0.1)


@given(bpm=st.floats(30, 300), first_s=st.floats(-100, 100), duration_s=st.floats(0.1, 300))
def test_an_even_grid_is_even_and_inside_and_goes_through_its_beat(bpm, first_s, duration_s):
    beats = beat_grid(BeatSetting(bpm=bpm, first_s=first_s), NO_BEATS, offset_s=0.0, duration_s=duration_s)
    period = 60.0 / bpm
    assert (beats.times_s >= -1e-6).all() and (beats.times_s < duration_s + 1e-6).all()
    np.testing.assert_allclose(np.diff(beats.times_s), period, rtol=1e-9)
    off = (beats.times_s - first_s) / period
    np.testing.assert_allclose(off, np.round(off), atol=1e-6)


def test_times_on_a_beat_are_counted():
    assert on_beat(np.array([0.01, 0.3, 0.52, 5.0]), np.array([0.0, 0.5, 1.0])) == 2
    assert on_beat(np.array([0.5]), np.array([0.5])) == 1
    assert on_beat(np.zeros(0), np.zeros(0)) == 0


def beats_read(text: str, beats: Beats, n_frames: int = 60) -> np.ndarray:
    source = Held(None, {}, rate=FrameRate.parse("30"), n_frames=n_frames, beats=beats)
    return read_raw(ReadingChoice.parse(text), source)


ONE_A_SECOND = Beats(np.array([0.0, 0.5, 1.0, 1.5]), 120.0, True, 2, 0)


def test_beat_pulses_lie_in_the_frames_that_own_the_beats():
    level = beats_read("beats others=0.25", ONE_A_SECOND)
    assert np.flatnonzero(level).tolist() == [0, 15, 30, 45]
    assert level[[0, 15, 30, 45]].tolist() == [1.0, 0.25, 1.0, 0.25]
    outside = Beats(np.array([-0.5, 0.5, 2.0]), 120.0, True, 2, 0)  # 2 s is the frame after the last
    assert np.flatnonzero(beats_read("beats", outside)).tolist() == [15]


def test_ramps_begin_on_the_beat_and_reach_the_next():
    climb = beats_read("beats given=climb", ONE_A_SECOND)
    assert climb[[0, 15, 30]].tolist() == [0.0, 0.0, 0.0]
    assert climb[14] == pytest.approx(14 / 15)
    np.testing.assert_allclose(beats_read("beats given=fall", ONE_A_SECOND), 1.0 - climb)


def test_every_second_beat_from_the_second_on():
    assert np.flatnonzero(beats_read("beats every=2 first=1", ONE_A_SECOND)).tolist() == [15, 45]


def test_without_beats_the_reading_is_silent():
    assert not beats_read("beats", NO_BEATS).any()


def test_hits_as_a_level_are_pulses_even_pulses_or_the_time_since():
    sound = np.random.default_rng(1).normal(size=2 * 48_000) * 1e-5
    for at, level in ((12_000, 1.0), (60_000, 0.5)):
        sound[at : at + 400] += level * np.exp(-np.arange(400) / 80)
    content = wav(sound)
    pulses, even, times = (read(content, f"hits given={given}") for given in ("pulses", "even", "times"))
    assert np.flatnonzero(pulses).tolist() == [7, 37]  # 0.25 s and 1.25 s at 30 fps
    assert pulses[7] == 1.0
    assert even[[7, 37]].tolist() == [1.0, 1.0]
    assert times[[7, 8, 37]].tolist() == pytest.approx([0.0, 1 / 30, 0.0])


def test_the_beat_of_a_mix_is_told_by_its_low_drums_not_by_its_many_ticks():
    content = demo_sounds()["Rain on Panes"]  # ticks fall between the drips as well as on them
    info = measure(io.BytesIO(content))
    grid = FrameGrid(FrameRate.parse("30"), info.sample_rate_hz, info.n_samples)
    found = analyze(io.BytesIO(content), info, grid=grid, features=[RisesFeature(), AttacksFeature()])
    _, beats = rhythm(found[RisesFeature()], found[AttacksFeature()], sample_rate_hz=info.sample_rate_hz)
    truth = np.arange(len(beats.times_s)) * 60.0 / 92.0
    np.testing.assert_allclose(beats.times_s, truth, atol=0.002)


@pytest.mark.parametrize("bpm", [84, 110, 128, 150, 160, 170])
def test_every_beat_counts_where_a_low_drum_falls_on_every_other_only(bpm):
    rng, gap = np.random.default_rng(bpm), 60.0 / bpm
    truth = 0.5 + gap * np.arange(48)
    sound = rng.normal(size=int(50 * gap * RATE_HZ)) * 1e-4
    t = np.arange(RATE_HZ // 4) / RATE_HZ
    drum = np.sin(2 * np.pi * (50 * t + 1 - np.exp(-30 * t))) * np.exp(-t / 0.08)
    for beat, time in enumerate(truth):
        at, between = round(time * RATE_HZ), round((time + gap / 2) * RATE_HZ)
        sound[at : at + t.size] += 0.6 * (drum if beat % 2 == 0 else rng.normal(size=t.size) * np.exp(-t / 0.05) * 0.5)
        sound[between : between + 1_200] += rng.normal(size=1_200) * np.exp(-np.arange(1_200) / 350) * 0.12
    rises, attacks = analyzed(sound)
    _, beats = rhythm(rises, attacks, sample_rate_hz=RATE_HZ)
    apart_ms = np.array([np.abs(beats.times_s - time).min() for time in truth]) * 1000
    assert np.percentile(apart_ms, 95) < 2


def test_a_tempo_map_gives_its_beats_and_is_corrected_like_a_found_grid():
    tempos = ({"time_s": 0.5, "bpm": 120}, {"time_s": 1.75, "bpm": 60}, {"time_s": 4.25, "bpm": 240})
    setting = BeatSetting.model_validate({"tempos": tempos, "per_bar": 3})
    # 2.5 beats go by at 120; half a beat is left, which takes 0.5 s at 60; then 2 more to 4.25
    expected = [0.0, 0.5, 1.0, 1.5, 2.25, 3.25, 4.25, 4.5, 4.75]
    beats = grid(setting, duration_s=5.0)
    np.testing.assert_allclose(beats.times_s, expected)
    assert (
        beats.times_s[beats.in_bar == 1].tolist() == [0.5, 2.25, 4.5] and not beats.steady and not setting.needs_track
    )
    np.testing.assert_allclose(grid(setting.but(half_on=True), duration_s=2.0).times_s, [0.25, 0.75, 1.25, 1.875])
    np.testing.assert_allclose(
        grid(setting.but(doublings=1), duration_s=1.3).times_s, [0.0, 0.25, 0.5, 0.75, 1.0, 1.25]
    )
    one = BeatSetting.model_validate({"tempos": tempos[:1]})
    assert grid(one).steady and grid(one).bpm == 120 and BeatSetting().needs_track
    with pytest.raises(InvalidParameter, match="rise in time"):
        BeatSetting.model_validate({"tempos": tempos[::-1]})
