"""Firefox by WebDriver BiDi and WebKit by WebDriver, each with the few things that a look at a page needs."""

from __future__ import annotations

import base64
import contextlib
import json
import os
import re
import subprocess
import tempfile
import time
import warnings
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import websocket
from selenium import webdriver
from selenium.common.exceptions import WebDriverException

WIDTH, HEIGHT = 1280, 800


class Firefox:
    """Debian's Firefox, without a window."""

    name = "firefox"

    def __init__(self, profile: Path) -> None:
        (profile / "user.js").write_text(
            'user_pref("media.autoplay.default", 0);\n'
            'user_pref("network.captive-portal-service.enabled", false);\n'
            'user_pref("network.connectivity-service.enabled", false);\n'
            'user_pref("app.update.enabled", false);\n'
            'user_pref("browser.shell.checkDefaultBrowser", false);\n'
        )
        self.wrong: list[str] = []
        self._socket: Any = None
        words = ["firefox-esr", "--headless", "--profile", str(profile), "--remote-debugging-port", "0"]
        size = {"MOZ_HEADLESS_WIDTH": str(WIDTH), "MOZ_HEADLESS_HEIGHT": str(HEIGHT), "HOME": str(profile)}
        self._process = subprocess.Popen(words, stderr=subprocess.PIPE, text=True, env={**os.environ, **size})
        try:
            self._connect()
        except BaseException:
            self.close()
            raise

    def _connect(self) -> None:
        assert self._process.stderr is not None
        found = None
        while found is None:
            line = self._process.stderr.readline()
            assert line, "Firefox ended before it could be reached"
            found = re.search(r"ws://\S+", line)
        self._socket = websocket.create_connection(f"{found[0]}/session", timeout=60, suppress_origin=True)
        self._count = 0
        self._ask("session.new", {"capabilities": {}})
        self._ask("session.subscribe", {"events": ["log.entryAdded"]})
        self._context = self._ask("browsingContext.getTree", {})["contexts"][0]["context"]
        size = {"context": self._context, "viewport": {"width": WIDTH, "height": HEIGHT}}
        self._ask("browsingContext.setViewport", size)

    def _ask(self, method: str, params: dict[str, Any]) -> Any:
        self._count += 1
        self._socket.send(json.dumps({"id": self._count, "method": method, "params": params}))
        while True:
            said = json.loads(self._socket.recv())
            if said.get("method") == "log.entryAdded" and said["params"]["level"] == "error":
                self.wrong.append(said["params"]["text"])
            if said.get("id") == self._count:
                assert said["type"] == "success", said
                return said["result"]

    def open(self, url: str) -> None:
        """Go to an address and wait until it is there."""
        self._ask("browsingContext.navigate", {"context": self._context, "url": url, "wait": "complete"})

    def evaluate(self, expression: str) -> Any:
        """Give what an expression of the page gives, by way of JSON; promises are waited for."""
        script = f"(async () => JSON.stringify(await ({expression})) ?? 'null')()"
        params = {"expression": script, "target": {"context": self._context}, "awaitPromise": True}
        found = self._ask("script.evaluate", params)
        assert found["type"] == "success", found
        return json.loads(found["result"]["value"])

    def picture(self) -> bytes:
        """Take a PNG of the page."""
        return base64.b64decode(self._ask("browsingContext.captureScreenshot", {"context": self._context})["data"])

    def close(self) -> None:
        """End it."""
        if self._socket is not None:
            self._socket.close()
        self._process.terminate()
        self._process.communicate(timeout=20)


class WebKit:
    """Debian's WebKit in its small browser, on a screen that nobody sees."""

    name = "webkit"

    def __init__(self) -> None:
        self.wrong: list[str] = []
        self._screen = subprocess.Popen(
            ["Xvfb", "-displayfd", "1", "-screen", "0", "1600x1200x24", "-nolisten", "tcp"],
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
            text=True,
        )
        assert self._screen.stdout is not None
        display = f":{self._screen.stdout.readline().strip()}"
        self._screen.stdout.close()
        own = {**os.environ, "DISPLAY": display, "WEBKIT_DISABLE_SANDBOX_THIS_IS_DANGEROUS": "1"}
        options = webdriver.WebKitGTKOptions()
        options.binary_location = str(next(Path("/usr/lib").glob("*/webkit2gtk-4*/MiniBrowser")))
        options.add_argument("--automation")
        service = webdriver.WebKitGTKService("/usr/bin/WebKitWebDriver", env=own)
        self._driver: Any = None
        try:
            with warnings.catch_warnings():
                warnings.simplefilter("ignore", DeprecationWarning)  # selenium's own
                self._driver = webdriver.WebKitGTK(options=options, service=service)
            self._driver.set_window_size(WIDTH, HEIGHT + 48)
            self._driver.set_script_timeout(60)
        except BaseException:
            self.close()
            raise

    def open(self, url: str) -> None:
        """Go to an address and wait until it is there: WebKit comes back before the scripts of a page have run."""
        self._driver.get(url)
        end = time.monotonic() + 60
        while self.evaluate("document.readyState") != "complete":
            assert time.monotonic() < end, f"{url} is not there"
            time.sleep(0.05)

    def evaluate(self, expression: str) -> Any:
        """Give what an expression of the page gives, by way of JSON; promises are waited for."""
        awaited = f"(async () => JSON.stringify(await ({expression})) ?? 'null')()"
        script = f"const end = arguments[0]; {awaited}.then(end, (wrong) => end('!' + wrong));"
        found = self._driver.execute_async_script(script)
        assert not str(found).startswith("!"), found
        return json.loads(found)

    def picture(self) -> bytes:
        """Take a PNG of the page."""
        return base64.b64decode(self._driver.get_screenshot_as_base64())

    def close(self) -> None:
        """End it."""
        with contextlib.suppress(Exception):
            self._driver.quit()
        self._screen.terminate()
        self._screen.wait(10)


@contextlib.contextmanager
def other_browser(name: str) -> Iterator[Firefox | WebKit]:
    """Start one of the other browsers, and end it; one that loses its line on a busy machine is started again."""
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as profile:
        for tries_left in (2, 1, 0):
            try:
                browser = Firefox(Path(profile)) if name == "firefox" else WebKit()
                break
            except (websocket.WebSocketException, WebDriverException):
                if not tries_left:
                    raise
        try:
            yield browser
        finally:
            browser.close()
