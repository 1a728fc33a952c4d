"""What the Hand-off costs: touch-ups over a bake, the sync report, and measuring flashes, in one run."""

import io
import time
from statistics import median

import numpy as np
import soundfile

from fern_tide.core.bake.flashing import FlashMeter
from fern_tide.core.bake.touch_up import TouchUp
from fern_tide.core.base.params import build
from fern_tide.core.derivation.graph import Graph
from fern_tide.core.document import Project
from fern_tide.core.envelope.envelope import CleanUpChoice, Envelope, ReadingChoice
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.scene.scene import Part, PartChoice, Scene
from fern_tide.workflows.derive.file_sources import FileSources, track_of
from fern_tide.workflows.derive.levels import Levels
from fern_tide.workflows.tune.sync_report import causes, sync_rows
from fern_tide.workflows.tune.touching import standings

CURVES, FRAMES, TOUCH_UPS = 200, 14_400, 1_000


def song(seconds: float) -> bytes:
    """Drums with a hit every 0.4 s over noise."""
    rate = 44_100
    t = np.arange(round(seconds * rate)) / rate
    wave = 0.004 * np.random.default_rng(1).normal(size=t.size)
    since = t % 0.4
    wave += 0.7 * np.sin(2 * np.pi * 90 * since) * np.exp(-since / 0.05)
    out = io.BytesIO()
    soundfile.write(out, wave, rate, format="WAV", subtype="PCM_16")
    return out.getvalue()


def project_of(path) -> Project:
    track = track_of(path)
    clean = (CleanUpChoice.parse("rise_and_fall rise_ms=20"), CleanUpChoice.parse("smooth width_ms=60"))
    envelopes = tuple(
        Envelope(id=f"e{n}", name=f"E{n}", track=track.id, reading=ReadingChoice.parse("amplitude"), clean_up=clean)
        for n in range(20)
    )
    parts = tuple(Part(id=f"p{n}", name=f"P{n}", shape=PartChoice(id="rectangle")) for n in range(CURVES))
    mappings = tuple(
        build(
            Mapping,
            {
                "id": f"m{n}",
                "name": f"M{n}",
                "envelope": f"e{n % 20}",
                "marks": {"low": 0.02 + n / 9000, "high": 0.6},
                "drives": [{"target": f"p{n}:y", "rest": 0.0, "full": 100.0, "late_frames": n % 3}],
            },
        )
        for n in range(CURVES)
    )
    scene = Scene(name="Many", parts=parts)
    return Project(name="Many", rate="60", tracks=(track,), envelopes=envelopes, mappings=mappings, scene=scene)


def touch_ups() -> tuple[TouchUp, ...]:
    kinds = ("hold", "scale", "nudge", "silence", "smooth", "slide")
    return tuple(
        build(
            TouchUp,
            {
                "id": f"t{n}",
                "target": f"p{n % CURVES}:y",
                "start": {"at_s": 2.0 + 40 * (n // CURVES)},
                "length_s": 1.5,
                "fade_in_s": 0.2,
                "fade_out_s": 0.2,
                "touch": {"id": kinds[n % len(kinds)]},
            },
        )
        for n in range(TOUCH_UPS)
    )


def timed(run) -> float:
    start = time.perf_counter()
    run()
    return time.perf_counter() - start


def main() -> None:
    import tempfile
    from pathlib import Path

    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "song.wav"
        path.write_bytes(song(FRAMES / 60))
        project = project_of(path)
        sources = FileSources(lambda digest: path.open("rb"))
        sources.read([*Graph(project).curves.values(), Graph(project).rhythm(project.tracks[0])])
        with_them = project.but(touch_ups=touch_ups())
        plain, touched = [], []
        for _ in range(5):
            plain.append(timed(lambda: Levels(sources).curves(project)))
            touched.append(timed(lambda: Levels(sources).curves(with_them)))
        ratio = median(touched) / median(plain)
        print(f"bake of {CURVES} curves: {median(plain):.2f} s; with {TOUCH_UPS} touch-ups {ratio:.2f}x")
        levels = Levels(sources)
        levels.curves(project)
        rows = []
        figures = timed(lambda: rows.extend(sync_rows(levels, project)))
        shared: dict = {}
        why = timed(lambda: [causes(levels, project, row, shared=shared) for row in rows])
        print(f"sync report: figures {figures:.2f} s, with what makes each late {figures + why:.2f} s")
        levels = Levels(sources)
        levels.curves(with_them)
        print(f"how {TOUCH_UPS} touch-ups stand: {timed(lambda: standings(levels, with_them)):.2f} s")
    meter, pictures = FlashMeter(30.0), np.random.default_rng(1).integers(0, 255, (40, 72, 96, 3), dtype=np.uint8)
    seconds = timed(lambda: [meter.take(picture) for picture in pictures])
    print(f"flashes of 45 s at 30 fps: {seconds / 40 * 1350:.2f} s beyond drawing")


if __name__ == "__main__":
    main()
