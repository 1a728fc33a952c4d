"""What a first cut hears, sees, measures and makes, as lines of readable text; and where parts of scenes are."""

import json
import re
from collections.abc import Iterator
from typing import Any

import numpy as np
from tests.core.first_cut.songs import scenes, songs, studio_of
from tests.core.formats.hand_offs import curves_of
from tests.golden.snapshots import RATE, choices, messy_scene, numbers

from fern_tide.core.bake.thin import Interpolation
from fern_tide.core.base.naming import Ids
from fern_tide.core.first_cut.checking import is_calm, stays_on_stage
from fern_tide.core.first_cut.ear import bank_of
from fern_tide.core.first_cut.first_cut import RULES, _both, _measured
from fern_tide.core.first_cut.things import near_end, reach_of
from fern_tide.core.formats.format import HandOff
from fern_tide.core.formats.registry import FORMATS
from fern_tide.core.scene.extent import extents
from fern_tide.core.scene.gltf.sketch import sketch
from fern_tide.core.scene.media import SceneMedia
from fern_tide.core.scene.mesh import box
from fern_tide.core.scene.order_choice import ORDERS
from fern_tide.core.scene.region import Region, Where
from fern_tide.core.scene.scene import Scene, SceneFile
from fern_tide.core.scene.shaping import SHAPERS
from fern_tide.core.scene.svg.bounds import path_box
from fern_tide.core.scene.svg.outline import path_curves, path_strokes
from fern_tide.core.scene.svg.parts import Sheet, parts_of
from fern_tide.core.scene.svg.reading import read_svg
from fern_tide.workflows.derive.stages import Staged
from fern_tide.workflows.tune.first_cut import ground_of

PAIRS = (
    ("drums and pad", "glasshouse"),
    ("build", "bench"),
    ("stops", "bars"),
    ("sparse plucks", "photo"),
    ("hats alone", "model"),
)


def places() -> Iterator[str]:
    """Where the parts of scenes are, and the sketches of those in space."""
    staged = {**scenes(), "messy": Staged(*messy_scene())}
    for name, stage in staged.items():
        for part_id, extent in extents(
            stage.scene, media=stage.media, built=stage.built if stage.scene.kind == "3d" else None
        ).items():
            own = "-" if extent.own is None else " ".join(f"{value:.5g}" for value in extent.own)
            box, middle = (" ".join(f"{value:.5g}" for value in row) for row in (extent.stage, extent.middle))
            part = stage.scene.part(part_id)
            ends = [near_end(part, extent, at_top=at_top) for at_top in (True, False)] if extent.own else []
            yield f"{name} {part_id}: {box} | {own} | {middle} | {reach_of(part, extent):.5g} {ends}"
        if stage.scene.kind == "3d":
            drawn = [float(word) for word in re.findall(r"-?\d+(?:\.\d+)?", sketch(stage.built))]
            yield f"{name} sketch: {len(drawn)} {numbers(drawn)}"


def first_cuts() -> Iterator[str]:
    """What is heard, what is seen, what each rule offers and how it measures."""
    made, staged = songs(), scenes()
    for song, where in PAIRS:
        stage = staged[where]
        project, levels = studio_of(made[song], stage.scene)
        ground = ground_of(stage)
        sound, scene = _both(project, levels, ground)
        for voice in sound.voices:
            hits = " ".join(map(str, voice.hits[:12].tolist()))
            heard = f"{voice.clear:.4g} {voice.reason} | {hits} | {numbers(voice.level)}"
            yield f"{song} {voice.role} {voice.envelope.name}: {heard}"
        yield f"{song} {bank_of(project.tracks[0], 7).reading}"
        for thing in scene.things:
            seen = f"{thing.stance} {thing.light:.4g} {thing.glows} {thing.text} {thing.films} {thing.background}"
            yield f"{where} {thing.words}: {thing.count} {thing.share:.4g} {seen} {thing.joined} {thing.is_row}"
        for item in _measured(project, levels, sound, scene):
            one, ends = item.candidate, [(drive.target, drive.rest, drive.full) for drive in item.mapping.drives[:3]]
            marks = f"{item.mapping.marks.low:.4g} {item.mapping.marks.high:.4g}"
            calm = [is_calm(item, rate=project.rate), stays_on_stage(item)]
            worth = f"{marks} {item.visible:.4g} {item.score:.4g} {calm} {numbers(item.moves)}"
            yield f"{song} {one.key} {one.words}: {ends} {worth}"
        yield f"{song}: {len(RULES)} rules"


DRAWN = (
    "M10 80 C 40 10, 65 10, 95 80 S 150 150, 180 80",
    "M10 80 Q 52.5 10, 95 80 T 180 80 t 40 -30",
    "M 10 315 L 110 215 A 36 60 20 0 1 150.71 170.29 L 172.55 152.45 A 30 50 -45 0 1 215.1 109.9 L 315 10",
    "m 5 5 h 20 v -30 l 4 4 a 25 40 10 1 0 30 30 z m3 9 l4 4",
    "M0 0 C 100 0 -50 0 60 0M3 9C9 60 -30 -20 8 8",
    "M0 0A10 4 90 1 1 30 2a50 20 -30 0 0 7 -9",
)
STOOD = {
    2: np.array([[0, 0], [40, 10], [-20, 35], [7, -50], [90, 90], [3, 4.0]]),
    3: np.array([[0, 0, 0], [4, 1, -2], [-2, 3.5, 1], [0.7, -5, 6], [9, 9, 0.5], [3, 4, -7.0]]),
}


