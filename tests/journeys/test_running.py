"""Web and worker together: killed, restarted, ended."""

import contextlib
import json
import os
import signal
import subprocess
import sys
import time
import urllib.request
from pathlib import Path

import numpy as np
import pytest
from playwright.sync_api import Error
from tests.conftest import wav
from tests.journeys.conftest import Server, wait

from fern_tide.store.processes import born

pytestmark = pytest.mark.alone


def quiet(folder: Path, *, minutes: int) -> Path:
    """A small file that takes seconds to analyze: long, slow and silent."""
    path = folder / "Rain drums.wav"
    path.write_bytes(wav(np.zeros(8_000 * 60 * minutes), rate_hz=8_000, subtype="PCM_U8"))
    return path


@pytest.fixture
def long(tmp_path) -> Path:
    return quiet(tmp_path, minutes=12)


@pytest.fixture
def own(tmp_path):
    made = Server(tmp_path / "data")
    yield made
    if made.process.poll() is None:
        made.stop()


def work(server, key):
    return json.loads(urllib.request.urlopen(f"{server.url}/p/{key}/work").read())["jobs"]


def until(condition, *, seconds=40.0):
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        if found := condition():
            return found
        time.sleep(0.1)
    raise AssertionError("it never came")


def new_project(browser, server, sound) -> str:
    context = browser.new_context(base_url=server.url)
    page = context.new_page()
    page.goto("/")
    page.set_input_files("#file", sound)
    page.wait_for_url("**/bench")
    key = page.url.split("/")[-2]
    context.close()
    return key


def test_killing_the_worker_in_mid_analysis_ends_with_the_analysis_done(browser, own, long):
    key = new_project(browser, own, long)
    until(lambda: any(job["state"] == "running" for job in work(own, key)))
    (worker,) = own.children()
    os.kill(worker, signal.SIGKILL)
    until(lambda: [pid for pid in own.children() if pid != worker])  # the supervisor starts another
    until(lambda: work(own, key) == [])
    assert urllib.request.urlopen(f"{own.url}/p/{key}/tracks/rain-drums/waveform").status == 200


def test_killing_everything_loses_nothing(browser, own, long):
    key = new_project(browser, own, long)
    until(lambda: any(job["state"] == "running" for job in work(own, key)))
    workers = own.children()
    own.stop(signal.SIGKILL)
    until(lambda: not any(Path(f"/proc/{pid}").exists() for pid in workers))  # a worker ends with its parent
    again = Server(own.data)
    try:
        until(lambda: work(again, key) == [])
        assert "Rain drums" in urllib.request.urlopen(f"{again.url}/").read().decode()
    finally:
        again.stop()


def test_analysis_is_cancelled_and_begun_again_from_the_page(browser, own, tmp_path):
    long = quiet(tmp_path, minutes=25)
    context = browser.new_context(base_url=own.url)
    page = context.new_page()
    page.goto("/")
    page.set_input_files("#file", long)
    page.wait_for_url("**/bench")
    page.wait_for_selector("#work >> text=Cancel")
    asked = []
    page.route("**/work", lambda route: asked.append(route))
    while not asked:
        page.wait_for_timeout(50)
    page.click("#work >> text=Cancel")  # while the page is asking how far it is, whose answer draws the button anew
    page.unroute("**/work")
    for route in asked:
        with contextlib.suppress(Error):  # it was given up for what was pressed
            route.continue_()
    page.wait_for_selector("#work >> text=Analyze again")
    page.route(
        "**/work", lambda route: route.fulfill(status=503) if route.request.method == "GET" else route.continue_()
    )
    page.click("#work >> text=Analyze again")
    page.wait_for_timeout(1000)
    page.unroute("**/work")  # a busy server's answer was not the last that the page asked for
    wait(page, "document.querySelector('#work').childElementCount === 0", seconds=180)
    context.close()


@pytest.mark.parametrize("number", [signal.SIGINT, signal.SIGTERM])
def test_ctrl_c_ends_both_cleanly(own, number):
    until(own.children)
    workers = own.children()
    said = own.stop(number)
    assert own.process.returncode == 0
    assert "Traceback" not in said
    assert not any(Path(f"/proc/{pid}").exists() for pid in workers)


def test_a_port_that_is_taken_is_said_in_one_line(own, tmp_path):
    port = own.url.rsplit(":", 1)[1]
    words = [sys.executable, "-m", "fern_tide.cli", "serve", "--data", str(tmp_path / "other"), "--port", port]
    done = subprocess.run(words, capture_output=True, text=True, timeout=30)
    assert done.returncode == 2
    assert "cannot be listened on" in done.stderr and "Use --port" in done.stderr and done.stderr.count("\n") == 1


def test_a_worker_started_by_hand_outlives_its_shell(tmp_path):
    line = f"{sys.executable} -m fern_tide.cli worker --data {tmp_path}/data >/dev/null 2>&1 & echo $!"
    shell = subprocess.run(["sh", "-c", line], stdin=subprocess.DEVNULL, stdout=subprocess.PIPE, timeout=30, check=True)
    worker = int(shell.stdout)
    try:
        until((tmp_path / "data" / "queue.sqlite").exists)
        time.sleep(1.0)  # it is at work by then, and would have seen that its parent is gone
        os.kill(worker, signal.SIGHUP)
        time.sleep(0.5)
        assert born(worker)
    finally:
        os.kill(worker, signal.SIGTERM)


def test_a_worker_ends_with_a_server_that_is_killed_before_it_stands(tmp_path):
    run = f"""
import sys
from pathlib import Path
from fern_tide.web.server import Worker
from fern_tide.workflows.studio import Settings
worker = Worker(Settings(data=Path({str(tmp_path / "data")!r})))
worker.start()
print(worker._process.pid, flush=True)
sys.stdin.read()
"""
    for wait_s in (0.0, 0.4):
        with subprocess.Popen([sys.executable, "-c", run], stdin=subprocess.PIPE, stdout=subprocess.PIPE) as server:
            worker = int(server.stdout.readline())
            time.sleep(wait_s)
            server.kill()
        until(lambda worker=worker: not born(worker), seconds=20)
