"""Newer files under what is there, several in one go, and what comes beside them: one undo takes all of it back."""

import io

import numpy as np
import pytest
from PIL import Image
from tests.conftest import drums, sine, wav
from tests.core.envelope.test_notes import PLAYED

from fern_tide.core.base.errors import FernTideError, UnknownName, UnreadableSound
from fern_tide.core.commands.project import RenameProject
from fern_tide.core.commands.soundtrack import PutTrack
from fern_tide.workflows.bring_in import scenes, sounds, swap
from fern_tide.workflows.bring_in.laying import arrival_words
from fern_tide.workflows.bring_in.newer import newer
from fern_tide.workflows.tune import edits

PAD = wav(sine(220))  # written once: the time is in it
RAMP = b"time_s,value\n0,0\n4,1\n"
FALL = b"time_s,value\n0,1\n4,0\n"


@pytest.fixture
def stems(studio, key):
    """A project with the tracks Drums, Pad and Hats, and the envelopes Ramp, of a curve, and Bells, of notes."""
    for name in ("Pad", "Hats"):
        sounds.add_track(studio, key, [PAD], file_name=f"{name}.wav")
    sounds.add_curve(studio, key, [RAMP], file_name="Ramp.csv")
    sounds.add_curve(studio, key, [PLAYED], file_name="Bells.mid")
    return studio.projects.current(key)


def test_files_in_one_go_are_one_undo_however_many(studio, key, stems):
    joined = None
    for at, track in enumerate(stems.document.tracks):
        revision = swap.swap(studio, key, [wav(sine(100 * (at + 1)))], track_id=track.id, joined=joined)
        joined = revision.id
    assert revision.undo == "Swap the files under Drums, Pad and Hats"
    revision = swap.swap_curve(studio, key, [FALL], envelope_id="ramp", joined=joined)
    revision = sounds.add_track(studio, key, [wav(sine(50))], file_name="Clap.wav", joined=revision.id)
    revision = sounds.add_curve(studio, key, [RAMP], file_name="Swell.csv", joined=revision.id)
    words = "Swap the files under Drums, Pad, Hats and Ramp, add the track Clap, add the envelope Swell"
    assert revision.undo == words
    after = revision.document
    assert [new.media != old.media for new, old in zip(after.tracks, stems.document.tracks, strict=False)] == [True] * 3
    undone = studio.projects.undo(key, base=revision.id)
    assert undone.document == stems.document and undone.redo == words
    assert studio.projects.redo(key, base=undone.id).document == after


def test_what_was_done_between_stays_an_undo_of_its_own(studio, key, stems):
    first = swap.swap(studio, key, [wav(sine(110))], track_id="pad")
    edits.edit(studio, key, RenameProject(name="Mist"), base=first.id)
    second = swap.swap(studio, key, [wav(sine(70))], track_id="hats", joined=first.id)
    assert second.undo == "Swap the file under Hats"
    undone = studio.projects.undo(key, base=second.id)
    assert undone.document.name == "Mist" and undone.document.track("pad").media == first.document.track("pad").media
    back = studio.projects.undo(key, base=undone.id)
    alone = sounds.add_track(studio, key, [wav(sine(50))], file_name="Clap.wav", joined=second.id)  # that is undone
    assert studio.projects.undo(key, base=alone.id).document == back.document


def test_a_track_with_a_newer_file_begins_when_it_did(studio, key, stems):
    pad = stems.document.track("pad")
    edits.edit(studio, key, PutTrack(track=pad.model_copy(update={"offset_samples": 24_000})), base=stems.id)
    swap.swap(studio, key, [wav(sine(110, rate_hz=44_100), rate_hz=44_100)], track_id="pad")
    assert studio.projects.current(key).document.track("pad").offset_samples == 22_050  # half a second, as before


