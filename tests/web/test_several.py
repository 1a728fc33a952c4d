"""Routes of parts that are chosen together, and what they refuse."""

import html
import json
import re

import pytest
from tests.web.test_tuning import post

CLOCHES = [f"cloche-{number}" for number in range(1, 4)]


def document(studio, key):
    return studio.projects.current(key).document


def choose(client, key, **plain):
    return client.post(f"/p/{key}/stage/choose", json=plain)


def test_parts_are_chosen_by_likeness_by_a_box_and_as_the_others(client, studio, demo):
    alike = choose(client, demo, how="alike", parts=["cloche-2"]).json
    assert alike["parts"][:3] == CLOCHES and alike["count"] == len(alike["parts"]) == 10
    others = choose(client, demo, how="others", parts=alike["parts"]).json["parts"]
    assert not set(others) & set(alike["parts"]) and "title" in others
    assert "title" in choose(client, demo, how="box", box=[0, 0, 1, 0.2]).json["parts"]
    assert choose(client, demo, how="box", box=[0, 0, 0.01, 0.01]).json == {"parts": [], "count": 0}


@pytest.mark.parametrize(
    ("plain", "words"),
    [
        ({"how": "guess"}, "alike, range, nodes, box, others"),
        ({"how": "box", "box": [1, 2]}, "left, top, right and bottom"),
        ({"how": "box", "box": ["a", 0, 1, 1]}, "left, top, right and bottom"),
        ({"how": "box"}, "four shares"),
        ({"how": "alike", "parts": ["x"] * 2001}, "at most 2000"),
    ],
)
def test_what_cannot_be_chosen_is_said(client, demo, plain, words):
    answer = choose(client, demo, **plain)
    assert answer.status_code == 422 and words in answer.text


def test_the_stage_shows_what_they_share_and_where_they_differ(client, studio, demo):
    page = client.get(f"/p/{demo}/stage/parts?part=cloche-2&parts={','.join(CLOCHES)}&takes=later&late=7").text
    assert "3 cloches" in page and page.count('aria-selected="true"') == 3 and 'value="7"' in page
    assert '["cloche-1", "cloche-2", "cloche-3"]' in page
    back = client.get(f"/p/{demo}/stage/parts?part=cloche-2&parts={','.join(CLOCHES)}&backwards=yes").text
    assert '["cloche-3", "cloche-2", "cloche-1"]' in back
    post(
        client,
        demo,
        "edits",
        command={"kind": "set_value", "target": {"part": "cloche-1", "property": "turn"}, "value": 9},
    )
    assert 'id="all-turn"' in client.get(f"/p/{demo}/stage/parts?parts={','.join(CLOCHES)}").text
    assert 'placeholder="mixed"' in client.get(f"/p/{demo}/stage/parts?parts={','.join(CLOCHES)}").text
    few = client.get(f"/p/{demo}/stage/parts?part=rain&parts=cloche-1,gone").text
    assert "Chosen together" not in few, "one that is there is not several"
    mixed = client.get(f"/p/{demo}/stage/parts?parts=cloche-1,title").text
    assert "2 parts" in mixed and 'id="all-text_size"' not in mixed
    for wrong in ("order=zigzag", "takes=turns", "late=soon"):
        assert client.get(f"/p/{demo}/stage/parts?{wrong}").status_code == 422


@pytest.mark.parametrize("none", [0, "0"])
def test_none_of_the_motion_and_no_time_are_what_they_say(client, studio, demo, none):
    line = {"takes": "later", "late": none, "first_has": none, "last_has": 0.5}
    post(client, demo, "stage/several/drive", parts=CLOCHES, property="turn", **line)
    (mapping,) = [one for one in document(studio, demo).mappings if one.name.startswith("3 cloches")]
    assert [drive.share for drive in mapping.drives] == [0.0, 0.25, 0.5]
    assert {drive.late_frames for drive in mapping.drives} == {0.0}


