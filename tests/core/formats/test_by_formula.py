"""Arrays by formula in JSON: every piece's value follows from what is written, by a reader that knows only SIGNAL."""

import json

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
from fern_tide.core.formats.format import HandOff, write
from fern_tide.core.formats.registry import FORMATS
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


def test_a_spray_by_formula_holds_what_its_closed_form_needs():
    layout = {"id": "spray", "params": {"count": 9, "nozzle": {"id": "ball"}, "before_s": 2}}
    trial = Trial({"layout": layout}, {})
    plain = plain_of(formula(trial, [{}]))
    assert plain["thrown"]["before_s"] == 2 and plain["own"]["gravity"] == 9.81
    kinds = trial.motion.params.layout.spec.throws(trial.motion.params.layout.params, flat=False).kinds
    np.testing.assert_array_equal(np.array(plain["thrown"]["kinds"]["out"]).T, kinds.out)
