"""The demo project: four tracks, four envelopes and four mappings that look good at once."""

from __future__ import annotations

import hashlib
import io
from functools import cache

from fern_tide.core.base.target import Target
from fern_tide.core.base.units import from_db
from fern_tide.core.document import Marker, Project, Track
from fern_tide.core.envelope.envelope import CleanUpChoice, Envelope, ReadingChoice
from fern_tide.core.mapping.drive import Drive, ResponseChoice
from fern_tide.core.mapping.mapping import Mapping, StepChoice
from fern_tide.core.mapping.marks import Marks, Scale
from fern_tide.core.sound.decode import measure
from fern_tide.demo.bench_life import FRONDS, lively_bench
from fern_tide.demo.bench_scene import CLOCHES, outward
from fern_tide.demo.pane_wall import pane_wall
from fern_tide.demo.scene import glasshouse
from fern_tide.demo.sounds import STEMS, mix, stems, wav_bytes

NAME = "The Glasshouse Hour"
BENCH_NAME = "The Glasshouse Hour, the potting bench"
WALL_NAME = "The Glasshouse Hour, the wall of panes"
MIX = "Rain on Panes"
_SLOW = "smooth width_ms=120"


@cache
def demo_sounds() -> dict[str, bytes]:
    """Make the mix and its stems as WAV files, by track name."""
    parts = stems()
    return {MIX: wav_bytes(mix(parts)), **{name: wav_bytes(parts[name]) for name in STEMS}}


@cache
def demo_project() -> Project:
    """Make the demo document; its media are demo_sounds()."""
    tracks = tuple(_track(name, content) for name, content in demo_sounds().items())
    return Project(
        name=NAME,
        tracks=tracks,
        envelopes=_envelopes(),
        mappings=_mappings(),
        scene=glasshouse(),
        markers=(
            Marker(id="lamp-comes-on", name="Lamp comes on", time_s=5.2),
            Marker(id="rain-stops", name="Rain stops", time_s=41.5, colour="#1e6f8b"),
        ),
    )


@cache
def bench_project() -> Project:
    """Make the second demo document: the same sounds on the 3D scene."""
    demo = demo_project()
    rows = _envelope("Twenty-four bands", "rain-on-panes", f"bank bands={CLOCHES} low_hz=40 high_hz=12000", _SLOW)
    return demo.but(
        name=BENCH_NAME, scene=lively_bench(), envelopes=(*demo.envelopes, rows), mappings=_bench_mappings()
    )


@cache
def wall_project() -> Project:
    """Make the third demo document: the same sounds on a wall of panes."""
    return demo_project().but(name=WALL_NAME, scene=pane_wall(), mappings=_wall_mappings())


def _wall_mappings() -> tuple[Mapping, ...]:
    moves = [("panes:piece_z", 0.0, 0.55), ("panes:piece_turn_y", 0.0, 50.0)]
    tints = [("panes:piece_colour", "#2f6b62", "#f7dfa0"), ("panes:piece_last_colour", "#1b3a4b", "#9fd3e0")]
    return (
        *(
            _mapping(name, "twelve-bands", (-17, -2), *ends, response="smooth").but(spread=True)
            for name, ends in (("Panes come forward", moves[:1]), ("Panes turn", moves[1:]), ("Panes brighten", tints))
        ),
        _mapping("Reach", "loudness", (-36, -18), ("panes:reach1_outer", 1.1, 3.4), ("panes:reach1_inner", 0.2, 1.6)),
        _mapping("Lantern", "drip", (-28, -12.5), ("lantern:intensity", 2.0, 14.0), response="exponent power=0.7"),
    )


def _bench_mappings() -> tuple[Mapping, ...]:
    cloches = [(f"{name}:scale_y", 1.0, 1.65) for name in outward()]
    swing = _mapping("Lamp swing", "drip", (-30, -12.5), ("lamp:turn_z", 0.0, 24.0)).model_copy(
        update={"steps": (StepChoice.parse("sway period=4 counted_in=beats"),)}
    )
    return (
        swing,
        _mapping(
            "Lamp light",
            "drip",
            (-28, -12.5),
            ("lamp-light:intensity", 4.0, 16.0),
            ("lamp-bulb:emission_strength", 0.8, 3.0),
            response="exponent power=0.7",
        ),
        _mapping("Cloches", "twenty-four-bands", (-19, -3), *cloches, response="smooth").but(spread=True),
        _mapping(
            "Mist",
            "reed",
            (-36, -19.5),
            ("mist:scale_y", 0.3, 1.6),
            ("mist:opacity", 0.06, 0.32),
            response="smooth",
        ),
        _mapping(
            "Drop ring",
            "drip",
            (-28, -12.5),
            ("drop-ring:scale_x", 0.6, 2.4),
            ("drop-ring:scale_z", 0.6, 2.4),
            ("drop-ring:emission_strength", 0.2, 3.0),
        ),
        *_living(),
    )


