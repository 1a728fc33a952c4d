"""Routes of ways and poses, without a browser."""

import json
import re

import numpy as np
from tests.gltf import GLB
from tests.web.test_pages import edit
from tests.web.test_stage import drop, page, post


def test_a_pose_has_a_picture_of_what_is_about_it(client, demo):
    stored = post(client, demo, "stage/poses", parts=["moth-one"]).get_json()
    row = stored["chosen"]["part"]
    assert row == "poses-of-moth-one"
    shown = client.get(f"/p/{demo}/stage/poses/{row}/0.svg")
    left, top, wide, tall = map(float, re.search(r'viewBox="([^"]+)"', shown.text)[1].split())
    assert shown.mimetype == "image/svg+xml" and "sandbox" in shown.headers["Content-Security-Policy"]
    assert left < 770 < left + wide and top < 330 < top + tall and wide < 300
    for wrong, code in ((f"{row}/1", 422), ("moth-one/0", 422), ("nobody/0", 404)):
        assert client.get(f"/p/{demo}/stage/poses/{wrong}.svg").status_code == code
    for parts in ([], ["nobody"], "moth-one", None):
        assert post(client, demo, "stage/poses", parts=parts).status_code in {404, 422}
    assert "store the next pose" in page(client, demo, part=row)


def test_a_part_is_given_a_way_and_what_has_no_place_is_refused(client, demo):
    stored = post(client, demo, "stage/parts/moth-one/way").get_json()
    assert stored["saved"] and 'id="ride-sheet"' in page(client, demo, part="moth-one")
    text = page(client, demo, part="way-of-moth-one")
    head = json.loads(re.search(r'id="way-head"[^>]*>(.*?)</script>', text, re.S)[1])
    assert head["id"] == "way-of-moth-one" and len(head["points"]) == 4 and len(head["line"]) == 400
    assert abs(head["points"][0]["x"] - 770) < 1 and abs(head["points"][0]["y"] - 330) < 1
    assert post(client, demo, "stage/parts/way-of-moth-one/way").status_code == 422
    assert post(client, demo, "stage/parts/nobody/way").status_code == 404


def test_a_way_is_taken_from_an_outline_of_a_drawing(client, demo):
    inside = '<circle id="Ring" cx="30" cy="20" r="10"/><text id="Words">x</text>'
    root = '<svg xmlns="http://www.w3.org/2000/svg" width="400" height="200" viewBox="10 20 200 150">'
    drawing = f'{root}<g transform="translate(5 6) scale(2)">{inside}</g></svg>'.encode()
    assert drop(client, demo, ("ring.svg", drawing)).status_code == 200
    stored = post(client, demo, "stage/parts/ring-2/outline").get_json()
    assert stored["chosen"]["part"] == "way-of-ring"
    text = page(client, demo, part="way-of-ring")
    head = json.loads(re.search(r'id="way-head"[^>]*>(.*?)</script>', text, re.S)[1])
    line = np.array(head["line"])[:, :2]
    scale = min(400 / 200, 200 / 150)
    middle, radius = line.mean(axis=0), 20 * scale
    np.testing.assert_allclose(
        np.linalg.norm(line[:-1] - (line.max(axis=0) + line.min(axis=0)) / 2, axis=1), radius, rtol=1e-3
    )
    assert "points" not in head and middle.shape == (2,) and "as it was drawn" in text
    ride = {"kind": "set_field", "owner": "part", "id": "words", "path": "ride", "value": {"way": "way-of-ring"}}
    edit(client, demo, ride)
    assert 'id="ride-sheet"' in page(client, demo, part="words")
    assert post(client, demo, "stage/parts/words/outline").status_code == 422
    assert post(client, demo, "stage/parts/way-of-ring/outline").status_code == 422


def test_the_planes_of_shapers_lie_where_they_say_as_the_part_stands(client, demo, studio):
    key = demo
    drop(client, key, ("fern.glb", GLB))
    part = post(client, key, "stage/parts", kind="box").get_json()["chosen"]["part"]
    values = {"x": 2.0, "turn_z": 90.0}
    edits = [{"kind": "set_value", "target": f"{part}:{name}", "value": value} for name, value in values.items()]
    size = {"width": 2.0, "height": 1.0, "depth": 4.0}
    edits += [
        {"kind": "set_field", "owner": "part", "id": part, "path": f"shape.params.{name}", "value": value}
        for name, value in size.items()
    ]
    shaper = {"slot": 1, "shaper": {"id": "twist", "params": {"first": 0.25, "last": 1.0}}}
    edits.append({"kind": "add_entry", "owner": "part", "id": part, "path": "shapers", "value": shaper})
    for one in edits:
        edit(client, key, one)
    text = page(client, key, part=part)
    low, high = json.loads(re.search(r'id="shaper-planes"[^>]*>(.*?)</script>', text, re.S)[1])
    stands = studio.projects.current(key).document.scene.part(part)
    for plane, up in ((low, 0.25), (high, 1.0)):  # turned a quarter about z, up goes to the left
        corners = np.array(plane) - [float(stands.own(axis)) for axis in "xyz"]
        np.testing.assert_allclose(corners[:, 0], -up, atol=1e-3)
        assert sorted(map(tuple, np.round(corners[:, 1:], 3).tolist())) == [(-1, -2), (-1, 2), (1, -2), (1, 2)]
