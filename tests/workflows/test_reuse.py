"""Recipes applied, mappings copied, axes added, reasons told: over a real studio."""

from collections import Counter

import numpy as np
import pytest
from tests.workflows.test_workflows import SOUND

from fern_tide.core.base.errors import InvalidParameter, UnknownName
from fern_tide.core.base.target import Target
from fern_tide.core.commands.mapping import KeepVersion, PutMapping, PutRecipes, ShowVersion
from fern_tide.core.commands.project import PutEnvelope
from fern_tide.core.commands.several import PutLimit
from fern_tide.core.commands.soundtrack import PutMarker
from fern_tide.core.derivation.node import Kind
from fern_tide.core.document import Marker, Project, read_project
from fern_tide.core.envelope.envelope import CleanUpChoice, Envelope
from fern_tide.core.mapping.drive import Drive, Stacking, Stop
from fern_tide.core.mapping.mapping import Mapping, StepChoice
from fern_tide.core.mapping.marks import Marks
from fern_tide.core.mapping.recipe import Recipe
from fern_tide.core.mapping.starting_recipes import STARTING
from fern_tide.core.scene.follow import Limit
from fern_tide.demo.scene import glasshouse
from fern_tide.workflows.bake import baking
from fern_tide.workflows.bring_in import sounds
from fern_tide.workflows.derive import analysis
from fern_tide.workflows.derive.analysis import levels_of
from fern_tide.workflows.derive.levels import Levels
from fern_tide.workflows.reuse import recipes
from fern_tide.workflows.tune import aiming, edits, why


@pytest.fixture
def levels(studio):
    return levels_of(studio)


@pytest.fixture
def key(studio):
    return sounds.start_project(studio, [SOUND], file_name="Drums.wav", scene=glasshouse()).key


def document(studio, key):
    return studio.projects.current(key).document


def do(studio, key, command):
    return edits.edit(studio, key, command, base=studio.projects.current(key).id).document


def add(studio, levels, key, target):
    project = document(studio, key)
    envelope = project.envelopes[0].id
    mapping = edits.new_mapping(levels, project, envelope_id=envelope, target=Target.parse(target))
    do(studio, key, PutMapping(mapping=mapping))
    return mapping


def by_id(name):
    return next(recipe for recipe in STARTING if recipe.id == name)


@pytest.mark.parametrize("recipe", STARTING, ids=[recipe.id for recipe in STARTING])
def test_every_starting_recipe_can_be_applied_and_bakes(studio, levels, key, recipe):
    mapping = add(studio, levels, key, "lamp:turn")
    project = do(studio, key, recipes.apply(levels, document(studio, key), mapping, recipe))
    applied = project.mapping(mapping.id)
    assert applied.steps == recipe.steps and applied.drives[0].response == recipe.response
    assert project.envelope(applied.envelope).clean_up == recipe.clean_up
    (curve,) = levels.curves(project, [d.target for d in applied.drives])
    assert np.isfinite(curve.values).all()
    assert studio.projects.current(key).undo == f"Apply {recipe.name} to {mapping.name}"


def test_a_recipe_leaves_the_clean_up_of_others_alone(studio, levels, key):
    one, other = (add(studio, levels, key, name) for name in ("lamp:turn", "moth-one:turn"))
    before = document(studio, key)
    was = before.envelope(one.envelope).clean_up
    project = do(studio, key, recipes.apply(levels, before, one, by_id("breath")))
    assert project.envelope(other.envelope).clean_up == was
    own = project.envelope(project.mapping(one.id).envelope)
    assert own.id != other.envelope and own.name.endswith(", breath")
    third = add(studio, levels, key, "moth-two:turn")
    again = do(studio, key, recipes.apply(levels, document(studio, key), third, by_id("breath")))
    assert again.mapping(third.id).envelope == own.id  # one that is cleaned so is there already


def test_a_recipe_written_down_and_applied_again_gives_the_same_motion(studio, levels, key):
    mapping = add(studio, levels, key, "lamp:turn")
    shaped = mapping.model_copy(update={"steps": (StepChoice.parse("stairs levels=3"),)})
    project = do(studio, key, PutMapping(mapping=shaped))
    (before,) = levels.curves(project, [d.target for d in shaped.drives])
    recipe = recipes.write_down(levels, project, shaped, place=0, name="Three steps", ids=())
    assert recipe.id == "three-steps"
    other = add(studio, levels, key, "moth-one:turn")
    project = do(studio, key, recipes.apply(levels, document(studio, key), other, recipe))
    (after,) = levels.curves(project, [d.target for d in project.mapping(other.id).drives])
    share = [(curve.values - curve.values.min()) / np.ptp(curve.values) for curve in (before, after)]
    assert np.mean(np.abs(share[0] - share[1]) > 0.01) < 0.01


