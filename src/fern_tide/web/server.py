"""Web server and worker together: one command runs both, and Ctrl-C ends both."""

from __future__ import annotations

import logging
import signal
import subprocess
import sys
import threading
import time
from types import FrameType

from flask import Flask
from waitress.server import create_server

from fern_tide.core.base.errors import FernTideError
from fern_tide.jobs.queue import connect
from fern_tide.web.app import create_app
from fern_tide.workflows.bake.sweep import sweep
from fern_tide.workflows.bring_in.demo import ensure_demo
from fern_tide.workflows.studio import Settings, Studio

THREADS = 8
_RESTART_AFTER_S = 1.0
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
    settings = Settings.from_environment(data)
    studio = Studio.open(settings)
    connect(studio)
    sweep(studio)
    if with_demo:
        ensure_demo(studio)
    worker = Worker(settings)
    app = create_app(studio, hosts=tuple(dict.fromkeys(("127.0.0.1", "localhost", host))))
    limit = settings.most_upload_bytes + (1 << 20)
    try:
        server = create_server(app, host=host, port=port, threads=THREADS, max_request_body_size=limit, ident="")
    except OSError as cause:
        raise FernTideError(f"{host}:{port} cannot be listened on: {cause.strerror}.", remedy="Use --port.") from cause
    try:
        worker.start()
        threading.Thread(target=_warm, args=(app,), daemon=True).start()
        print(f"Fern Tide is at http://{host}:{server.effective_port}/ (Ctrl-C ends it)", flush=True)
        server.run()
    except (KeyboardInterrupt, SystemExit):
        pass
    finally:
        worker.stop()
        server.close()


def _warm(app: Flask) -> None:
    """Compile the templates, so that nobody's first look at a room waits for them."""
    for name in app.jinja_env.list_templates():
        app.jinja_env.get_template(name)


def _interrupt(number: int, frame: FrameType | None) -> None:
    raise KeyboardInterrupt


class Worker:
    """The worker process: started again when it dies, ended with the server."""

    def __init__(self, settings: Settings) -> None:
        self._command = [sys.executable, "-m", "fern_tide.cli", "worker", "--data", str(settings.data)]
        self._stopping = threading.Event()
        self._process: subprocess.Popen[bytes] | None = None
        self._thread = threading.Thread(target=self._keep_alive, daemon=True)

    def start(self) -> None:
        """Start it, and keep it running."""
        self._process = subprocess.Popen(self._command)
        self._thread.start()

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
                time.sleep(_RESTART_AFTER_S)
                self._process = subprocess.Popen(self._command)
