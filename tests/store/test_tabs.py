"""Several tabs on one project: whatever they do in whatever order, no edit is lost and none is laid over another's."""

import shutil
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from playhouse.migrations import run as run_migrations

from fern_tide.core.commands.project import RenameProject
from fern_tide.core.commands.soundtrack import AddMarker
from fern_tide.demo.project import demo_project
from fern_tide.store.database import open_database
from fern_tide.store.projects import ProjectStore
from fern_tide.store.revision import Conflict, NothingToUndo
from fern_tide.workflows.derive import analysis
from fern_tide.workflows.tune import edits

TABS = st.sampled_from([0, 1, 2])
STEPS = st.lists(st.tuples(TABS, st.sampled_from(["edit", "mark", "undo", "redo", "look"])), max_size=30)


@pytest.fixture(scope="module")
def still():
    """Nothing is analyzed: edits alone are looked at."""
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(analysis, "ensure", lambda *_, **__: [])
        yield


@settings(max_examples=40, deadline=None)
@given(steps=STEPS)
def test_an_edit_lies_on_what_its_tab_saw_or_is_refused(tmp_path_factory, still, steps):
    store = ProjectStore(tmp_path_factory.mktemp("tabs") / "p.sqlite")

    class OnlyProjects:
        projects = store

    first = store.create(demo_project())
    seen = [first, first, first]
    for number, (tab, act) in enumerate(steps):
        saw = seen[tab]
        fresh = store.current(first.key)
        command = RenameProject(name=f"Name {number}") if act == "edit" else AddMarker(time_s=float(number))
        try:
            if act == "look":
                seen[tab] = fresh
            elif act == "undo":
                seen[tab] = store.undo(first.key, base=saw.id)
            elif act == "redo":
                seen[tab] = store.redo(first.key, base=saw.id)
            else:
                seen[tab] = edits.edit(OnlyProjects, first.key, command, base=saw.id)
                assert seen[tab].document == command.apply(saw.document)
                assert store.before(first.key) == saw.document
        except Conflict:
            assert saw.id != fresh.id
            seen[tab] = store.current(first.key)
            assert seen[tab].id == fresh.id, "what is refused changes nothing"
        except NothingToUndo:
            assert store.current(first.key).id == fresh.id
        assert store.current(first.key).document == store.document_at(first.key, store.current(first.key).id)
    store.close()


@pytest.mark.parametrize("meanwhile", ["undo", "edit"])
def test_what_comes_between_reading_and_storing_is_not_lost(tmp_path, still, monkeypatch, meanwhile):
    """The other tab acts after a command was applied and before it is stored."""
    store = ProjectStore(tmp_path / "p.sqlite")

    class OnlyProjects:
        projects = store

    first = store.create(demo_project())
    second = edits.edit(OnlyProjects, first.key, RenameProject(name="Second"), base=first.id)
    read, acted = store.current, []

    def and_then(key):
        found = read(key)
        if not acted:
            acted.append(True)
            if meanwhile == "undo":
                store.undo(key, base=second.id)
            else:
                edits.edit(OnlyProjects, key, RenameProject(name="Third"), base=second.id)
        return found

    monkeypatch.setattr(store, "current", and_then)
    with pytest.raises(Conflict):
        edits.edit(OnlyProjects, first.key, AddMarker(time_s=1.0), base=second.id)
    with pytest.raises(Conflict):  # made on what was undone, though what it is applied to is current
        edits.edit(OnlyProjects, first.key, AddMarker(time_s=1.0), base=second.id)
    assert read(first.key).document.name == (first.document.name if meanwhile == "undo" else "Third")
    store.close()


def test_reading_does_not_wait_for_who_writes(tmp_path):
    store, other = ProjectStore(tmp_path / "p.sqlite"), ProjectStore(tmp_path / "p.sqlite")
    first = store.create(demo_project())
    with store._session():
        store._db.execute_sql("update project set name = 'half done'")
        other._db.connect(reuse_if_open=True)
        other._db.execute_sql("pragma busy_timeout = 50")
        assert other.current(first.key).document == first.document
        assert other.head(first.key)[0] == first.id and len(other.heads()) == 1 and other.baked(first.key) == {}
        assert other.all()[0][1] == first.document.name
    for one in (store, other):
        one.close()


