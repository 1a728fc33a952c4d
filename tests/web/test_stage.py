"""The Stage's routes without a browser."""

import io
import json
import re
import time
from threading import Thread

import pytest
from tests.gltf import GLB
from tests.web.test_pages import edit, status, unpack
from tests.workflows.test_scenes import SVG, picture

from fern_tide.core.scene.scene import PART_KINDS
from fern_tide.web.pages import handoff, projects
from fern_tide.workflows.hand_off import long

HOSTILE = b"""<svg xmlns="http://www.w3.org/2000/svg"><script>alert(1)</script>
<g id="&lt;img src=x onerror=alert(2)&gt;"/></svg>"""


def drop(client, key, *files, how="replace", url=None):
    data = {"file": [(io.BytesIO(content), name) for name, content in files]}
    return client.post(url or f"/p/{key}/stage/files?how={how}", data=data, content_type="multipart/form-data")


def post(client, key, path, **plain):
    return client.post(f"/p/{key}/{path}", json={"base": status(client, key)["revision"], **plain})


def page(client, key, **query):
    return client.get(f"/p/{key}/stage/parts", query_string=query).text


def test_the_room_shows_the_scene_its_parts_and_the_selected_ones_properties(client, demo):
    text = client.get(f"/p/{demo}/stage").text
    assert 'id="stage-lamp-glow--own"' in text and text.count('class="tree-row"') == 28
    chosen = page(client, demo, part="lamp-glow")
    assert 'data-try="lamp-glow:turn"' in chosen and 'data-drive-it="lamp-glow:turn"' in chosen
    assert 'data-drive-it="lamp-glow:opacity"' not in chosen and "Driven here" in chosen
    assert re.search(r'data-from="[\d.-]+"\s+data-to="[\d.-]+"', chosen)
    assert "no part" not in page(client, demo, part="nobody").lower()


def test_the_tree_is_searched_and_folded(client, demo):
    assert page(client, demo, find="FROND").count("tree-row") == 6
    assert "No part has" in page(client, demo, find="zzz")
    assert page(client, demo, open="cloches").count("tree-row") == 28 - 10


def test_limits_and_what_is_followed_are_shown_for_the_chosen_property(client, demo):
    follow = {"target": {"part": "moth-one", "property": "turn"}, "source": {"part": "lamp", "property": "turn"}}
    assert edit(client, demo, {"kind": "put_follow", "follow": follow}).status_code == 200
    text = page(client, demo, part="moth-one", property="turn")
    assert "follows Lamp, turn" in text and 'id="follow-late"' in text and 'id="limit-low"' in text
    back = {"target": follow["source"], "source": follow["target"]}
    refused = edit(client, demo, {"kind": "put_follow", "follow": back})
    assert refused.status_code == 422 and "in turn" in refused.json["remedy"]


def test_parts_that_nothing_moves_are_described_when_they_are_asked_for(client, demo):
    edit(client, demo, {"kind": "set_value", "target": "moth-two:x", "value": 7})
    alone = unpack(client.get(f"/p/{demo}/curves").data)[0]["parts"]
    asked = unpack(client.get(f"/p/{demo}/curves?parts=moth-two,gone").data)[0]["parts"]
    assert "moth-two" not in alone and asked["moth-two"]["own"]["x"] == 7
    assert asked == {**alone, "moth-two": asked["moth-two"]}


def test_a_follower_is_among_the_curves_and_their_states(client, demo):
    follow = {"target": {"part": "moth-one", "property": "turn"}, "source": {"part": "frond-left", "property": "turn"}}
    edit(client, demo, {"kind": "put_follow", "follow": follow | {"factor": 2}})
    head, arrays = unpack(client.get(f"/p/{demo}/curves").data)
    own, other = (arrays[head["curves"][name]["values"]] for name in ("moth-one:turn", "frond-left:turn"))
    assert (abs(own - 2 * other) < 1e-4).all() and head["parts"]["moth-one"]["placed"]
    client.post(f"/p/{demo}/bake", json={})
    edit(client, demo, {"kind": "put_follow", "follow": follow | {"factor": 3}})
    room = client.get(f"/p/{demo}/hand-off").text
    assert "follows Frond left, turn" in room and "what it follows changed" in room


def test_a_hostile_svg_is_cut_and_its_names_are_only_text(client, demo):
    made = drop(client, demo, ("x.svg", HOSTILE))
    assert made.status_code == 200 and made.json["notes"] == ["element named script"]
    text = client.get(f"/p/{demo}/stage").text
    assert "alert(1)" not in text and "<img src=x" not in text and "&lt;img src=x" in text
    policy = client.get(f"/p/{demo}/stage").headers["Content-Security-Policy"]
    assert "script-src 'self' 'wasm-unsafe-eval';" in policy and "'unsafe" not in policy


