"""The routes without a browser: guards, edits, previews, wrong files, and what comes back as bytes."""

import io
import json
import re
import struct
from collections import Counter

import numpy as np
import pytest
import soundfile
from tests.conftest import drums, sine, wav
from tests.core.sound.test_decode import WRONG
from tests.core.test_document import repacked

from fern_tide.core.bake.thin import thin
from fern_tide.core.derivation.node import Kind
from fern_tide.core.formats.registry import FORMATS

DEMOS = 3


def unpack(content: bytes):
    length = struct.unpack_from("<I", content)[0]
    head = json.loads(content[4 : 4 + length])
    at, arrays = 4 + length, []
    for shape in head["arrays"]:
        n = int(np.prod(shape))
        arrays.append(np.frombuffer(content, "<f4", n, at).reshape(shape))
        at += 4 * n
    assert at == len(content)
    return head, arrays


def status(client, key):
    return client.get(f"/p/{key}/status").json


def edit(client, key, command, base=None):
    base = status(client, key)["revision"] if base is None else base
    return client.post(f"/p/{key}/edits", json={"base": base, "command": command})


def first_mapping(studio, key):
    return studio.projects.current(key).document.mappings[0].model_dump(mode="json")


def test_every_page_answers_and_carries_a_strict_policy(client, demo):
    for path in ("/", f"/p/{demo}/bench", f"/p/{demo}/sound", f"/p/{demo}/hand-off"):
        answer = client.get(path)
        assert answer.status_code == 200
        policy = answer.headers["Content-Security-Policy"]
        assert "default-src 'none'" in policy and "'unsafe" not in policy
        assert answer.headers["X-Content-Type-Options"] == "nosniff"


def test_pages_have_no_inline_code_styles_or_outside_addresses(client, demo):
    for room in ("bench", "sound", "hand-off"):
        html = client.get(f"/p/{demo}/{room}").text
        assert not re.search(r"<script(?![^>]*(src=|application/json))", html)
        assert not re.search(r'\sstyle="|\son[a-z]+="|javascript:', html)
        assert set(re.findall(r'(?:src|href)="(https?:[^"]*)"', html)) == set()


def test_another_host_is_refused(client):
    assert client.get("/", headers={"Host": "evil.example"}).status_code == 400
    assert client.get("/", headers={"Host": "localhost:5077"}).status_code == 200


def test_a_post_without_the_pages_token_is_refused(studio, app, demo):
    app.config["WTF_CSRF_ENABLED"] = True
    client = app.test_client()
    assert client.post(f"/p/{demo}/undo", json={"base": 1}).status_code == 400
    token = re.search(r'csrf-token" content="([^"]+)', client.get("/").text)[1]
    assert client.post("/projects/demo", headers={"X-CSRF-Token": token}).status_code == 201


def test_what_is_not_there_says_so_in_words(client, demo):
    answer = client.get("/p/000000000000/bench", headers={"Accept": "text/html"})
    assert answer.status_code == 404
    assert "This project does not exist" in answer.text and "See all projects" in answer.text
    assert client.get("/nowhere", headers={"Accept": "application/json"}).json["what"] == "There is no such page."
    assert client.get(f"/p/{demo}/envelopes/ghost/level").status_code == 404


@pytest.mark.parametrize(("content", "words"), WRONG.values(), ids=WRONG)
@pytest.mark.parametrize("place", ["new project", "track"])
def test_a_wrong_file_gets_words_and_a_4xx_and_nothing_stays_behind(client, studio, demo, content, words, place):
    before = {path.name for path in (studio.settings.data / "media").iterdir()}
    revision = status(client, demo)["revision"]
    url = "/projects" if place == "new project" else f"/p/{demo}/tracks"
    answer = client.post(f"{url}?name=odd.wav", data=content, content_type="application/octet-stream")
    assert 400 <= answer.status_code < 500
    assert re.search(words, f"{answer.json['what']} {answer.json['remedy']}")
    assert answer.json["remedy"]
    assert {path.name for path in (studio.settings.data / "media").iterdir()} == before
    assert len(studio.projects.all()) == DEMOS
    assert status(client, demo)["revision"] == revision


