"""Work that is cancelled, lost or failed, and files that are swept: the edges."""

import os
import sqlite3
import subprocess
import sys
import threading
import time

import numpy as np
import pytest

from fern_tide.core.base.errors import Cancelled, UnreadableSound
from fern_tide.jobs import heart, queue
from fern_tide.store import job_rows
from fern_tide.store.files import DerivedStore, MediaStore
from fern_tide.store.job_rows import CANCELLED, DONE, FAILED, QUEUED, RUNNING, JobStore, Lost


@pytest.fixture
def jobs(tmp_path):
    made = JobStore(tmp_path / "jobs.sqlite")
    yield made
    made.close()


@pytest.mark.parametrize(
    ("raised", "state", "words"),
    [
        (Cancelled(), CANCELLED, "Cancelled."),
        (UnreadableSound("It breaks off.", remedy="Export it again."), FAILED, "It breaks off. Export it again."),
        (ZeroDivisionError(), FAILED, "on our side"),
        (None, DONE, ""),
    ],
)
def test_how_work_ends_is_noted_as_it_was(studio, monkeypatch, raised, state, words, caplog):
    def task(studio, job, **_):
        if raised is not None:
            raise raised

    monkeypatch.setitem(queue.TASKS, "trial", task)
    job, _ = studio.jobs.start("trial", key="k", payload={})
    queue.run_job(studio, job.id)
    found = studio.jobs.get(job.id)
    assert found.state == state and words in found.words
    caplog.clear()


def test_work_that_was_cancelled_before_it_began_is_never_done(studio, monkeypatch):
    done = []
    monkeypatch.setitem(queue.TASKS, "trial", lambda studio, job, **_: done.append(job.id))
    job, _ = studio.jobs.start("trial", key="k", payload={})
    studio.jobs.cancel(job.id)
    queue.run_job(studio, job.id)
    assert done == [] and studio.jobs.get(job.id).state == CANCELLED


def test_the_same_lost_work_is_queued_again_at_most_once_a_minute(studio, monkeypatch):
    queued, now = [], [1000.0]
    monkeypatch.setattr(studio, "enqueue", lambda job: queued.append(job.id))
    monkeypatch.setattr(queue.time, "monotonic", lambda: now[0])
    job, _ = studio.jobs.start("trial", key="again", payload={})
    for now[0] in (1000.0, 1030.0, 1060.0, 1060.5, 1100.0):
        queue._enqueue_again(studio, job)
    assert len(queued) == 2


@pytest.fixture
def elsewhere(monkeypatch):
    """Claim on another machine, where only silence tells that a process is gone."""

    def claim(jobs, job):
        with monkeypatch.context() as patch:
            patch.setattr(job_rows.socket, "gethostname", lambda: "elsewhere")
            return jobs.claim(job.id)

    return claim


def test_a_heart_that_beats_keeps_work_and_one_that_stopped_gives_it_up(jobs, monkeypatch, elsewhere):
    job, _ = jobs.start("analyze", key="a", payload={})
    taken = elsewhere(jobs, job)
    real = time.time()
    monkeypatch.setattr(job_rows.time, "time", lambda: real + job_rows.HEARTBEAT_S - 0.5)
    assert jobs.requeue_lost() == []
    monkeypatch.setattr(job_rows.socket, "gethostname", lambda: "elsewhere")
    jobs.progress(taken, share=0.1, words="on")
    monkeypatch.undo()
    monkeypatch.setattr(job_rows.time, "time", lambda: real + 2 * job_rows.HEARTBEAT_S - 1.5)
    assert jobs.requeue_lost() == [] and jobs.get(job.id).state == RUNNING
    monkeypatch.setattr(job_rows.time, "time", lambda: real + 2 * job_rows.HEARTBEAT_S + 1.0)
    assert [lost.id for lost in jobs.requeue_lost()] == [job.id]
    assert jobs.get(job.id).state == QUEUED


def test_a_machine_that_slept_loses_nothing(jobs, monkeypatch):
    job, _ = jobs.start("analyze", key="a", payload={})
    taken = jobs.claim(job.id)
    real = time.time()
    monkeypatch.setattr(job_rows.time, "time", lambda: real + 3600.0)  # an hour with the lid closed
    assert jobs.requeue_lost() == [] and jobs.get(job.id).state == RUNNING
    assert jobs.progress(taken, share=0.5, words="on")


