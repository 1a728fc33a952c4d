"""Routes of recipes, copies, versions and reasons; and what they refuse."""

import io
import json
import re

import numpy as np
import pytest
from tests.web.test_pages import edit, status, unpack

from fern_tide.core.envelope.envelope import CLEAN_UPS
from fern_tide.core.mapping.drive import RESPONSES
from fern_tide.core.mapping.mapping import STEPS
from fern_tide.core.mapping.recipe import read_recipes, write_recipes
from fern_tide.core.mapping.starting_recipes import STARTING


def post(client, key, path, **plain):
    return client.post(f"/p/{key}/{path}", json={"base": status(client, key)["revision"], **plain})


def first(studio, key):
    return studio.projects.current(key).document.mappings[0]


@pytest.mark.parametrize("name", ["steps", "responses", "recipes", "copy", "why"])
def test_every_drawer_opens_and_says_what_it_offers(client, studio, demo, name):
    mapping = first(studio, demo)
    answer = client.get(f"/p/{demo}/bench/drawer/{name}?mapping={mapping.id}&drive=0&frame=420")
    words = {"steps": "Take turns", "responses": "Elastic", "recipes": "Mill wheel", "why": "at frame 420"}
    assert answer.status_code == 200 and words.get(name, "Copy to other properties") in answer.text
    assert client.get(f"/p/{demo}/bench/drawer/{name}?mapping=none").status_code == 404
    assert client.get(f"/p/{demo}/bench/drawer/other?mapping={mapping.id}").status_code == 404
    for odd in ("drive=99", "drive=x", "frame=-1", "frame=1e9", "drive=-1"):
        assert client.get(f"/p/{demo}/bench/drawer/{name}?mapping={mapping.id}&{odd}").status_code == 200


def test_a_recipe_is_previewed_as_it_would_be_applied(client, studio, demo):
    mapping = first(studio, demo)
    head, arrays = unpack(client.post(f"/p/{demo}/preview", json={"recipe": "flick", "mapping": mapping.id}).data)
    assert list(head["lanes"]) == [mapping.id]
    target = str(mapping.drives[0].target)
    shown = arrays[head["curves"][target]["values"]]
    assert post(client, demo, f"mappings/{mapping.id}/recipe", recipe="flick").status_code == 200
    head, arrays = unpack(client.get(f"/p/{demo}/curves").data)
    np.testing.assert_array_equal(arrays[head["curves"][target]["values"]], shown)
    assert client.post(f"/p/{demo}/preview", json={"recipe": "none", "mapping": mapping.id}).status_code == 404


def test_a_recipe_is_saved_exported_imported_and_removed(client, studio, demo):
    mapping = first(studio, demo)
    save = {"mapping": mapping.id, "place": 0}
    assert post(client, demo, "recipes", name="Lamp <b>", **save).status_code == 200
    assert post(client, demo, "recipes", name="For all", library=True, **save).status_code == 200
    assert post(client, demo, "recipes", name="  ", **save).status_code == 422
    assert post(client, demo, "recipes", name="x", mapping="none", place=0).status_code == 404
    page = client.get(f"/p/{demo}/bench/drawer/recipes?mapping={mapping.id}").text
    assert "Lamp &lt;b&gt;" in page and "In your library" in page
    exported = client.get(f"/p/{demo}/recipes.json")
    names = [recipe.name for recipe in read_recipes(exported.data)]
    assert sorted(names) == ["For all", "Lamp <b>"] and "attachment" in exported.headers["Content-Disposition"]
    other = edit(client, demo, {"kind": "remove_recipe", "id": "lamp-b"})
    assert other.json["undo"] == "Remove the recipe Lamp <b>"
    assert client.post(f"/p/{demo}/recipes/files", data=exported.data).json["recipes"] == 2
    assert len(studio.projects.current(demo).document.recipes) == 2
    assert post(client, demo, "recipes/for-all/forget").status_code == 200
    assert studio.library.all() == ()


@pytest.mark.parametrize("content", [b"", b"{}", b"RIFF" * 400_000, write_recipes(()).encode()])
def test_a_file_that_holds_no_recipes_is_refused_and_changes_nothing(client, studio, demo, content):
    before = studio.projects.current(demo).id
    answer = client.post(f"/p/{demo}/recipes/files", data=io.BytesIO(content))
    assert answer.status_code == 422 and answer.json["what"] and answer.json["remedy"]
    assert studio.projects.current(demo).id == before


