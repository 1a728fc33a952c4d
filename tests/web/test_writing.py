"""Writing that takes long, without a browser."""

import re

import pytest

from fern_tide.demo.project import wall_project
from fern_tide.web.pages import handoff
from fern_tide.workflows.derive.analysis import levels_of
from fern_tide.workflows.hand_off import long


@pytest.fixture
def long_writing(monkeypatch):
    monkeypatch.setattr(long, "MOST_AT_ONCE", 100)


def test_what_takes_long_is_written_as_work_and_is_the_same_file(client, demo, studio, monkeypatch):
    options = {"error_percent": "0.5", "part": ["rain", "lamp"]}
    at_once = client.post(f"/p/{demo}/hand-off/write/json", data=options)
    url = f"/p/{demo}/hand-off/files/json?error_percent=0.5&part=rain&part=lamp"
    content = client.get(url).data
    monkeypatch.setattr(long, "MOST_AT_ONCE", 100)
    handoff._last.clear()
    assert client.get(url).status_code == 422, "nobody wrote it"
    worked = client.post(f"/p/{demo}/hand-off/write/json", data=options)
    assert worked.text == at_once.text and "read back, largest error 5.0e-03" in " ".join(worked.text.split())
    (job,) = [row for row in studio.jobs._table.select() if row.kind == long.KIND]
    assert job.state == "done"
    for _ in range(2):
        assert client.get(url).data == content
        handoff._last.clear()
    client.post(f"/p/{demo}/hand-off/write/json", data=options)
    assert len([row for row in studio.jobs._table.select() if row.kind == long.KIND]) == 1, "it is there already"
    monkeypatch.setattr(long, "__version__", "999")
    handoff._last.clear()
    client.post(f"/p/{demo}/hand-off/write/json", data=options)
    n_written = len([row for row in studio.jobs._table.select() if row.kind == long.KIND])
    assert n_written == 2, "what another version wrote is written anew"


def test_a_lottie_file_carries_the_markers_of_the_project_however_long_it_takes(client, demo, monkeypatch):
    """Of the demo: the lamp comes on after 5.2 s and the rain stops after 41.5 s, at 30 frames a second."""
    for most in (10**9, 1):
        monkeypatch.setattr(long, "MOST_AT_ONCE", most)
        handoff._last.clear()
        client.post(f"/p/{demo}/hand-off/write/lottie", data={"part": "rain"})
        written = client.get(f"/p/{demo}/hand-off/files/lottie?part=rain").json
        markers = [(one["cm"], one["tm"], one["dr"]) for one in written["markers"]]
        assert markers == [("Lamp comes on", 156, 0), ("Rain stops", 1245, 0)]


def test_long_writing_says_how_far_it_is_and_is_cancelled(client, demo, studio, long_writing, monkeypatch):
    monkeypatch.setattr(studio, "enqueue", lambda job: None)
    page = client.post(f"/p/{demo}/hand-off/write/json").text
    asks = re.search(r'hx-get="([^"]+)"', page)[1].replace("&amp;", "&")
    assert "Waiting to write JSON, 0 %" in " ".join(page.split()) and "/hand-off/write/json/" in asks
    (job,) = [row for row in studio.jobs._table.select() if row.kind == long.KIND]
    claimed = studio.jobs.claim(job.id)
    studio.jobs.progress(claimed, share=0.42, words="Writing JSON")
    page = " ".join(client.get(asks).text.split())
    assert "Writing JSON, 42 %" in page and 'aria-valuenow="42"' in page
    page = client.post(asks.replace("?", "/cancel?")).text
    assert "Nothing was written: it was cancelled" in page and "hx-get" not in page
    again = client.post(f"/p/{demo}/hand-off/write/json").text
    assert "Waiting to write JSON" in again and job.id not in again


def test_long_writing_that_cannot_be_done_says_why(client, demo, studio, long_writing):
    refused = client.post(f"/p/{demo}/hand-off/write/json", data={"part": "title"})
    assert refused.status_code == 200 and "There are no baked curves to write." in refused.text
    assert "hx-get" not in refused.text


@pytest.mark.parametrize(("most", "is_long"), [(11_999, True), (12_000, False)])
def test_an_array_by_formula_is_long_by_its_pieces_not_by_what_they_would_be(studio, monkeypatch, most, is_long):
    monkeypatch.setattr(long, "MOST_AT_ONCE", most)
    order = long.Order(project=wall_project(), baked={}, format="json", options={"by_formula": "yes"})
    assert long.is_long(studio, levels_of(studio), order) is is_long


def test_a_profile_goes_into_the_formats_that_the_page_names(client, studio, demo):
    flat = client.get(f"/p/{demo}/hand-off").text
    assert "In CSV, JSON, Spreadsheet." in flat
    bench = next(row[0] for row in studio.projects.all() if "bench" in row[1].lower())
    assert "In CSV, JSON, USD (only up axis, lengths), USDZ (only up axis, lengths), Spreadsheet." in (
        client.get(f"/p/{bench}/hand-off").text
    )
    asked = {"up": "z", "handed": "left", "lengths": "centimetres", "first_frame": "1"}
    assert client.post(f"/p/{bench}/hand-off/write/usd", data=asked).status_code == 200
    text = client.get(f"/p/{bench}/hand-off/files/usd", query_string=asked).text
    assert "metersPerUnit = 0.01" in text and 'upAxis = "Z"' in text
    assert client.post(f"/p/{bench}/hand-off/write/usd", data={"up": "w"}).status_code == 422