def test_work_that_was_taken_for_lost_goes_on_unless_another_took_it(jobs, elsewhere, monkeypatch):
    job, _ = jobs.start("analyze", key="a", payload={})
    taken = elsewhere(jobs, job)
    real = time.time()
    monkeypatch.setattr(job_rows.time, "time", lambda: real + 2 * job_rows.HEARTBEAT_S)
    assert [lost.id for lost in jobs.requeue_lost()] == [job.id]
    assert jobs.progress(taken) and jobs.get(job.id).state == RUNNING, "it woke, and nobody had begun it anew"
    monkeypatch.setattr(job_rows, "born", lambda pid: "another process by now")
    assert [lost.id for lost in jobs.requeue_lost()] == [job.id]
    again = jobs.claim(job.id)
    with pytest.raises(Lost):
        jobs.progress(taken, share=0.9, words="late")
    jobs.end(taken, state=CANCELLED, words="not its business any more")
    assert jobs.get(job.id).state == RUNNING
    jobs.end(again, state=DONE)
    assert jobs.get(job.id).state == DONE
    with pytest.raises(Lost):
        jobs.progress(again)


def test_lost_work_that_was_being_cancelled_stays_cancelled(jobs, monkeypatch):
    job, _ = jobs.start("analyze", key="a", payload={})
    jobs.claim(job.id)
    jobs.cancel(job.id)
    monkeypatch.setattr(job_rows, "born", lambda pid: "")
    assert jobs.requeue_lost() == [] and jobs.get(job.id).state == CANCELLED


def test_a_process_is_told_from_another_of_its_number():
    own = job_rows.born(os.getpid())
    assert own == job_rows.born(os.getpid()) != ""
    other = subprocess.Popen(["sleep", "60"])
    born = job_rows.born(other.pid)
    assert born not in {"", own}
    other.kill()
    other_gone = time.monotonic() + 5
    while job_rows.born(other.pid) and time.monotonic() < other_gone:  # a body that nobody has fetched is no process
        time.sleep(0.01)
    assert job_rows.born(other.pid) == ""
    other.wait()
    assert job_rows.born(other.pid) == ""


def test_long_work_without_a_word_stops_when_it_is_cancelled_and_when_another_has_it(studio, monkeypatch):
    begun = threading.Event()

    def busy(studio, job, report, stretch):
        begun.set()
        end = time.monotonic() + 20
        with stretch():
            while time.monotonic() < end:
                sum(range(1000))

    monkeypatch.setitem(queue.TASKS, "trial", busy)
    for act, state in (
        (lambda job: studio.jobs.cancel(job.id), CANCELLED),
        (lambda job: studio.jobs._table.update(turn="another's").execute(), RUNNING),
    ):
        begun.clear()
        job, _ = studio.jobs.start("trial", key=state, payload={})
        threading.Timer(0.3, act, [job]).start()
        at = time.monotonic()
        queue.run_job(studio, job.id)
        assert begun.is_set() and time.monotonic() - at < 5
        assert studio.jobs.get(job.id).state == state


def test_work_that_is_cancelled_in_mid_word_leaves_the_database_open(studio, monkeypatch):
    def telling(studio, job, report, stretch):
        while report(0.5, "on it"):
            time.sleep(0.0005)
        raise Cancelled

    monkeypatch.setattr(heart, "BEAT_S", 0.001)
    monkeypatch.setitem(queue.TASKS, "trial", telling)
    for number in range(40):
        job, is_new = studio.jobs.start("trial", key=str(number), payload={})
        assert is_new
        cancels = threading.Timer(0.005, studio.jobs.cancel, [job.id])
        cancels.start()
        queue.run_job(studio, job.id)
        cancels.join()
        assert studio.jobs.get(job.id).state == CANCELLED


def test_a_stretch_is_stopped_within_it_or_at_its_end_and_nowhere_else(studio, monkeypatch):
    monkeypatch.setattr(heart, "BEAT_S", 0.001)
    job = studio.jobs.claim(studio.jobs.start("trial", key="k", payload={})[0].id)
    ends = []
    for within_ms, cancels in ((5, False), (0, True), (1, True), (2, True), (5, True), (5000, True)) * 20:
        studio.jobs._table.update(cancel=False, state=RUNNING).execute()
        with heart.Heart(studio.jobs, job) as beating:
            try:
                if cancels:
                    studio.jobs.cancel(job.id)
                with beating.stretch():
                    end = time.monotonic() + within_ms / 1000
                    while time.monotonic() < end:
                        pass
                ends.append("whole")
            except Cancelled:
                ends.append("stopped")
            for _ in range(2000):  # nothing comes any more
                pass
    assert set(ends[5::6]) == {"stopped"} and set(ends[::6]) == {"whole"}


def test_a_heart_beats_while_work_says_nothing(studio, monkeypatch):
    beats = []
    monkeypatch.setattr(heart, "BEAT_S", 0.02)
    monkeypatch.setattr(studio.jobs, "progress", lambda job, **_: not beats.append(job.id))
    monkeypatch.setitem(queue.TASKS, "trial", lambda studio, job, **_: time.sleep(0.3))
    job, _ = studio.jobs.start("trial", key="k", payload={})
    queue.run_job(studio, job.id)
    assert len(beats) >= 3 and studio.jobs.get(job.id).state == DONE


