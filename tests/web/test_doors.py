"""The door: who may send, how slowly, and that no input at all ends in a 500."""

import errno
import json
import os
import re
import socket
import threading
import time

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from peewee import OperationalError

from fern_tide.core.commands.registry import COMMANDS
from fern_tide.web import app as web_app
from fern_tide.web import doors
from fern_tide.web.app import create_app


@pytest.fixture
def guarded(studio):
    """The application with its tokens, and a page's token and cookie."""
    app = create_app(studio)
    client = app.test_client()
    page = client.get("/")
    token = re.search(rb'csrf-token" content="([^"]+)"', page.data)[1].decode()
    return app, client, token


@pytest.fixture
def server(guarded, monkeypatch):
    monkeypatch.setattr(doors, "HEAD_S", 0.6)
    monkeypatch.setattr(doors, "SPARE_S", 0.6)
    monkeypatch.setattr(doors, "MOST_OF_ONE_ADDRESS", 20)
    made = doors.open_door(guarded[0], host="127.0.0.1", port=0, threads=2, most_bytes=4 << 20)
    thread = threading.Thread(target=made.run, daemon=True)
    thread.start()
    yield made.effective_port
    for channel in list(made.active_channels.values()):
        channel.handle_close()
    made.task_dispatcher.shutdown()
    made.close()
    thread.join(5)


def talk(port, *pieces, wait_s=0.0, seconds=8.0):
    """Say something to the server in pieces, and give what it answers until it hangs up or is done."""
    with socket.create_connection(("127.0.0.1", port), timeout=seconds) as line:
        answer = b""
        try:
            for piece in pieces:
                line.sendall(piece)
                time.sleep(wait_s)
            while chunk := line.recv(65_536):
                answer += chunk
        except (ConnectionError, TimeoutError):
            pass
        return answer


def head(*lines):
    return "\r\n".join((*lines, "Host: localhost", "Connection: close", "", "")).encode()


def test_a_large_body_without_a_token_is_refused_before_it_came(guarded, server):
    _, client, token = guarded
    cookie = client.get_cookie("session").value
    for more in ((), ("X-CSRF-Token: nonsense",), (f"X-CSRF-Token: {token}",)):
        at = time.monotonic()
        answer = talk(server, head("POST /projects HTTP/1.1", "Content-Length: 3000000", *more), b"x" * 70_000)
        assert answer.startswith(b"HTTP/1.1 400") and time.monotonic() - at < 3
    good = (f"X-CSRF-Token: {token}", f"Cookie: session={cookie}", "Content-Length: 100000")
    assert not talk(server, head("POST /nowhere HTTP/1.1", *good), b"x" * 100_000).startswith(b"HTTP/1.1 400")


def test_who_says_a_head_for_ever_is_let_go(server):
    at = time.monotonic()
    assert talk(server, *[b"GET / HTTP/1.1\r\n", *[b"X-A: b\r\n"] * 30], wait_s=0.2) == b""
    assert time.monotonic() - at < 9


def test_who_sends_a_body_a_letter_at_a_time_is_let_go(server):
    at = time.monotonic()
    assert talk(server, head("POST /projects HTTP/1.1", "Content-Length: 5000"), *[b"x"] * 40, wait_s=0.2) == b""
    assert time.monotonic() - at < 9


def test_many_idle_lines_keep_nobody_out(server):
    lines = [socket.create_connection(("127.0.0.1", server), timeout=5) for _ in range(60)]
    try:
        assert talk(server, head("GET / HTTP/1.1")).startswith(b"HTTP/1.1 200")
    finally:
        for line in lines:
            line.close()


def test_a_hosts_name_may_be_said_loudly(guarded):
    client = guarded[1]
    assert client.get("/", headers={"Host": "LOCALHOST:5077"}).status_code == 200
    assert client.get("/", headers={"Host": "evil.example"}).status_code == 400


@pytest.mark.parametrize(
    ("headers", "status"),
    [
        ({}, 404), ({"Origin": "http://localhost"}, 404), ({"Sec-Fetch-Site": "same-origin"}, 404),
        ({"Origin": "http://evil.example"}, 403), ({"Origin": "null"}, 403), ({"Origin": "http://localhost:99"}, 403),
        ({"Sec-Fetch-Site": "cross-site"}, 403), ({"Sec-Fetch-Site": "same-site"}, 403),
    ],
)  # fmt: skip
def test_a_token_on_a_page_of_another_origin_is_no_token(guarded, headers, status):
    _, client, token = guarded
    answer = client.post("/p/000000000000/undo", json={"base": 1}, headers={"X-CSRF-Token": token, **headers})
    assert answer.status_code == status


