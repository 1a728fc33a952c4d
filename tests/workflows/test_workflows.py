"""Use cases over a real studio: what is computed when, what is stored, and what is refused."""

import io
import os
import time

import numpy as np
import pytest
from tests.conftest import drums, wav
from tests.core.formats.hand_offs import fern, leaf
from tests.core.test_document import packed

from fern_tide.core.base.errors import FernTideError, InvalidParameter, ReadBackFailed
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.target import Target
from fern_tide.core.commands.mapping import PutMapping
from fern_tide.core.commands.project import PutEnvelope
from fern_tide.core.commands.soundtrack import SetRate
from fern_tide.core.derivation.graph import Graph
from fern_tide.core.derivation.node import Kind, below
from fern_tide.core.document import Project
from fern_tide.core.formats.format import Format, HandOff, write
from fern_tide.core.formats.registry import FORMATS
from fern_tide.core.mapping.marks import Scale
from fern_tide.core.scene.media import SceneMedia
from fern_tide.core.sound.features import WaveformFeature
from fern_tide.demo.project import demo_project
from fern_tide.demo.scene import glasshouse
from fern_tide.store.job_rows import DONE, FAILED
from fern_tide.workflows.bake import baking
from fern_tide.workflows.bake.sweep import sweep
from fern_tide.workflows.bring_in import sounds
from fern_tide.workflows.bring_in.demo import ensure_demo, open_demo
from fern_tide.workflows.derive import analysis
from fern_tide.workflows.hand_off import writing
from fern_tide.workflows.tune import aiming, edits, listening

SOUND = wav(drums(), rate_hz=44_100)


@pytest.fixture
def key(studio):
    """A project of one sound."""
    return sounds.start_project(studio, [SOUND], file_name="Drums.wav", scene=glasshouse()).key


def current(studio, key):
    return studio.projects.current(key)


def add(studio, levels, key, target="lamp:turn"):
    project = current(studio, key).document
    mapping = edits.new_mapping(levels, project, envelope_id=project.envelopes[0].id, target=Target.parse(target))
    return edits.edit(studio, key, PutMapping(mapping=mapping), base=current(studio, key).id)


def test_a_feature_is_stored_once_and_found_again_by_what_determines_it(studio, key):
    project = current(studio, key).document
    assert analysis.ensure(studio, project) == []
    (track,) = project.tracks
    faster = project.but(rate=FrameRate.parse("60"))
    graph, anew = Graph(project), Graph(faster)
    waveform = graph.feature(track, WaveformFeature())
    assert waveform.fingerprint == anew.feature(track, WaveformFeature()).fingerprint  # it has no frames
    names = {graph.feature(track, feature).fingerprint for feature in analysis.USUAL}
    assert len(names) == len(analysis.USUAL)
    assert all(studio.derived.has(name) for name in names)


def test_a_new_rate_is_read_anew_and_gives_its_own_number_of_frames(studio, key, levels):
    edits.edit(studio, key, SetRate(rate=FrameRate.parse("24000/1001")), base=current(studio, key).id)
    project = current(studio, key).document
    assert project.n_frames == 96
    assert levels.cleaned(project, project.envelopes[0]).shape == (96,)


def test_clean_up_is_done_again_without_reading_again(studio, key, levels):
    project = current(studio, key).document
    (envelope,) = project.envelopes
    levels.cleaned(project, envelope)
    assert levels.worked == {Kind.READING: 1, Kind.LEVEL: 1}
    smoother = envelope.model_dump(mode="json")
    smoother["clean_up"][1]["params"]["width_ms"] = 300.0
    after = PutEnvelope.model_validate({"envelope": smoother}).apply(project)
    levels.cleaned(after, after.envelopes[0])
    assert levels.worked == {Kind.READING: 1, Kind.LEVEL: 2}


def test_a_remembered_level_cannot_be_changed_by_who_gets_it(studio, key, levels):
    project = current(studio, key).document
    with pytest.raises(ValueError, match="read-only"):
        levels.cleaned(project, project.envelopes[0])[0] = 1.0


