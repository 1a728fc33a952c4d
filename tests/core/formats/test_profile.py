"""Profiles: other axes, units, counts and names, worked out by hand and by matrices."""

import csv
import io

import numpy as np
import openpyxl
import pytest
from scipy.spatial.transform import Rotation

from fern_tide.core.bake.curve import Curve
from fern_tide.core.base.errors import FernTideError, InvalidParameter
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.target import Target
from fern_tide.core.formats.format import HandOff, write
from fern_tide.core.formats.profile import Handed, Up, read_profile, turned_axis
from fern_tide.core.formats.registry import FORMATS
from fern_tide.demo.bench_scene import potting_bench
from fern_tide.demo.scene import glasshouse

RATE = FrameRate.parse("25")
CHANGE = {
    (Up.Y, Handed.RIGHT): np.eye(3),
    (Up.Z, Handed.RIGHT): np.array([[1, 0, 0], [0, 0, -1], [0, 1, 0]]),
    (Up.Y, Handed.LEFT): np.diag([1, 1, -1]),
    (Up.Z, Handed.LEFT): np.array([[1, 0, 0], [0, 0, 1], [0, 1, 0]]),
}


@pytest.mark.parametrize(("up", "handed"), CHANGE, ids=lambda value: str(value))
def test_places_and_turns_are_those_of_the_changed_axes(up, handed):
    change = CHANGE[up, handed]
    place, moved = np.array([2.0, 3.0, 5.0]), np.zeros(3)
    for at, axis in enumerate("xyz"):
        name, sign = turned_axis(axis, up=up, handed=handed)
        moved["xyz".index(name)] = sign * place[at]
        turn, turn_sign = turned_axis(f"turn_{axis}", up=up, handed=handed)
        there = Rotation.from_euler(turn.removeprefix("turn_"), turn_sign * 30, degrees=True).as_matrix()
        here = Rotation.from_euler(axis, 30, degrees=True).as_matrix()
        np.testing.assert_allclose(change @ here @ change.T, there, atol=1e-12)
        scale, scale_sign = turned_axis(f"scale_{axis}", up=up, handed=handed)
        assert (scale.removeprefix("scale_"), scale_sign) == (name, 1.0)
    np.testing.assert_allclose(moved, change @ place)
    assert turned_axis("opacity", up=up, handed=handed) == ("opacity", 1.0)


def handed_off(scene, *targets):
    curves = []
    for at, text in enumerate(targets):
        target = Target.parse(text)
        part, item = scene.resolve(target)
        curves.append(Curve(target, part.name, item.label, item.unit, "number", np.arange(4.0) + at))
    return HandOff("T", scene, tuple(curves), RATE, 4)


def table(content, delimiter=","):
    return list(csv.reader(io.StringIO(content.decode()), delimiter=delimiter))


def test_a_table_for_a_program_with_z_up_in_centimetres_and_radians():
    scene = potting_bench()
    part = next(part.id for part in scene.parts if {"y", "z", "turn_x"} <= {item.id for item in part.properties})
    spec = FORMATS["csv"]
    params = spec.params(
        up="z", lengths="centimetres", angles="radians", first_frame=1, decimal="comma", names=f"{part}:turn_x = Tilt"
    )
    written = write(handed_off(scene, f"{part}:y", f"{part}:z", f"{part}:turn_x"), format=spec, params=params)
    head, first, *_ = table(written.content, ";")
    assert head == ["frame", "time_s", f"{part}:z [cm]", f"{part}:y [cm]", "Tilt [rad]"]
    assert first[:2] == ["1", "0,0"] and first[3] == "-100,0" and written.error == 0
    assert float(first[4].replace(",", ".")) == pytest.approx(np.radians(2.0))
    book = openpyxl.load_workbook(
        io.BytesIO(
            write(
                handed_off(scene, f"{part}:z"),
                format=FORMATS["xlsx"],
                params=FORMATS["xlsx"].params(up="z", first_frame=1),
            ).content
        )
    )
    sheet = book.worksheets[0]
    assert [cell.value for cell in sheet[1]] == ["frame", "time_s", f"{part}:y [m]"] and sheet["A2"].value == 1


def test_the_flat_stage_keeps_its_axes():
    spec = FORMATS["json"]
    written = write(
        handed_off(glasshouse(), "lamp:y", "lamp:turn"), format=spec, params=spec.params(up="z", angles="radians")
    )
    assert b'"lamp:y"' in written.content and b'"rad"' in written.content and written.error < 1e-15


def test_a_profile_is_read_from_json():
    assert read_profile(b'{"up": "z", "first_frame": 1, "names": {"lamp:turn": "T"}}') == {
        "up": "z", "first_frame": "1", "names": "lamp:turn = T",
    }  # fmt: skip
    for wrong in (b"[]", b"no", b'"z"'):
        with pytest.raises(FernTideError, match="no profile"):
            read_profile(wrong)
    with pytest.raises(InvalidParameter, match="up"):
        read_profile(b'{"upp": "z"}')
