"""What depends on what: a fingerprint differs where the numbers do, and an edit works out only what lies below it."""

import gc
import sys
import weakref
from collections import Counter

import numpy as np
import pytest
from tests.core.derivation.documents import (
    POINTS,
    SONG,
    SOUNDS,
    Remembered,
    document,
    drive,
    envelope,
    mapping,
    track,
    value,
)
from tests.specs import other_values

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.params import fields
from fern_tide.core.base.target import Target
from fern_tide.core.derivation.graph import Graph
from fern_tide.core.derivation.node import Kind, below
from fern_tide.core.document import Marker, Project
from fern_tide.core.envelope.beat_grid import BeatSetting
from fern_tide.core.envelope.envelope import CLEAN_UPS, READINGS, CleanUpChoice, Envelope, ReadingChoice
from fern_tide.core.mapping.drive import RESPONSES, Drive, ResponseChoice, Stacking
from fern_tide.core.mapping.mapping import STEPS, StepChoice
from fern_tide.core.mapping.marks import Marks
from fern_tide.core.scene.follow import Follow, Limit
from fern_tide.demo.project import demo_project

TURN, RISE, MOTH = (Target.parse(name) for name in ("lamp:turn", "lamp:y", "moth-one:turn"))


def first(project: Project, **changes) -> Project:
    return project.but(mappings=(project.mappings[0].but(**changes), *project.mappings[1:]))


def on_top(project: Project, **changes) -> Project:
    *rest, top = project.mappings
    return project.but(mappings=(*rest, top.but(drives=(top.drives[0].but(**changes),))))


def heard(project: Project, **changes) -> Project:
    return project.but(tracks=(project.tracks[0].but(**changes), *project.tracks[1:]))


def scene(project: Project, **changes) -> Project:
    return project.but(scene=project.scene.but(**changes))


STEPPED = document(
    mappings=(
        mapping("sway", "loud", drive("lamp:turn", -8.0, 12.0), steps=(StepChoice.parse("wobble"),)),
        mapping("builds", "low", drive("lamp:y"), steps=(StepChoice.parse("build_up starts_over=yes hits=markers"),)),
        mapping(
            "glow", "both", drive("moth-one:turn"), steps=(StepChoice.parse("build_up starts_over=yes hits=track"),)
        ),
    )
)
FOLLOWING = scene(document(), follows=(Follow(target=Target.parse("moth-two:turn"), source=TURN, factor=2.0),))
EDITS = {
    "marks": lambda p: first(p, marks=Marks(low=0.05, high=0.3)),
    "a step": lambda p: first(p, steps=(StepChoice.parse("flip"),)),
    "muted": lambda p: first(p, muted=True),
    "full": lambda p: first(p, drives=(p.mappings[0].drives[0].but(full=3.0),)),
    "share": lambda p: first(p, drives=(p.mappings[0].drives[0].but(share=0.5),)),
    "late": lambda p: first(p, drives=(p.mappings[0].drives[0].but(late_frames=2.5),)),
    "another envelope": lambda p: first(p, envelope="low"),
    "response": lambda p: first(
        p, drives=(p.mappings[0].drives[0].but(response=ResponseChoice.parse("exponent power=3")),)
    ),
    "replaces": lambda p: on_top(p, stacking=Stacking.REPLACE),
    "order": lambda p: p.but(mappings=p.mappings[::-1]),
    "offset": lambda p: heard(p, offset_samples=400),
    "silence": lambda p: heard(p, drives=False),
    "another file": lambda p: heard(p, media=SOUNDS[1], info=p.tracks[1].info),
    "rate": lambda p: p.but(rate="24000/1001"),
    "length": lambda p: p.but(length_frames=50),
    "own value": lambda p: scene(p, parts=tuple(x.but(values={**x.values, "turn": 4.0}) for x in p.scene.parts)),
    "limit": lambda p: scene(p, limits=(Limit(target=TURN, low=-1.0, high=1.0),)),
    "follow": lambda p: scene(p, follows=(Follow(target=MOTH, source=TURN, factor=2.0),)),
    "markers": lambda p: p.but(markers=(Marker(id="one", name="One", time_s=0.4),)),
    "beats": lambda p: p.but(beat=BeatSetting(bpm=90.0)),
    "names": lambda p: first(p.but(name="Other"), name="Else"),
    "seed": lambda p: first(p, seed=7),
    "heard": lambda p: heard(p, gain_db=-6.0, heard=False, name="New name"),
    "off": lambda p: first(p, steps=(*p.mappings[0].steps, StepChoice.parse("flip").but(on=False))),
}


def moved(before: Project, after: Project) -> tuple[set[Target], set[Target]]:
    """List the properties whose fingerprints differ, and those whose values do."""
    nodes = [Graph(project).curves for project in (before, after)]
    gone = nodes[0].keys() ^ nodes[1].keys()
    both = nodes[0].keys() & nodes[1].keys()
    prints = {target for target in both if nodes[0][target].fingerprint != nodes[1][target].fingerprint}
    values = {target for target in both if not np.array_equal(*(value(side[target]) for side in nodes))}
    return prints | gone, values | gone


