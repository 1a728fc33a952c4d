"""Revisions, media and derived data: nothing is lost, nothing half-made stays."""

import errno
import shutil
import threading
from pathlib import Path

import numpy as np
import pytest
from playhouse.migrations import run as run_migrations

from fern_tide.demo.project import demo_project
from fern_tide.store import projects
from fern_tide.store.database import open_database
from fern_tide.store.files import DerivedStore, DiskFull, MediaStore, TooLarge
from fern_tide.store.job_rows import CANCELLED, DONE, QUEUED, RUNNING, JobStore
from fern_tide.store.projects import ProjectStore
from fern_tide.store.revision import Conflict, NoSuchProject, NothingToUndo

MIGRATIONS = Path(projects.__file__).parent / "migrations"


@pytest.fixture
def store(tmp_path):
    made = ProjectStore(tmp_path / "p.sqlite")
    yield made
    made.close()


def named(name):
    return demo_project().but(name=name)


def test_undo_and_redo_go_any_depth_and_survive_a_restart(store, tmp_path):
    revision = store.create(named("0"))
    for number in range(1, 6):
        revision = store.save(revision.key, named(str(number)), base=revision.id, label=f"edit {number}")
    store.close()
    again = ProjectStore(tmp_path / "p.sqlite")
    now = again.current(revision.key)
    assert (now.document.name, now.undo, now.redo) == ("5", "edit 5", None)
    for number in range(4, -1, -1):
        now = again.undo(now.key, base=now.id)
        assert now.document.name == str(number)
    assert (now.undo, now.redo) == (None, "edit 1")
    with pytest.raises(NothingToUndo):
        again.undo(now.key, base=now.id)
    for number in range(1, 6):
        now = again.redo(now.key, base=now.id)
        assert now.document.name == str(number)
    with pytest.raises(NothingToUndo):
        again.redo(now.key, base=now.id)
    again.close()


def test_an_edit_after_undo_begins_a_new_branch_and_the_old_one_stays_stored(store):
    first = store.create(named("0"))
    second = store.save(first.key, named("1"), base=first.id, label="one")
    back = store.undo(first.key, base=second.id)
    other = store.save(first.key, named("2"), base=back.id, label="two")
    assert other.redo is None and other.undo == "two"
    back = store.undo(first.key, base=other.id)
    assert back.redo == "two"
    assert store._document(second.id).name == "1"


def test_two_tabs_cannot_overwrite_each_other(store):
    first = store.create(named("0"))
    store.save(first.key, named("1"), base=first.id, label="Move low water")
    with pytest.raises(Conflict, match="changed in another tab since: 'Move low water'"):
        store.save(first.key, named("2"), base=first.id, label="late")
    assert store.current(first.key).document.name == "1"


def test_edits_from_many_threads_are_all_stored_or_all_refused(store):
    first = store.create(named("0"))
    outcomes = []

    def edit(number):
        for _ in range(40):
            try:
                base = store.current(first.key).id
                store.save(first.key, named(f"t{number}"), base=base, label=f"edit {number}")
                outcomes.append(number)
                break
            except Conflict:
                continue
        store.close()

    threads = [threading.Thread(target=edit, args=(number,)) for number in range(8)]
    [thread.start() for thread in threads]
    [thread.join() for thread in threads]
    assert sorted(outcomes) == list(range(8))
    depth, now = 0, store.current(first.key)
    while now.undo:
        now, depth = store.undo(first.key, base=now.id), depth + 1
    assert depth == 8


def test_a_deleted_project_is_gone_and_can_be_put_back(store):
    key = store.create(named("a")).key
    assert store.delete(key) == "a"
    assert store.all() == []
    with pytest.raises(NoSuchProject):
        store.current(key)
    store.delete(key, deleted=False)
    assert [row[1] for row in store.all()] == ["a"]


def test_what_was_baked_is_kept_with_its_inputs(store):
    key = store.create(named("a")).key
    assert store.baked(key) == store.baked_records(key) == {}
    store.set_baked(key, {"lamp:turn": "f1", "lamp:x": "f2"}, {"f1": '["curve",{"rate":"30"}]', "f2": "[]"})
    store.set_baked(key, {"lamp:turn": "f3"}, {"f3": '["curve",{"rate":"24"}]'})
    assert store.baked(key) == {"lamp:turn": "f3"}
    assert store.baked_records(key) == {"f3": ["curve", {"rate": "24"}]}
    many = {f"part-{n}:x": f"f{n}" for n in range(1_000)}
    store.set_baked(key, many, {})
    assert store.baked(key) == many


def test_media_are_kept_whole_or_not_at_all(tmp_path):
    media = MediaStore(tmp_path)
    digest = media.add([b"one ", b"two"], most=100)
    with media.open(digest) as kept:
        assert kept.read() == b"one two"
    with pytest.raises(TooLarge, match="larger than"):
        media.add([b"x" * 60, b"x" * 60], most=100)
    with pytest.raises(RuntimeError), media.receive([b"abc"], most=100):
        raise RuntimeError
    assert [path.name for path in tmp_path.iterdir()] == [digest]


@pytest.mark.parametrize("name", ["../x", "", "A" * 64, "0" * 63])
def test_a_media_path_is_only_ever_a_hash(tmp_path, name):
    with pytest.raises(ValueError):
        MediaStore(tmp_path).path(name)