def test_all_of_them_are_driven_set_limited_anchored_renamed_and_named(client, studio, demo):
    answer = post(client, demo, "stage/several/drive", parts=CLOCHES, property="turn", takes="same")
    assert answer.json["chosen"]["mapping"] == "3-cloches-turn" and answer.json["undo"] == "Drive the turn of 3 cloches"
    value = {"kind": "set_values", "property": "blur", "value": 2}
    assert post(client, demo, "stage/several/set", parts=CLOCHES, command=value).json["undo"].startswith("Set the blur")
    limits = {"kind": "set_limits", "property": "turn", "low": -3, "high": 4}
    post(client, demo, "stage/several/set", parts=CLOCHES, command=limits)
    assert len(document(studio, demo).scene.limits) >= 3
    assert post(client, demo, "stage/several/anchor", parts=CLOCHES, word="bottom").json["note"] == ""
    assert {document(studio, demo).scene.part(part).anchor.word for part in CLOCHES} == {"bottom"}
    post(client, demo, "stage/several/rename", parts=CLOCHES, name="Bell")
    assert [document(studio, demo).scene.part(part).name for part in CLOCHES] == ["Bell 1", "Bell 2", "Bell 3"]
    post(client, demo, "stage/several/name", parts=CLOCHES, name="Bells")
    assert client.get(f"/p/{demo}/stage/selections/bells").json["parts"] == CLOCHES
    assert client.get(f"/p/{demo}/stage/selections/none").json["parts"] == []
    assert re.search(r">\s*Bells\s*</button>", client.get(f"/p/{demo}/stage/parts").text)
    assert (
        post(client, demo, "stage/several/name", parts=CLOCHES, name="B").json["undo"] == "Rename the selection Bells"
    )
    post(client, demo, "stage/several/name", parts=CLOCHES, name="")
    assert document(studio, demo).scene.selections == ()
    order = post(client, demo, "stage/mappings/3-cloches-turn/order", order="x", backwards="yes")
    assert order.status_code == 200


def test_edits_of_several_refuse_what_they_are_not_for(client, studio, demo):
    def words(path, **plain):
        answer = post(client, demo, path, **plain)
        assert answer.status_code == 422
        return answer.text

    assert "one or more parts" in words("stage/several/drive", parts=["gone"], property="turn")
    assert "one or more parts" in words("stage/several/anchor", word="top")
    assert "set_values or set_limits" in words("stage/several/set", parts=CLOCHES, command={"kind": "remove_part"})
    assert "a name for the selection" in words("stage/several/name", parts=CLOCHES, name=" ")
    assert "moves no parts in a row" in words("stage/mappings/lamp-glow/order", order="x")


def test_a_mapping_of_many_shows_a_number_instead_of_a_long_list(client, studio, demo):
    parts = [part.id for part in document(studio, demo).scene.parts if part.has("opacity")][:21]
    post(client, demo, "stage/several/drive", parts=parts, property="opacity", takes="later")
    page = client.get(f"/p/{demo}/bench/sheet?mapping={document(studio, demo).mappings[-1].id}&drive=4").text
    assert (
        'id="drive"' in page
        and "of 21" in page
        and '<select class="pick pick-chip border border-rule!" id="drive"' not in page
    )
    assert 'id="row-order"' in page


def test_what_chosen_parts_could_do_is_suggested(client, studio, demo):
    page = client.get(f"/p/{demo}/stage/suggestions?parts=moth-one,moth-two").text
    commands = [json.loads(html.unescape(text)) for text in re.findall(r"data-command='([^']+)'", page)]
    assert 1 <= len(commands) <= 3
    for command in commands:
        moved = {
            d["target"]["part"] for put in command["commands"] if "mapping" in put for d in put["mapping"]["drives"]
        }
        assert moved <= {"moth-one", "moth-two"} and moved
    before = len(document(studio, demo).mappings)
    assert post(client, demo, "edits", command=commands[0]).json["undo"].startswith("Let ")
    assert len(document(studio, demo).mappings) == before + 1
    assert "Nothing was found" in client.get(f"/p/{demo}/stage/suggestions?parts=gone").text