@pytest.mark.parametrize(
    ("name", "content", "code", "what"),
    [
        ("a.svg", b"", 422, "a.svg is empty"),
        ("a.svg", b"no", 422, "no SVG"),
        ("a.glb", GLB[:50], 422, "longer than it is"),
        ("../../a.glb", b"glTF" + bytes(40), 422, "GLB version 0"),
        ("a.png", picture()[:70], 422, "no picture"),
    ],
)
def test_a_wrong_file_gets_words_and_nothing_stays_behind(client, demo, studio, name, content, code, what):
    before = status(client, demo)["revision"]
    kept = sorted((studio.settings.data / "media").iterdir())
    for url in (None, "/projects/scene"):
        answer = drop(client, demo, (name, content), url=url)
        assert answer.status_code == code and what in answer.json["what"] and answer.json["remedy"]
    assert status(client, demo)["revision"] == before and sorted((studio.settings.data / "media").iterdir()) == kept


def test_too_many_bytes_or_files_are_refused(client, demo, studio):
    object.__setattr__(studio.settings, "most_scene_bytes", 1000)
    answer = drop(client, demo, ("a.svg", SVG + b" " * (100 << 10)))
    assert answer.status_code == 413 and "larger than" in answer.json["what"]
    many = drop(client, demo, *((f"{n}.bin", b"x") for n in range(201)))
    assert many.status_code == 422 and "201 files" in many.json["what"]


def test_a_scene_starts_a_project_without_a_sound(client):
    made = drop(client, "", ("fern.glb", GLB), ("leaf.svg", SVG), url="/projects/scene")
    assert made.status_code == 201 and made.json["notes"] == ["leaf.svg is in no model"]
    room = client.get(made.json["url"])
    assert room.status_code == 200 and "Frond" in room.text
    key = made.json["url"].split("/")[2]
    address = re.search(rf'src="(/p/{key}/picture[^"]*)"', client.get("/").text)[1]
    assert client.get(address).text.startswith("<svg") and client.get(f"/p/{key}/picture-9999.svg").status_code == 404
    assert client.get(f"/p/{key}/bench").status_code == 200 and client.get(f"/p/{key}/hand-off").status_code == 200


def test_a_3d_stage_is_given_as_a_file_and_nodes_know_their_parts(client, demo):
    assert client.get(f"/p/{demo}/stage/scene.glb").status_code == 404
    drop(client, demo, ("fern.glb", GLB))
    assert client.get(f"/p/{demo}/stage/scene.glb").data[:4] == b"glTF"
    assert client.get(f"/p/{demo}/stage/node/1").json == {"part": "frond"}
    assert client.get(f"/p/{demo}/stage/node/99").json == {"part": None}
    head = json.loads(re.search(r'id="part-head">(.*?)<', page(client, demo, part="frond")).group(1))
    pointers = [channel[0] for channel in head["channels"]]
    assert pointers == [f"/nodes/1/{name}" for name in ("translation", "rotation", "scale", "weights")]


def test_pictures_are_served_as_nothing_but_pictures(client, demo):
    drop(client, demo, ("pane.png", picture()))
    address = re.search(r'href="(/p/[^"]*/stage/pictures/[^"]*)"', client.get(f"/p/{demo}/stage").text).group(1)
    answer = client.get(address)
    assert answer.mimetype == "image/png" and answer.data == picture()
    assert (
        answer.headers["X-Content-Type-Options"] == "nosniff" and "sandbox" in answer.headers["Content-Security-Policy"]
    )
    assert client.get(f"/p/{demo}/stage/pictures/other").status_code == 404


def test_parts_are_made_copied_and_driven(client, demo):
    made = post(client, demo, "stage/parts", kind="star")
    assert made.status_code == 200 and made.json["chosen"]["part"] == "star" and made.json["undo"] == "Add Star"
    copy = post(client, demo, "stage/parts/star/copy")
    assert copy.json["chosen"]["part"] == "star-copy"
    assert post(client, demo, "stage/parts", kind="box").status_code == 422
    assert post(client, demo, "stage/parts", kind="gone").status_code == 404
    assert client.post(f"/p/{demo}/stage/parts", json={"base": 1, "kind": "star"}).status_code == 409


@pytest.mark.parametrize("space", ["2d", "3d"])
def test_every_kind_that_is_offered_can_be_made_shown_and_looked_at(client, demo, space):
    client.post(f"/p/{demo}/stage/new/{space}")
    for kind in PART_KINDS.values():
        if kind.offered and kind.space == space:
            made = post(client, demo, "stage/parts", kind=kind.id)
            assert made.status_code == 200, kind.id
            assert f'data-part-json="{made.json["chosen"]["part"]}"' in page(
                client, demo, part=made.json["chosen"]["part"]
            )
    assert client.get(f"/p/{demo}/stage").status_code == 200