def test_a_recipe_is_found_in_the_project_the_library_or_among_those_of_the_start(studio, key):
    own, shared = (Recipe(id=name, name=name.title()) for name in ("own", "shared"))
    do(studio, key, PutRecipes(recipes=(own,)))
    studio.library.put(shared)
    studio.library.put(shared.model_copy(update={"name": "Shared by all"}))
    project = document(studio, key)
    assert recipes.find(studio, project, "own") == own
    assert recipes.find(studio, project, "shared").name == "Shared by all"
    assert recipes.find(studio, project, "tide") == by_id("tide")
    studio.library.remove("shared")
    with pytest.raises(UnknownName, match="no recipe named shared"):
        recipes.find(studio, project, "shared")


def test_a_linked_copy_is_one_mapping_and_a_separate_one_its_own(studio, levels, key):
    mapping = add(studio, levels, key, "cloche-1:scale_y")
    targets = [Target.parse(f"cloche-{n}:scale_y") for n in (2, 3)]
    linked = do(studio, key, recipes.copy_to(document(studio, key), mapping, targets, like=0, linked=True))
    assert len(linked.mappings) == 1 and len(linked.mappings[0].drives) == 3
    assert {drive.full for drive in linked.mappings[0].drives} == {mapping.drives[0].full}
    fours = [Target.parse("cloche-4:scale_y"), Target.parse("cloche-4:scale_y")]
    apart = recipes.copy_to(linked, linked.mappings[0], fours, like=0, linked=False)
    assert apart.label(linked) == "Copy Cloche 1 height to the height of Cloche 4"
    project = do(studio, key, apart)
    assert [len(item.drives) for item in project.mappings] == [3, 1]
    assert project.mappings[1].marks == mapping.marks and project.mappings[1].name == "Cloche 4 height"


def test_copies_replace_and_never_pile_up(studio, levels, key):
    mapping = add(studio, levels, key, "cloche-1:scale_y")
    add(studio, levels, key, "cloche-2:scale_y")
    target = [Target.parse("cloche-2:scale_y")]
    for linked in (True, False, True):
        current = document(studio, key)
        project = do(studio, key, recipes.copy_to(current, current.mapping(mapping.id), target, like=0, linked=linked))
        movers = [item for item in project.mappings for drive in item.drives if drive.target == target[0]]
        assert len(movers) == 1
        assert len(project.mappings) == (1 if linked else 2)  # one that has nothing left to move goes


def test_a_copy_in_another_unit_gets_ends_of_its_own(studio, levels, key):
    mapping = add(studio, levels, key, "lamp:turn")
    target = Target.parse("lamp-glow:opacity")
    project = do(studio, key, recipes.copy_to(document(studio, key), mapping, [target], like=0, linked=True))
    part, item = project.scene.resolve(target)
    drive = project.mappings[0].drives[1]
    assert (drive.rest, drive.full) == item.suggest_ends(part.own("opacity"))


def test_a_copy_to_nothing_or_to_itself_is_refused(studio, levels, key):
    mapping = add(studio, levels, key, "lamp:turn")
    for wanted in ([], [Target.parse("lamp:turn")]):
        with pytest.raises(InvalidParameter, match="at least one that this does not move already"):
            recipes.copy_to(document(studio, key), mapping, wanted, like=0, linked=True)
    with pytest.raises(UnknownName):
        recipes.copy_to(document(studio, key), mapping, [Target.parse("none:turn")], like=0, linked=True)


def test_why_tells_of_the_stack_of_limits_and_of_being_muted(studio, levels, key):
    one = add(studio, levels, key, "lamp:turn")
    two = add(studio, levels, key, "lamp:turn")
    added = two.model_copy(update={"drives": (two.drives[0].model_copy(update={"stacking": Stacking.ADD}),)})
    do(studio, key, PutMapping(mapping=added))
    target = Target.parse("lamp:turn")
    project = do(studio, key, PutLimit(limit=Limit(target=target, high=7.5)))
    frame = 8
    lines = {line.word: line for line in why.why(levels, project, project.mapping(two.id), place=0, frame=frame)}
    (curve,) = levels.curves(project, [d.target for d in project.mapping(two.id).drives])
    assert float(lines["In all"].number) == pytest.approx(curve.values[frame], rel=1e-5)
    assert lines["In all"].note == f"{one.name} (replace), {added.name} (add), limits"
    muted = do(studio, key, PutMapping(mapping=added.model_copy(update={"muted": True})))
    words = [line.word for line in why.why(levels, muted, muted.mapping(two.id), place=0, frame=frame)]
    assert words[-1] == "Muted" and "In all" not in words


