"""What keeps the door closed: headers, cookies, sizes; and what is sent again after an edit, and remembered."""

import numpy as np
from tests.web.test_pages import app, client, demo  # noqa: F401

from fern_tide.web import context
from fern_tide.workflows import levels as levels_module
from fern_tide.workflows.levels import Levels


def test_a_page_may_not_be_framed_and_says_so_in_its_policy(client):  # noqa: F811
    policy = dict(part.split(" ", 1) for part in client.get("/").headers["Content-Security-Policy"].split("; "))
    assert policy["frame-ancestors"] == policy["default-src"] == policy["base-uri"] == "'none'"
    assert policy["script-src"] == policy["style-src"] == "'self'"


def test_the_cookie_stays_on_this_site_and_a_token_does_not_run_out(client):  # noqa: F811
    config = client.application.config
    assert config["SESSION_COOKIE_SAMESITE"] == "Strict" and config["SESSION_COOKIE_HTTPONLY"] is True
    assert config["WTF_CSRF_TIME_LIMIT"] is None
    cookies = client.get("/").headers.getlist("Set-Cookie")
    assert cookies and all("SameSite=Strict" in cookie and "HttpOnly" in cookie for cookie in cookies)


def test_json_larger_than_is_taken_is_refused_before_it_is_read(client, demo, monkeypatch):  # noqa: F811
    monkeypatch.setattr(context, "MOST_JSON_BYTES", 200)
    fits, too_large = ({"command": {"kind": "rename_project", "name": "x" * size}, "base": 1} for size in (20, 400))
    assert client.post(f"/p/{demo}/edits", json=too_large).status_code == 422
    assert "bytes" in client.post(f"/p/{demo}/edits", json=too_large).json["what"]
    assert client.post(f"/p/{demo}/edits", json=fits).status_code in {200, 409}


def test_levels_forget_the_oldest_when_they_hold_too_much(studio, monkeypatch):
    monkeypatch.setattr(levels_module, "_REMEMBERED_BYTES", 8 * 250)
    levels = Levels(studio)
    for name in ("a", "b"):
        levels._put(name, np.zeros(100))
    levels._get("a")  # so that b is the oldest now
    levels._put("c", np.zeros(100))
    assert levels._get("a") is not None and levels._get("c") is not None and levels._get("b") is None
    hand = levels.under_the_hand  # what is tried counts towards the same
    hand._put("d", np.zeros(100))
    assert levels._get("a") is None and levels._get("c") is not None and levels.computed == 4
    levels._put("huge", np.zeros(1000))  # more than is held at all: it is kept alone
    assert levels._get("huge") is not None and levels._get("a") is None
