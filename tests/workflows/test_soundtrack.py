"""The soundtrack over a real studio: tracks placed in time, swapped and removed, beats corrected, bands heard."""

from contextlib import nullcontext
from functools import partial

import numpy as np
import pytest
import soundfile
from tests.conftest import drums, sine, wav
from tests.workflows.conftest import BEATS, TRUTH

from fern_tide.core.base.errors import FernTideError, InvalidParameter, UnreadableSound
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.target import Target
from fern_tide.core.commands.mapping import PutMapping
from fern_tide.core.commands.project import PutEnvelope
from fern_tide.core.commands.soundtrack import PutTrack, RemoveTrack, SetBeat, SetLength, SetRate, SetWork
from fern_tide.core.derivation.graph import Graph
from fern_tide.core.envelope.beat_grid import BeatSetting
from fern_tide.core.envelope.envelope import Envelope, ReadingChoice
from fern_tide.core.envelope.hits import Hits
from fern_tide.demo.scene import glasshouse
from fern_tide.store.files import DerivedStore
from fern_tide.workflows.bring_in import sounds, swap
from fern_tide.workflows.derive import analysis
from fern_tide.workflows.tune import edits, listening
from fern_tide.workflows.tune.beat import Correction, corrected
from fern_tide.workflows.tune.place_track import CountedIn, LinedUp, lined_up, placed
from fern_tide.workflows.tune.spectra import spectrogram, suggested


def document(studio, key):
    return studio.projects.current(key).document


def do(studio, key, command):
    return edits.edit(studio, key, command, base=studio.projects.current(key).id).document


def drive(studio, levels, key, target="lamp:turn"):
    project = document(studio, key)
    mapping = edits.new_mapping(levels, project, envelope_id=project.envelopes[0].id, target=Target.parse(target))
    return do(studio, key, PutMapping(mapping=mapping))


def test_analysis_finds_beats_and_keeps_them(studio, levels, key):
    project = document(studio, key)
    assert studio.derived.has(Graph(project).rhythm(project.tracks[0]).fingerprint)
    beats = levels.beats(project)
    assert min(abs(beats.bpm / 120 - ratio) for ratio in (0.5, 1, 2)) < 1e-3
    assert analysis.ensure(studio, project) == []  # opening it again asks for nothing


def test_hits_and_beats_come_back_from_the_store_as_they_went(levels, studio, key):
    hits, beats = levels.rhythm(document(studio, key), document(studio, key).tracks[0])
    again, same = analysis.unpack_rhythm(analysis.pack_rhythm(hits, beats))
    np.testing.assert_array_equal(again.times_s, hits.times_s)
    np.testing.assert_array_equal(same.times_s, beats.times_s)
    assert (same.bpm, same.steady, same.first_bar) == (beats.bpm, beats.steady, beats.first_bar)


def test_a_change_of_rate_finds_no_beats_anew(studio, levels, key):
    project = document(studio, key)
    before, stored = levels.beats(project).bpm, Graph(project).rhythm(project.tracks[0]).fingerprint
    stamp = studio.derived.path(stored).stat().st_mtime_ns
    faster = do(studio, key, SetRate(rate="60"))
    assert levels.beats(faster).bpm == before
    assert Graph(faster).rhythm(faster.tracks[0]).fingerprint == stored
    assert studio.derived.path(stored).stat().st_mtime_ns == stamp


def _note(said, share, words):
    said.append((share, words))
    return True


def test_analysis_names_its_stages_and_can_be_cancelled(studio, key):
    project = document(studio, key)
    said = []
    graph, track = Graph(project.but(rate=FrameRate.parse("25"))), project.tracks[0]
    job = analysis.request(studio, graph.placed(track), name=track.name, features=analysis.USUAL)
    report = partial(_note, said)
    analysis.run(studio, job, report=report, stretch=nullcontext)
    assert [share for share, _ in said] == sorted(share for share, _ in said)
    assert {words for _, words in said} == {"Drums: reading levels and spectra", "Drums: finding hits and beats"}
    parts = list((studio.settings.data / "derived").glob("*.part"))
    assert parts == []


