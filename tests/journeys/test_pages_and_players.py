"""Formats for pages, players, editors and tables, each read by a program that is not ours."""

import io
import json
from dataclasses import replace

import numpy as np
import openpyxl
import opentimelineio
import pytest
from PIL import Image
from tests.core.formats.hand_offs import leaf
from tests.journeys.players import beside_svg, lottie_errors, lottie_frames

from fern_tide.core.bake.bake import bake
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.formats.format import HandOff, Moments, write
from fern_tide.core.formats.moments import Moment
from fern_tide.core.formats.registry import FORMATS
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.scene.media import SceneMedia
from fern_tide.core.scene.scene import Scene
from fern_tide.demo.scene import glasshouse

RATE = FrameRate.parse("30000/1001")
N_FRAMES = 90
SHOWN = (0, 17, 44, 89)
LIFT = 0.5 - 0.5 * np.cos(np.arange(N_FRAMES) / 6.0)
ENDS = {
    "rain:y": (0, 40),
    "rain:opacity": (0.2, 1.0),
    "glass:fill": ("#143330", "#c02010"),
    "lamp:scale_x": (0.5, 2.0),
    "lamp-glow:fill": ("#f0c040", "#2040f0"),
    "lamp-glow:scale_y": (0.8, 1.6),
    "frond-left:turn": (-20, 200),
    "frame:stroke_width": (2, 14),
    "frame:stroke": ("#2c5249", "#f0f0f0"),
    "moth-one:x": (0, 300),
    "moth-one:turn": (0, -90),
    "cloches:scale_y": (0.7, 1.1),
}


def hand_off(scene: Scene | None = None, ends=ENDS, media: SceneMedia | None = None) -> HandOff:
    scene = scene or glasshouse()
    drives = [{"target": name, "rest": rest, "full": full} for name, (rest, full) in ends.items()]
    mapping = Mapping.model_validate(
        {"id": "m", "name": "M", "envelope": "e", "marks": {"low": 0.1, "high": 0.9}, "drives": drives}
    )
    curves = bake(scene, [mapping], lifts={"m": LIFT}, n_frames=N_FRAMES)
    hits = {"Rain on Panes": np.array([0.25, 1.0, 2.0625])}
    moments = Moments((Moment(0.5, "One & <two>", "#d9a431"), Moment(2.5, "End")), hits)
    return HandOff("Glass & <house>", scene, curves, RATE, N_FRAMES, media or SceneMedia(), moments=moments)


@pytest.fixture(scope="module")
def page(browser):
    """A page that reaches nothing, in the browser that the journeys share."""
    opened = browser.new_page(viewport={"width": 960, "height": 540})
    opened.route("**/*", lambda route: route.abort())
    yield opened
    opened.close()


def picture(page) -> np.ndarray:
    return np.asarray(Image.open(io.BytesIO(page.screenshot())).convert("RGB"), dtype=np.int64)


# --- Lottie


@pytest.fixture(scope="module", params=[{}, {"error_percent": 1, "interpolation": "cubic"}], ids=["dense", "cubic"])
def lottie(request):
    spec = FORMATS["lottie"]
    return write(hand_off(), format=spec, params=spec.params(**request.param))


def test_lottie_is_what_its_schema_says(lottie, tmp_path):
    assert lottie_errors(lottie.content, tmp_path / "scene.json") == []


def test_a_lottie_player_goes_to_the_projects_markers(page):
    named = Moments((Moment(2.0, "Chorus"), Moment(0.5, "Lamp comes on"), Moment(3.5, "After the end")))
    written = write(replace(hand_off(), moments=named), format=FORMATS["lottie"])
    data = json.loads(written.content)
    lottie_frames(page, data, (0,), picture=lambda page: None)
    for name, second in (("Lamp comes on", 0.5), ("Chorus", 2.0)):
        page.evaluate("name => shown.goToAndStop(name)", name)
        assert page.evaluate("() => shown.currentFrame") == pytest.approx(second * 30_000 / 1001, abs=1e-5)
    assert [marker["cm"] for marker in data["markers"]] == ["Lamp comes on", "Chorus"]  # in time, those in its length


def test_a_lottie_player_shows_what_a_browser_shows_of_the_svg(lottie, page):
    """Letters are another font's in the browser, so the title is left out of the picture that is compared."""
    svg = write(hand_off(), format=FORMATS["svg"]).content.decode().partition("?>")[2]
    seconds = {frame: float(RATE.seconds(frame)) for frame in SHOWN}
    both = beside_svg(page, lottie.content, svg, seconds, picture=picture)
    for frame, (_, apart) in both.items():
        apart[:60] = 0
        assert apart.mean() < 3 and (apart > 60).mean() < 0.012, frame
    assert np.abs(both[0][0] - both[17][0]).max(axis=2).mean() > 2, "they move"


