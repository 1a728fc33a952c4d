"""A sound that the command line is given."""

import pytest
from tests.conftest import drums, wav


@pytest.fixture
def sound(tmp_path):
    path = tmp_path / "Rain drums.wav"
    path.write_bytes(wav(drums(), rate_hz=44_100))
    return path
