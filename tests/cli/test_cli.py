"""The command line, as another program would call it."""

import csv
import json
import os
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from tests.cli.calling import refused, run
from tests.conftest import sine, wav
from tests.gltf import GLB, document

from fern_tide.cli import main
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.document import read_project


def test_describe_says_what_a_sound_holds(sound, capsys):
    assert run("describe", sound, "--rate", "24000/1001") == 0
    said = json.loads(capsys.readouterr().out)
    assert said == {
        "format": "WAV",
        "encoding": "FLOAT",
        "channels": 2,
        "layout": "FL FR",
        "sample_rate": 44_100,
        "duration_s": 4.0,
        "samples": 176_400,
        "note": "",
        "loudness_lufs": -17.18,
        "true_peak_dbtp": -2.36,
        "peak_dbfs": -2.36,
        "tempo_bpm": 120.0,
        "rate": "24000/1001",
        "frames": 96,
    }


def test_describe_tells_a_terminal_how_far_it_is_and_nothing_else(sound, capsys, monkeypatch):
    monkeypatch.setattr("sys.stderr.isatty", lambda: True, raising=False)
    assert run("describe", sound) == 0
    told = capsys.readouterr()
    assert "reading: 99 %" in told.err and told.err.endswith("\r\x1b[K")
    assert json.loads(told.out)["channels"] == 2
    monkeypatch.setattr("sys.stderr.isatty", lambda: False, raising=False)
    assert run("describe", sound) == 0
    assert capsys.readouterr().err == ""


def test_every_reading_is_written_in_its_own_unit_beside_the_level(sound, capsys):
    def column(reading: str) -> tuple[str, list[float], list[float]]:
        assert run("read", sound, "--reading", reading) == 0
        head, *rows = capsys.readouterr().out.splitlines()
        levels, own = (np.array([float(row.split(",")[at]) for row in rows]) for at in (2, 3))
        return head.split(",")[3], levels, own

    for reading, name in (("loudness", "level_lufs"), ("amplitude", "level_db"), ("band", "level_db")):
        head, level, own = column(reading)
        assert head == name
        np.testing.assert_allclose(own, 20 * np.log10(np.maximum(level, 1e-6)))
    head, level, own = column("brightness")
    assert head == "level_hz"
    np.testing.assert_allclose(own, 20 * 2 ** (10 * level))
    assert column("hits given=times")[0] == "level_s" and column("hits")[0] == column("noisiness")[0] == "level_share"


def test_a_refusal_of_a_file_names_the_file(tmp_path, sound, capsys):
    places = {name: tmp_path / f"{name}.wav" for name in ("text", "empty", "short")}
    places["text"].write_text("not a sound")
    places["empty"].write_bytes(b"")
    places["short"].write_bytes(Path(sound).read_bytes()[:30])
    for path in places.values():
        for words in (("describe", path), ("read", path), ("hits", path), ("beats", path)):
            assert refused(capsys, *words).startswith(f"fern-tide: {path}: ")
    drawing = tmp_path / "a.svg"
    drawing.write_text("<svg")
    target = ("--target", "lamp:turn rest=0 full=1", "--out", tmp_path / "out.ferntide")
    assert refused(capsys, "map", sound, "--scene", drawing, *target).startswith(f"fern-tide: {drawing}: ")
    assert refused(capsys, "bake", drawing, "--out", tmp_path).startswith(f"fern-tide: {drawing}: ")
    assert "Use 0 to 16" in refused(capsys, "map", sound, "--low", "20", *target)
    assert "more than 0" in refused(capsys, "map", sound, "--high", "0", *target)
    assert "more than low water, 16" in refused(capsys, "map", sound, "--low", "16", *target)


def test_read_writes_a_row_a_frame_in_full_precision(tmp_path, capsys):
    path = tmp_path / "sine.wav"
    path.write_bytes(wav(sine(100, amplitude=0.5)))
    out = tmp_path / "out.csv"
    assert (
        run(
            "read",
            path,
            "--rate",
            "30000/1001",
            "--reading",
            "band low_hz=40 high_hz=180",
            "--clean",
            "smooth width_ms=80",
            "--csv",
            out,
        )
        == 0
    )
    rows = list(csv.DictReader(out.read_text().splitlines()))
    assert list(rows[0]) == ["frame", "time_s", "level", "level_db"]
    assert len(rows) == 60
    rate = FrameRate.parse("30000/1001")
    assert [float(row["time_s"]) for row in rows] == [float(rate.seconds(k)) for k in range(60)]
    assert float(rows[30]["level"]) == pytest.approx(0.5 / np.sqrt(2), rel=0.01)
    assert run("read", path, "--csv", "-") == 0
    assert capsys.readouterr().out.startswith("frame,time_s,level,level_db\n0,0.0,")


def test_list_names_every_param_with_unit_and_range(capsys):
    assert run("read", "--list") == 0
    said = capsys.readouterr().out
    assert "width_ms=80.0  (0 to 10000 ms)" in said
    for name in ("amplitude", "band", "gate", "rise_and_fall", "stairs", "flip", "shift", "exponent"):
        assert f"  {name}  " in said