def test_a_sound_that_goes_bad_on_the_disk_fails_its_job_with_words(studio, key):
    project = current(studio, key).document
    path = studio.media.path(project.tracks[0].media)
    path.write_bytes(b"not a sound any more")
    (job,) = analysis.ensure(studio, project.but(rate=FrameRate.parse("50")))
    assert studio.jobs.get(job.id).state == FAILED
    assert "not a sound file" in studio.jobs.get(job.id).words
    (again,) = analysis.ensure(studio, project.but(rate=FrameRate.parse("50")))
    assert again.id == job.id  # it is not tried over and over by itself


def test_work_that_ends_is_noted(studio, key):
    project = current(studio, key).document.but(rate=FrameRate.parse("48"))
    (job,) = analysis.ensure(studio, project)
    assert studio.jobs.get(job.id).state == DONE
    assert studio.jobs.get(job.id).share == 1.0


def test_a_new_mapping_has_good_ends_for_every_property_of_every_part(studio, key, levels):
    project = current(studio, key).document
    for part in project.scene.parts:
        for item in part.properties:
            mapping = edits.new_mapping(
                levels, project, envelope_id="drums", target=Target(part=part.id, property=item.id)
            )
            (drive,) = mapping.drives
            assert drive.rest != drive.full
            if item.high is not None:
                assert max(drive.rest, drive.full) <= item.high
            PutMapping(mapping=mapping).apply(project)


def test_marks_are_suggested_on_the_scale_that_is_asked_for(studio, key, levels):
    project = current(studio, key).document
    linear, db = (edits.suggest(levels, project, envelope_id="drums", scale=scale).marks for scale in Scale)
    assert (linear.low, linear.high) == (db.low, db.high)
    assert (linear.scale, db.scale) == (Scale.LINEAR, Scale.DB)


def test_the_first_choice_is_something_that_nothing_drives_yet(studio, key, levels):
    first = aiming.first_choice(current(studio, key).document)[1]
    add(studio, levels, key, str(first))
    second = aiming.first_choice(current(studio, key).document)[1]
    assert first != second
    with pytest.raises(InvalidParameter, match="a sound first"):
        aiming.first_choice(current(studio, key).document.but(mappings=(), envelopes=(), tracks=()))


def test_a_bake_is_stored_and_stays_fresh_until_something_changes(studio, key, levels):
    add(studio, levels, key)
    project = current(studio, key).document
    assert baking.stale_count(studio, levels, key, project) == 1
    made = baking.bake_all(studio, levels, key, project)
    assert baking.stale_count(studio, levels, key, project) == 0
    (kept,) = baking.baked_curves(studio, levels, key, project)
    assert kept.values.tobytes() == made[0].values.tobytes()
    renamed = project.but(name="Other")
    assert baking.stale_count(studio, levels, key, renamed) == 0
    (state,) = baking.states(studio, levels, key, project.but(rate=FrameRate.parse("25")))
    assert state.reasons == ("rate 30 to 25 fps",)


def test_a_swept_bake_counts_as_not_baked(studio, key, levels):
    add(studio, levels, key)
    project = current(studio, key).document
    baking.bake_all(studio, levels, key, project)
    studio.derived.sweep(older_than_s=-1)
    (state,) = baking.states(studio, levels, key, project)
    assert state.state is baking.State.NEW
    assert baking.stale_count(studio, levels, key, project) == 1


def test_nothing_baked_is_nothing_written(studio, key):
    with pytest.raises(FernTideError, match=r"no baked curves to write\. Bake first"):
        writing.write_format(current(studio, key).document, (), format_id="csv", media=SceneMedia())


@pytest.mark.parametrize("format_id", ["json", "svg", "gltf"])
@pytest.mark.parametrize("error_percent", [0.0, 0.5])
def test_writing_says_how_far_it_is(format_id, error_percent):
    ends = [("sprig:turn", 0, 90), ("leaf:opacity", 1, 0)]
    given = fern(("pot:x", 0, 1), ("pot:turn_y", 0, 90)) if format_id == "gltf" else leaf(*ends)
    project = Project(name="N", rate=given.rate, scene=given.scene)
    shares = []
    writing.write_format(
        project,
        given.curves,
        format_id=format_id,
        media=given.media,
        options={"error_percent": error_percent},
        progress=shares.append,
    )
    assert shares == sorted(shares) and shares[-1] == 1.0 and len(shares) >= 2 and shares[0] <= 0.5