def test_a_file_over_the_limit_is_refused(client, app):
    app.config["MAX_CONTENT_LENGTH"] = 1_000
    answer = client.post("/projects?name=a.wav", data=wav(np.zeros(4_000)), content_type="application/octet-stream")
    assert answer.status_code == 413
    assert "too large" in answer.json["what"]


@pytest.mark.parametrize(
    "name", ["<img src=x onerror=alert(1)>.wav", "../../etc/passwd.wav", "雨の音.wav", "x" * 500, ""]
)
def test_a_hostile_or_odd_file_name_is_only_ever_text(client, name):
    answer = client.post(
        "/projects", query_string={"name": name}, data=wav(drums()), content_type="application/octet-stream"
    )
    assert answer.status_code == 201
    for room in ("bench", "sound"):
        html = client.get(answer.json["url"].replace("bench", room)).text
        assert "<img src=x" not in html


def start(client, content=None) -> str:
    data = content or wav(drums())
    answer = client.post("/projects?name=Drums.wav", data=data, content_type="application/octet-stream")
    return answer.json["url"].split("/")[2]


def test_from_a_sound_to_a_downloaded_curve_in_four_actions(client, studio):
    key = start(client)
    made = client.post(f"/p/{key}/mappings", json={"base": status(client, key)["revision"], "target": "lamp:turn"})
    assert made.json["undo"] == "Add Lamp turn"
    assert client.post(f"/p/{key}/bake").json["stale"] == 0
    rows = client.get(f"/p/{key}/hand-off/files/csv").text.splitlines()
    values = np.array([float(row.split(",")[2]) for row in rows[1:]])
    assert rows[0] == "frame,time_s,lamp:turn [°]"
    assert values.min() == 0 and values.max() == 12  # rest in the noise, full at the hits
    assert 0.2 < (values > 0.5).mean() < 0.9


def test_a_preview_is_what_the_edit_then_gives_and_stores_nothing(client, studio, demo):
    mapping = first_mapping(studio, demo)
    mapping["marks"]["low"] = "-20dB"
    command = {"kind": "put_mapping", "mapping": mapping}
    before = status(client, demo)
    head, arrays = unpack(client.post(f"/p/{demo}/preview", json={"command": command}).data)
    assert status(client, demo) == before
    assert list(head["lanes"]) == ["lamp-glow"]
    assert set(head["curves"]) == {"lamp-glow:opacity", "lamp-glow:scale_x", "lamp-glow:scale_y"}
    edit(client, demo, command)
    whole, all_arrays = unpack(client.get(f"/p/{demo}/curves").data)
    for target, curve in head["curves"].items():
        np.testing.assert_array_equal(arrays[curve["values"]], all_arrays[whole["curves"][target]["values"]])
    assert head["lanes"]["lamp-glow"]["level"] is None  # the page has it already
    assert whole["lanes"]["lamp-glow"]["level"] is not None


def test_a_preview_computes_only_what_the_edit_touches(client, app, studio, demo):
    levels = app.extensions["fern_tide"].levels
    client.get(f"/p/{demo}/curves")
    client.get(f"/p/{demo}/curves")
    mapping = first_mapping(studio, demo)
    before = Counter(levels.worked)
    mapping["marks"]["low"] = 0.07
    client.post(f"/p/{demo}/preview", json={"command": {"kind": "put_mapping", "mapping": mapping}})
    once = before + Counter({Kind.LIFT: 1, Kind.CURVE: 2})  # both scales move alike
    assert levels.worked == once
    client.post(f"/p/{demo}/preview", json={"command": {"kind": "put_mapping", "mapping": mapping}})
    assert levels.worked == once


def test_an_edit_on_an_old_revision_is_a_conflict_that_is_explained(client, studio, demo):
    base = status(client, demo)["revision"]
    assert edit(client, demo, {"kind": "rename_project", "name": "One"}, base).status_code == 200
    answer = edit(client, demo, {"kind": "rename_project", "name": "Two"}, base)
    assert answer.status_code == 409
    assert "changed in another tab since: 'Rename the project to One'" in answer.json["what"]
    assert status(client, demo)["name"] == "One"


