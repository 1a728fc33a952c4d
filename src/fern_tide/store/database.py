"""The database: how it is opened, its tables, and one transaction."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from peewee import (
    AutoField,
    BlobField,
    BooleanField,
    CharField,
    ForeignKeyField,
    IntegerField,
    Model,
    SqliteDatabase,
    TextField,
    TimestampField,
)


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
        self.baked: Any = BakedCurve
        self.records: Any = BakedRecords
        self.library: Any = LibraryRecipe


def open_database(path: Path) -> SqliteDatabase:
    """Open an SQLite file in the way that several threads and processes can share."""
    pragmas = {"journal_mode": "wal", "foreign_keys": 1, "synchronous": "normal"}
    return SqliteDatabase(str(path), pragmas=pragmas, timeout=10, lock_type="IMMEDIATE")


class Session:
    """One transaction on this thread's connection, which stays open: opening one costs more than most queries."""

    def __init__(self, db: SqliteDatabase) -> None:
        self._db = db

    def __enter__(self) -> None:
        self._db.connect(reuse_if_open=True)
        self._atomic = self._db.atomic()
        self._atomic.__enter__()

    def __exit__(self, *raised: Any) -> None:
        self._atomic.__exit__(*raised)
