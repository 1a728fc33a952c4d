"""What the command line reads of sounds and songs: hits, beats, notes, levels of every reading."""

import csv

import mido
import pytest
from tests.cli.calling import run
from tests.conftest import wav
from tests.core.envelope.test_notes import PLAYED


def test_hits_and_beats_are_written_as_csv(tmp_path, capsys):
    from tests.core.envelope.test_hits_and_beats import band_drums

    sound, truth = band_drums(120, n_beats=16)
    path, out = tmp_path / "beat.wav", tmp_path / "out.csv"
    path.write_bytes(wav(sound, rate_hz=44_100))
    assert run("hits", str(path), "--csv", str(out)) == 0
    head, *rows = out.read_text().splitlines()
    assert head == "time_s,strength" and len(rows) >= 16
    found = [float(row.split(",")[0]) for row in rows]
    assert all(min(abs(at - time) for at in found) < 0.005 for time in truth)
    assert run("hits", str(path), "--csv", str(out), "--low", "20Hz", "--high", "150Hz") == 0
    assert len(out.read_text().splitlines()) - 1 < len(rows)
    assert run("hits", path, "--midi", tmp_path / "hits.mid") == 0
    assert len(mido.MidiFile(tmp_path / "hits.mid").tracks[1]) >= 2 * len(rows)
    assert run("beats", str(path)) == 0
    head, *rows = capsys.readouterr().out.splitlines()
    assert head == "time_s,beat_in_bar"
    assert {row.split(",")[1] for row in rows} == {"1", "2", "3", "4"}


def test_banks_and_pitch_classes_write_a_column_a_band(sound, capsys):
    assert run("read", sound, "--reading", "bank bands=3 low_hz=50 high_hz=400", "--clean", "tilt ends_db=6") == 0
    assert (
        capsys.readouterr().out.splitlines()[0]
        == "frame,time_s,50-100 Hz,100-200 Hz,200-400 Hz,50-100 Hz in dB,100-200 Hz in dB,200-400 Hz in dB"
    )
    assert run("read", sound, "--reading", "pitch_classes") == 0
    assert capsys.readouterr().out.splitlines()[0].endswith("G# in dB,A in dB,A# in dB,B in dB")


@pytest.mark.parametrize(
    "reading", ["noisiness", "hits given=times", "beats given=climb", "blend", "curve", "loudness"]
)
def test_every_other_reading_writes_a_level(sound, capsys, reading):
    assert run("read", sound, "--reading", reading) == 0
    assert len(capsys.readouterr().out.splitlines()) == 121


@pytest.mark.parametrize("words", [["--sensitivity", "3"], ["--low", "500Hz", "--high", "100Hz"], ["--low", "low"]])
def test_impossible_hits_are_refused_in_one_line(sound, capsys, words):
    assert run("hits", sound, *words) == 2
    assert len(capsys.readouterr().err.splitlines()) == 1


def test_notes_of_a_song_are_printed_and_read(tmp_path, capsys):
    song = tmp_path / "bells.mid"
    song.write_bytes(PLAYED)
    out = tmp_path / "notes.csv"
    assert run("notes", song, "--csv", out) == 0
    rows = list(csv.DictReader(out.read_text().splitlines()))
    assert [list(row.values()) for row in rows] == [["0.0", "0.25", "60", "127", "1"], ["0.5", "0.5", "64", "64", "2"]]
    assert list(rows[0]) == ["time_s", "length_s", "note", "velocity", "channel"]
    assert run("read", song, "--rate", "10", "--reading", "notes low=36 high=63", "--csv", out) == 0
    assert [float(row["level"]) for row in csv.DictReader(out.read_text().splitlines())][:6] == [1, 0, 0, 0, 0, 0]
    assert run("read", song, "--rate", "10", "--reading", "note_rows low=60 high=64", "--csv", out) == 0
    assert "C4" in out.read_text().splitlines()[0]
    assert run("read", song) == 2 and "bells.mid" in (said := capsys.readouterr().err) and "MIDI file" in said
    assert run("notes", tmp_path / "nowhere.mid") == 2 and "no file" in capsys.readouterr().err
    song.write_bytes(PLAYED[:-9])
    assert run("notes", song) == 2 and "cut off" in capsys.readouterr().err
