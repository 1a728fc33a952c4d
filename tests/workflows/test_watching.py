"""Baking again whenever a project file changes."""

import contextlib
import io
import threading
import time

import pytest

from fern_tide.core.project_file import write_project_file
from fern_tide.demo.project import demo_project, demo_sounds
from fern_tide.workflows.hand_off.opened import UnpackedFiles
from fern_tide.workflows.hand_off.watching import BakePlan, bake, put, watch

PROJECT = demo_project().but(length_frames=300)
SOUNDS = {track.media: demo_sounds()[track.name] for track in PROJECT.tracks}


def save(path, project):
    """Save as programs do: whole, in place of what was there."""
    part = path.with_suffix(".saving")
    with part.open("wb") as stream:
        write_project_file(stream, project, media=lambda digest: io.BytesIO(SOUNDS[digest]))
    part.replace(path)


def louder(project, high):
    mapping = project.mappings[0]
    return project.but(mappings=(mapping.but(marks=mapping.marks.but(high=high)), *project.mappings[1:]))


def test_a_change_is_on_disk_soon_and_only_what_changed(tmp_path):
    source, out = tmp_path / "Night.ferntide", tmp_path / "out"
    save(source, PROJECT)
    plan, told, end = BakePlan(source, out, ["csv", "webvtt"]), [], threading.Event()

    def tell(written, wrong):
        told.append((time.monotonic(), written, wrong))

    thread = threading.Thread(target=watch, args=(plan,), kwargs={"tell": tell, "go_on": lambda: not end.is_set()})
    thread.start()

    def wait(n):
        until = time.monotonic() + 60
        while len(told) < n:
            assert time.monotonic() < until
            time.sleep(0.01)

    try:
        wait(1)
        before = (out / "Night.csv").read_bytes(), (out / "Night.vtt").stat().st_mtime_ns
        save(source, louder(PROJECT, 0.5))
        wait(2)
        after = (out / "Night.csv").read_bytes(), (out / "Night.vtt").stat().st_mtime_ns
        assert before[0] != after[0] and before[1] == after[1], "the cues are as they were"
        source.write_bytes(b"half of it")
        wait(3)
        assert (
            told[2][1] == [] and "no Fern Tide project file" in told[2][2]
        )  # it may be seen twice while it is written
        assert (out / "Night.csv").read_bytes() == after[0]
        save(source, PROJECT)
        until = time.monotonic() + 60
        while (out / "Night.csv").read_bytes() != before[0]:
            assert time.monotonic() < until
            time.sleep(0.01)
        assert [path.name for path in out.iterdir() if path.name.startswith(".")] == []
    finally:
        end.set()
        thread.join()


def test_what_was_read_once_is_not_read_again(tmp_path, monkeypatch):
    source, asked = tmp_path / "Night.ferntide", []
    original = UnpackedFiles.path
    monkeypatch.setattr(UnpackedFiles, "path", lambda self, digest: asked.append(digest) or original(self, digest))
    files, plan = UnpackedFiles(), BakePlan(source, tmp_path / "out", ["csv"])
    with contextlib.closing(files):
        for project in (PROJECT, louder(PROJECT, 0.6), louder(PROJECT, 0.7)):
            save(source, project)
            bake(plan, files=files)
            assert set(asked) == (set(SOUNDS) if project is PROJECT else set()), "neither unpacked nor analyzed again"
            asked.clear()
        assert files.known == set(SOUNDS)


def test_a_file_that_cannot_be_put_in_place_leaves_the_old_one(tmp_path, monkeypatch):
    path = tmp_path / "curves.csv"
    put(path, b"old")
    monkeypatch.setattr("pathlib.Path.write_bytes", lambda self, content: (_ for _ in ()).throw(OSError(28, "full")))
    with pytest.raises(OSError, match="full"):
        put(path, b"new")
    assert path.read_bytes() == b"old" and len(list(tmp_path.iterdir())) == 1
