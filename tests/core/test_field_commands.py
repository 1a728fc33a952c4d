"""Edits of one place inside a thing: the same as the whole thing put anew, and what pushes what along."""

import json

import pytest

from fern_tide.core.base.errors import FernTideError, InvalidParameter, UnknownName
from fern_tide.core.commands.registry import read_command
from fern_tide.demo.project import demo_project

PROJECT = demo_project()
PLAIN = PROJECT.model_dump(mode="json")
MAPPING, ENVELOPE, TRACK, MARKER = (PLAIN[name][0] for name in ("mappings", "envelopes", "tracks", "markers"))
PART = PLAIN["scene"]["parts"][3]
BAND = next(item for item in PLAIN["envelopes"] if item["reading"]["id"] == "band")


def with_path(plain, path, value):
    """Replace one value of plain data, by hand."""
    copy = json.loads(json.dumps(plain))
    *names, last = path.split(".")
    at = copy
    for name in names:
        at = at[int(name)] if isinstance(at, list) else at[name]
    at[int(last) if isinstance(at, list) else last] = value
    return copy


def field(owner, thing, path, value):
    return {"kind": "set_field", "owner": owner, "id": thing["id"], "path": path, "value": value}


def applied(plain, project=PROJECT):
    command = read_command(plain)
    return command.label(project), command.apply(project)


@pytest.mark.parametrize(
    ("owner", "thing", "path", "value"),
    [
        ("mapping", MAPPING, "name", "Moon"),
        ("mapping", MAPPING, "muted", True),
        ("mapping", MAPPING, "marks.low", "-33.5dB"),
        ("mapping", MAPPING, "marks", {"low": 0.01, "high": 0.5, "scale": "db"}),
        ("mapping", MAPPING, "drives.0.full", 0.75),
        ("mapping", MAPPING, "drives.0.response", {"id": "ease"}),
        ("mapping", MAPPING, "drives.0.late_frames", "3"),
        ("envelope", ENVELOPE, "clean_up.0.on", False),
        ("envelope", ENVELOPE, "reading", {"id": "loudness"}),
        ("envelope", BAND, "reading.params.low_hz", 33),
        ("track", TRACK, "drives", False),
        ("marker", MARKER, "time_s", 1.25),
        ("part", PART, "name", "Kelp"),
    ],
)
def test_a_field_is_set_as_by_putting_the_whole_thing(owner, thing, path, value):
    whole = {"kind": f"put_{owner}", owner: with_path(thing, path, value)}
    assert applied(field(owner, thing, path, value)) == applied(whole)
    assert applied(whole)[1] != PROJECT