def _living() -> tuple[Mapping, ...]:
    fronds = [(f"frond-{n}:shaper1_amount", 8.0, 60.0 + 12.0 * (n % 2)) for n in range(1, FRONDS + 1)]
    ripples = [("water:shaper1_amount", 0.004, 0.035)]
    return (
        _mapping("Fronds bend", "reed", (-36, -19.5), *fronds, response="smooth"),
        _mapping("Water ripples", "drip", (-28, -12.5), *ripples),
        _mapping("Drops", "drip", (-28, -12.5), ("spray:rate", 6.0, 110.0), ("spray:force", 1.8, 4.4)),
        _built_up("Ripples run", "loudness", (-36, -18), ("water:shaper1_phase", 0.0, 360.0), per_second=2.5),
        _built_up("Moth flies", "loudness", (-36, -18), ("moth:along", 0.0, 1.0), per_second=0.22),
        _mapping("Wings flap", "panes", (-44, -26), ("wings:blend", 0.0, 1.0)),
    )


def _built_up(
    name: str, envelope: str, marks_db: tuple[float, float], end: tuple[str, float, float], *, per_second: float
) -> Mapping:
    step = StepChoice.parse(f"build_up per_second={per_second} idle={per_second / 5}")
    return _mapping(name, envelope, marks_db, end).model_copy(update={"steps": (step,)})


def _track(name: str, content: bytes) -> Track:
    return Track(
        id=name.lower().replace(" ", "-"),
        name=name,
        media=hashlib.sha256(content).hexdigest(),
        info=measure(io.BytesIO(content)),
        heard=name == MIX,
    )


def _envelope(name: str, track: str | None, reading: str, *clean_up: str) -> Envelope:
    return Envelope(
        id=name.lower().replace(" ", "-"),
        name=name,
        track=track,
        reading=ReadingChoice.parse(reading),
        clean_up=tuple(CleanUpChoice.parse(text) for text in clean_up),
    )


def _envelopes() -> tuple[Envelope, ...]:
    return (
        _envelope(
            "Drip",
            "rain-on-panes",
            "band low_hz=40 high_hz=180",
            "rise_and_fall rise_ms=10 fall_ms=220",
            "smooth width_ms=60",
        ),
        _envelope("Panes", "rain-on-panes", "band low_hz=3000 high_hz=11000", "rise_and_fall rise_ms=5 fall_ms=110"),
        _envelope("Reed", "reed", "amplitude channel=mid detector=rms window_ms=200", "smooth width_ms=500"),
        _envelope(
            "Loudness", "rain-on-panes", "amplitude channel=loudest detector=rms window_ms=100", "smooth width_ms=300"
        ),
        _envelope("Notes", "rain-on-panes", "band low_hz=190 high_hz=480", "smooth width_ms=200"),
        _envelope("Hits", "panes", "hits given=pulses", "rise_and_fall rise_ms=0 fall_ms=200"),
        _envelope("Beat", None, "beats given=fall others=0.6"),
        _envelope("Twelve bands", "rain-on-panes", "bank bands=12 low_hz=40 high_hz=12000", _SLOW),
    )


def _mappings() -> tuple[Mapping, ...]:
    return (
        _mapping(
            "Lamp glow",
            "drip",
            (-28, -12.5),
            ("lamp-glow:opacity", 0.3, 1.0),
            ("lamp-glow:scale_x", 0.75, 1.3),
            ("lamp-glow:scale_y", 0.75, 1.3),
            response="exponent power=0.7",
        ),
        _mapping(
            "Cloche tops",
            "panes",
            (-44, -26),
            *((f"cloche-{n}:scale_y", 1.0, 1.45 + 0.09 * (n % 4)) for n in range(1, 11)),
            response="smooth",
        ),
        _mapping(
            "Frond sway",
            "reed",
            (-36, -19.5),
            ("frond-left:turn", -4.0, 7.0),
            ("frond-right:turn", 4.0, -7.0),
            ("frond-far-left:turn", -3.0, 9.0),
            ("frond-far-right:turn", 3.0, -9.0),
            ("frond-middle:turn", -5.0, 6.0),
            response="smooth",
        ),
        _mapping("Rain on glass", "loudness", (-33, -17), ("rain:opacity", 0.12, 0.85), ("rain:y", 0.0, 46.0)),
    )


def _mapping(
    name: str,
    envelope: str,
    marks_db: tuple[float, float],
    *ends: tuple[str, float | str, float | str],
    response: str = "straight",
) -> Mapping:
    low, high = marks_db
    return Mapping(
        id=name.lower().replace(" ", "-"),
        name=name,
        envelope=envelope,
        marks=Marks(low=from_db(low), high=from_db(high), scale=Scale.LINEAR),
        drives=tuple(
            Drive(target=Target.parse(target), rest=rest, full=full, response=ResponseChoice.parse(response))
            for target, rest, full in ends
        ),
    )
