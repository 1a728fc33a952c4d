"""What everything gives, as lines of readable text: specs with every option, parts, scenes, formats, hits and beats."""

import io
import json
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
from tests.conftest import wav
from tests.core.derivation.documents import POINTS, SONG, TAPS, document, value
from tests.core.envelope.test_hits_and_beats import band_drums
from tests.core.formats.hand_offs import curves_of
from tests.gltf import GLB, model
from tests.specs import other_values

from fern_tide.core.bake.thin import Interpolation, thin
from fern_tide.core.base.errors import FernTideError
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.naming import Ids
from fern_tide.core.base.params import fields
from fern_tide.core.base.registry import Registry
from fern_tide.core.derivation.graph import Graph
from fern_tide.core.envelope.beat_grid import BeatSetting, beat_grid
from fern_tide.core.envelope.beats import rhythm
from fern_tide.core.envelope.envelope import CLEAN_UPS, READINGS, Envelope, ReadingChoice
from fern_tide.core.formats.format import HandOff, Moments, write
from fern_tide.core.formats.moments import Moment
from fern_tide.core.formats.registry import FORMATS
from fern_tide.core.mapping.drive import RESPONSES
from fern_tide.core.mapping.mapping import STEPS
from fern_tide.core.mapping.marks import Scale, suggest_marks
from fern_tide.core.mapping.step import StepContext
from fern_tide.core.scene.drawing import draw, markup
from fern_tide.core.scene.gltf.accessors import values_of
from fern_tide.core.scene.gltf.build import build
from fern_tide.core.scene.gltf.container import pack
from fern_tide.core.scene.gltf.reading import read_gltf
from fern_tide.core.scene.gltf.sketch import sketch
from fern_tide.core.scene.media import SceneMedia
from fern_tide.core.scene.scene import PART_KINDS, Part, PartChoice, Scene, SceneFile
from fern_tide.core.scene.svg.parts import Sheet, parts_of
from fern_tide.core.scene.svg.parts import values_of as svg_values
from fern_tide.core.scene.svg.reading import read_svg
from fern_tide.core.sound.decode import measure
from fern_tide.core.sound.features import AttacksFeature, RisesFeature, analyze
from fern_tide.core.sound.grid import FrameGrid
from fern_tide.demo.bench_scene import potting_bench
from fern_tide.demo.scene import glasshouse

RATE = FrameRate.parse("30")
BINARY = {"midi", "usdz", "xlsx"}
_N = 240
_T = np.arange(_N) / 30.0
_SWELL = np.abs(np.sin(_T * 2.1)) * (0.3 + 0.5 * np.sin(_T * 0.7) ** 2)
LIFT = np.clip(_SWELL + 0.5 * (np.arange(_N) % 41 == 7) - 0.1, 0, 1)
BEYOND = np.stack([1.6 * LIFT - 0.2, 1.1 - LIFT, np.zeros(_N)])
CONTEXT = StepContext(
    rate=RATE,
    seed=11,
    hit_frames=np.array([9, 40, 41, 97, 180]),
    hit_strengths=np.array([1.0, 0.4, 0.9, 0.2, 0.7]),
    marker_frames=np.array([30, 120]),
    beat_times_s=np.arange(0.2, 8.0, 0.55),
    levels={"low": 0.2 + 0.1 * np.cos(_T)},
)


def numbers(values: Any, *, many: int = 16) -> str:
    """Some of an array's values, evenly chosen, and what all of them come to."""
    flat = np.asarray(values, dtype=np.float64).ravel()
    chosen = flat[np.linspace(0, len(flat) - 1, min(many, len(flat))).astype(int)] if len(flat) else flat
    whole = [float(flat.sum()), float((flat * np.cos(np.arange(len(flat)))).sum())]
    return " ".join(f"{v:.5g}" for v in [*chosen, *whole])


def choices(registry: Registry, spec_id: str) -> Iterator[tuple[str, Any]]:
    """The default params of a spec, then one field after the other at another value."""
    spec = registry[spec_id]
    yield "", spec.params()
    for field in fields(spec.params):
        for other in other_values(field, file=POINTS, song=SONG, take=TAPS):
            try:
                yield f" {field.name}={other}", spec.params(**{field.name: other})
            except (FernTideError, ValueError):
                continue


