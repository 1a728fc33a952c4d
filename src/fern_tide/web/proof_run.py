"""A proof from the command line: the application on a port and in a folder of its own, drawn by a browser unseen."""

from __future__ import annotations

import contextlib
import logging
import os
import shutil
import subprocess
import tempfile
import threading
import time
from collections.abc import Callable, Iterator
from concurrent.futures import Future
from dataclasses import dataclass
from pathlib import Path

from flask import redirect

from fern_tide.core.base.errors import FernTideError, InvalidParameter
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.jobs.queue import connect
from fern_tide.store.job_rows import DONE, FAILED
from fern_tide.web.app import create_app
from fern_tide.web.doors import open_door
from fern_tide.workflows.derive.analysis import levels_of
from fern_tide.workflows.derive.stages import Stages
from fern_tide.workflows.hand_off import proof, proof_order
from fern_tide.workflows.hand_off.video import KINDS
from fern_tide.workflows.hand_off.writing import import_project
from fern_tide.workflows.studio import Settings, Studio

BROWSERS = ("chromium-headless-shell", "chromium", "chromium-browser")
_QUIET = (
    "--headless", "--disable-gpu", "--mute-audio", "--hide-scrollbars", "--no-first-run", "--disable-sync",
    "--disable-background-networking", "--disable-component-update", "--disable-quic", "--disable-dev-shm-usage",
    "--disable-background-timer-throttling", "--disable-renderer-backgrounding", "--force-color-profile=srgb",
)  # fmt: skip
_OF_OURS = ("/bin/sh", "-c", 'exec "$@" 3<&0 4>/dev/null', "sh")
"""A browser is led through a pipe and ends with it, however we end; what is started may be a script that starts it."""
_ON = "/on"
_LOOK_S = 0.2
_END_S = 5.0
_SILENT_S = 180.0
"""So long nothing may come from the browser before it is given up."""


@dataclass(frozen=True)
class ProofPlan:
    """What is asked for: the kind of video, its size and rate, and whether the strip is burnt in."""

    kind: str
    width: int
    height: int
    strip: bool = False
    rate: FrameRate | None = None


def plan_of(out: Path, *, size: str, strip: bool, clear: bool, rate: str | None = None) -> ProofPlan:
    """Read what a proof is to be from its file's name, a size such as '960x540' and a rate; None is the project's.

    Raises:
        InvalidParameter: there is no video of such an ending, or no such size or rate.
    """
    known = {kind.extension: kind.id for kind in KINDS.values() if kind.clear is clear or kind.id in {"ffv1", "png"}}
    ending = out.suffix.lower()
    if ending not in known:
        raise InvalidParameter("--out", value=out.name, allowed=f"a name that ends in {', '.join(sorted(known))}")
    wide, _, tall = size.partition("x")
    if not (wide.isdecimal() and tall.isdecimal()):
        raise InvalidParameter("--size", value=size, allowed="a width and a height, such as 960x540")
    proof_order.check_size(int(wide), int(tall))
    return ProofPlan(known[ending], int(wide), int(tall), strip, None if rate is None else FrameRate.parse(rate))


def make_proof(source: Path, out: Path, *, plan: ProofPlan, progress: Callable[[int, int], bool]) -> None:
    """Make a proof of a project file; it is there whole or not at all.

    Args:
        source: the .ferntide file.
        out: where the video goes.
        plan: what it is.
        progress: told how many frames are drawn, and of how many.

    Raises:
        FernTideError: there is no browser, it ended early, or the project cannot be read.
    """
    browser = next(filter(None, map(shutil.which, BROWSERS)), None)
    if browser is None:
        raise FernTideError(
            "There is no Chromium to draw the stage with.",
            remedy="Install chromium, or make the proof in the Hand-off room.",
        )
    with tempfile.TemporaryDirectory() as folder:
        studio = Studio.open(Settings(data=Path(folder)))
        connect(studio, at_once=True)
        room: Future[str] = Future()
        with _served(studio, room) as port, _started(browser, port, folder):  # it starts while the project is read
            try:
                with source.open("rb") as stream:
                    key = import_project(studio, stream).key
                room.set_result(_room(key, plan))
            finally:
                room.cancel()
            order = _order(studio, key, plan)
            _wait(studio, order, progress)
        assert order.video is not None
        video = studio.derived.path(order.key, suffix=order.video.extension)
        part = out.with_name(f".{out.name}.part")
        shutil.copyfile(video, part)
        part.replace(out)