def test_undo_redo_and_an_edit_that_changes_nothing(client, demo):
    first = status(client, demo)
    assert edit(client, demo, {"kind": "rename_project", "name": first["name"]}).json["revision"] == first["revision"]
    done = edit(client, demo, {"kind": "rename_project", "name": "Night"}).json
    back = client.post(f"/p/{demo}/undo", json={"base": done["revision"]}).json
    assert (back["name"], back["redo"]) == (first["name"], "Rename the project to Night")
    assert client.post(f"/p/{demo}/redo", json={"base": back["revision"]}).json["name"] == "Night"
    assert client.post(f"/p/{demo}/redo", json={"base": done["revision"]}).status_code == 409


@pytest.mark.parametrize(
    ("send", "status"),
    [
        (b"", 422), (b"[]", 422), (b"{", 422), (b'{"base": "x", "command": {"kind": "undo"}}', 422),
        (b'{"base": 1, "command": {"kind": "set_keys_error", "percent": 900}}', 422),
        (b'{"base": 1, "command": {"kind": "remove_mapping", "id": "ghost"}}', 404),
        (b'{"base": 1, "command": {"kind": "move_mapping", "id": "lamp-glow", "place": -1}}', 422),
        (b'{"base": 1, "command": {"kind": "set_rate", "rate": "1e9"}}', 422), (b"[" * 100_000, 422),
    ],
)  # fmt: skip
def test_bad_edits_are_refused_with_words(client, demo, send, status):
    send = send.replace(b'"base": 1', b'"base": %d' % client.get(f"/p/{demo}/status").json["revision"])
    answer = client.post(f"/p/{demo}/edits", data=send, content_type="application/json")
    assert answer.status_code == status
    assert answer.json["what"]


def test_checks_go_by_limits_that_are_given(client, demo):
    client.post(f"/p/{demo}/bake", json={})
    asked = f"/p/{demo}/hand-off/parts?check.near_zero_scale.least="
    assert "No scale comes near zero" in client.get(asked + "0.02").text
    strict = client.get(asked + "0.99").text
    assert "No scale comes near zero" not in strict and "comes down to" in strict
    assert 'name="check.near_zero_scale.least"' in strict and 'value="0.99"' in strict
    refused = client.get(asked + "7", headers={"HX-Request": "true"})
    assert refused.status_code == 422 and "more than 0, at most 1" in refused.json["remedy"]
    assert client.get(f"/p/{demo}/hand-off/parts?check.gone.least=5").status_code == 200
    assert client.get(f"/p/{demo}/hand-off/parts?check.never_moves.most=5").status_code == 422


def test_stale_curves_are_counted_and_say_why(client, studio, demo):
    assert status(client, demo)["stale"] == 20
    assert client.post(f"/p/{demo}/bake").json["stale"] == 0
    mapping = first_mapping(studio, demo)
    mapping["marks"]["low"] = 0.08
    mapping["name"] = "Other"
    assert edit(client, demo, {"kind": "put_mapping", "mapping": mapping}).json["stale"] == 3
    html = client.get(f"/p/{demo}/hand-off").text
    html = " ".join(html.split())
    assert "low water -28.0 to -21.9 dB" in html
    assert "Writing bakes them first" in html and html.count("Bake and write") == 10
    assert "Lamp glow" in html.split('id="stale-words"')[1].split("</p>")[0]
    client.post(f"/p/{demo}/undo", json={"base": status(client, demo)["revision"]})
    assert status(client, demo)["stale"] == 0  # back where it was: fresh again


