"""Projects made on the command line: a bank spread over parts, and a first cut."""

import contextlib
import csv
import io
import json
import tempfile
import zipfile
from pathlib import Path

import av
import numpy as np
import pytest
from tests.conftest import drums, wav

import fern_tide
from fern_tide.cli import main
from fern_tide.core.base.errors import UnreadableProject
from fern_tide.core.project_file import write_project_file
from fern_tide.demo.project import bench_project, demo_project, demo_sounds


def run(*words):
    return main([str(word) for word in words])


@pytest.fixture
def sound(tmp_path):
    path = tmp_path / "Rain drums.wav"
    path.write_bytes(wav(drums(), rate_hz=44_100))
    return path


BARS = (
    '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 300 100">'
    + "".join(f'<rect id="bar-{n}" x="{x}" y="40" width="20" height="60"/>' for n, x in ((1, 200), (2, 0), (3, 100)))
    + "</svg>"
)


def project_of(path):
    with zipfile.ZipFile(path) as archive:
        name = next(name for name in archive.namelist() if name.endswith(".json"))
        return json.loads(archive.read(name))


def test_map_spreads_a_bank_over_the_parts_of_a_pattern_in_an_order(sound, tmp_path):
    (tmp_path / "bars.svg").write_text(BARS)
    out = tmp_path / "P.ferntide"
    words = ["map", str(sound), "--scene", str(tmp_path / "bars.svg"), "--reading", "bank bands=3", "--out", str(out)]
    target = ["--target", "bar-*:scale_y rest=0.2 full=1.5"]
    assert main([*words, *target, "--spread", "order=x"]) == 0
    (mapping,) = project_of(out)["mappings"]
    assert mapping["spread"] is True
    drives = [(drive["target"]["part"], drive["rank"], drive["rest"], drive["full"]) for drive in mapping["drives"]]
    assert drives == [("bar-2", 0.0, 0.2, 1.5), ("bar-3", 0.5, 0.2, 1.5), ("bar-1", 1.0, 0.2, 1.5)]
    assert main([*words, *target, "--spread", "order=x backwards=yes"]) == 0
    assert project_of(out)["mappings"][0]["drives"][0]["target"]["part"] == "bar-1"


@pytest.mark.parametrize(
    ("more", "said"),
    [
        (["--target", "egg-*:scale_y"], "No part named like egg-*"),
        (["--target", "lamp:turn", "--spread", "order=sideways"], "no order named sideways"),
        (["--target", "lamp:turn", "--spread", "ordr=x"], "ordr is unknown"),
    ],
)
def test_a_pattern_or_an_order_that_is_none_is_refused_in_one_line(sound, tmp_path, capsys, more, said):
    assert main(["map", str(sound), "--out", str(tmp_path / "x.ferntide"), *more]) == 2
    text = capsys.readouterr().err
    assert said in text and text.count("\n") == 1


def test_a_first_cut_is_made_and_baked_without_a_browser(sound, tmp_path, capsys):
    out = tmp_path / "cut.ferntide"
    assert main(["first-cut", str(sound), "--out", str(out)]) == 0
    made = project_of(out)
    assert 3 <= len(made["mappings"]) <= 6 and made["first_cut"] is None
    again = tmp_path / "again.ferntide"
    assert main(["first-cut", str(sound), "--seed", "1", "--out", str(again)]) == 0
    assert project_of(again) == made, "the same seed, the same document"
    assert main(["bake", str(out), "--out", str(tmp_path / "baked")]) == 0
    assert main(["first-cut", str(sound), "--seed", "0", "--out", str(again)]) == 2
    assert "--seed is 0" in capsys.readouterr().err


def test_a_first_cut_of_stems_has_each_as_a_track_and_names_them(sound, tmp_path, capsys):
    pad, same, out = tmp_path / "Pad.wav", tmp_path / "other" / "Pad.wav", tmp_path / "cut.ferntide"
    same.parent.mkdir()
    swell = 0.5 * np.sin(np.arange(44_100 * 4) / 40) * np.abs(np.sin(np.arange(44_100 * 4) / 40_000))
    pad.write_bytes(wav(swell, rate_hz=44_100))
    same.write_bytes(wav(0.5 * swell, rate_hz=44_100))
    assert run("first-cut", sound, pad, same, "--out", out) == 0
    made = project_of(out)
    assert len({track["id"] for track in made["tracks"]}) == len({track["media"] for track in made["tracks"]}) == 3
    names = [track["name"] for track in made["tracks"]]
    assert names[1:] == ["Pad", "Pad"]
    moving = {mapping["envelope"] for mapping in made["mappings"]}
    used = [envelope for envelope in made["envelopes"] if envelope["id"] in moving]
    assert len({envelope["track"] for envelope in used}) >= 2
    assert all(envelope["name"].startswith(tuple(f"{name}, " for name in names)) for envelope in used)
    assert run("bake", out, "--out", tmp_path / "baked") == 0


