"""Performed levels in the graph: steps go by the taps, and the beat is an input only where it is used."""

import numpy as np
import pytest
from tests.core.derivation.documents import (
    GESTURE,
    TAKEN,
    TAPS,
    document,
    drive,
    envelope,
    mapping,
    track,
    value,
)

from fern_tide.core.derivation.graph import Graph
from fern_tide.core.derivation.node import Kind, below
from fern_tide.core.derivation.words import reasons, records_of
from fern_tide.core.envelope.beat_grid import BeatSetting
from fern_tide.core.envelope.envelope import Envelope, ReadingChoice
from fern_tide.core.envelope.hit_edits import HitEdit
from fern_tide.core.mapping.mapping import StepChoice


def performed(media=TAPS, **params):
    choice = {"id": "take", "params": {"takes": [{"media": media, "name": "Take 1"}], **params}}
    return Envelope(id="taps", name="Taps", reading=ReadingChoice.model_validate(choice))


def of_hits(*, edits=()):
    reading = ReadingChoice.model_validate({"id": "hits", "params": {"edits": list(edits)}})
    return Envelope(id="taps", name="Struck", track="tone", reading=reading)


def with_steps(made, **more):
    steps = (StepChoice.parse("build_up starts_over=yes hits=track"),)
    mappings = (mapping("m", "taps", drive("lamp:turn", 0.0, 1.0), steps=steps),)
    return document(envelopes=(*document().envelopes, made), mappings=mappings, **more)


def frames_of_hits(project):
    context = Graph(project).lift(project.mappings[0]).inputs[1]
    return value(context).hit_frames.tolist()


def test_steps_go_by_taps_and_by_hits_that_a_hand_edited():
    taps = np.floor((TAKEN.times_s - 0.02) * 30 + 1e-6).astype(int).tolist()
    assert frames_of_hits(with_steps(performed())) == taps
    later = frames_of_hits(with_steps(performed(later_s=0.5)))
    assert later == [frame + 15 for frame in taps], "as the level is"
    found = frames_of_hits(with_steps(of_hits()))
    assert found == frames_of_hits(with_steps(envelope("taps", "amplitude", of="tone")))
    project = with_steps(of_hits())
    hits = value(Graph(project).hits(project.envelope("taps")))
    gone = with_steps(of_hits(edits=[{"was_s": float(hits.was_s[0])}]))
    assert frames_of_hits(gone) == np.floor(hits.times_s[1:] * 30 + 1e-6).astype(int).tolist()
    led = frames_of_hits(with_steps(performed(GESTURE, given="up")))
    assert led == frames_of_hits(with_steps(envelope("taps", "curve", of=None))), "a gesture has no hits of its own"


def with_edits(project, *edits, of=1):
    tracks = list(project.tracks)
    tracks[of] = tracks[of].but(hit_edits=tuple(map(HitEdit.model_validate, edits)))
    return project.but(tracks=tuple(tracks))


def test_steps_and_words_go_by_hits_of_a_track_that_a_hand_edited_and_beats_do_not():
    project = with_steps(envelope("taps", "amplitude", of="tone"))
    graph, tone = Graph(project), project.tracks[1]
    hits, beats = value(graph.rhythm(tone))
    frames = frames_of_hits(project)
    assert len(frames) > 2 and graph.rhythm(tone) is graph.heard_rhythm(tone)
    moved = {"was_s": float(hits.times_s[0]), "time_s": float(hits.times_s[0]) + 0.2}
    changed = with_edits(project, moved, {"was_s": float(hits.times_s[1])}, {"time_s": 0.05, "strength": 0.4})
    after = Graph(changed)
    assert frames_of_hits(changed) == sorted([int((0.05 + float(tone.offset)) * 30), frames[0] + 6, *frames[2:]])
    laid, same = value(after.rhythm(changed.tracks[1]))
    assert 0.4 in laid.strengths and np.array_equal(same.times_s, beats.times_s)
    assert after.heard_rhythm(changed.tracks[1]).fingerprint == graph.heard_rhythm(tone).fingerprint
    assert after.beats.fingerprint == graph.beats.fingerprint, "beats are found in what is heard"
    curves = [one.curves[project.mappings[0].drives[0].target] for one in (graph, after)]
    known, now = (records_of([node]) for node in curves)
    assert reasons(curves[0].key, curves[1].key, known=known, now=now) == ["other hits"]
    elsewhere = Graph(with_edits(project, moved, of=0))
    assert elsewhere.beats.fingerprint == graph.beats.fingerprint, "of the track that they are found in, too"
    assert elsewhere.curves[project.mappings[0].drives[0].target].fingerprint == curves[0].fingerprint


def test_hits_of_a_late_track_are_late_and_known_by_its_own_seconds():
    project = with_steps(of_hits())
    late = project.but(tracks=(project.tracks[0], track("tone", media=project.tracks[1].media, offset_samples=8_000)))
    hits = [value(Graph(one).hits(one.envelope("taps"))) for one in (project, late)]
    np.testing.assert_array_equal(*(one.was_s for one in hits))
    np.testing.assert_allclose(hits[1].times_s - hits[0].times_s, 0.45)
    levels = [np.flatnonzero(value(Graph(one).reading(one.envelope("taps")))) for one in (project, late)]
    np.testing.assert_allclose(levels[1][0] - levels[0][0], 0.45 * 30, atol=1)


@pytest.mark.parametrize(("percent", "beats"), [(0, False), (50, True)])
def test_the_beat_is_an_input_of_a_take_only_where_it_is_drawn_to_it(percent, beats):
    project = with_steps(performed(to_beat_percent=percent))
    nodes = below([Graph(project).level(project.envelope("taps"))])
    assert any(node.kind is Kind.BEATS for node in nodes) is beats
    other = project.but(beat=BeatSetting(bpm=77.0))
    prints = [Graph(one).level(one.envelope("taps")).fingerprint for one in (project, other)]
    assert (prints[0] != prints[1]) is beats


def test_a_level_without_hits_has_none():
    project = document()
    assert value(Graph(project).hits(project.envelopes[0])) is None
    gesture = document(envelopes=(*project.envelopes, performed(GESTURE, given="across")))
    assert value(Graph(gesture).hits(gesture.envelope("taps"))) is None
