"""The database: how it is opened, its tables, and one transaction."""

from __future__ import annotations

import contextlib
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from peewee import (
    AutoField,
    BlobField,
    BooleanField,
    CharField,
    DatabaseError,
    ForeignKeyField,
    IntegerField,
    Model,
    SqliteDatabase,
    TextField,
    TimestampField,
)

from fern_tide.core.base.errors import FernTideError

_ROOM = "Free some room, or choose another folder."


class Unusable(FernTideError):
    """A data folder cannot be read or written: its disk is full, or may not be written."""


@contextlib.contextmanager
def opening(folder: Path) -> Iterator[None]:
    """Say in one line what keeps a data folder from being opened."""
    try:
        yield
    except DatabaseError as cause:
        raise Unusable(f"The data folder {folder} cannot be used: {cause}.", remedy=_ROOM) from cause


class Tables:
    """The models, bound to one database, so that two stores in one process do not share them."""

    def __init__(self, db: SqliteDatabase) -> None:
        class Row(Model):
            id = AutoField()

            class Meta:
                database = db
                legacy_table_names = False

        class Project(Row):
            key = CharField(unique=True)
            name = CharField()
            head = IntegerField(null=True)
            deleted = BooleanField(default=False)
            created = TimestampField(resolution=3)
            changed = TimestampField(resolution=3)

        class Revision(Row):
            project = ForeignKeyField(Project, on_delete="CASCADE")
            parent = IntegerField(null=True)
            label = TextField()
            document = BlobField()
            created = TimestampField(resolution=3)

        class RevisionMedia(Model):
            digest = CharField(primary_key=True)

            class Meta:
                database = db
                legacy_table_names = False

        class BakedCurve(Row):
            project = ForeignKeyField(Project, on_delete="CASCADE")
            target = CharField()
            fingerprint = CharField()
            created = TimestampField(resolution=3)

        class BakedRecords(Row):
            project = ForeignKeyField(Project, on_delete="CASCADE", unique=True)
            records = BlobField()

        class LibraryRecipe(Row):
            key = CharField(unique=True)
            recipe = TextField()
            created = TimestampField(resolution=3)

        self.project: Any = Project
        self.revision: Any = Revision
        self.media: Any = RevisionMedia
        self.baked: Any = BakedCurve
        self.records: Any = BakedRecords
        self.library: Any = LibraryRecipe


def open_database(path: Path) -> SqliteDatabase:
    """Open an SQLite file in the way that several threads and processes can share."""
    pragmas = {"journal_mode": "wal", "foreign_keys": 1, "synchronous": "normal"}
    return SqliteDatabase(str(path), pragmas=pragmas, timeout=10, lock_type="IMMEDIATE")


class Session:
    """One transaction on this thread's connection, which stays open: opening one costs more than most queries.

    Args:
        db: the database.
        reads: only looks: others can write meanwhile, and what is seen is as it was at the first look.
    """

    def __init__(self, db: SqliteDatabase, *, reads: bool = False) -> None:
        self._db = db
        self._lock = "DEFERRED" if reads else "IMMEDIATE"

    def __enter__(self) -> None:
        self._db.connect(reuse_if_open=True)
        self._atomic = self._db.atomic(self._lock)
        self._atomic.__enter__()

    def __exit__(self, *raised: Any) -> None:
        try:
            self._atomic.__exit__(*raised)
        except DatabaseError:
            if raised[1] is None:
                raise  # what could not be stored is told; after a first error the database has gone back by itself