def test_an_edge_pushes_the_other_along():
    low, high = BAND["reading"]["params"]["low_hz"], BAND["reading"]["params"]["high_hz"]

    def edges(name, value):
        after = applied(field("envelope", BAND, f"reading.params.{name}", value))[1].envelope(BAND["id"])
        return after.reading.params.low_hz, after.reading.params.high_hz

    assert edges("low_hz", high + 20) == (high + 20, -(-(high + 20) * 106 // 100) + 1)
    assert edges("low_hz", "200") == (200, 213)
    assert edges("high_hz", 20) == (17, 20)  # 20 / 1.06 is 18.9, less a hertz 17.9, down to whole ones
    assert edges("high_hz", 0.5) == (0, 0.5)
    assert edges("low_hz", low + 1) == (low + 1, high)  # nothing is in the way
    with pytest.raises(InvalidParameter, match="96000"):
        edges("low_hz", 96_001)
    with pytest.raises(InvalidParameter):
        edges("low_hz", "many")


def test_a_mark_pushes_the_other_half_a_db_along():
    def marks(name, value):
        return applied(field("mapping", MAPPING, f"marks.{name}", value))[1].mapping(MAPPING["id"]).marks

    pushed = marks("low", "-6dB")
    assert pushed.low == pytest.approx(0.501187, rel=1e-5)
    assert pushed.high == pytest.approx(0.501187 * 1.0592537, rel=1e-5)  # 10 ** (0.5 / 20)
    pushed = marks("high", 0.001)
    assert (pushed.high, pushed.low) == (0.001, pytest.approx(0.001 / 1.0592537, rel=1e-6))
    assert marks("low", 0.001).high == MAPPING["marks"]["high"]
    for value in (17, "loud", "-3", None):
        with pytest.raises(InvalidParameter):
            marks("low", value)


def test_a_drive_that_goes_along_goes_along_with_a_field():
    drive = {**MAPPING["drives"][0], "target": {"part": "lamp", "property": "scale_x"}, "rest": 1, "full": 2}
    along = {**drive, "target": {"part": "lamp", "property": "scale_y"}, "along": drive["target"]}
    project = applied({"kind": "put_mapping", "mapping": {**MAPPING, "drives": [drive, along]}})[1]
    after = applied(field("mapping", MAPPING, "drives.0.full", 3), project)[1].mapping(MAPPING["id"])
    assert [item.full for item in after.drives] == [3, 3]


def test_entries_of_a_list_are_added_doubled_moved_and_dropped():
    def ids(project):
        return [step.id for step in project.mapping(MAPPING["id"]).steps]

    def change(project, how, place, to=0):
        plain = {"kind": "change_list", "owner": "mapping", "id": MAPPING["id"], "path": f"steps.{place}"}
        return applied({**plain, "how": how, "to": to}, project)[1]

    project = applied(field("mapping", MAPPING, "steps", []))[1]
    for name in ("stairs", "hold", "flip"):
        add = {"kind": "add_entry", "owner": "mapping", "id": MAPPING["id"], "path": "steps", "value": {"id": name}}
        label, project = applied(add, project)
        assert label == f"Add {name} to {MAPPING['name']}"
    assert ids(project) == ["stairs", "hold", "flip"]
    assert ids(change(project, "move", 0, 2)) == ["hold", "flip", "stairs"]
    assert ids(change(project, "move", 2, 0)) == ["flip", "stairs", "hold"]
    assert ids(change(project, "twice", 1)) == ["stairs", "hold", "hold", "flip"]
    assert ids(change(project, "drop", 1)) == ["stairs", "flip"]


@pytest.mark.parametrize(
    "path", ["nothing", "drives.7.rest", "drives.x", "name.more", "drives.0.response.params.nothing", "marks.pushed"]
)
def test_a_path_that_leads_nowhere_is_refused(path):
    with pytest.raises(InvalidParameter):
        applied(field("mapping", MAPPING, path, 1))


@pytest.mark.parametrize("path", ["", ".", "drives..rest", "__class__.x", "drives.0.", "Name"])
def test_a_path_of_another_form_is_refused(path):
    with pytest.raises(FernTideError):
        read_command({**field("mapping", MAPPING, "name", "x"), "path": path}).apply(PROJECT)


def test_things_that_are_not_there_are_named():
    for owner in ("mapping", "envelope", "track", "part", "marker"):
        with pytest.raises(UnknownName, match="gone"):
            applied(field(owner, {"id": "gone"}, "name", "x"))


def test_only_lists_grow():
    plain = {"kind": "add_entry", "owner": "mapping", "id": MAPPING["id"], "path": "name", "value": "x"}
    with pytest.raises(InvalidParameter, match="list"):
        applied(plain)


def test_a_new_envelope_counts_on_and_begins_as_its_reading_does():
    plain = {"kind": "add_envelope", "reading": {"id": "band"}, "track": TRACK["id"]}
    label, project = applied(plain)
    number = len(PROJECT.envelopes) + 1
    made = project.envelopes[-1]
    assert (made.id, made.name, label) == (f"band-{number}", f"Band {number}", f"Add the envelope Band {number}")
    assert [item.id for item in made.clean_up] == ["rise_and_fall"]
    taken = {**ENVELOPE, "id": f"band-{number + 1}"}
    project = applied({"kind": "put_envelope", "envelope": taken})[1]
    assert applied(plain, project)[1].envelopes[-1].id == f"band-{number + 2}"  # no number is taken twice
    assert applied({**plain, "name": "Kick"})[1].envelopes[-1].name == "Kick"


def test_a_new_marker_counts_on_and_lies_in_time():
    label, project = applied({"kind": "add_marker", "time_s": 0.25})
    number = len(PROJECT.markers) + 1
    assert label == f"Add the marker Marker {number}"
    assert [item.time_s for item in project.markers] == sorted(item.time_s for item in project.markers)
    late = applied({"kind": "add_marker", "time_s": 9999}, project)[1].markers[-1]
    assert (late.id, late.name) == (f"marker-{number + 1}", f"Marker {number + 1}")


def test_a_colour_between_lies_half_way_on():
    colour = {**MAPPING["drives"][0], "target": {"part": "lamp", "property": "fill"}, "rest": "#112233"}
    plain = {**MAPPING, "drives": [{**colour, "full": "#ffeedd"}]}
    target = next((part, item) for part in PROJECT.scene.parts for item in part.properties if item.kind == "colour")
    plain["drives"][0]["target"] = {"part": target[0].id, "property": target[1].id}
    project = applied({"kind": "put_mapping", "mapping": plain})[1]
    stops = []
    for _ in range(3):
        project = applied({"kind": "add_stop", "id": MAPPING["id"], "drive": 0}, project)[1]
        stops = project.mapping(MAPPING["id"]).drives[0].stops
    assert [stop.at for stop in stops] == [0.5, 0.75, 0.875]
    assert {stop.colour for stop in stops} == {"#112233"}
    with pytest.raises(InvalidParameter, match="drive"):
        applied({"kind": "add_stop", "id": MAPPING["id"], "drive": 9}, project)
    with pytest.raises(FernTideError, match="number"):
        applied({"kind": "add_stop", "id": MAPPING["id"]})
