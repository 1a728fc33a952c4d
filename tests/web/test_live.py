"""Live: samples come in, how the stage stands goes out; what came last is kept; nothing else gets in."""

import numpy as np
import pytest
from tests.web.test_pages import edit, status, unpack

from fern_tide.core.sound.decode import measure
from fern_tide.demo.project import bench_project, wall_project
from fern_tide.workflows.bring_in.live import KEPT_S, MOST_SESSIONS, Recent

RATE_HZ = 48_000


def begin(client, key, **more):
    return client.post(f"/p/{key}/live", json={"rate_hz": RATE_HZ, "channels": 1, **more})


def send(client, key, name, samples, **query):
    content = np.asarray(samples, dtype="<f4").tobytes()
    return client.post(f"/p/{key}/live/{name}/samples", data=content, query_string=query)


def hear(client, key, name, samples, **query):
    answer = send(client, key, name, samples, **query)
    assert answer.status_code == 200, answer.json
    return unpack(answer.data)


def thuds(frames, *, seed=2):
    """A loud low hit every half second."""
    n = frames * 1600
    t = np.arange(n) / RATE_HZ
    rng = np.random.default_rng(seed)
    return 0.7 * np.sin(2 * np.pi * 80 * t) * np.exp(-(t % 0.5) * 12) + 0.001 * rng.normal(size=n)


@pytest.fixture
def stored(studio):
    return lambda project: studio.projects.create(project, label="Made").key


def test_a_page_hears_how_late_envelopes_are_and_how_the_stage_stands(client, demo):
    answer = begin(client, demo)
    assert answer.status_code == 201 and answer.json["revision"] == status(client, demo)["revision"]
    lags = {lag["name"]: lag["ms"] for lag in answer.json["words"]["lags"]}
    assert lags["Drip"] > 0 and answer.json["words"]["moves"] > 10
    name, sound = answer.json["id"], thuds(30)
    head, _ = hear(client, demo, name, sound[:800])
    assert "curves" not in head and head["frame"] == -1  # half a frame
    head, arrays = hear(client, demo, name, sound[800:8000])
    assert head["frame"] == 4 and head["frames"] == 1
    assert len(head["curves"]) == answer.json["words"]["moves"] and len(head["parts"]) > 5
    first = {target: arrays[curve["values"]][..., -1] for target, curve in head["curves"].items()}
    head, arrays = hear(client, demo, name, sound[8000:])
    assert head["frame"] == 29 and "parts" not in head and head["loudest"] == pytest.approx(np.abs(sound[8000:]).max())
    last = {target: arrays[curve["values"]][..., -1] for target, curve in head["curves"].items()}
    assert any(np.any(first[target] != last[target]) for target in first)


def test_the_page_gets_the_same_in_one_piece_and_in_many(client, demo):
    sound = thuds(40)
    whole = begin(client, demo).json["id"]
    head, arrays = hear(client, demo, whole, sound)
    many = begin(client, demo).json["id"]
    for at in range(0, len(sound), 1111):
        newer, numbers = hear(client, demo, many, sound[at : at + 1111])
        if "curves" in newer:
            latest = (newer, numbers)
    for target, curve in head["curves"].items():
        np.testing.assert_allclose(latest[1][latest[0]["curves"][target]["values"]], arrays[curve["values"]], atol=1e-6)


def test_pieces_get_their_tables_once_and_then_rows(client, stored):
    key = stored(wall_project())
    name = begin(client, key).json["id"]
    sound = thuds(40)
    head, arrays = hear(client, key, name, sound[: 20 * 1600])
    (pieces,) = head["pieces"].values()
    assert all("whole" in one for one in pieces.values()) and head["frames"] > 1
    head, arrays = hear(client, key, name, sound[20 * 1600 :])
    (pieces,) = head["pieces"].values()
    for one in pieces.values():
        assert list(one) == ["rows"] and arrays[one["rows"][0]].shape[-1] == head["frames"]


