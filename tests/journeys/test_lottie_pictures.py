"""Pictures in Lottie: a player shows them where a browser shows them in the SVG, in groups and out of them."""

import base64
import io
import json

import numpy as np
import pytest
from PIL import Image
from tests.journeys.lottie_drawings import lottie_of, pictures_apart
from tests.journeys.players import lottie_errors
from tests.journeys.test_pages_and_players import hand_off as of_scene
from tests.journeys.test_pages_and_players import page as page  # a fixture

from fern_tide.core.base.naming import Ids
from fern_tide.core.formats.format import HandOff
from fern_tide.core.formats.registry import FORMATS
from fern_tide.core.scene.media import SceneMedia
from fern_tide.core.scene.scene import Part, Scene, SceneFile
from fern_tide.core.scene.svg.parts import Sheet, parts_of
from fern_tide.core.scene.svg.reading import read_svg

LOTTIE = FORMATS["lottie"]
SHOWN = (0, 11, 40, 89)


def encoded(kind, size, *, seed):
    """Give a picture of coarse squares, so that a pixel more or less at their edges is little."""
    out = io.BytesIO()
    squares = np.random.default_rng(seed).integers(0, 256, (3, 4, 3), dtype=np.uint8)
    Image.fromarray(squares).resize(size, Image.Resampling.NEAREST).save(out, kind, quality=95)
    return out.getvalue()


def inside(content):
    return "data:image/png;base64," + base64.b64encode(content).decode()


PICTURES = {"1" * 64: encoded("PNG", (400, 300), seed=1), "2" * 64: encoded("WEBP", (200, 300), seed=2)}
DRAWING = f"""<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 400 400" width="400" height="400">
<defs><linearGradient id="fade"><stop id="warm" stop-color="#f0c040"/><stop offset="0.5" stop-color="#808080"/>
<stop id="cool" offset="1" stop-color="#2040f0"/></linearGradient>
<symbol id="dots" viewBox="0 0 10 10"><circle id="dot" cx="5" cy="5" r="4" fill="#f0f0f0"/></symbol></defs>
<rect id="shade" x="10" y="300" width="160" height="80" fill="url(#fade)"/>
<use href="#dots" x="200" y="290" width="90" height="90"/>
<rect id="gone" width="400" height="400" fill="#ff0000" display="none"/>
<g id="card" transform="translate(30 20) skewX(10)"><rect id="back" width="300" height="240" fill="#d9a431"/>
<image id="photo" x="20" y="30" width="200" height="200" transform="rotate(8)" href="{inside(PICTURES["1" * 64])}"/>
<rect id="front" x="150" y="150" width="100" height="60" fill="#2c5249" opacity="0.7"/></g></svg>""".encode()
FILES = (
    SceneFile(id="png", name="logo.png", media="1" * 64, kind="image"),
    SceneFile(id="webp", name="leaf.webp", media="2" * 64, kind="image"),
    SceneFile(id="card", name="card.svg", media="3" * 64, kind="svg"),
)
ENDS = {
    "logo:x": (100, 500),
    "logo:turn": (0, 40),
    "logo:opacity": (1.0, 0.4),
    "outer:turn": (-10, 30),
    "outer:opacity": (1.0, 0.5),
    "inner:scale_x": (0.6, 1.3),
    "inner:opacity": (0.5, 1.0),
    "leaf:y": (0, 80),
    "leaf:opacity": (0.7, 1.0),
    "photo:turn": (0, 60),
    "photo:opacity": (1.0, 0.3),
    "seen:scale_y": (0.7, 1.4),
    "warm:stop_colour": ("#f0c040", "#c02010"),
    "cool:stop_colour": ("#2040f0", "#20f040"),
    "dot:scale_x": (0.4, 1.0),
    "gone:turn": (0, 90),
    "gone:fill": ("#ff0000", "#00ff00"),
    "gone:opacity": (0.2, 1.0),
}


def part(id, shape, *, parent=None, anchor=(0, 0), **values):
    place = {"x": anchor[0], "y": anchor[1]}
    return Part(id=id, name=id, shape=shape, parent=parent, anchor=place, values=values)


@pytest.fixture(scope="module")
def shown() -> HandOff:
    def image(file, width, height, **more):
        return {"id": "image", "params": {"file": file, "width": width, "height": height, **more}}

    oval = {"mask": "ellipse", "mask_x": 100, "mask_y": 90, "mask_width": 150, "mask_height": 120}
    box = {"id": "rectangle", "params": {"x": 0, "y": 0, "width": 160, "height": 90}}
    sheet = Sheet(read_svg(DRAWING))
    parts = (
        part("logo", image("png", 400, 300), anchor=(200, 150), y=700.0),
        part("outer", {"id": "group"}, anchor=(900, 500), x=60.0),
        part("inner", {"id": "group"}, parent="outer", anchor=(1000, 600)),
        part("under", box, parent="inner", x=900.0, y=560.0, fill="#c02010"),
        part("leaf", image("webp", 260, 300), parent="inner", x=940.0, y=480.0),
        part("over", box, parent="inner", x=1100.0, y=700.0, fill="#2040f0", opacity=0.8),
        part("seen", image("png", 240, 260, **oval), x=1400.0, y=200.0, anchor=(100, 90)),
        *parts_of(sheet, FILES[2], ids=Ids(), limit_to=(700, 700)),
    )
    scene = Scene(name="s", files=FILES, parts=parts)
    media = SceneMedia(images=PICTURES, sheets={"3" * 64: sheet})
    plain = of_scene(scene, ENDS, media)
    assert len(plain.curves) == len(ENDS)
    return plain


@pytest.fixture(scope="module")
def written(shown):
    return lottie_of(shown)


def test_it_is_what_its_schema_says_and_has_each_picture_once(written, tmp_path):
    assert lottie_errors(written.content, tmp_path / "scene.json") == []
    pictures = [one["p"] for one in json.loads(written.content)["assets"] if "p" in one]
    assert len(pictures) == 2 and all(one.startswith("data:image/png;base64,") for one in pictures), "WebP as PNG"


def test_a_player_shows_what_a_browser_shows_of_the_svg(written, shown, page):
    both = pictures_apart(page, written, shown, SHOWN)
    for frame, (_, apart) in both.items():
        assert apart.mean() < 0.5 and (apart > 30).mean() < 0.002, frame
    assert np.abs(both[0][0] - both[40][0]).max(axis=2).mean() > 2, "they move"