def test_arrays_that_grow_on_the_disk_appear_whole_or_not_at_all(tmp_path):
    store = DerivedStore(tmp_path)
    keys = ["a" * 64, "b" * 64]
    with store.growing() as growing:
        first, empty = growing.array(keys[0], (3, 5)), growing.array(keys[1], (2, 0))
        first[1] = 7.0
        growing.let_go()
        assert first[1, 4] == 7.0  # let go of, not lost
        assert not store.has(keys[0])
    assert store.get(keys[0]).tolist()[1] == [7.0] * 5
    assert empty.shape == store.get(keys[1]).shape == (2, 0)
    with pytest.raises(ZeroDivisionError), store.growing() as growing:
        growing.array("c" * 64, (int(1 / 0),))
    assert not store.has("c" * 64) and list(tmp_path.glob("*.part")) == []


@pytest.mark.parametrize(
    ("offset", "counted_in", "rate", "samples"),
    [
        (12, "frames", "30", 17_640),
        (1, "frames", "24000/1001", 1_840),
        (-250, "ms", "30", -11_025),
        (3, "samples", "30", 3),
    ],
)
def test_an_offset_is_exact_to_the_sample(studio, key, offset, counted_in, rate, samples):
    project = document(studio, key).but(rate=FrameRate.parse(rate))
    track = placed(project, project.tracks[0], offset=offset, counted_in=CountedIn(counted_in))
    assert track.offset_samples == samples


def test_a_hit_is_lined_up_with_a_frame(studio, levels, key):
    project = document(studio, key)
    track = project.tracks[0]
    hits, _ = levels.rhythm(project, track)
    near_s = float(hits.times_s[3]) + 0.02
    moved = lined_up(project, track, hits, near_s=near_s, frame=100, to=LinedUp.SAMPLE)
    lands = hits.times_s[3] + float(moved.offset)
    assert lands == pytest.approx(100 / 30, abs=1e-9)
    for frame in (0, 1, 99, 100, 101):
        moved = lined_up(project, track, hits, near_s=near_s, frame=frame, to=LinedUp.FRAME)
        assert project.rate.frames_of_times(np.array([hits.times_s[3] + float(moved.offset)]))[0] == frame
        assert (moved.offset * 30).denominator == 1  # a whole number of frames
    with pytest.raises(FernTideError, match="No hits were found"):
        lined_up(project, track, Hits(np.zeros(0), np.zeros(0)), near_s=0, frame=1, to=LinedUp.FRAME)


def test_a_moved_track_moves_its_level_by_whole_frames(studio, levels, key):
    project = document(studio, key)
    before = levels.cleaned(project, project.envelopes[0])
    later = do(studio, key, PutTrack(track=placed(project, project.tracks[0], offset=10, counted_in=CountedIn.FRAMES)))
    after = levels.cleaned(later, later.envelopes[0])
    assert later.n_frames == project.n_frames + 10
    np.testing.assert_allclose(after[10 + 40 : 10 + 300], before[40:300], atol=2e-3)


_APART = pytest.approx(0.1)
CORRECTIONS = [
    (Correction.DOUBLE, {}, lambda before, after: after.bpm == pytest.approx(2 * before.bpm)),
    (Correction.HALVE, {}, lambda before, after: after.bpm == pytest.approx(before.bpm / 2)),
    (Correction.HALF_ON, {}, lambda before, after: abs(_phase(before, after) - 0.5) < 0.01),
    (Correction.TEMPO, {"number": 90.0}, lambda before, after: after.bpm == 90.0 and after.steady),
    (
        Correction.MOVE,
        {"number": 0.1},
        lambda before, after: _phase(before, after) * 60 / before.bpm == pytest.approx(0.1),
    ),
    (Correction.PER_BAR, {"number": 3}, lambda before, after: after.per_bar == 3 and after.in_bar.max() == 3),
    (
        Correction.BAR_HERE,
        {"number": 2.52},
        lambda before, after: after.in_bar[np.abs(after.times_s - 2.52).argmin()] == 1,
    ),
]


def _phase(before, after):
    return ((after.times_s[4] - before.times_s[4]) * before.bpm / 60) % 1.0


@pytest.mark.parametrize(("how", "more", "holds"), CORRECTIONS, ids=[how.value for how, _, _ in CORRECTIONS])
@pytest.mark.parametrize("by_hand", [False, True])
def test_a_correction_of_the_beats_does_what_it_says(studio, levels, key, how, more, holds, by_hand):
    if by_hand:
        do(studio, key, SetBeat(beat=BeatSetting(bpm=120, first_s=0.5)))
    project = document(studio, key)
    before = levels.beats(project)
    after = levels.beats(do(studio, key, SetBeat(beat=corrected(project, before, how=how, **more))))
    assert holds(before, after)


