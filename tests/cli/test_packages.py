"""A package from outside brings specs without a change here, and a document that needs one says which is missing."""

import subprocess
import sys
from importlib.metadata import EntryPoint
from pathlib import Path

import pytest

from fern_tide.core.base import registry
from fern_tide.core.base.errors import UnreadableProject
from fern_tide.core.base.registry import discover
from fern_tide.core.document import read_project
from fern_tide.core.mapping import steps
from fern_tide.core.mapping.step import Step
from fern_tide.core.mapping.steps import flip
from fern_tide.demo.project import demo_project

ROOT = Path(__file__).parents[2]
USES = """
import sys, numpy as np
from fern_tide.core.bake.checking import CHECKS
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.document import read_project
from fern_tide.core.mapping.mapping import STEPS, StepChoice
from fern_tide.core.mapping.step import StepContext
from fern_tide.web.pictures import step_picture
assert "jumps" in CHECKS and list(STEPS) == sorted(STEPS)
choice = StepChoice.parse("ripple times=2 gap_ms=100 left=0.5")
lift = np.zeros(12); lift[1] = 1.0
print(STEPS["ripple"].apply(lift, params=choice.params, context=StepContext(rate=FrameRate.parse("30"))).tolist())
print(step_picture("ripple")[1].count(","))
print(read_project(open(sys.argv[1]).read()).mappings[0].steps[-1].spec.label)
"""


@pytest.fixture(scope="module")
def installed(tmp_path_factory):
    folder = tmp_path_factory.mktemp("installed")
    source = tmp_path_factory.mktemp("source") / "ripple"
    subprocess.run(["cp", "-r", ROOT / "examples/fern-tide-ripple", source], check=True)
    words = [
        "-m",
        "pip",
        "install",
        "-q",
        "--no-index",
        "--no-deps",
        "--no-build-isolation",
        "--target",
        folder,
        source,
    ]
    subprocess.run([sys.executable, *words, source], check=True, capture_output=True)
    return folder


def rippling(tmp_path) -> Path:
    plain = demo_project().model_dump_json().replace('"steps":[', '"steps":[{"id":"ripple","params":{"times":2}},', 1)
    path = tmp_path / "rippling.json"
    path.write_text(plain.replace("}},]", "}}]", 1))
    return path


def test_an_installed_package_brings_a_step_and_a_check(installed, tmp_path):
    run = subprocess.run(
        [sys.executable, "-c", USES, rippling(tmp_path)],
        env={"PYTHONPATH": f"{ROOT / 'src'}:{installed}", "PATH": "/usr/bin:/bin"},
        capture_output=True,
        text=True,
    )
    assert run.returncode == 0, run.stderr
    values, points, label = run.stdout.splitlines()
    assert values == "[0.0, 1.0, 0.0, 0.0, 0.5, 0.0, 0.0, 0.25, 0.0, 0.0, 0.0, 0.0]"
    assert int(points) > 20 and label == "Ripple"


def test_what_a_package_brings_keeps_every_promise_of_its_registry(installed):
    names = "ripple or cap or diamond or tsv or jumps"
    run = subprocess.run(
        [sys.executable, "-m", "pytest", "-o", "addopts=--import-mode=importlib", "tests/contract", "-k", names],
        cwd=ROOT,
        env={"PYTHONPATH": f"{ROOT / 'src'}:{installed}", "PATH": "/usr/bin:/bin", "HOME": str(installed)},
        capture_output=True,
        text=True,
    )
    assert run.returncode == 0, run.stdout[-3000:]
    assert int(run.stdout.split(" passed")[0].split()[-1]) >= 15


def test_a_document_that_needs_a_package_that_is_missing_says_what_it_needs(tmp_path):
    with pytest.raises(UnreadableProject, match="no step named ripple") as wrong:
        read_project(rippling(tmp_path).read_text())
    assert "install the package that brings it" in wrong.value.remedy


@pytest.mark.parametrize(
    ("name", "value", "words"),
    [
        ("flip", "fern_tide.core.mapping.steps.flip:STEP", "there is one of that id already"),
        ("other", "fern_tide.core.mapping.steps.flip:STEP", "no Step that calls itself other"),
        ("rms", "fern_tide.core.envelope.readings.band:READING", "no Step that calls itself rms"),
    ],
)
def test_what_a_package_offers_is_looked_at(monkeypatch, name, value, words):
    asked = []

    def offered(group):
        asked.append(group)
        return [EntryPoint(name=name, value=value, group=group)]

    monkeypatch.setattr(registry, "entry_points", offered)
    with pytest.raises(TypeError, match=words):
        discover(steps, attribute="STEP", of=Step, kind="step")
    assert asked == ["fern_tide.steps"] and flip.STEP.id == "flip"
