"""Proofs over HTTP: frames are taken whole or not at all, and a project that changes says so."""

import io
import struct

import av
import pytest
from tests.web.test_pages import edit, status
from tests.workflows.test_video import TALL, WIDE, picture

from fern_tide.workflows.hand_off import proof_parts

ASKED = {"kind": "mp4", "width": WIDE, "height": TALL}


def packed(*frames):
    return b"".join(struct.pack("<I", len(frame)) + frame for frame in frames)


@pytest.fixture
def begun(client, demo):
    edit(client, demo, {"kind": "set_length", "frames": 10})
    answer = client.post(f"/p/{demo}/proof", json=ASKED)
    assert answer.status_code == 200, answer.text
    return answer.json


def send(client, key, begun, first, body, **more):
    query = {**ASKED, "strip": "false", "first": first, **more}
    return client.post(
        f"/p/{key}/proof/{begun['id']}/frames",
        query_string=query,
        data=body,
        content_type="application/octet-stream",
    )


def test_frames_go_up_and_a_video_comes_back(client, demo, begun):
    assert (begun["frames"], begun["drawn"], begun["clear"]) == (10, 0, False)
    assert send(client, demo, begun, 0, packed(*map(picture, range(6)))).json == {"next": 6}
    assert client.post(f"/p/{demo}/proof", json=ASKED).json["drawn"] == 6, "another page goes on there"
    early = client.post(f"/p/{demo}/proof/{begun['id']}/end", query_string=ASKED)
    assert early.status_code == 422 and "4 frames are not drawn yet" in early.text
    send(client, demo, begun, 6, packed(*map(picture, range(6, 10))))
    made = client.post(f"/p/{demo}/proof/{begun['id']}/end", query_string=ASKED).text
    assert "every frame in" in " ".join(made.split())
    url = made.split('id="proof-file"')[1].split('href="')[1].split('"')[0]
    with av.open(io.BytesIO(client.get(url, buffered=True).data)) as video:
        assert sum(1 for _ in video.decode(video=0)) == 10
    client.post(f"/p/{demo}/bake")
    checks = " ".join(client.get(f"/p/{demo}/hand-off/parts").text.split())
    assert "Measured on the pictures" not in checks, "its flashes are known now"


def test_a_part_is_encoded_when_its_last_frame_comes(client, demo, begun, studio, monkeypatch):
    monkeypatch.setattr(proof_parts, "FRAMES", 4)
    parts = studio.settings.data / "derived"
    send(client, demo, begun, 4, packed(*map(picture, range(4, 7))))
    send(client, demo, begun, 0, packed(*map(picture, range(3))))
    assert not list(parts.rglob("*.0000?.mp4"))
    send(client, demo, begun, 3, packed(picture(3)))
    assert [path.name[-10:] for path in parts.rglob("*.0000?.mp4")] == [".00000.mp4"]
    frames = sorted(int(path.name.split(".")[1]) for path in parts.rglob("*.jpg"))
    assert frames == [4, 5, 6], "those that are encoded take no room any more"
    assert client.post(f"/p/{demo}/proof", json=ASKED).json["drawn"] == 7, "and need not be drawn again"


def test_a_video_has_the_rate_that_was_asked_for(client, demo, begun):
    asked = {**ASKED, "rate": "15"}
    slower = client.post(f"/p/{demo}/proof", json=asked).json
    assert slower["id"] != begun["id"], "each has frames of its own"
    send(client, demo, slower, 0, packed(*map(picture, range(10))), rate="15")
    made = client.post(f"/p/{demo}/proof/{slower['id']}/end", query_string=asked).text
    assert "5 frames at 15 a second" in " ".join(made.split())


def test_a_project_that_was_changed_meanwhile_is_not_mixed(client, demo, begun):
    send(client, demo, begun, 0, packed(picture(0)))
    edit(client, demo, {"kind": "set_value", "target": "lamp:x", "value": 3})
    refused = send(client, demo, begun, 1, packed(picture(1)))
    assert refused.status_code == 422 and "was changed while its proof was drawn" in refused.json["what"]
    client.post(f"/p/{demo}/undo", json={"base": status(client, demo)["revision"]})
    assert send(client, demo, begun, 1, packed(picture(1))).status_code == 200


@pytest.mark.parametrize(
    ("body", "words"),
    [
        (packed(picture(0))[:-1], "did not arrive whole"),
        (b"\0\0\0\0", "did not arrive whole"),
        (b"\xff\xff\xff\xff", "did not arrive whole"),
        (packed(b"<svg/>"), "is no picture"),
    ],
)
def test_broken_frames_are_refused(client, demo, begun, body, words):
    answer = send(client, demo, begun, 0, body)
    assert answer.status_code == 422 and words in answer.json["what"]


@pytest.mark.parametrize(
    ("asked", "words"),
    [
        ({"kind": "gif"}, "mp4"),
        ({"width": 961}, "even"),
        ({"height": "tall"}, "whole number"),
        ({"width": 1 << 20}, "4096"),
        ({"rate": "often"}, "24000/1001"),
        ({"rate": "500"}, "240"),
    ],
)
def test_what_cannot_be_made_is_said_before_anything_is_drawn(client, demo, asked, words):
    answer = client.post(f"/p/{demo}/proof", json={**ASKED, **asked})
    assert answer.status_code == 422 and words in f"{answer.json['what']} {answer.json['remedy']}"


def test_a_proof_that_is_gone_is_said_so(client, demo, begun):
    assert client.get(f"/p/{demo}/proof/{begun['id']}/nobody").status_code == 422
    assert client.get(f"/p/{demo}/proof/{begun['id']}/nobody/file").status_code == 422