def test_a_mapping_moves_to_another_property_and_keeps_its_settings(client, demo, studio):
    before = studio.projects.current(demo).document.mapping("rain-on-glass")
    post(client, demo, f"mappings/{before.id}/aim", place=0, target="title:opacity")
    after = studio.projects.current(demo).document.mapping(before.id)
    assert str(after.drives[0].target) == "title:opacity"
    assert (after.drives[0].rest, after.drives[0].full) == (before.drives[0].rest, before.drives[0].full)
    post(client, demo, f"mappings/{before.id}/aim", place=0, target="title:turn")
    turned = studio.projects.current(demo).document.mapping(before.id)
    assert (turned.drives[0].rest, turned.drives[0].full) == (0, 12) and turned.marks == before.marks


def test_what_is_written_has_the_options_and_parts_that_were_asked_for(client, demo):
    client.post(f"/p/{demo}/bake", json={})
    whole = client.get(f"/p/{demo}/hand-off/files/json")
    few = client.get(f"/p/{demo}/hand-off/files/json?interpolation=cubic&error_percent=1&part=rain&part=lamp")
    names = [curve["target"] for curve in few.json["curves"]]
    assert names == ["rain:y", "rain:opacity", "lamp-glow:scale_x", "lamp-glow:scale_y", "lamp-glow:opacity"]
    assert few.json["curves"][0]["keys"]["interpolation"] == "cubic" and len(few.data) < len(whole.data)
    said = client.post(f"/p/{demo}/hand-off/write/json", data={"error_percent": 1, "part": "rain"}).text
    assert "2 curves" in said and "error_percent=1&amp;part=rain" in said
    assert client.post(f"/p/{demo}/hand-off/write/json", data={"error_percent": 99}).status_code == 422
    assert client.post(f"/p/{demo}/hand-off/write/json", data={"part": "nobody"}).status_code == 404
    refused = client.post(f"/p/{demo}/hand-off/write/gltf")
    assert refused.status_code == 422 and "carries no 2d scene" in refused.json["what"]
    assert "glTF carries only 3D stages" in client.get(f"/p/{demo}/hand-off").text


def test_a_large_scene_keeps_the_lists_short(client, demo):
    many = "".join(f'<g id="g{n}">' + '<path d="M0 0"/>' * 20 + "</g>" for n in range(30))
    drop(client, demo, ("many.svg", f'<svg xmlns="http://www.w3.org/2000/svg">{many}</svg>'.encode()))
    text = page(client, demo)
    assert text.count("tree-row") == 31 and "(20)" in text
    assert page(client, demo, open="g0").count("tree-row") == 51
    bench = client.get(f"/p/{demo}/bench").text
    few = drop(client, demo, ("few.svg", b'<svg xmlns="http://www.w3.org/2000/svg"><path d="M0 0"/></svg>'))
    assert few.status_code < 300
    assert "Path 599" not in re.sub(r"<svg.*?</svg>", "", bench, flags=re.DOTALL), (
        "only the drawing itself knows them all"
    )


def test_of_a_long_tree_only_the_rows_about_what_is_seen_or_chosen_are_drawn(client, studio):
    paths = "".join(f'<path id="leaf-{n}" d="M{n} 0h5v5z"/>' for n in range(1000))
    svg = f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 1000 100">{paths}</svg>'
    key = drop(client, "", ("leaves.svg", svg.encode()), url="/projects/scene").json["url"].split("/")[2]

    def rows(**asked):
        text = client.get(f"/p/{key}/stage/tree", query_string=asked).text
        spaces = [int(number) for number in re.findall(r'data-rows="(\d+)"', text)]
        return re.findall(r'data-part="([^"]+)"', text), spaces

    first, spaces = rows()
    assert first[:2] == ["leaves", "leaf-0"] and len(first) == 200 and spaces == [801]
    later, spaces = rows(at=500)
    assert later[0] == "leaf-499" and spaces == [500, 301]
    assert rows(at=5000)[0][-1] == "leaf-999" and rows(at=-9)[1] == [801]
    assert "leaf-700" in rows(part="leaf-700")[0], "a chosen part is shown at first"
    assert "leaf-700" not in rows(part="leaf-700", at=0)[0], "and not when one scrolls away from it"
    shown, spaces = rows(part="leaf-700", at=0, reveal="yes")
    assert shown[100] == "leaf-700" and spaces == [601, 200]
    assert rows(part="leaf-600", at=500, reveal="yes")[1] == [500, 301], "what is seen already stays"
    assert len(rows(find="leaf-99")[0]) == 11


