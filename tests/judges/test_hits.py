"""Hits over noises of many kinds and in loops of drums, judged by mir_eval and by where they were put."""

import mir_eval
import numpy as np
import pytest
from tests.core.envelope.test_hits_and_beats import hits_in
from tests.judges.hits import HITS, NOISES, RATE_HZ, drum_loop, hits_over

from fern_tide.core.base.frame_rate import FrameRate


def f_measure(truth: np.ndarray, found_s: np.ndarray) -> float:
    return mir_eval.onset.f_measure(truth / RATE_HZ, found_s, window=0.05)[0]


@pytest.mark.parametrize("noise_db", [-60, -45, -30])
@pytest.mark.parametrize("noise", NOISES)
def test_sixteen_hits_over_noise_are_sixteen(noise, noise_db):
    for hit in HITS:
        sound, at = hits_over(hit, noise, noise_db=noise_db)
        hits = hits_in(sound)
        assert f_measure(at, hits.times_s) >= 0.95
        false = [s for t, s in zip(hits.times_s, hits.strengths, strict=True) if np.abs(at / RATE_HZ - t).min() > 0.05]
        assert max(false, default=0.0) < 0.35


@pytest.mark.parametrize("noise", NOISES)
def test_noise_alone_has_next_to_no_hits_however_loud(noise):
    sound = NOISES[noise](np.random.default_rng(9), 30 * RATE_HZ)
    for level in (0.001, 0.3):
        assert len(hits_in(sound * level)) <= 2


@pytest.mark.parametrize("seed", range(4))
def test_loops_of_drums_are_found_whole_and_to_the_sample(seed):
    sound, at = drum_loop(seed)
    hits = hits_in(sound)
    assert f_measure(at, hits.times_s) >= 0.97
    late = np.array([hits.times_s[np.abs(hits.times_s - a / RATE_HZ).argmin()] * RATE_HZ - a for a in at])
    assert np.percentile(late, 2) > -0.5 and np.percentile(late, 95) <= 8


@pytest.mark.parametrize("hit", ["clicks", "drums", "ticks"])
@pytest.mark.parametrize("rate", ["24", "24000/1001", "30", "60"])
def test_a_hit_on_the_first_sample_of_a_frame_belongs_to_that_frame(rate, hit):
    fps = FrameRate.parse(rate)
    frames = np.array([7, 30, 31 + 24, 101, 150, 201, 222, 263, 300])
    at = fps.first_samples(frames, sample_rate_hz=RATE_HZ)
    sound, _ = hits_over(hit, "white", noise_db=-60, at=at)
    found = fps.frames_of_times(hits_in(sound).times_s)
    assert set(frames) <= set(found.tolist())
    assert not set(frames - 1) & set(found.tolist())
