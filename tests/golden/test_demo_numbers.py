"""The demo's baked numbers, kept as readable text: a change of any number in the whole way shows here.

After a change that is meant: python -m tests.golden.test_demo_numbers
"""

from pathlib import Path

import numpy as np
from tests.conftest import held

from fern_tide.core.bake.bake import bake
from fern_tide.core.envelope.envelope import clean, read_raw
from fern_tide.core.mapping.mapping import shaped_lift
from fern_tide.core.mapping.step import StepContext
from fern_tide.demo.project import demo_project, demo_sounds

GOLDEN = Path(__file__).parent / "demo_numbers.txt"
EVERY = 75


def written() -> str:
    project, levels = demo_project(), {}
    for envelope in (project.envelope(mapping.envelope) for mapping in project.mappings):
        sound = demo_sounds()[project.track(envelope.track).name]
        source = held(sound, envelope.reading, rate=str(project.rate), n_frames=project.n_frames)
        levels[envelope.id] = clean(read_raw(envelope.reading, source), envelope.clean_up, rate=project.rate)
    lifts = {m.id: shaped_lift(levels[m.envelope], m, context=StepContext(rate=project.rate)) for m in project.mappings}
    lines = [f"frames {project.n_frames}, every {EVERY}th"]
    for curve in bake(project.scene, project.mappings, lifts=lifts, n_frames=project.n_frames):
        lines.append(f"{curve.target}: " + " ".join(f"{value:.4f}" for value in curve.values[::EVERY]))
    return "\n".join(lines) + "\n"


def numbers(text: str) -> dict[str, np.ndarray]:
    return {
        name: np.array(row.split(), dtype=float)
        for name, _, row in (line.partition(": ") for line in text.splitlines()[1:])
    }


def test_the_demo_bakes_to_the_numbers_that_it_always_did():
    kept, now = GOLDEN.read_text(), written()
    assert kept.splitlines()[0] == now.splitlines()[0]
    kept_numbers, now_numbers = numbers(kept), numbers(now)
    assert list(kept_numbers) == list(now_numbers)
    for name, values in kept_numbers.items():
        np.testing.assert_allclose(now_numbers[name], values, atol=2e-3, err_msg=name)


if __name__ == "__main__":
    GOLDEN.write_text(written())