def test_a_spray_says_how_many_drops_left(client, stored):
    key = stored(bench_project())
    name = begin(client, key, channels=2).json["id"]
    sound = thuds(60)
    heads = [hear(client, key, name, np.tile(sound[at : at + 3200], 2))[0] for at in range(0, len(sound), 3200)]
    bases = [head["pieces"]["spray"]["thrown"]["base"] for head in heads]
    assert np.diff(bases).min() >= -1e-6 and bases[-1] > bases[0]
    assert heads[-1]["pieces"]["spray"]["thrown"]["frames"] == heads[-1]["frames"]


def test_an_edit_goes_on_moving_the_stage_as_it_is_then(client, demo, studio):
    name, sound = begin(client, demo).json["id"], thuds(60)
    hear(client, demo, name, sound[: 30 * 1600])
    mapping = studio.projects.current(demo).document.mappings[0]
    answer = edit(
        client, demo, {"kind": "set_field", "owner": "mapping", "id": mapping.id, "path": "muted", "value": True}
    )
    target = str(mapping.drives[0].target)
    before, _ = hear(client, demo, name, sound[30 * 1600 : 32 * 1600])
    after, _ = hear(client, demo, name, sound[32 * 1600 : 34 * 1600], revision=answer.json["revision"])
    assert target in before["curves"] and target not in after["curves"]
    assert after["words"]["moves"] < len(before["curves"]) + 1 and after["parts"]
    again, _ = hear(client, demo, name, sound[34 * 1600 : 36 * 1600], revision=answer.json["revision"])
    assert "words" not in again and "parts" not in again


def test_what_came_last_is_kept_as_a_track_that_can_move_the_stage(client, demo, studio):
    name, sound = begin(client, demo).json["id"], thuds(45)
    hear(client, demo, name, sound)
    answer = client.post(f"/p/{demo}/live/{name}/keep?at_s=1.5")
    assert (
        answer.status_code == 201 and answer.json["named"] == "Live 1" and answer.json["undo"] == "Add the track Live 1"
    )
    document = studio.projects.current(demo).document
    track = document.tracks[-1]
    assert (track.name, float(track.offset), track.info.n_samples) == ("Live 1", 1.5, len(sound))
    with studio.media.open(track.media) as file:
        assert measure(file).n_samples == len(sound)
    stored = edit(client, demo, answer.json["moves"])
    assert stored.status_code == 200 and stored.json["undo"] == "Move the stage by Live 1"
    moved = studio.projects.current(demo).document
    for before, after in zip(document.mappings, moved.mappings, strict=True):
        old, new = document.envelope(before.envelope), moved.envelope(after.envelope)
        assert new.track == track.id and new.but(id=old.id, name=old.name, track=old.track) == old
    again = client.post(f"/p/{demo}/live/{name}/keep?at_s=0")
    assert again.json["named"] == "Live 2"


def test_blends_and_steps_that_join_follow_the_kept_track_too(client, demo, studio):
    blend = {"id": "both", "name": "Both", "reading": {"id": "blend", "params": {"first": "drip", "second": "panes"}}}
    edit(client, demo, {"kind": "put_envelope", "envelope": blend})
    mapping = studio.projects.current(demo).document.mappings[0]
    joins = {"id": "blend", "params": {"envelope": "reed"}}
    changed = {**mapping.model_dump(mode="json"), "envelope": "both", "steps": [joins]}
    assert edit(client, demo, {"kind": "put_mapping", "mapping": changed}).status_code == 200
    name = begin(client, demo).json["id"]
    hear(client, demo, name, thuds(30))
    answer = client.post(f"/p/{demo}/live/{name}/keep?at_s=0")
    assert edit(client, demo, answer.json["moves"]).status_code == 200
    document = studio.projects.current(demo).document
    (now,) = [item for item in document.mappings if item.id == mapping.id]
    params = document.envelope(now.envelope).reading.params
    used = [document.envelope(name) for name in (params.first, params.second, now.steps[0].params.envelope)]
    assert {envelope.track for envelope in used} == {document.tracks[-1].id} and now.envelope != "both"


