"""What is left unfinished, what takes too much room, and what goes away meanwhile."""

import os
import subprocess
import time
from pathlib import Path

import numpy as np
import pytest

from fern_tide.store import processes
from fern_tide.store.files import DerivedStore, MediaStore
from fern_tide.workflows.bake import sweep

DAY_S = 24 * 3600


def part_of(folder, pid, born):
    path = folder / f"{processes._machine()}-{pid}-{born}-abc.part"
    path.write_bytes(b"half")
    return path


@pytest.fixture
def dead():
    """A process that was, and is no more."""
    other = subprocess.Popen(["true"])
    born = processes.born(other.pid) or "1"
    other.wait()
    return other.pid, born


def test_what_a_process_that_is_gone_was_writing_goes_at_once(tmp_path, dead, monkeypatch):
    handle, name = processes.new_part(tmp_path)
    os.close(handle)
    gone = part_of(tmp_path, *dead)
    reused = part_of(tmp_path, os.getpid(), "1")  # of an earlier process of our number
    elsewhere = tmp_path / "0badc0de-77-1-abc.part"
    elsewhere.write_bytes(b"half")
    assert processes.remove_orphans(tmp_path) == 2
    assert Path(name).exists() and elsewhere.exists() and not gone.exists() and not reused.exists()
    os.utime(elsewhere, (0, time.time() - 2 * DAY_S))
    assert processes.remove_orphans(tmp_path) == 1 and Path(name).exists()


def test_stores_begin_without_what_was_left_unfinished(tmp_path, dead):
    (tmp_path / "derived" / "parts").mkdir(parents=True)
    (tmp_path / "media").mkdir()
    left = [part_of(tmp_path / name, *dead) for name in ("media", "derived", "derived/parts")]
    MediaStore(tmp_path / "media")
    DerivedStore(tmp_path / "derived")
    assert not any(path.exists() for path in left)


def test_work_that_fails_leaves_nothing(tmp_path):
    derived = DerivedStore(tmp_path)

    def grow():
        with derived.growing() as growing:
            growing.array("ab" * 32, (2, 3))
            assert len(list((tmp_path / "parts").iterdir())) == 1
            raise ZeroDivisionError

    with pytest.raises(ZeroDivisionError):
        grow()
    with pytest.raises(ZeroDivisionError), derived.writing("cd" * 32):
        raise ZeroDivisionError
    assert list((tmp_path / "parts").iterdir()) == [] and derived.size() == 0


def aged(derived, key, *, days, suffix=".npy", size=1000):
    with derived.writing(key, suffix=suffix) as out:
        out.write(bytes(size))
    at = time.time() - days * DAY_S
    os.utime(derived.path(key, suffix=suffix), (at, at))


def test_what_was_used_longest_ago_makes_room(tmp_path):
    derived = DerivedStore(tmp_path)
    for number in range(5):
        aged(derived, f"{number:064x}", days=number)
    assert derived.shrink(most_bytes=5000) == 0
    assert derived.shrink(most_bytes=3500) == 2 and derived.size() == 3000
    assert [derived.has(f"{number:064x}") for number in range(5)] == [True, True, True, False, False]
    derived.put("ff" * 32, np.zeros(3))
    aged(derived, "ee" * 32, days=9)
    np.save(derived.path("ee" * 32), np.zeros(3))
    os.utime(derived.path("ee" * 32), (1, 1))
    derived.get("ee" * 32)  # looked at: it is the latest now
    assert derived.shrink(most_bytes=derived.size() - 1) == 1
    assert derived.has("ee" * 32) and not derived.has(f"{2:064x}")


def test_what_was_listened_to_is_kept_for_a_dozen_at_most(tmp_path):
    derived = DerivedStore(tmp_path)
    for number in range(30):
        aged(derived, f"{number:064x}", days=number, suffix=".wav")
    aged(derived, "aa" * 32, days=99)
    assert derived.shrink(most_bytes=10**9) == 18
    assert derived.has("aa" * 32) and derived.size() == 13_000


def test_a_file_that_goes_while_it_is_swept_is_no_error(tmp_path, monkeypatch):
    derived, media = DerivedStore(tmp_path / "d"), MediaStore(tmp_path / "m")
    for number in range(3):
        aged(derived, f"{number:064x}", days=50)
    digests = [media.add([b"%d" % number], most=9) for number in range(3)]
    for digest in digests:
        os.utime(media.path(digest), (0, 0))
    real, seen = Path.stat, []

    def stat(self, **more):
        found = real(self, **more)
        if self.name in {f"{1:064x}.npy", digests[1]} and self.name not in seen:
            seen.append(self.name)
            self.unlink()
        return real(self, **more) if os.path.lexists(self) else found

    monkeypatch.setattr(Path, "stat", stat)
    derived.sweep(older_than_s=DAY_S)
    media.sweep(set())
    assert derived.size() == 0 and not any(media.path(digest).exists() for digest in digests)


def test_a_project_says_what_it_takes_and_what_can_be_made_again_goes(studio, demo_key):
    project = studio.projects.current(demo_key).document
    room = sweep.room_of(studio, demo_key, project)
    assert room.media == sum(studio.media.path(digest).stat().st_size for digest in project.media)
    assert room.derived > 1 << 20
    sweep.empty(studio, demo_key)
    left = sweep.room_of(studio, demo_key, project)
    assert left.media == room.media and left.derived == 0
    assert studio.projects.current(demo_key).document == project
