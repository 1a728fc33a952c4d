"""What is heard while a sound comes, judged from outside: hits by mir_eval, loudness by ffmpeg's meter."""

import re
import subprocess

import mir_eval
import numpy as np
import pytest
from tests.conftest import wav
from tests.core.live.test_live_run import played, project, run_of
from tests.judges.hits import HITS, NOISES, RATE_HZ, drum_loop, hits_over

from fern_tide.core.envelope.hits import USUAL_GAP_MS, USUAL_SENSITIVITY
from fern_tide.core.envelope.live_hits import HitsAsTheySound
from fern_tide.core.sound.live_rises import RisesAsTheyCome

LATE_S = 0.022  # half a window and a hop


def heard(sound: np.ndarray) -> np.ndarray:
    """Give when hits are known, in seconds."""
    rising = RisesAsTheyCome(RATE_HZ)
    gap_s, band = USUAL_GAP_MS / 1000, {"low_hz": 20.0, "high_hz": 20_000.0}
    hits = HitsAsTheySound(**band, sensitivity=USUAL_SENSITIVITY, least_gap_s=gap_s, sample_rate_hz=RATE_HZ)
    x = sound[np.newaxis].astype(np.float32)
    return np.concatenate([hits(rising.add(x[:, at : at + 5_000]))[0] for at in range(0, x.shape[1], 5_000)]) / RATE_HZ


@pytest.mark.parametrize("noise_db", [-60, -30])
@pytest.mark.parametrize("noise", NOISES)
def test_sixteen_hits_over_noise_are_known_live_soon_after_they_sound(noise, noise_db):
    for hit in HITS:
        sound, at = hits_over(hit, noise, noise_db=noise_db)
        times = heard(sound)
        assert mir_eval.onset.f_measure(at / RATE_HZ, times - LATE_S, window=0.05)[0] >= 0.93
        late = [times[np.abs(times - begin).argmin()] - begin for begin in at / RATE_HZ]
        assert 0.0 < np.median(late) < 0.030


@pytest.mark.parametrize("seed", range(4))
def test_loops_of_drums_are_heard_live(seed):
    sound, at = drum_loop(seed)
    assert mir_eval.onset.f_measure(at / RATE_HZ, heard(sound) - LATE_S, window=0.05)[0] >= 0.97


@pytest.mark.parametrize("noise", NOISES)
def test_noise_alone_has_next_to_no_hits_live(noise):
    sound = NOISES[noise](np.random.default_rng(9), 30 * RATE_HZ)
    assert [len(heard(sound * level)) <= 2 for level in (0.001, 0.3)] == [True, True]


@pytest.mark.parametrize(("window", "letter"), [("momentary", "M"), ("short_term", "S")])
def test_live_loudness_is_what_a_meter_shows_at_that_moment(window, letter, tmp_path):
    """ffmpeg's meter looks back as a live level does: every 100 ms it says what the last 400 ms, or 3 s, were."""
    rng = np.random.default_rng(3)
    n = 8 * 48_000
    sound = rng.normal(size=(2, n)) * 0.1 * (0.1 + np.abs(np.sin(np.arange(n) / 40_000)))
    path = tmp_path / "a.wav"
    path.write_bytes(wav(sound))
    command = [
        "ffmpeg",
        "-nostats",
        "-i",
        str(path),
        "-af",
        "ebur128=framelog=verbose",
        "-v",
        "verbose",
        "-f",
        "null",
        "-",
    ]
    told = subprocess.run(command, capture_output=True, text=True, check=True).stderr
    read = re.findall(rf"t: ?([\d.]+) .*?{letter}: ?(-?[\d.]+)", told)
    judged = {round(10 * float(time)): float(lufs) for time, lufs in read}
    levels, _, _ = played(run_of(project([f"loudness window={window}"], rate="10", clean_up=())), sound, [n // 3])
    live = 20 * np.log10(levels["e0"])
    ends = [at for at in judged if 31 <= at <= len(live)]
    assert len(ends) > 40
    np.testing.assert_allclose(live[np.array(ends) - 1], [judged[at] for at in ends], atol=0.11)


@pytest.mark.parametrize("hz", [220, 1_000, 5_000])
def test_where_a_sound_is_cut_off_there_is_no_hit(hz):
    """The spectrum spreads at an end as it does at a beginning."""
    t = np.arange(8 * RATE_HZ) / RATE_HZ
    sound = 0.5 * np.sin(2 * np.pi * hz * t) * (t % 1.0 > 0.5) + 1e-4 * np.random.default_rng(1).normal(size=t.size)
    np.testing.assert_allclose(heard(sound) - LATE_S, np.arange(8) + 0.5, atol=0.02)