def test_what_is_of_the_song_rests_and_is_said(client, demo, studio):
    document = studio.projects.current(demo).document
    curve = next(item for item in document.envelopes if item.reading.id in {"notes", "beats", "curve"})
    mapping = document.mappings[0].model_dump(mode="json") | {"envelope": curve.id, "row": 0}
    assert edit(client, demo, {"kind": "put_mapping", "mapping": mapping}).status_code == 200
    words = {lag["name"]: lag["words"] for lag in begin(client, demo).json["words"]["lags"]}
    assert any("it rests" in line for line in words[curve.name])


def test_only_the_last_two_minutes_are_remembered():
    recent = Recent(1, 10)
    recent.add(np.arange(4, dtype=np.float32)[np.newaxis])
    assert recent.last(99).tolist() == [[0, 1, 2, 3]]
    recent.add(np.arange(4, 13, dtype=np.float32)[np.newaxis])
    assert recent.last(99).tolist() == [list(range(3, 13))] and recent.last(3).tolist() == [[10, 11, 12]]
    recent.add(np.arange(100, 125, dtype=np.float32)[np.newaxis])
    assert recent.last(4).tolist() == [[121, 122, 123, 124]] and KEPT_S == 120


@pytest.mark.parametrize(
    ("wrong", "words"),
    [
        ({"rate_hz": 100}, "8000 to 96000 Hz"),
        ({"channels": 3}, "1 to 2"),
        ({"channels": "two"}, "a whole number"),
        ({"rate_hz": "fast"}, "a number"),
        ({"track": "nobody"}, "nobody"),
    ],
)
def test_what_cannot_be_listened_to_is_refused(client, demo, wrong, words):
    answer = begin(client, demo, **wrong)
    assert answer.status_code in {404, 422} and words in answer.json["what"] + answer.json["remedy"]


def test_cut_samples_too_many_and_none_are_refused_or_taken_as_they_are(client, demo):
    name = begin(client, demo, channels=2).json["id"]
    address = f"/p/{demo}/live/{name}/samples"
    assert client.post(address, data=b"\0" * 12).status_code == 422
    assert "at most 10 s" in client.post(address, data=b"\0" * (8 * 48_000 * 11)).json["remedy"]
    assert client.post(address, data=b"").status_code == 200
    strange = np.array([np.nan, np.inf, -np.inf, 1e30] * 1600, dtype="<f4")
    head, arrays = hear(client, demo, name, strange)
    assert head["loudest"] == 64.0
    assert all(np.isfinite(arrays[curve["values"]]).all() for curve in head["curves"].values())


def test_a_session_is_of_its_project_and_ends(client, demo, stored):
    other = stored(wall_project())
    name = begin(client, demo).json["id"]
    assert send(client, other, name, np.zeros(1600)).status_code == 410
    client.post(f"/p/{other}/live/{name}/close")
    assert send(client, demo, name, np.zeros(1600)).status_code == 200
    client.post(f"/p/{demo}/live/{name}/close")
    gone = send(client, demo, name, np.zeros(1600))
    assert gone.status_code == 410 and "Go live again" in gone.json["remedy"]
    assert client.post(f"/p/{demo}/live/{name}/keep").status_code == 410


def test_nothing_heard_is_nothing_to_keep(client, demo):
    name = begin(client, demo).json["id"]
    answer = client.post(f"/p/{demo}/live/{name}/keep?at_s=0")
    assert answer.status_code == 422 and "a moment of sound" in answer.json["what"] + answer.json["remedy"]


def test_so_many_pages_listen_and_no_more(client, demo):
    names = [begin(client, demo).json["id"] for _ in range(MOST_SESSIONS + 1)]
    assert send(client, demo, names[0], np.zeros(1600)).status_code == 410
    assert send(client, demo, names[1], np.zeros(1600)).status_code == 200


def test_one_track_alone_is_replaced(client, demo, studio):
    tracks = [track for track in studio.projects.current(demo).document.tracks if track.drives]
    name = begin(client, demo, track=tracks[-1].id).json["id"]
    other = begin(client, demo).json["id"]
    sound = thuds(30)
    (one, numbers), (every, all_numbers) = (hear(client, demo, session, sound) for session in (name, other))
    same = [
        np.array_equal(numbers[one["curves"][t]["values"]], all_numbers[every["curves"][t]["values"]])
        for t in one["curves"]
    ]
    assert not all(same)