def test_the_picture_of_an_array_is_drawn_once_and_anew_when_its_pieces_are_others(client, demo, studio, monkeypatch):
    wall = next(row[0] for row in studio.projects.all() if "wall" in row[1])
    drawn = []
    monkeypatch.setattr(projects, "sketch", lambda built: drawn.append(built) or f"<svg>{len(drawn)}</svg>")
    monkeypatch.setattr(projects, "_sketches", {})

    def picture():
        address = re.search(rf'src="(/p/{wall}/picture[^"]*)"', client.get("/").text)[1]
        shown[address] = client.get(address)
        return shown[address]

    shown = {}
    assert picture().text == picture().text == "<svg>1</svg>" and len(drawn) == len(shown) == 1
    assert "immutable" in picture().headers["Cache-Control"]
    assert picture().headers["Content-Security-Policy"] == "default-src 'none'; sandbox"
    path = "shape.params.layout.params.across"
    command = {"kind": "set_field", "owner": "part", "id": "panes", "path": path, "value": 12}
    base = studio.projects.current(wall).id
    assert client.post(f"/p/{wall}/edits", json={"base": base, "command": command}).status_code == 200
    assert picture().text == "<svg>2</svg>" and len(drawn) == len(shown) == 2, "at another address"
    monkeypatch.setattr(projects, "_MOST_SKETCHES", 1)
    monkeypatch.setattr(projects, "_sketches", {"another": "<svg/>"})
    assert picture().text == "<svg>3</svg>" and list(projects._sketches.values()) == ["<svg>3</svg>"]


def test_a_picture_that_many_ask_for_at_once_is_drawn_once(app, client, demo, studio, monkeypatch):
    wall = next(row[0] for row in studio.projects.all() if "wall" in row[1])
    address = re.search(rf'src="(/p/{wall}/picture[^"]*)"', client.get("/").text)[1]
    drawn = []
    monkeypatch.setattr(projects, "sketch", lambda built: time.sleep(0.05) or drawn.append(built) or "<svg/>")
    monkeypatch.setattr(projects, "_sketches", {})
    asking = [Thread(target=app.test_client().get, args=(address,)) for _ in range(4)]
    for one in asking:
        one.start()
    for one in asking:
        one.join()
    assert len(drawn) == 1


def test_an_array_is_given_as_it_was_baked_or_not_at_all(client, demo, studio, monkeypatch):
    wall = next(row[0] for row in studio.projects.all() if "wall" in row[1])
    layout = {"id": "grid", "params": {"across": 3, "up": 2}}
    field = {"kind": "set_field", "owner": "part", "id": "panes"}
    edit(client, wall, {**field, "path": "shape.params.layout", "value": layout})
    written = client.post(f"/p/{wall}/hand-off/write/gltf")
    assert written.status_code == 200 and "19 curves" in written.text  # three of each pane, and the lantern's
    url = f"/p/{wall}/hand-off/files/gltf"
    at_once = client.get(url)
    with monkeypatch.context() as longer:
        longer.setattr(long, "MOST_AT_ONCE", 100)
        handoff._last.clear()
        assert "19 curves" in client.post(f"/p/{wall}/hand-off/write/gltf").text
        assert client.get(url).data == at_once.data
        handoff._last.clear()
    edit(client, wall, {**field, "path": "shape.params.backwards", "value": True})
    refused = client.get(url)
    assert refused.status_code == 422 and "Panes was changed since it was baked" in refused.text
    client.post(f"/p/{wall}/undo", json={"base": studio.projects.current(wall).id})
    assert client.get(url).status_code == 200
    base = studio.projects.current(wall).id
    assert client.post(f"/p/{wall}/mappings", json={"base": base, "target": "panes:reach1_x"}).status_code == 200
    assert client.get(url).status_code == 422, "its reach moves otherwise than in what was baked"
    assert client.post(f"/p/{wall}/hand-off/write/gltf").status_code == 200 and client.get(url).status_code == 200


def test_parts_that_no_array_can_be_made_of_are_refused_by_name(client, demo, studio):
    wall = next(row[0] for row in studio.projects.all() if "wall" in row[1])
    for parts, words in ((["panes"], "Panes"), ([], "parts"), (["nobody"], "nobody"), ("panes", "parts")):
        base = studio.projects.current(wall).id
        answer = client.post(f"/p/{wall}/stage/arrays", json={"base": base, "parts": parts})
        assert 400 <= answer.status_code < 500 and words in answer.json["what"]
    field = client.get(f"/p/{wall}/stage/arrays")
    head, arrays = unpack(field.data)
    assert head["fields"]["panes"]["pieces"] == 1000 and len(arrays[head["fields"]["panes"]["ranks"]]) == 1000
    assert client.get(f"/p/{demo}/stage/arrays").status_code == 200