def test_a_table_of_an_older_version_is_made_anew(tmp_path):
    old = sqlite3.connect(tmp_path / "jobs.sqlite")
    old.execute("create table job (id text primary key, kind text, state text)")
    old.execute("insert into job values ('a', 'analyze', 'running')")
    old.commit()
    old.close()
    jobs = JobStore(tmp_path / "jobs.sqlite")
    assert jobs.get("a") is None and jobs.start("analyze", key="a", payload={})[1]
    jobs.close()


def test_what_is_being_received_is_not_swept_and_what_nobody_names_is_after_a_day(tmp_path):
    media = MediaStore(tmp_path)
    kept, gone = (media.add([text], most=100) for text in (b"kept", b"gone"))
    part = tmp_path / "coming.part"
    part.write_bytes(b"x")
    day_ago = time.time() - 24 * 3600
    for path in tmp_path.iterdir():
        os.utime(path, (day_ago + 60, day_ago + 60))
    assert media.sweep({kept}) == 0
    for path in tmp_path.iterdir():
        os.utime(path, (day_ago - 60, day_ago - 60))
    assert media.sweep({kept}) == 1
    assert media.path(kept).exists() and part.exists() and not media.path(gone).exists()


def test_what_was_read_lately_is_not_swept_however_old_it_is(tmp_path):
    derived = DerivedStore(tmp_path)
    for key in ("aa1", "bb2", "cc3"):
        derived.put(key, np.arange(3.0))
    now = time.time()
    for key, (read, made) in {"aa1": (10, 1000), "bb2": (1000, 10), "cc3": (1000, 1000)}.items():
        os.utime(derived.path(key), (now - read, now - made))
    assert derived.sweep(older_than_s=100) == 1
    assert derived.has("aa1") and derived.has("bb2") and not derived.has("cc3")


def test_a_stretch_says_how_far_it_is_by_its_heart(studio, monkeypatch):
    monkeypatch.setattr(heart, "BEAT_S", 0.01)
    job = studio.jobs.claim(studio.jobs.start("trial", key="k", payload={})[0].id)

    def shown():
        now = studio.jobs.get(job.id)
        return now.share, now.words

    with heart.Heart(studio.jobs, job) as beating:
        assert beating.report(0.1, "before")
        with beating.stretch() as reached:
            time.sleep(0.1)
            assert shown() == (0.1, "before"), "a stretch that says nothing leaves it"
            reached(0.5, "half")
            end = time.monotonic() + 5
            while shown() != (0.5, "half") and time.monotonic() < end:
                time.sleep(0.01)
            assert shown() == (0.5, "half")
        assert beating.report(0.6, "after")
        time.sleep(0.1)
        assert shown() == (0.6, "after"), "what was said within is over"


def test_a_late_beat_of_a_stretch_does_not_lie_over_what_is_said_after_it(studio, monkeypatch):
    monkeypatch.setattr(heart, "BEAT_S", 0.01)
    job = studio.jobs.claim(studio.jobs.start("trial", key="k", payload={})[0].id)
    progress, begun = studio.jobs.progress, threading.Event()

    def slow(job, *, share=None, words=""):
        if share == 0.5:
            begun.set()
            time.sleep(0.2)  # the disk is busy
        return progress(job, share=share, words=words)

    monkeypatch.setattr(studio.jobs, "progress", slow)
    with heart.Heart(studio.jobs, job) as beating:
        with beating.stretch() as reached:
            reached(0.5, "half")
            assert begun.wait(5)
        assert beating.report(0.6, "after")
        time.sleep(0.4)
        now = studio.jobs.get(job.id)
        assert (now.share, now.words) == (0.6, "after")


AFTER_A_STRETCH = """
import sys, tempfile, time
from pathlib import Path
from fern_tide.jobs import heart
from fern_tide.store.job_rows import JobStore
heart.BEAT_S = 0.01
jobs = JobStore(Path(tempfile.mkdtemp()) / "jobs.sqlite")
job = jobs.claim(jobs.start("trial", key="k", payload={})[0].id)
with heart.Heart(jobs, job) as beating:
    try:
        with beating.stretch():
            CANCEL
            time.sleep(0.1)
    except Exception as wrong:
        print(type(wrong).__name__)
def plain():
    return 1
sys.settrace(lambda *_: None)
plain()
sys.settrace(None)
print("went on")
"""


@pytest.mark.parametrize(("cancel", "words"), [("pass", ""), ("jobs.cancel(job.id)", "Cancelled\n")])
def test_after_a_stretch_nothing_is_pending_in_the_interpreter(cancel, words):
    """An error that is pending for ever slows every call down, and under a tracer the interpreter goes round in it."""
    code = AFTER_A_STRETCH.replace("CANCEL", cancel)
    ended = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, timeout=30, check=True)
    assert ended.stdout == f"{words}went on\n"
