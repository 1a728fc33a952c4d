"""A proof as the page draws it: the playhead that is burnt in is the frame, in every frame."""

import base64
import io

import av
import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import Page
from tests.journeys.conftest import wait
from tests.journeys.test_stage_room import bring_in

BITS = 20
FRAMES = 40


def shortened(page: Page):
    edit = f"project.edit({{ kind: 'set_length', frames: {FRAMES} }})"
    page.evaluate(f"script('project').then(({{ project }}) => {edit})")
    page.press("body", "4")
    page.wait_for_selector("#proof-begin:not([disabled])")


def marks(pixels: np.ndarray) -> int:
    tall, wide = pixels.shape[:2]
    strip = max(18, round(tall / 22))
    cell = int(wide * 0.3 / BITS)
    row = pixels[tall - strip // 2 - 2 : tall - strip // 2 + 2]
    bits = [row[:, at * cell + 2 : at * cell + cell - 2].mean() > 127 for at in range(BITS)]
    return int("".join(str(int(bit)) for bit in bits), 2)


def frames_of(path) -> list[np.ndarray]:
    with av.open(path) as video:
        return [frame.to_ndarray(format="rgb24") for frame in video.decode(video=0)]


@pytest.mark.parametrize(
    ("kind", "rate", "shown"), [("mp4", "", range(FRAMES)), ("webm", "60", [k // 2 for k in range(2 * FRAMES)])]
)
def test_the_frame_that_is_burnt_in_is_the_frame_and_they_all_are_there(demo, kind, rate, shown):
    shortened(demo)
    demo.select_option("#proof-rate", rate)
    demo.select_option("#proof-kind", kind)
    demo.fill("#proof-width", "640")
    demo.fill("#proof-height", "360")
    demo.check("#proof-strip")
    demo.click("#proof-begin")
    demo.wait_for_selector("#proof-file")
    with demo.expect_download() as got:
        demo.click("#proof-file")
    frames = frames_of(got.value.path())
    assert [marks(frame) for frame in frames] == list(shown)
    assert demo.input_value("#proof-width") == "640" and demo.input_value("#proof-rate") == rate, (
        "what was chosen stays"
    )
    assert len({frame[:300].tobytes() for frame in frames}) > FRAMES / 2, "the stage moves"


def test_one_that_was_stopped_goes_on_and_flashes_are_measured(demo):
    shortened(demo)
    demo.click("#proof-begin")
    wait(demo, "document.querySelector('#proof-status').textContent.includes('Drawing')")
    demo.click("#proof-stop")
    wait(demo, "document.querySelector('#proof-status').textContent.includes('What is drawn stays')")
    demo.press("body", "2")
    demo.wait_for_selector("#stage")
    demo.press("body", "4")
    demo.wait_for_selector("#proof-begin:not([disabled])")
    demo.click("#proof-begin")
    demo.wait_for_selector("#proof-file")
    demo.click("#bake")
    wait(demo, "document.querySelector('#bake').textContent === 'All curves baked'")
    wait(demo, "document.querySelector('#checks-title') && !document.querySelector('#measure-flashing')")
    with demo.expect_download() as still:
        demo.click("[data-still='png']")
    assert still.value.path().read_bytes().startswith(b"\x89PNG")
    with demo.expect_download() as drawing:
        demo.click("[data-still='svg']")
    assert b"<svg" in drawing.value.path().read_bytes()[:200]


DRAWN = """async () => {
  const { ProofStage } = await script("proof_stage");
  const scope = new AbortController();
  const stage = await new ProofStage({ width: 640, height: 360 }, scope.signal).load();
  const pixels = () => stage.context.getImageData(0, 0, 640, 360).data;
  const frames = [0, 1, 2, 3, 100, 200, 300, 400];
  const sheet = await stage.sheet(frames);
  const together = [];
  for (const at of frames.keys()) {
    stage.context.drawImage(await stage.picture(sheet, at), 0, 0);
    together.push(pixels());
  }
  const isBright = (value, place) => place % 4 === 0 && value > 150;
  const words = together.map((all) => all.subarray(0, 640 * 30 * 4).filter(isBright).length);
  const [others, stills] = [[], []];
  const furthest = (at) => {
    const alone = pixels();
    return together[at].reduce((most, value, place) => Math.max(most, Math.abs(value - alone[place])), 0);
  };
  for (const [at, frame] of frames.entries()) {
    stage.context.drawImage(await stage.picture(await stage.sheet([frame]), 0), 0, 0);
    others.push(furthest(at));
    const image = new Image(640, 360);
    image.src = URL.createObjectURL(new Blob([stage.svgOf(frame)], { type: "image/svg+xml" }));
    await image.decode();
    stage.context.drawImage(image, 0, 0, 640, 360);
    stills.push(furthest(at));
  }
  scope.abort();
  return { words, others, stills };
}"""


def test_frames_that_are_drawn_together_are_as_each_alone_and_have_their_words_from_the_first_on(demo):
    demo.press("body", "4")
    demo.wait_for_selector("#proof-begin:not([disabled])")
    drawn = demo.evaluate(DRAWN)
    assert drawn["others"] == [0] * 8
    assert max(drawn["stills"]) <= 2, "of 255; nothing is left out of a still"
    assert min(drawn["words"]) > 0.8 * max(drawn["words"]) > 300, "the title is written at the top"


MOVING = b"""<svg xmlns="http://www.w3.org/2000/svg" width="640" height="360" viewBox="0 0 640 360">
<rect width="640" height="360" fill="#ffffff"/>
<circle cx="20" cy="30" r="12" fill="#ff0000"><animate attributeName="cx" from="20" to="620" dur="4s"/></circle>
<rect x="-10" y="-10" width="20" height="20" fill="#00ff00"><animateMotion path="M20 80H620" dur="4s"/></rect>
<g transform="translate(0 130)"><rect x="10" y="0" width="20" height="20" fill="#0000ff">
<animateTransform attributeName="transform" type="translate" from="0 0" to="600 0" dur="4s"/></rect></g>
<rect x="10" y="200" width="20" height="20" fill="#ffff00">
<animate attributeName="fill" values="#ffff00;#00ffff" calcMode="discrete" dur="2s"/></rect>
<polygon points="10,290 30,290 30,310 10,310" fill="#000000"><animate attributeName="points" dur="4s"
from="10,290 30,290 30,310 10,310" to="610,290 630,290 630,310 610,310"/></polygon>
<path d="M10 320H30V340H10Z" fill="#000000"><animate attributeName="d" dur="4s"
from="M10 320H30V340H10Z" to="M610 320H630V340H610Z"/></path>
<rect x="10" y="260" width="20" height="20" fill="#ff00ff"><set attributeName="x" to="310" begin="1.5s"/></rect>
</svg>"""
WHERE = """async () => {
  const { ProofStage } = await script("proof_stage");
  const scope = new AbortController();
  const stage = await new ProofStage({ width: 640, height: 360 }, scope.signal).load();
  const sheet = await stage.sheet([0, 30, 60]);
  const places = [];
  for (const at of sheet.frames.keys()) {
    stage.context.drawImage(await stage.picture(sheet, at), 0, 0);
    const { data } = stage.context.getImageData(0, 0, 640, 360);
    const sums = {};
    for (let place = 0; place < data.length; place += 4) {
      const bit = (value) => (value > 250 ? 1 : value < 5 ? 0 : "-");
      const colour = [0, 1, 2].map((channel) => bit(data[place + channel])).join("");
      const sum = (sums[colour] ??= [0, 0]);
      sum[0] += (place / 4) % 640;
      sum[1] += 1;
    }
    places.push(Object.fromEntries(Object.entries(sums).map(([colour, [x, count]]) => [colour, x / count + 0.5])));
  }
  scope.abort();
  return places;
}"""


def test_a_drawings_own_motion_is_in_its_proof(demo):
    demo.press("body", "2")
    demo.wait_for_selector("#stage svg")
    bring_in(demo, "moving.svg", MOVING)
    demo.wait_for_selector("#stage animateMotion", state="attached")
    demo.press("body", "4")
    demo.wait_for_selector("#proof-begin:not([disabled])")
    for second, seen in enumerate(demo.evaluate(WHERE)):
        x = 20 + 150 * second  # 600 in four seconds
        for colour in ("100", "010", "001", "000"):
            assert seen[colour] == pytest.approx(x, abs=0.6), (second, colour)
        assert seen["110" if second != 1 else "011"] == pytest.approx(20, abs=0.6)
        assert seen["101"] == pytest.approx(320 if second == 2 else 20, abs=0.6)


def test_a_frame_that_the_browser_has_no_memory_for_is_said_in_our_words(demo):
    demo.press("body", "4")
    demo.wait_for_selector("#proof-begin:not([disabled])")
    demo.evaluate("() => { window.createImageBitmap = () => Promise.reject(new DOMException('no')); }")
    demo.click("#proof-begin")
    wait(demo, "document.querySelector('#proof-status').textContent === 'The picture could not be drawn.'")
    assert demo.is_enabled("#proof-begin")


SEEN = """async ([width, height, clear]) => {
  const { ProofStage } = await script("proof_stage");
  const scope = new AbortController();
  const stage = await new ProofStage({ width, height, clear, background: "#0e1b18" }, scope.signal).load();
  const frame = 200;
  const sheet = await stage.sheet([frame - 1, frame]);
  const picture = await stage.file(await stage.picture(sheet, 1), "image/png");
  const drawing = stage.svgOf(frame);
  scope.abort();
  const reader = new FileReader();
  reader.readAsDataURL(picture);
  await new Promise((done) => (reader.onload = done));
  return [reader.result.split(",")[1], drawing];
}"""


@pytest.mark.parametrize(("size", "clear"), [((640, 360), True), ((480, 480), False), ((480, 480), True)])
def test_a_frame_looks_as_the_browser_shows_the_drawing_on_a_page(demo, size, clear):
    """Also what is half seen through, and beside a stage of another shape than the picture."""
    edit = "project.edit({ kind: 'set_value', target: 'cloches:y', value: 150 })"
    demo.evaluate(f"script('project').then(({{ project }}) => {edit})")
    demo.press("body", "4")
    demo.wait_for_selector("#proof-begin:not([disabled])")
    picture, drawing = demo.evaluate(SEEN, [*size, clear])
    page = demo.context.browser.new_page(viewport={"width": size[0], "height": size[1]})
    page.set_content(f"<body bgcolor='{'' if clear else '#0e1b18'}'><style>body{{margin:0}}</style>{drawing}")
    page.wait_for_function("document.fonts.status === 'loaded' && document.querySelector('text')")
    shot = page.screenshot(omit_background=clear)
    page.close()
    seen, wanted = (
        np.asarray(Image.open(io.BytesIO(png)).convert("RGBA"), dtype=float)
        for png in (base64.b64decode(picture), shot)
    )
    off = np.abs(seen[..., 3] - wanted[..., 3]) + np.abs((seen - wanted)[..., :3] * seen[..., 3:] / 255).max(axis=-1)
    assert (off > 12).mean() < 0.005, "edges are smoothed otherwise, no more"
    assert off.mean() < 1 and (not clear or (wanted[..., 3] < 250).mean() > 0.1), "of 255"