# --- pages

_SAMPLE = """([parts, times]) => times.map((time) => Object.fromEntries(parts.map(([part, name]) => {
    const element = document.querySelector("." + part);
    for (const animation of element.getAnimations()) { animation.pause(); animation.currentTime = time; }
    return [part + " " + name, getComputedStyle(element).getPropertyValue(name)];
})))"""
SAMPLED = {
    "rain translate": ("rain:x", "rain:y"),
    "rain opacity": ("rain:opacity",),
    "frond-left rotate": ("frond-left:turn",),
    "lamp-glow scale": ("lamp-glow:scale_x", "lamp-glow:scale_y"),
    "frame stroke-width": ("frame:stroke_width",),
    "glass fill": ("glass:fill",),
}


def numbers(text: str) -> list[float]:
    words = text.replace("rgb(", "").replace(")", "").replace(",", " ").replace("px", "").replace("deg", "").split()
    return [float(word) for word in words]


def check_sampled(page, shown: HandOff):
    values = {str(curve.target): curve for curve in shown.curves}
    times = [1000 * float(RATE.seconds(frame)) + 1e-3 for frame in SHOWN]
    played = page.evaluate(_SAMPLE, [[name.split() for name in SAMPLED], times])
    for frame, at in zip(SHOWN, played, strict=True):
        for name, sources in SAMPLED.items():
            found = numbers(at[name])
            if name == "glass fill":
                np.testing.assert_allclose(np.array(found) / 255, values[sources[0]].values[:, frame], atol=1 / 255)
                continue
            wanted = [values[source].values[frame] if source in values else 0.0 for source in sources]
            wanted = [
                1.0 if source == "lamp-glow:scale_x" else one for source, one in zip(sources, wanted, strict=True)
            ]
            found += [0.0 if name.endswith("translate") else found[0]] * (len(wanted) - len(found))
            np.testing.assert_allclose(found, wanted, atol=2e-3, err_msg=f"{name} at {frame}")


def elements(shown: HandOff) -> str:
    parts = {curve.target.part for curve in shown.curves}
    return "".join(f"<svg><g class='{part}'><rect width=9 height=9 /></g></svg>" for part in sorted(parts))


def test_a_browser_plays_the_css(page):
    shown = hand_off()
    css = write(shown, format=FORMATS["css"]).content.decode()
    page.set_content(f"<style>{css}</style>{elements(shown)}")
    check_sampled(page, shown)


def test_css_names_begin_with_no_digit_and_are_each_of_one_part(page):
    ids = {"3-blades": "turn", "blade": "fill_opacity", "blade-fill": "opacity"}
    paths = "".join(f"<path id='{id}' d='M0 0h9v9z' fill='#284' fill-opacity='.9'/>" for id in ids)
    content = f"<svg xmlns='http://www.w3.org/2000/svg' viewBox='0 0 200 100'>{paths}</svg>".encode()
    shown = leaf(
        ("3-blades:turn", 0, 90), ("blade:fill_opacity", 0.2, 0.4), ("blade-fill:opacity", 0.6, 1), content=content
    )
    css = write(shown, format=FORMATS["css"]).content.decode()
    page.set_content(f"<style>{css}</style>" + "".join(f"<svg><g class='{id}'></g></svg>" for id in ids))
    played = page.evaluate(
        """([ids, time]) => Object.entries(ids).map(([id, name]) => {
            const [element] = document.getElementsByClassName(id);
            for (const animation of element.getAnimations()) { animation.pause(); animation.currentTime = time; }
            return getComputedStyle(element).getPropertyValue(name === "turn" ? "rotate" : name.replace("_", "-"));
        })""",
        [ids, 1000 * float(shown.rate.seconds(17)) + 1e-3],
    )
    wanted = [curve.values[17] for id in ids for curve in shown.curves if curve.target.part == id]
    np.testing.assert_allclose([numbers(text)[0] for text in played], wanted, atol=2e-3)


def test_a_browser_plays_the_web_animations(page):
    shown = hand_off()
    page.set_content(elements(shown))
    page.evaluate(
        """all => {
            const play = ({ part, keyframes, options }) =>
                document.querySelector("." + part).animate(keyframes, options);
            all.animations.forEach(play);
        }""",
        json.loads(write(shown, format=FORMATS["waapi"]).content),
    )
    check_sampled(page, shown)


