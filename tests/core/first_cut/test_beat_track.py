"""Whose beats a first cut of stems goes by, in a song whose drums are not its first stem."""

import numpy as np
import pytest
from tests.core.first_cut.songs import RATE_HZ, SECONDS, _hits, _pad, _time, scenes, studio_of_stems

from fern_tide.core.commands.first_cut import DropFirstCut, with_beats_of
from fern_tide.core.commands.soundtrack import SetBeat
from fern_tide.core.envelope.beat_grid import BeatSetting
from fern_tide.core.envelope.beats import Beats
from fern_tide.core.envelope.hits import Hits
from fern_tide.core.first_cut.beat_track import _sure, surest_beats
from fern_tide.core.first_cut.ear import Ear
from fern_tide.core.first_cut.listening import listen
from fern_tide.core.first_cut.sound import Role
from fern_tide.workflows.tune.first_cut import first_cut

STAGED = scenes()["glasshouse"]
BEAT_S = 60 / 96
BARS = np.arange(1.0, SECONDS - 3, 4 * BEAT_S)


def _at(*beats):
    return np.sort(np.concatenate([BARS + beat * BEAT_S for beat in beats]))


def _notes(times, hz, length_s):
    out, t = np.zeros(SECONDS * RATE_HZ), _time(length_s)
    note = 0.3 * np.sign(np.sin(2 * np.pi * hz * t)) * np.minimum(1, t / 0.02) * np.minimum(1, (length_s - t) / 0.05)
    for at in times:
        start = round(at * RATE_HZ)
        out[start : start + note.size] += note[: out.size - start]
    return out


NOISE = 1e-3 * np.random.default_rng(5).normal(size=SECONDS * RATE_HZ)
SONG = {
    "Ambience": 60 * NOISE,
    "Bass": _notes(_at(0, 0.75, 1.5, 2.75, 3.5), 55, 0.3),
    "Drums": _hits(_at(0, 1.75, 2.5), 60)
    + _hits(_at(1, 3), 200, noise=0.8, strength=0.4)
    + _hits(_at(*np.arange(0, 4, 0.5)), 7000, decay_s=0.02, noise=0.9, strength=0.2)
    + NOISE,
    "Keys": _pad(swell_s=4 * BEAT_S),
    "Vox": _notes(np.sort(np.random.default_rng(2).uniform(1, SECONDS - 2, 16)), 310, 0.5),
}


@pytest.fixture(scope="module")
def song():
    return studio_of_stems(SONG, STAGED.scene)


def test_a_first_cut_goes_by_the_beats_of_the_drums_wherever_they_stand(song):
    project, levels = song
    assert project.beat_track.name == "Ambience" and not len(levels.beats(project).times_s)
    assert surest_beats(project, levels).name == "Drums"
    taken = first_cut(levels, project, staged=STAGED, seed=1).apply(project)
    assert taken.beat == BeatSetting(track="drums")
    beats = levels.beats(taken)
    assert beats.bpm == pytest.approx(96, abs=0.1)
    np.testing.assert_allclose(np.min(np.abs(beats.times_s[:, None] - _at(0, 1, 2, 3)), axis=0), 0, atol=0.02)
    again = first_cut(levels, taken, staged=STAGED, seed=1)
    assert again.beats_of is None and again.apply(taken) == taken
    assert DropFirstCut().apply(taken).beat.track == "drums"  # they are the sound's


def test_drums_pulse_and_glitter_though_other_stems_are_clearer_over_their_silence(song):
    project, levels = song
    by_drums = with_beats_of(project, "drums")
    of = {voice.role: voice.envelope.track for voice in listen(by_drums, levels, rows=10).voices}
    assert of[Role.PULSE] == of[Role.SPARKLE] == of[Role.ROWS] == "drums"
    ears = [Ear(by_drums, levels, track, levels.beats(by_drums)) for track in by_drums.tracks]
    pulses = {ear.track.id: (ear, ear.pulse(ear.bands())) for ear in ears}
    assert pulses["vox"][1].clear > pulses["drums"][1].clear
    good = {name: ear.drumming(pulse) for name, (ear, pulse) in pulses.items() if pulse is not None}
    assert good["drums"] > 1.5 * max(value for name, value in good.items() if name != "drums")
    assert all(0 <= value <= 1 for value in good.values())


def test_brightness_is_offered_where_it_changes_while_the_sound_is_there(song):
    project, levels = song
    ears = {track.id: Ear(project, levels, track, levels.beats(project)) for track in project.tracks}
    bright = {name: ear.brightness() is not None for name, ear in ears.items()}
    assert bright == {"ambience": False, "bass": False, "drums": True, "keys": False, "vox": False}
    silent, of_silent = studio_of_stems({"Nothing": np.zeros(RATE_HZ)}, STAGED.scene)
    assert Ear(silent, of_silent, silent.tracks[0], of_silent.beats(silent)).brightness() is None