def test_a_project_file_is_checked_and_its_sync_written(tmp_path, capsys):
    assert run("demo", "--write", tmp_path) == 0
    project = tmp_path / "The Glasshouse Hour.ferntide"
    capsys.readouterr()
    assert run("check", project) == 1
    report = json.loads(capsys.readouterr().out)
    assert {"open_ends", "copies"} <= {finding["check"] for finding in report["findings"]}
    assert "flashing" in report["not_looked_at"]
    assert run("sync", project, "--csv", tmp_path / "sync.csv") == 0
    rows = list(csv.DictReader((tmp_path / "sync.csv").read_text().splitlines()))
    assert len(rows) == 20 and rows[0]["curve"] == "rain:y" and int(rows[0]["hits"]) > 100
    formats = ("lottie", "webvtt", "otio", "css", "xlsx", "midi")
    words = [word for name in formats for word in ("--format", name)]
    assert run("bake", project, "--out", tmp_path / "out", *words) == 0
    endings = {"lottie.json", "vtt", "otio", "css", "xlsx", "mid"}
    assert {path.name.partition(".")[2] for path in (tmp_path / "out").iterdir()} == endings


def test_the_same_is_done_from_python(tmp_path):
    assert run("demo", "--write", tmp_path) == 0
    with fern_tide.open(tmp_path / "The Glasshouse Hour.ferntide") as opened:
        curves = {str(curve.target): curve.values for curve in opened.curves()}
        assert len(curves) == 20 and curves["rain:y"].shape == (opened.project.n_frames,)
        assert opened.write("csv").error == 0
        folder = opened._files._folder.name
    assert not Path(folder).exists()
    (tmp_path / "broken.ferntide").write_bytes(b"nothing")
    with pytest.raises(UnreadableProject):
        fern_tide.open(tmp_path / "broken.ferntide")


def _running():
    for file in Path("/proc").glob("[0-9]*/cmdline"):
        with contextlib.suppress(OSError):
            yield file.read_text().replace("\0", " ")


def test_a_proof_is_made_without_a_window(tmp_path, capsys, monkeypatch):
    project = demo_project().but(length_frames=24)
    sounds = {track.media: demo_sounds()[track.name] for track in project.tracks}
    file, out = tmp_path / "short.ferntide", tmp_path / "short.webm"
    with file.open("wb") as stream:
        write_project_file(stream, project, media=lambda digest: io.BytesIO(sounds[digest]))
    monkeypatch.setattr(tempfile, "tempdir", str(tmp_path))
    assert run("proof", file, "--out", out, "--size", "320x180") == 0
    assert not [line for line in _running() if str(tmp_path) in line], "the browser has ended"
    with av.open(out) as video:
        assert [stream.type for stream in video.streams] == ["video", "audio"]
        pictures = [frame.to_ndarray(format="rgb24").tobytes() for frame in video.decode(video=0)]
    assert len(pictures) == 24 and len(set(pictures)) > 8
    assert run("proof", file, "--out", tmp_path / "x.gif") == 2 and ".webm" in capsys.readouterr().err
    assert run("proof", file, "--out", out, "--rate", "fast") == 2 and "24000/1001" in capsys.readouterr().err
    assert run("proof", file, "--out", out, "--size", "wide") == 2 and "960x540" in capsys.readouterr().err
    monkeypatch.setenv("PATH", str(tmp_path))
    assert run("proof", file, "--out", out) == 2 and "no Chromium" in capsys.readouterr().err


def bench_file(path):
    """Write the first frames of the 3D demo as a project file."""
    project = bench_project().but(length_frames=4)
    sounds = {track.media: demo_sounds()[track.name] for track in project.tracks}
    with path.open("wb") as stream:
        write_project_file(stream, project, media=lambda digest: io.BytesIO(sounds[digest]))
    return path


def test_a_profile_goes_into_each_format_as_far_as_that_has_it(tmp_path, capsys):
    file, out, profile = bench_file(tmp_path / "bench.ferntide"), tmp_path / "out", tmp_path / "profile.json"
    profile.write_text(json.dumps({"up": "z", "lengths": "centimetres", "handed": "left", "first_frame": 1}))
    formats = [word for name in ("csv", "usd", "gltf") for word in ("--format", name)]
    assert run("bake", file, "--out", out, *formats, "--profile", profile) == 0
    written = {path.suffix: path for path in out.iterdir()}
    head, first, *_ = written[".csv"].read_text().splitlines()
    assert "cm" in head and first.startswith("1,")
    text = written[".usda"].read_text()
    assert "metersPerUnit = 0.01" in text and 'upAxis = "Z"' in text and "startTimeCode = 0" in text
    profile.write_text('{"up": "sideways"}')
    capsys.readouterr()
    assert run("bake", file, "--out", out, "--format", "usd", "--profile", profile) == 2
    assert "Up axis is sideways, which is not possible. Use one of y, z" in capsys.readouterr().err


def test_a_proof_of_a_room_is_lit_and_its_background_can_be_left_out(tmp_path):
    file, out = bench_file(tmp_path / "bench.ferntide"), tmp_path / "bench.webm"
    assert run("proof", file, "--out", out, "--size", "320x180", "--clear", "--rate", "60") == 0
    decoder = av.CodecContext.create("libvpx-vp9", "r")  # the one that reads transparency
    with av.open(out) as video:
        packets = list(video.demux(video=0))
    frames = [frame.to_ndarray(format="rgba") for packet in packets for frame in decoder.decode(packet)]
    assert len(frames) == 8, "each of the four twice"
    for frame in frames:
        light, alpha = frame[..., :3].max(axis=2), frame[..., 3]
        assert alpha[:10, :10].max() < 8, "nothing is behind the scene"
        assert (alpha > 247).mean() > 0.03 and light[alpha > 247].max() > 150, "the lamp shines"
