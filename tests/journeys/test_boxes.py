"""The boxes of shapes and parts against a browser's own."""

import hashlib
import random

import pytest

from fern_tide.core.scene.drawing import draw, markup
from fern_tide.core.scene.extent import extents
from fern_tide.core.scene.media import SceneMedia, load
from fern_tide.core.scene.svg.bounds import path_box
from fern_tide.core.scene.svg.geometry import viewed
from fern_tide.demo.scene import glasshouse
from fern_tide.workflows.bring_in.scene_files import look_at, scene_of

BBOX = "data => data.map(d => { const p = document.createElementNS('http://www.w3.org/2000/svg', 'path');" + (
    "p.setAttribute('d', d); document.querySelector('svg').append(p); const b = p.getBBox();"
    "return [b.x, b.y, b.x + b.width, b.y + b.height]; })"
)
ON_STAGE = """([names, wide, tall]) => names.map(name => {
  const element = document.getElementById(name), own = element.getBBox(), m = element.getScreenCTM();
  const at = document.querySelector('svg').getBoundingClientRect();
  const xs = [own.x, own.x + own.width], ys = [own.y, own.y + own.height];
  const points = xs.flatMap(x => ys.map(y => [m.a * x + m.c * y + m.e - at.x, m.b * x + m.d * y + m.f - at.y]));
  const x = points.map(p => p[0] / wide), y = points.map(p => p[1] / tall);
  return [Math.min(...x), Math.min(...y), Math.max(...x), Math.max(...y)];
})"""
MESSY = """<svg xmlns="http://www.w3.org/2000/svg" viewBox="-10 5 300 200" width="600" height="300">
<defs><circle id="dot" cx="5" cy="5" r="5"/></defs>
<g transform="translate(30 20) scale(1.5)"><rect id="box" x="10" y="4" width="50" height="20"/>
<use id="copy" href="#dot" x="40" y="60"/></g>
<path id="arch" d="M10 100a20 20 0 0140 0V140h-40z"/><ellipse id="egg" cx="200" cy="90" rx="30" ry="12"/>
<g id="hidden" display="none"><rect width="9" height="9"/></g></svg>"""


def svg_scene(text):
    content = look_at({"messy.svg": text.encode()})
    scene = scene_of(content, hashlib.sha256(content.content).hexdigest())
    return scene, load(scene, lambda digest: content.content)


@pytest.fixture
def blank(browser):
    page = browser.new_page()
    yield page
    page.close()


def _data(rng: random.Random) -> str:
    def numbers(count):
        return " ".join(f"{rng.uniform(-90, 90):.2f}" for _ in range(count))

    words = [f"M{numbers(2)}"]
    for _ in range(rng.randint(1, 7)):
        verb = rng.choice("LlHhVvCcSsQqTtAaZm")
        if verb in "Aa":
            flags = rng.choice(["0 0 ", "01", "1,1,", "1 0 "])
            words.append(f"{verb}{rng.uniform(5, 80):.2f} {rng.uniform(5, 80):.2f} {numbers(1)} {flags}{numbers(2)}")
        else:
            count = {"H": 1, "V": 1, "C": 6, "S": 4, "Q": 4, "Z": 0}.get(verb.upper(), 2)
            words.append(verb + numbers(count))
    return "".join(words) + "L1 1"


def test_a_paths_box_is_the_browsers(blank):
    rng = random.Random(3)
    paths = [_data(rng) for _ in range(400)]
    blank.set_content("<svg xmlns='http://www.w3.org/2000/svg'></svg>")
    for data, theirs in zip(paths, blank.evaluate(BBOX, paths), strict=True):
        arcs = "a" in data.lower()  # the browser draws them as cubics
        assert path_box(data) == pytest.approx(theirs, abs=0.2 if arcs else 2e-4), data


