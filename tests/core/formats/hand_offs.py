"""Hand-offs of a drawing and of a model that came in, for tests."""

import numpy as np
from tests.gltf import GLB, model

from fern_tide.core.bake.bake import bake
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.naming import Ids
from fern_tide.core.base.target import Target
from fern_tide.core.formats.format import HandOff
from fern_tide.core.mapping.drive import Drive
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.mapping.marks import Marks
from fern_tide.core.scene.gltf.reading import read_gltf
from fern_tide.core.scene.media import SceneMedia
from fern_tide.core.scene.scene import Scene, SceneFile
from fern_tide.core.scene.svg.parts import Sheet, parts_of
from fern_tide.core.scene.svg.reading import read_svg

RATE = FrameRate.parse("30000/1001")
FRAMES = 40
LIFT = np.abs(np.sin(np.arange(FRAMES) / 4))
SVG_FILE = SceneFile(id="f", name="leaf.svg", media="1" * 64, kind="svg")
GLB_FILE = SceneFile(id="f", name="fern.glb", media="2" * 64, kind="gltf")

LEAF = b"""<?xml version="1.0" encoding="UTF-8"?>
<!-- drawn elsewhere -->
<v:svg xmlns:v="http://www.w3.org/2000/svg" viewBox="0 0 200 100">
  <v:style>.a { fill: #aa3300 }</v:style>
  <v:g id="Sprig" transform="translate(20 10) rotate(12)" data-own='kept'>
    <v:rect class="a" width='40' height="30"/>
    <v:path id="Leaf" d="M0 0L9 9" stroke="teal" fill="none"
       stroke-width="2" ></v:path>
  </v:g>
</v:svg>
"""


def curves_of(scene, *ends):
    drives = tuple(Drive(target=Target.parse(name), rest=rest, full=full) for name, rest, full in ends)
    mapping = Mapping(id="m", name="M", envelope="e", marks=Marks(low=0.1, high=0.9), drives=drives)
    return bake(scene, [mapping], lifts={"m": LIFT}, n_frames=FRAMES)


def leaf(*ends, more=(), content=LEAF, change=lambda scene: scene):
    sheet = Sheet(read_svg(content))
    made = parts_of(sheet, SVG_FILE, ids=Ids())
    scene = change(Scene(name="s", width=200, height=100, files=(SVG_FILE,), parts=(*made, *more)))
    media = SceneMedia(sheets={SVG_FILE.media: sheet})
    return HandOff("Leaf", scene, curves_of(scene, *ends), RATE, FRAMES, media)


def fern(*ends, change=lambda scene: scene):
    scene = change(model(GLB_FILE))
    media = SceneMedia(gltfs={GLB_FILE.media: read_gltf(GLB)})
    return HandOff("Fern", scene, curves_of(scene, *ends), RATE, FRAMES, media)