def test_taps_set_the_tempo_and_a_pause_begins_anew(studio, levels, key):
    project = document(studio, key)
    rng = np.random.default_rng(1)
    taps = [0.1, 0.9, *(10.0 + 0.6 * k + rng.normal() * 0.01 for k in range(12))]
    beat = corrected(project, levels.beats(project), how=Correction.TAPPED, times_s=tuple(taps))
    assert beat.bpm == pytest.approx(100, rel=0.01)
    with pytest.raises(FernTideError, match="too few taps"):
        corrected(project, levels.beats(project), how=Correction.TAPPED, times_s=(1.0, 2.0))


@pytest.mark.parametrize(
    ("how", "number"), [(Correction.TEMPO, 5.0), (Correction.PER_BAR, 40.0), (Correction.MOVE, 1e5)]
)
def test_an_impossible_correction_is_refused_with_words(studio, levels, key, how, number):
    project = document(studio, key)
    with pytest.raises(InvalidParameter, match="tempo|bar|grid"):
        corrected(project, levels.beats(project), how=how, number=number)


def test_the_beats_as_found_come_back(studio, levels, key):
    project = document(studio, key)
    found = levels.beats(project)
    changed = do(studio, key, SetBeat(beat=corrected(project, found, how=Correction.TEMPO, number=90)))
    back = corrected(changed, levels.beats(changed), how=Correction.DETECTED)
    np.testing.assert_array_equal(levels.beats(do(studio, key, SetBeat(beat=back))).times_s, found.times_s)


def test_the_length_follows_what_drives_or_is_heard_or_is_set_by_hand(studio, key):
    short = document(studio, key).n_frames
    sounds.add_track(studio, key, [wav(sine(300, seconds=30))], file_name="Long.wav")
    project = document(studio, key)
    assert project.n_frames == 900
    long = project.track("long")
    quiet = do(studio, key, PutTrack(track=long.model_copy(update={"heard": False, "drives": False})))
    assert quiet.n_frames == short
    by_hand = do(studio, key, SetLength(frames=240))
    assert by_hand.n_frames == 240
    assert do(studio, key, SetRate(rate="60")).n_frames == 480  # the seconds stay
    assert do(studio, key, SetLength(frames=None)).n_frames == short * 2


def test_a_work_range_keeps_its_seconds_and_its_order(studio, key):
    do(studio, key, SetWork(work=(30, 60)))
    assert do(studio, key, SetRate(rate="60")).work == (60, 120)
    with pytest.raises(InvalidParameter, match="an out after its in"):
        do(studio, key, SetWork(work=(60, 60)))


def heard_samples(studio, project):
    path = listening.heard_file(studio, project)
    return None if path is None else soundfile.read(path)[0]


def test_gain_mute_and_solo_are_heard_and_what_drives_stays(studio, levels, key):
    sounds.add_track(studio, key, [wav(sine(300, seconds=5), rate_hz=44_100)], file_name="Tone.wav")
    project = document(studio, key)
    tone, level = project.track("tone"), levels.raw(project, project.envelope("tone"))
    both = heard_samples(studio, project)
    alone = heard_samples(studio, do(studio, key, PutTrack(track=tone.model_copy(update={"solo": True}))))
    np.testing.assert_allclose(alone[:1_000, 0], sine(300)[:1_000], atol=1e-3)
    louder = do(studio, key, PutTrack(track=tone.model_copy(update={"solo": True, "gain_db": -6.0})))
    np.testing.assert_allclose(heard_samples(studio, louder)[:1_000, 0], alone[:1_000, 0] * 10 ** (-6 / 20), atol=1e-3)
    muted = do(studio, key, PutTrack(track=tone.model_copy(update={"muted": True})))
    assert not np.allclose(heard_samples(studio, muted), both)
    np.testing.assert_array_equal(levels.raw(muted, muted.envelope("tone")), level)


def test_nothing_is_heard_of_a_removed_track(studio, key):
    sounds.add_track(studio, key, [wav(sine(300, seconds=5), rate_hz=44_100)], file_name="Tone.wav")
    before = listening.heard_key(document(studio, key))
    with pytest.raises(FernTideError, match="Tone drives: Tone depends on it"):
        do(studio, key, RemoveTrack(id="tone"))
    gone = do(studio, key, RemoveTrack(id="tone", with_users=True))
    assert [track.id for track in gone.tracks] == ["drums"] and [item.id for item in gone.envelopes] == ["drums"]
    assert listening.heard_key(gone) != before
    assert [track.id for track in gone.heard] == ["drums"]


