"""First cuts of stems: each role goes to the track that is best at it, and it is said which that is."""

import io

import numpy as np
import pytest
from tests.conftest import wav
from tests.core.first_cut.songs import RATE_HZ, SECONDS, _hits, _pad, _time, scenes, studio_of_stems

from fern_tide.core.commands.first_cut import with_beats_of
from fern_tide.core.document import Track
from fern_tide.core.first_cut import listening
from fern_tide.core.first_cut.beat_track import surest_beats
from fern_tide.core.first_cut.listening import envelope_of, listen
from fern_tide.core.first_cut.sound import Role, Voice
from fern_tide.core.sound.decode import measure
from fern_tide.workflows.tune.first_cut import first_cut

STAGED = scenes()["glasshouse"]
BEATS = np.arange(0.5, SECONDS - 1, 0.5)
CHATTER = np.sort(np.random.default_rng(11).uniform(1, SECONDS - 2, 24))  # clear hits off any beat
HATS = _hits(np.arange(0.5, SECONDS - 1, 0.25), 7000, decay_s=0.02, noise=0.9, strength=0.25)
NOISE = 1e-3 * np.random.default_rng(5).normal(size=HATS.size)
STEMS = {
    "Chatter": _hits(CHATTER, 900, decay_s=0.05),
    "Kick": _hits(BEATS, 60) + NOISE,
    "Hats": HATS,
    "Pad": _pad(),
}


def project_of(stems, **more):
    return studio_of_stems(stems, STAGED.scene, **more)


@pytest.fixture(scope="module")
def stems():
    return project_of(STEMS)


@pytest.mark.parametrize("order", [sorted(STEMS), sorted(STEMS, reverse=True), ["Hats", "Kick", "Chatter", "Pad"]])
def test_each_role_goes_to_the_stem_that_is_best_at_it_in_any_order(order):
    project, levels = project_of({name: STEMS[name] for name in order})
    surest = surest_beats(project, levels)
    sound = listen(project if surest is None else with_beats_of(project, surest.id), levels)
    of = {voice.role: voice.envelope.track for voice in sound.voices}
    assert of[Role.PULSE] == "kick"  # which is on the beat, though others are clearer over their silence
    assert (of[Role.SPARKLE], of[Role.BED]) == ("hats", "pad")
    assert of[Role.TONE] == "chatter"  # which has no other role


def test_every_stem_moves_something_and_is_named(stems):
    project, levels = stems
    taken = first_cut(levels, project, staged=STAGED, seed=1).apply(project)
    track_of = {envelope.id: envelope.track for envelope in taken.envelopes}
    assert {track_of[mapping.envelope] for mapping in taken.mappings} >= {"kick", "hats", "pad"}
    for mapping, item in zip(taken.mappings, taken.first_cut.items, strict=True):
        name = project.track(track_of[mapping.envelope]).name
        assert item.reason.startswith(f"{name}: ")
        assert taken.envelope(mapping.envelope).name.startswith(f"{name}, ")


def test_loudness_is_that_of_all_and_a_silent_stem_has_no_voice():
    silent = {"Nothing": np.zeros(HATS.size), "Late": np.where(_time() > 10, _pad(), 0.0), "Kick": STEMS["Kick"]}
    sound = listen(*project_of(silent))
    assert "nothing" not in {voice.envelope.track for voice in sound.voices}
    assert sound.loudness[:150].max() > 0.05 and sound.loudness[-60:].max() > 0.05
    nothing = listen(*project_of({"One": np.zeros(44_100), "Two": np.zeros(44_100)}))
    assert not nothing.voices and nothing.reason.startswith("One, Two are silent")


def test_what_does_not_drive_is_not_listened_to():
    sound = listen(*project_of(STEMS, drives=lambda name: name != "Hats"))
    assert "hats" not in {voice.envelope.track for voice in sound.voices}
    alone = listen(*project_of(STEMS, drives=lambda name: name == "Kick"))
    assert all(voice.envelope.track == "kick" for voice in alone.voices)
    assert not any(voice.reason.startswith("Kick") for voice in alone.voices)  # with one track there is none to name


def test_a_long_name_leaves_room_for_the_reason():
    name = "Voice of the caretaker, take three, bounced again and again for the night of the opening, final"
    sound = listen(*project_of({name[:60]: STEMS["Pad"], "Kick": STEMS["Kick"]}))
    bed = sound.voice(Role.BED)
    assert bed.reason.startswith("Voice of the caretaker,…: swells over seconds") and len(bed.envelope.name) <= 120


def option(track, level, name="Band"):
    reading = "band low_hz=30 high_hz=120"
    return envelope_of(project_track(track), f"{name} {track}", reading=reading), np.asarray(level)


def project_track(name):
    info = measure(io.BytesIO(wav(np.zeros(100), rate_hz=RATE_HZ)))
    return Track(id=name, name=name, media="0" * 64, info=info)


def test_a_tone_is_of_a_track_of_its_own_that_is_unlike_enough_and_moves():
    """By hand: correlations with the pulse, which is the kick's, of -0.0 (its own other band), 0.35, 0.9 and none."""
    rng = np.random.default_rng(3)
    hits, other, noise = np.abs(rng.normal(size=(3, 900)))
    pulse = Voice(Role.PULSE, *option("kick", hits), 1.0, "")
    kick, voice = option("kick", other, "Other"), option("voice", 0.35 * hits + 0.94 * noise)
    still, like = option("hum", np.full(900, 0.3)), option("clap", hits + 0.3 * noise)
    assert listening._tone([still, like, kick, voice], [pulse]).envelope == voice[0]
    assert listening._tone([still, like, kick], [pulse]).envelope == kick[0]
    assert listening._tone([still, like], [pulse]) is None


def test_the_loudest_band_is_of_a_track_that_has_no_role_unless_that_is_far_quieter():
    """By hand: 0.7 x 0.5 = 0.35 of the kick, which has a role, against 0.4 of the pad and 0.3 of the drip."""
    taken = [Voice(Role.PULSE, *option("kick", np.ones(9)), 1.0, ""), None]
    kick, pad, drip = (option(name, np.full(90, level)) for name, level in (("kick", 0.5), ("pad", 0.4), ("drip", 0.3)))
    assert listening._loudest([kick, pad], taken).envelope == pad[0]
    assert listening._loudest([kick, drip], taken).envelope == kick[0]
    assert listening._loudest([], taken) is None


def test_tracks_that_are_called_alike_keep_their_own_envelopes():
    one, two = project_track("drip"), project_track("drip-2").model_copy(update={"name": "drip"})
    first, second = (envelope_of(track, "High hits", reading="hits").id for track in (one, two))
    assert first != second and envelope_of(one, "High hits", reading="hits").id == first
