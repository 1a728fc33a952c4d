"""Ten made songs of different character, short and quick to read; and the scenes that they are cut on."""

import hashlib
import io

import numpy as np
from PIL import Image
from tests.conftest import wav
from tests.gltf import GLB

from fern_tide.core.base.naming import Ids
from fern_tide.core.document import Project, Track
from fern_tide.core.scene.media import load
from fern_tide.core.sound.decode import measure
from fern_tide.demo.bench_scene import potting_bench
from fern_tide.demo.scene import glasshouse
from fern_tide.workflows.bring_in.scene_files import look_at, scene_of
from fern_tide.workflows.derive.file_sources import FileSources
from fern_tide.workflows.derive.levels import Levels
from fern_tide.workflows.derive.stages import Staged

RATE_HZ = 22_050
SECONDS = 20


def _time(seconds=SECONDS):
    return np.arange(round(seconds * RATE_HZ)) / RATE_HZ


def _hits(times, hz, *, decay_s=0.12, strength=0.7, noise=0.0, seed=1):
    rng, out = np.random.default_rng(seed), np.zeros(SECONDS * RATE_HZ)
    t = _time(decay_s * 6)
    for at in times:
        start = round(at * RATE_HZ)
        hit = strength * (np.sin(2 * np.pi * hz * t) * (1 - noise) + noise * rng.normal(size=t.size) * 0.5)
        hit = hit * np.exp(-t / decay_s) * np.minimum(1.0, t / 0.002)
        piece = out[start : start + hit.size]
        piece += hit[: piece.size]
    return out


def _pad(hz=220.0, swell_s=5.0, strength=0.2):
    t = _time()
    return strength * np.sin(np.pi * t / swell_s) ** 2 * sum(np.sin(2 * np.pi * hz * k * t) / k for k in (1, 2, 3))


def songs():
    """By name, mono samples."""
    rng = np.random.default_rng(7)
    t = _time()
    half, quarter = np.arange(0.5, SECONDS - 1, 0.5), np.arange(0.5, SECONDS - 1, 0.25)
    drums = _hits(half[::2], 60) + _hits(half[1::2], 200, noise=0.8, strength=0.5)
    hats = _hits(quarter, 7000, decay_s=0.02, noise=0.9, strength=0.25)
    quiet = rng.normal(size=t.size)
    gate = (t % 8 < 4).astype(float)
    return {
        "drums and pad": drums + hats + _pad(),
        "drums alone": drums,
        "hats alone": hats + 1e-4 * quiet,
        "pad alone": _pad(),
        "steady tone": 0.3 * np.sin(2 * np.pi * 330 * t),
        "noise": 0.1 * quiet,
        "speech-like": 0.3 * np.sin(2 * np.pi * 140 * t) * (np.sin(2 * np.pi * 2.3 * t) > 0.2) * gate + 0.01 * quiet,
        "sparse plucks": _hits((2, 5.5, 9, 12.2, 16), 440, decay_s=0.5),
        "build": (t / SECONDS) ** 2 * (drums + 0.2 * quiet),
        "stops": (drums + hats) * gate,
    }


BARS = "".join(
    f'<rect id="bar-{place}" x="{20 + at * 45}" y="{300 - 60 - 7 * (at % 5)}" width="30" height="{60 + 7 * (at % 5)}"'
    f' fill="#3e6b3a"/>'
    for place, at in enumerate((7, 3, 11, 0, 5, 9, 1, 10, 2, 8, 4, 6))
)


def scenes():
    """By name, each staged with its files."""
    picture = io.BytesIO()
    Image.new("RGB", (400, 300), (120, 90, 60)).save(picture, "PNG")
    svg = f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 580 320">{BARS}</svg>'.encode()
    brought = {"bars": ("bars.svg", svg), "photo": ("photo.png", picture.getvalue()), "model": ("model.glb", GLB)}
    staged = {"glasshouse": Staged(glasshouse(), load(glasshouse(), lambda digest: b""))}
    staged["bench"] = Staged(potting_bench(), load(potting_bench(), lambda digest: b""))
    for name, (file, content) in brought.items():
        item = look_at({file: content})
        scene = scene_of(item, hashlib.sha256(item.content).hexdigest())
        staged[name] = Staged(scene, load(scene, lambda digest, item=item: item.content))
    return staged


SOURCES = {}  # what was read of a song stays for the next scene


def studio_of(samples, scene):
    """A project with one sound on a scene, and levels that read it."""
    return studio_of_stems({"Song": samples}, scene)


def studio_of_stems(stems, scene, *, drives=lambda name: True):
    """A project with sounds by their names on a scene, and levels that read them."""
    files, tracks, ids = {}, [], Ids()
    for name, samples in stems.items():
        content = wav(samples.astype(np.float32), rate_hz=RATE_HZ)
        digest = hashlib.sha256(content).hexdigest()
        files[digest] = content
        info = measure(io.BytesIO(content))
        tracks.append(Track(id=ids.make(name), name=name, media=digest, info=info, drives=drives(name)))
    project = Project(name="Song", tracks=tuple(tracks), scene=scene)
    return project, Levels(SOURCES.setdefault(tuple(files), FileSources(lambda digest: io.BytesIO(files[digest]))))
