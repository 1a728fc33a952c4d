"""Drawings as they come: what is hidden, empty, cut away or only used can move, and every format has it whole."""

import numpy as np
import pytest

from fern_tide.core.bake.bake import bake
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.naming import Ids
from fern_tide.core.formats.format import HandOff, write
from fern_tide.core.formats.registry import FORMATS
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.scene.media import SceneMedia
from fern_tide.core.scene.scene import Scene, SceneFile
from fern_tide.core.scene.svg.parts import Sheet, parts_of
from fern_tide.core.scene.svg.reading import read_svg

DRAWING = b"""<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 400 400" width="400" height="400"><defs>
<path id="in-defs" d="M0 0h10v10z" fill="#ff0000"/><symbol id="symbol"><rect id="in-symbol" width="5" height="5"/>
</symbol>
<linearGradient id="fade"><stop id="warm" offset="0" stop-color="#ff0000"/><stop offset="1" stop-color="#00ff00"/>
</linearGradient><linearGradient id="idle"><stop id="unused" stop-color="#ff0000"/></linearGradient>
<clipPath id="hole"><circle id="in-clip" r="40"/></clipPath></defs>
<rect id="gone" width="30" height="24" fill="#d9a431" display="none"/><image id="blank" width="10" height="10"/>
<rect id="unseen" width="30" height="24" stroke="#d9a431" visibility="hidden"/>
<g id="folded" display="none"><circle id="within" r="5"/></g><g id="use"></g><rect width="7" height="7" id="rect"/>
<use href="#in-defs" x="4"/>
<use id="user" href="#symbol"/><path id="no-way" d="" fill="#ff0000"/><rect id="flat" width="0" height="5"/>
<polyline id="no-points" points="" stroke="#00ff00"/><path id="no-width" d="M0 0h10" stroke="#ff0000" stroke-width="0"/>
<path id="shaded" d="M0 0h10v10z" fill="url(#fade)"/><path id="lost" d="M0 0h10v10z" fill="url(#nowhere)"/>
<g id="cut" clip-path="url(#hole)"><rect id="in-cut" width="9" height="9"/></g>
<mask id="round"><g mask="url(#round)"><rect id="in-mask" width="9" height="9" fill="#ffffff"/></g></mask>
<mask id="bare"/><g id="by-itself" mask="url(#round)"><rect id="in-round" width="9" height="9"/></g>
<rect id="masked-away" mask="url(#bare)" width="9" height="9"/><clipPath id="wide" clipPathUnits="objectBoundingBox">
<rect width="1" height="1"/></clipPath><g id="shared" clip-path="url(#wide)">
<rect id="in-shared" width="9" height="9"/></g>
<rect id="crushed" transform="matrix(0 0 0 0 3 3)" width="3" height="3"/></svg>"""
FILE = SceneFile(id="odd", name="odd.svg", media="6" * 64, kind="svg")
N_FRAMES = 12


@pytest.mark.parametrize(
    "name", [name for name, one in FORMATS.items() if "2d" in one.spaces and one.of_moments is None]
)
def test_everything_that_moves_in_an_odd_drawing_is_read_back(name):
    format_ = FORMATS[name]
    sheet = Sheet(read_svg(DRAWING))
    parts = parts_of(sheet, FILE, ids=Ids(), limit_to=(400, 400))
    drives = [
        {"target": f"{part.id}:{item.id}", "rest": ends[0], "full": ends[1]}
        for part in parts
        for item in part.properties
        if format_.carries(part, item.id, format_.params())
        for ends in [item.suggest_ends(part.own(item.id))]
    ]
    mapping = {"id": "m", "name": "M", "envelope": "e", "marks": {"low": 0.1, "high": 0.9}, "drives": drives}
    scene, lift = Scene(name="odd", files=(FILE,), parts=parts), np.linspace(0, 1, N_FRAMES) ** 2
    curves = bake(scene, [Mapping.model_validate(mapping)], lifts={"m": lift}, n_frames=N_FRAMES)
    media = SceneMedia(sheets={FILE.media: sheet})
    written = write(HandOff("Odd", scene, curves, FrameRate.parse("25"), N_FRAMES, media), format=format_)
    assert written.n_curves == len(drives) > 70 and written.error <= 0.005