def test_copies_are_made_and_bad_wishes_refused(client, studio, demo):
    mapping = first(studio, demo)
    path = f"mappings/{mapping.id}/copy"
    assert post(client, demo, path, targets=["title:opacity"], linked=False, place=0).status_code == 200
    for targets in (None, "title:opacity", [], ["x"], ["none:turn"], [str(mapping.drives[0].target)], ["a:b"] * 501):
        answer = post(client, demo, path, targets=targets, linked=True, place=0)
        assert answer.status_code in {404, 422}, targets
    assert post(client, demo, path, targets=["title:y"], linked=True, place=-1).status_code == 422
    assert post(client, demo, "mappings/none/copy", targets=["title:y"], linked=True, place=0).status_code == 404


def test_the_other_axes_come_along_once(client, studio, demo):
    made = post(client, demo, "mappings", target="title:scale_y").json["chosen"]["mapping"]
    answer = post(client, demo, f"mappings/{made}/axes", place=0, inverted=True)
    assert answer.json["chosen"] == {"mapping": made, "drive": 1}
    again = post(client, demo, f"mappings/{made}/axes", place=0, inverted=True)
    assert again.status_code == 422 and "other axes" in again.json["remedy"]
    before = studio.projects.current(demo).document.mapping(made).drives[0]
    post(client, demo, f"mappings/{made}/invert", place=0)
    after = studio.projects.current(demo).document.mapping(made).drives[0]
    assert after.full == pytest.approx(before.rest**2 / before.full)


def test_one_mapping_moves_alone_where_that_is_asked(client, studio, demo):
    mapping = first(studio, demo)
    everything, _ = unpack(client.get(f"/p/{demo}/curves").data)
    alone, _ = unpack(client.get(f"/p/{demo}/curves?only={mapping.id}").data)
    assert set(alone["curves"]) == {str(drive.target) for drive in mapping.drives} < set(everything["curves"])
    assert set(alone["lanes"]) == set(everything["lanes"])
    same, _ = unpack(client.get(f"/p/{demo}/curves?only=none").data)
    assert set(same["curves"]) == set(everything["curves"])


def test_a_lane_brings_the_traces_of_its_steps_where_they_are_wanted(client, studio, demo):
    mapping = first(studio, demo).model_dump(mode="json")
    mapping["steps"] = [{"id": "flip"}, {"id": "stairs"}]
    edit(client, demo, {"kind": "put_mapping", "mapping": mapping})
    head, arrays = unpack(client.get(f"/p/{demo}/curves?traces={mapping['id']}").data)
    lane = head["lanes"][mapping["id"]]
    traces = arrays[lane["traces"]]
    assert traces.shape[0] == 3
    np.testing.assert_allclose(traces[1], 1 - traces[0], atol=1e-6)
    assert all(one["traces"] is None for key, one in head["lanes"].items() if key != mapping["id"])


def test_the_lanes_come_in_groups(client, demo):
    by_sound = client.get(f"/p/{demo}/bench/sheet?group=sound").text
    assert by_sound.count("lane-group") >= 3 and 'data-act="up"' not in by_sound
    assert "lane-group" not in client.get(f"/p/{demo}/bench/sheet?group=other").text


def test_recipes_of_the_start_are_the_ones_that_are_offered(client, studio, demo):
    page = client.get(f"/p/{demo}/bench/drawer/recipes?mapping={first(studio, demo).id}").text
    assert all(f'data-id="{recipe.id}"' in page for recipe in STARTING)
    assert page.count("<polyline") == 2 * len(STARTING)


def test_a_document_with_recipes_and_versions_is_read_back_the_same(client, studio, demo):
    mapping = first(studio, demo)
    edit(client, demo, {"kind": "keep_version", "id": mapping.id})
    edit(client, demo, {"kind": "put_recipes", "recipes": [json.loads(STARTING[0].model_dump_json())]})
    document = studio.projects.current(demo).document
    assert type(document).model_validate_json(document.model_dump_json()) == document
    assert document.recipes == STARTING[:1] and document.mappings[0].versions[0].name == "A"


def test_after_an_edit_only_what_it_changed_comes_again(client, studio, demo):
    head, _ = unpack(client.get(f"/p/{demo}/curves").data)
    mapping = first(studio, demo)
    plain = mapping.model_dump(mode="json")
    edit(client, demo, {"kind": "put_mapping", "mapping": {**plain, "steps": [{"id": "flip"}]}})
    since = f"/p/{demo}/curves?since={head['revision']}"
    changed, arrays = unpack(client.get(since).data)
    assert list(changed["lanes"]) == [mapping.id] and changed["lanes"][mapping.id]["level"] is None
    assert set(changed["curves"]) == {str(drive.target) for drive in mapping.drives}
    assert sorted(changed["all"]["lanes"]) == sorted(head["lanes"])
    whole, all_arrays = unpack(client.get(f"/p/{demo}/curves").data)
    for target, found in changed["curves"].items():
        np.testing.assert_array_equal(arrays[found["values"]], all_arrays[whole["curves"][target]["values"]])
    now = status(client, demo)["revision"]
    nothing, _ = unpack(client.get(f"/p/{demo}/curves?since={now}").data)
    assert nothing["lanes"] == {} and nothing["curves"] == {}
    asked, _ = unpack(client.get(f"/p/{demo}/curves?since={now}&also={mapping.id},none").data)
    assert asked["lanes"][mapping.id]["level"] is not None and set(asked["curves"]) == set(changed["curves"])
    edit(client, demo, {"kind": "remove_mapping", "id": mapping.id})
    gone, _ = unpack(client.get(since).data)
    assert gone["lanes"] == {} and gone["curves"] == {}
    assert mapping.id not in gone["all"]["lanes"]
    assert not {str(drive.target) for drive in mapping.drives} & set(gone["all"]["curves"])
    assert client.get(f"/p/{demo}/curves?since=999999").status_code == 404


