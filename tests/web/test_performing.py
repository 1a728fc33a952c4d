"""What is performed: takes come in, they and their hits are edited, latency is measured, and songs give the beat."""

import io
import wave

import mido
import numpy as np
import pytest
import soundfile
from tests.conftest import wav
from tests.core.envelope.test_notes import ONE, TEMPO_240, song
from tests.web.test_pages import edit
from tests.web.test_soundtrack import post, unpack

from fern_tide.core.envelope.takes import read_take
from fern_tide.demo.project import wall_project
from fern_tide.workflows.bring_in.takes import add_take
from fern_tide.workflows.tune.calibrating import CLICKS_S, calibration_sound

TAPS = {
    "take": 1, "kind": "taps", "device": "keys", "begin_s": 0, "end_s": 10,
    "latency_s": 0.04, "latency_from": "measured",
    "times_s": [1.04, 2.04, 3.54], "values": {"strength": [1, 0.5, 0.25]},
}  # fmt: skip
LED = {
    "take": 1, "kind": "gesture", "begin_s": 0, "end_s": 10, "times_s": [0, 10],
    "values": {"across": [0, 1], "up": [1, 0], "pressure": [0.5, 0.5]},
}  # fmt: skip


def document(studio, key):
    return studio.projects.current(key).document


def takes_of(studio, key):
    return document(studio, key).envelope("taps-1").reading.params.takes


def perform(client, key, take, query=""):
    return client.post(f"/p/{key}/takes{query}", json=take)


def hits(client, key, envelope):
    head, arrays = unpack(client.get(f"/p/{key}/sound/shown?envelope={envelope}").data)
    given = head["level"]["hits"]
    return None if given is None else [arrays[given[name]] for name in ("frames", "strengths", "edited")]


def test_a_take_comes_in_as_an_envelope_and_the_next_one_into_it(client, studio, demo):
    answer = perform(client, demo, TAPS)
    assert answer.status_code == 201 and answer.json["undo"] == "Perform Taps 1"
    assert answer.json["chosen"] == {"envelope": "taps-1"} and answer.json["envelopes"] == ["taps-1"]
    envelope = document(studio, demo).envelope("taps-1")
    (take,) = envelope.reading.params.takes
    assert read_take(studio.media.read(take.media)).times_s.tolist() == [1.04, 2.04, 3.54], "as it was performed"
    frames, strengths, _ = hits(client, demo, "taps-1")
    np.testing.assert_allclose(frames, [30, 60, 105], atol=1e-4)
    assert strengths.tolist() == [1, 0.5, 0.25]
    again = {**TAPS, "begin_s": 1.5, "end_s": 3.0, "times_s": [2.54], "values": {"strength": [0.9]}}
    answer = perform(client, demo, again, "?into=taps-1&into=gone")
    assert (
        answer.json["take"] == 2 and answer.json["named"] == "Taps 1" and answer.json["undo"] == "Perform Taps 1 again"
    )
    assert hits(client, demo, "taps-1")[0].tolist() == pytest.approx([30, 75, 105], abs=1e-3)
    room = client.get(f"/p/{demo}/sound?envelope=taps-1").text
    assert 'value="Take 2"' in room and '"count": 2' in room.replace('"count":2', '"count": 2')
    assert perform(client, demo, TAPS).json["envelopes"] == ["taps-2"]


def test_a_gesture_gives_what_is_wanted_of_it(client, studio, demo):
    answer = perform(client, demo, LED, "?given=across&given=pressure&given=across")
    assert answer.json["envelopes"] == ["across-1", "pressure-1"]
    given = [document(studio, demo).envelope(name).reading.params.given for name in answer.json["envelopes"]]
    assert given == ["across", "pressure"] and hits(client, demo, "across-1") is None
    assert perform(client, demo, LED).json["envelopes"] == ["up-1"]
    assert perform(client, demo, TAPS, "?into=up-1").json["envelopes"] == ["taps-1"], "taps do not go into a gesture"
    assert "across, up, pressure" in perform(client, demo, LED, "?given=hits").json["remedy"]


NOTHING = {**TAPS, "times_s": [], "values": {"strength": []}}


@pytest.mark.parametrize(("take", "words"), [(NOTHING, "a tap or a move"), ({"take": 1}, "no kind"), ([], "no take")])
def test_what_is_no_take_leaves_nothing_behind(client, studio, demo, take, words):
    revision, files = studio.projects.current(demo).id, sorted(studio.settings.data.rglob("media/**/*"))
    answer = perform(client, demo, take)
    assert answer.status_code == 422 and words in answer.json["what"] + answer.json["remedy"]
    assert studio.projects.current(demo).id == revision
    assert files and sorted(studio.settings.data.rglob("media/**/*")) == files


