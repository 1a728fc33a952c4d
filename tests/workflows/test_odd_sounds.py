"""Sounds at the edge of what is taken: every reading gives a finite level, and every address of the room answers."""

import numpy as np
import pytest
from tests.conftest import sine, wav

from fern_tide.core.commands.project import PutEnvelope
from fern_tide.core.envelope.envelope import READINGS, Envelope, ReadingChoice
from fern_tide.demo.scene import glasshouse
from fern_tide.web.app import create_app
from fern_tide.workflows.bring_in import sounds
from fern_tide.workflows.derive import analysis
from fern_tide.workflows.derive.analysis import levels_of
from fern_tide.workflows.tune import edits

ODD = {
    "one sample": wav(np.array([0.5])),
    "ten samples": wav(np.full(10, -1.0)),
    "silence": wav(np.zeros(96_000)),
    "full scale": wav(np.sign(sine(50, seconds=1.0)), subtype="PCM_16"),
    "8 kHz mono": wav(sine(300, seconds=1.0, rate_hz=8_000), rate_hz=8_000),
    "192 kHz": wav(sine(300, seconds=0.5, rate_hz=192_000), rate_hz=192_000),
    "eight channels": wav(np.stack([sine(100 * n + 100, seconds=0.5) for n in range(8)])),
    "a click at the end": wav(np.concatenate([np.zeros(48_000), [1.0]])),
    "very quiet": wav(sine(440, amplitude=1e-5, seconds=1.0)),
}


@pytest.mark.parametrize("content", ODD.values(), ids=ODD)
@pytest.mark.parametrize("rate", ["24000/1001", "60"])
def test_every_reading_of_an_odd_sound_is_finite_and_as_long_as_the_project(studio, content, rate):
    revision = sounds.start_project(studio, [content], file_name="odd.wav", scene=glasshouse())
    levels = levels_of(studio)
    project = revision.document.but(rate=rate)
    track = project.tracks[0].id
    for reading in READINGS:
        envelope = Envelope(id="e", name="E", track=track, reading=ReadingChoice(id=reading))
        grown = PutEnvelope(envelope=envelope).apply(project)
        analysis.ensure(studio, grown)
        level = levels.cleaned(grown, envelope)
        assert level.shape[-1] == project.n_frames, reading
        assert np.isfinite(level).all(), reading


@pytest.mark.parametrize("content", ODD.values(), ids=ODD)
def test_the_room_answers_for_an_odd_sound(studio, content):
    revision = sounds.start_project(studio, [content], file_name="odd.wav", scene=glasshouse())
    key, track = revision.key, revision.document.tracks[0].id
    client = create_app(studio).test_client()
    for path in (
        "sound",
        "sound/shown?columns=700",
        "rhythm",
        f"tracks/{track}/spectra?from=0",
        f"tracks/{track}/spectrogram?from=-10&to=5000&columns=3",
        f"tracks/{track}/bands",
        "markers.vtt?of=hits&track=" + track,
        "moved?since=1",
    ):
        assert client.get(f"/p/{key}/{path}").status_code == 200, path
    level = client.get(f"/p/{key}/tracks/{track}/band.wav?low=40&high=180", buffered=True)
    assert level.status_code == 200 and level.data[:4] == b"RIFF"


def test_blends_imported_curves_and_beats_alone_make_no_project_longer(studio):
    revision = sounds.start_project(studio, [ODD["silence"]], file_name="odd.wav", scene=glasshouse())
    blend = Envelope(id="b", name="B", reading=ReadingChoice.parse("blend first=odd"))
    after = edits.edit(studio, revision.key, PutEnvelope(envelope=blend), base=revision.id).document
    assert after.n_frames == revision.document.n_frames == 60
