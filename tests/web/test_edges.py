"""What keeps the door closed: headers, cookies, sizes; and what is sent again after an edit, and remembered."""

import numpy as np
import pytest

from fern_tide.core.derivation.node import Kind, Node, new_node
from fern_tide.web import context
from fern_tide.workflows.derive.analysis import levels_of
from fern_tide.workflows.derive.levels import Memory


def test_a_page_may_not_be_framed_and_says_so_in_its_policy(client):
    policy = dict(part.split(" ", 1) for part in client.get("/").headers["Content-Security-Policy"].split("; "))
    assert policy["frame-ancestors"] == policy["default-src"] == policy["base-uri"] == "'none'"
    assert policy["script-src"] == "'self' 'wasm-unsafe-eval'" and policy["style-src"] == "'self'"


def test_the_cookie_stays_on_this_site_and_a_token_does_not_run_out(client):
    config = client.application.config
    assert config["SESSION_COOKIE_SAMESITE"] == "Strict" and config["SESSION_COOKIE_HTTPONLY"] is True
    assert config["WTF_CSRF_TIME_LIMIT"] is None
    cookies = client.get("/").headers.getlist("Set-Cookie")
    assert cookies and all("SameSite=Strict" in cookie and "HttpOnly" in cookie for cookie in cookies)


def test_json_larger_than_is_taken_is_refused_before_it_is_read(client, demo, monkeypatch):
    monkeypatch.setattr(context, "MOST_JSON_BYTES", 200)
    fits, too_large = ({"command": {"kind": "rename_project", "name": "x" * size}, "base": 1} for size in (20, 400))
    assert client.post(f"/p/{demo}/edits", json=too_large).status_code == 422
    assert "bytes" in client.post(f"/p/{demo}/edits", json=too_large).json["what"]
    assert client.post(f"/p/{demo}/edits", json=fits).status_code in {200, 409}


def test_levels_forget_the_oldest_when_they_hold_too_much(studio):
    memory = Memory(8 * 250)

    def node(name: str) -> Node:
        return new_node(Kind.LEVEL, name, facts={"name": name}, work=lambda values, sources: None)

    def put(name: str, n: int) -> None:
        memory.put(node(name), np.zeros(n))

    def held(name: str) -> bool:
        return memory.get(node(name).fingerprint) is not None

    for name in ("a", "b"):
        put(name, 100)
    assert held("a")  # so that b is the oldest now
    put("c", 100)
    assert held("a") and held("c") and not held("b")
    put("d", 100)
    put("huge", 1000)  # more than is held at all: it is kept alone
    assert held("huge") and not held("a") and memory.worked == {Kind.LEVEL: 5}
    levels = levels_of(studio)
    assert levels.under_the_hand.worked is levels.worked  # what is tried counts towards the same


@pytest.mark.parametrize(("cookie", "size"), [("125", "125"), ("100", None), ("7000", None), ("big", None), ("", None)])
def test_everything_is_drawn_as_large_as_was_chosen_in_this_browser(client, cookie, size):
    client.set_cookie("size", cookie)
    answer = client.get("/")
    assert answer.status_code == 200
    head = answer.text[: answer.text.index("<head>")]
    assert (f'data-size="{size}"' in head) if size else ("data-size" not in head)
