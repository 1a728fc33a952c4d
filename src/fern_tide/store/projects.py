"""Projects and their revisions: every edit is a row, undo and redo walk a tree, nothing is ever overwritten."""

from __future__ import annotations

import json
import secrets
import zlib
from collections import OrderedDict
from collections.abc import Callable
from datetime import datetime
from pathlib import Path
from threading import Lock
from typing import Any

from playhouse.migrations import run as run_migrations

from fern_tide.core.document import Project, read_project
from fern_tide.store.database import Session, Tables, open_database
from fern_tide.store.revision import Conflict, NoSuchProject, NothingToUndo, Revision, Stand, gone

_REMEMBERED = 64
_ROWS_AT_ONCE = 200
_MOST_ID = 2**63 - 1


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

    def _reading(self) -> Any:
        return Session(self._db, reads=True)

    def close(self) -> None:
        """Close this thread's connection."""
        if not self._db.is_closed():
            self._db.close()

    def create(self, document: Project, *, label: str = "Start the project") -> Revision:
        """Store a new project and give its first revision."""
        packed = _packed(document)
        with self._session():
            row = self._tables.project.create(key=secrets.token_hex(6), name=document.name)
            self._add(row, None, label, document, packed)
            stand = self._stand(row)
        return self._remembered(stand, document)

    def all(self) -> list[tuple[str, str, datetime, Project]]:
        """List (key, name, last change, document) of the projects that are not deleted, the latest first."""
        with self._reading():
            rows = self._listed()
        return [(row.key, row.name, row.changed, self._document(row.head)) for row in rows]

    def _listed(self) -> list[Any]:
        table = self._tables.project
        return list(table.select().where(~table.deleted).order_by(table.changed.desc(), table.id.desc()))

    def heads(self) -> list[tuple[str, int, datetime]]:
        """List (key, current revision, last change) of the projects that are not deleted, the latest first."""
        with self._reading():
            return [(row.key, row.head, row.changed) for row in self._listed()]

    def current(self, key: str) -> Revision:
        """Give a project as it stands.

        Raises:
            NoSuchProject: there is none of that key.
        """
        with self._reading():
            stand = self._stand(self._row(key))
        return Revision(document=self._document(stand.id), **vars(stand))

    def at(self, key: str, base: int) -> Revision:
        """Give a project as it stands, if that is the revision that something is made on.

        Raises:
            Conflict: it is not the current one any more.
            NoSuchProject: there is none of that key.
        """
        current = self.current(key)
        if current.id != base:
            with self._reading():
                raise self._conflict(current.id)
        return current

    def head(self, key: str) -> tuple[int, Project]:
        """Give the current revision's number and document: all that a preview needs, in one query.

        Raises:
            NoSuchProject: there is none of that key.
        """
        self._db.connect(reuse_if_open=True)
        row = self._db.execute_sql("select head from project where key = ? and not deleted", (key,)).fetchone()
        if row is None:
            raise gone()
        return int(row[0]), self._document(row[0])

    def document_at(self, key: str, revision: int) -> Project:
        """Give the document of one of a project's revisions, also one that was undone.

        Raises:
            NoSuchProject: there is no such project or revision.
        """
        with self._reading():
            table = self._tables.revision
            revision = min(max(revision, 0), _MOST_ID)  # what no row can have is no number that the database takes
            if not table.select(table.id).where(table.id == revision, table.project == self._row(key)).exists():
                raise NoSuchProject("This project has no such revision.", remedy="Reload the page.")
        return self._document(revision)

    def save(self, key: str, document: Project, *, base: int, label: str, instead: bool = False) -> Revision:
        """Store an edit as a new revision; `instead` puts it beside the current one, so that undo passes that over.

        Raises:
            Conflict: the edit was made on a revision that is not the current one any more.
        """
        packed = _packed(document)
        with self._session():
            row = self._row(key)
            self._check_base(row, base)
            self._add(row, self._parent(row.head) if instead else row.head, label, document, packed)
            stand = self._stand(row)
        return self._remembered(stand, document)

    def before(self, key: str) -> Project | None:
        """Give the document before the current revision; None of a project's first."""
        with self._reading():
            parent = self._parent(self._row(key).head)
        return None if parent is None else self._document(parent)

    def undo(self, key: str, *, base: int) -> Revision:
        """Go back to the revision before, or raise NothingToUndo or Conflict."""
        return self._go(key, base, self._parent, NothingToUndo("There is nothing to undo."))

    def redo(self, key: str, *, base: int) -> Revision:
        """Go forward to the latest revision made on this one, or raise NothingToUndo or Conflict."""

        def child(head: int) -> int | None:
            row = self._child(head)
            return None if row is None else int(row.id)

        return self._go(key, base, child, NothingToUndo("There is nothing to redo."))

    def _go(self, key: str, base: int, to: Callable[[int], int | None], none: NothingToUndo) -> Revision:
        """Go to another revision; its document, which may be large, is read before anything is locked."""
        with self._reading():
            wanted = to(self._row(key).head)
        document = None if wanted is None else self._document(wanted)
        with self._session():
            row = self._row(key)
            self._check_base(row, base)
            if wanted is None or document is None or to(row.head) != wanted:
                raise none
            row.head, row.changed, row.name = wanted, datetime.now(), document.name
            row.save()
            stand = self._stand(row)
        return Revision(document=document, **vars(stand))

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
        with self._reading():
            query = "select target, fingerprint from baked_curve where project_id = ?"  # by the thousand: as it comes
            return dict(self._db.execute_sql(query, (self._row(key).id,)).fetchall())

    def baked_records(self, key: str) -> dict[str, Any]:
        """Give what the baked curves were made of, by their keys, as it was stored with them."""
        with self._reading():
            row = self._tables.records.get_or_none(self._tables.records.project == self._row(key))
        return {} if row is None else dict(json.loads(zlib.decompress(row.records)))

    def set_baked(self, key: str, curves: dict[str, str], records: dict[str, str]) -> None:
        """Store what was baked, all of it or nothing; what is not named is forgotten.

        Args:
            key: of the project.
            curves: the fingerprint of each curve, by target.
            records: what they were made of, by their keys, each as JSON.
        """
        texts = ",".join(f"{json.dumps(name)}:{text}" for name, text in records.items())
        packed = zlib.compress(f"{{{texts}}}".encode(), 1)
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
        with self._reading():
            return {digest for (digest,) in self._db.execute_sql("select digest from revision_media").fetchall()}

    def _row(self, key: str) -> Any:
        row = self._tables.project.get_or_none(self._tables.project.key == key, ~self._tables.project.deleted)
        if row is None:
            raise gone()
        return row

    def _check_base(self, row: Any, base: int) -> None:
        if row.head != base:
            raise self._conflict(row.head)

    def _conflict(self, head: int) -> Conflict:
        label = self._tables.revision.select(self._tables.revision.label).where(self._tables.revision.id == head).get()
        return Conflict(
            f"This project was changed in another tab since: '{label.label}'.",
            remedy="The page now shows how it stands; make your change again.",
        )

    def _add(self, row: Any, parent: int | None, label: str, document: Project, packed: bytes) -> None:
        revision = self._tables.revision.create(project=row, parent=parent, label=label, document=packed)
        for digest in document.media:
            self._tables.media.insert(digest=digest).on_conflict_ignore().execute()
        row.head, row.name, row.changed = revision.id, document.name, datetime.now()
        row.save()

    def _parent(self, revision: int) -> int | None:
        table = self._tables.revision
        parent = table.select(table.parent).where(table.id == revision).get().parent
        return None if parent is None else int(parent)

    def _child(self, head: int) -> Any:
        table = self._tables.revision
        query = table.select(table.id, table.label).where(table.parent == head)
        return query.order_by(table.id.desc()).first()

    def _stand(self, row: Any) -> Stand:
        """Say where a project stands, without its document: that is read when nothing is locked any more."""
        table = self._tables.revision
        head = table.select(table.id, table.parent, table.label).where(table.id == row.head).get()
        child = self._child(row.head)
        undo = head.label if head.parent is not None else None
        return Stand(int(head.id), row.key, row.changed, undo, child.label if child else None)

    def _document(self, revision: int) -> Project:
        with self._lock:
            if revision in self._documents:
                self._documents.move_to_end(revision)
                return self._documents[revision]
        with self._reading():
            table = self._tables.revision
            packed = table.select(table.document).where(table.id == revision).get().document
        document = read_project(zlib.decompress(packed))
        self._remember(revision, document)
        return document

    def _remembered(self, stand: Stand, document: Project) -> Revision:
        """Give a revision that was stored just now: only from here on others are given it without reading it."""
        self._remember(stand.id, document)
        return Revision(document=document, **vars(stand))

    def _remember(self, revision: int, document: Project) -> None:
        with self._lock:
            self._documents[revision] = document
            while len(self._documents) > _REMEMBERED:
                self._documents.popitem(last=False)


def _packed(document: Project) -> bytes:
    return zlib.compress(document.model_dump_json().encode(), 6)
