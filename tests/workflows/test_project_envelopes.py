"""Envelopes that are read from a project rather than a track, and that the command line bakes the same."""

import numpy as np
import pytest
from tests.workflows.test_soundtrack import do, document

from fern_tide.core.base.errors import FernTideError, InvalidParameter
from fern_tide.core.base.target import Target
from fern_tide.core.commands.mapping import PutMapping
from fern_tide.core.commands.project import PutEnvelope, RemoveEnvelope
from fern_tide.core.commands.soundtrack import PutTrack, SetBeat
from fern_tide.core.envelope.beat_grid import BeatSetting
from fern_tide.core.envelope.envelope import Envelope, ReadingChoice
from fern_tide.core.mapping.mapping import StepChoice
from fern_tide.core.scene.media import SceneMedia
from fern_tide.workflows.bake import baking
from fern_tide.workflows.bake.sweep import sweep
from fern_tide.workflows.bring_in import sounds
from fern_tide.workflows.derive import analysis
from fern_tide.workflows.derive.analysis import levels_of
from fern_tide.workflows.hand_off import writing
from fern_tide.workflows.hand_off.opened import OpenedProject
from fern_tide.workflows.tune import edits
from fern_tide.workflows.tune.beat import Correction, corrected


def test_a_blend_follows_its_envelopes_and_circles_are_refused(studio, levels, key):
    both = Envelope(id="both", name="Both", reading=ReadingChoice.parse("blend first=drums how=sum second=drums"))
    project = do(studio, key, PutEnvelope(envelope=both))
    np.testing.assert_allclose(
        levels.cleaned(project, project.envelope("both")), 2 * levels.cleaned(project, project.envelope("drums"))
    )
    again = both.model_copy(update={"reading": ReadingChoice.parse("blend first=both")})
    with pytest.raises(InvalidParameter, match="made of itself"):
        do(studio, key, PutEnvelope(envelope=again))
    with pytest.raises(FernTideError, match="no envelope named nobody"):
        do(
            studio,
            key,
            PutEnvelope(envelope=both.model_copy(update={"reading": ReadingChoice.parse("blend first=nobody")})),
        )


def test_an_imported_curve_travels_with_the_project(studio, levels, key):
    sounds.add_curve(studio, key, [b"time_s,value\n0,0\n4,1\n"], file_name="swell.csv")
    project = document(studio, key)
    swell = project.envelope("swell")
    level = levels.cleaned(project, swell)
    assert level[[0, 60, 120, 150]].tolist() == pytest.approx([0.0, 0.5, 1.0, 1.0])
    sweep(studio)
    with writing.export_project(studio, project) as stream:
        revision = writing.import_project(studio, stream)
    again = revision.document
    np.testing.assert_array_equal(levels_of(studio).cleaned(again, again.envelope("swell")), level)


def test_a_wrong_curve_leaves_nothing_behind(studio, key):
    before = document(studio, key)
    with pytest.raises(FernTideError, match="no points"):
        sounds.add_curve(studio, key, [b""], file_name="x.csv")
    assert document(studio, key) == before


def test_beats_and_their_corrections_change_a_beats_envelope(studio, levels, key):
    beats = Envelope(id="beats", name="Beats", reading=ReadingChoice.parse("beats"))
    project = do(studio, key, PutEnvelope(envelope=beats))
    before = levels.cleaned(project, beats)
    setting = corrected(project, levels.beats(project), how=Correction.DOUBLE)
    after = levels.cleaned(do(studio, key, SetBeat(beat=setting)), beats)
    assert np.count_nonzero(after) == pytest.approx(2 * np.count_nonzero(before), abs=2)


READINGS = [
    "beats given=fall",
    "blend first=drums how=max second=drums",
    "hits",
    "bank bands=4",
    "pitch_classes note=A",
]


@pytest.mark.parametrize("reading", READINGS)
def test_the_command_line_bakes_what_the_studio_bakes(studio, levels, key, tmp_path, reading):
    track = None if reading.startswith(("beats", "blend")) else "drums"
    envelope = Envelope(id="e", name="E", track=track, reading=ReadingChoice.parse(reading))
    do(studio, key, PutEnvelope(envelope=envelope))
    project = document(studio, key)
    analysis.ensure(studio, project)
    mapping = edits.new_mapping(levels, project, envelope_id="e", target=Target.parse("lamp:turn"))
    project = do(studio, key, PutMapping(mapping=mapping))
    path = tmp_path / "project.ferntide"
    with writing.export_project(studio, project) as stream:
        path.write_bytes(stream.read())
    with OpenedProject(path) as opened:
        alone = opened.write("csv")
    ours = writing.write_format(project, levels.curves(project), format_id="csv", media=SceneMedia())
    assert alone.content == ours.content


