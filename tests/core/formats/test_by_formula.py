"""Arrays by formula in JSON: every piece's value follows from what is written, by a reader that knows only SIGNAL."""

import json
from dataclasses import replace

import jsonschema
import numpy as np
import pytest
from tests.core.formats.hand_offs import curves_of
from tests.node.test_pieces import FRAMES, GRID, RATE, SPREAD, Trial, mapping

from fern_tide.core.bake.bake import stack_of
from fern_tide.core.bake.expand import Moved
from fern_tide.core.bake.expand_size import MOST_EXPANDED
from fern_tide.core.base.target import Target
from fern_tide.core.formats.factored import ByFormula, largest_error, plain_of
from fern_tide.core.formats.factored_tables import arrays_of, row_columns, tables_of
from fern_tide.core.formats.format import HandOff, write
from fern_tide.core.formats.registry import FORMATS
from fern_tide.core.formats.writers import csv as csv_writer
from fern_tide.core.formats.writers.csv import CsvParams
from fern_tide.core.formats.writers.json import JsonParams, schema


def formula(trial, drives):
    target = Target(part="row", property="piece_scale_y")
    many = [mapping(drive, spread=lift.ndim == 2) for drive, lift in zip(drives, trial.lifts, strict=True)]
    stack = stack_of(trial.project.scene, target, [(item, item.drives[0]) for item in many])
    return ByFormula(trial.motion, {"piece_scale_y": Moved(stack, trial.lifts)})


def read(plain, piece):
    """A piece's values, from the plain file alone: no reach, lateness between frames, rest before the first."""
    (item,) = plain["properties"]
    total = item["own"]
    for driver in item["drivers"]:
        rows = np.array(driver["rows"])
        at = plain["ranks"][piece] * (len(rows) - 1)
        if plain["nearest_row"]:
            at = np.floor(at + 0.5)
        late = plain["ranks"][piece] * plain["late_frames"] + driver["late_frames"]
        values = []
        for frame in range(FRAMES):

            def row_at(k, at=at, rows=rows):
                if k < 0:
                    return 0.0
                k = min(k, FRAMES - 1)
                low = int(min(np.floor(at), len(rows) - 1))
                share = at - low
                return rows[low, k] * (1 - share) + (rows[low + 1, k] * share if share else 0.0)

            whole = int(np.floor(late))
            part = late - whole
            lift = row_at(frame - whole) * (1 - part) + (row_at(frame - whole - 1) * part if part else 0.0)
            eased = np.interp(lift, driver["response"]["lift"], driver["response"]["eased"])
            values.append(driver["rest"] + plain["gains"][piece] * eased * (driver["full"] - driver["rest"]))
        now = np.array(values)
        total = {"add": total + now, "multiply": total * now}.get(driver["stacking"], now)
    return total


LATER = [{"late_frames": 3}, {"stacking": "add", "rest": 0.0, "full": 0.5}]


@pytest.mark.parametrize("drives", [[{}], LATER, [{"response": {"id": "smooth"}}]])
def test_every_value_follows_from_the_file(drives):
    trial = Trial({**GRID, **SPREAD, "order": {"id": "outward"}}, *drives)
    array = formula(trial, drives)
    plain = json.loads(json.dumps(plain_of(array)))
    jsonschema.validate(
        {"curves_version": 1, "name": "n", "rate": {}, "frames": FRAMES, "curves": [], "arrays": [plain]}, schema()
    )
    for piece in (0, 5, 11, 23):
        np.testing.assert_allclose(read(plain, piece), trial.values[piece], atol=2e-5)
    assert largest_error(array, plain) < 1e-5
    wrong = {**plain, "gains": [0.9 * gain for gain in plain["gains"]]}
    assert largest_error(array, wrong) > 0.01
    other = {**plain, "ranks": plain["ranks"][::-1]}
    assert largest_error(array, other) > 0.2


