"""The Sound room's addresses: what is drawn, corrected, exported, and refused."""

import numpy as np
import pytest
from tests.conftest import drums, sine, wav
from tests.core.envelope.test_notes import PLAYED
from tests.web.test_pages import edit, status
from tests.web.test_pages import unpack as unpack_floats

from fern_tide.core.sound.spectrogram import ROWS


def unpack(content: bytes):
    """Unpack a response that may hold bytes as well."""
    import json
    import struct

    length = struct.unpack_from("<I", content)[0]
    head = json.loads(content[4 : 4 + length])
    at, arrays = 4 + length, []
    for shape in head["arrays"]:
        of_bytes = shape[:1] == ["bytes"]
        sizes = shape[1:] if of_bytes else shape
        n = int(np.prod(sizes))
        arrays.append(np.frombuffer(content, "u1" if of_bytes else "<f4", n, at).reshape(sizes))
        at += n + (-n % 4) if of_bytes else 4 * n
    assert at == len(content)
    return head, arrays


def post(client, key, path, **plain):
    return client.post(f"/p/{key}/{path}", json={"base": status(client, key)["revision"], **plain})


def test_all_that_the_room_draws_comes_at_once(client, studio, demo):
    head, arrays = unpack(client.get(f"/p/{demo}/sound/shown?columns=300&from=0&to=0&tilt=0").data)
    assert head["missing"] == [] and head["track"] == "rain-on-panes"
    assert arrays[head["spectra"]["picture"]].shape == (ROWS, 300)
    assert arrays[head["level"]["cleaned"]].shape == (1, head["frames"])
    assert arrays[head["wave"]["waveform"]].shape[0] == 2
    assert len(arrays[head["rhythm"]["beats"]]) > 20


def test_spectra_of_frames_are_the_columns_of_the_picture(client, demo):
    whole = client.get(f"/p/{demo}/tracks/drip/spectrogram?from=0&to=100&columns=100").data
    tile = client.get(f"/p/{demo}/tracks/drip/spectra?from=0&to=100").data
    picture = np.frombuffer(whole, "u1").reshape(ROWS, 100)
    np.testing.assert_array_equal(np.frombuffer(tile, "u1").reshape(100, ROWS).T, picture)
    tilted = np.frombuffer(client.get(f"/p/{demo}/tracks/drip/spectrogram?from=0&to=100&columns=100&tilt=3").data, "u1")
    assert tilted.reshape(ROWS, 100)[0].sum() <= picture[0].sum()


@pytest.mark.parametrize("query", ["from=nan", "from=x", "columns=1e99", "tilt=inf"])
def test_a_number_that_is_none_is_refused(client, demo, query):
    assert client.get(f"/p/{demo}/tracks/drip/spectrogram?{query}").status_code == 422


def test_beats_are_corrected_and_undone(client, demo):
    bpm = unpack_floats(client.get(f"/p/{demo}/rhythm").data)[0]["bpm"]
    answer = post(client, demo, "beat", how="double")
    assert answer.status_code == 200 and answer.json["undo"] == "Double the tempo"
    assert unpack_floats(client.get(f"/p/{demo}/rhythm").data)[0]["bpm"] == pytest.approx(2 * bpm)
    client.post(f"/p/{demo}/undo", json={"base": status(client, demo)["revision"]})
    assert unpack_floats(client.get(f"/p/{demo}/rhythm").data)[0]["bpm"] == pytest.approx(bpm)


@pytest.mark.parametrize(
    "plain",
    [
        {"how": "explode"},
        {"how": "tempo", "number": "fast"},
        {"how": "tempo", "number": 1e9},
        {"how": "tapped", "times": 3},
        {"how": [["double"]]},
        {"how": {}},
        {"how": "tempo", "number": 10**400},
        {"how": "tapped", "times": [1, 10**400]},
    ],
)
def test_an_impossible_correction_is_refused(client, demo, plain):
    assert post(client, demo, "beat", **plain).status_code == 422


@pytest.mark.parametrize(
    ("path", "plain"),
    [
        ("beat", {"how": "double", "track": ["drip"]}),
        ("tracks/drip/offset", {"offset": 10**400}),
        ("tracks/drip/offset", {"offset": 1, "counted_in": ["frames"]}),
        ("tracks/drip/offset", {"offset": 1, "frame": 10**400, "near_s": 0}),
        ("stage/several/set", {"parts": ["lamp"], "command": {"kind": []}}),
        ("stage/several/drive", {"parts": ["lamp", "rain"], "property": "x", "backwards": [1]}),
        ("mappings/lamp-glow/suggest", {"scale": ["db"], "row": [1]}),
    ],
)
def test_a_list_or_a_number_without_end_where_a_word_or_a_number_is_asked_for_is_nobodys_fault(
    client, demo, path, plain
):
    assert post(client, demo, path, **plain).status_code < 500