def test_takes_are_chosen_for_a_stretch_named_and_taken_away(client, studio, demo):
    perform(client, demo, TAPS)
    perform(client, demo, {**TAPS, "times_s": [2.24], "values": {"strength": [1]}}, "?into=taps-1")
    path = "envelopes/taps-1/takes"

    def times():
        return [round(float(frame) / 30, 4) for frame in hits(client, demo, "taps-1")[0]]

    assert times() == [2.2]
    answer = post(client, demo, path, how="choose", place=0, begin_s=0, end_s=1.5)
    assert answer.json["undo"] == "Choose Take 1 of Taps 1" and times() == [1.0, 2.2]
    shown = unpack(client.get(f"/p/{demo}/sound/shown?envelope=taps-1").data)[0]["level"]["takes"]
    assert [(round(a / 30, 2), round(b / 30, 2), name) for a, b, name in shown] == [
        (-0.04, 0.0, "Take 2"), (0.0, 1.5, "Take 1"), (1.5, 9.96, "Take 2"),
    ]  # fmt: skip
    post(client, demo, path, how="choose", place=1, begin_s=0.5, end_s=0.75)
    post(client, demo, path, how="choose", place=0)
    assert times() == [1.0, 2.0, 3.5] and len(document(studio, demo).envelope("taps-1").reading.params.stretches) == 1
    post(client, demo, path, how="forget", place=0)
    assert times() == [2.2]
    post(client, demo, path, how="choose", place=1, begin_s=2, end_s=3)
    post(client, demo, path, how="rename", place=1, name="Calm")
    post(client, demo, path, how="drop", place=0)
    params = document(studio, demo).envelope("taps-1").reading.params
    perform(client, demo, TAPS, "?into=taps-1")
    assert [one.name for one in takes_of(studio, demo)] == ["Calm", "Take 1"], "the next free number"
    post(client, demo, path, how="drop", place=1)
    assert [take.name for take in params.takes] == ["Calm"] and [one.take for one in params.stretches] == [0]
    for wrong in (
        {"how": "drop", "place": 0},
        {"how": "choose", "place": 1},
        {"how": "choose", "place": 0, "begin_s": 2, "end_s": 1},
        {"how": "eat", "place": 0},
    ):
        assert post(client, demo, path, **wrong).status_code == 422, wrong
    assert post(client, demo, "envelopes/drip/takes", how="forget", place=0).status_code == 422


@pytest.mark.parametrize("envelope", ["taps-1", "hits"])
def test_hits_are_moved_weighed_added_and_taken_away(client, studio, demo, envelope):
    perform(client, demo, TAPS)
    path = f"envelopes/{envelope}/hits"
    frames, _, edited = hits(client, demo, envelope)
    assert not edited.any()
    first, second = frames[:2].tolist()
    answer = post(client, demo, path, how="move", hit_s=second / 30, time_s=0.1 + second / 30)
    assert answer.json["undo"].startswith("Move a hit of")
    post(client, demo, path, how="weigh", hit_s=first / 30, strength=0.4)
    now = hits(client, demo, envelope)
    assert now[0][1] == pytest.approx(frames[1] + 3, abs=1e-3) and now[1][0] == pytest.approx(0.4)
    assert now[2][:2].tolist() == [1, 1]
    post(client, demo, path, how="remove", hit_s=first / 30)
    post(client, demo, path, how="add", time_s=20.0, strength=0.7)
    after = hits(client, demo, envelope)
    assert len(after[0]) == len(frames) and 600 in after[0].round(3)
    post(client, demo, path, how="forget")
    assert hits(client, demo, envelope)[0].tolist() == frames.tolist()
    for wrong in (
        {"how": "move", "hit_s": first / 30 + 0.03, "time_s": 1},
        {"how": "weigh", "hit_s": first / 30, "strength": 2},
        {"how": "move", "hit_s": first / 30, "time_s": "x"},
    ):
        assert post(client, demo, path, **wrong).status_code == 422, wrong