def test_map_then_bake_gives_curves_and_an_animated_scene(sound, tmp_path, capsys):
    made = tmp_path / "Lamp.ferntide"
    words = ["map", "SOUND", "--rate", "30", "--low", "-30dB", "--high", "-6dB", "--out", "OUT"]
    words += ["--reading", "amplitude channel=mid detector=rms", "--clean", "smooth width_ms=60"]
    words += ["--step", "stairs levels=4", "--response", "exponent power=0.7"]
    words += ["--target", "lamp:turn rest=-4 full=8", "--target", "moth-one:fill full=#ff0000"]
    assert run(*({"SOUND": sound, "OUT": made}.get(word, word) for word in words)) == 0
    assert run("scene", made) == 0
    parts = {part["id"] for part in json.loads("\n".join(capsys.readouterr().out.splitlines()[1:]))["parts"]}
    assert "lamp" in parts
    assert run("bake", made, "--out", tmp_path / "out", "--format", "csv", "--format", "svg") == 0
    rows = list(csv.DictReader((tmp_path / "out/Lamp.csv").read_text().splitlines()))
    turns = np.array([float(row["lamp:turn [°]"]) for row in rows])
    eased = [(k / 3) ** 0.7 for k in range(4)]
    assert set(np.round(turns, 9)) <= {round(-4 + u * 12, 9) for u in eased}
    assert turns.max() > 0 and turns.min() == -4
    assert (tmp_path / "out/Lamp.svg").read_bytes().startswith(b"<?xml")
    first = (tmp_path / "out/Lamp.svg").read_bytes(), (tmp_path / "out/Lamp.csv").read_bytes()
    assert run("bake", made, "--out", tmp_path / "again", "--format", "svg", "--format", "csv") == 0
    assert first == ((tmp_path / "again/Lamp.svg").read_bytes(), (tmp_path / "again/Lamp.csv").read_bytes())


def test_marks_and_ends_are_suggested_where_not_given(sound, tmp_path):
    made = tmp_path / "p.ferntide"
    assert run("map", sound, "--target", "cloche-1:scale_y", "--out", made) == 0
    import zipfile

    project = read_project(zipfile.ZipFile(made).read("document.json"))
    (mapping,) = project.mappings
    assert (mapping.drives[0].rest, mapping.drives[0].full) == (1.0, 1.4)
    assert 0.003 < mapping.marks.low < 0.2 < mapping.marks.high < 0.8
    assert mapping.name == "Cloche 1 height"


def test_demo_files_are_the_same_every_time(tmp_path, capsys):
    assert run("demo", "--write", tmp_path / "a") == 0
    assert run("demo", "--write", tmp_path / "b") == 0
    names = sorted(path.name for path in (tmp_path / "a").iterdir())
    assert names == ["Drip.wav", "Panes.wav", "Rain on Panes.wav", "Reed.wav", "The Glasshouse Hour.ferntide"]
    for name in names:
        assert (tmp_path / "a" / name).read_bytes() == (tmp_path / "b" / name).read_bytes()
    assert run("bake", tmp_path / "a/The Glasshouse Hour.ferntide", "--out", tmp_path, "--format", "csv") == 0
    assert "read back within 0 of the range" in capsys.readouterr().out


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (("describe", "nowhere.wav"), "there is no file nowhere.wav"),
        (("describe", "{text}"), "not a sound file"),
        (("describe", "{sound}", "--rate", "fast"), "rate is fast"),
        (("read", "{sound}", "--reading", "bend low_hz=4"), "no reading named bend. Use one of: amplitude, band"),
        (("read", "{sound}", "--reading", "band low_hz=400 high_hz=100"), "high_hz: High is 100"),
        (("read", "{sound}", "--clean", "smooth width_ms=wide"), "width_ms: Width is wide"),
        (("read", "{sound}", "--clean", "smooth width"), "name=value"),
        (("read",), "SOUND is missing"),
        (("map", "{sound}", "--target", "lamp:glow", "--out", "x"), "Lamp has no property named glow"),
        (("map", "{sound}", "--target", "lamp", "--out", "x"), "PART:PROPERTY"),
        (("map", "{sound}", "--target", "lamp:turn rest=low", "--out", "x"), "lamp:turn rest is low"),
        (
            ("map", "{sound}", "--target", "lamp:turn", "--low", "-6dB", "--high", "-30dB", "--out", "x"),
            "High water is",
        ),
        (("map", "{sound}", "--target", "moth-one:fill full=red", "--out", "x"), "full"),
        (("bake", "{sound}", "--out", "x"), "no Fern Tide project file"),
        (
            ("bake", "{project}", "--out", "x", "--format", "mp9"),
            "no format named mp9. Use one of: css, csv, gltf, json",
        ),
        (("fly",), "invalid choice"),
        (("describe",), "required: sound"),
    ],
)
def test_bad_input_ends_with_2_and_one_line_that_names_the_thing_and_the_remedy(words, said, sound, tmp_path, capsys):
    text, project = tmp_path / "text.wav", tmp_path / "p.ferntide"
    text.write_text("hello")
    assert run("map", sound, "--target", "lamp:turn", "--out", project) == 0
    capsys.readouterr()
    places = {"text": text, "sound": sound, "project": project}
    assert said in refused(capsys, *(word.format(**places) for word in words))