def test_more_pieces_than_are_written_out_one_by_one_are_written_by_formula_and_read_back():
    large = {"layout": {"id": "grid", "params": {"across": 200, "up": 150}}, "order": {"id": "outward"}}
    trial = Trial(large, {})
    (curve,) = curves_of(trial.project.scene, ("row:piece_scale_y", 0.25, 2.0))
    hand_off = HandOff("W", trial.project.scene, (curve,), RATE, len(curve.values), arrays=(formula(trial, [{}]),))
    written = write(hand_off, format=FORMATS["json"], params=JsonParams(by_formula=True))
    assert written.error < 1e-5 and written.n_curves == 1
    (plain,) = json.loads(written.content)["arrays"]
    assert plain["pieces"] == len(plain["ranks"]) == 30_000 > MOST_EXPANDED and len(written.content) < 7e6


@pytest.mark.parametrize("decimal", ["point", "comma"])
@pytest.mark.parametrize("drives", [[{}], LATER, [{"response": {"id": "smooth"}}]])
def test_in_csv_they_are_tables_that_a_spreadsheet_can_go_on_from(drives, decimal):
    trial = Trial({**GRID, **SPREAD, "order": {"id": "outward"}}, *drives)
    array = formula(trial, drives)
    (curve,) = curves_of(trial.project.scene, ("row:piece_scale_y", 0.25, 2.0))
    n_frames = trial.lifts[0].shape[-1]
    curve = replace(curve, values=np.resize(curve.values, n_frames))
    hand_off = HandOff("W", trial.project.scene, (curve,), RATE, n_frames, arrays=(array,))
    params = CsvParams(by_formula=True, decimal=decimal)
    written = write(hand_off, format=FORMATS["csv"], params=params)
    assert written.error < 1e-5
    frames, pieces, kinds, answers, facts = [one.split("\n") for one in written.content.decode().strip().split("\n\n")]
    assert len(frames) == n_frames + 1 and len(pieces) == array.motion.pieces.n_pieces + 1
    assert pieces[0].replace(";", ",").startswith("array,piece,ranks,gains,made_from,") and len(answers) > 1000
    assert facts[0].replace(";", ",") == "about,name,value" and len(kinds) == 1
    plain = json.loads(json.dumps(plain_of(array)))
    read_back = plain_of_csv(written.content, params)
    assert read_back == {name: value for name, value in plain.items() if name != "name"}
    broken = written.content.replace(b"gains", b"brains")
    with pytest.raises(KeyError):
        FORMATS["csv"].formula_error(broken, hand_off, params)


def plain_of_csv(content, params):
    (plain,) = csv_writer._arrays(content, params)
    return plain


@pytest.mark.parametrize(
    "layout",
    [{"id": "spray", "params": {"count": 9, "nozzle": {"id": "ball"}}}, {"id": "ring", "params": {"count": 5}}],
)
def test_all_that_an_array_is_comes_back_from_its_tables(layout):
    reaches = [{"slot": 2, "shape": {"id": "box"}, "away": True}]
    trial = Trial({"layout": layout, "reaches": reaches}, {})
    plain = plain_of(formula(trial, [{}]))
    others = {**plain, "part": "other", "made_from": [1] * len(plain["ranks"]), "turns": None}
    tables = {table.head[0]: table for table in tables_of([plain, others])}
    both = arrays_of(tables, row_columns([plain, others]))
    named = {name: value for name, value in plain.items() if name != "name"}
    assert both == json.loads(json.dumps([named, {**named, **{k: others[k] for k in ("part", "made_from", "turns")}}]))


def test_a_spray_by_formula_holds_what_its_closed_form_needs():
    layout = {"id": "spray", "params": {"count": 9, "nozzle": {"id": "ball"}, "before_s": 2}}
    trial = Trial({"layout": layout}, {})
    plain = plain_of(formula(trial, [{}]))
    assert plain["thrown"]["before_s"] == 2 and plain["own"]["gravity"] == 9.81
    kinds = trial.motion.params.layout.spec.throws(trial.motion.params.layout.params, flat=False).kinds
    np.testing.assert_array_equal(np.array(plain["thrown"]["kinds"]["out"]).T, kinds.out)