def test_a_full_disk_is_said_and_leaves_nothing_behind(tmp_path, monkeypatch):
    media = MediaStore(tmp_path)

    def full(_):
        raise OSError(errno.ENOSPC, "no space")

    monkeypatch.setattr("fern_tide.store.files.os.fsync", full)
    with pytest.raises(DiskFull, match="The disk is full"):
        media.add([b"abc"], most=100)
    assert list(tmp_path.iterdir()) == []


def test_derived_data_come_back_and_what_is_damaged_counts_as_absent(tmp_path):
    derived = DerivedStore(tmp_path)
    values = np.arange(12.0).reshape(3, 4)
    derived.put("ab" * 32, values)
    np.testing.assert_array_equal(derived.get("ab" * 32), values)
    derived.path("ab" * 32).write_bytes(b"\x93NUMPY broken")
    assert derived.get("ab" * 32) is None
    assert not derived.has("ab" * 32)
    assert derived.get("cd" * 32) is None


def test_derived_data_that_nobody_asked_for_in_a_long_time_are_swept(tmp_path):
    derived = DerivedStore(tmp_path)
    derived.put("ab" * 32, np.zeros(3))
    assert derived.sweep(older_than_s=3600) == 0
    assert derived.sweep(older_than_s=-1) == 1


@pytest.fixture
def jobs(tmp_path):
    made = JobStore(tmp_path / "j.sqlite")
    yield made
    made.close()


def test_the_same_work_is_not_started_twice(jobs):
    job, new = jobs.start("analyze", key="k", payload={"a": 1})
    same, again = jobs.start("analyze", key="k", payload={"a": 1})
    assert (new, again, same.id) == (True, False, job.id)
    taken = jobs.claim(job.id)
    assert taken.payload == {"a": 1}
    assert jobs.claim(job.id) is None
    jobs.end(taken, state=DONE)
    assert jobs.start("analyze", key="k", payload={})[1]


def test_cancel_stops_what_runs_at_its_next_word_and_what_waits_at_once(jobs):
    waiting, _ = jobs.start("analyze", key="a", payload={})
    running, _ = jobs.start("analyze", key="b", payload={})
    taken = jobs.claim(running.id)
    assert jobs.progress(taken, share=0.5, words="half")
    jobs.cancel(waiting.id)
    jobs.cancel(running.id)
    assert jobs.get(waiting.id).state == CANCELLED
    assert jobs.claim(waiting.id) is None
    assert jobs.get(running.id).state == CANCELLED  # for who asks: it will stop at its next word
    assert not jobs.progress(taken, share=0.6, words="more")
    assert not jobs.progress(taken)


def test_what_is_over_cannot_be_cancelled_any_more(jobs):
    job, _ = jobs.start("analyze", key="a", payload={})
    jobs.end(jobs.claim(job.id), state=DONE)
    jobs.cancel(job.id)
    assert jobs.get(job.id).state == DONE


def test_work_of_a_worker_that_is_gone_is_queued_again(jobs, monkeypatch):
    job, _ = jobs.start("analyze", key="a", payload={})
    jobs.claim(job.id)
    assert jobs.requeue_lost() == []
    assert jobs.get(job.id).state == RUNNING
    monkeypatch.setattr("fern_tide.store.job_rows.born", lambda pid: "")
    assert [lost.id for lost in jobs.requeue_lost()] == [job.id]
    assert jobs.get(job.id).state == QUEUED


def test_curves_baked_before_their_records_were_stored_once_stay_baked(tmp_path):
    before = tmp_path / "migrations"
    shutil.copytree(MIGRATIONS, before, ignore=shutil.ignore_patterns("0003*", "__pycache__"))
    old = open_database(tmp_path / "p.sqlite")
    with old.connection_context():
        run_migrations(old, directory=str(before))
        names, values = "key, name, head, deleted, created, changed", "'k', 'K', 1, 0, 0, 0"
        old.execute_sql(f"insert into project ({names}) values ({values})")
        names, values = "project_id, target, fingerprint, inputs, created", "1, 'lamp:x', 'f', '{}', 0"
        old.execute_sql(f"insert into baked_curve ({names}) values ({values})")
    old.close()
    store = ProjectStore(tmp_path / "p.sqlite")
    assert store.baked("k") == {"lamp:x": "f"} and store.baked_records("k") == {}
    store.set_baked("k", {"lamp:x": "g"}, {"g": "[]"})
    assert store.baked("k") == {"lamp:x": "g"}
    store.close()


def test_a_revision_instead_of_the_current_one_is_passed_over_by_undo(store):
    first = store.create(named("0"))
    assert store.before(first.key) is None
    second = store.save(first.key, named("1"), base=first.id, label="one")
    assert store.before(first.key) == named("0")
    third = store.save(first.key, named("2"), base=second.id, label="two", instead=True)
    assert (third.document.name, third.undo) == ("2", "two")
    assert store.undo(first.key, base=third.id).document.name == "0"
    assert store.redo(first.key, base=first.id).document.name == "2", "the latest one is brought back"
    alone = store.save(first.key, named("3"), base=third.id, label="three", instead=True)
    assert store.undo(first.key, base=alone.id).id == first.id
    again = store.save(first.key, named("4"), base=first.id, label="four", instead=True)
    assert again.undo is None, "in the place of the first, nothing is left to undo"
