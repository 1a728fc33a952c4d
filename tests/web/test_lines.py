"""Lines: samples on a WebSocket are answered as requests are; who may not have one, or misuses it, is told."""

import threading
import time
from contextlib import ExitStack
from socket import SHUT_RDWR
from urllib.request import urlopen

import numpy as np
import pytest
from tests.web.test_live import begin, thuds
from tests.web.test_pages import edit, status, unpack
from websockets.exceptions import ConnectionClosed, InvalidStatus
from websockets.sync.client import connect

from fern_tide.web import doors, lines

UPGRADE = {
    "Upgrade": "websocket",
    "Connection": "Upgrade",
    "Sec-WebSocket-Version": "13",
    "Sec-WebSocket-Key": "AAAAAAAAAAAAAAAAAAAAAA==",
}


@pytest.fixture
def port(client):
    """The application behind its door, with fewer threads than lines."""
    server = doors.open_door(client.application, host="127.0.0.1", port=0, threads=2, most_bytes=1 << 20)
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    yield server.effective_port
    server.task_dispatcher.shutdown()
    server.close()
    thread.join(5)
    wait_for_free_lines()


def wait_for_free_lines(*, but=0):
    at = time.monotonic()
    while sum(thread.name == "line" for thread in threading.enumerate()) > but:
        assert time.monotonic() - at < 10, "a line's thread ends with it"
        time.sleep(0.02)


def line(port, key, name, **more):
    return connect(f"ws://127.0.0.1:{port}/p/{key}/live/{name}/line", compression=None, **more)


def message(revision, samples):
    return revision.to_bytes(4, "little") + np.asarray(samples, dtype="<f4").tobytes()


def say(on, sent):
    on.send(sent)  # a list goes in pieces, as browsers send what is long
    return on.recv(timeout=20)


def ask(on, sent):
    answer = say(on, sent)
    return int.from_bytes(answer[:4], "little"), answer[4:]


def refusal(port, key, name, **more):
    with pytest.raises(InvalidStatus) as wrong, line(port, key, name, **more):
        pass
    return wrong.value.response


def test_a_line_gives_what_requests_give(client, demo, port):
    (on_line, revision), (asked, _) = (
        (answer["id"], answer["revision"]) for answer in (begin(client, demo).json for _ in range(2))
    )
    sound = thuds(20)
    with line(port, demo, on_line, origin=f"http://127.0.0.1:{port}") as on:
        for at in range(0, len(sound), 1600):
            block = np.asarray(sound[at : at + 1600], dtype="<f4").tobytes()
            posted = client.post(f"/p/{demo}/live/{asked}/samples", data=block)
            sent = message(revision, np.frombuffer(block, "<f4"))
            code, content = ask(on, sent if at % 3200 else [sent[:3], sent[3:5000], sent[5000:]])
            assert code == 200 and content == posted.data
    assert "curves" in unpack(content)[0]


def test_an_edit_is_heard_of_on_the_line(client, demo, port, studio):
    answer = begin(client, demo).json
    mapping = studio.projects.current(demo).document.mappings[0]
    with line(port, demo, answer["id"]) as on:
        assert "words" not in unpack(ask(on, message(answer["revision"], thuds(2)))[1])[0]
        mute = {"kind": "set_field", "owner": "mapping", "id": mapping.id, "path": "muted", "value": True}
        later = edit(client, demo, mute).json["revision"]
        head, _ = unpack(ask(on, message(later, thuds(2)))[1])
        assert head["words"]["moves"] < answer["words"]["moves"] and str(mapping.drives[0].target) not in head["curves"]


def test_a_session_that_ends_ends_its_line_with_the_words_of_a_request(client, demo, port):
    answer = begin(client, demo).json
    with line(port, demo, answer["id"]) as on:
        assert ask(on, message(answer["revision"], np.zeros(1600)))[0] == 200
        client.post(f"/p/{demo}/live/{answer['id']}/close")
        code, words = ask(on, message(answer["revision"], np.zeros(1600)))
        assert code == 410 and b"Go live again" in words
        with pytest.raises(ConnectionClosed):
            on.recv(timeout=10)
    assert refusal(port, demo, answer["id"]).status_code == 410


def test_what_would_be_refused_of_a_request_is_refused_of_a_message(client, demo, port):
    answer = begin(client, demo, channels=2).json
    now, none = (number.to_bytes(4, "little") for number in (answer["revision"], 9999))
    for spoilt, code in ((now + b"\0" * 12, 422), (now + b"\0" * (8 * 48_000 * 11), 422), (none, 409), (b"\1", 409)):
        with line(port, demo, answer["id"]) as on:
            assert ask(on, spoilt)[0] == code, spoilt[:16]


def test_a_page_of_another_origin_gets_no_line(client, demo, port):
    name = begin(client, demo).json["id"]
    assert refusal(port, demo, name, origin="http://elsewhere.example").status_code == 403
    for header, code in (({"Sec-Fetch-Site": "cross-site"}, 403), ({"Host": "elsewhere.example"}, 400)):
        assert refusal(port, demo, name, additional_headers=header).status_code == code
    with line(port, demo, name, origin=f"http://127.0.0.1:{port}"):
        pass


@pytest.mark.parametrize("sent", ["words", b"\0" * (17 << 20), ["a", "b"], [b"\0" * (9 << 20)] * 2])
def test_what_no_page_sends_ends_the_line(client, demo, port, sent):
    with line(port, demo, begin(client, demo).json["id"]) as on, pytest.raises(ConnectionClosed):
        say(on, sent)


def test_there_are_so_many_lines_and_requests_are_answered_meanwhile(client, demo, port):
    name = begin(client, demo).json["id"]
    with ExitStack() as opened:
        first, *_ = [opened.enter_context(line(port, demo, name)) for _ in range(lines.MOST_LINES)]
        answer = refusal(port, demo, name)
        assert answer.status_code == 426 and b"There is no line." in answer.body
        with urlopen(f"http://127.0.0.1:{port}/p/{demo}/status", timeout=20) as page:
            assert page.status == 200
        first.socket.shutdown(SHUT_RDWR)  # it goes without a word
        wait_for_free_lines(but=lines.MOST_LINES - 1)
        with line(port, demo, name) as on:
            assert ask(on, message(status(client, demo)["revision"], np.zeros(1600)))[0] == 200


@pytest.mark.filterwarnings("error::pytest.PytestUnhandledThreadExceptionWarning")
def test_who_goes_away_before_the_answer_is_missed_by_nobody(client, demo, port):
    answer = begin(client, demo).json
    for _ in range(4):
        with line(port, demo, answer["id"]) as on:
            on.send(message(answer["revision"], thuds(30)))
    wait_for_free_lines()


def test_who_is_silent_for_long_is_let_go(client, demo, port, monkeypatch):
    monkeypatch.setattr(lines, "IDLE_S", 0.3)
    with line(port, demo, begin(client, demo).json["id"]) as on, pytest.raises(ConnectionClosed):
        on.recv(timeout=20)


def test_without_a_door_or_without_the_question_there_is_no_line(client, demo):
    address = f"/p/{demo}/live/{begin(client, demo).json['id']}/line"
    assert client.get(address).status_code == 400  # a plain request
    assert client.get(address, headers=UPGRADE).status_code == 426
    answer = client.get(address, headers={**UPGRADE, "Sec-WebSocket-Version": "8"})
    assert answer.status_code in {400, 426} and b"There is no line" not in answer.data