def test_markers_go_out_and_come_back(client, studio, demo):
    content = "time_s,name,colour\n4.02,Lamp comes on,#1e6f8b\n22.61,Rain stops,\n"
    count = len(studio.projects.current(demo).document.markers)
    assert client.post(f"/p/{demo}/markers", data=content.encode()).status_code == 201
    markers = studio.projects.current(demo).document.markers
    assert len(markers) == count + 2
    out = client.get(f"/p/{demo}/markers.csv")
    assert "4.02,Lamp comes on,#1e6f8b" in out.text
    assert "attachment" in out.headers["Content-Disposition"]
    assert client.get(f"/p/{demo}/markers.vtt").text.startswith("WEBVTT")
    assert client.get(f"/p/{demo}/markers.exe").status_code == 404
    hits = client.get(f"/p/{demo}/markers.csv?of=hits&track=drip").text.splitlines()
    assert len(hits) > 20 and hits[1].endswith("Hit 1,")


def test_a_wrong_list_of_markers_changes_nothing(client, demo):
    before = status(client, demo)["revision"]
    answer = client.post(f"/p/{demo}/markers", data=b"name\nnothing of the kind\n")
    assert answer.status_code == 422 and "time_s" in answer.json["what"]
    assert status(client, demo)["revision"] == before


def test_a_track_is_placed_by_frames_and_lined_up_with_a_frame(client, studio, demo):
    assert post(client, demo, "tracks/panes/offset", offset=12, counted_in="frames").status_code == 200
    assert studio.projects.current(demo).document.track("panes").offset_samples == 17_640
    assert post(client, demo, "tracks/panes/offset", near_s=6.0, frame=200).status_code == 200
    assert studio.projects.current(demo).document.track("panes").offset_samples != 17_640
    for wrong in (
        {"offset": None},
        {"offset": 1, "counted_in": "miles"},
        {"frame": "x", "near_s": 1},
        {"frame": 1, "near_s": 1, "to": "bar"},
    ):
        assert post(client, demo, "tracks/panes/offset", **wrong).status_code == 422


def test_a_band_is_served_by_ranges_and_a_wrong_one_is_refused(client, demo):
    answer = client.get(f"/p/{demo}/tracks/drip/band.wav?low=40&high=180", headers={"Range": "bytes=0-99"})
    assert answer.status_code == 206 and len(answer.data) == 100
    answer.close()
    assert client.get(f"/p/{demo}/tracks/drip/band.wav?low=400&high=180").status_code == 422


def test_bands_are_suggested_with_names(client, demo):
    bands = client.get(f"/p/{demo}/tracks/rain-on-panes/bands").json["bands"]
    assert 3 <= len(bands) <= 5
    assert all(band["low_hz"] < band["high_hz"] and band["name"] for band in bands)


def test_a_track_with_surer_beats_is_offered_until_they_are_found_there(client, studio):
    hiss = wav(np.random.default_rng(3).normal(size=6 * 44_100) * 0.05, rate_hz=44_100)
    key = client.post("/projects?name=Mist.wav", data=hiss).json["url"].split("/")[2]
    client.post(f"/p/{key}/tracks?name=Drums.wav", data=wav(drums(seconds=6), rate_hz=44_100))
    room = client.get(f"/p/{key}/sound").text
    assert "surer in Drums" in room
    base = studio.projects.current(key).id
    answer = client.post(f"/p/{key}/beat", json={"base": base, "how": "track", "track": "drums"})
    assert answer.json["undo"] == "Find the beats in another track"
    assert "surer in" not in client.get(f"/p/{key}/sound").text


def test_a_swap_reports_what_moved_since(client, demo):
    answer = client.post(
        f"/p/{demo}/tracks/rain-on-panes/file?name=new.wav", data=wav(drums(seconds=6), rate_hz=44_100)
    )
    assert answer.status_code == 201
    said = client.get(f"/p/{demo}/moved?since={answer.json['before']}").json
    assert said["of"] == 20 and said["moved"]
    assert all(0 < item["largest"] <= 1 and item["name"] for item in said["moved"])
    assert all(item["note"] or len(item["drawn"]) == 2 for item in said["moved"])
    assert said["seconds"][0] == said["seconds"][1] > 44  # its other tracks are as long as they were
    assert client.get(f"/p/{demo}/moved?since=999999").status_code == 404


