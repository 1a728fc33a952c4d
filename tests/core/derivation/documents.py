"""Documents of one small sound, and their values without a studio."""

import io
from collections import Counter
from hashlib import sha256

import mido
import numpy as np
from tests.conftest import wav

from fern_tide.core.base.target import Target
from fern_tide.core.derivation.evaluate import evaluate
from fern_tide.core.derivation.node import Node
from fern_tide.core.document import Marker, Project, Track
from fern_tide.core.envelope.envelope import CleanUpChoice, Envelope, ReadingChoice
from fern_tide.core.envelope.takes import take_of
from fern_tide.core.mapping.drive import Drive
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.mapping.marks import Marks
from fern_tide.core.sound.decode import measure
from fern_tide.demo.scene import glasshouse
from fern_tide.workflows.derive.file_sources import FileSources

RATE_HZ = 16_000
CURVE = b"time_s,value\n0,0\n1,0.5\n2,0.1\n"


def _sound(seed: int) -> bytes:
    rng = np.random.default_rng(seed)
    n = 3 * RATE_HZ
    hits = np.exp(-(np.arange(n) % (RATE_HZ // 2)) / 900.0) * rng.normal(size=(2, n)) * 0.3
    tone = 0.2 * np.sin(2 * np.pi * (100 + 40 * seed) * np.arange(n) / RATE_HZ) * np.linspace(0.1, 1.0, n)
    return wav((hits + tone) * np.array([[1.0], [0.6]]), rate_hz=RATE_HZ)


def _song() -> bytes:
    """A note each quarter of a second up the keys, the wheel and the bend beside them."""
    file, track = mido.MidiFile(ticks_per_beat=480), mido.MidiTrack()
    for at in range(12):
        track.append(mido.Message("note_on", note=55 + 2 * at, velocity=30 + 8 * at, channel=at % 3))
        track.append(mido.Message("control_change", control=1, value=10 * at))
        track.append(mido.Message("control_change", control=2, value=120 - 10 * at))
        track.append(mido.Message("pitchwheel", pitch=600 * at - 3000, channel=at % 3))
        track.append(mido.Message("note_off", note=55 + 2 * at, channel=at % 3, time=240))
    file.tracks.append(track)
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()


TAKEN = take_of(
    {
        "take": 1, "kind": "taps", "device": "keys", "begin_s": 0.0, "end_s": 3.0, "latency_s": 0.02,
        "times_s": [0.21, 0.74, 1.23, 1.81, 2.2], "values": {"strength": [1, 0.5, 0.8, 0.3, 1]},
    }
)  # fmt: skip
LED = take_of(
    {
        "take": 1, "kind": "gesture", "device": "pointer", "begin_s": 0.0, "end_s": 3.0, "latency_s": 0.02,
        "times_s": [0.1, 0.9, 2.0], "values": {"across": [0, 1, 0.3], "up": [0.2, 0.4, 1], "pressure": [0, 0.5, 0.1]},
    }
)  # fmt: skip
_ALL = (_sound(1), _sound(2), CURVE, _song(), TAKEN.content(), LED.content())
FILES = {sha256(content).hexdigest(): content for content in _ALL}
SOUNDS = list(FILES)[:2]
POINTS, SONG, TAPS, GESTURE = list(FILES)[2:]


def track(name: str, *, media: str = SOUNDS[0], **more) -> Track:
    return Track(id=name, name=name.title(), media=media, info=measure(io.BytesIO(FILES[media])), **more)


def envelope(name: str, reading: str = "amplitude", *clean_up: str, of: str | None = "drums") -> Envelope:
    return Envelope(
        id=name,
        name=name.title(),
        track=of,
        reading=ReadingChoice.parse(reading),
        clean_up=tuple(map(CleanUpChoice.parse, clean_up)),
    )


def drive(target: str, rest: float | str = 0.0, full: float | str = 1.0, **more) -> Drive:
    return Drive(target=Target.parse(target), rest=rest, full=full, **more)


def mapping(name: str, of: str, *drives: Drive, **more) -> Mapping:
    marks = more.pop("marks", Marks(low=0.03, high=0.3))
    return Mapping(id=name, name=name.title(), envelope=of, marks=marks, drives=drives, **more)


def document(**more) -> Project:
    """A project of two tracks, three envelopes and three mappings, one of them over another."""
    parts = {
        "tracks": (track("drums"), track("tone", media=SOUNDS[1], offset_samples=800)),
        "envelopes": (
            envelope("loud", "amplitude", "smooth width_ms=60"),
            envelope("low", "band low_hz=60 high_hz=400", of="tone"),
            envelope("both", "blend first=loud second=low how=sum", of=None),
        ),
        "mappings": (
            mapping("sway", "loud", drive("lamp:turn", -8.0, 12.0)),
            mapping("rise", "low", drive("lamp:y", 0.0, -40.0), drive("moth-one:turn", 0.0, 90.0)),
            mapping("over", "both", drive("lamp:turn", 0.0, 5.0, stacking="add")),
        ),
        "markers": (Marker(id="one", name="One", time_s=1.2),),
    }
    return Project(**{"name": "Small", "scene": glasshouse(), **parts, **more})


class Remembered(dict):
    """A memory that counts what was worked out."""

    def __init__(self) -> None:
        super().__init__()
        self.worked = Counter()

    def put(self, node: Node, values: np.ndarray) -> None:
        self.worked[node.kind, node.id] += 1
        self[node.fingerprint] = values


SOURCES = FileSources(lambda digest: io.BytesIO(FILES[digest]))


def value(node: Node, *, memory: Remembered | None = None):
    return evaluate(node, sources=SOURCES, memory=Remembered() if memory is None else memory)
