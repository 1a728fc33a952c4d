"""What the page makes of clocks, taps and pointers before anything is sent."""

import io
import struct
from pathlib import Path

import numpy as np
import pytest
import soundfile

from fern_tide.core.envelope.takes import take_of
from fern_tide.core.sound.decode import measure

HERE = Path(__file__).parent / "performing"


def test_the_sounds_time_at_an_event_is_between_what_the_player_says(modules):
    # a player whose clock goes in steps of 23 ms, 5 s ahead of the page's
    looks = [[ms, 5 + (ms // 23) * 0.023] for ms in range(0, 800, 16)]
    told = modules(HERE, "clocked", looks, 500.0)
    assert told["running"] and not any(told["said"])
    assert told["at"] == pytest.approx(5.5, abs=0.012) and told["when"] == pytest.approx(500.0)
    still = modules(HERE, "clocked", [[ms, 2.0] for ms in range(0, 400, 16)], 300.0)
    assert not still["running"], "it does not play yet"


def test_a_player_that_goes_back_or_waits_is_followed(modules):
    before = [[ms, 3 + ms / 1000] for ms in range(0, 480, 16)]
    after = [[480, 1.0], [496, 1.0], *([ms, 1 + (ms - 600) / 1000] for ms in range(616, 1000, 16))]
    told = modules(HERE, "clocked", before + after, 800.0)
    assert [at for at, back in enumerate(told["said"]) if back] == [len(before)], "one round ends"
    assert told["at"] == pytest.approx(1.2, abs=1e-6), "it waited until it played again"
    told = modules(HERE, "clocked", [*before, [480, 1.0], [496, 1.0], [560, 1.02]], 560.0)
    assert told["at"] == pytest.approx(1.02), "where it was set is not when it played"
    jitter = [[ms, 3 + ms / 1000 - (0.05 if ms == 320 else 0)] for ms in range(0, 480, 16)]
    told = modules(HERE, "clocked", jitter, 400.0)
    assert not any(told["said"]) and told["at"] == pytest.approx(3.4), "a small correction is no new round"


def test_a_round_is_a_take_as_python_reads_it(modules):
    points = [[1.0, {"strength": 1}], [None, {"strength": 1}], [1.5, {"strength": 0.25}]]
    take = take_of(modules(HERE, "taken", "taps", 0.5, points, 4.0))
    assert take.times_s.tolist() == [1.0, 1.5] and take.values["strength"].tolist() == [1.0, 0.25]
    assert (take.begin_s, take.end_s, take.latency_s, take.latency_from) == (0.5, 4.0, 0.04, "measured")
    led = take_of(modules(HERE, "taken", "gesture", 2.0, [[2.0, {"across": 0.5, "up": 1}]], 1.0))
    assert led.values["pressure"].tolist() == [0.0] and led.end_s > led.begin_s
    assert modules(HERE, "taken", "taps", 0.0, [], 4.0) is None


def test_two_directions_are_led_together_where_their_takes_go_together(modules):
    def led(name, into="", given=""):
        return {"target": f"moth:{name}", "name": name, "rest": -10, "full": 10, "into": into, "given": given}

    assert modules("stage_leading", "goTogether", led("x"), led("y"))
    assert modules("stage_leading", "goTogether", led("x", "a", "across"), led("y", "b", "up"))
    assert not modules("stage_leading", "goTogether", led("x", "a", "up"), led("y", "b", "up")), "led by its knob alone"
    assert not modules("stage_leading", "goTogether", led("x", "a", "across"), led("y"))
    assert not modules("stage_leading", "goTogether", led("x"), None)
    both = modules("stage_leading", "queryOf", [led("x"), led("y")])
    assert both == "given=across&drive=moth%3Ax&rest=-10&full=10&given=up&drive=moth%3Ay&rest=-10&full=10"
    assert modules("stage_leading", "queryOf", [led("y")]) == "given=up&drive=moth%3Ay&rest=-10&full=10"
    assert modules("stage_leading", "queryOf", [led("x", "a", "across"), led("y", "b", "up")]) == "into=a&into=b"


def test_only_rounds_that_fit_are_remembered(modules):
    short, long = {"plain": {"times_s": [1, 2]}, "query": ""}, {"plain": {"times_s": list(range(50_001))}}
    assert modules("outbox", "memorable", [short, long, {"plain": None}, {"blob": 1}]) == [short]


def test_a_chosen_hit_is_the_one_that_stands_there_still(modules):
    assert modules("track_hits", "stillThere", [3.0, 9.5, 20.0], 9.9) == 1
    assert modules("track_hits", "stillThere", [3.0, 9.5, 20.0], 12.0) == -1
    assert modules("track_hits", "stillThere", [0.2, 9.5], None) == -1


def test_places_strengths_keys_and_dots(modules):
    box = {"left": 100, "top": 50, "width": 200, "height": 100}
    assert modules("take", "placeIn", box, {"clientX": 150, "clientY": 75}) == {"across": 0.25, "up": 0.75}
    assert modules("take", "placeIn", box, {"clientX": 0, "clientY": 500}) == {"across": 0, "up": 0}
    assert modules("take", "strengthOf", {"pointerType": "pen", "pressure": 0.3}, {"up": 0.9}) == 0.3
    assert modules("take", "strengthOf", {"pointerType": "mouse", "pressure": 0.5}, {"up": 0.5}) == pytest.approx(0.6)
    assert all(modules("pad", "isTap", {"key": key}) for key in "j7é")
    for other in ({"key": " "}, {"key": "Escape"}, {"key": "j", "ctrlKey": True}, {"key": "j", "repeat": True}):
        assert not modules("pad", "isTap", other)
    hits = {"frames": [10, 50], "strengths": [1, 0.5]}
    seen = {"view": {"from": 0, "to": 100, "width": 1000}, "height": 118}
    assert modules("axis", "frameOf", 505, seen["view"]) == 50.5
    assert modules("trace", "dotRow", 1, 118) == 9 and modules("trace", "dotRow", 0, 118) == 109
    assert modules("hits", "dotAt", hits, {"x": 104, "y": 12}, seen) == 0
    assert modules("hits", "dotAt", hits, {"x": 500, "y": 70}, seen) == -1
    assert modules("hits", "dotAt", hits, {"x": 500, "y": 60}, seen) == 1
    size = {"framesPerPx": 0.1, "height": 118}
    hit = {"frame": 50, "strength": 0.5}
    assert modules("hits", "draggedHit", hit, {"dx": 2, "dy": -3}, size) is None
    assert modules("hits", "draggedHit", hit, {"dx": 20, "dy": -3}, size) == {
        "how": "move",
        "frame": 52,
        "strength": 0.5,
    }
    assert modules("hits", "draggedHit", hit, {"dx": 3, "dy": -80}, size) == {
        "how": "weigh",
        "frame": 50,
        "strength": 1,
    }


def test_counting_in_lasts_its_bars(modules):
    told = modules("count_in", "clicksOf", {"bars": 2, "perBar": 3, "bpm": 90})
    assert (
        told["lasts"] == pytest.approx(4.0)
        and [click["strong"] for click in told["clicks"]] == [True, False, False] * 2
    )
    assert told["clicks"][4]["at"] == pytest.approx(8 / 3)
    assert modules("count_in", "clicksOf", {"bars": 1, "perBar": 4, "bpm": 0})["lasts"] == 2.0
    beat = {"perBar": 4, "bpm": 90}
    assert modules("count_in", "countOf", "2", beat) == {"bars": 2, "perBar": 4, "bpm": 90}
    seconds = modules("count_in", "clicksOf", modules("count_in", "countOf", "3s", beat))
    assert seconds["lasts"] == 3.0 and [click["at"] for click in seconds["clicks"]] == [0, 1, 2]
    assert modules("count_in", "countOf", "0", beat)["bars"] == 0
    assert modules("count_in", "clicksOf", {"bars": 0, "perBar": 4, "bpm": 90}) == {"clicks": [], "lasts": 0}


def test_the_rehearsal_hand_taps_what_came_before_a_busy_page_first_looked(modules):
    taps = modules(HERE, "tapped", [1.9, 2.0, 2.1, 2.2, 9.0], 2.0, 250)
    assert taps == pytest.approx([2.0, 2.1, 2.2], abs=1e-3), "from where the sound began, and each once"


def test_the_rehearsal_hand_taps_anew_in_every_round(modules):
    taps = modules(HERE, "tappedAgain", [2.1, 2.3, 9.0], 2.0, 2.5)
    assert taps == pytest.approx([2.1, 2.3, 2.1, 2.3], abs=1e-3)


def test_a_recording_lies_where_it_was_heard_without_the_lateness_of_its_device(modules):
    address = modules("sound_memory", "addressOf", {"begin": 2.5, "ms": 40, "number": 3})
    assert address == "tracks?name=Recording 3.wav&at_s=2.46"


def test_the_rehearsal_hand_and_midi_devices(modules):
    assert modules("rehearsal", "between", [1, 2, 3], 1, 2.5) == [2]
    times = modules("rehearsal", "moves", 1.0, 1.05)
    assert times == pytest.approx([1 + n / 120 for n in range(1, 7)])
    assert modules("rehearsal", "moves", 1.0, 1.001) == []
    assert modules("rehearsal", "ledAt", 0.5) == pytest.approx({"across": 0.95, "up": 0.275})
    assert modules("midi_in", "heardOf", [0x93, 60, 127]) == {"tap": 1}
    assert modules("midi_in", "heardOf", [0x93, 60, 0]) is None and modules("midi_in", "heardOf", [0xF8]) is None
    assert modules("midi_in", "heardOf", [0xB0, 1, 127]) == {"level": 1}
    assert modules("midi_in", "heardOf", [0xB0, 123, 0]) is None, "all notes off is no controller"
    assert modules("midi_in", "heardOf", [0xE0, 0x7F, 0x7F]) == {"level": 1}
    assert modules("heard_clock", "middle", [3, 1, 2]) == 2 and modules("heard_clock", "middle", [4, 1]) == 2.5


def test_samples_are_a_wav_file_that_others_read(modules):
    left, right = np.sin(np.arange(500) / 9), np.cos(np.arange(500) / 7)
    blocks = [[left[:200].tolist(), right[:200].tolist()], [left[200:].tolist(), right[200:].tolist()]]
    whole = modules("wav", "joined", blocks)
    np.testing.assert_allclose(whole, [left, right], atol=1e-7)
    content = bytes(modules("wav", "wavOf", whole, 48_000))
    sound, rate = soundfile.read(io.BytesIO(content), always_2d=True)
    assert content[38:50] == b"fact" + struct.pack("<II", 4, 500), "as the format wants it of floats"
    assert rate == 48_000 and soundfile.info(io.BytesIO(content)).subtype == "FLOAT"
    np.testing.assert_allclose(sound.T, [left, right], atol=1e-7)
    assert measure(io.BytesIO(content)).n_samples == 500
    mono = modules("wav", "joined", [[[1, 2]], [[3], [9]]])
    assert mono == [[1, 2, 3], [1, 2, 9]], "a channel that is missing is like the first"


def test_clicks_that_came_back_levels_and_refusals(modules):
    sound = np.zeros(8000)
    sound[[800, 801, 850, 2800, 6400]] = [0.5, -0.6, 0.3, 0.4, -0.3]
    assert modules("wav", "clicksIn", sound.tolist(), 4000) == [0.2, 0.7, 1.6]
    assert modules("wav", "clicksIn", (sound * 0.001).tolist(), 4000) == [], "silence has none"
    assert modules("voice", "meterOf", 1) == 1 and modules("voice", "meterOf", 0.1) == pytest.approx(2 / 3)
    assert modules("voice", "meterOf", 0.0005) == 0
    assert modules("microphone", "peakOf", [0.1, -0.7, 0.2]) == 0.7
    said = {name: modules("microphone", "wordsFor", name)["what"] for name in ("NotAllowedError", "NotFoundError", "X")}
    assert "refused" in said["NotAllowedError"] and "no microphone" in said["NotFoundError"] and said["X"]


def test_where_a_knob_lies_between_its_ends(modules):
    assert (
        modules("stage_leading", "shareOf", 30, -20, 80) == 0.5
        and modules("stage_leading", "shareOf", 30, 80, -20) == 0.5
    )
    assert modules("stage_leading", "shareOf", 90, -20, 80) == 1 and modules("stage_leading", "shareOf", 5, 5, 5) == 0