def specs() -> Iterator[str]:
    for registry in (CLEAN_UPS, STEPS, RESPONSES):
        for spec in registry.values():
            for words, params in choices(registry, spec.id):
                more = {"rate": RATE} if registry is CLEAN_UPS else {"context": CONTEXT} if registry is STEPS else {}
                for name, given in (("", LIFT), (" beyond", BEYOND)) if not words else (("", LIFT),):
                    got = spec.apply(given.copy(), params=params, **more)
                    yield f"{registry.kind} {spec.id}{words}{name}: {numbers(got)}"


def readings() -> Iterator[str]:
    graph = Graph(document())
    for spec in READINGS.values():
        for words, params in choices(READINGS, spec.id):
            choice = ReadingChoice.model_validate({"id": spec.id, "params": params.model_dump()})
            made = Envelope(id="e", name="E", track="tone" if spec.of_track else None, reading=choice)
            level = value(graph.reading(made))
            marks = suggest_marks(np.atleast_2d(level)[0], scale=Scale.LINEAR).marks
            yield f"{spec.id}{words}: {level.shape} {numbers(level)} low {marks.low:.4g} high {marks.high:.4g}"


def beats() -> Iterator[str]:
    settings = {
        "found": BeatSetting(),
        "doubled": BeatSetting(doublings=1),
        "halved": BeatSetting(doublings=-1),
        "twice halved": BeatSetting(doublings=-2, bar_on=1),
        "half on": BeatSetting(half_on=True, shift_s=0.013),
        "three": BeatSetting(per_bar=3, bar_on=2),
        "even": BeatSetting(bpm=96.0, first_s=1.7, per_bar=3, bar_on=1),
        "early": BeatSetting(shift_s=-1.4, doublings=1, bar_on=3),
    }
    for bpm, wander in ((97, 0.0), (132, 0.0), (120, 0.04)):
        sound, _ = band_drums(bpm, n_beats=28, wander=wander)
        content = wav(sound, rate_hz=44_100)
        info = measure(io.BytesIO(content))
        grid = FrameGrid(RATE, info.sample_rate_hz, info.n_samples)
        wanted = (RisesFeature(), AttacksFeature())
        rises, attacks = analyze(io.BytesIO(content), info, grid=grid, features=wanted).values()
        hits, found = rhythm(rises, attacks, sample_rate_hz=info.sample_rate_hz)
        yield f"{bpm} {wander} hits: " + " ".join(f"{t:.4f}" for t in hits.times_s)
        yield f"{bpm} {wander} strengths: " + " ".join(f"{s:.3f}" for s in hits.strengths)
        for name, setting in settings.items():
            made = beat_grid(setting, found, offset_s=0.31, duration_s=12.0)
            times = " ".join(f"{t:.4f}" for t in made.times_s)
            yield f"{bpm} {wander} {name}: {made.bpm:.3f} {made.steady} {made.per_bar} {made.first_bar} at {times}"


def scene_of(kind_id: str, params: Any) -> Scene:
    kind = PART_KINDS[kind_id]
    part = Part(id="one", name="One", shape=PartChoice.model_validate({"id": kind_id, "params": params.model_dump()}))
    return Scene(name="S", kind=kind.space, parts=(part,))


def parts() -> Iterator[str]:
    for kind in PART_KINDS.values():
        for words, params in choices(PART_KINDS, kind.id):
            if "file" in kind.params.model_fields:
                continue  # imports has them
            if kind.draw is not None:
                text = " ".join(markup(draw(scene_of(kind.id, params))).split())
                yield f"{kind.id}{words}: {text}"
            elif kind.solid is not None:
                mesh = kind.solid(params)
                sizes = f"{len(mesh.positions)} {len(mesh.triangles)}"
                yield f"{kind.id}{words}: {sizes} at {numbers(mesh.positions)} normals {numbers(mesh.normals, many=4)}"
                if not words:
                    yield f"{kind.id} sketch: {sketch(build(scene_of(kind.id, params), files={}))[:1500]}"


def _rounded(plain: Any) -> Any:
    if isinstance(plain, dict):
        return {key: _rounded(item) for key, item in plain.items()}
    if isinstance(plain, list):
        return [_rounded(item) for item in plain]
    return float(f"{plain:.5g}") if isinstance(plain, float) else plain


