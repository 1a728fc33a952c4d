"""Newer files put into a project file on the command line, and project files that are written whole or not at all."""

import json
import os
import threading

import numpy as np
import pytest
from tests.cli.calling import refused, run
from tests.cli.test_making_projects import project_of
from tests.conftest import drums, wav

import fern_tide


@pytest.fixture
def stems(tmp_path):
    """A project of two sounds with a first cut, kept, and newer files of them."""
    (tmp_path / "v2").mkdir()
    names = [tmp_path / "Mist - Drum.wav", tmp_path / "Mist - Hum.wav"]
    hum = 0.4 * np.sin(2 * np.pi * 220 * np.arange(4 * 44_100) / 44_100)
    for path, samples in zip(names, (drums(), hum), strict=True):
        path.write_bytes(wav(samples, rate_hz=44_100))
    assert run("first-cut", *names, "--out", tmp_path / "P.ferntide") == 0
    quieter = drums(seconds=5) * np.where(np.arange(5 * 44_100) > 2 * 44_100, 0.1, 1.0)
    (tmp_path / "v2" / "Mist v2 drum.wav").write_bytes(wav(quieter, rate_hz=44_100))
    (tmp_path / "v2" / "other.wav").write_bytes(names[1].read_bytes())
    return tmp_path


def test_newer_files_go_under_their_tracks_and_what_moved_is_printed(stems, capsys):
    capsys.readouterr()
    project, out = stems / "P.ferntide", stems / "Q.ferntide"
    before = project_of(project)
    assert (
        run("swap", project, stems / "v2" / "Mist v2 drum.wav", f"Mist - Hum={stems}/v2/other.wav", "--out", out) == 0
    )
    printed = json.loads(capsys.readouterr().out)
    assert printed["swapped"] == [
        {"file": "other.wav", "track": "Mist - Hum"},
        {"file": "Mist v2 drum.wav", "track": "Mist - Drum"},
    ]
    assert printed["frames"] == [120, 150]
    after = project_of(out)
    assert [track["media"] for track in after["tracks"]][1] == before["tracks"][1]["media"]  # the very same sound
    assert after["mappings"] == before["mappings"] and after["tracks"][0]["media"] != before["tracks"][0]["media"]
    with fern_tide.open(project) as old, fern_tide.open(out) as new:
        pairs = {str(curve.target): curve for curve in old.curves()}
        for curve in new.curves():
            a, b = (np.atleast_2d(item.values) for item in (pairs[str(curve.target)], curve))
            span = max(np.ptp(a, axis=1).max(), np.ptp(b, axis=1).max())
            apart = np.abs(a[:, :120] - b[:, :120]).max() / span if span else 0
            told = next((item["largest_percent"] for item in printed["moved"] if item["curve"] == str(curve.target)), 0)
            assert told == pytest.approx(100 * apart, abs=1e-3)
    assert any(item["largest_percent"] > 30 for item in printed["moved"])


def test_a_project_file_is_swapped_in_its_own_place_or_stays_as_it_was(stems, capsys):
    capsys.readouterr()
    project = stems / "P.ferntide"
    whole = project.read_bytes()
    (stems / "torn.wav").write_bytes(b"RIFF\0\0\0\0WAVE")
    for words, wrong in (
        (
            [stems / "v2" / "other.wav"],
            "no newer file of a track or of an envelope that reads one: Mist - Drum, Mist - Hum",
        ),
        ([f"mist-hum={stems / 'torn.wav'}"], "torn.wav: "),
        ([f"Bass={stems / 'torn.wav'}"], "There is no track Bass"),
        (["Mist - Hum.flac"], "there is no file Mist - Hum.flac"),
        ([stems / "v2" / "Mist v2 drum.wav"] * 2, "Two files are called Mist v2 drum.wav."),
    ):
        assert wrong in refused(capsys, "swap", project, *words, "--out", project)
        assert project.read_bytes() == whole and sorted(stems.glob(".*")) == []
    project.chmod(0o640)
    assert run("swap", project, stems / "v2" / "Mist v2 drum.wav", "--out", project) == 0
    assert project.read_bytes() != whole and sorted(stems.glob(".*")) == []
    assert project.stat().st_mode & 0o777 == 0o640
    with fern_tide.open(project) as opened:
        assert opened.project.n_frames == 150


def test_a_project_is_written_where_no_file_can_be_put_in_place(stems, capsys, tmp_path):
    pipe = tmp_path / "pipe"
    os.mkfifo(pipe)
    read = []
    reader = threading.Thread(target=lambda: read.append(pipe.read_bytes()))
    reader.start()
    assert run("first-cut", stems / "Mist - Drum.wav", "--out", pipe) == 0
    reader.join(10)
    assert pipe.is_fifo() and len(read[0]) > 1000
    capsys.readouterr()
    assert "Is a directory" in refused(capsys, "first-cut", stems / "Mist - Drum.wav", "--out", tmp_path)


def test_a_first_cut_names_which_of_several_sounds_cannot_be_read(stems, capsys):
    (stems / "torn.wav").write_bytes(b"RIFF\0\0\0\0WAVE")
    capsys.readouterr()
    assert "torn.wav: " in refused(
        capsys, "first-cut", stems / "Mist - Drum.wav", stems / "torn.wav", "--out", stems / "X.ferntide"
    )
    assert not (stems / "X.ferntide").exists()