def test_removing_a_track_with_its_users_takes_mappings_and_blends_along(studio, levels, key):
    drive(studio, levels, key)
    sounds.add_track(studio, key, [wav(sine(300, seconds=5), rate_hz=44_100)], file_name="Tone.wav")
    blend = ReadingChoice.parse("blend first=drums second=tone")
    do(studio, key, PutEnvelope(envelope=Envelope(id="both", name="Both", reading=blend)))
    gone = do(studio, key, RemoveTrack(id="drums", with_users=True))
    assert gone.mappings == () and [item.id for item in gone.envelopes] == ["tone"]


def test_a_band_is_heard_alone(studio, key):
    project = document(studio, key)
    path = listening.band_file(studio, project, project.tracks[0], low_hz=20, high_hz=150)
    low = soundfile.read(path)[0][:, 0]
    on_low, on_high = (np.abs(low[round(t * 44_100) : round((t + 0.05) * 44_100)]).max() for t in (TRUTH[4], TRUTH[5]))
    assert on_low > 0.3 and on_high < 0.1
    assert listening.band_file(studio, project, project.tracks[0], low_hz=20, high_hz=150) == path


def test_a_swapped_file_keeps_everything_and_says_what_moved(studio, levels, key):
    drive(studio, levels, key)
    before = document(studio, key)
    quieter = BEATS.copy()
    quieter[(4 * 44_100) :] *= 0.3
    swap.swap(studio, key, [wav(quieter, rate_hz=44_100)], track_id="drums")
    after = document(studio, key)
    assert (after.envelopes, after.mappings) == (before.envelopes, before.mappings)
    assert after.tracks[0].media != before.tracks[0].media
    (moved,) = swap.report(levels, before, after)
    assert moved.target == "lamp:turn" and 0.3 < moved.largest <= 1.0
    assert moved.at_frame >= 4 * 30 - 2
    assert moved.stretches and all(118 <= first < last <= after.n_frames for first, last in moved.stretches)
    assert any(first <= moved.at_frame < last for first, last in moved.stretches)
    was, now = np.array(moved.drawn)
    assert was.shape == (96,) and min(was.min(), now.min()) == 0 and max(was.max(), now.max()) == 1
    np.testing.assert_allclose(was[:24], now[:24], atol=0.05)  # the first third is as it was
    assert np.abs(was - now).max() > 0.2
    assert swap.report(levels, before, before) == []


def test_a_wrong_file_swaps_nothing(studio, key):
    before = document(studio, key)
    with pytest.raises(UnreadableSound):
        swap.swap(studio, key, [b"no sound"], track_id="drums")
    assert document(studio, key) == before


def test_a_swap_to_another_sample_rate_keeps_the_time_of_the_offset(studio, key):
    project = document(studio, key)
    do(studio, key, PutTrack(track=project.tracks[0].model_copy(update={"offset_samples": 44_100})))
    swap.swap(studio, key, [wav(BEATS, rate_hz=48_000)], track_id="drums")
    assert document(studio, key).tracks[0].offset_samples == 48_000


def test_the_picture_is_kept_and_bands_are_suggested(studio, levels, key):
    project = document(studio, key)
    drawn, mean = spectrogram(studio, levels, project, project.tracks[0])
    again, same = spectrogram(studio, levels, project, project.tracks[0])
    np.testing.assert_array_equal(drawn, again)
    np.testing.assert_allclose(mean, same)
    assert drawn.shape[1] == project.n_frames
    assert 1 <= len(suggested(levels, project, project.tracks[0])) <= 5


def test_memory_of_an_hour_is_not_held(studio, monkeypatch):
    """Features are written to the disk as they are read: no array of the analysis lives in memory."""
    kinds = set()
    original = analysis.analyze

    def spy(*given, allocate, **more):
        def watched(feature, shape):
            array = allocate(feature, shape)
            kinds.add(type(array))
            return array

        return original(*given, allocate=watched, **more)

    monkeypatch.setattr(analysis, "analyze", spy)
    sounds.start_project(studio, [wav(drums(), rate_hz=44_100)], file_name="D.wav", scene=glasshouse())
    assert kinds == {np.memmap}


def test_two_sound_streams_are_said_on_the_track(studio, key):
    from tests.core.sound.test_decode import two_sounds

    sounds.add_track(studio, key, [two_sounds()], file_name="film.mkv")
    assert "2 sound streams" in document(studio, key).track("film").info.note
