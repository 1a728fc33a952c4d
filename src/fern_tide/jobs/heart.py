"""The heart of a piece of long work: it says that the work goes on, and stops it where it can be stopped."""

from __future__ import annotations

import ctypes
import logging
import threading
import time
from collections.abc import Callable

from fern_tide.core.base.errors import Cancelled
from fern_tide.store.job_rows import Job, JobStore, Lost

BEAT_S = 0.5
log = logging.getLogger(__name__)


class Heart:
    """Says twice a second that a job goes on, and learns whether it was cancelled, or is done by another process now.

    The work learns it at its next word (report). In a stretch of pure computation, which has no words, its thread is
    stopped from outside: only there, since a thread that is stopped in mid-transaction would leave the database shut.

    Args:
        jobs: where the job's row is.
        job: as claimed.
    """

    def __init__(self, jobs: JobStore, job: Job) -> None:
        self._jobs, self._job = jobs, job
        self._over = threading.Event()
        self._lock = threading.Lock()
        self._wrong: type[Exception] | None = None
        self._stretching: int | None = None
        self._sent = False
        self._reached: tuple[float | None, str] = (None, "")
        self._thread = threading.Thread(target=self._beat, daemon=True)

    def __enter__(self) -> Heart:
        self._thread.start()
        return self

    def __exit__(self, *raised: object) -> None:
        self._over.set()
        self._thread.join()

    def report(self, share: float, words: str) -> bool:
        """Note how far the job is; False when somebody asked it to stop.

        Args:
            share: how much is done, 0 to 1.
            words: what is being done.

        Raises:
            Lost: another process does it now.
        """
        return self._jobs.progress(self._job, share=share, words=words)

    def stretch(self) -> Stretch:
        """Give a block of computation that may be stopped anywhere: in it nothing is stored, locked or opened."""
        return Stretch(self)

    def reached(self, share: float, words: str) -> None:
        """Say how far a stretch is; the next beat notes it."""
        self._reached = (share, words)

    def begin_stretch(self) -> None:
        """Let this thread be stopped from here on."""
        with self._lock:
            if self._wrong is not None:
                raise self._wrong
            self._stretching, self._reached = threading.get_ident(), (None, "")

    def end_stretch(self, *, arrived: bool) -> None:
        """Let this thread not be stopped any more; what was sent and has not come yet comes here.

        It is waited for rather than taken back: what is taken back stays pending in the interpreter for ever (3.11),
        which makes every call slower and a tracer go round without end.

        Args:
            arrived: whether what was sent has come.
        """
        with self._lock:
            self._stretching = None
            waits = self._sent and not arrived
        while waits:
            time.sleep(0)

    def _beat(self) -> None:
        try:
            while not self._over.wait(BEAT_S):
                with self._lock:  # what a stretch says is noted before it ends: later it would lie over what comes then
                    wrong = self._learn()
                    if wrong is None:
                        continue
                    self._wrong = wrong
                    if self._stretching is not None:
                        self._sent = True
                        _send(self._stretching, wrong)
                return
        finally:
            self._jobs.close()  # this thread's own connection

    def _learn(self) -> type[Exception] | None:
        """Say that the job goes on, and give what stops it, if anything does."""
        share, words = self._reached if self._stretching is not None else (None, "")
        try:
            return None if self._jobs.progress(self._job, share=share, words=words) else Cancelled
        except Lost:
            return Lost
        except Exception:  # the disk is full, or busy: the next beat may be heard
            log.exception("a beat of job %s failed", self._job.id)
            return None


class Stretch:
    """A block of computation that its heart may stop."""

    def __init__(self, heart: Heart) -> None:
        self._heart = heart

    def __enter__(self) -> Callable[[float, str], None]:
        """Begin it; gives what says how far it is, as a share from 0 to 1 and in words."""
        self._heart.begin_stretch()
        return self._heart.reached

    def __exit__(self, kind: type[BaseException] | None, *_: object) -> None:
        self._heart.end_stretch(arrived=kind in {Cancelled, Lost})


def _send(thread: int, wrong: type[Exception]) -> None:
    """Raise an error in a thread at its next step."""
    ctypes.pythonapi.PyThreadState_SetAsyncExc(ctypes.c_ulong(thread), ctypes.py_object(wrong))
