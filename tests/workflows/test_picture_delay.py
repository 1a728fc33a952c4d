"""The delay of a picture: what is handed off is earlier by as much where it is made up for, and nothing else moves."""

import csv
import io
import json

import numpy as np
import pytest
from tests.conftest import wav
from tests.workflows.test_sync_report import LAMP, RATE_HZ, clicks, project_of

from fern_tide.core.bake.picture_delay import PictureDelay
from fern_tide.core.base.errors import FernTideError, InvalidParameter
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.commands.registry import read_command
from fern_tide.core.document import read_project
from fern_tide.core.formats.registry import FORMATS
from fern_tide.core.scene.media import SceneMedia
from fern_tide.core.scene.scene import Part
from fern_tide.demo.scene import glasshouse
from fern_tide.workflows.bring_in import sounds
from fern_tide.workflows.derive.pieces import moved_pieces
from fern_tide.workflows.hand_off import proof_order
from fern_tide.workflows.hand_off.writing import write_format
from fern_tide.workflows.tune.sync_report import on_screen, sync_csv, sync_rows


@pytest.fixture
def key(studio):
    sound = wav(clicks(), rate_hz=RATE_HZ)
    return sounds.start_project(studio, [sound], file_name="Clicks.wav", scene=glasshouse()).key


def delayed(project, ms, *, baked=True):
    return read_command({"kind": "set_picture_delay", "delay": {"ms": ms, "baked": baked}}).apply(project)


def written(levels, project, format_id="csv", **options):
    done = write_format(
        project,
        levels.curves(project),
        format_id=format_id,
        media=SceneMedia(),
        options=options,
        moved=moved_pieces(levels, project),
    )
    assert done.error <= FORMATS[format_id].rounds_by + 1e-3
    return done.content


def lamp(content):
    head, *rows = csv.reader(io.StringIO(content.decode()))
    at = next(place for place, name in enumerate(head) if "scale_x" in name or "width" in name.lower())
    return np.array([float(row[at]) for row in rows])


def test_whole_frames_and_parts_of_one_go_out_earlier_and_the_stage_stays_in_time(studio, levels, key):
    project = project_of(studio, key)
    plain = lamp(written(levels, project))
    late = lamp(written(levels, delayed(project, 100)))  # three frames at 30 a second
    np.testing.assert_allclose(late[:-3], plain[3:], atol=1e-6)
    np.testing.assert_allclose(late[-3:], plain[-1], atol=1e-6)
    half = lamp(written(levels, delayed(project, 50)))
    np.testing.assert_allclose(half[:-2], (plain[1:-1] + plain[2:]) / 2, atol=1e-6)
    other_way = lamp(written(levels, delayed(project, -100)))
    np.testing.assert_allclose(other_way[3:], plain[:-3], atol=1e-6)
    same = lamp(written(levels, delayed(project, 100, baked=False)))
    np.testing.assert_allclose(same, plain)
    curves = [one.values for one in levels.curves(delayed(project, 100))]
    assert all(np.array_equal(a, b.values) for a, b in zip(curves, levels.curves(project), strict=True))


def test_pieces_of_arrays_go_out_as_much_earlier_written_out_or_by_formula(studio, levels, key):
    project = project_of(studio, key)
    array = {
        "id": "row",
        "name": "Row",
        "shape": {"id": "array", "params": {"layout": {"id": "line"}, "late_frames": 4}},
    }
    leaf = {"id": "leaf", "name": "Leaf", "parent": "row", "shape": {"id": "star"}}
    scene = project.scene.but(parts=(*project.scene.parts, *map(Part.model_validate, (array, leaf))))
    drive = project.mappings[0].drives[0].but(target={"part": "row", "property": "piece_y"})
    wider = drive.but(target={"part": "row", "property": "gap"}, rest=100.0, full=200.0)
    project = project.but(scene=scene, mappings=(project.mappings[0].but(drives=(drive, wider)),))
    values = {}
    for ms in (0, 100):
        plain = json.loads(written(levels, delayed(project, ms), "json"))
        formula = json.loads(written(levels, delayed(project, ms), "json", by_formula=True))
        tracks = {one["target"]: np.array(one["values"]) for one in plain["curves"] if one["target"].endswith(":y")}
        (prop,) = formula["arrays"][0]["properties"]
        rows = np.array(prop["drivers"][0]["rows"])
        gap = next(np.array(one["values"]) for one in formula["curves"] if one["target"] == "row:gap")
        values[ms] = (tracks, rows, gap)
    assert len(values[0][0]) == 12
    for target, moved in values[100][0].items():
        np.testing.assert_allclose(moved[:-3], values[0][0][target][3:], atol=1e-6)
    np.testing.assert_allclose(values[100][1][:, :-3], values[0][1][:, 3:], atol=1e-6)
    np.testing.assert_allclose(values[100][2][:-3], values[0][2][3:], atol=1e-6)
    assert np.ptp(values[0][2]) > 50
    spray = Part.model_validate(
        {**array, "id": "mist", "shape": {"id": "array", "params": {"layout": {"id": "spray"}}}}
    )
    thrown = project.but(scene=scene.but(parts=(*scene.parts, spray)))
    assert written(levels, thrown, "json", by_formula=True)
    with pytest.raises(FernTideError, match="cannot make up for"):
        written(levels, delayed(thrown, 100), "json", by_formula=True)


def test_the_report_says_what_is_late_where_it_is_shown(studio, levels, key):
    project = project_of(studio, key, late=2)
    (row,) = [one for one in sync_rows(levels, project) if one.target == LAMP]
    assert row.sync.median == 2
    assert on_screen(project, row.sync.median) == 2
    assert on_screen(delayed(project, 100, baked=False), row.sync.median) == pytest.approx(5)
    assert on_screen(delayed(project, 100), row.sync.median) == pytest.approx(2)
    listed = list(csv.DictReader(io.StringIO(sync_csv(delayed(project, 100, baked=False), [row]))))
    assert float(listed[0]["median_ms"]) == pytest.approx(66.667) and float(listed[0]["screen_ms"]) == pytest.approx(
        166.667
    )


def test_a_proof_is_earlier_by_whole_frames_and_flashes_are_measured_as_on_the_stage(studio, key):
    project = project_of(studio, key)
    order = {"pictures": "p", "width": 160, "height": 90}
    orders = [proof_order.ProofOrder(project=delayed(project, ms), kind="mp4", **order) for ms in (0, 110, -60)]
    assert [one.ahead for one in orders] == [0, 3, -2] and len({one.frames_key for one in orders}) == 3
    still = proof_order.ProofOrder(project=delayed(project, 100, baked=False), kind="mp4", **order)
    assert still.ahead == 0 and still.frames_key == orders[0].frames_key
    assert proof_order.ProofOrder(project=delayed(project, 100), kind=proof_order.FLASHING, **order).ahead == 0


def test_it_is_stored_undone_and_kept_within_what_can_be(studio, key):
    project = studio.projects.current(key).document
    assert "picture_delay" not in project.model_dump_json()
    after = delayed(project, 80.0)
    assert read_project(after.model_dump_json()).picture_delay == PictureDelay(ms=80.0, baked=True)
    assert after.picture_delay.frames(FrameRate.parse("30000/1001")) == pytest.approx(2.3976, abs=1e-4)
    with pytest.raises(InvalidParameter, match="Picture delay is 2001.*-2000 to 2000 ms"):
        delayed(project, 2001)
