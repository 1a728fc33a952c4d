"""The queue on a real Redis: two workers, one killed, Redis gone and back in mid-edit."""

import os
import signal
import socket
import subprocess
import sys

import numpy as np
import pytest
from tests.conftest import drums, wav
from tests.journeys.test_running import until

from fern_tide.core.commands.project import AddEnvelope
from fern_tide.demo.scene import glasshouse
from fern_tide.jobs.queue import WAITS, connect
from fern_tide.store.job_rows import DONE, QUEUED, RUNNING
from fern_tide.workflows.bring_in.sounds import start_project
from fern_tide.workflows.studio import Settings, Studio
from fern_tide.workflows.tune import edits


class Redis:
    """A redis-server of our own."""

    def __init__(self, folder):
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            self.port = free.getsockname()[1]
        self.folder, self.process = folder, None
        self.url = f"redis://127.0.0.1:{self.port}/0"

    def start(self):
        words = [
            "redis-server",
            "--port",
            str(self.port),
            "--dir",
            str(self.folder),
            "--save",
            "",
            "--appendonly",
            "no",
        ]
        self.process = subprocess.Popen([*words, "--bind", "127.0.0.1"], stdout=subprocess.DEVNULL)
        until(self._answers)

    def _answers(self):
        with socket.socket() as line:
            return line.connect_ex(("127.0.0.1", self.port)) == 0

    def stop(self):
        self.process.kill()
        self.process.wait()


@pytest.fixture
def redis(tmp_path):
    made = Redis(tmp_path)
    made.start()
    yield made
    made.stop()


def worker(settings):
    environment = os.environ | {"FERN_TIDE_REDIS_URL": settings.redis_url}
    words = [sys.executable, "-m", "fern_tide.cli", "worker", "--data", str(settings.data)]
    return subprocess.Popen(words, env=environment, stderr=subprocess.DEVNULL)


@pytest.fixture
def studio(tmp_path, redis):
    made = Studio.open(Settings(data=tmp_path / "data", redis_url=redis.url))
    connect(made)
    yield made
    for store in (made.projects, made.jobs, made.library):
        store.close()


def rows(studio):
    return list(studio.jobs._table.select())


def states(studio):
    return {row.state for row in rows(studio)}


def test_a_killed_worker_of_two_loses_nothing(studio):
    sound = wav(np.zeros(8_000 * 60 * 20), rate_hz=8_000, subtype="PCM_U8")
    workers = [worker(studio.settings) for _ in range(2)]
    try:
        start_project(studio, [sound], file_name="Rain.wav", scene=glasshouse())
        (running,) = until(lambda: [row for row in rows(studio) if row.state == RUNNING])
        assert running.pid in {one.pid for one in workers}
        os.kill(running.pid, signal.SIGKILL)
        until(lambda: states(studio) == {DONE}, seconds=90)
        assert {row.pid for row in rows(studio)} <= {one.pid for one in workers} - {running.pid}
    finally:
        for one in workers:
            one.kill()
            one.wait()


def test_an_edit_while_redis_is_gone_is_saved_and_read_when_it_is_back(studio, redis):
    one = worker(studio.settings)
    try:
        sound = wav(drums(seconds=3.0), rate_hz=44_100)
        revision = start_project(studio, [sound], file_name="Drums.wav", scene=glasshouse())
        until(lambda: states(studio) == {DONE}, seconds=60)
        redis.stop()
        track = revision.document.tracks[0].id
        command = AddEnvelope.model_validate(
            {"track": track, "reading": {"id": "bank", "params": {"channel": "side", "bands": 7}}}
        )
        saved = edits.edit(studio, revision.key, command, base=revision.id)
        assert studio.projects.current(revision.key).document == saved.document
        (waiting,) = [row for row in rows(studio) if row.state == QUEUED]
        assert waiting.words == WAITS
        redis.start()
        until(lambda: states(studio) == {DONE}, seconds=60)
    finally:
        one.kill()
        one.wait()