@pytest.mark.parametrize(
    ("data", "box"),
    [
        ("M0 0A5 5 0 0 1 10 0", (0, -5, 10, 0)),
        ("M0 0A5 5 0 0 0 10 0", (0, 0, 10, 5)),
        ("M0 0a1 1 0 0110 0", (0, -5, 10, 0)),  # flags without a gap, and a radius that is too small
        ("M5 0A5 5 0 1 1 0 5", (0, 0, 10, 10)),  # three quarters of a circle about 5 5
        ("M0 0A0 5 0 0 1 10 4", (0, 0, 10, 4)),  # no radius: a line
        ("M0 0Q5 10 10 0", (0, 0, 10, 5)),
        ("M0 0C0 8 10 8 10 0", (0, 0, 10, 6)),
        ("M3 4", None),
        ("", None),
        ("M0 0L1 2 3", (0, 0, 1, 2)),  # what cannot be read ends it
    ],
)
def test_boxes_worked_out_by_hand(data, box):
    assert path_box(data) == (None if box is None else pytest.approx(box, abs=1e-9))


@pytest.mark.parametrize("scene_and_media", [(glasshouse(), SceneMedia()), svg_scene(MESSY)], ids=["demo", "messy"])
def test_parts_lie_where_the_browser_draws_them(blank, scene_and_media):
    scene, media = scene_and_media
    ours = extents(scene, media=media)
    text = markup(draw(scene, media=media))
    blank.set_content(f"<style>svg{{width:960px;height:{960 * scene.height / scene.width}px}}</style>{text}")
    parts = [p for p in scene.parts if p.id in ours and p.kind.id != "text" and p.kind.in_file != "file"]
    assert len(parts) > 4
    names = [f"{part.id}--{'own' if part.kind.in_file == 'element' else 'move'}" for part in parts]
    theirs = blank.evaluate(ON_STAGE, [names, 960, 960 * scene.height / scene.width])
    for part, box in zip(parts, theirs, strict=True):
        assert ours[part.id].stage == pytest.approx(box, abs=2e-4), part.name


def test_what_is_not_drawn_is_nowhere():
    scene, media = svg_scene(MESSY)
    assert {"box", "copy", "arch", "egg"} <= set(extents(scene, media=media))
    assert "hidden" not in extents(scene, media=media)


OWN = (
    "names => names.map(name => { const b = document.getElementById(name).getBBox();"
    " return [b.x, b.y, b.width, b.height]; })"
)


def test_a_parts_own_box_is_the_browsers_however_it_is_moved_turned_and_scaled(blank):
    moved = {"x": 40.0, "y": -25.0, "turn": 33.0, "scale_x": 1.7, "scale_y": 0.6}
    scene = glasshouse()
    names = ["cloche-1", "lamp-bulb", "frond-left", "moth-one"]
    parts = [p.model_copy(update={"values": {**p.values, **moved}}) if p.id in names else p for p in scene.parts]
    scene = scene.but(parts=tuple(parts))
    blank.set_content(markup(draw(scene)))
    own = extents(scene, media=SceneMedia())
    for name, (x, y, wide, tall) in zip(names, blank.evaluate(OWN, [f"{name}--own" for name in names]), strict=True):
        assert own[name].own == pytest.approx((x, y, x + wide, y + tall), abs=0.05), name


@pytest.mark.parametrize("align", ["none", "xMinYMin", "xMidYMax", "xMaxYMid"])
@pytest.mark.parametrize("more", ["", " meet", " slice"])
@pytest.mark.parametrize(("width", "height"), [(60, 30), (20, 90)])
def test_a_drawing_in_a_drawing_is_fitted_as_the_browser_fits_it(page, align, more, width, height):
    inside = {"x": "5", "y": "9", "width": str(width), "height": str(height), "viewBox": "2 4 40 50"}
    inside["preserveAspectRatio"] = align + more
    words = " ".join(f'{name}="{value}"' for name, value in inside.items())
    page.set_content(f"<svg width=300 height=300><svg {words}><rect id=leaf width=1 height=1 /></svg></svg>")
    found = page.evaluate(
        """() => {
          const outer = document.querySelector("svg").getScreenCTM().inverse();
          const { a, b, c, d, e, f } = outer.multiply(document.querySelector("#leaf").getScreenCTM());
          return [a, b, c, d, e, f];
        }"""
    )
    assert viewed(inside) == pytest.approx(found, abs=1e-4)
