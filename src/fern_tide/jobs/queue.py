"""The queue is huey, on SQLite in the data folder or on Redis by one setting."""

from __future__ import annotations

import logging
import os
import signal
import threading
import time
from typing import Any

from huey import Huey, RedisHuey, SqliteHuey

from fern_tide.core.base.errors import Cancelled, FernTideError
from fern_tide.store.job_rows import CANCELLED, DONE, FAILED, Job
from fern_tide.workflows.derive import analysis
from fern_tide.workflows.studio import Studio

TASKS = {analysis.KIND: analysis.run}
_RECOVER_EVERY_S = 5.0
log = logging.getLogger(__name__)


def connect(studio: Studio, *, at_once: bool = False) -> Huey:
    """Give the studio a queue.

    Args:
        studio: its enqueue is set.
        at_once: do the work in this process as it is asked for, for the command line and tests.
    """
    settings = studio.settings
    if at_once or not settings.redis_url:
        huey: Any = SqliteHuey("fern-tide", filename=str(settings.data / "queue.sqlite"), immediate=at_once)
    else:
        huey = RedisHuey("fern-tide", url=settings.redis_url)
    task = huey.task(name="run_job")(lambda job_id: run_job(studio, job_id))
    studio.enqueue = lambda job: task(job.id)
    return huey


def run_job(studio: Studio, job_id: str) -> None:
    """Do a job unless it was taken or cancelled meanwhile; how it ends is noted on its row."""
    job = studio.jobs.claim(job_id)
    if job is None:
        return
    try:
        TASKS[job.kind](studio, job, report=lambda share, words: studio.jobs.progress(job.id, share=share, words=words))
    except Cancelled:
        studio.jobs.end(job.id, state=CANCELLED, words="Cancelled.")
    except FernTideError as wrong:
        studio.jobs.end(job.id, state=FAILED, words=str(wrong))
    except Exception:
        log.exception("job %s failed", job.id)
        studio.jobs.end(job.id, state=FAILED, words="This went wrong on our side. Try it again.")
    else:
        studio.jobs.end(job.id, state=DONE)


def work(studio: Studio) -> None:
    """Run a worker until it is told to end or its parent is gone. Work that an earlier worker lost is done again."""
    huey = connect(studio)
    parent = os.getppid()
    stop = threading.Event()
    watcher = threading.Thread(target=_watch, args=(studio, parent, stop), daemon=True)
    watcher.start()
    consumer = huey.create_consumer(workers=1, periodic=False, initial_delay=0.05, max_delay=0.3, backoff=1.1)
    consumer._set_signal_handlers = lambda: None
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, _end_now)
    try:
        consumer.run()
    finally:
        stop.set()


def _end_now(*_: object) -> None:
    os._exit(0)  # a job under way is queued again by the next worker: nothing is lost by stopping at once


def _watch(studio: Studio, parent: int, stop: threading.Event) -> None:
    while not stop.is_set():
        if os.getppid() != parent:
            os._exit(0)
        try:
            for job in studio.jobs.requeue_lost():
                _enqueue_again(studio, job)
        except Exception:
            log.exception("looking for lost work failed")
        time.sleep(_RECOVER_EVERY_S)


_SEEN: dict[str, float] = {}


def _enqueue_again(studio: Studio, job: Job) -> None:
    """Queue a job whose queue entry may be gone; a job that is still queued twice is claimed once."""
    now = time.monotonic()
    if now - _SEEN.get(job.id, -1e9) > 60.0:
        _SEEN[job.id] = now
        studio.enqueue(job)