def test_steps_that_go_by_the_tracks_hits_are_the_same_everywhere_and_stale_when_the_track_moves(
    studio,
    levels,
    key,
    tmp_path,
):
    do(
        studio,
        key,
        PutEnvelope(envelope=Envelope(id="e", name="E", track="drums", reading=ReadingChoice(id="amplitude"))),
    )
    project = document(studio, key)
    analysis.ensure(studio, project)
    mapping = edits.new_mapping(levels, project, envelope_id="e", target=Target.parse("lamp:turn"))
    pulses = mapping.model_copy(update={"steps": (StepChoice.parse("pulse hits=track decay_ms=200"),)})
    project = do(studio, key, PutMapping(mapping=pulses))
    hits, _ = levels.rhythm(project, project.track("drums"))
    (curve,) = levels.curves(project)
    at = project.rate.frames_of_times(hits.times_s)
    assert len(hits) > 2 and (curve.values[at + 1] > curve.values[at]).all()
    path = tmp_path / "project.ferntide"
    with writing.export_project(studio, project) as stream:
        path.write_bytes(stream.read())
    with OpenedProject(path) as opened:
        alone = opened.write("csv")
    assert alone.content == writing.write_format(project, (curve,), format_id="csv", media=SceneMedia()).content
    baking.bake_all(studio, levels, key, project)
    track = project.track("drums")
    moved = do(studio, key, PutTrack(track=track.model_copy(update={"offset_samples": 4410})))
    (state,) = baking.states(studio, levels, key, moved)
    assert state.state is baking.State.CHANGED and "another file, or another time of it" in state.reasons


def test_an_envelope_that_joins_in_is_kept_and_makes_a_curve_stale(studio, levels, key, tmp_path):
    one = Envelope(id="e", name="E", track="drums", reading=ReadingChoice(id="amplitude"))
    two = Envelope(id="low", name="Low", track="drums", reading=ReadingChoice.parse("band low_hz=40 high_hz=120"))
    for envelope in (one, two):
        do(studio, key, PutEnvelope(envelope=envelope))
    project = document(studio, key)
    analysis.ensure(studio, project)
    mapping = edits.new_mapping(levels, project, envelope_id="e", target=Target.parse("lamp:turn"))
    blended = mapping.model_copy(update={"steps": (StepChoice.parse("blend envelope=low how=multiply"),)})
    project = do(studio, key, PutMapping(mapping=blended))
    low = levels.cleaned(project, two)
    plain = levels.lift(project, mapping)
    np.testing.assert_allclose(levels.lift(project, blended), plain * low / low.max())
    with pytest.raises(FernTideError, match="Low cannot be removed: it drives"):
        do(studio, key, RemoveEnvelope(id="low"))
    missing = mapping.model_copy(update={"steps": (StepChoice.parse("blend envelope=gone"),)})
    with pytest.raises(FernTideError, match="no envelope named gone"):
        do(studio, key, PutMapping(mapping=missing))
    path = tmp_path / "project.ferntide"
    with writing.export_project(studio, project) as stream:
        path.write_bytes(stream.read())
    with OpenedProject(path) as opened:
        alone = opened.write("csv")
    curves = levels.curves(project)
    assert alone.content == writing.write_format(project, curves, format_id="csv", media=SceneMedia()).content
    baking.bake_all(studio, levels, key, project)
    wider = two.model_copy(update={"reading": ReadingChoice.parse("band low_hz=40 high_hz=140")})
    assert [m.id for m in edits.changes(levels, project, project.but(envelopes=(one, wider))).mappings] == [blended.id]
    later = do(studio, key, PutEnvelope(envelope=wider))
    (state,) = baking.states(studio, levels, key, later)
    assert state.state is baking.State.CHANGED and state.reasons == ("Low: reading 120 to 140",)


def test_other_beats_make_a_curve_stale_and_say_so(studio, levels, key):
    do(studio, key, PutEnvelope(envelope=Envelope(id="e", name="E", reading=ReadingChoice.parse("beats given=fall"))))
    project = document(studio, key)
    mapping = edits.new_mapping(levels, project, envelope_id="e", target=Target.parse("lamp:turn"))
    project = do(studio, key, PutMapping(mapping=mapping))
    baking.bake_all(studio, levels, key, project)
    assert baking.stale_count(studio, levels, key, project) == 0
    later = do(studio, key, SetBeat(beat=BeatSetting(bpm=100)))
    (state,) = baking.states(studio, levels, key, later)
    assert state.reasons == ("other beats",)