def test_traces_and_the_sum_of_a_stack_are_what_the_bake_goes_through(studio, levels, key):
    mapping = add(studio, levels, key, "lamp:turn")
    shaped = mapping.model_copy(update={"steps": (StepChoice.parse("flip"), StepChoice.parse("exponent"))})
    project = do(studio, key, PutMapping(mapping=shaped))
    found = why.step_traces(levels, project, shaped)
    assert found.shape == (3, project.n_frames)
    np.testing.assert_array_equal(found[-1], levels.lift(project, shaped))
    (curve,) = levels.curves(project, [d.target for d in shaped.drives])
    made = {curve.target: curve}
    assert why.sum_lift(shaped, made, stacks=levels.graph(project).drivers) is None  # alone
    over = add(studio, levels, key, "lamp:turn")
    project = document(studio, key)
    (curve,) = levels.curves(project, [d.target for d in over.drives])
    total = why.sum_lift(shaped, {curve.target: curve}, stacks=levels.graph(project).drivers)
    drive = shaped.drives[0]
    np.testing.assert_allclose(drive.rest + total * (drive.full - drive.rest), curve.values)


def crowded(project):
    """The project with 200 mappings of 40 tracks, each track with an envelope."""
    (track,), (envelope,) = project.tracks, project.envelopes
    tracks = (track, *(track.model_copy(update={"id": f"t{n}", "name": f"T{n}"}) for n in range(39)))
    envelopes = tuple(
        envelope.model_copy(
            update={
                "id": f"e-{one.id}",
                "track": one.id,
                "clean_up": (CleanUpChoice.parse(f"smooth width_ms={50 + n}"),),
            }
        )
        for n, one in enumerate(tracks)
    )
    targets = [
        Target(part=part.id, property=item.id)
        for part in project.scene.parts
        for item in part.properties
        if item.kind == "number"
    ][:200]
    mappings = tuple(
        Mapping(
            id=f"m{n}",
            name=f"M{n}",
            envelope=envelopes[n % 40].id,
            marks=Marks(low=0.02, high=0.3 + n / 1000),
            drives=(Drive(target=target, rest=0.0, full=1.0),),
        )
        for n, target in enumerate(targets)
    )
    return project.but(tracks=tracks, envelopes=envelopes, mappings=mappings)


def test_a_change_recomputes_only_what_depends_on_it_among_200_mappings_of_40_tracks(studio, levels, key):
    project = crowded(document(studio, key))
    assert (len(project.mappings), len(project.tracks)) == (200, 40)
    levels.curves(project)
    before = Counter({Kind.READING: 1, Kind.LEVEL: 40, Kind.LIFT: 200, Kind.CURVE: 200})  # the tracks are of one file
    assert levels.worked == before
    levels.curves(project)
    assert levels.worked == before
    mapping = project.mappings[17]
    stairs = mapping.model_copy(update={"steps": (StepChoice.parse("stairs"),)})
    after = PutMapping(mapping=stairs).apply(project)
    found = edits.changes(levels, project, after)
    assert found.mappings == (stairs,) and found.targets == {mapping.drives[0].target}
    levels.curves(after)
    before += Counter({Kind.LIFT: 1, Kind.CURVE: 1})  # 199 others and every level are remembered
    assert levels.worked == before
    ends = mapping.model_copy(update={"drives": (mapping.drives[0].model_copy(update={"full": 0.5}),)})
    levels.curves(PutMapping(mapping=ends).apply(project))
    before += Counter({Kind.CURVE: 1})  # ends are no part of a lift
    assert levels.worked == before
    cleaned = project.envelopes[3].model_copy(update={"clean_up": (CleanUpChoice.parse("smooth width_ms=190"),)})
    later = PutEnvelope(envelope=cleaned).apply(project)
    assert [item.id for item in edits.changes(levels, project, later).mappings] == [f"m{n}" for n in range(3, 200, 40)]
    levels.curves(later)
    before += Counter({Kind.LEVEL: 1, Kind.LIFT: 5, Kind.CURVE: 5})  # of the five mappings that follow it
    assert levels.worked == before


