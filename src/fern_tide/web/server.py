"""Web server and worker together: one command runs both, and Ctrl-C ends both."""

from __future__ import annotations

import gc
import importlib
import logging
import signal
import subprocess
import sys
import threading
from types import FrameType

from flask import Flask

from fern_tide.core.base.errors import FernTideError
from fern_tide.jobs.queue import connect
from fern_tide.web.app import create_app
from fern_tide.web.doors import open_door
from fern_tide.workflows.bake.sweep import sweep
from fern_tide.workflows.bring_in.demo import ensure_demo
from fern_tide.workflows.studio import Settings, Studio

THREADS = 8
_RESTART_AFTER_S = 1.0
_TURN_S = 0.001  # how long one request may compute while another waits: a heavy project slows no other
log = logging.getLogger(__name__)


def serve(*, data: str | None, host: str, port: int, with_demo: bool) -> None:
    """Serve until interrupted.

    Args:
        data: the data folder, or None for the setting.
        host: where to listen; loopback unless somebody says otherwise.
        port: where to listen; 0 takes a free one.
        with_demo: make the demo project where there is none.
    """
    logging.basicConfig(level=logging.WARNING, format="%(levelname)s %(name)s: %(message)s")
    logging.getLogger("waitress.queue").setLevel(logging.ERROR)  # a page asks for many files at once
    signal.signal(signal.SIGTERM, _interrupt)
    sys.setswitchinterval(_TURN_S)
    settings = Settings.from_environment(data)
    studio = Studio.open(settings)
    connect(studio)
    if with_demo:
        ensure_demo(studio)
    worker = Worker(settings)
    app = create_app(studio, hosts=tuple(dict.fromkeys(("127.0.0.1", "localhost", host))))
    limit = settings.most_upload_bytes + (1 << 20)
    try:
        server = open_door(app, host=host, port=port, threads=THREADS, most_bytes=limit)
    except OSError as cause:
        raise FernTideError(f"{host}:{port} cannot be listened on: {cause.strerror}.", remedy="Use --port.") from cause
    try:
        worker.start()
        threading.Thread(target=_settle, args=(app, studio), daemon=True).start()
        print(f"Fern Tide is at http://{host}:{server.effective_port}/ (Ctrl-C ends it)", flush=True)
        server.run()
    except (KeyboardInterrupt, SystemExit):
        pass
    finally:
        worker.stop()
        server.close()


def _settle(app: Flask, studio: Studio) -> None:
    """Compile the templates and load what is slow to load, so that nobody's first look or cut waits; then sweep."""
    for name in app.jinja_env.list_templates():
        app.jinja_env.get_template(name)
    importlib.import_module("scipy.ndimage")
    gc.collect()
    gc.freeze()  # what stays is looked through no more: that stopped everybody for a few pictures of the screen
    try:
        sweep(studio)
    except Exception:
        log.exception("sweeping failed")


def _interrupt(number: int, frame: FrameType | None) -> None:
    raise KeyboardInterrupt


class Worker:
    """The worker process: started again when it dies, ended with the server."""

    def __init__(self, settings: Settings) -> None:
        self._command = [sys.executable, "-m", "fern_tide.cli", "worker", "--with-server"]
        self._command += ["--data", str(settings.data)]
        self._stopping = threading.Event()
        self._process: subprocess.Popen[bytes] | None = None
        self._thread = threading.Thread(target=self._keep_alive, daemon=True)

    def start(self) -> None:
        """Start it, and keep it running."""
        self._process = self._begin()
        self._thread.start()

    def _begin(self) -> subprocess.Popen[bytes]:
        """Start it with a pipe that ends when this process does, however that comes: then the worker ends too."""
        return subprocess.Popen(self._command, stdin=subprocess.PIPE)

    def stop(self) -> None:
        """End it."""
        self._stopping.set()
        if self._process is not None:
            self._process.terminate()
            try:
                self._process.wait(timeout=5)
            except subprocess.TimeoutExpired:
                self._process.kill()

    def _keep_alive(self) -> None:
        while not self._stopping.is_set():
            assert self._process is not None
            self._process.wait()
            if not self._stopping.is_set():
                log.warning("the worker ended; it is started again")
                if not self._stopping.wait(_RESTART_AFTER_S):
                    self._process = self._begin()
