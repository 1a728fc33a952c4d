"""Besiege a running server: kills, stops, a full disk, hostile and spoilt files, many clients, a queue that goes away.

Usage: python scripts/siege.py [--minutes 5] [--write docs/siege.md]

Each trial runs against a server of its own in a folder of its own. What must be nothing (lost edits, answers of 500,
processes and files left behind) ends the run with 1; times are told, and judged by a reader who knows the machine.
"""

from __future__ import annotations

import argparse
import contextlib
import io
import json
import os
import random
import signal
import socket
import sys
import tempfile
import threading
import time
import zipfile
from collections import Counter
from pathlib import Path
from typing import Any

from siege_tools import Client, Redis, Server, Siege, alive, new_project, small_disk, sound, table, until, work


def kills(siege: Siege, folder: Path, seconds: float) -> None:
    """Edit, and kill the server in mid-edit, again and again: what was answered is there afterwards."""
    server, answers = Server(folder), Counter[int]()
    client = Client(server, answers)
    keys = [new_project(client) for _ in range(3)]
    answered: list[tuple[str, int]] = []
    lost, killed, orphans, end = 0, 0, 0, time.monotonic() + seconds
    dice = random.Random(1)
    while time.monotonic() < end:
        stop = threading.Event()

        def edit(key: str, stop: threading.Event = stop) -> None:
            own = Client(server, answers)
            number = 0
            while not stop.is_set():
                status, content = own.ask(f"/p/{key}/status", seconds=5)
                if status != 200:
                    continue
                base, number = json.loads(content)["revision"], number + 1
                command = {"kind": "rename_project", "name": f"Name {base} {number}"}
                status, content = own.ask(f"/p/{key}/edits", {"command": command, "base": base}, seconds=5)
                if status == 200:
                    answered.append((key, json.loads(content)["revision"]))

        threads = [threading.Thread(target=edit, args=(key,)) for key in keys]
        for thread in threads:
            thread.start()
        time.sleep(dice.uniform(0.3, 2.0))
        family = server.kill()
        killed += 1
        stop.set()
        for thread in threads:
            thread.join()
        if until(lambda family=family: not any(map(alive, family)), seconds=5) == float("inf"):
            orphans += sum(map(alive, family))
        server.start()
        fresh = Client(server, answers)
        for key, revision in answered[-60:]:
            lost += fresh.ask(f"/p/{key}/curves?since={revision}")[0] not in {200, 202}
    fresh = Client(server, answers)
    for key, revision in answered:
        lost += fresh.ask(f"/p/{key}/curves?since={revision}")[0] not in {200, 202}
    server.stop()
    siege.say(f"edits lost, of {len(answered)} answered, with {killed} kills of the server", lost, 0)
    siege.say("processes left after a kill", orphans, 0)
    siege.say("answers of 500, meanwhile", answers[500], 0)


def stops(siege: Siege, folder: Path, seconds: float) -> None:
    """Stop and kill the worker in mid-analysis: the analysis ends all the same, and is nobody's cancel."""
    server, answers = Server(folder), Counter[int]()
    client = Client(server, answers)
    key = new_project(client, 60 * 60)
    until(lambda: any(job.get("state") == "running" for job in work(client, key)), seconds=30)
    worker = server.family()[-1]
    asleep = min(25.0, max(5.0, seconds / 6))
    os.kill(worker, signal.SIGSTOP)
    time.sleep(asleep)
    os.kill(worker, signal.SIGCONT)
    took = until(lambda: work(client, key) == [], seconds=240)
    siege.say(f"analyses that did not end after a sleep of {asleep:.0f} s", float(took == float("inf")), 0)
    key, killed = new_project(client, 60 * 60 + 1), 0
    end = time.monotonic() + min(20.0, seconds / 4)
    while time.monotonic() < end:
        until(lambda key=key: any(job.get("state") == "running" for job in work(client, key)), seconds=20)
        time.sleep(0.5)
        for pid in server.family()[1:]:
            os.kill(pid, signal.SIGKILL)
            killed += 1
        time.sleep(2.0)
    took = until(lambda: work(client, key) == [], seconds=240)
    siege.say(f"analyses that did not end after {killed} kills of the worker", float(took == float("inf")), 0)
    parts = until(lambda: not list(folder.rglob("*.part")), seconds=75)
    siege.say("unfinished files left after a minute", float(parts == float("inf")), 0)
    server.stop()
    siege.say("answers of 500, meanwhile", answers[500], 0)