def geometry() -> Iterator[str]:
    """Orders with every option, paths as curves and as boxes, and how drawings are fitted."""
    for order in ORDERS.values():
        for words, params in choices(ORDERS, order.id):
            for axes, places_of in STOOD.items():
                yield f"order {order.id}{words} {axes}d: {numbers(order.ranks(places_of, params))}"
    for data in DRAWN:
        yield f"path {data}: {numbers(path_curves(data))}"
        yield f"path {data} all: {[(numbers(curves, many=8), closed) for curves, closed in path_strokes(data)]}"
        yield f"path {data} box: {path_box(data)}"
    for keeps in ("none", "xMidYMid"):
        fit, leaf = f'preserveAspectRatio="{keeps}"', '<rect id="r" x="7" y="8" width="9" height="11"/>'
        inside = f'<svg x="5" y="9" width="60" height="30" viewBox="2 4 40 50" {fit}>{leaf}</svg>'
        size = f'viewBox="0 0 80 40" width="160" height="120" {fit}'
        svg = f'<svg xmlns="http://www.w3.org/2000/svg" {size}>{inside}</svg>'
        sheet = Sheet(read_svg(svg.encode()))
        file = SceneFile(id="f", name="fit.svg", media="0" * 64, kind="svg")
        scene = Scene(name="fit", width=200, height=150, files=(file,), parts=parts_of(sheet, file, ids=Ids()))
        for part_id, extent in extents(scene, media=SceneMedia(sheets={file.media: sheet})).items():
            yield f"fitted {keeps} {part_id}: {numbers(extent.stage)} {numbers(extent.own)} {numbers(extent.middle)}"
    for shaper in SHAPERS.values():
        for words, params in choices(SHAPERS, shaper.id):
            amounts = [(one.label, one.unit, one.low, one.high, one.step, one.swing) for one in shaper.amounts(params)]
            moved = numbers(shaper.move(BLOCK, params, amount=0.7), many=24)
            yield f"shaper {shaper.id}{words}: {amounts} {numbers(shaper.steps(params))} {moved}"
    for region in (Region(where=Where.BALL, up=0.2), Region(where=Where.BOX, reach=0.3, soft=0.2)):
        yield f"region {region.where}: {numbers(region.shares(BLOCK.positions), many=24)}"


BLOCK = box(0.4, 1.0, 0.3)
SHADED = b"""<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 90 60" width="90" height="60"><defs>
<linearGradient id="a" x1="10%" y1="0" x2="90%" y2="40%"><stop offset="0" stop-color="#123"/><stop offset="70%"
 stop-color="#fa3" stop-opacity=".5"/></linearGradient>
<radialGradient id="b" gradientUnits="userSpaceOnUse" cx="40" cy="30" r="25"
 gradientTransform="rotate(20 4 5) scale(2 1)">
<stop offset=".2" stop-color="teal"/><stop offset="1" stop-color="#000"/></radialGradient></defs>
<rect id="pane" x="12" y="7" width="30" height="20" rx="4" fill="url(#a)" stroke="#fff" stroke-dasharray="3 2 1"/>
<g transform="matrix(1 .2 -.4 .8 3 5)" fill-rule="evenodd"><path id="leaf" d="M5 5L40 9Q50 30 20 50Z" fill="url(#b)"
 fill-opacity=".7"/><circle id="bud" cx="60" cy="40" r="9" stroke="red" stroke-width="2" stroke-linecap="round"/>
</g></svg>"""


def lottie() -> Iterator[str]:
    """What drawings become in Lottie, item by item."""
    file = SceneFile(id="f", name="shaded.svg", media="0" * 64, kind="svg")
    sheet = Sheet(read_svg(SHADED))
    shaded = Scene(name="shaded", width=90, height=60, files=(file,), parts=parts_of(sheet, file, ids=Ids()))
    shown = {"messy": messy_scene(), "shaded": (shaded, SceneMedia(sheets={file.media: sheet}))}
    for name, (scene, media) in shown.items():
        part = next(part.id for part in scene.parts if part.has("fill_opacity"))
        ends = ((f"{part}:turn", 0, 90), (f"{part}:opacity", 1, 0.3), (f"{part}:fill_opacity", 0.9, 0.2))
        curves = curves_of(scene, *ends)
        spec = FORMATS["lottie"]
        off = HandOff(name, scene, curves, RATE, curves[0].n_frames, media)
        for interpolation in Interpolation:
            params = spec.params(error_percent=2, interpolation=interpolation)
            document = json.loads(spec.encode(off, params))
            inside = [layer for asset in document["assets"] for layer in asset.get("layers", ())]
            for layer in [*document["layers"], *inside]:
                yield from (f"{name} {interpolation} {line}" for line in _listed(layer))


def _listed(item: Any) -> Iterator[str]:
    """What an item has itself, then those in it."""
    inner = [*item.get("shapes", ()), *item.get("it", ())]
    plain = {key: value for key, value in item.items() if key not in {"shapes", "it"}}
    yield _short(plain)
    for one in inner:
        yield from _listed(one)


def _short(plain: Any) -> str:
    text = json.dumps(plain)
    found = [float(word) for word in re.findall(r"-?\d+(?:\.\d+)?(?:e-?\d+)?", text)]
    return text if len(text) < 400 else f"{re.sub(r'[^a-z]+', ' ', text)[:60]} {len(found)} {numbers(found)}"