def test_a_document_is_read_when_nothing_is_locked(tmp_path, monkeypatch):
    first = ProjectStore(tmp_path / "p.sqlite")
    key = first.create(demo_project()).key
    second = first.save(key, demo_project().but(name="Second"), base=first.current(key).id, label="l")
    store, writer = ProjectStore(tmp_path / "p.sqlite"), ProjectStore(tmp_path / "p.sqlite")
    from fern_tide.store import projects

    real, written = projects.read_project, []

    def slowly(text):
        writer._db.connect(reuse_if_open=True)
        writer._db.execute_sql("pragma busy_timeout = 50")
        with writer._session():
            writer._db.execute_sql("update project set deleted = 0")
        written.append(True)
        return real(text)

    monkeypatch.setattr(projects, "read_project", slowly)
    store.undo(key, base=second.id)
    store._documents.clear()
    store.current(key)
    store._documents.clear()
    store.all()
    assert len(written) == 3
    for one in (first, store, writer):
        one.close()


def test_what_a_revision_that_was_not_stored_holds_is_given_to_nobody(tmp_path, monkeypatch):
    store = ProjectStore(tmp_path / "p.sqlite")
    first = store.create(demo_project())

    def failing(self, *raised):
        self._atomic.__exit__(ValueError, ValueError("the disk is full"), None)
        raise ValueError("the disk is full")

    with monkeypatch.context() as patch:
        patch.setattr("fern_tide.store.database.Session.__exit__", failing)
        with pytest.raises(ValueError, match="full"):
            store.save(first.key, demo_project().but(name="Never stored"), base=first.id, label="l")
    again = store.save(first.key, demo_project().but(name="Stored"), base=first.id, label="l")
    assert store.document_at(first.key, again.id).name == "Stored"
    store.close()


def test_media_of_revisions_made_before_they_were_listed_are_listed(tmp_path):
    migrations = Path(__file__).parents[2] / "src/fern_tide/store/migrations"
    before = tmp_path / "migrations"
    shutil.copytree(migrations, before, ignore=shutil.ignore_patterns("0004*", "__pycache__"))
    store = ProjectStore(tmp_path / "new.sqlite")
    key = store.create(demo_project()).key
    packed = store._tables.revision.get().document
    old = open_database(tmp_path / "p.sqlite")
    with old.connection_context():
        run_migrations(old, directory=str(before))
        old.execute_sql(
            f"insert into project (key, name, head, deleted, created, changed) values ('{key}', 'K', 1, 0, 0, 0)"
        )
        old.execute_sql(
            "insert into revision (project_id, parent, label, document, created) values (1, null, 'l', ?, 0)", (packed,)
        )
        old.execute_sql("insert into revision select 2, project_id, 1, label, document, created from revision")
    again = ProjectStore(tmp_path / "p.sqlite")
    assert again.media_in_use() == store.media_in_use() == set(demo_project().media)
    assert again._db.execute_sql("select count(*) from revision_media").fetchone()[0] == len(set(demo_project().media))
    for one in (store, again):
        one.close()


def test_what_another_tab_undoes_meanwhile_does_not_come_back_with_an_edit(tmp_path, still, monkeypatch):
    """The page saw the first revision, the second is read, and the first is current again when the edit is stored."""
    store = ProjectStore(tmp_path / "p.sqlite")

    class OnlyProjects:
        projects = store

    first = store.create(demo_project())
    second = edits.edit(OnlyProjects, first.key, RenameProject(name="Second"), base=first.id)
    read = store.current

    def and_then(key):
        before = read(key)
        store.undo(key, base=second.id)
        return before

    monkeypatch.setattr(store, "current", and_then)
    with pytest.raises(Conflict):
        edits.edit(OnlyProjects, first.key, AddMarker(time_s=1.0), base=first.id)
    assert read(first.key).document == first.document
    store.close()
