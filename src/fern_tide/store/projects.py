"""Projects and their revisions: every edit is a row, undo and redo walk a tree, nothing is ever overwritten."""

from __future__ import annotations

import json
import secrets
import zlib
from collections import OrderedDict
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from threading import Lock
from typing import Any

from playhouse.migrations import run as run_migrations

from fern_tide.core.base.errors import FernTideError
from fern_tide.core.document import Project, read_project
from fern_tide.store.database import Session, Tables, open_database

_REMEMBERED = 64
_ROWS_AT_ONCE = 200


class Conflict(FernTideError):
    """An edit was made on a revision that is no longer the current one."""


class NoSuchProject(FernTideError):
    """There is no such project, or it was deleted."""


class NothingToUndo(FernTideError):
    """Undo at the first revision, or redo at the last."""


@dataclass(frozen=True)
class Revision:
    """A document as it stands, and where it stands in the history.

    Attributes:
        id: of the revision.
        key: of the project.
        document: the project.
        saved: when it was stored.
        undo: the label of the edit that undo takes back, or None.
        redo: the label of the edit that redo brings back, or None.
    """

    id: int
    key: str
    document: Project
    saved: datetime
    undo: str | None
    redo: str | None


class ProjectStore:
    """Projects in one SQLite file."""

    def __init__(self, path: Path) -> None:
        self._db: Any = open_database(path)
        with self._db.connection_context():
            run_migrations(self._db, directory=str(Path(__file__).parent / "migrations"))
        self._tables = Tables(self._db)
        self._documents: OrderedDict[int, Project] = OrderedDict()
        self._lock = Lock()

    def _session(self) -> Any:
        return Session(self._db)

    def close(self) -> None:
        """Close this thread's connection."""
        if not self._db.is_closed():
            self._db.close()

    def create(self, document: Project, *, label: str = "Start the project") -> Revision:
        """Store a new project and give its first revision."""
        with self._session():
            row = self._tables.project.create(key=secrets.token_hex(6), name=document.name)
            self._add(row, None, label, document)
            return self._revision(row)

    def all(self) -> list[tuple[str, str, datetime, Project]]:
        """List (key, name, last change, document) of the projects that are not deleted, the latest first."""
        with self._session():
            return [(row.key, row.name, row.changed, self._document(row.head)) for row in self._listed()]

    def _listed(self) -> list[Any]:
        table = self._tables.project
        return list(table.select().where(~table.deleted).order_by(table.changed.desc(), table.id.desc()))

    def heads(self) -> list[tuple[str, int, datetime]]:
        """List (key, current revision, last change) of the projects that are not deleted, the latest first."""
        with self._session():
            return [(row.key, row.head, row.changed) for row in self._listed()]

    def current(self, key: str) -> Revision:
        """Give a project as it stands.

        Raises:
            NoSuchProject: there is none of that key.
        """
        with self._session():
            return self._revision(self._row(key))

    def head(self, key: str) -> tuple[int, Project]:
        """Give the current revision's number and document: all that a preview needs, in one query.

        Raises:
            NoSuchProject: there is none of that key.
        """
        self._db.connect(reuse_if_open=True)
        row = self._db.execute_sql("select head from project where key = ? and not deleted", (key,)).fetchone()
        if row is None:
            raise _gone()
        return int(row[0]), self._document(row[0])

    def document_at(self, key: str, revision: int) -> Project:
        """Give the document of one of a project's revisions, also one that was undone.

        Raises:
            NoSuchProject: there is no such project or revision.
        """
        with self._session():
            table = self._tables.revision
            if table.get_or_none(table.id == revision, table.project == self._row(key)) is None:
                raise NoSuchProject("This project has no such revision.", remedy="Reload the page.")
            return self._document(revision)

    def save(self, key: str, document: Project, *, base: int, label: str, instead: bool = False) -> Revision:
        """Store an edit as a new revision; `instead` puts it beside the current one, so that undo passes that over.

        Raises:
            Conflict: the edit was made on a revision that is not the current one any more.
        """
        with self._session():
            row = self._row(key)
            self._check_base(row, base)
            self._add(row, self._tables.revision.get_by_id(row.head).parent if instead else row.head, label, document)
            return self._revision(row)

    def before(self, key: str) -> Project | None:
        """Give the document before the current revision; None of a project's first."""
        with self._session():
            parent = self._tables.revision.get_by_id(self._row(key).head).parent
            return None if parent is None else self._document(parent)

    def undo(self, key: str, *, base: int) -> Revision:
        """Go back to the revision before, or raise NothingToUndo or Conflict."""
        with self._session():
            row = self._row(key)
            self._check_base(row, base)
            parent = self._tables.revision.get_by_id(row.head).parent
            if parent is None:
                raise NothingToUndo("There is nothing to undo.")
            return self._go(row, parent)

    def redo(self, key: str, *, base: int) -> Revision:
        """Go forward to the latest revision made on this one, or raise NothingToUndo or Conflict."""
        with self._session():
            row = self._row(key)
            self._check_base(row, base)
            child = self._child(row)
            if child is None:
                raise NothingToUndo("There is nothing to redo.")
            return self._go(row, child.id)

    def delete(self, key: str, *, deleted: bool = True) -> str:
        """Take a project off the list, or put it back; its revisions stay. Gives its name."""
        with self._session():
            row = self._tables.project.get_or_none(self._tables.project.key == key)
            if row is None:
                raise NoSuchProject("This project does not exist.", remedy="Go back to the list of projects.")
            row.deleted = deleted
            row.save()
            return str(row.name)

    def baked(self, key: str) -> dict[str, str]:
        """Give the fingerprint that each curve was last baked under, by target."""
        with self._session():
            query = "select target, fingerprint from baked_curve where project_id = ?"  # by the thousand: as it comes
            return dict(self._db.execute_sql(query, (self._row(key).id,)).fetchall())

    def baked_records(self, key: str) -> dict[str, Any]:
        """Give what the baked curves were made of, by their keys, as it was stored with them."""
        with self._session():
            row = self._tables.records.get_or_none(self._tables.records.project == self._row(key))
            return {} if row is None else dict(json.loads(zlib.decompress(row.records)))

    def set_baked(self, key: str, curves: dict[str, str], records: dict[str, Any]) -> None:
        """Store what was baked, all of it or nothing; what is not named is forgotten.

        Args:
            key: of the project.
            curves: the fingerprint of each curve, by target.
            records: what they were made of, by their keys, as plain data.
        """
        packed = zlib.compress(json.dumps(records).encode(), 6)
        with self._session():
            project = self._row(key)
            for table in (self._tables.baked, self._tables.records):
                table.delete().where(table.project == project).execute()
            rows = [{"project": project, "target": target, "fingerprint": digest} for target, digest in curves.items()]
            for first in range(0, len(rows), _ROWS_AT_ONCE):
                self._tables.baked.insert_many(rows[first : first + _ROWS_AT_ONCE]).execute()
            self._tables.records.create(project=project, records=packed)

    def media_in_use(self) -> set[str]:
        """List the hashes of all media that any revision of any project names."""
        with self._session():
            rows: Iterable[Any] = self._tables.revision.select()
            return {digest for row in rows for digest in _media_of(json.loads(zlib.decompress(row.document)))}

    def _row(self, key: str) -> Any:
        row = self._tables.project.get_or_none(self._tables.project.key == key, ~self._tables.project.deleted)
        if row is None:
            raise _gone()
        return row

    def _check_base(self, row: Any, base: int) -> None:
        if row.head != base:
            label = self._tables.revision.get_by_id(row.head).label
            raise Conflict(
                f"This project was changed in another tab since: '{label}'.",
                remedy="The page now shows how it stands; make your change again.",
            )

    def _add(self, row: Any, parent: int | None, label: str, document: Project) -> None:
        packed = zlib.compress(document.model_dump_json().encode(), 6)
        revision = self._tables.revision.create(project=row, parent=parent, label=label, document=packed)
        self._remember(revision.id, document)
        row.head, row.name, row.changed = revision.id, document.name, datetime.now()
        row.save()

    def _go(self, row: Any, revision: int) -> Revision:
        row.head, row.changed = revision, datetime.now()
        row.name = self._document(revision).name
        row.save()
        return self._revision(row)

    def _child(self, row: Any) -> Any:
        table = self._tables.revision
        query = table.select().where(table.project == row, table.parent == row.head)
        return query.order_by(table.id.desc()).first()

    def _revision(self, row: Any) -> Revision:
        table = self._tables.revision
        columns = (table.id, table.parent, table.label, table.created)
        head = table.select(*columns).where(table.id == row.head).get()
        child = self._child(row)
        return Revision(
            id=head.id,
            key=row.key,
            document=self._document(head.id),
            saved=row.changed,
            undo=head.label if head.parent is not None else None,
            redo=child.label if child else None,
        )

    def _document(self, revision: int) -> Project:
        with self._lock:
            if revision in self._documents:
                self._documents.move_to_end(revision)
                return self._documents[revision]
        document = read_project(zlib.decompress(self._tables.revision.get_by_id(revision).document))
        self._remember(revision, document)
        return document

    def _remember(self, revision: int, document: Project) -> None:
        with self._lock:
            self._documents[revision] = document
            while len(self._documents) > _REMEMBERED:
                self._documents.popitem(last=False)


def _gone() -> NoSuchProject:
    return NoSuchProject("This project does not exist, or was deleted.", remedy="Go back to the projects.")


def _media_of(document: dict[str, Any]) -> set[str]:
    """List the media that a stored document names, whatever version wrote it."""
    read = {envelope["reading"].get("params", {}).get("media") for envelope in document["envelopes"]}
    files = {file["media"] for file in document["scene"].get("files", ())}
    return {track["media"] for track in document["tracks"]} | {digest for digest in read if digest} | files
