"""Which files are newer versions of what is there, by their names, as they come from people."""

import pytest

from fern_tide.core.base.newer_files import newer_files

STEMS = ["Kick", "Hats", "Pad"]


def pairs(files, names, song="Night rain"):
    return {files[at]: names[to] for at, to in newer_files(files, names, song=song).items()}


@pytest.mark.parametrize(
    "file",
    [
        "Kick.wav",
        "KICK.aif",
        "kick (2).wav",
        "Kick_v2.wav",
        "Kick V12b.wav",
        "kick-final FINAL.flac",
        "Night rain v3 - Kick.wav",
        "Night-rain_KICK_2026-11-30_48k_24bit.wav",
        "NightRainKick_v2.wav",
        "01 Kick.wav",
        "Kick2.wav",
        "stems/Night rain 120bpm Kick (mixdown, stereo).wav",
        "kícḱ new.ogg",
    ],
)
def test_words_of_versions_files_and_the_song_do_not_count(file):
    assert pairs([file], STEMS) == {file: "Kick"}


@pytest.mark.parametrize(
    "file", ["Kick top.wav", "Snare.wav", "Kicks.wav", "Kick and hats.wav", "Night rain v2.wav", "007.wav", "v2.wav"]
)
def test_other_words_make_another_thing(file):
    assert pairs([file], STEMS) == {}


def test_stems_that_share_their_song_are_told_apart_by_the_rest():
    files = ["Late mist - Pad.wav", "Late mist - Kick.wav", "Late mist - Bells.wav"]
    assert pairs(files, STEMS, song="") == {files[0]: "Pad", files[1]: "Kick"}
    named = ["Late mist - Kick", "Late mist - Pad"]
    assert pairs(["Kick v2.wav", "Pad v2.wav"], named, song="") == {"Kick v2.wav": named[0], "Pad v2.wav": named[1]}


def test_the_one_mix_of_a_song_is_called_like_it():
    for track in ("Rain on Panes", "Rain on Panes v1", "rain_on_panes"):
        assert pairs(["Rain on Panes - final mix 3.wav"], [track], song="Rain on Panes") == {
            "Rain on Panes - final mix 3.wav": track
        }
        for other in ("Mist.wav", "007.wav", "v2.wav"):
            assert pairs([other], [track], song="Rain on Panes") == {}
    assert pairs(["Mix v2.wav"], ["Mix"]) == {"Mix v2.wav": "Mix"}
    assert pairs(["雨の音 v2.wav"], ["雨の音"]) == {"雨の音 v2.wav": "雨の音"}


def test_numbers_tell_things_apart_where_there_are_several():
    drums = ["Drum 1", "Drum 2"]
    assert pairs(["Drum2 v5.wav", "Drum1 v5.wav"], drums) == {"Drum2 v5.wav": "Drum 2", "Drum1 v5.wav": "Drum 1"}
    assert pairs(["Drum 3.wav"], drums) == {}
    assert pairs(["Drum 3.wav"], ["Drum 1"]) == {"Drum 3.wav": "Drum 1"}


def test_rivals_and_likenesses_in_several_directions_are_left_alone():
    assert pairs(["Kick.wav", "kick v2.wav"], STEMS) == {}
    assert pairs(["Kick.wav"], ["Kick", "KICK"]) == {}
    assert pairs(["Kick.wav", "Kick top.wav"], ["Kick", "Kick top", "Hats"]) == {
        "Kick.wav": "Kick",
        "Kick top.wav": "Kick top",
    }
    assert pairs([], STEMS) == pairs(["Kick.wav"], []) == {}


def test_each_of_thousands_of_names_is_told_from_the_others():
    words = [f"{a}{b}{c}" for a in "bdfgk" for b in "aeiou" for c in "klmnprstxz"]
    names = [f"{one} {other}" for one in words[:60] for other in words[60:110]]
    files = [f"{name} v2.wav" for name in names]
    assert newer_files(files, names, song="Night rain") == dict(zip(range(3000), range(3000), strict=True))