def test_what_a_hand_chose_or_corrected_for_the_beats_stays(song):
    project, levels = song
    for beat in (BeatSetting(track="bass"), BeatSetting(bpm=96), BeatSetting(shift_s=0.1), BeatSetting(doublings=1)):
        by_hand = SetBeat(beat=beat).apply(project)
        assert surest_beats(by_hand, levels) is None
        assert first_cut(levels, by_hand, staged=STAGED, seed=1).apply(by_hand).beat == beat
    waltz = SetBeat(beat=BeatSetting(per_bar=3)).apply(project)
    assert surest_beats(waltz, levels).name == "Drums"  # how many make a bar says nothing of where they are


def test_beats_stay_where_none_are_surer():
    for names in (["Drums", "Bass", "Vox"], ["Drums"], ["Ambience", "Keys"]):
        assert surest_beats(*studio_of_stems({name: SONG[name] for name in names}, STAGED.scene)) is None
    silenced, levels = studio_of_stems(SONG, STAGED.scene, drives=lambda name: name != "Drums")
    assert (surest_beats(silenced, levels) or silenced.tracks[0]).name != "Drums"


class Rhythms:
    """Hits and beats by track, so many seconds after its beginning; the first track's hits are of no strength."""

    def __init__(self, *, steady=True, **times_s):
        self.times_s, self.steady = times_s, steady

    def rhythm(self, project, track):
        beats, hits = self.times_s[track.id]
        strengths = np.full(len(hits), float(track != project.tracks[0]))
        return Hits(np.asarray(hits, dtype=float), strengths), Beats(np.asarray(beats, dtype=float), 60.0, self.steady)


def test_a_track_that_begins_later_is_compared_where_it_sounds(song):
    tracks = [song[0].track(name) for name in ("ambience", "drums", "vox")]
    late = tracks[1].model_copy(update={"offset_samples": round(0.5 * RATE_HZ)})
    project = song[0].but(tracks=(tracks[0], late, tracks[2]))
    halves = np.arange(12) + 0.5
    rhythms = Rhythms(ambience=(np.arange(12), []), drums=(np.arange(12), np.arange(12)), vox=(halves - 0.25, halves))
    assert surest_beats(project, rhythms).name == "Drums"  # whose own beats, and hits, are half a second late
    early = project.but(tracks=tuple(tracks))
    assert surest_beats(early, rhythms) is None  # half of the hits lie on those of the first


def test_beats_change_for_clearly_surer_ones_alone(song):
    project = song[0].but(tracks=tuple(song[0].track(name) for name in ("ambience", "drums")))
    grid, halves = np.arange(40.0), np.arange(40) + 0.5

    def surest(n_on, n_off):
        hits = np.concatenate([grid[:n_on], halves[:n_off]])
        return surest_beats(project, Rhythms(ambience=(grid, []), drums=(halves, hits)))

    assert surest(20, 20) is None and surest(20, 23) is None
    assert surest(18, 25).name == "Drums"
    sparse = np.arange(0.25, 40, 0.5)  # hardly any hit of which is on a beat of either
    few = np.concatenate([sparse, halves[:9]])
    assert surest_beats(project, Rhythms(ambience=(grid, []), drums=(halves, few))) is None


def test_beats_between_the_beats_are_no_others(song):
    project = song[0].but(tracks=tuple(song[0].track(name) for name in ("ambience", "drums")))
    beats = np.arange(40) * 60 / 92
    halves = np.sort(np.append(beats, beats + 30 / 92))
    between = np.append(beats[:10], beats + 30 / 92)
    for hits in (halves, between):  # all lie on the finer grid, half or a fifth of them on that of now
        assert surest_beats(project, Rhythms(ambience=(beats, []), drums=(halves, hits))) is None
    few = Rhythms(ambience=(beats[:5], []), drums=(halves, between))
    assert surest_beats(project, few).name == "Drums"
    late = Rhythms(ambience=(beats + 0.13, []), drums=(beats, beats))
    assert surest_beats(project, late).name == "Drums"
    uneven = Rhythms(ambience=(beats, []), drums=(halves, between), steady=False)
    assert surest_beats(project, uneven).name == "Drums"


def test_how_sure_beats_are_is_worked_out_by_hand():
    period = 60 / 115
    beats, strengths = Beats(period * np.arange(10), 115.0), np.ones(4)
    on = period * np.array([0, 1, 5, 7]) + [0, 0.04, -0.04, 0]
    chance = 0.09 / period
    assert _sure(beats, 0.0, on, strengths) == pytest.approx(1.0)
    half = period * np.array([0.0, 1.5, 2.5, 3.0])
    assert _sure(beats, 0.0, half, strengths) == pytest.approx((0.5 - chance) / (1 - chance))
    weighed = np.array([1.0, 3.0, 3.0, 1.0])
    assert _sure(beats, period / 2, half, weighed) == pytest.approx((0.75 - chance) / (1 - chance))
    uneven = Beats(period * np.arange(10), 115.0, steady=False)
    assert _sure(uneven, 0.0, on, strengths) == pytest.approx(0.5)
    for octave in (0.5, 2.0):  # half as fast, and twice
        other = Beats(period / octave * np.arange(20), 115.0 * octave)
        assert _sure(other, 0.0, other.times_s[:4], strengths) == pytest.approx(np.exp(-2))
    assert _sure(Beats(period * np.arange(7), 115.0), 0.0, on, strengths) == 0.0  # too few to tell
    assert _sure(beats, 0.0, np.zeros(0), np.zeros(0)) == 0.0