def hostile(siege: Siege, folder: Path, seconds: float) -> None:
    """Send bombs, and real files cut and changed."""
    server, answers = Server(folder), Counter[int]()
    client = Client(server, answers)
    key = new_project(client)
    slowest, sent = 0.0, 0

    def send(path: str, content: bytes | dict[str, Any]) -> None:
        nonlocal slowest, sent
        begun = time.monotonic()
        client.ask(path, content)
        slowest, sent = max(slowest, time.monotonic() - begun), sent + 1

    for count in (900_000, 20_000_000):
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr("document.json", b'{"version":1,"name":"N","tracks":[' + b"{}," * count + b"{}]}")
        send("/projects/import", out.getvalue())
    send(f"/p/{key}/edits", {"base": 1, "command": {"kind": "together", "words": "w", "commands": [{}] * 400_000}})
    send(f"/p/{key}/edits", b"[" * 2_000_000)
    server.look()
    siege.say("most memory of the server, of bombs", server.peak_mb, 600, "MB")
    flac = sound(0.5, kind="FLAC")
    exported = client.ask(f"/p/{key}/project.ferntide")[1]
    seeds = {
        "/projects?name=a.wav": sound(1.0),
        "/projects/import": exported,
        f"/p/{key}/tracks?name=b.flac": flac,
    }
    dice, end = random.Random(7), time.monotonic() + seconds
    while time.monotonic() < end:
        path, content = dice.choice(list(seeds.items()))
        spoilt = bytearray(content[: dice.randrange(1, len(content))] if dice.random() < 0.4 else content)
        for _ in range(dice.randrange(1, 12)):
            spoilt[dice.randrange(min(len(spoilt), 4000 if dice.random() < 0.7 else len(spoilt)))] = dice.randrange(256)
        send(path, bytes(spoilt))
    server.look()
    server.stop()
    siege.say(f"answers of 500, of {sent} hostile and spoilt files", answers[500], 0)
    siege.say("longest answer to one of them", slowest, 10, "s", must=False)
    siege.say("most memory of the server, of all", server.peak_mb, 900, "MB", must=False)


def crowd(siege: Siege, folder: Path, seconds: float) -> None:
    """Twenty clients, four hundred idle lines, and a heavy project that is opened in a loop."""
    server, answers = Server(folder), Counter[int]()
    client = Client(server, answers)
    light, waits = new_project(client), list[float]()
    heavy = new_project(client)
    until(lambda: work(client, heavy) == [] and work(client, light) == [], seconds=60)
    status = json.loads(client.ask(f"/p/{heavy}/status")[1])
    parts = [
        {"kind": "put_part", "part": {"id": f"dot-{n}", "name": f"Dot {n}", "shape": {"id": "ellipse", "params": {}}}}
        for n in range(1900)
    ]
    for batch in range(2):
        for item in parts:
            item["part"]["id"] = f"dot-{batch}-{item['part']['id'].split('-')[-1]}"
        edit = {"base": status["revision"], "command": {"kind": "together", "words": "many", "commands": parts}}
        code, content = client.ask(f"/p/{heavy}/edits", edit)
        status = json.loads(content) if code == 200 else status
    lines = []
    for _ in range(400):
        with contextlib.suppress(OSError):
            lines.append(socket.create_connection(("127.0.0.1", int(server.url.rsplit(":", 1)[1])), timeout=5))

    def read(key: str, end: float, *, timed: bool) -> None:
        own = Client(server, answers)
        while time.monotonic() < end:
            begun = time.monotonic()
            own.ask(f"/p/{key}/status" if timed else f"/p/{key}/stage")
            if timed:
                waits.append(time.monotonic() - begun)
                time.sleep(0.05)

    def together(*readers: tuple[str, bool]) -> None:
        end = time.monotonic() + seconds / 2
        threads = [threading.Thread(target=read, args=(key, end), kwargs={"timed": timed}) for key, timed in readers]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()

    together((heavy, False), (light, True))
    ordered = sorted(waits) or [0.0]
    for words, share in (("95 % of them", 0.95), ("the longest", 1.0)):
        wait = ordered[min(len(ordered) - 1, int(len(ordered) * share))]
        siege.say(f"an innocent's wait while a heavy project is opened, {words}", wait * 1000, 200, "ms", must=False)
    together(*[(light, False)] * 14, *[(heavy, False)] * 2, *[(light, True)] * 4)
    for line in lines:
        line.close()
    server.look()
    server.stop()
    siege.say(f"answers of 500, of {sum(answers.values())} to twenty clients", answers[500] + answers[503], 0)
    siege.say("most memory of the server, of a crowd", server.peak_mb, 900, "MB", must=False)


