"""Lines: WebSockets for what goes to and fro thirty times a second, where a request costs more than its answer.

A line begins as a request, with all that is looked at in any: the host, the origin, what it asks for. Then the door
(doors.py) lets go of the connection, and a thread of its own answers message after message.
"""

from __future__ import annotations

import logging
import socket
import threading
from collections.abc import Callable

from flask import Response, copy_current_request_context, current_app, request
from websockets.datastructures import Headers
from websockets.exceptions import WebSocketException
from websockets.frames import CloseCode, Frame, Opcode
from websockets.http11 import Request
from websockets.protocol import State
from websockets.server import ServerProtocol

from fern_tide.core.base.errors import FernTideError
from fern_tide.web.context import studio

TAKE_OVER = "fern_tide.take_over"
"""What gives the request's connection, in its environment."""
MOST_LINES = 8
IDLE_S = 60.0
_CHUNK = 1 << 16
_lines = threading.BoundedSemaphore(MOST_LINES)
log = logging.getLogger(__name__)


class NoLine(FernTideError):
    """There can be no line: ask by requests."""


def open_line(answer: Callable[[bytes], bytes], *, most_bytes: int) -> Response:
    """Let a request go on as a line.

    Args:
        answer: gives the answer to a message, in this request's context; an error ends the line, its words as a last
            answer. Before each answer stands its status, four bytes, little-endian: 200, or what a request would have.
        most_bytes: of a message; a longer one ends the line.

    Returns:
        What a view returns: nothing that is sent where the line is open, else why it is not.

    Raises:
        NoLine: too many are open, or what serves the application has none.
    """
    handshake = ServerProtocol().accept(Request(request.full_path, Headers(list(request.headers.items()))))
    if handshake.status_code != 101:
        return Response(bytes(handshake.body), handshake.status_code, list(handshake.headers.raw_items()))
    if TAKE_OVER not in request.environ or not _lines.acquire(blocking=False):
        raise NoLine("There is no line.", remedy="Ask by requests.")
    connection: socket.socket = request.environ[TAKE_OVER]()
    line = _Line(connection, handshake.serialize(), most_bytes=most_bytes)
    run = copy_current_request_context(lambda: _run(line, answer))
    threading.Thread(target=run, name="line", daemon=True).start()
    return Response(status=101)


class _Line:
    """A WebSocket on a connection: its messages, and answers to them."""

    def __init__(self, connection: socket.socket, handshake: bytes, *, most_bytes: int) -> None:
        self._protocol = ServerProtocol(max_size=most_bytes, state=State.OPEN)
        self._connection, self._handshake = connection, handshake
        self._pieces: list[bytes] = []

    def begin(self) -> None:
        """Say that it is open."""
        self._connection.settimeout(IDLE_S)
        self._connection.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        self._connection.sendall(self._handshake)

    def messages(self) -> list[bytes]:
        """Wait for messages that are whole; none where only a piece of one came, or it is over."""
        content = self._connection.recv(_CHUNK)
        self._protocol.receive_data(content) if content else self._protocol.receive_eof()
        self._flush()
        whole: list[bytes] = []
        for frame in self._protocol.events_received():
            if isinstance(frame, Frame) and frame.opcode in {Opcode.BINARY, Opcode.CONT}:
                self._pieces.append(bytes(frame.data))  # browsers send what is long in pieces
                if frame.fin:
                    whole.append(b"".join(self._pieces))
                    self._pieces.clear()
            elif isinstance(frame, Frame) and frame.opcode is Opcode.TEXT:
                self._protocol.fail(CloseCode.UNSUPPORTED_DATA)
                self._flush()
        return whole

    @property
    def is_open(self) -> bool:
        """Whether messages may come."""
        return self._protocol.state is State.OPEN

    def send(self, content: bytes) -> None:
        """Send a message."""
        self._protocol.send_binary(content)
        self._flush()

    def close(self) -> None:
        """End it."""
        if self.is_open:
            self._protocol.send_close(CloseCode.NORMAL_CLOSURE)
        self._flush()

    def drop(self) -> None:
        """Let go of the connection."""
        self._connection.close()

    def _flush(self) -> None:
        for content in self._protocol.data_to_send():
            if content:
                self._connection.sendall(content)


def _run(line: _Line, answer: Callable[[bytes], bytes]) -> None:
    """Answer what comes until it is over; who goes away without a word is nothing to be said."""
    try:
        line.begin()
        while line.is_open:
            for message in line.messages():
                status, content = _answered(answer, message)
                line.send(status.to_bytes(4, "little") + content)
                if status != 200:
                    return line.close()
        return line.close()
    except (OSError, WebSocketException):
        log.info("a line broke off")
    finally:
        line.drop()
        studio().close()  # this thread's connections
        _lines.release()


def _answered(answer: Callable[[bytes], bytes], message: bytes) -> tuple[int, bytes]:
    """Give the status and the answer: of an error what a request would be told."""
    try:
        return 200, answer(message)
    except Exception as wrong:  # as any view's
        response = current_app.make_response(current_app.handle_user_exception(wrong))
        return response.status_code, response.get_data()
