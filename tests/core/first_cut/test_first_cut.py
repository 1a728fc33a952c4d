"""First cuts of ten made songs on five scenes: they move, they stay, they rest, and they are the same every time."""

import re

import numpy as np
import pytest
from tests.core.first_cut.songs import scenes, songs, studio_of

from fern_tide.core.bake.sync import sync
from fern_tide.core.base.signal import moved
from fern_tide.core.commands.first_cut import DropFirstCut, KeepFirstCut, without_cut
from fern_tide.core.first_cut.checking import WINDOW_S, flashes
from fern_tide.core.first_cut.first_cut import FEWEST, MOST, RULES, propose
from fern_tide.core.first_cut.listening import listen
from fern_tide.workflows.tune.first_cut import first_cut, ground_of, suggestions

SONGS, SCENES = songs(), scenes()


@pytest.fixture(scope="module", params=SONGS)
def song(request):
    return request.param


@pytest.fixture(scope="module", params=SCENES)
def cut(request, song):
    """A project with its first cut taken, the one before it, and its levels."""
    staged = SCENES[request.param]
    project, levels = studio_of(SONGS[song], staged.scene)
    command = first_cut(levels, project, staged=staged, seed=1)
    return project, command.apply(project), levels, command


def curves_of(levels, project):
    """Each curve as (frames,), colours by their sum."""
    return [np.atleast_2d(curve.values).sum(axis=0) for curve in levels.curves(project)]


def test_something_moves_and_it_is_said_why(cut):
    _, taken, levels, _ = cut
    items = taken.first_cut.items
    assert 1 <= len(items) <= MOST
    assert [item.mapping for item in items] == [mapping.id for mapping in taken.mappings]
    assert all(item.words.startswith("the ") and re.search(r"\d|counts", item.reason) for item in items)
    assert any(np.ptp(values) > 0 for values in curves_of(levels, taken))


@pytest.mark.parametrize("scene", ["glasshouse", "bench"])
def test_three_to_six_where_there_is_enough_to_move(song, scene):
    project, levels = studio_of(SONGS[song], SCENES[scene].scene)
    taken = first_cut(levels, project, staged=SCENES[scene], seed=1)
    assert FEWEST <= len(taken.mappings) <= MOST


def test_a_property_is_moved_by_one_mapping(cut):
    _, taken, _, _ = cut
    targets = [drive.target for mapping in taken.mappings for drive in mapping.drives]
    assert len(set(targets)) == len(targets)


def test_something_moves_in_every_four_seconds_of_sound(cut, song):
    _, taken, levels, _ = cut
    if song in {"steady tone", "noise"}:
        pytest.skip("nothing in it changes")
    size = round(WINDOW_S * 30)
    loud = np.abs(SONGS[song])[: taken.n_frames * 735].reshape(-1, 735).max(axis=1)
    moves = [np.abs(levels.lift(taken, mapping)) for mapping in taken.mappings]
    moves = [lift.max(axis=0) if lift.ndim > 1 else lift for lift in moves]
    heard = [at for at in range(0, len(loud) - size + 1, size) if np.median(loud[at : at + size]) > 0.02]
    dead = [at for at in heard if max(np.ptp(lift[at : at + size]) for lift in moves) < 0.02]
    assert not dead


def test_what_answers_hits_lags_less_than_a_frame(cut):
    project, taken, levels, _ = cut
    heard = {voice.envelope.name: voice.hits for voice in listen(project, levels).voices if voice.hits.size}
    names = {envelope.id: envelope.name for envelope in taken.envelopes}
    for mapping in taken.mappings:
        hits = heard.get(names[mapping.envelope])
        if hits is None or mapping.steps:
            continue
        late = {drive.late_frames for drive in mapping.drives}
        assert len(late) == 1 and late <= {0.0, -1.0, -2.0, -3.0}
        excursion = np.abs(np.atleast_2d(levels.lift(taken, mapping))).max(axis=0)
        shown = moved(excursion, frames=late.pop())
        assert abs(sync(shown, hits, fps=30).median) < 1, mapping.name


@pytest.mark.parametrize("scene", SCENES)
def test_silence_rests(scene):
    project, levels = studio_of(SONGS["stops"], SCENES[scene].scene)
    taken = first_cut(levels, project, staged=SCENES[scene], seed=1).apply(project)
    for mapping in taken.mappings:
        lift = np.abs(levels.lift(taken, mapping))
        assert lift.max() > 0.1, "it moves at all"
        assert np.max(lift[..., round(5.7 * 30) : round(6.5 * 30)]) < 0.02, mapping.name


def test_an_imported_light_follows_the_hits():
    staged = SCENES["model"]
    project, levels = studio_of(SONGS["drums alone"], staged.scene)
    lights = {part.id for part in staged.scene.parts if part.kind.in_file == "light"}
    assert lights and lights <= staged.extents.keys()
    offers = suggestions(levels, project, staged=staged, parts=lights, envelope=None)
    assert any("glow" in words for words, _, _ in offers)


def test_values_stay_within_what_their_property_allows(cut):
    _, taken, levels, _ = cut
    for curve in levels.curves(taken):
        item = taken.scene.resolve(curve.target)[1]
        if item.kind == "number":
            assert item.low is None or curve.values.min() >= item.low - 1e-9
            assert item.high is None or curve.values.max() <= item.high + 1e-9


def test_the_same_seed_gives_the_same_document(cut):
    project, taken, levels, _ = cut
    staged = next(item for item in SCENES.values() if item.scene is project.scene)
    assert first_cut(levels, project, staged=staged, seed=1).apply(project) == taken
    assert first_cut(levels, taken, staged=staged, seed=1).apply(taken) == taken, "over itself too"


