"""Routes of the picker and of the first cut, and what they refuse."""

import gc
import xml.etree.ElementTree as ET

from tests.conftest import drums, wav
from tests.web.test_pages import status, unpack
from tests.web.test_tuning import first, post

from fern_tide.web import server


def lines(client, key, query=""):
    answer = client.get(f"/p/{key}/picker?{query}")
    assert answer.status_code == 200
    return [
        (element.get("data-target") or "", element.get("data-open") or "")
        for element in ET.fromstring(f"<a>{answer.text}</a>".replace("data-back", 'data-back=""')).iter("button")
    ]


def test_the_picker_finds_opens_and_knows_what_is_driven_and_was_used(client, demo):
    shown = lines(client, demo, "recent=title:fill,gone:x,nonsense")
    assert shown[0] == ("title:fill", "") and ("lamp-glow:opacity", "") in shown
    assert ("", "panes") in shown and len(shown) <= 45
    assert lines(client, demo, "q=lam+tu") == [(f"lamp{more}:turn", "") for more in ("", "-cord", "-glow", "-bulb")]
    opened = lines(client, demo, "part=rain")
    assert ("rain:stroke", "") in opened and all(target.startswith("rain:") for target, _ in opened if target)
    assert [target for target, _ in lines(client, demo, "part=rain&q=opac") if target] == ["rain:opacity"]
    assert "Nothing is called so" in client.get(f"/p/{demo}/picker?q=zzz").text
    assert client.get(f"/p/{demo}/picker?part=none").status_code == 404
    for odd in ("q=" + "x" * 5000, "q=%00", "recent=" + "a:b," * 500, "q=<script>"):
        assert "<script>" not in client.get(f"/p/{demo}/picker?{odd}").text


def test_a_part_has_a_name_and_a_picture_of_what_lies_about_it(client, demo):
    assert client.get(f"/p/{demo}/parts/lamp-bulb/name").json == {"name": "Lamp bulb"}
    answer = client.get(f"/p/{demo}/parts/lamp-bulb/picture.svg")
    assert answer.headers["Content-Security-Policy"].startswith("default-src 'none'")
    left, top, wide, tall = map(float, ET.fromstring(answer.text).get("viewBox").split())
    assert left < 904 and top < 414 and left + wide > 1016 and wide == tall == 144
    assert "lamp-bulb--own" in answer.text and "title--own" not in answer.text, "what is far away is left out"
    assert client.get(f"/p/{demo}/parts/none/picture.svg").status_code == 404


def test_pointing_at_a_property_shows_what_picking_it_would_do(client, studio, demo):
    aim = {"target": "lamp-cord:turn", "envelope": "drip"}
    head, _ = unpack(client.post(f"/p/{demo}/preview", json={"aim": aim}).data)
    assert "lamp-cord:turn" in head["curves"]
    mapping = first(studio, demo)
    aim = {"target": "moth-one:opacity", "mapping": mapping.id, "place": 0}
    head, _ = unpack(client.post(f"/p/{demo}/preview", json={"aim": aim}).data)
    assert "moth-one:opacity" in head["curves"] and first(studio, demo) == mapping, "nothing is stored"
    for odd in ({"target": "none:x"}, {"target": "x"}, {}, {"target": "lamp:turn", "mapping": "none"}):
        assert client.post(f"/p/{demo}/preview", json={"aim": odd}).status_code in {404, 422}


def test_a_first_cut_is_made_otherwise_kept_and_taken_back_in_one(client, studio):
    sound = wav(drums(), rate_hz=44_100)
    url = client.post("/projects?name=Rain.wav", data=sound).json["url"]
    key = url.split("/")[2]
    assert status(client, key)["cut"] == "due"
    assert "As soon as the sound is read" in client.get(f"/p/{key}/bench").text
    answer = post(client, key, "first-cut")
    assert answer.status_code == 200 and answer.json["cut"] == "open"
    assert answer.json["chosen"]["mapping"] == first(studio, key).id
    made = studio.projects.current(key).document
    assert len(made.first_cut.items) == len(made.mappings) >= 3
    page = client.get(f"/p/{key}/bench").text
    assert all(item.words in page for item in made.first_cut.items) and "Keep these" in page
    another = post(client, key, "first-cut", seed=2)
    assert another.json["undo"] == answer.json["undo"] and studio.projects.current(key).document.first_cut.seed == 2
    kept = post(client, key, "first-cut/keep")
    assert kept.json["cut"] == "" and kept.json["undo"] == "Keep the first cut of Rain"
    undone = post(client, key, "undo")
    assert undone.json["undo"] is None and not studio.projects.current(key).document.mappings
    assert undone.json["cut"] == "open", "what was taken back is not made again by itself"
    assert "Make a first cut" in client.get(f"/p/{key}/bench").text
    assert post(client, key, "first-cut/drop").json["cut"] == ""
    for path, plain in (("first-cut/keep", {}), ("first-cut/sell", {}), ("first-cut", {"seed": 0})):
        assert post(client, key, path, **plain).status_code == 422


def test_what_was_changed_in_a_first_cut_is_an_edit_of_its_own(client, studio):
    url = client.post("/projects?name=Rain.wav", data=wav(drums(), rate_hz=44_100)).json["url"]
    key = url.split("/")[2]
    post(client, key, "first-cut")
    mapping = first(studio, key)
    command = {"kind": "set_field", "owner": "mapping", "id": mapping.id, "path": "name", "value": "Mine"}
    post(client, key, "edits", command=command)
    post(client, key, "first-cut/keep")
    post(client, key, "undo")
    assert first(studio, key).name == "Mine", "undo takes back the keeping, not what was done before"


def test_an_envelope_gets_suggestions_that_can_be_taken(client, studio, demo):
    mapping = first(studio, demo)
    answer = client.get(f"/p/{demo}/bench/drawer/suggestions?mapping={mapping.id}")
    assert answer.status_code == 200 and "What Drip could move" in answer.text
    assert answer.text.count("data-pick=") == 3


def test_what_stays_after_the_start_is_not_looked_through_again(client, studio):
    try:
        server._settle(client.application, studio)
        assert gc.get_freeze_count() > 10 * len(gc.get_objects())
    finally:
        gc.unfreeze()


def test_a_project_of_stems_is_called_by_their_song(client):
    def name(**asked):
        url = client.post("/projects", query_string=asked, data=wav(drums())).json["url"]
        return status(client, url.split("/")[2])["name"]

    assert name(name="Rain_kick.wav", song="Rain 2.5") == "Rain 2.5"
    assert name(name="Rain_kick.wav", song="") == name(name="Rain_kick.wav") == "Rain kick"
    assert name(name="Rain.wav", song="\x07\n ") == "Sound" and len(name(name="Rain.wav", song="a" * 500)) == 120