def _gltf(name: str, content: bytes) -> Iterator[str]:
    read = read_gltf(content)
    for key, items in read.json.items():
        for place, item in enumerate(items if isinstance(items, list) else [items]):
            if key not in {"buffers", "bufferViews"}:
                yield f"{name} {key} {place}: {json.dumps(_rounded(item), sort_keys=True)}"
    for place in range(len(read.json.get("accessors", []))):
        yield f"{name} values {place}: {numbers(values_of(read, place), many=6)}"


MESSY = (Path(__file__).parent / "messy.svg").read_bytes()


def messy_scene() -> tuple[Scene, SceneMedia]:
    file = SceneFile(id="f", name="leaf.svg", media="0" * 64, kind="svg")
    sheet = Sheet(read_svg(MESSY))
    found = parts_of(sheet, file, ids=Ids())
    scene = Scene(name="messy", width=200, height=100, files=(file,), parts=found)
    return scene, SceneMedia(sheets={file.media: sheet})


def _drawn(scene: Scene, media: SceneMedia) -> str:
    return markup(draw(scene, media=media))


def imports() -> Iterator[str]:
    file = SceneFile(id="f", name="leaf.svg", media="0" * 64, kind="svg")
    sheet = Sheet(read_svg(MESSY))
    yield from (f"drawn {line.strip()}" for line in _drawn(*messy_scene()).replace("><", ">\n<").splitlines())
    for part in parts_of(sheet, file, ids=Ids()):
        own = svg_values(sheet, part) if hasattr(part.shape.params, "index") else {}
        anchor = _rounded(part.anchor.model_dump())
        yield f"svg {part.id} {part.shape.id} in {part.parent} at {anchor}: {_rounded(own)}"
    model_file = SceneFile(id="m", name="pot.glb", media="2" * 64, kind="gltf")
    for part in model(model_file).parts:
        yield f"glb {part.id} {part.shape.id} in {part.parent}: {json.dumps(_rounded(part.values), sort_keys=True)}"
    yield from _gltf("glb", GLB)


def formats() -> Iterator[str]:
    lamp = ("lamp:turn", -8, 42), ("lamp:x", 0, 30), ("lamp-glow:opacity", 0.2, 0.9)
    solid = ("cloche-1:scale_y", 1, 2), ("cloche-1:turn_y", 0, 700)
    ends = {
        "glasshouse": (glasshouse(), (*lamp, ("title:fill", "#102030", "#f0a040"))),
        "bench": (potting_bench(), solid),
    }
    messy, media = messy_scene()
    swing = ("sprig:turn", -8, 30), ("sprig:scale_x", 1, 1.6), ("line-1:x", 0, 12), ("dot:opacity", 0.1, 1)
    curves = curves_of(messy, *swing, ("dot:fill", "#000000", "#ff8800"))
    for name in ("svg", "json"):
        written = write(HandOff("messy", messy, curves, RATE, 40, media), format=FORMATS[name])
        lines = written.content.decode().replace("><", ">\n<").splitlines()
        yield from (f"messy {name} {line.strip()[:900]}" for line in lines)
    for name, (scene, moved) in ends.items():
        curves = curves_of(scene, *moved)
        for curve in curves:
            for kind in Interpolation:
                if curve.kind == "number":
                    keys = thin(curve.values, tolerance=0.02 * curve.span, interpolation=kind)
                    at = f"{len(keys.frames)} {numbers(keys.frames)}"
                    yield f"{name} {curve.target} {kind}: {at} {numbers(keys.values)}"
        moments = Moments((Moment(0.5, "Rain"),), {"Drip": np.array([0.25, 0.75])})
        hand_off = HandOff(name, scene, curves, FrameRate.parse("30000/1001"), curves[0].n_frames, moments=moments)
        for format_ in FORMATS.values():
            if scene.kind not in format_.spaces:
                continue
            for words, params in choices(FORMATS, format_.id):
                written = write(hand_off, format=format_, params=params)
                yield f"{name} {format_.id}{words}: error {written.error:.2g} of {len(written.content) // 64}"
                if format_.id == "gltf":
                    yield from _gltf(f"{name} gltf{words}", written.content) if not words else ()
                else:
                    text = "" if format_.id in BINARY or words else written.content.decode()
                    lines = text.splitlines()
                    yield from (f"{name} {format_.id} {place}: {line[:1500]}" for place, line in enumerate(lines[:120]))
        if scene.kind == "3d":
            built = build(scene, files={})
            yield f"{name} sketch: {sketch(built)[:4000]}"
            yield from _gltf(f"{name} still", pack(built.closed()))
