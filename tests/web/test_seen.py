"""Edits of a row that are sent while a row above it is being taken away."""

import json
import re
from html import unescape

import pytest
from tests.web.test_pages import status


def commands(text, kind, path):
    """The commands of a drawn room that edit at a path."""
    found = [json.loads(unescape(one)) for one in re.findall(r"data-command='([^']*)'", text)]
    return [one for one in found if one["kind"] == kind and re.fullmatch(path, one.get("path", ""))]


def sent(client, key, command):
    return client.post(f"/p/{key}/edits", json={"base": status(client, key)["revision"], "command": command})


@pytest.fixture
def whose(client, demo, studio):
    envelope = next(one for one in studio.projects.current(demo).document.envelopes if len(one.clean_up) == 2)
    return envelope.id


def clean_up(studio, key, id):
    return studio.projects.current(key).document.envelope(id).clean_up


def test_a_row_is_met_though_the_one_above_it_went_since_it_was_drawn(client, demo, studio, whose):
    drawn = client.get(f"/p/{demo}/sound?envelope={whose}").text
    (_, second) = clean_up(studio, demo, whose)
    drop = commands(drawn, "change_list", r"clean_up\.0")[0]
    switch = commands(drawn, "set_field", r"clean_up\.1\.on")[0]
    assert drop["seen"] == switch["seen"] == status(client, demo)["revision"]
    assert sent(client, demo, {**drop, "how": "drop"}).status_code == 200
    preview = client.post(f"/p/{demo}/envelopes/preview?envelope={whose}", json={"command": {**switch, "value": False}})
    assert preview.status_code == 200, "a preview of it finds it, too"
    assert client.post(f"/p/{demo}/preview", json={"command": {**switch, "value": False}}).status_code == 200
    assert sent(client, demo, {**switch, "value": False}).status_code == 200
    (left,) = clean_up(studio, demo, whose)
    assert left == second.but(on=False)


def test_a_row_that_went_is_edited_no_more_and_its_neighbour_is_left_alone(client, demo, studio, whose):
    drawn = client.get(f"/p/{demo}/sound?envelope={whose}").text
    (_, second) = clean_up(studio, demo, whose)
    drop = {**commands(drawn, "change_list", r"clean_up\.0")[0], "how": "drop"}
    switch = commands(drawn, "set_field", r"clean_up\.0\.on")[0]
    sent(client, demo, drop)
    for meant in ({**switch, "value": False}, drop):
        refused = sent(client, demo, meant)
        assert refused.status_code == 422 and "not where it was" in refused.json["what"]
    assert clean_up(studio, demo, whose) == (second,)


@pytest.mark.parametrize("seen", [10**30, -1, 0])
def test_a_revision_that_never_was_is_refused(client, demo, whose, seen):
    drawn = client.get(f"/p/{demo}/sound?envelope={whose}").text
    switch = commands(drawn, "set_field", r"clean_up\.0\.on")[0]
    assert sent(client, demo, {**switch, "value": False, "seen": seen}).status_code in {404, 422}


def test_what_was_tried_by_hand_is_used_where_it_was_seen(client, demo, studio):
    drawn = client.get(f"/p/{demo}/stage?part=rain").text
    uses = [json.loads(unescape(one)) for one in re.findall(r"data-use='([^']*)'", drawn)]
    (rest, full) = (one for one in uses if one.get("path", "").startswith("drives.1."))
    assert [rest["path"], full["path"]] == ["drives.1.rest", "drives.1.full"]
    _, second = studio.projects.current(demo).document.mapping(full["id"]).drives
    drop = {"kind": "change_list", "owner": "mapping", "id": full["id"], "path": "drives.0", "how": "drop"}
    assert sent(client, demo, drop).status_code == 200
    assert sent(client, demo, {**full, "value": 12.5}).status_code == 200
    assert studio.projects.current(demo).document.mapping(full["id"]).drives == (second.but(full=12.5),)
    assert {"kind": "set_value", "target": "rain:turn"} in uses, "nothing drives it"
