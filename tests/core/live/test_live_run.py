"""A project moved by what comes: the same in blocks of any size, what a bake makes of it where nothing is one-sided."""

import numpy as np
import pytest
from tests.conftest import drums, read, sine, wav

from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.target import Target
from fern_tide.core.document import Project, Track
from fern_tide.core.envelope.envelope import CleanUpChoice, Envelope, ReadingChoice
from fern_tide.core.live.run import MOST_BACK_FRAMES, LiveRun
from fern_tide.core.mapping.drive import Drive
from fern_tide.core.mapping.mapping import Mapping, StepChoice
from fern_tide.core.mapping.marks import Marks
from fern_tide.core.scene.follow import Follow
from fern_tide.core.sound.decode import SoundInfo
from fern_tide.demo.bench_scene import potting_bench
from fern_tide.demo.project import demo_project
from fern_tide.demo.scene import glasshouse

RATE_HZ = 48_000
INFO = SoundInfo(format="WAV", encoding="float", channels=2, sample_rate_hz=RATE_HZ, n_samples=10 * RATE_HZ)
READINGS = [
    "amplitude",
    "amplitude detector=peak channel=left",
    "amplitude detector=median window_ms=150 channel=loudest",
    "band low_hz=40 high_hz=180",
    "band low_hz=20 high_hz=60",
    "band low_hz=9000 high_hz=9180 window=fine",
    "band low_hz=2000 high_hz=9000 window=tight channel=side",
    "bank bands=6 equalise=each",
    "bank bands=4 equalise=none",
    "loudness",
    "loudness window=short_term",
    "brightness",
    "noisiness",
    "pitch_classes",
    "waveform points=8 window_ms=200",
    "hits",
    "hits given=times",
    "blend first=e0 second=e3",
]
CLEANING = ("rise_and_fall rise_ms=20 fall_ms=200", "smooth width_ms=90", "gate open_db=-40 close_db=-50")


def project(readings=READINGS, *, rate="30", clean_up=CLEANING, steps=(), **more):
    """One envelope a reading, and a mapping of each onto the lamp."""
    fps, scene = FrameRate.parse(rate), more.pop("scene", glasshouse())
    track = Track(id="t", name="T", media="a" * 64, info=INFO)
    envelopes = [
        Envelope(
            id=f"e{at}",
            name=f"E {at}",
            track=None if text.startswith("blend") else "t",
            reading=ReadingChoice.parse(text),
            clean_up=tuple(map(CleanUpChoice.parse, clean_up)),
        )
        for at, text in enumerate(readings)
    ]
    target = Target.parse(more.pop("target", "lamp:scale_x"))
    mappings = [
        Mapping(
            id=f"m{at}",
            name=f"M {at}",
            envelope=envelope.id,
            marks=Marks(low="-50dB", high="-10dB", scale="db"),
            steps=tuple(map(StepChoice.parse, steps)),
            drives=(Drive(target=target, rest=0.0, full=1.0, stacking="add", **more),),
        )
        for at, envelope in enumerate(envelopes)
    ]
    return Project(
        name="Live", rate=fps, tracks=(track,), envelopes=tuple(envelopes), mappings=tuple(mappings), scene=scene
    )


def played(run, sound, cuts):
    """Push a sound through: levels and lifts of all frames, and how the curves stood after each stretch."""
    levels, lifts, curves = [], [], []
    for first, last in zip([0, *cuts], [*cuts, sound.shape[1]], strict=True):
        moved = run.take(sound[:, first:last].astype(np.float32))
        if moved is None:
            continue
        levels.append({name: level.copy() for name, level in run.levels.items()})
        lifts.append(moved)
        curves.append((run.frame, {str(target): values[..., -1] for target, values in run.curves().items()}))
    joined = [
        {name: np.concatenate([one[name] for one in many], axis=-1) for name in many[0]} for many in (levels, lifts)
    ]
    return (*joined, dict(curves))


def messy(seconds=6.0):
    rng = np.random.default_rng(11)
    sound = drums(seconds=seconds, rate_hz=RATE_HZ)
    sound[0] += sine(9_090, amplitude=0.1, seconds=seconds) * (np.arange(sound.shape[1]) % RATE_HZ > 20_000)
    sound[1] += 0.02 * rng.normal(size=sound.shape[1])
    sound[:, 3 * RATE_HZ : 4 * RATE_HZ] = 0.0
    return sound


def run_of(document, **more):
    return LiveRun(document, sample_rate_hz=RATE_HZ, channels=2, **more)