def test_curves_of_different_lengths_are_not_written_together(studio, key, levels):
    add(studio, levels, key)
    project = current(studio, key).document
    (curve,) = levels.curves(project)
    shorter = curve.__class__(**{**curve.__dict__, "target": Target.parse("lamp:x"), "values": curve.values[:-1]})
    with pytest.raises(FernTideError, match="different lengths"):
        writing.write_format(project, (curve, shorter), format_id="csv", media=SceneMedia())


def test_a_format_that_loses_a_curve_is_caught_by_its_read_back(studio, key, levels):
    add(studio, levels, key)
    project = current(studio, key).document
    good = FORMATS["csv"]
    lossy = Format(**{**good.__dict__, "read_back": lambda content, given, params: {}})
    given = HandOff(project.name, project.scene, levels.curves(project), project.rate, project.n_frames)
    with pytest.raises(ReadBackFailed, match="Lamp, turn is not whole in the CSV file"):
        write(given, format=lossy)


def test_an_imported_document_cannot_lie_about_its_sounds(studio):
    project = demo_project()
    tracks = tuple(
        track.model_copy(update={"info": track.info.model_copy(update={"n_samples": 10**9})})
        for track in project.tracks
    )
    revision = writing.import_project(studio, io.BytesIO(packed(project.but(tracks=tuple(tracks)))))
    assert revision.document.n_frames == project.n_frames


def test_what_is_heard_depends_on_what_is_heard_and_on_the_length(studio, key):
    project = current(studio, key).document
    name = listening.heard_key(project)
    assert name == listening.heard_key(project.but(name="Other", mappings=()))
    assert name != listening.heard_key(project.but(rate=FrameRate.parse("24000/1001")))
    silent = project.but(tracks=tuple(track.model_copy(update={"heard": False}) for track in project.tracks))
    assert listening.heard_key(silent) is None
    assert listening.heard_file(studio, silent) is None


def test_the_demo_is_made_once_for_an_empty_studio(studio):
    ensure_demo(studio)
    ensure_demo(studio)
    assert [row[1] for row in studio.projects.all()] == [
        "The Glasshouse Hour",
        "The Glasshouse Hour, the potting bench",
        "The Glasshouse Hour, the wall of panes",
    ]


def test_sweeping_keeps_what_projects_need(studio):
    key = open_demo(studio).key
    media = {track.media for track in current(studio, key).document.tracks}
    studio.media.add([b"left over"], most=100)
    sweep(studio)
    assert studio.projects.media_in_use() == media
    assert all(studio.media.path(digest).exists() for digest in media)


def test_sweeping_takes_what_no_document_refers_to_before_what_one_does(studio, levels, key):
    add(studio, levels, key)
    project = current(studio, key).document
    baking.bake_all(studio, levels, key, project)
    nodes = below(levels.graph(project).curves.values())
    needed = {node.fingerprint for node in nodes if studio.derived.has(node.fingerprint)}
    assert {node.kind for node in nodes if node.fingerprint in needed} == {Kind.FEATURE, Kind.CURVE}
    studio.derived.put("f" * 64, np.zeros(3))

    def aged(days: float) -> int:
        then = time.time() - days * 24 * 3600
        for path in (studio.settings.data / "derived").rglob("*.npy"):
            os.utime(path, (then, then))
        return sweep(studio)

    assert aged(6) == 0 and studio.derived.has("f" * 64)
    aged(8)
    assert not studio.derived.has("f" * 64) and all(map(studio.derived.has, needed))
    aged(31)
    assert not any(map(studio.derived.has, needed))


def test_levels_after_a_tracks_end_are_silent(studio, key, levels):
    longer = wav(np.random.default_rng(1).normal(size=44_100 * 6) * 0.1, rate_hz=44_100)
    sounds.add_track(studio, key, [longer], file_name="Longer.wav")
    project = current(studio, key).document
    assert project.n_frames == 180
    raw = levels.raw(project, project.envelope("drums"))
    assert raw.shape == (180,)
    assert raw[120:].max() == 0 < raw[:120].max()