def test_what_is_kept_is_what_was_shown_and_what_goes_leaves_nothing(cut):
    project, taken, _, _ = cut
    kept = KeepFirstCut().apply(taken)
    assert kept.mappings == taken.mappings and kept.first_cut is None
    assert DropFirstCut().apply(taken) == project == without_cut(taken).but(first_cut=None)


def test_what_was_refused_goes_with_its_envelope(cut):
    _, taken, _, _ = cut
    first = taken.mappings[0]
    refused = taken.but(mappings=(first.but(muted=True), *taken.mappings[1:]))
    kept = KeepFirstCut().apply(refused)
    assert kept.mappings == taken.mappings[1:]
    used = {mapping.envelope for mapping in kept.mappings}
    assert {item.id for item in kept.envelopes} == used


def test_another_seed_gives_another_cut_of_the_demo_scene():
    staged = SCENES["glasshouse"]
    project, levels = studio_of(SONGS["drums and pad"], staged.scene)
    cuts = [propose(project, levels, ground=ground_of(staged), seed=seed) for seed in (1, 2, 3, 4)]
    assert len({tuple(item.words for item in one.cut.items) for one in cuts}) >= 3


def test_a_silent_sound_and_an_empty_stage_say_so():
    staged = SCENES["glasshouse"]
    project, levels = studio_of(np.zeros(44_100), staged.scene)
    nothing = propose(project, levels, ground=ground_of(staged), seed=1)
    assert not nothing.mappings and "Song is silent" in nothing.cut.reason
    empty = staged.scene.but(parts=())
    project, levels = studio_of(SONGS["drums alone"], empty)
    nothing = propose(project, levels, ground=ground_of(type(staged)(empty, staged.media)), seed=1)
    assert not nothing.mappings and "Nothing on the stage" in nothing.cut.reason


def test_bars_grow_from_their_base_each_by_its_own_band():
    staged = SCENES["bars"]
    project, levels = studio_of(SONGS["drums and pad"], staged.scene)
    taken = first_cut(levels, project, staged=staged, seed=1).apply(project)
    mapping = next(item for item in taken.mappings if item.spread)
    places = [staged.extents[drive.target.part].middle[0] for drive in mapping.drives]
    assert len(places) == 12 and places == sorted(places)
    assert len(taken.envelope(mapping.envelope).rows) == 12
    assert all(taken.scene.part(drive.target.part).anchor.y == 300 for drive in mapping.drives)


def test_the_demo_swings_its_lamp_and_leaves_what_is_moved_already_alone():
    staged = SCENES["glasshouse"]
    project, levels = studio_of(SONGS["drums and pad"], staged.scene)
    taken = first_cut(levels, project, staged=staged, seed=1).apply(project)
    kept = KeepFirstCut().apply(taken)
    again = first_cut(levels, kept, staged=staged, seed=1)
    moved = {drive.target for mapping in kept.mappings for drive in mapping.drives}
    assert moved.isdisjoint(drive.target for mapping in again.mappings for drive in mapping.drives)


def test_a_part_and_an_envelope_get_three_suggestions_that_can_be_taken():
    staged = SCENES["glasshouse"]
    project, levels = studio_of(SONGS["drums and pad"], staged.scene)
    offers = suggestions(levels, project, staged=staged, parts=("lamp-bulb",), envelope=None)
    assert 1 <= len(offers) <= 3
    for words, reason, command in offers:
        done = command.apply(project)
        assert words.startswith("the lamp bulb") and reason
        assert {drive.target.part for drive in done.mappings[0].drives} == {"lamp-bulb"}
    kept = KeepFirstCut().apply(first_cut(levels, project, staged=staged, seed=1).apply(project))
    envelope = next(item for item in kept.envelopes if not item.rows)
    offers = suggestions(levels, kept, staged=staged, parts=(), envelope=envelope.id)
    assert len(offers) == 3
    assert all(command.apply(kept).mappings[-1].envelope == envelope.id for _, _, command in offers)


@pytest.mark.parametrize(("hz", "calm"), [(1.0, True), (2.9, True), (4.5, False), (8.0, False)])
def test_flashes_are_counted_a_second(hz, calm, rate30):
    t = np.arange(300) / 30
    luminance = 0.4 + 0.3 * np.sign(np.sin(2 * np.pi * hz * t + 0.1))
    assert (flashes(luminance, rate=rate30) <= 3) == calm
    assert flashes(np.full(300, 0.5), rate=rate30) == 0
    assert flashes(0.4 + 0.04 * np.sign(np.sin(2 * np.pi * hz * t)), rate=rate30) == 0, "less than a tenth is none"


def test_every_rule_proposes_something_somewhere():
    from fern_tide.core.first_cut.first_cut import _both

    offered = set()
    for staged in SCENES.values():
        for name in ("drums and pad", "steady tone", "pad alone"):
            project, levels = studio_of(SONGS[name], staged.scene)
            sound, scene = _both(project, levels, ground_of(staged))
            offered |= {rule.id for rule in RULES.values() if any(True for _ in rule.offer(sound, scene))}
    assert offered == set(RULES)


def test_what_sounds_in_the_centre_of_six_channels_only_is_heard():
    staged = SCENES["glasshouse"]
    six = np.zeros((6, SONGS["drums and pad"].size))
    six[2] = SONGS["drums and pad"]
    project, levels = studio_of(six, staged.scene)
    cut = first_cut(levels, project, staged=staged, seed=1)
    assert len(cut.mappings) >= 3
    assert all(
        "loudest" in str(item.reading.params.model_dump()) or item.reading.id == "hits" for item in cut.envelopes
    )
