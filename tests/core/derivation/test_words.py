"""What a stale curve says of why it is stale, in a designer's words."""

import json

import pytest
from tests.core.derivation.documents import document, envelope
from tests.core.derivation.test_graph import EDITS, FOLLOWING, STEPPED, TURN, first, heard, on_top, scene

from fern_tide.core.derivation.graph import Graph
from fern_tide.core.derivation.node import Record, below
from fern_tide.core.derivation.words import reasons, record_texts, records_of
from fern_tide.core.document import Marker
from fern_tide.core.envelope.beat_grid import BeatSetting
from fern_tide.core.envelope.envelope import CleanUpChoice
from fern_tide.core.mapping.mapping import StepChoice
from fern_tide.core.mapping.marks import Marks
from fern_tide.core.scene.follow import Limit


def said(before, after, target=TURN) -> list[str]:
    old = Graph(before).curves
    known = {key: Record.of(json.loads(text)) for key, text in record_texts(old.values()).items()}
    new = Graph(after).curves
    return reasons(old[target].key, new[target].key, known=known, now=records_of(new.values()))


def smoothed(project, *texts):
    loud = project.envelopes[0].but(clean_up=tuple(map(CleanUpChoice.parse, texts)))
    return project.but(envelopes=(loud, *project.envelopes[1:]))


def own_drive(project, **changes):
    return first(project, drives=(project.mappings[0].drives[0].but(**changes),))


WORDS = {
    "rate": (lambda p: p.but(rate="24", markers=()), "rate 30 to 24 fps"),
    "length": (lambda p: p.but(length_frames=50), "length 92 to 50 frames"),
    "low": (lambda p: first(p, marks=Marks(low=0.25, high=0.3)), "low water -30.5 to -12.0 dB"),
    "high": (lambda p: first(p, marks=Marks(low=0.03, high=0.5)), "high water -10.5 to -6.0 dB"),
    "clean-up": (lambda p: smoothed(p, "smooth width_ms=33"), "smooth 60 to 33"),
    "taken off": (lambda p: smoothed(p), "smooth taken off"),
    "added": (lambda p: smoothed(p, "smooth width_ms=60", "gate"), "gate added"),
    "step": (lambda p: first(p, steps=(StepChoice.parse("flip"),)), "flip added"),
    "full": (lambda p: own_drive(p, full=2.5), "at full 12 to 2.5"),
    "response": (lambda p: own_drive(p, response={"id": "exponent"}), "response straight to exponent"),
    "late": (lambda p: own_drive(p, late_frames=3), "0 to 3 frames late"),
    "share": (lambda p: own_drive(p, share=0.4), "1 to 0.4 x of the motion"),
    "file": (EDITS["another file"], "another file, or another time of it"),
    "offset": (EDITS["offset"], "another file, or another time of it"),
    "silent": (EDITS["silence"], "its track does not drive now"),
    "came": (lambda p: p.but(mappings=p.mappings[1:]), "Sway went"),
    "stacking": (lambda p: on_top(p, stacking="multiply"), "add to multiply"),
    "limits": (lambda p: scene(p, limits=(Limit(target=TURN, low=0.0, high=1.0),)), "other limits"),
    "envelope": (lambda p: first(p, envelope="low"), "Loud to Low"),
}


@pytest.mark.parametrize(("edit", "words"), WORDS.values(), ids=WORDS)
def test_a_stale_curve_says_what_changed(edit, words):
    assert words in said(document(), edit(document()))


def test_what_did_not_change_is_not_spoken_of():
    plain = document()
    assert said(plain, first(plain, marks=Marks(low=0.1, high=0.3))) == ["low water -30.5 to -20.0 dB"]
    assert said(plain, smoothed(plain, "smooth width_ms=33")) == ["smooth 60 to 33"]  # said once
    assert said(plain.but(mappings=plain.mappings[1:]), plain) == ["Sway came in"]


def test_an_envelope_that_joins_in_is_called_by_its_name():
    plain = document()
    low = envelope("low", "band low_hz=60 high_hz=500", of="tone")
    wider = plain.but(envelopes=(plain.envelopes[0], low, plain.envelopes[2]))
    assert said(plain, wider) == ["Low: reading 400 to 500"]


def test_moments_that_steps_go_by_are_spoken_of():
    markers = STEPPED.but(markers=(Marker(id="m", name="M", time_s=0.2),))
    assert said(STEPPED, markers, TURN.but(property="y")) == ["other markers"]
    assert said(STEPPED, heard(STEPPED, offset_samples=500), TURN)[0] == "another file, or another time of it"
    seeded = first(STEPPED, seed=3)
    assert said(STEPPED, seeded) == ["another seed"]
    on_beats = document(envelopes=(envelope("loud", "beats", of=None), *document().envelopes[1:]))
    assert "other beats" in said(on_beats, on_beats.but(beat=BeatSetting(bpm=77.0)))


def test_what_is_followed_and_own_values_are_spoken_of():
    moth = TURN.but(part="moth-two")
    assert said(FOLLOWING, first(FOLLOWING, marks=Marks(low=0.1, high=0.3)), moth) == ["what it follows changed"]
    alone = document(mappings=document().mappings[2:])
    parts = tuple(part.but(values={**part.values, "turn": 4.0}) for part in alone.scene.parts)
    assert said(alone, scene(alone, parts=parts)) == ["its own value 0 to 4"]


def test_a_curve_of_an_earlier_version_says_so():
    node = Graph(document()).curves[TURN]
    now = records_of([node])
    assert reasons("0" * 64, node.key, known={}, now=now) == ["it was baked by an earlier version"]


def test_records_hold_each_node_once():
    curves = Graph(document()).curves
    assert records_of(curves.values()).keys() == {node.key for node in below(curves.values())}


def test_a_copy_that_is_tuned_is_spoken_of_as_itself():
    sway = document().mappings[0]
    copy = sway.but(id="copy", name="Copy", drives=(sway.drives[0].but(target=TURN.but(property="x")),))
    twins = document(mappings=(sway, copy))
    tuned = twins.but(mappings=(sway, copy.but(marks=Marks(low=0.1, high=0.3))))
    assert said(twins, tuned, TURN.but(property="x")) == ["low water -30.5 to -20.0 dB"]
    assert said(twins, first(twins, marks=Marks(low=0.1, high=0.3))) == ["low water -30.5 to -20.0 dB"]


def test_two_mappings_alike_on_one_property_are_told_apart():
    sway = document().mappings[0]
    over = sway.but(id="over", name="Over", drives=(sway.drives[0].but(stacking="add"),))
    twins = document(mappings=(sway, over))
    assert said(twins, twins.but(mappings=(sway,))) == ["Over went"]
    assert said(twins, twins.but(mappings=(sway, over.but(marks=Marks(low=0.1, high=0.3))))) == [
        "low water -30.5 to -20.0 dB"
    ]


def test_envelopes_alike_are_told_apart():
    loud = document().envelopes[0]
    twin = loud.but(id="twin", name="Twin")
    plain = document(envelopes=(loud, twin), mappings=document().mappings[:1])
    following = first(plain, envelope="twin")
    smoother = following.but(envelopes=(loud, twin.but(clean_up=(CleanUpChoice.parse("smooth width_ms=33"),))))
    assert said(following, smoother) == ["smooth 60 to 33"]