@pytest.mark.parametrize(("size", "rate"), [(128, "30"), (960, "24000/1001"), (5_003, "60"), (70_000, "30")])
def test_a_sound_gives_the_same_levels_in_blocks_of_any_size(size, rate):
    document, sound = project(rate=rate, steps=("spring", "pulse hits=track", "wobble", "build_up", "wrap")), messy()
    once_levels, once_lifts, _ = played(run_of(document), sound, [])
    levels, lifts, _ = played(run_of(document), sound, range(size, sound.shape[1], size))
    assert levels.keys() == once_levels.keys() and len(levels) == len(READINGS)
    for name, level in levels.items():
        assert level.shape == once_levels[name].shape
        assert level.shape[-1] == int(sound.shape[1] * document.rate.fps) // RATE_HZ
        np.testing.assert_allclose(level, once_levels[name], atol=1e-6, err_msg=name)
        assert level.max() > 0.0, name
    for name, lift in lifts.items():
        np.testing.assert_allclose(lift, once_lifts[name], atol=1e-6, err_msg=name)


@pytest.mark.parametrize("rate", ["30", "30000/1001"])
def test_amplitude_of_the_frame_itself_is_live_what_it_is_of_the_whole(rate):
    texts = ["amplitude", "amplitude detector=peak channel=right", "amplitude detector=average channel=loudest"]
    sound = messy(3.0).astype(np.float32)
    levels, _, _ = played(run_of(project(texts, rate=rate, clean_up=())), sound, range(777, sound.shape[1], 777))
    for at, text in enumerate(texts):
        whole = read(wav(sound), text, rate=rate)
        n = levels[f"e{at}"].size
        np.testing.assert_allclose(levels[f"e{at}"], whole[:n], atol=1e-7)


def test_nothing_is_heard_before_it_sounds_and_a_click_is_heard_in_its_own_frame():
    sound = np.zeros((2, 2 * RATE_HZ))
    sound[:, 20 * 1600] = 0.9  # the first sample of frame 20
    levels, _, _ = played(
        run_of(project(["amplitude detector=peak", "band low_hz=20 high_hz=20000 window=balanced"], clean_up=())),
        sound,
        [],
    )
    assert np.flatnonzero(levels["e0"]).tolist() == [20]
    assert np.flatnonzero(levels["e1"] > 1e-6).min() == 20