def test_a_browser_finds_the_cues(page):
    shown = hand_off()
    text = write(shown, format=FORMATS["webvtt"]).content.decode()
    page.set_content("<video></video>")
    cues = page.evaluate(
        """text => new Promise((done, failed) => {
            const src = "data:text/vtt," + encodeURIComponent(text);
            const track = Object.assign(document.createElement("track"), { src, kind: "metadata" });
            track.onload = () => done(Array.from(track.track.cues, (cue) => [cue.startTime, cue.text]));
            track.onerror = () => failed("no cues");
            document.querySelector("video").append(track);
            track.track.mode = "hidden";
        })""",
        text,
    )
    np.testing.assert_allclose([at for at, _ in cues], [0.25, 0.5, 1.0, 2.0625, 2.5], atol=5e-4)
    assert cues[1][1] == "One &amp; &lt;two&gt;"


# --- tables, editors, instruments


def test_a_spreadsheet_has_the_numbers_that_another_program_reads():
    shown = hand_off()
    book = openpyxl.load_workbook(io.BytesIO(write(shown, format=FORMATS["xlsx"]).content))
    assert len(book.sheetnames) == len({curve.target.part for curve in shown.curves})
    sheet = book["Rain"]
    assert [cell.value for cell in sheet[1]] == ["frame", "time_s", "rain:y [px]", "rain:opacity [1]"]
    column = [row[2].value for row in sheet.iter_rows(min_row=2)]
    np.testing.assert_allclose(column, next(c.values for c in shown.curves if str(c.target) == "rain:y"), atol=1e-12)
    assert len(sheet._charts) == 1


def test_an_editing_program_finds_the_markers():
    shown = hand_off()
    timeline = opentimelineio.adapters.read_from_string(
        write(shown, format=FORMATS["otio"]).content.decode(), "otio_json"
    )
    rows = {track.name: [marker for item in track for marker in item.markers] for track in timeline.tracks}
    assert [marker.name for marker in rows["Markers"]] == ["One & <two>", "End"]
    assert rows["Markers"][0].color == "ORANGE" or rows["Markers"][0].color == "YELLOW"
    starts = [marker.marked_range.start_time.to_seconds() for marker in rows["Hits of Rain on Panes"]]
    np.testing.assert_allclose(starts, [0.25, 1.0, 2.0625], atol=1e-9)
    assert timeline.duration().value == N_FRAMES


def midi_events(content: bytes):
    """Read a MIDI file by the bytes: the division, and for each track (tick, status, data) in order."""
    assert content[:4] == b"MThd" and content[8:10] == b"\x00\x01"
    division, at, tracks = int.from_bytes(content[12:14], "big"), 14, []
    while at < len(content):
        assert content[at : at + 4] == b"MTrk"
        end = at + 8 + int.from_bytes(content[at + 4 : at + 8], "big")
        at, tick, status, events = at + 8, 0, 0, []

        def number(at):
            value = 0
            while True:
                value = value << 7 | content[at] & 127
                at += 1
                if not content[at - 1] & 128:
                    return value, at

        while at < end:
            wait, at = number(at)
            tick += wait
            if content[at] & 128:
                status, at = content[at], at + 1
            if status == 0xFF:
                kind, (size, after) = content[at], number(at + 1)
                events.append((tick, kind, content[after : after + size]))
                at = after + size
            else:
                events.append((tick, status, content[at : at + 2]))
                at += 2
        tracks.append(events)
    return division, tracks


def test_a_midi_file_read_by_its_bytes_stands_at_every_frame_as_the_curve_does():
    shown = hand_off()
    division, (conductor, *tracks) = midi_events(write(shown, format=FORMATS["midi"]).content)
    tempo = int.from_bytes(next(data for _, kind, data in conductor if kind == 0x51), "big")
    assert division == 30 * 32 and tempo == 1_001_000, "a quarter is 30 frames of 1001/30000 s, to the microsecond"
    assert len(tracks) == sum(3 if curve.kind == "colour" else 1 for curve in shown.curves)
    assert {events[-1][:2] for events in (conductor, *tracks)} == {(N_FRAMES * 32, 0x2F)}, (
        "all are as long as the project"
    )
    curve = next(curve for curve in shown.curves if str(curve.target) == "frond-left:turn")
    events = next(events for events in tracks if b"frond-left:turn" in events[0][2])
    coarse = {tick: data[1] for tick, status, data in events if status & 0xF0 == 0xB0 and data[0] < 32}
    fine = {tick: data[1] for tick, status, data in events if status & 0xF0 == 0xB0 and data[0] >= 32}
    low, span, value = curve.values.min(), np.ptp(curve.values), 0
    for frame in range(N_FRAMES):
        tick = frame * 32
        assert tick / division * tempo / 1e6 == pytest.approx(float(RATE.seconds(frame)), abs=1e-9)
        if tick in coarse:
            value = coarse[tick] << 7 | fine[tick]
        assert low + value / 16383 * span == pytest.approx(curve.values[frame], abs=span / 16383)
