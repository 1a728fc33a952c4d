"""The state of long work, in its own file: what is being done, how far it is, and whether it should stop."""

from __future__ import annotations

import json
import os
import socket
import time
import uuid
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from peewee import BooleanField, CharField, FloatField, IntegerField, Model, SqliteDatabase, TextField

from fern_tide.store.database import Session, open_database

QUEUED, RUNNING, DONE, FAILED, CANCELLED = "queued", "running", "done", "failed", "cancelled"
HEARTBEAT_S = 15.0


@dataclass(frozen=True)
class Job:
    """One piece of long work.

    Attributes:
        id: its name.
        kind: the task that does it.
        key: equal keys are the same work.
        payload: what the task needs.
        state: queued, running, done, failed or cancelled.
        share: how much is done, 0 to 1.
        words: what is being done, or what went wrong.
    """

    id: str
    kind: str
    key: str
    payload: dict[str, Any]
    state: str
    share: float
    words: str


def _table(db: SqliteDatabase) -> Any:
    class Row(Model):
        id = CharField(primary_key=True)
        kind = CharField()
        key = CharField(index=True)
        payload = TextField()
        state = CharField(index=True)
        share = FloatField(default=0.0)
        words = TextField(default="")
        cancel = BooleanField(default=False)
        host = CharField(default="")
        pid = IntegerField(default=0)
        beat = FloatField(default=0.0)
        created = FloatField()

        class Meta:
            database = db
            table_name = "job"
            legacy_table_names = False

    return Row


class JobStore:
    """Job rows."""

    def __init__(self, path: Path) -> None:
        self._db = open_database(path)
        self._table = _table(self._db)
        with self._session():
            self._db.create_tables([self._table])

    def _session(self) -> Any:
        return Session(self._db)

    def close(self) -> None:
        """Close this thread's connection."""
        if not self._db.is_closed():
            self._db.close()

    def start(self, kind: str, *, key: str, payload: dict[str, Any]) -> tuple[Job, bool]:
        """Give the job that does this work, and whether it is new: work that is queued or running is not doubled."""
        with self._session():
            row = self._table.get_or_none(
                self._table.key == key, self._table.state.in_([QUEUED, RUNNING]), ~self._table.cancel
            )
            if row is not None:
                return _job(row), False
            row = self._table.create(
                id=uuid.uuid4().hex, kind=kind, key=key, payload=json.dumps(payload), state=QUEUED, created=time.time()
            )
            return _job(row), True

    def latest(self, key: str) -> Job | None:
        """Find the last job that was started for some work."""
        with self._session():
            row = self._table.select().where(self._table.key == key).order_by(self._table.created.desc()).first()
            return _job(row) if row else None

    def get(self, job_id: str) -> Job | None:
        """Find a job."""
        with self._session():
            row = self._table.get_or_none(self._table.id == job_id)
            return _job(row) if row else None

    def claim(self, job_id: str) -> Job | None:
        """Take a queued job for this process; None when it is not queued any more."""
        with self._session():
            row = self._table.get_or_none(self._table.id == job_id, self._table.state == QUEUED)
            if row is None:
                return None
            if row.cancel:
                row.state = CANCELLED
                row.save()
                return None
            row.state, row.host, row.pid, row.beat = RUNNING, socket.gethostname(), os.getpid(), time.time()
            row.save()
            return _job(row)

    def progress(self, job_id: str, *, share: float, words: str) -> bool:
        """Note how far a job is; False when it should stop."""
        with self._session():
            mine = (self._table.id == job_id) & (self._table.state == RUNNING)
            changed = (
                self._table.update(share=share, words=words, beat=time.time())
                .where(mine, ~self._table.cancel)
                .execute()
            )
            return bool(changed)

    def end(self, job_id: str, *, state: str, words: str = "") -> None:
        """Note how a job ended."""
        with self._session():
            self._table.update(state=state, words=words, share=1.0 if state == DONE else self._table.share).where(
                self._table.id == job_id
            ).execute()

    def cancel(self, job_id: str) -> None:
        """Ask a job to stop; one that has not begun stops at once."""
        with self._session():
            self._table.update(cancel=True).where(self._table.id == job_id).execute()
            self._table.update(state=CANCELLED).where(self._table.id == job_id, self._table.state == QUEUED).execute()

    def requeue_lost(self) -> list[Job]:
        """Queue again what a worker began and did not live to end; gives all that is queued."""
        with self._session():
            for row in self._table.select().where(self._table.state == RUNNING):
                if _is_lost(row):
                    row.state, row.share = (CANCELLED if row.cancel else QUEUED), 0.0
                    row.save()
            return [
                _job(row)
                for row in self._table.select().where(self._table.state == QUEUED).order_by(self._table.created)
            ]

    def forget(self, *, older_than_s: float) -> None:
        """Delete the rows of work that ended long ago."""
        with self._session():
            self._table.delete().where(
                self._table.state.in_([DONE, FAILED, CANCELLED]), self._table.created < time.time() - older_than_s
            ).execute()


def _is_lost(row: Any) -> bool:
    if time.time() - row.beat > HEARTBEAT_S:
        return True
    if row.host != socket.gethostname():
        return False
    try:
        os.kill(row.pid, 0)
    except ProcessLookupError:
        return True
    except PermissionError:
        return False
    return False


def _job(row: Any) -> Job:
    stopping = row.cancel and row.state in {QUEUED, RUNNING}  # it will stop at its next word
    state = CANCELLED if stopping else row.state
    return Job(row.id, row.kind, row.key, json.loads(row.payload), state, row.share, row.words)