def test_writing_bakes_what_is_stale_and_goes_by_the_one_tolerance(client, studio, demo):
    assert status(client, demo)["stale"] == 20
    edit(client, demo, {"kind": "set_keys_error", "percent": 0.02})
    page = client.post(f"/p/{demo}/hand-off/write/json").text
    assert status(client, demo)["stale"] == 0 and "20 curves" in page and "hand-off/files/json" in page
    assert "a key every frame since fewer" in page, "so small an error thins this demo to no smaller a file"
    edit(client, demo, {"kind": "set_keys_error", "percent": 0})
    exact = client.get(f"/p/{demo}/hand-off/files/svg").data
    assert "largest error 0 of" in " ".join(client.post(f"/p/{demo}/hand-off/write/csv").text.split())
    edit(client, demo, {"kind": "set_keys_error", "percent": 10})
    assert "a key every frame" not in client.post(f"/p/{demo}/hand-off/write/svg").text
    assert len(client.get(f"/p/{demo}/hand-off/files/svg").data) < 0.7 * len(exact)
    keys = client.get(f"/p/{demo}/hand-off/curve?target=lamp-glow:opacity")
    edit(client, demo, {"kind": "set_keys_error", "percent": 0})
    head, arrays = unpack(client.get(f"/p/{demo}/hand-off/curve?target=lamp-glow:opacity").data)
    assert arrays[head["frames"]].tolist() == list(range(1349)) and head["error_percent"] == 0
    assert len(unpack(keys.data)[1][head["frames"]]) < 900


def test_the_same_document_bakes_to_the_same_bytes(client, studio, demo):
    def written():
        client.post(f"/p/{demo}/bake")
        return [client.get(f"/p/{demo}/hand-off/files/{name}").data for name in FORMATS]

    first = written()
    for path in (studio.settings.data / "derived").rglob("*.npy"):
        path.unlink()
    assert client.get(f"/p/{demo}/work").json["jobs"] != []  # read anew, at once in this test
    assert written() == first


def test_keys_and_their_error_are_what_the_core_says(client, studio, demo):
    client.post(f"/p/{demo}/bake")
    head, arrays = unpack(client.get(f"/p/{demo}/hand-off/curve?target=frond-left:turn").data)
    dense = arrays[head["dense"]].astype(float)
    assert len(arrays[head["frames"]]) == pytest.approx(len(thin(dense, tolerance=0.005 * np.ptp(dense)).frames), abs=2)
    assert head["error_percent"] <= 0.5 + 1e-6
    still = unpack(client.get(f"/p/{demo}/hand-off/curve?target=lamp:turn").data)
    assert np.ptp(still[1][still[0]["dense"]]) == 0, "what nothing drives has a curve that can be touched up"
    assert client.get(f"/p/{demo}/hand-off/curve?target=lamp:nothing").status_code == 404


def test_a_project_file_goes_out_and_comes_back_the_same(client, studio, demo):
    content = client.get(f"/p/{demo}/project.ferntide", buffered=True).data
    answer = client.post("/projects/import?name=x.ferntide", data=content, content_type="application/octet-stream")
    assert answer.status_code == 201
    key = answer.json["url"].split("/")[2]
    assert studio.projects.current(key).document == studio.projects.current(demo).document


def test_a_hostile_project_file_leaves_nothing_behind(client, studio):
    media = studio.settings.data / "media"
    for stream in (io.BytesIO(b"nonsense"), repacked(**{"document.json": b"{}"})):
        answer = client.post("/projects/import", data=stream.read(), content_type="application/octet-stream")
        assert answer.status_code == 422
    assert studio.projects.all() == []
    assert list(media.iterdir()) == []


