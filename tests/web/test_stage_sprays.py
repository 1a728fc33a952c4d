"""Routes of sprays, without a browser."""

import numpy as np
import pytest
from tests.web.test_pages import edit, unpack
from tests.web.test_stage import page, post

from fern_tide.core.scene.placement import in_scene


@pytest.fixture
def spray(client, demo):
    return post(client, demo, "stage/parts", kind="array:spray").get_json()["chosen"]["part"]


def test_a_spray_is_added_with_a_drop_to_throw_and_packed_for_the_page(client, demo, spray, studio):
    scene = studio.projects.head(demo)[1].scene
    assert spray == "spray" and [part.parent for part in scene.branch(spray)][1:] == [spray]
    text = page(client, demo, part=spray)
    assert 'id="drops-leave"' in text and "where Moth one is" in text and "who takes which row" in text
    assert text.index("Rate") < text.index("Piece across"), "what a spray is about comes first"
    head, arrays = unpack(client.get(f"/p/{demo}/stage/arrays").data)
    thrown = head["fields"][spray]["thrown"]
    assert thrown["pieces"] == 60 and thrown["flat"] and arrays[thrown["kinds"]].shape == (15, 8192)
    assert "too-few-drops" not in text
    edit(client, demo, {"kind": "set_value", "target": f"{spray}:rate", "value": 1e9})
    assert "1,200,000,000 drops would be in the air; with 60 at once" in " ".join(
        page(client, demo, part=spray).split()
    )
    assert post(client, demo, "stage/parts", kind="array:nothing").status_code == 404


def test_drops_leave_where_a_part_is_and_where_the_numbers_say_again(client, demo, spray, studio):
    def scene():
        return studio.projects.head(demo)[1].scene

    assert post(client, demo, f"stage/parts/{spray}/leaves", where="moth-one").status_code == 200
    moth, jet = scene().part("moth-one"), scene().part(spray)
    at = in_scene(scene(), jet) @ [float(jet.own("from_x")), float(jet.own("from_y")), 0, 1]
    stands = in_scene(scene(), moth)[:2, :2] @ [0, 0] + [770, 330]
    np.testing.assert_allclose(at[:2], stands, atol=1)
    follows = [item for item in scene().follows if item.target.part == spray]
    assert [str(item.source) for item in follows] == ["moth-one:x", "moth-one:y"]
    assert [item.offset for item in follows] == pytest.approx(
        [float(jet.own(f"from_{axis}")) - float(moth.own(axis)) for axis in "xy"]
    )
    assert '<option value="moth-one" selected>' in page(client, demo, part=spray)
    assert post(client, demo, f"stage/parts/{spray}/leaves", where="").status_code == 200
    assert not [item for item in scene().follows if item.target.part == spray]
    inside = scene().branch(spray)[1].id
    for wrong, code in ((inside, 422), (spray, 422), ("nobody", 404)):
        assert post(client, demo, f"stage/parts/{spray}/leaves", where=wrong).status_code == code
    assert post(client, demo, "stage/parts/moth-one/leaves", where="moth-two").status_code == 422


@pytest.mark.parametrize(("name", "value"), [("rate", 1e9), ("life", 1e9), ("life", -5), ("rate", -1e9)])
def test_numbers_that_no_spray_can_have_are_shown_and_drawn_all_the_same(client, demo, spray, name, value):
    edit(client, demo, {"kind": "set_value", "target": f"{spray}:rate", "value": 1e9})
    edit(client, demo, {"kind": "set_value", "target": f"{spray}:{name}", "value": value})
    assert 'id="array-sheet"' in page(client, demo, part=spray)
    assert (
        client.get(f"/p/{demo}/stage/drawing").status_code == client.get(f"/p/{demo}/stage/arrays").status_code == 200
    )


def test_drops_of_a_spray_of_no_size_can_leave_somewhere_else_too(client, demo, spray):
    for axis in ("scale_x", "scale_y"):
        edit(client, demo, {"kind": "set_value", "target": f"{spray}:{axis}", "value": 0})
    assert post(client, demo, f"stage/parts/{spray}/leaves", where="moth-one").status_code == 200
