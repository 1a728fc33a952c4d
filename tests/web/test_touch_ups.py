"""Touch-ups, the sync report and batches over HTTP."""

import hashlib
import io
import json
import re
import zipfile

import numpy as np
import pytest
from tests.web.test_pages import edit, status, unpack


def send(client, key, path, **values):
    return client.post(f"/p/{key}/{path}", json={"base": status(client, key)["revision"], **values})


def parts(client, key, **asked):
    return " ".join(client.get(f"/p/{key}/hand-off/parts", query_string=asked).text.split())


def curve(client, key, target):
    head, arrays = unpack(client.get(f"/p/{key}/hand-off/curve?target={target}").data)
    return head, arrays


def test_a_touch_up_is_added_moved_tied_and_shown(client, studio, demo):
    added = send(client, demo, "touch-ups", target="lamp-glow:opacity", kind="scale", first=100, end=160)
    assert added.status_code == 200 and added.json["undo"] == "Scale: Lamp glow, opacity"
    head, arrays = curve(client, demo, "lamp-glow:opacity")
    assert [(span["first"], span["end"], span["words"]) for span in head["spans"]] == [
        (100, 160, "scaled to 50 % about rest")
    ]
    apart = arrays[head["dense"]] - arrays[head["below"]]
    assert not apart[:100].any() and not apart[160:].any() and apart[100:160].any()
    html = parts(client, demo, target="lamp-glow:opacity")
    assert "scaled to 50 % about rest" in html and "frames 100 to 159" in html
    moved = send(client, demo, "touch-ups/touch-up-1/stretch", first=200, end=220)
    assert moved.json["undo"] == "Move a touch-up of Lamp glow, opacity"
    tied = send(client, demo, "touch-ups/touch-up-1/stretch", tied_to="hit")
    assert tied.status_code == 200 and "tied to the hit at" in parts(client, demo, target="lamp-glow:opacity")
    field = {"kind": "set_field", "owner": "touch_up", "id": "touch-up-1", "path": "touch.on", "value": False}
    assert edit(client, demo, field).json["undo"] == "Switch a touch-up of Lamp glow, opacity off"
    assert curve(client, demo, "lamp-glow:opacity")[0]["spans"] == []
    assert client.get(f"/p/{demo}/touch-ups/touch-up-1/compare").status_code == 422


def test_the_ground_is_compared_and_accepted(client, studio, demo):
    send(client, demo, "touch-ups", target="lamp-glow:opacity", kind="hold", first=100, end=160)
    smooth = [{"id": "smooth", "params": {"width_ms": 2000}}]
    field = {"kind": "set_field", "owner": "envelope", "id": "drip", "path": "clean_up", "value": smooth}
    assert edit(client, demo, field).status_code == 200
    html = parts(client, demo, target="lamp-glow:opacity")
    assert "the ground moved by" in html
    assert "the ground moved by" not in parts(client, demo, target="lamp-glow:opacity", moved_percent="900")
    elsewhere = parts(client, demo, target="rain:y")
    assert "1 on other curves" in elsewhere and "Lamp glow, opacity" in elsewhere
    head, arrays = unpack(client.get(f"/p/{demo}/touch-ups/touch-up-1/compare").data)
    assert (head["first"], head["end"]) == (100, 160)
    assert np.abs(arrays[head["before"]] - arrays[head["now"]]).max() > 0.05
    assert (
        send(client, demo, "touch-ups/touch-up-1/ground").json["undo"] == "Take the ground as it is: Lamp glow, opacity"
    )
    assert "the ground moved by" not in parts(client, demo, target="lamp-glow:opacity")


@pytest.mark.parametrize(
    ("path", "values", "words"),
    [
        ("touch-ups", {"target": "lamp:x", "kind": "hold", "first": 5, "end": 5}, "frames of the project"),
        ("touch-ups", {"target": "lamp:x", "kind": "bend", "first": 5, "end": 9}, "no touch-up named bend"),
        ("touch-ups", {"target": "lamp:none", "kind": "hold", "first": 5, "end": 9}, "no property"),
        ("touch-ups", {"target": "glass:fill", "kind": "nudge", "first": 5, "end": 9}, "a number's curve"),
        (
            "touch-ups",
            {"target": "lamp:x", "kind": "hold", "first": 5, "end": 9, "tied_to": "moon"},
            "time, hit, marker",
        ),
        ("touch-ups/keys", {"target": "lamp:x", "frames": "all"}, "a list of numbers"),
        ("touch-ups/keys", {"target": "lamp:x", "frames": [1e99]}, "1e9"),
        ("touch-ups/keys", {"target": "lamp:x", "add": [[1]]}, "pairs of a frame"),
        ("touch-ups/keys", {"target": "lamp:x"}, "No key is chosen"),
        ("touch-ups/keys", {"target": "glass:fill", "frames": [0]}, "colour"),
        ("touch-ups/drawn", {"target": "lamp:x", "points": [[1, 2]]}, "Nothing was drawn"),
        ("touch-ups/drawn", {"target": "glass:fill", "points": [[1, 2], [9, 2]]}, "colour"),
        ("touch-ups/nobody/ground", {}, "no touch-up named nobody"),
        ("touch-ups/nobody/stretch", {"first": 0}, "no touch-up named nobody"),
    ],
)
def test_what_is_wrong_is_said_and_nothing_is_stored(client, demo, path, values, words):
    before = status(client, demo)["revision"]
    answer = send(client, demo, path, **values)
    assert answer.status_code in {404, 422} and words in f"{answer.json['what']} {answer.json['remedy']}", answer.json
    assert status(client, demo)["revision"] == before


