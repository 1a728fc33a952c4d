"""Routes of ways and poses, without a browser."""

import json
import re

import numpy as np
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
