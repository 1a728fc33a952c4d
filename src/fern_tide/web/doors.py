"""The door of the server: who may come in, how slowly one may speak, and what is looked at before a body is taken.

Waitress takes a whole request to the disk before the application hears of it. So what can be known from its head is
looked at here: whether it has the token of a page, in a header; and clients that are idle, or slower than any browser,
are let go, so that a hundred of them do not keep others out. A connection that becomes a line is handed to lines.py.
"""

from __future__ import annotations

import socket
import time
from collections import Counter
from collections.abc import Callable
from typing import Any

from flask import Flask
from flask_wtf.csrf import validate_csrf
from waitress.channel import HTTPChannel
from waitress.parser import HTTPRequestParser
from waitress.server import create_server
from waitress.task import WSGITask
from waitress.utilities import BadRequest

from fern_tide.web.lines import TAKE_OVER

MOST_CONNECTIONS = 600
MOST_OF_ONE_ADDRESS = 300
IDLE_S = 60
HEAD_S = 10.0
"""How long a request's head may take to arrive."""
SLOWEST_BYTES_S = 2_000.0
"""How fast a body must come, after a first while."""
SPARE_S = 20.0
_UNSAFE = frozenset(("POST", "PUT", "PATCH", "DELETE"))
_UNSEEN_BYTES = 64 << 10  # a body as small as this is taken to memory, and the application looks at its token


class _Parser(HTTPRequestParser):  # type: ignore[misc]  # the library brings no types
    """A request that is being heard."""

    error: Any
    may_send: Callable[[dict[str, str]], bool] = staticmethod(lambda headers: True)

    def __init__(self, adj: Any) -> None:
        super().__init__(adj)
        self.begun = time.monotonic()

    def received(self, data: bytes) -> int:
        heard = self.body_rcv is None
        consumed: int = super().received(data)
        if heard and self.body_rcv is not None and self.error is None and not self._allowed():
            self.error = BadRequest("This page is out of date: reload it and try again.")
            self.completed = True
        return consumed

    def _allowed(self) -> bool:
        large = self.content_length > _UNSEEN_BYTES or self.chunked
        return not (large and self.command in _UNSAFE) or self.may_send(self.headers)

    def too_slow(self, now: float) -> bool:
        """Say whether it comes slower than anybody who means it."""
        took = now - self.begun
        if self.body_rcv is None:
            return took > HEAD_S
        return bool(took > SPARE_S and len(self.body_rcv) < (took - SPARE_S) * SLOWEST_BYTES_S)


class _Task(WSGITask):  # type: ignore[misc]  # likewise
    """A request that is being answered."""

    channel: Any

    def get_environment(self) -> dict[str, Any]:
        return {**super().get_environment(), TAKE_OVER: self.channel.take_over}


class _Channel(HTTPChannel):  # type: ignore[misc]  # likewise
    """A connection."""

    task_class = _Task

    def take_over(self) -> socket.socket:
        """Give the connection to who goes on with it in another way: to the server it is gone, with any answer."""
        taken: socket.socket = self.socket
        self.del_channel()
        self.connected = False
        return taken


def open_door(app: Flask, *, host: str, port: int, threads: int, most_bytes: int) -> Any:
    """Make the server of an application.

    Args:
        app: what is served.
        host: where to listen.
        port: where to listen; 0 takes a free one.
        threads: how many requests are answered at once.
        most_bytes: of a request's body.

    Raises:
        OSError: there cannot be listened there.
    """
    server: Any = create_server(
        app, host=host, port=port, threads=threads, max_request_body_size=most_bytes, ident="",
        connection_limit=MOST_CONNECTIONS, channel_timeout=IDLE_S, cleanup_interval=2, asyncore_use_poll=True,
        max_request_header_size=64 << 10,
    )  # fmt: skip

    class Parser(_Parser):
        may_send = staticmethod(lambda headers: has_token(app, headers))

    class Channel(_Channel):
        parser_class = Parser

    server.channel_class = Channel
    _watch(server)
    return server


def _watch(server: Any) -> None:
    """Let the server count whom it has, and let go whom it need not have."""
    accept, maintain = server.handle_accept, server.maintenance

    def handle_accept() -> None:
        accept()
        counts = Counter(channel.addr[0] for channel in server.active_channels.values())
        for channel in list(server.active_channels.values()):
            idle = not channel.requests and not channel.total_outbufs_len
            if idle and counts[channel.addr[0]] > MOST_OF_ONE_ADDRESS:
                counts[channel.addr[0]] -= 1  # the oldest that says nothing makes room
                channel.handle_close()

    def maintenance(now: float) -> None:
        maintain(now)
        for channel in list(server.active_channels.values()):
            request = channel.request
            if request is not None and not channel.requests and request.too_slow(time.monotonic()):
                channel.handle_close()

    server.handle_accept, server.maintenance = handle_accept, maintenance


def has_token(app: Flask, headers: dict[str, str]) -> bool:
    """Say whether a request's head has the token of a page of this application, in X-CSRF-Token, and its cookie.

    Args:
        app: the application, which signs both.
        headers: in capitals with low lines, as waitress gives them.
    """
    token = headers.get("X_CSRF_TOKEN", "")
    with app.test_request_context("http://127.0.0.1/", headers={"Cookie": headers.get("COOKIE", "")}):
        try:
            validate_csrf(token)
        except ValueError:  # it has none, or a spoilt one
            return False
    return True