@contextlib.contextmanager
def _served(studio: Studio, room: Future[str]) -> Iterator[int]:
    """Serve a studio on a free port of this machine, with an address that leads to a room as soon as that is known."""
    app = create_app(studio)
    app.add_url_rule(_ON, view_func=lambda: redirect(room.result()))
    logging.getLogger("waitress.queue").setLevel(logging.ERROR)  # a page asks for many files at once
    server = open_door(app, host="127.0.0.1", port=0, threads=4, most_bytes=proof.MOST_FRAME_BYTES * 4)
    threading.Thread(target=server.run, daemon=True).start()
    try:
        yield int(server.effective_port)
    finally:
        server.task_dispatcher.shutdown(cancel_pending=True, timeout=_END_S)  # none may answer on what is closed
        server.close()


def _room(key: str, plan: ProofPlan) -> str:
    """Give the address at which a page draws a proof."""
    strip, rate = "yes" if plan.strip else "", plan.rate or ""
    asked = f"kind={plan.kind}&width={plan.width}&height={plan.height}&strip={strip}&rate={rate}"
    return f"/p/{key}/hand-off#proof?{asked}"


@contextlib.contextmanager
def _started(browser: str, port: int, folder: str) -> Iterator[None]:
    """Start a browser that goes where it is led."""
    address = f"http://127.0.0.1:{port}{_ON}"
    root = ["--no-sandbox"] if os.geteuid() == 0 else []
    command = [browser, *_QUIET, *root, "--remote-debugging-pipe", f"--user-data-dir={folder}/browser", address]
    nowhere = subprocess.DEVNULL
    with subprocess.Popen([*_OF_OURS, *command], stdin=subprocess.PIPE, stdout=nowhere, stderr=nowhere) as process:
        assert process.stdin is not None
        try:
            yield
        finally:
            process.stdin.close()
            try:
                process.wait(_END_S)
            except subprocess.TimeoutExpired:
                process.kill()


def _order(studio: Studio, key: str, plan: ProofPlan) -> proof_order.ProofOrder:
    project = studio.projects.current(key).document
    pictures = proof_order.pictures_key(levels_of(studio), project, Stages(studio.media).of(project.scene))
    about = {"kind": plan.kind, "width": plan.width, "height": plan.height, "strip": plan.strip, "rate": plan.rate}
    return proof_order.ProofOrder(project=project, pictures=pictures, **about)


def _wait(studio: Studio, order: proof_order.ProofOrder, progress: Callable[[int, int], bool]) -> None:
    """Wait until the video is made.

    Raises:
        FernTideError: it cannot be made, or the browser draws nothing for long.
    """
    drawn, since = -1, time.monotonic()
    while True:
        job = studio.jobs.latest(order.key)
        if job is not None and job.state == DONE:
            return
        if job is not None and job.state == FAILED:
            raise FernTideError(job.words, remedy="Try it again.")
        if job is None and (now := proof.n_drawn(studio, order, known=max(0, drawn))) != drawn:
            drawn, since = now, time.monotonic()
            progress(drawn, order.project.n_frames)
        if job is None and time.monotonic() - since > _SILENT_S:
            raise FernTideError("The browser draws nothing.", remedy="Make the proof in the Hand-off room.")
        time.sleep(_LOOK_S)
