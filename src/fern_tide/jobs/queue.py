"""The queue is huey, on SQLite in the data folder or on Redis by one setting."""

from __future__ import annotations

import itertools
import logging
import os
import signal
import threading
import time
from typing import Any

from huey import Huey, RedisHuey, SqliteHuey

from fern_tide.core.base.errors import Cancelled, FernTideError
from fern_tide.jobs.heart import Heart
from fern_tide.store.job_rows import CANCELLED, DONE, FAILED, Job, Lost
from fern_tide.workflows.derive import analysis
from fern_tide.workflows.hand_off import long, proof
from fern_tide.workflows.studio import Studio

TASKS = {analysis.KIND: analysis.run, long.KIND: long.run, proof.KIND: proof.run}
WAITS = "Saved; it is read as soon as the queue is back"
_RECOVER_EVERY_S = 5.0
_TIDY_EVERY = 12
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

    def enqueue(job: Job) -> None:
        """Queue a job; where the queue cannot be reached, the job waits on its row, and a worker queues it again."""
        try:
            task(job.id)
        except Exception as wrong:
            if at_once or isinstance(wrong, FernTideError):
                raise
            log.warning("the queue cannot be reached (%s): job %s waits", wrong, job.id)
            studio.jobs.wait(job.id, words=WAITS)

    studio.enqueue = enqueue
    return huey


def run_job(studio: Studio, job_id: str) -> None:
    """Do a job unless it was taken or cancelled meanwhile; how it ends is noted on its row."""
    job = studio.jobs.claim(job_id)
    if job is None:
        return
    try:
        with Heart(studio.jobs, job) as heart:
            TASKS[job.kind](studio, job, report=heart.report, stretch=heart.stretch)
    except Lost:
        log.info("job %s went on elsewhere", job.id)
    except Cancelled:
        studio.jobs.end(job, state=CANCELLED, words="Cancelled.")
    except FernTideError as wrong:
        studio.jobs.end(job, state=FAILED, words=str(wrong))
    except Exception:
        log.exception("job %s failed", job.id)
        studio.jobs.end(job, state=FAILED, words="This went wrong on our side. Try it again.")
    else:
        studio.jobs.end(job, state=DONE)


def work(studio: Studio, *, with_server: bool = False) -> None:
    """Run a worker. Work that an earlier worker lost is done again.

    Args:
        studio: whose queue is worked on.
        with_server: end when standard input ends, which its server holds open as long as it lives; otherwise run until
            told to end, also when the shell that started it is closed.
    """
    huey = connect(studio)
    stop = threading.Event()
    threading.Thread(target=_watch, args=(studio, stop), daemon=True).start()
    if with_server:
        threading.Thread(target=_end_with_server, daemon=True).start()
    consumer = huey.create_consumer(workers=1, periodic=False, initial_delay=0.05, max_delay=0.3, backoff=1.1)
    consumer._set_signal_handlers = lambda: None
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, _end_now)
    if not with_server:
        signal.signal(signal.SIGHUP, signal.SIG_IGN)
    try:
        consumer.run()
    finally:
        stop.set()


def _end_now(*_: object) -> None:
    os._exit(0)  # a job under way is queued again by the next worker: nothing is lost by stopping at once


def _end_with_server() -> None:
    while os.read(0, 1024):
        pass
    os._exit(0)


def _watch(studio: Studio, stop: threading.Event) -> None:
    for number in itertools.count():
        if stop.is_set():
            return
        try:
            if number % _TIDY_EVERY == 0:
                studio.tidy()
            for job in studio.jobs.requeue_lost():
                _enqueue_again(studio, job)
        except Exception:
            log.exception("looking for lost work failed")
        time.sleep(_RECOVER_EVERY_S)


_SEEN: dict[str, float] = {}


def _enqueue_again(studio: Studio, job: Job) -> None:
    """Queue a job whose queue entry may be gone; a job that is still queued twice is claimed once."""
    now = time.monotonic()
    if job.words == WAITS or now - _SEEN.get(job.id, -1e9) > 60.0:
        _SEEN[job.id] = now
        studio.jobs.wait(job.id, words="")
        studio.enqueue(job)