def test_another_order_or_a_shared_stack_brings_the_lanes_that_look_otherwise(client, studio, demo):
    mapping = first(studio, demo)
    target = str(mapping.drives[0].target)
    made = post(client, demo, "mappings", target=target).json
    over = studio.projects.current(demo).document.mapping(made["chosen"]["mapping"]).model_dump(mode="json")
    over["drives"][0]["full"] = 0.4
    edit(client, demo, {"kind": "put_mapping", "mapping": over})
    changed, _ = unpack(client.get(f"/p/{demo}/curves?since={made['revision']}").data)
    assert set(changed["lanes"]) == {mapping.id, over["id"]} and set(changed["curves"]) == {target}
    assert changed["lanes"][mapping.id]["sum"] is not None
    before = status(client, demo)["revision"]
    edit(client, demo, {"kind": "move_mapping", "id": over["id"], "place": 0})
    whole, _ = unpack(client.get(f"/p/{demo}/curves?since={before}").data)
    assert len(whole["lanes"]) == 5


def attention(client, key, mapping_id):
    page = client.get(f"/p/{key}/bench/sheet?mapping={mapping_id}").text
    found = page.split('role="status" title="')[1:] if 'role="status" title="' in page else []
    return found[0].split('"')[0] if found else ""


def test_what_keeps_a_mapping_from_moving_is_said_beside_it(client, studio, demo):
    made = post(client, demo, "mappings", target="title:opacity").json["chosen"]["mapping"]
    plain = studio.projects.current(demo).document.mapping(made).model_dump(mode="json")
    assert attention(client, demo, made) == ""

    def put(**changes):
        answer = edit(client, demo, {"kind": "put_mapping", "mapping": {**plain, **changes}})
        assert answer.status_code == 200, answer.json
        return attention(client, demo, made)

    still = [{**plain["drives"][0], "full": plain["drives"][0]["rest"]}]
    assert put(drives=still) == "At rest and at full are equal: the opacity of Title does not move."
    assert put(steps=[{"id": "blend"}]) == "Blend has no envelope to join in: choose one, or take it off."
    by_markers = {"id": "build_up", "params": {"starts_over": True, "hits": "markers"}}
    assert put(steps=[by_markers]) == ""
    for marker in studio.projects.current(demo).document.markers:
        edit(client, demo, {"kind": "remove_marker", "id": marker.id})
    assert put(steps=[by_markers]).startswith("Build-up goes by markers, and there are none")
    post(client, demo, "mappings", target="title:opacity")
    assert put().startswith("A later mapping replaces the opacity of Title")
    envelope = studio.projects.current(demo).document.envelope(plain["envelope"])
    own = next(item for item in studio.projects.current(demo).document.tracks if item.id == envelope.track)
    edit(client, demo, {"kind": "put_track", "track": {**own.model_dump(mode="json"), "drives": False}})
    assert attention(client, demo, first(studio, demo).id).endswith("does not drive: its level counts as silence.")


OFFERED = [("steps", len(STEPS)), ("responses", len(RESPONSES)), ("clean_ups", len(CLEAN_UPS))]


@pytest.mark.parametrize(("name", "count"), OFFERED)
def test_each_of_what_is_offered_has_a_drawing_of_its_own(client, studio, demo, name, count):
    page = client.get(f"/p/{demo}/bench/drawer/{name}?mapping={first(studio, demo).id}").text
    drawn = re.findall(r'class="stroke-(?:fern|tide-ink)" points="([^"]+)"', page)
    assert len(set(drawn)) == len(drawn) == count
    before = re.findall(r'class="stroke-tide" points="([^"]+)"', page)
    unchanged = [at for at, line in enumerate(before) if line == drawn[at]]
    assert len(unchanged) <= (name == "responses")  # the straight one


def test_the_clean_up_is_offered_where_there_is_no_mapping(client, demo):
    answer = client.get(f"/p/{demo}/bench/drawer/clean_ups?envelope=drip")
    assert answer.status_code == 200 and "Rise and fall" in answer.text
