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
from fern_tide.store.processes import born

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
        turn: tells one try at it from another; '' before the first.
    """

    id: str
    kind: str
    key: str
    payload: dict[str, Any]
    state: str
    share: float
    words: str
    turn: str = ""


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
        born = CharField(default="")
        turn = CharField(default="")
        beat = FloatField(default=0.0)
        created = FloatField()

        class Meta:
            database = db
            table_name = "job"
            legacy_table_names = False

    return Row


class Lost(Exception):
    """A job went on in another process while this one slept."""


class JobStore:
    """Job rows."""

    def __init__(self, path: Path) -> None:
        self._db = open_database(path)
        self._table = _table(self._db)
        with self._session():
            self._make_table()

    def _make_table(self) -> None:
        """Make the table; one that an older version made goes: what it says can be asked for again."""
        there = {column.name for column in self._db.get_columns("job")} if self._db.table_exists("job") else set()
        if there and there != set(self._table._meta.columns):
            self._db.drop_tables([self._table])
        self._db.create_tables([self._table])

    def _session(self) -> Any:
        return Session(self._db)

    def _reading(self) -> Any:
        return Session(self._db, reads=True)

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
        with self._reading():
            row = self._table.select().where(self._table.key == key).order_by(self._table.created.desc()).first()
            return _job(row) if row else None

    def get(self, job_id: str) -> Job | None:
        """Find a job."""
        with self._reading():
            row = self._table.get_or_none(self._table.id == job_id)
            return _job(row) if row else None

    def claim(self, job_id: str) -> Job | None:
        """Take a queued job for this process, as a turn of its own; None when it is not queued any more."""
        with self._session():
            row = self._table.get_or_none(self._table.id == job_id, self._table.state == QUEUED)
            if row is None:
                return None
            if row.cancel:
                row.state = CANCELLED
                row.save()
                return None
            row.turn = uuid.uuid4().hex
            _own(row)
            row.save()
            return _job(row)

    def progress(self, job: Job, *, share: float | None = None, words: str = "") -> bool:
        """Note how far a job is, or only that it goes on; False when somebody asked it to stop.

        A job that was taken for lost, since its process slept, and that nobody else took, goes on in its old turn.

        Args:
            job: as claimed.
            share: how much is done; None leaves that and the words as they are.
            words: what is being done.

        Raises:
            Lost: another process does it now.
        """
        with self._session():
            row = self._table.get_or_none(self._table.id == job.id)
            if row is None or row.turn != job.turn or row.state not in {QUEUED, RUNNING}:
                raise Lost(job.id)
            if row.cancel:
                return False
            _own(row)
            if share is not None:
                row.share, row.words = share, words
            row.save()
            return True

    def end(self, job: Job, *, state: str, words: str = "") -> None:
        """Note how a job ended, unless another process has taken it meanwhile."""
        with self._session():
            mine = (self._table.id == job.id) & (self._table.turn == job.turn)
            share = 1.0 if state == DONE else self._table.share
            self._table.update(state=state, words=words, share=share).where(mine).execute()

    def wait(self, job_id: str, *, words: str) -> None:
        """Say what a queued job waits for."""
        with self._session():
            self._table.update(words=words).where(self._table.id == job_id, self._table.state == QUEUED).execute()

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


def _own(row: Any) -> None:
    """Note that this process does a job, now."""
    row.state, row.host, row.pid, row.born = RUNNING, socket.gethostname(), os.getpid(), born(os.getpid())
    row.beat = time.time()


def _is_lost(row: Any) -> bool:
    """Say whether the process that did a job is gone: of this machine by looking, of another by its silence.

    Of this machine its silence says nothing: all of it may have slept.
    """
    if row.host == socket.gethostname():
        return born(row.pid) != str(row.born)
    return time.time() - float(row.beat) > HEARTBEAT_S


def _job(row: Any) -> Job:
    stopping = row.cancel and row.state in {QUEUED, RUNNING}  # it will stop at its next word
    state = CANCELLED if stopping else row.state
    return Job(row.id, row.kind, row.key, json.loads(row.payload), state, row.share, row.words, row.turn)