def test_a_band_hears_the_window_that_ends_with_the_frame():
    """A Hann window of 1024 samples ending with the frame, transformed in double precision."""
    sound = messy(2.0).astype(np.float32)
    text = "band low_hz=2000 high_hz=7000 window=tight channel=left"
    run = run_of(project([text], clean_up=()))
    levels, _, _ = played(run, sound, range(501, sound.shape[1], 501))
    n, ends = 1024, (np.arange(59) + 1) * 1600
    hann = 0.5 - 0.5 * np.cos(2 * np.pi * np.arange(n) / n)
    lower, upper = (np.clip(np.arange(n // 2 + 1) + side, 0, n / 2) * RATE_HZ / n for side in (-0.5, 0.5))
    share = np.maximum(np.minimum(upper, 7000) - np.maximum(lower, 2000), 0) / (upper - lower)
    judged = []
    for end in ends:
        power = 2 * np.abs(np.fft.rfft(sound[0, end - n : end].astype(np.float64) * hann)) ** 2 / (n * np.sum(hann**2))
        judged.append(np.sqrt(power @ share))
    np.testing.assert_allclose(levels["e0"][:59], judged, rtol=5e-3, atol=1e-6)  # columns are cut by fraction
    (lag, *_) = run.lags()
    assert lag.lag_ms == 0.0  # the window is shorter than the frame


def test_loudness_and_longer_windows_say_how_late_they_are():
    lags = run_of(project(["loudness", "amplitude window_ms=500", "hits"], clean_up=())).lags()
    frame = 1000 / 30
    expected = [200 - frame / 2, 250 - frame / 2, 1000 * (512 + 480) / RATE_HZ]
    assert [lag.lag_ms for lag in lags] == pytest.approx(expected, abs=0.1)


def test_curves_are_what_the_bake_makes_of_the_same_lift():
    late = {"late_frames": 2.5}
    document = project(["amplitude"], clean_up=(), steps=("exponent power=0.5",), **late)
    scene = document.scene.but(
        follows=(Follow(target="lamp:scale_y", source="lamp:scale_x", factor=100.0, late_frames=4),)
    )
    document = document.but(scene=scene)
    run, sound = run_of(document), messy(2.0)
    levels, lifts, curves = played(run, sound, range(1600, sound.shape[1], 1600))
    assert run.back_frames == 8  # 2.5 and one between two frames, and 4 behind that
    lift = lifts["m0"]
    at = np.arange(len(lift)) - 2.5
    glow = np.interp(at, np.arange(len(lift)), lift) + scene.part("lamp").own("scale_x")
    for frame in range(10, 59):
        assert float(curves[frame]["lamp:scale_x"]) == pytest.approx(glow[frame], abs=1e-9)
        assert float(curves[frame]["lamp:scale_y"]) == pytest.approx(100 * glow[frame - 4], abs=1e-6)
    assert levels["e0"].max() > 0.1


@pytest.mark.parametrize("make", [glasshouse, potting_bench])
def test_demo_scenes_come_alive(make):
    document = demo_project() if make is glasshouse else project(["amplitude"], scene=make(), target="cloche-1:scale_y")
    run = run_of(document)
    _, _, curves = played(run, messy(3.0), range(4_800, 3 * RATE_HZ, 4_800))
    moved = {name for name in curves[29] if any(np.any(curves[frame][name] != curves[29][name]) for frame in curves)}
    assert moved and all(np.isfinite(np.asarray(value, dtype=float)).all() for value in curves[29].values())


def test_only_the_chosen_track_hears_and_what_is_not_live_rests_and_says_so():
    document = project(["amplitude", "beats"], clean_up=("equalise",), steps=("shift by=-3", "pulse hits=markers"))
    other = Track(id="u", name="U", media="b" * 64, info=INFO)
    document = document.but(tracks=(*document.tracks, other))
    sound = messy(2.0)
    levels, _, _ = played(run_of(document, track="u"), sound, [])
    assert not levels["e0"].any() and not levels["e1"].any()
    run = run_of(document, track="t")
    levels, _, _ = played(run, sound, [])
    assert levels["e0"].any() and not levels["e1"].any()
    said = [words for lag in run.lags() for words in lag.words]
    assert said[:2] == ["Equalise goes by the last 30 s.", "Beats is not heard live: it rests."]
    assert any("cannot be earlier" in words for words in said) and any("no markers" in words for words in said)


def test_muted_mappings_and_tracks_that_do_not_drive_stay_at_rest():
    document = project(["amplitude"])
    muted = document.but(mappings=(document.mappings[0].but(muted=True),))
    assert run_of(muted).take(messy(1.0).astype(np.float32)) == {} and run_of(muted).curves() == {}
    silent = document.but(tracks=(document.tracks[0].but(drives=False),))
    run = run_of(silent)
    run.take(messy(1.0).astype(np.float32))
    assert not run.levels["e0"].any()


def test_what_is_very_late_is_late_by_as_much_as_is_remembered():
    run = run_of(project(["amplitude"], late_frames=9_000.0))
    assert run.back_frames == MOST_BACK_FRAMES and "3600 frames" in run.late_words


def test_an_hour_does_not_grow():
    """What is remembered after forty seconds, longer than anything looks back, is what is remembered after eighty."""
    run = run_of(
        project([text for text in READINGS if not text.startswith("bank")], steps=("wobble", "pulse", "spring"))
    )
    second = messy(1.0).astype(np.float32)
    sizes = []
    for _ in range(2):
        for _ in range(40):
            run.take(second)
        sizes.append(size_of(run))
    assert sizes[0] == pytest.approx(sizes[1], rel=0.001) and sizes[0] > 100_000


def size_of(thing, known=None):
    """The bytes of all arrays and the number of all items that hang on something, by way of its attributes."""
    known = set() if known is None else known
    if id(thing) in known:
        return 0
    known.add(id(thing))
    if isinstance(thing, np.ndarray):
        return thing.nbytes
    if isinstance(thing, dict):
        return len(thing) + sum(size_of(item, known) for item in thing.values())
    if isinstance(thing, (list, tuple)) or type(thing).__name__ == "deque":
        return len(thing) + sum(size_of(item, known) for item in thing)
    inner = getattr(thing, "__dict__", {}) if type(thing).__module__.startswith("fern_tide") else {}
    closure = getattr(thing, "__closure__", None) or ()
    return sum(size_of(item, known) for item in inner.values()) + sum(
        size_of(cell.cell_contents, known) for cell in closure
    )
