"""A running application and a browser. A page fails its test on any console error or policy violation."""

from __future__ import annotations

import contextlib
import json
import os
import re
import signal
import subprocess
import sys
import time
from pathlib import Path
from shutil import which
from typing import Any

import pytest
from playwright.sync_api import Browser, BrowserContext, Error, Page, sync_playwright
from tests.conftest import drums, wav

ROOT = Path(__file__).parents[2]
CHROMIUM = which("chromium-headless-shell") or "/usr/bin/chromium"
"""The first starts and draws a quarter faster: it is the second without its window."""
FLAGS = [
    "--no-sandbox",
    "--disable-dev-shm-usage",
    "--mute-audio",
    "--autoplay-policy=no-user-gesture-required",
    "--hide-scrollbars",
    "--force-color-profile=srgb",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]
AXE = ROOT / "node_modules/axe-core/axe.min.js"


class Server:
    """`fern-tide serve` in a process of its own."""

    def __init__(self, data: Path, command: str = "serve") -> None:
        self.data = data
        words = [sys.executable, "-m", "fern_tide.cli", command, "--data", str(data), "--port", "0"]
        self.process = subprocess.Popen(words, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)
        line = self.process.stdout.readline()
        self.url = re.search(r"http://\S+?(?=/ )", line)[0]

    def children(self) -> list[int]:
        out = subprocess.run(["ps", "-o", "pid=", "--ppid", str(self.process.pid)], capture_output=True, text=True)
        return [int(word) for word in out.stdout.split()]

    def stop(self, number: int = signal.SIGINT) -> str:
        with contextlib.suppress(ProcessLookupError):
            os.kill(self.process.pid, number)
        _, said = self.process.communicate(timeout=15)
        return said


SCRIPT = """
    window.script = async (name) => (await import(document.querySelector("script[type=module]").src))[name]
"""
"""For the page: what a script of the application exports, the same that runs there."""

LATE = """(() => {
    const at = (longest) => (Math.random() < 0.5 ? Math.random() * longest : 0);
    const later = (longest) => new Promise((on) => setTimeout(on, at(longest)));
    const { fetch } = window;
    window.fetch = async (...asked) => {
        await later(500);
        const answer = await fetch(...asked);
        await later(1000);
        return answer;
    };
    const { send } = XMLHttpRequest.prototype;
    XMLHttpRequest.prototype.send = function (...sent) {
        later(500).then(() => this.readyState === 1 && send.apply(this, sent));
    };
})()"""
"""For the page, with LATE_ANSWERS=1: half of what it asks goes late, and half of the answers come late, out of turn."""


@pytest.fixture(scope="session")
def server(tmp_path_factory):
    made = Server(tmp_path_factory.mktemp("served") / "data")
    yield made
    made.stop()


@pytest.fixture(scope="session")
def browser() -> Browser:
    with sync_playwright() as playwright:
        made = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        yield made
        made.close()


@pytest.fixture(scope="session")
def window(browser: Browser, server: Server) -> BrowserContext:
    """What all pages are opened in, so that scripts and fonts are read once, as they are for a person."""
    made = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=server.url, accept_downloads=True)
    made.add_init_script(SCRIPT)
    if os.environ.get("LATE_ANSWERS"):
        made.add_init_script(LATE)
    yield made
    made.close()


@pytest.fixture
def page(window: BrowserContext) -> Page:
    made = window.new_page()
    made.set_default_timeout(60_000)  # machines are shared
    wrong: list[str] = []
    expected: list[str] = []
    made.on(
        "console",
        lambda message: (
            wrong.append(f"{message.text} {message.location}") if message.type in {"error", "warning"} else None
        ),
    )
    made.on("pageerror", lambda error: wrong.append(str(error)))
    made.expect_console = expected.append
    yield made
    for opened in window.pages:
        opened.close()
    unexpected = [text for text in wrong if not any(word in text for word in expected)]
    assert unexpected == []


def axe(page: Page) -> list[str]:
    """Run axe-core; gives its serious and critical findings."""
    page.evaluate(AXE.read_text())
    found = page.evaluate("axe.run(document, { resultTypes: ['violations'] })")
    return [
        f"{item['id']}: {node['target']} {node['failureSummary']}"
        for item in found["violations"]
        if item["impact"] in {"serious", "critical"}
        for node in item["nodes"]
    ]


HOLDS = """async (until) => {
    for (;;) {
        try {
            if (await (%s)) return true;
        } catch (wrong) {
            if (!/properties of null/.test(wrong.message)) throw wrong;
        }
        if (Date.now() > until) return false;
        await new Promise((on) => setTimeout(on, 30));
    }
}"""
"""For the page: look again and again whether an expression holds; not where what it asks for is not drawn yet."""


def wait(page: Page, expression: str, *, seconds: float = 40.0) -> None:
    """Wait until an expression holds in the page. (Playwright's own waiting needs eval, which the policy forbids.)"""
    end = time.time() + seconds
    while True:
        try:
            assert page.evaluate(HOLDS % expression, end * 1000), f"it never came: {expression}"
            return
        except Error as wrong:  # another page has come meanwhile
            if "context was destroyed" not in wrong.message or time.time() > end:
                raise


def stop_clock(page: Page) -> None:
    """Stop the clock of a drawing that a page shows by itself, once it is there: what was there before has none."""
    wait(page, "Boolean(document.documentElement.pauseAnimations)")
    page.evaluate("document.documentElement.pauseAnimations()")