def test_newer_files_are_asked_for_by_name_and_come_in_as_one_edit(client, studio, demo):
    asked = client.get(f"/p/{demo}/newer?sound=drip_v2.wav&sound=Reed%20(new).flac&sound=Fog.wav&curve=drip.csv").json
    files = [(item["file"], item["kind"], item["id"]) for item in asked["newer"]]
    assert files == [("drip_v2.wav", "track", "drip"), ("Reed (new).flac", "track", "reed")]
    before, joined = studio.projects.current(demo), None
    for _, kind, name in files:
        content = wav(sine(200 + len(name) * 30), rate_hz=44_100)
        url = f"/p/{demo}/{kind}s/{name}/file" + (f"?joined={joined}" if joined else "")
        joined = client.post(url, data=content).json["revision"]
    assert client.get(f"/p/{demo}/status").json["undo"] == "Swap the files under Drip and Reed"
    client.post(f"/p/{demo}/curves?name=Swell.csv&joined={joined}", data=b"0,0\n4,1\n")
    added = client.get(f"/p/{demo}/status").json
    assert added["undo"] == "Swap the files under Drip and Reed, add the envelope Swell"
    client.post(f"/p/{demo}/tracks?name=Fog.wav&joined={added['revision']}", data=wav(sine(90), rate_hz=44_100))
    assert client.get(f"/p/{demo}/status").json["undo"].endswith("add the track Fog, add the envelope Swell")
    base = studio.projects.current(demo).id
    assert studio.projects.undo(demo, base=base).document == before.document
    assert client.post(f"/p/{demo}/envelopes/gone/file", data=b"0,0\n1,1\n").status_code == 404
    assert client.post(f"/p/{demo}/tracks/drip/file?joined=nonsense", data=wav(sine(70))).status_code == 201


def test_another_file_goes_under_an_envelope(client, studio, demo):
    envelope = client.post(f"/p/{demo}/curves?name=Swell.csv", data=b"0,0\n4,1\n").json["chosen"]["envelope"]
    before = studio.projects.current(demo)
    answer = client.post(f"/p/{demo}/envelopes/{envelope}/file", data=b"0,1\n4,0\n")
    assert answer.status_code == 201 and answer.json["before"] == before.id
    after = studio.projects.current(demo).document
    assert len(after.envelopes) == len(before.document.envelopes)
    assert after.envelope(envelope).reading != before.document.envelope(envelope).reading
    assert client.post(f"/p/{demo}/envelopes/{envelope}/file", data=PLAYED).status_code == 422


def test_a_curve_becomes_an_envelope(client, studio, demo):
    answer = client.post(f"/p/{demo}/curves?name=swell.json", data=b"[[0, 0], [4, 1]]")
    assert answer.status_code == 201
    assert studio.projects.current(demo).document.envelope(answer.json["chosen"]["envelope"]).name == "swell"
    assert client.post(f"/p/{demo}/curves?name=x", data=b"nope").status_code == 422


def test_notes_become_an_envelope_that_drives_and_a_wrong_file_is_named(client, studio, demo):
    answer = client.post(f"/p/{demo}/curves?name=sparse%20bells.mid", data=PLAYED)
    assert answer.status_code == 201
    project = studio.projects.current(demo).document
    envelope = project.envelope(answer.json["chosen"]["envelope"])
    assert envelope.name == "sparse bells" and envelope.reading.id == "notes" and envelope.clean_up
    shown = client.get(f"/p/{demo}/sound/parts?envelope={envelope.id}").text
    assert "From note" in shown and "Another file" in shown
    edited = {
        "kind": "set_field",
        "owner": "envelope",
        "id": envelope.id,
        "path": "reading.params.given",
        "value": "sustained",
    }
    assert edit(client, demo, edited).status_code == 200
    mapping = project.mappings[0].id
    drives = {"kind": "set_field", "owner": "mapping", "id": mapping, "path": "envelope", "value": envelope.id}
    assert edit(client, demo, drives).status_code == 200
    with client.get(f"/p/{demo}/project.ferntide") as answer:
        content = answer.data
    assert client.post("/projects/import?name=a.ferntide", data=content).status_code == 201, "its notes go along"
    refused = client.post(f"/p/{demo}/curves?name=cut.mid", data=PLAYED[:-9])
    assert refused.status_code == 422 and "cut off" in refused.json["what"]


def test_a_bank_drives_one_of_its_rows(client, studio, demo):
    envelope = {
        "id": "bank",
        "name": "Bank",
        "track": "rain-on-panes",
        "reading": {"id": "bank", "params": {"bands": 6}},
    }
    assert edit(client, demo, {"kind": "put_envelope", "envelope": envelope}).status_code == 200
    mapping = studio.projects.current(demo).document.mappings[0].id
    marks = []
    for row in (0, 5):
        assert post(client, demo, f"mappings/{mapping}/suggest", envelope="bank", row=row).status_code == 200
        now = studio.projects.current(demo).document.mapping(mapping)
        assert (now.envelope, now.row) == ("bank", row)
        marks.append(now.marks)
    assert marks[0] != marks[1]
    assert "Which row of the bank" in client.get(f"/p/{demo}/bench?mapping={mapping}").text
    head, arrays = unpack(client.get(f"/p/{demo}/envelopes/bank/level").data)
    assert arrays[head["cleaned"]].shape[0] == len(head["rows"]) == 6


def test_a_track_that_drives_asks_before_it_goes(client, demo):
    page = client.get(f"/p/{demo}/sound?track=panes").text
    assert "Panes drives: with it go" in page
    refused = edit(client, demo, {"kind": "remove_track", "id": "panes"})
    assert refused.status_code == 422 and "depend" in refused.json["what"]
    assert edit(client, demo, {"kind": "remove_track", "id": "panes", "with_users": True}).status_code == 200
    assert 'data-show-track="panes"' not in client.get(f"/p/{demo}/sound").text