def test_taps_that_count_later_are_where_their_level_is(client, studio, demo):
    perform(client, demo, TAPS)
    later = {"kind": "set_field", "owner": "envelope", "id": "taps-1", "path": "reading.params.later_s", "value": 0.5}
    assert edit(client, demo, later).status_code == 200
    head, arrays = unpack(client.get(f"/p/{demo}/sound/shown?envelope=taps-1").data)
    frames = arrays[head["level"]["hits"]["frames"]]
    assert np.flatnonzero(arrays[head["level"]["raw"]][0]).tolist() == np.round(frames).tolist() == [45, 75, 120]
    post(client, demo, "envelopes/taps-1/hits", how="move", hit_s=1.5, time_s=1.0)
    post(client, demo, "envelopes/taps-1/hits", how="add", time_s=5.0)
    assert hits(client, demo, "taps-1")[0].tolist() == pytest.approx([30, 75, 120, 150], abs=1e-3)
    file = mido.MidiFile(file=io.BytesIO(client.get(f"/p/{demo}/hits.mid?envelope=taps-1").data))
    assert file.tracks[1][0].time / 19_200 == pytest.approx(1.0, abs=1e-4)


def test_what_has_no_hits_has_none_to_edit(client, demo):
    assert "one of hits" in post(client, demo, "envelopes/drip/hits", how="add", time_s=1).json["remedy"]
    assert client.get(f"/p/{demo}/hits.mid?envelope=drip").status_code == 422


def test_hits_go_out_as_a_midi_file_where_they_are(client, demo):
    perform(client, demo, TAPS)
    for query in ("envelope=taps-1", "track=drip"):
        answer = client.get(f"/p/{demo}/hits.mid?{query}")
        assert answer.mimetype == "audio/midi"
        now, times = 0.0, []
        for message in mido.MidiFile(file=io.BytesIO(answer.data)):
            now += message.time
            if message.type == "note_on" and message.channel == 0:
                times.append(now)
        assert times[:3] == pytest.approx([1.0, 2.0, 3.5], abs=1e-4) if "taps" in query else len(times) > 40


def test_a_song_gives_the_beat(client, studio, demo):
    tempos = song(TEMPO_240 + b"\x60\xff\x51\x03\x0f\x42\x40" + ONE)
    client.post(f"/p/{demo}/curves?name=bells.mid", data=tempos)
    answer = post(client, demo, "beat", how="song", envelope="bells")
    assert answer.json["undo"] == "Take the beats of a song"
    head, arrays = unpack(client.get(f"/p/{demo}/rhythm").data)
    assert arrays[head["beats"]][:4].tolist() == pytest.approx([0, 7.5, 37.5, 67.5], abs=1e-3)
    client.post(f"/p/{demo}/curves?name=frames.mid", data=song(TEMPO_240 + ONE, division=((256 - 25) << 8) | 40))
    assert "it has no beats" in post(client, demo, "beat", how="song", envelope="frames").json["what"]
    assert "Choose one that does" in post(client, demo, "beat", how="song", envelope="drip").json["remedy"]
    post(client, demo, "beat", how="tempo", number=90)
    assert document(studio, demo).beat.tempos == () and document(studio, demo).beat.bpm == 90


