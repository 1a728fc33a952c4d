"""What a siege needs: a server with its worker, clients, a Redis of its own, and the table of what was counted."""

from __future__ import annotations

import contextlib
import io
import json
import os
import re
import shutil
import signal
import socket
import subprocess
import sys
import tempfile
import time
import urllib.error
import urllib.request
from collections import Counter
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from http.cookiejar import CookieJar
from pathlib import Path
from typing import Any

import numpy as np
import soundfile

SIZE_OF_SMALL_DISK = "80m"


@dataclass
class Line:
    """A line of the table: what was counted, what it may be at most, and whether it must be so."""

    words: str
    value: float
    most: float | None
    unit: str = ""
    must: bool = True

    @property
    def holds(self) -> bool:
        return self.most is None or self.value <= self.most


@dataclass
class Siege:
    """What is found out, line by line."""

    lines: list[Line] = field(default_factory=list)

    def say(self, words: str, value: float, most: float | None, unit: str = "", *, must: bool = True) -> None:
        line = Line(words, value, most, unit, must)
        self.lines.append(line)
        print(f"{words:64} {value:9.4g} {unit:4} {'' if most is None else f'(at most {most:g})'}", flush=True)


class Server:
    """A server with its worker, and what is known of both."""

    def __init__(self, data: Path, *, redis_url: str = "") -> None:
        self.data = data
        self.peak_mb = 0.0
        self._environment = os.environ | ({"FERN_TIDE_REDIS_URL": redis_url} if redis_url else {})
        self.start()

    def start(self) -> None:
        words = [sys.executable, "-m", "fern_tide.cli", "serve", "--data", str(self.data), "--port", "0"]
        self.process = subprocess.Popen(
            words, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True, env=self._environment
        )
        assert self.process.stdout is not None
        line = self.process.stdout.readline()
        found = re.search(r"http://[\d.]+:\d+", line)
        if found is None:
            raise RuntimeError(f"the server did not start: {line}")
        self.url = found[0]

    def family(self) -> list[int]:
        """List the server's process and its children."""
        children = subprocess.run(["pgrep", "-P", str(self.process.pid)], capture_output=True, text=True, check=False)
        return [self.process.pid, *map(int, children.stdout.split())]

    def look(self) -> None:
        """Note the most memory that the server has used."""
        with contextlib.suppress(OSError):
            status = Path(f"/proc/{self.process.pid}/status").read_text()
            peaks = re.findall(r"VmHWM:\s+(\d+)", status)
            self.peak_mb = max([self.peak_mb, *(int(peak) / 1024 for peak in peaks)])

    def kill(self) -> list[int]:
        """Kill it as hard as can be; gives who was there."""
        self.look()
        family = self.family()
        self.process.kill()
        self.process.wait()
        return family

    def stop(self) -> None:
        self.look()
        self.process.send_signal(signal.SIGINT)
        with contextlib.suppress(subprocess.TimeoutExpired):
            self.process.wait(timeout=10)
        self.process.kill()


def alive(pid: int) -> bool:
    with contextlib.suppress(OSError):
        return Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[0] not in "ZX"
    return False


class Redis:
    """A redis-server of our own, which forgets all when it ends."""

    def __init__(self, folder: Path) -> None:
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            self.port = free.getsockname()[1]
        self.folder = folder
        self.url = f"redis://127.0.0.1:{self.port}/0"
        folder.mkdir(parents=True, exist_ok=True)
        self.start()

    @staticmethod
    def is_there() -> bool:
        """Say whether this machine has one."""
        return shutil.which("redis-server") is not None

    def start(self) -> None:
        words = ["redis-server", "--port", str(self.port), "--bind", "127.0.0.1", "--dir", str(self.folder)]
        words += ["--save", "", "--appendonly", "no"]
        self.process = subprocess.Popen(words, stdout=subprocess.DEVNULL)
        until(self._answers, seconds=20)

    def _answers(self) -> bool:
        with socket.socket() as line:
            return line.connect_ex(("127.0.0.1", self.port)) == 0

    def kill(self) -> None:
        self.process.kill()
        self.process.wait()


class Client:
    """One browser: its cookie and its token."""

    def __init__(self, server: Server, answers: Counter[int]) -> None:
        self.server, self.answers = server, answers
        self._open = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(CookieJar()))
        self.token = ""

    def ask(self, path: str, body: bytes | dict[str, Any] | None = None, *, seconds: float = 60.0) -> tuple[int, bytes]:
        """Give the status, 0 where nobody answered, and the answer."""
        if body is not None and not self.token:
            page = self.ask("/")[1]
            found = re.search(rb'csrf-token" content="([^"]+)"', page)
            self.token = found[1].decode() if found else ""
        data = json.dumps(body).encode() if isinstance(body, dict) else body
        request = urllib.request.Request(self.server.url + path, data=data)
        if data is not None:
            request.add_header("X-CSRF-Token", self.token)
            kind = "application/json" if isinstance(body, dict) else "application/octet-stream"
            request.add_header("Content-Type", kind)
        try:
            with self._open.open(request, timeout=seconds) as answer:
                status, content = answer.status, answer.read()
        except urllib.error.HTTPError as wrong:
            status, content = wrong.code, wrong.read()
        except (OSError, ValueError, EOFError):
            return 0, b""
        except Exception as wrong:  # a line that was cut in mid-word has many names
            if type(wrong).__module__.startswith("http"):
                return 0, b""
            raise
        self.answers[status] += 1
        return status, content


def sound(seconds: float, *, kind: str = "WAV", rate: int = 8_000) -> bytes:
    out = io.BytesIO()
    soundfile.write(out, np.random.default_rng(1).normal(size=round(seconds * rate)) * 0.1, rate, format=kind)
    return out.getvalue()


def new_project(client: Client, seconds: float = 2.0) -> str:
    status, content = client.ask("/projects?name=Rain.wav", sound(seconds))
    assert status == 201, (status, content[:200])
    return str(json.loads(content)["url"]).split("/")[2]


def until(condition: Callable[[], Any], *, seconds: float) -> float:
    """Wait for something; gives how long it took, or infinity."""
    begun = time.monotonic()
    while time.monotonic() - begun < seconds:
        if condition():
            return time.monotonic() - begun
        time.sleep(0.1)
    return float("inf")


def work(client: Client, key: str) -> list[dict[str, Any]]:
    status, content = client.ask(f"/p/{key}/work")
    with contextlib.suppress(ValueError, KeyError):
        return list(json.loads(content)["jobs"]) if status == 200 else [{}]
    return [{}]


@contextlib.contextmanager
def small_disk() -> Iterator[Path | None]:
    """Give a folder on a disk of its own that is soon full; None where none can be made."""
    with tempfile.TemporaryDirectory() as place:
        made = subprocess.run(
            ["mount", "-t", "tmpfs", "-o", f"size={SIZE_OF_SMALL_DISK}", "tmpfs", place],
            capture_output=True,
            check=False,
        )
        try:
            yield Path(place) if made.returncode == 0 else None
        finally:
            if made.returncode == 0:
                subprocess.run(["umount", "-l", place], check=False)


def table(siege: Siege, minutes: float) -> str:
    rows = [
        f"| {line.words} | {line.value:.4g} {line.unit} | {'' if line.most is None else f'{line.most:g} {line.unit}'} |"
        for line in siege.lines
    ]
    return "\n".join(
        (
            "# The siege",
            "",
            f"Last run: `make siege MINUTES={minutes:g}`, on a shared machine of two cores.",
            "",
            "| counted | value | at most |",
            "|---|---|---|",
            *rows,
            "",
        )
    )
