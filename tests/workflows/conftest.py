"""A project with a sound, and what is derived from it."""

import pytest
from tests.conftest import wav
from tests.core.envelope.test_hits_and_beats import band_drums

from fern_tide.demo.scene import glasshouse
from fern_tide.workflows.bring_in import sounds
from fern_tide.workflows.derive.analysis import levels_of

BEATS, TRUTH = band_drums(120, n_beats=24)
SOUND = wav(BEATS, rate_hz=44_100)


@pytest.fixture
def key(studio):
    return sounds.start_project(studio, [SOUND], file_name="Drums.wav", scene=glasshouse()).key


@pytest.fixture
def levels(studio):
    return levels_of(studio)