@pytest.mark.parametrize("before", [document(), STEPPED, FOLLOWING], ids=["plain", "stepped", "following"])
@pytest.mark.parametrize("edit", EDITS.values(), ids=EDITS)
def test_fingerprints_differ_exactly_where_curves_differ(before, edit):
    prints, values = moved(before, edit(before))
    assert prints == values


SPECS = [(registry, spec) for registry in (READINGS, CLEAN_UPS, STEPS, RESPONSES) for spec in registry.values()]


def using(registry, spec_id: str, params: dict) -> Project:
    """Give a document in which a spec has a part in the first curve."""
    choice = {"id": spec_id, "params": params}
    plain = document()
    if registry is READINGS:
        of_track = READINGS[spec_id].of_track
        made = Envelope(
            id="e", name="E", track="drums" if of_track else None, reading=ReadingChoice.model_validate(choice)
        )
        return first(plain.but(envelopes=(*plain.envelopes, made)), envelope="e")
    if registry is CLEAN_UPS:
        loud = plain.envelopes[0].but(clean_up=(CleanUpChoice.model_validate(choice),))
        return plain.but(envelopes=(loud, *plain.envelopes[1:]))
    if registry is STEPS:
        return first(plain, steps=(StepChoice.model_validate(choice),))
    return first(plain, drives=(plain.mappings[0].drives[0].but(response=ResponseChoice.model_validate(choice)),))


@pytest.mark.parametrize(("registry", "spec"), SPECS, ids=[f"{r.kind} {s.id}" for r, s in SPECS])
def test_every_param_of_every_spec_is_in_the_fingerprint(registry, spec):
    plain = Graph(using(registry, spec.id, {})).curves[TURN].fingerprint
    for field in fields(spec.params):
        found = set()
        for other in other_values(field, file=POINTS, song=SONG):
            try:
                found.add(Graph(using(registry, spec.id, {field.name: other})).curves[TURN].fingerprint)
            except InvalidParameter:
                continue  # it does not go with the other defaults
        assert found and plain not in found, field.name


BANKED = document(
    envelopes=(envelope("loud", "bank bands=4 low_hz=60 high_hz=4000"), *document().envelopes[1:2]),
    mappings=(mapping("sway", "loud", drive("lamp:turn"), drive("lamp:y"), drive("moth-one:turn"), spread=True),),
)
BANK_EDITS = {
    "not spread": lambda p: first(p, spread=False),
    "a row": lambda p: first(first(p, spread=False), row=2),
    "fewer places": lambda p: first(p, drives=p.mappings[0].drives[:2]),
    "other places": lambda p: first(p, drives=p.mappings[0].drives[::-1]),
    "one level": lambda p: p.but(envelopes=(envelope("loud", "amplitude"), *p.envelopes[1:])),
}
ALL_EDITS = [*((document(), edit) for edit in EDITS.values()), *((BANKED, edit) for edit in BANK_EDITS.values())]


@pytest.mark.parametrize(("before", "edit"), ALL_EDITS, ids=[*EDITS, *BANK_EDITS])
def test_the_work_after_an_edit_is_what_lies_below_it_and_gives_what_nothing_remembered_gives(before, edit):
    after, memory = edit(before), Remembered()
    was = Graph(before)
    for node in was.curves.values():
        value(node, memory=memory)
    known, memory.worked = {node.fingerprint for node in below(was.curves.values())}, Counter()
    now = Graph(after, like=was)
    for target, node in now.curves.items():
        np.testing.assert_array_equal(value(node, memory=memory), value(Graph(after).curves[target]))
    kinds = {Kind.READING, Kind.LEVEL, Kind.LIFT, Kind.CURVE}
    new = {node.fingerprint: node for node in below(now.curves.values()) if node.kind in kinds}
    assert memory.worked.total() == len(new.keys() - known)
    assert {node.fingerprint for node in Graph(after).curves.values()} == {n.fingerprint for n in now.curves.values()}


@pytest.mark.parametrize("name", BANK_EDITS)
def test_rows_of_a_bank_are_in_the_fingerprint(name):
    prints, values = moved(BANKED, BANK_EDITS[name](BANKED))
    assert values and values <= prints
    if name != "not spread":  # where the first row is alike, but the lift that it is a row of is another
        assert prints == values


def test_a_graph_takes_over_the_very_nodes_that_an_edit_left_alone():
    before = document()
    was, after = Graph(before), first(before, marks=Marks(low=0.05, high=0.3))
    old, new = was.curves, Graph(after, like=was).curves
    assert new[RISE] is old[RISE] and new[MOTH] is old[MOTH] and new[TURN] is not old[TURN]
    (level,) = [node for node in below([new[TURN]]) if node.kind is Kind.LEVEL and node.id == "loud"]
    assert level is Graph(after, like=was).level(after.envelopes[0]) is was.level(before.envelopes[0])
    renamed = before.but(envelopes=(before.envelopes[0].but(name="New"), *before.envelopes[1:]))
    assert Graph(renamed, like=was).level(renamed.envelopes[0]).name == "New"