def test_the_clicks_set_in_where_they_are_said_to(client, demo):
    answer = client.get(f"/p/{demo}/calibration.wav")
    assert answer.data == calibration_sound() and answer.mimetype == "audio/wav"
    with wave.open(io.BytesIO(answer.data)) as file:
        rate = file.getframerate()
        sound = np.frombuffer(file.readframes(file.getnframes()), "<i2")
    loud = np.flatnonzero(np.abs(sound.astype(int)) > 20_000)
    first = loud[np.insert(np.diff(loud) > rate // 10, 0, True)]
    np.testing.assert_allclose(first / rate, CLICKS_S, atol=1 / rate)


def test_latency_is_the_median_of_taps_near_clicks(client, demo):
    late = [at + 0.07 + 0.01 * (-1) ** n for n, at in enumerate(CLICKS_S)]
    answer = client.post(f"/p/{demo}/calibration", json={"taps": [*late, 0.1]})
    assert answer.json["taps"] == len(CLICKS_S) and answer.json["latency_s"] == pytest.approx(0.07, abs=0.011)
    assert answer.json["spread_s"] == pytest.approx(0.0148, abs=1e-3)
    for taps, words in (([], "Only 0 taps"), (late[:7], "Only 7 taps"), ("x", "seconds"), ([None], "seconds")):
        refusal = client.post(f"/p/{demo}/calibration", json={"taps": taps})
        assert refusal.status_code == 422 and words in refusal.json["what"] + refusal.json["remedy"]
    uneven = [at + 0.2 * np.sin(7 * n) for n, at in enumerate(CLICKS_S)]
    assert "too uneven" in client.post(f"/p/{demo}/calibration", json={"taps": uneven}).json["what"]


def test_two_takes_at_once_are_both_stored(studio, demo, monkeypatch):
    """Another tab stores one while this one is being stored."""
    import json

    content = json.dumps(TAPS).encode()
    save, times = studio.projects.save, []

    def slow(key, project, **more):
        if not times:
            times.append(1)
            add_take(studio, demo, content)
        return save(key, project, **more)

    monkeypatch.setattr(studio.projects, "save", slow)
    add_take(studio, demo, content)
    assert {"taps-1", "taps-2"} <= {item.id for item in document(studio, demo).envelopes}


def test_a_property_that_a_hand_led_is_moved_as_it_was(client, studio, demo):
    before = len(document(studio, demo).mappings)
    answer = perform(client, demo, LED, "?given=up&drive=title:y&rest=-40&full=60")
    assert answer.json["undo"] == "Lead Title down" and answer.json["named"] == "Title down"
    (mapping,) = [one for one in document(studio, demo).mappings if one.envelope == answer.json["envelopes"][0]]
    (drive,) = mapping.drives
    assert (str(drive.target), drive.rest, drive.full) == ("title:y", -40, 60)
    assert (mapping.marks.low, mapping.marks.high) == (0, 1)
    row = client.get(f"/p/{demo}/stage/parts?part=title").text
    assert 'data-rest="-40.0"' in row and f'data-into="{mapping.envelope}"' in row, "it can be led again"
    step = {"kind": "add_entry", "owner": "mapping", "id": mapping.id, "path": "steps", "value": {"id": "flip"}}
    assert edit(client, demo, step).status_code == 200
    row = client.get(f"/p/{demo}/stage/parts?part=title").text
    assert f'data-into="{mapping.envelope}"' not in row, "it would not move as the hand did"
    again = perform(client, demo, LED, f"?into={mapping.envelope}")
    assert again.json["take"] == 2 and len(document(studio, demo).mappings) == before + 1
    for wrong in ("drive=title:y&rest=x&full=1", "drive=title:y&rest=1", "drive=nobody:y&rest=0&full=1", "drive=title"):
        assert perform(client, demo, LED, f"?given=up&{wrong}").status_code in {404, 422}, wrong


def test_two_properties_are_led_at_once_and_once_more(client, studio, demo):
    query = "?given=across&drive=frond-left:x&rest=-100&full=100&given=up&drive=frond-left:y&rest=-50&full=50"
    answer = perform(client, demo, LED, query)
    assert answer.status_code == 201
    assert answer.json["undo"] == "Lead Frond left across and Frond left down"
    assert answer.json["envelopes"] == ["frond-left-across", "frond-left-down"]
    drives = [mapping.drives[0] for mapping in document(studio, demo).mappings[-2:]]
    assert [(str(d.target), d.rest, d.full) for d in drives] == [("frond-left:x", -100, 100), ("frond-left:y", -50, 50)]
    head, arrays = unpack(client.get(f"/p/{demo}/curves").data)
    x, y = (arrays[head["curves"][f"frond-left:{name}"]["values"]] for name in "xy")
    assert x[150] == pytest.approx(0, abs=2) and x[0] < -98 and y[0] > 48 and y[290] < -45
    room = client.get(f"/p/{demo}/stage/parts?part=frond-left").text
    assert 'data-into="frond-left-across"' in room and 'data-given="across"' in room
    again = perform(client, demo, LED, "?into=frond-left-across&into=frond-left-down").json
    assert again["undo"] == "Perform Frond left across and Frond left down again" and again["take"] == 2
    assert len(document(studio, demo).mappings) == len({m.id for m in document(studio, demo).mappings})
    wrong = perform(client, demo, LED, "?given=across&drive=frond-left:x&rest=-100")
    assert wrong.status_code == 422 and "one of each" in wrong.json["remedy"]


def test_pieces_of_an_array_are_led_like_any_property(client, studio):
    key = studio.projects.create(wall_project(), label="Made").key
    assert 'data-lead="panes:piece_x"' in client.get(f"/p/{key}/stage/parts?part=panes").text
    query = "?given=up&drive=panes:piece_x&rest=-0.5&full=0.5"
    assert perform(client, key, LED, query).json["undo"].startswith("Lead Panes")
    drive = document(studio, key).mappings[-1].drives[0]
    assert (str(drive.target), drive.rest, drive.full) == ("panes:piece_x", -0.5, 0.5)


def ruler(client, key, track):
    head, arrays = unpack(client.get(f"/p/{key}/rhythm?track={track}").data)
    return arrays[head["hits"]], arrays[head["strengths"]]


def test_hits_of_a_track_are_edited_on_the_ruler_and_survive_a_swap(client, studio, demo):
    frames, _ = ruler(client, demo, "drip")
    post(client, demo, "tracks/drip/offset", offset=15)
    path, frames = "tracks/drip/hits", frames + 15
    answer = post(client, demo, path, how="move", hit_s=float(frames[2]) / 30, time_s=float(frames[2]) / 30 + 0.1)
    assert answer.json["undo"] == "Move a hit of Drip"
    post(client, demo, path, how="weigh", hit_s=float(frames[0]) / 30, strength=0.25)
    post(client, demo, path, how="remove", hit_s=float(frames[4]) / 30)
    assert post(client, demo, path, how="add", time_s=20.01, strength=0.5).json["undo"] == "Add a hit to Drip"
    now, strengths = ruler(client, demo, "drip")
    assert now[2] == pytest.approx(frames[2] + 3, abs=1e-3) and strengths[0] == pytest.approx(0.25)
    assert not np.isclose(now, frames[4], atol=0.1).any() and np.isclose(now, 600.3, atol=1e-3).any()
    midi = mido.MidiFile(file=io.BytesIO(client.get(f"/p/{demo}/hits.mid?track=drip").data))
    notes = np.cumsum([message.time for message in midi.tracks[1]])[::2]
    assert len([m for m in midi.tracks[1] if m.type == "note_on" and m.velocity]) == len(now) and notes[0] >= 0
    edits = document(studio, demo).track("drip").hit_edits
    assert edits[0].time_s == pytest.approx(float(frames[2]) / 30 + 0.1 - 0.5, abs=1e-3), "in seconds of the track"
    with studio.media.open(document(studio, demo).track("drip").media) as file:
        sound, rate_hz = soundfile.read(io.BytesIO(file.read()), always_2d=True)
    louder = wav((0.9 * sound).T, rate_hz=rate_hz)
    assert client.post(f"/p/{demo}/tracks/drip/file?name=louder.wav", data=louder).status_code < 300
    again, _ = ruler(client, demo, "drip")
    np.testing.assert_allclose(again, now, atol=0.05)
    assert post(client, demo, path, how="forget").json["undo"] == "Forget all edits of hits of Drip"
    np.testing.assert_allclose(ruler(client, demo, "drip")[0], frames, atol=0.05)
    assert post(client, demo, path, how="move", hit_s=9999, time_s=1).status_code == 422
    assert post(client, demo, "tracks/nobody/hits", how="add", time_s=1).status_code == 404


def test_hits_of_a_late_track_are_moved_in_seconds_of_the_project(client, studio, demo):
    track = document(studio, demo).envelope("hits").track
    post(client, demo, f"tracks/{track}/offset", offset=30)
    frames = hits(client, demo, "hits")[0]
    first = float(frames[0]) / 30
    post(client, demo, "envelopes/hits/hits", how="move", hit_s=first, time_s=first + 0.2)
    assert hits(client, demo, "hits")[0][0] == pytest.approx(min(frames[0] + 6, frames[1]), abs=1e-3)
    (edit,) = document(studio, demo).envelope("hits").reading.params.edits
    assert edit.time_s == pytest.approx(float(frames[0]) / 30 - 0.8, abs=1e-3), "it is stored in seconds of the track"
    times = []
    for message in mido.MidiFile(file=io.BytesIO(client.get(f"/p/{demo}/hits.mid?envelope=hits").data)).tracks[1]:
        times.append(message.time)
    assert times[0] / 19_200 == pytest.approx(float(hits(client, demo, "hits")[0][0]) / 30, abs=1e-3)


def test_a_recording_begins_where_it_was_heard(client, studio, demo):
    content = wav(0.1 * np.ones(4800), rate_hz=48_000)
    client.post(f"/p/{demo}/tracks?name=Recording 1.wav&at_s=-0.25", data=content)
    assert document(studio, demo).track("recording-1").offset_samples == -12_000
    client.post(f"/p/{demo}/tracks?name=Plain.wav", data=content)
    assert document(studio, demo).track("plain").offset_samples == 0
    for wrong in ("x", "nan", "1e99"):
        assert client.post(f"/p/{demo}/tracks?name=a.wav&at_s={wrong}", data=content).status_code == 422, wrong