def queue_gone(siege: Siege, folder: Path, seconds: float) -> None:
    """Edit while the queue's Redis and the worker are killed again and again: all is saved, and analyzed in the end."""
    if not Redis.is_there():
        print("no redis-server is here: Redis is left to the tests")
        return
    redis = Redis(folder / "redis")
    server, answers = Server(folder / "data", redis_url=redis.url), Counter[int]()
    client, dice, end = Client(server, answers), random.Random(3), time.monotonic() + seconds
    key = new_project(client, 30.0)
    with zipfile.ZipFile(io.BytesIO(client.ask(f"/p/{key}/project.ferntide")[1])) as archive:
        track = json.loads(archive.read("document.json"))["tracks"][0]["id"]
    good, killed, number = list[int](), 0, 0
    while time.monotonic() < end:
        if gone := dice.random() < 0.6:
            redis.kill()
        if dice.random() < 0.3:
            for pid in server.family()[1:]:
                os.kill(pid, signal.SIGKILL)
        killed += gone
        for _ in range(dice.randrange(1, 6)):
            number += 1
            base = json.loads(client.ask(f"/p/{key}/status")[1])["revision"]
            status, content = client.ask(f"/p/{key}/tracks/{track}/offset", {"base": base, "offset": number})
            if status == 200:
                good.append(json.loads(content)["revision"])
        if gone:
            time.sleep(dice.uniform(0.0, 1.0))
            redis.start()
        time.sleep(dice.uniform(0.0, 2.0))
    took = until(lambda: work(client, key) == [], seconds=120)
    lost = sum(client.ask(f"/p/{key}/curves?since={one}")[0] not in {200, 202} for one in good)
    server.stop()
    redis.kill()
    siege.say(f"edits lost or refused, of {number}, with {killed} kills of Redis", lost + number - len(good), 0)
    siege.say("analyses that did not end once Redis was back", float(took == float("inf")), 0)
    siege.say("answers of 500, meanwhile", answers[500], 0)


def full_disk(siege: Siege, seconds: float) -> None:
    """Fill the disk while edits go on: each answer says so, none that was good is lost, and room ends it."""
    with small_disk() as disk:
        if disk is None:
            print("no disk of our own can be made here: a full disk is left to the tests")
            return
        server, answers = Server(disk / "data"), Counter[int]()
        client = Client(server, answers)
        key = new_project(client)
        until(lambda: work(client, key) == [], seconds=60)
        with contextlib.suppress(OSError), (disk / "filler").open("wb") as filler:
            while True:
                filler.write(bytes(1 << 16))
                filler.flush()
        good, end = list[int](), time.monotonic() + min(20.0, seconds)
        number = 0
        while time.monotonic() < end:
            number += 1
            base = json.loads(client.ask(f"/p/{key}/status")[1])["revision"]
            words = f"Full {number} " + "".join(random.Random(number).choices("abcdefgh", k=100))
            status, content = client.ask(
                f"/p/{key}/edits", {"base": base, "command": {"kind": "rename_project", "name": words}}
            )
            if status == 200:
                good.append(json.loads(content)["revision"])
        told = answers[507]
        client.ask("/projects?name=Rain.wav", sound(600.0))
        (disk / "filler").unlink()
        base = json.loads(client.ask(f"/p/{key}/status")[1])["revision"]
        after = client.ask(f"/p/{key}/edits", {"base": base, "command": {"kind": "rename_project", "name": "Room"}})[0]
        lost = sum(client.ask(f"/p/{key}/curves?since={one}")[0] not in {200, 202} for one in good)
        server.stop()
        siege.say(f"edits lost on a full disk, of {len(good)} answered and {told} refused as 507", lost, 0)
        siege.say("answers of 500 and 503, meanwhile", answers[500] + answers[503], 0)
        siege.say("edits refused once there was room again", float(after != 200), 0)


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--minutes", type=float, default=60.0)
    parser.add_argument("--write", type=Path)
    arguments = parser.parse_args()
    siege, seconds = Siege(), arguments.minutes * 60
    with tempfile.TemporaryDirectory() as place:
        kills(siege, Path(place) / "kills", seconds * 0.3)
        stops(siege, Path(place) / "stops", seconds * 0.25)
        hostile(siege, Path(place) / "hostile", seconds * 0.2)
        crowd(siege, Path(place) / "crowd", seconds * 0.1)
        full_disk(siege, seconds * 0.05)
        queue_gone(siege, Path(place) / "queue", seconds * 0.1)
    if arguments.write:
        arguments.write.write_text(table(siege, arguments.minutes))
    broken = [line.words for line in siege.lines if line.must and not line.holds]
    for words in broken:
        print(f"NOT HELD: {words}")
    return 1 if broken else 0


if __name__ == "__main__":
    sys.exit(main())