def test_keys_for_good_and_keys_by_hand(client, demo):
    assert send(client, demo, "touch-ups/for-good", target="lamp-glow:opacity").status_code == 200
    html = parts(client, demo, target="lamp-glow:opacity")
    assert "Let the sound move it" in html and "keys for good" in html
    head, arrays = curve(client, demo, "lamp-glow:opacity")
    frame = int(arrays[head["frames"]][3])
    moved = send(client, demo, "touch-ups/keys", target="lamp-glow:opacity", frames=[frame], by_value=0.25)
    assert moved.status_code == 200
    after = curve(client, demo, "lamp-glow:opacity")
    assert after[1][after[0]["dense"]][frame] == pytest.approx(arrays[head["dense"]][frame] + 0.25, abs=1e-5)


def test_the_report_and_its_table(client, demo):
    html = client.get(f"/p/{demo}/hand-off/report").text
    assert html.count("<tr") == 21 and "rise and fall of Drip" in html and "Reed" in html
    table = client.get(f"/p/{demo}/hand-off/sync.csv").text.splitlines()
    assert table[0].startswith("curve,hits,median_frames,p95_frames,misses") and len(table) == 21


def test_several_formats_are_one_zip_with_a_manifest(client, demo):
    assert client.post(f"/p/{demo}/hand-off/batch", data={}).status_code == 422
    asked = {"format": ["csv", "lottie", "webvtt"], "error_percent": "1", "hits": "false"}
    html = " ".join(client.post(f"/p/{demo}/hand-off/batch", data=asked).text.split())
    assert "Lottie" in html and "batch.zip?format=csv&amp;format=lottie" in html
    content = client.get(f"/p/{demo}/hand-off/batch.zip", query_string=asked).data
    assert content == client.get(f"/p/{demo}/hand-off/batch.zip", query_string=asked).data
    archive = zipfile.ZipFile(io.BytesIO(content))
    manifest = json.loads(archive.read("manifest.json"))
    assert [one["format"] for one in manifest["files"]] == ["csv", "lottie", "webvtt"]
    for one in manifest["files"]:
        assert hashlib.sha256(archive.read(one["file"])).hexdigest() == one["sha256"]
    assert manifest["files"][2]["moments"] == 2 and manifest["files"][1]["largest_error"] <= 0.01


def test_a_finding_offers_its_remedy(client, demo):
    client.post(f"/p/{demo}/bake")
    html = parts(client, demo, target="rain:y")
    assert "Start at rest" in html and '"kind": "silence"' in html.replace("&#34;", '"')
    assert "Measured on the pictures of the stage" in html


def test_the_newest_bake_of_a_curve_has_an_address_of_its_own(client, demo):
    assert client.get(f"/p/{demo}/newest/rain:y").status_code == 403
    client.post(f"/p/{demo}/bake")
    url = re.search(r'href="(/p/[^"]+/newest/rain:y\?token=[^"]+)"', parts(client, demo, target="rain:y"))[1]
    first = client.get(url)
    (curve,) = first.json["curves"]
    assert curve["target"] == "rain:y" and len(curve["values"]) == 1349
    etag = first.headers["ETag"]
    assert client.get(url, headers={"If-None-Match": etag}).status_code == 304
    edit(client, demo, {"kind": "set_length", "frames": 30})
    assert client.get(url, headers={"If-None-Match": etag}).status_code == 304, "it was not baked since"
    client.post(f"/p/{demo}/bake")
    again = client.get(url, headers={"If-None-Match": etag})
    assert again.status_code == 200 and len(again.json["curves"][0]["values"]) == 30
    assert client.get(url.replace("rain:y", "lamp:x")).status_code == 404
    assert client.get(url[:-1] + "x").status_code == 403