def test_another_file_goes_under_the_envelope_that_reads_one(studio, levels, key, stems):
    before = levels.cleaned(stems.document, stems.document.envelope("ramp"))
    after = swap.swap_curve(studio, key, [FALL], envelope_id="ramp")
    assert after.undo == "Swap the file under Ramp" and len(after.document.envelopes) == len(stems.document.envelopes)
    level = levels.cleaned(after.document, after.document.envelope("ramp"))
    np.testing.assert_allclose(level[:121], 1.0 - before[:121], atol=1e-9)
    again = swap.swap_curve(studio, key, [PLAYED.replace(b"\x3c\x7f", b"\x3c\x32")], envelope_id="bells")
    assert again.document.envelope("bells").reading != stems.document.envelope("bells").reading


def test_the_same_file_once_more_is_no_edit(studio, key, stems):
    assert swap.swap_curve(studio, key, [PLAYED], envelope_id="bells").id == stems.id
    assert swap.swap(studio, key, [PAD], track_id="pad").id == stems.id


def test_a_file_that_does_not_fit_leaves_all_as_it_was(studio, key, stems):
    for run, error, words in (
        (lambda: swap.swap(studio, key, [b"no sound"], track_id="pad"), UnreadableSound, "not a sound file"),
        (lambda: swap.swap(studio, key, [wav(sine(9))], track_id="gone"), UnknownName, "gone"),
        (lambda: swap.swap_curve(studio, key, [RAMP], envelope_id="drums"), UnknownName, "Drums reads no file"),
        (lambda: swap.swap_curve(studio, key, [RAMP], envelope_id="bells"), FernTideError, "Bells reads a MIDI file"),
        (lambda: swap.swap_curve(studio, key, [PLAYED], envelope_id="ramp"), FernTideError, "this file holds notes"),
    ):
        with pytest.raises(error, match=words):
            run()
        assert studio.projects.current(key).id == stems.id


def test_newer_files_are_told_by_their_names_and_kinds(stems):
    those = newer(stems.document, sounds=["Hats v2.wav", "Ramp.wav", "Clap.wav"], curves=["bells_new.mid", "Pad.csv"])
    assert [(item.file, item.kind, item.id, item.name) for item in those] == [
        ("Hats v2.wav", "track", "hats", "Hats"),
        ("bells_new.mid", "envelope", "bells", "Bells"),
    ]


def test_newer_drawings_models_and_pictures_are_told_from_those_of_their_kind(studio, key, stems):
    svg = b'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><path id="a" d="M0 0h9v9z"/></svg>'
    png = io.BytesIO()
    Image.new("RGB", (8, 8)).save(png, "PNG")
    scenes.bring_in(studio, key, {"Fern leaf.svg": svg, "moon.v1.png": png.getvalue()}, replace=False)
    project = studio.projects.current(key).document
    names = ["fern_leaf_v2.svgz", "moon v2.JPG", "Fern leaf.png", "hats.svg", "Fern leaf 2.glb"]
    those = [(item.file, item.kind, item.name) for item in newer(project, scenes=names)]
    assert those == [("fern_leaf_v2.svgz", "file", "Fern leaf.svg"), ("moon v2.JPG", "file", "moon.v1.png")]
    replaced = scenes.replace_file(studio, key, newer(project, scenes=names[:1])[0].id, {names[0]: svg + b" "})
    assert replaced.revision.undo == "Replace Fern leaf.svg with fern_leaf_v2.svgz"
    assert newer(replaced.revision.document, scenes=["Fern leaf v3.svg"])[0].name == "fern_leaf_v2.svgz"


def test_a_long_drop_is_told_by_its_first_names(studio, key, stems):
    before = joined = stems
    for at in range(6):
        joined = sounds.add_track(
            studio, key, [wav(drums(seconds=1))], file_name=f"Part {at}.wav", joined=joined and joined.id
        )
    assert arrival_words(before.document, joined.document) == "Add the tracks Part 0, Part 1, Part 2, Part 3 and 2 more"
    assert arrival_words(before.document, before.document) == ""