def draw_anew(page: Page, watched: str, *, comes: bool = True) -> None:
    """Let the server draw a room's parts anew, and wait until something of them is another one; or do not wait."""
    page.evaluate(f"document.querySelector('{watched}').dataset.old = ''")
    page.evaluate("document.getElementById('parts').dispatchEvent(new CustomEvent('ft:renew'))")
    if comes:
        wait(page, f"!('old' in document.querySelector('{watched}').dataset)")


def stored(page: Page, path: str, selector: str) -> dict[str, Any]:
    """What the server writes into a page now, as data, once all that the hand did is stored."""
    text = page.evaluate(
        """async ([path, selector]) => {
            const { project } = await script("project");
            await project.settled();
            const headers = { "HX-Request": "true" };
            const answer = await fetch(`/p/${document.body.dataset.project}/${path}`, { headers });
            const piece = new DOMParser().parseFromString(await answer.text(), "text/html");
            return piece.querySelector(selector).textContent;
        }""",
        [path, selector],
    )
    found: dict[str, Any] = json.loads(text)
    return found


UNTOUCHED = {"Nothing to undo", "Undo: Start Rain empty"}  # whether its first cut was there already or not


def pick(page: Page, opener: str, target: str) -> None:
    """Pick a property with the picker: open it, find the part by its id's words, open that, press the property."""
    part = target.partition(":")[0]
    page.click(opener)
    page.fill("#picker-find", part.replace("-", " "))
    page.click(f"#picker [data-open='{part}']")
    page.click(f"#picker [data-target='{target}']")


def start_empty(page: Page) -> None:
    """Let the first cut go, and wait for what an empty Bench offers."""
    page.click("#cut-drop")
    page.wait_for_selector("#first-target")
    if page.get_attribute("#play", "aria-label") == "Stop":
        page.click("#play")
        page.press("body", "Home")


def drop_sound(page: Page, content: bytes | Path, name: str = "Rain drums.wav") -> None:
    """Choose a sound on the projects page, by content or by file, and start on the Bench with nothing that moves."""
    page.goto("/")
    chosen = content if isinstance(content, Path) else {"name": name, "mimeType": "audio/wav", "buffer": content}
    page.set_input_files("#file", chosen)
    page.wait_for_url("**/bench")
    start_empty(page)


def ask(page: Page, path: str, **sent: Any) -> dict[str, Any]:
    """Ask the server for an edit without a page."""
    if not hasattr(page.context, "token"):
        page.context.token = re.search(r'name="csrf-token" content="([^"]+)"', page.request.get("/").text())[1]
    answer = page.request.post(path, headers={"X-CSRF-Token": page.context.token}, **sent)
    plain: dict[str, Any] = answer.json()
    assert answer.ok, plain
    return plain


def open_sound(page: Page, content: bytes, *, room: str, name: str = "Rain drums.wav") -> None:
    """Open a room of a new project with a sound and nothing that moves, without the projects page."""
    project = ask(page, f"/projects?name={name}", data=content)["url"].rpartition("/")[0]
    base = page.request.get(f"{project}/status").json()["revision"]
    ask(page, f"{project}/first-cut/drop", data={"base": base})
    page.goto(f"{project}/{room}")


def read_csv(text: str) -> tuple[list[str], list[list[str]]]:
    head, *rows = [line.split(",") for line in text.splitlines()]
    return head, rows


def read_whole(page: Page, project: str) -> None:
    """Wait until a project's sounds are read: what its rooms show is not drawn anew under the hand for that."""
    end = time.monotonic() + 60
    while page.request.get(f"{project}/work").json()["jobs"]:
        assert time.monotonic() < end, "its sounds are never read"
        time.sleep(0.1)


@pytest.fixture
def demo(page):
    room = ask(page, "/projects/demo")["url"]
    read_whole(page, room.rpartition("/")[0])
    page.goto(room)
    page.wait_for_selector("#plot")
    wait(page, "document.querySelector('#hits').textContent !== '–'")
    return page


@pytest.fixture
def stage_room(page):
    """The Stage of a project with a sound, on the 2D demo scene."""
    page.expect_console("GPU stall")
    open_sound(page, wav(drums(seconds=3.0), rate_hz=44_100), room="stage", name="Rain.wav")
    on_stage(page)
    wait(page, "document.getElementById('work').childElementCount === 0")  # the page is drawn anew when it is done
    return page


def open_potting_bench(page):
    """Open the 3D demo, once its sounds are read."""
    page.expect_console("GPU stall")
    ask(page, "/projects/demo")
    page.goto("/")
    page.locator("main li a", has_text="potting bench").first.click()
    page.wait_for_url("**/bench")
    read_whole(page, page.url.rpartition("/")[0])


def open_stage(page):
    page.click("#rooms >> text=Stage")
    on_stage(page)


def on_stage(page):
    page.wait_for_selector("#part-panel")
    wait(page, "document.querySelector('#tree').childElementCount > 0")


@pytest.fixture
def performing(demo):
    """The Sound room with what one performs with open, the rehearsal hand chosen."""
    page = demo
    page.goto(page.url.rpartition("/")[0] + "/sound")
    page.click("[data-row='drip']")
    page.wait_for_selector("#ribbon[data-track='drip']")
    page.wait_for_timeout(400)
    wait(page, "!document.querySelector('.htmx-request')")
    page.evaluate("localStorage.removeItem('ft:latency')")
    page.click("#open-perform")
    page.select_option("#perform-device", "rehearsal hand")
    page.select_option("#perform-count", "0")
    return page
