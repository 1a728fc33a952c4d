"""What is suggested, and how what cannot be is refused, in the words that people read."""

from collections.abc import Iterator

import numpy as np
from tests.core.derivation.documents import document, value
from tests.golden.snapshots import LIFT, numbers

from fern_tide.core.base.errors import FernTideError
from fern_tide.core.base.params import build, fields
from fern_tide.core.derivation.graph import Graph
from fern_tide.core.envelope.bands import suggest_bands
from fern_tide.core.envelope.envelope import CLEAN_UPS, READINGS
from fern_tide.core.envelope.points import read_points
from fern_tide.core.formats.registry import FORMATS
from fern_tide.core.mapping.drive import RESPONSES
from fern_tide.core.mapping.mapping import STEPS
from fern_tide.core.mapping.marks import Scale, histogram, suggest_marks
from fern_tide.core.scene.scene import PART_KINDS
from fern_tide.core.sound.channels import Channel
from fern_tide.core.sound.features import SpectrumFeature
from fern_tide.core.sound.spectrum import Window

_N = len(LIFT)
_T = np.arange(_N) / 30.0


def suggestions() -> Iterator[str]:
    levels = {
        "hits": LIFT,
        "steady": 0.2 + 0.001 * np.cos(_T),
        "noise": np.abs(np.random.default_rng(3).normal(size=_N)) * 0.1,
        "two heights": np.where(np.arange(_N) % 60 < 20, 0.5, 0.02),
        "swell": np.linspace(0, 0.8, _N) ** 2,
        "silence": np.zeros(_N),
        "one click": 0.9 * (np.arange(_N) == 100),
    }
    for name, level in levels.items():
        for scale in Scale:
            found = suggest_marks(level, scale=scale)
            counts, low, high = histogram(level, scale=scale)
            yield f"{name} {scale}: {found.marks.low:.5g} {found.marks.high:.5g} {found.reason}"
            yield f"{name} {scale} histogram: {low:.5g} {high:.5g} {numbers(counts)}"
    graph, project = Graph(document()), document()
    spectrum = SpectrumFeature(channel=Channel.MID, window=Window.BALANCED)
    for one in project.tracks:
        edges = spectrum.edges_hz(one.info.sample_rate_hz)
        for band in suggest_bands(value(graph.feature(one, spectrum)), edges):
            yield f"{one.id} band: {band.name} {band.low_hz:.5g} {band.high_hz:.5g}"


def refusals() -> Iterator[str]:
    texts = [
        "0,1\n1,2",
        "",
        "{",
        "[]",
        "[[0]]",
        "[[0, 1], [0]]",
        '[{"t": 0}]',
        '[{"t": 1, "v": 2}, {"t": "x", "v": 1}]',
    ]
    texts += [
        '{"times": [0, 1], "values": [1]}',
        "a,b\n0,x",
        "time,value\n0,1\n1,nan",
        "time,value\n2,1\n1,2",
        "0,1\n1,2",
    ]
    for text in texts:
        try:
            yield f"points {text!r}: {numbers(read_points(text.encode()))}"
        except FernTideError as wrong:
            yield f"points {text!r}: {wrong}"
    for registry in (READINGS, CLEAN_UPS, STEPS, RESPONSES, PART_KINDS, FORMATS):
        for spec in registry.values():
            for field in fields(spec.params):
                for other in ("x", (field.high or 1e9) * 2 + 1, -1e12):
                    try:
                        build(spec.params, {field.name: other})
                    except FernTideError as wrong:
                        yield f"{registry.kind} {spec.id} {field.name}={other}: {wrong}"