def test_what_is_heard_is_one_file_with_byte_ranges(client, studio, demo):
    url = client.get(f"/p/{demo}/heard").json["url"]
    part = client.get(url, headers={"Range": "bytes=44-143"}, buffered=True)
    assert part.status_code == 206 and len(part.data) == 100
    whole, rate = soundfile.read(io.BytesIO(client.get(url, buffered=True).data))
    assert (rate, whole.shape[1]) == (44_100, 2)
    assert len(whole) == -(-1349 * 44_100 // 30)  # as long as the project, to the sample
    track = studio.projects.current(demo).document.tracks[0].model_dump(mode="json")
    edit(client, demo, {"kind": "put_track", "track": {**track, "heard": False}})
    assert client.get(f"/p/{demo}/heard").json["url"] is None
    assert client.get(f"/p/{demo}/heard/{'0' * 64}.wav").status_code == 404
    assert client.get(f"/p/{demo}/heard/..%2f..%2fprojects.wav").status_code == 404


def test_a_track_that_does_not_drive_leaves_everything_at_rest(client, studio):
    key = start(client)
    client.post(f"/p/{key}/mappings", json={"base": status(client, key)["revision"], "target": "lamp:turn"})
    track = studio.projects.current(key).document.tracks[0].model_dump(mode="json")
    edit(client, key, {"kind": "put_track", "track": {**track, "drives": False}})
    head, arrays = unpack(client.get(f"/p/{key}/curves").data)
    assert set(arrays[head["curves"]["lamp:turn"]["values"]]) == {0.0}


def test_a_mapping_drives_more_properties_and_each_only_once(client, studio):
    key = start(client)
    client.post(f"/p/{key}/mappings", json={"base": status(client, key)["revision"], "target": "cloche-1:scale_y"})
    grown = client.post(f"/p/{key}/mappings/cloche-1-height/drives", json={"base": status(client, key)["revision"]})
    assert grown.json["chosen"]["drive"] == 1
    drives = studio.projects.current(key).document.mappings[0].drives
    assert [str(drive.target) for drive in drives] == ["cloche-1:scale_y", "cloche-2:scale_y"]
    odd = {"base": status(client, key)["revision"], "target": "lamp:turn", "place": "first"}
    assert client.post(f"/p/{key}/mappings/cloche-1-height/aim", json=odd).status_code == 422
    again = {"base": status(client, key)["revision"], "target": "cloche-1:scale_y", "place": 1}
    assert client.post(f"/p/{key}/mappings/cloche-1-height/aim", json=again).status_code == 422


def test_a_deleted_project_can_be_put_back(client, demo):
    client.post(f"/p/{demo}/delete")
    assert client.get(f"/p/{demo}/bench").status_code == 404
    client.post(f"/p/{demo}/put-back")
    assert client.get(f"/p/{demo}/bench").status_code == 200


def test_lanes_that_can_be_drawn_are_not_kept_waiting_by_one_that_cannot(client, studio, demo):
    studio.enqueue = lambda job: None
    project = studio.projects.current(demo).document
    reed = project.envelope("reed").model_dump(mode="json")
    reed["reading"]["params"]["window_ms"] = 333.0
    edit(client, demo, {"kind": "put_envelope", "envelope": reed})
    head, _ = unpack(client.get(f"/p/{demo}/curves").data)
    assert set(head["lanes"]) == {"lamp-glow", "cloche-tops", "rain-on-glass"}
    assert "frond-left:turn" not in head["curves"] and "rain:y" in head["curves"]
    (job,) = client.get(f"/p/{demo}/work").json["jobs"]
    assert job["state"] == "queued"
    assert client.post(f"/p/{demo}/bake").status_code == 202  # a bake waits for all of it


def test_cancelled_work_waits_until_it_is_asked_for_again(client, studio):
    studio.enqueue = lambda job: None  # a queue whose worker has not come to it yet
    key = start(client, wav(sine(200)))
    (job,) = client.get(f"/p/{key}/work").json["jobs"]
    assert job["state"] == "queued" and "Drums" in job["words"]
    assert client.get(f"/p/{key}/curves").status_code == 200  # nothing is driven yet
    assert client.get(f"/p/{key}/envelopes/drums/level").status_code == 202
    client.post(f"/jobs/{job['id']}/cancel")
    assert client.get(f"/p/{key}/work").json["jobs"][0]["state"] == "cancelled"
    (again,) = client.post(f"/p/{key}/work").json["jobs"]
    assert again["state"] == "queued" and again["id"] != job["id"]


def test_a_project_says_what_it_takes_and_makes_room(client, demo):
    words = " ".join(client.get(f"/p/{demo}/room").text.split())
    assert re.search(r"\d+ MB in, \d+ MB made", words) and "Make room" in words
    words = " ".join(client.post(f"/p/{demo}/room/empty").text.split())
    assert "in, 0 kB made" in words and "Make room" not in words
    assert client.get(f"/p/{demo}/bench").status_code == 200
    assert client.get("/p/000000000000/room").status_code == 404