def test_the_secret_is_made_once_whole_and_made_anew_where_it_is_spoilt(tmp_path):
    path = tmp_path / "secret"
    first = web_app._secret(path)
    assert len(first) == 32 and web_app._secret(path) == first and path.stat().st_mode & 0o777 == 0o600
    for spoilt in (b"", b"short"):
        path.write_bytes(spoilt)
        again = web_app._secret(path)
        assert len(again) == 32 and again != first and path.read_bytes() == again
    assert [item.name for item in tmp_path.iterdir()] == ["secret"]
    keys = set()
    path.unlink()
    threads = [threading.Thread(target=lambda: keys.add(web_app._secret(path))) for _ in range(8)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert len(keys) == 1


@pytest.mark.parametrize(
    ("wrong", "status", "words"),
    [
        (OperationalError("database or disk is full"), 507, "The disk is full"),
        (OperationalError("disk I/O error"), 507, "cannot be written"),
        (OperationalError("attempt to write a readonly database"), 507, "cannot be written"),
        (OperationalError("database is locked"), 503, "busy"),
        (OSError(errno.ENOSPC, os.strerror(errno.ENOSPC)), 507, "The disk is full"),
        (OSError(errno.EROFS, os.strerror(errno.EROFS)), 507, "cannot be written"),
    ],
)
def test_a_full_disk_is_called_a_full_disk(client, demo, monkeypatch, studio, caplog, wrong, status, words):
    def save(*_, **__):
        raise wrong

    monkeypatch.setattr(studio.projects, "save", save)
    base = client.get(f"/p/{demo}/status").json["revision"]
    command = {"kind": "rename_project", "name": "New"}
    answer = client.post(f"/p/{demo}/edits", json={"command": command, "base": base})
    assert answer.status_code == status and words in answer.json["what"]
    caplog.clear()


def test_a_disk_that_fills_up_in_mid_edit_is_told_and_loses_nothing(client, demo, studio, caplog):
    """A real one, as SQLite sees it: no page more. What it rolls back by itself must not hide the cause."""
    base = client.get(f"/p/{demo}/status").json
    db = studio.projects._db
    db.connect(reuse_if_open=True)
    pages = db.execute_sql("pragma page_count").fetchone()[0]
    db.execute_sql(f"pragma max_page_count = {pages}")
    points = {"kind": "put_part", "part": {"id": "note", "name": "Note", "shape": {"id": "path", "params": {}}}}
    points["part"]["shape"]["params"]["data"] = "M0 0" + "".join(
        f"L{n * 7919 % 1000} {n * 104729 % 997}" for n in range(9000)
    )
    answer = client.post(f"/p/{demo}/edits", json={"command": points, "base": base["revision"]})
    assert answer.status_code == 507 and "full" in answer.json["what"]
    db.execute_sql("pragma max_page_count = 1073741823")
    assert client.get(f"/p/{demo}/status").json == base
    assert client.post(f"/p/{demo}/edits", json={"command": points, "base": base["revision"]}).status_code == 200
    caplog.clear()


def routes(app):
    return sorted({(rule.rule, tuple(sorted(rule.methods & {"GET", "POST"}))) for rule in app.url_map.iter_rules()})


ODD = ["", "0", "-1", "9223372036854775808", "1e400", "nan", "../../x", "lamp", "lamp:turn", "\0", "é" * 300]
WORDS = st.sampled_from(ODD) | st.text(max_size=20)
NAMES = st.sampled_from(["id", "kind", "value", "path", "x"])
VALUES = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats() | WORDS,
    lambda of: st.lists(of, max_size=3) | st.dictionaries(NAMES, of, max_size=3),
    max_leaves=6,
)
COMMAND = st.fixed_dictionaries(
    {"kind": st.sampled_from(sorted(COMMANDS))}, optional={"id": WORDS, "value": VALUES, "parts": VALUES}
)
ASKED = dict.fromkeys(["parts", "envelope", "frame", "number", "place", "how", "target", "mapping", "file"], VALUES)
BODIES = st.one_of(
    st.binary(max_size=60),
    VALUES.map(json.dumps).map(str.encode),
    st.fixed_dictionaries({"base": st.integers(0, 9)}, optional={"command": COMMAND, **ASKED})
    .map(json.dumps)
    .map(str.encode),
)


@settings(max_examples=300, deadline=None, suppress_health_check=list(HealthCheck))
@given(data=st.data())
def test_no_input_to_any_route_is_our_fault(client, demo, studio, monkeypatch, caplog, data):
    monkeypatch.setattr(studio, "enqueue", lambda job: None)
    rule, methods = data.draw(st.sampled_from([item for item in routes(client.application) if "static" not in item[0]]))
    address = rule.replace("<key>", demo)
    for name in re.findall(r"<[^>]+>", address):
        word = data.draw(WORDS if "int" not in name else st.integers(0, 2**40).map(str))
        address = address.replace(name, re.sub(r"[/?#%\0]", "_", word) or "x")
    query = data.draw(st.dictionaries(st.sampled_from(QUERY), WORDS, max_size=3))
    method = data.draw(st.sampled_from(methods))
    body = data.draw(BODIES) if method == "POST" else None
    with client.open(
        address, method=method, query_string=query, data=body, content_type="application/json"
    ) as answer:  # a file that is given is closed
        assert answer.status_code < 500 or answer.status_code == 507, (method, address, query, body, answer.data[:200])
    caplog.clear()


QUERY = [
    "since",
    "part",
    "q",
    "recent",
    "mapping",
    "drive",
    "envelope",
    "track",
    "only",
    "traces",
    "frame",
    "curve",
    "cut",
    "group",
    "from",
    "to",
    "points",
    "width",
    "looks",
    "prefix",
    "rows",
    "at",
    "n",
    "parts",
]


@pytest.mark.parametrize("place", ["curves?since=", "moved?since=", "stage/node/", "tracks/x/spectrogram?from="])
@pytest.mark.parametrize("number", ["9223372036854775808", "-1", "1e400", "x", ""])
def test_a_number_that_no_database_holds_is_refused(client, demo, place, number):
    assert client.get(f"/p/{demo}/{place}{number}").status_code < 500