def test_wavs_from_standard_places_are_named_after_themselves():
    from fern_tide.workflows.bring_in.sounds import fresh_id, name_of

    assert name_of("C:\\sounds\\..\\Rain_on panes.wav") == "Rain on panes"
    assert name_of("../../etc/passwd") == "passwd"
    assert name_of("\x00\n.wav") == "Sound"
    assert len(name_of("x" * 900 + ".wav")) == 120
    taken = [type("T", (), {"id": name})() for name in ("rain", "rain-2")]
    assert fresh_id("Rain!", among=taken) == "rain-3"
    assert fresh_id("雨", among=()) == "item"


SVG = b"""<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 40 30">
<g id="Leaf"><circle id="Dew" r="3" fill="teal"/></g></svg>"""


def test_scene_prints_parts_and_properties_of_files_made_elsewhere(tmp_path, capsys):
    (tmp_path / "leaf.svg").write_bytes(SVG)
    assert run("scene", tmp_path / "leaf.svg") == 0
    found = {part["name"]: part for part in json.loads(capsys.readouterr().out)["parts"]}
    radius = next(item for item in found["Dew"]["properties"] if item["id"] == "radius")
    assert radius == {"id": "radius", "name": "Radius", "kind": "number", "unit": "px", "range": [0, None], "rest": 3}
    plain, binary = document()
    plain["buffers"][0]["uri"] = "fern.bin"
    (tmp_path / "fern.gltf").write_text(json.dumps(plain))
    (tmp_path / "fern.bin").write_bytes(binary)
    assert run("scene", tmp_path / "fern.gltf") == 0
    said = json.loads(capsys.readouterr().out)
    assert said["kind"] == "3d" and "Unfurl" in json.dumps(said)
    (tmp_path / "fern.bin").unlink()
    assert "fern.bin did not come with it" in refused(capsys, "scene", tmp_path / "fern.gltf")


@pytest.mark.parametrize(
    ("scene", "target", "formats"),
    [("leaf.svg", "dew:radius rest=3 full=9", ("svg", "csv", "json")), ("fern.glb", "frond:shape_0", ("gltf", "json"))],
)
def test_map_and_bake_on_a_scene_made_elsewhere(sound, tmp_path, capsys, scene, target, formats):
    (tmp_path / "leaf.svg").write_bytes(SVG)
    (tmp_path / "fern.glb").write_bytes(GLB)
    project = tmp_path / "p.ferntide"
    band = ("--reading", "band low_hz=40 high_hz=180")
    assert run("map", sound, *band, "--scene", tmp_path / scene, "--target", target, "--out", project) == 0
    chosen = [word for name in formats for word in ("--format", name)]
    part = target.split(":")[0]
    words = ("--interpolation", "cubic", "--error", "0.5", "--parts", part)
    assert run("bake", project, "--out", tmp_path / "out", *chosen, *words) == 0
    said = capsys.readouterr().out.splitlines()[-len(formats) :]
    errors = [float(line.split("within ")[1].split()[0]) for line in said]
    assert max(errors) <= 0.006 and len(said) == len(formats)
    assert "no part named nobody" in refused(capsys, "bake", project, "--out", tmp_path, "--parts", "nobody")
    assert "error_percent: Error percent is 50" in refused(
        capsys, "bake", project, "--out", tmp_path, "--error", "50", "--format", "json"
    )
    other = "gltf" if scene.endswith("svg") else "svg"
    assert "carries no" in refused(capsys, "bake", project, "--out", tmp_path, "--format", other)


def test_schema_prints_that_of_curves_too(capsys):
    assert run("schema", "--curves") == 0
    assert json.loads(capsys.readouterr().out)["title"] == "Fern Tide curves"


@pytest.mark.parametrize("words", [["read", "--csv", "-"], ["describe"]], ids=["much", "little"])
def test_who_reads_the_output_may_stop_early(sound, words):
    reading_end, writing_end = os.pipe()
    os.close(reading_end)
    call = [sys.executable, "-m", "fern_tide.cli", words[0], str(sound), *words[1:]]
    done = subprocess.run(call, stdout=writing_end, stderr=subprocess.PIPE, timeout=60)
    os.close(writing_end)
    assert (done.returncode, done.stderr) == (0, b"")


def test_a_data_folder_that_cannot_be_used_ends_the_start_with_one_line(tmp_path, capsys):
    (tmp_path / "projects.sqlite").mkdir()
    assert main(["serve", "--data", str(tmp_path), "--port", "0"]) == 2
    said = capsys.readouterr().err
    assert said.count("\n") == 1 and "cannot be used" in said and "Free some room" in said