def test_graphs_do_not_hold_all_graphs_before_them():
    first_of_all = graph = Graph(document())
    gone = []
    for n in range(6):
        graph = Graph(first(graph.project, marks=Marks(low=0.01 * n + 0.01, high=0.3)), like=graph)
        graph.level(graph.project.envelopes[0])  # as while an envelope is dragged: no curve is asked for
        gone.append(weakref.ref(graph))
    del first_of_all
    gc.collect()
    assert [item() is None for item in gone] == [True] * 5 + [False]
    assert len(graph.curves) == 3


def test_what_a_driver_that_replaces_hides_is_not_worked_out():
    plain = document()
    hidden = on_top(plain, stacking=Stacking.REPLACE)
    (lift,) = Graph(hidden).curves[TURN].inputs
    assert lift.id == "over"
    assert moved(hidden, first(hidden, marks=Marks(low=0.2, high=0.4))) == (set(), set())


def test_long_chains_and_many_ways_are_linear():
    parts = [part.id for part in document().scene.parts if part.has("turn")]
    chain = [f"{part}:{name}" for part in parts for name in ("turn", "x", "y")]
    follows = tuple(
        Follow(target=Target.parse(a), source=Target.parse(b)) for a, b in zip(chain[1:], chain, strict=False)
    )
    project = scene(document(mappings=(mapping("sway", "loud", drive(chain[0])),)), follows=follows)
    curves = Graph(project).curves
    assert len([node for node in below(curves.values()) if node.kind is Kind.CURVE]) == len(chain)
    blends = [envelope("e0")]
    for n in range(1, 60):
        blends.append(envelope(f"e{n}", f"blend first=e{n - 1} second=e{max(0, n - 2)} third=e{n - 1}", of=None))
    deep = document(envelopes=tuple(blends), mappings=(mapping("m", "e59", drive("lamp:turn")),))
    nodes = below([Graph(deep).curves[TURN]])
    assert len([node for node in nodes if node.kind is Kind.LEVEL]) == 60
    assert value(nodes[-1]).shape == (deep.n_frames,)
    assert [item.id for item in deep.made_of(deep.envelope("e3"))] == ["e3", "e2", "e1", "e0"]


def test_a_loop_is_refused_with_the_names_in_it():
    blends = (envelope("a", "blend first=b", of=None), envelope("b", "blend first=c", of=None))
    with pytest.raises(InvalidParameter, match=r"B of C of B|C of B of C|A of B of C of A"):
        document(envelopes=(*blends, envelope("c", "blend first=b", of=None)), mappings=())
    plain = document()
    both = (Follow(target=TURN, source=MOTH), Follow(target=MOTH, source=TURN))
    with pytest.raises(InvalidParameter, match="follows it"):
        scene(plain, follows=both)


def test_features_are_those_of_all_envelopes_and_of_the_steps_that_go_by_hits():
    graph = Graph(STEPPED)
    kinds = [{item.kind for item in graph.features(one)} for one in STEPPED.tracks]
    assert kinds == [{"levels", "rises", "attacks"}, {"spectrum"}]
    assert Graph(document(mappings=())).features(track("drums"))[0].kind == "levels"


def test_drives_may_be_many():
    drives = tuple(Drive(target=Target.parse(f"moth-one:{name}"), rest=0.0, full=1.0) for name in ("x", "y"))
    bank = envelope("bank", "bank bands=4 low_hz=60 high_hz=4000")
    spread = mapping("m", "bank", *drives, spread=True)
    project = document(envelopes=(bank,), mappings=(spread,))
    one, two = (value(node) for node in Graph(project).curves.values())
    assert not np.array_equal(one, two)
    assert moved(project, first(project, row=2)) == (set(), set())


def test_features_of_blends_of_blends_take_work_by_their_number_alone():
    def calls(deep):
        demo = demo_project()
        first = demo.envelopes[0].but(id="b0", name="B0")
        blends = [
            Envelope(id=f"b{n}", name=f"B{n}", reading=ReadingChoice.parse(f"blend first=b{n - 1} second=b{n - 1}"))
            for n in range(1, deep)
        ]
        graph, counted = Graph(demo.but(envelopes=(*demo.envelopes, first, *blends))), [0]
        sys.setprofile(lambda frame, event, arg: counted.__setitem__(0, counted[0] + 1))
        try:
            graph.features(demo.tracks[0])
        finally:
            sys.setprofile(None)
        return counted[0]

    few, many = calls(60), calls(480)
    assert many < 10 * few  # it was fifty times as much