def test_keeping_versions_makes_no_curve_stale_and_showing_one_does(studio, levels, key):
    mapping = add(studio, levels, key, "lamp:turn")
    baking.bake_all(studio, levels, key, document(studio, key))
    do(studio, key, KeepVersion(id=mapping.id))
    assert baking.stale_count(studio, levels, key, document(studio, key)) == 0
    flipped = document(studio, key).mapping(mapping.id).model_copy(update={"steps": (StepChoice.parse("flip"),)})
    do(studio, key, PutMapping(mapping=flipped))
    assert baking.stale_count(studio, levels, key, document(studio, key)) == 1
    do(studio, key, ShowVersion(id=mapping.id, name="A"))
    assert baking.stale_count(studio, levels, key, document(studio, key)) == 0


def test_no_more_is_remembered_than_there_is_room_for(studio, levels, key):
    mapping = add(studio, levels, key, "lamp:turn")
    project = document(studio, key)
    one = levels.lift(project, mapping).nbytes
    levels = Levels(analysis.StudioSources(studio), most_bytes=3 * one)
    steps = [StepChoice.parse(f"stairs levels={n}") for n in range(2, 12)]
    for step in steps:
        levels.lift(project, mapping.model_copy(update={"steps": (step,)}))
    before = levels.worked.total()
    levels.lift(project, mapping.model_copy(update={"steps": steps[-1:]}))
    assert levels.worked.total() == before  # the last one is still there
    levels.lift(project, mapping.model_copy(update={"steps": steps[:1]}))
    assert levels.worked.total() > before


def test_every_id_at_hand_means_one_recipe(studio, levels, key):
    mapping = add(studio, levels, key, "lamp:turn")
    studio.library.put(Recipe(id="lamp", name="Lamp"))
    project = document(studio, key)
    ids = [recipe.id for recipe in recipes.known(studio, project)]
    assert recipes.write_down(levels, project, mapping, place=0, name="Lamp", ids=ids).id == "lamp-2"
    wanted = (Recipe(id="lamp", name="Another"), Recipe(id="tide", name="Ebb"), Recipe(id="new", name="New"))
    project = do(studio, key, recipes.brought(studio, project, wanted))
    assert [recipe.id for recipe in project.recipes] == ["lamp-2", "tide-2", "new"]
    assert recipes.find(studio, project, "tide").name == "Tide" and recipes.find(studio, project, "lamp").name == "Lamp"
    again = do(studio, key, recipes.brought(studio, project, (Recipe(id="new", name="Newer"),)))
    assert [recipe.name for recipe in again.recipes] == ["Another", "Ebb", "Newer"]


def test_what_goes_by_markers_changes_with_them_and_nothing_else_does(studio, levels, key):
    still, driven = (add(studio, levels, key, name) for name in ("lamp:turn", "moth-one:turn"))
    step = StepChoice.parse("build_up starts_over=yes hits=markers")
    before = do(studio, key, PutMapping(mapping=driven.but(steps=(step,))))
    after = PutMarker(marker=Marker(id="m", name="M", time_s=1.0)).apply(before)
    assert [item.id for item in edits.changes(levels, before, after).mappings] == [driven.id] != [still.id]
    assert levels.lift(before, before.mapping(driven.id))[31] > levels.lift(after, after.mapping(driven.id))[31]


def test_a_colour_that_is_aimed_at_a_number_leaves_its_colours_behind(studio, levels, key):
    mapping = add(studio, levels, key, "title:fill")
    stops = mapping.drives[0].but(stops=(Stop(at=0.5, colour="#ff0000"),))
    project = do(studio, key, PutMapping(mapping=mapping.but(drives=(stops,))))
    kept = aiming.aim(project, project.mappings[0], place=0, target=Target.parse("title:stroke"))
    assert kept.drives[0].stops == stops.stops  # another colour takes them
    aimed = aiming.aim(project, project.mappings[0], place=0, target=Target.parse("title:opacity"))
    assert aimed.drives[0].stops == ()
    saved = do(studio, key, PutMapping(mapping=aimed))
    assert read_project(saved.model_dump_json()) == saved


def test_why_has_nothing_to_say_where_there_are_no_frames(levels):
    points = {"id": "e", "name": "E", "reading": {"id": "curve"}}
    drive = Drive(target=Target.parse("lamp:turn"), rest=0.0, full=1.0)
    mapping = Mapping(id="m", name="M", envelope="e", marks=Marks(low=0.1, high=0.9), drives=(drive,))
    project = Project(name="P", envelopes=(Envelope.model_validate(points),), mappings=(mapping,), scene=glasshouse())
    assert project.n_frames == 0
    assert why.why(levels, project, mapping, place=0, frame=5) == []
    assert why.step_traces(levels, project, mapping).shape == (1, 0)
