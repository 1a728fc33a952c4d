"""A ground of one colour under the whole stage is no thing that breathes: nobody would see it."""

import hashlib

import pytest
from tests.core.first_cut.songs import songs, studio_of

from fern_tide.core.base.target import Target
from fern_tide.core.first_cut.first_cut import RULES, suggest
from fern_tide.core.first_cut.listening import listen
from fern_tide.core.first_cut.scene import look
from fern_tide.core.scene.media import load
from fern_tide.core.scene.svg.bounds import is_rectangle
from fern_tide.workflows.bring_in.scene_files import look_at, scene_of
from fern_tide.workflows.derive.stages import Staged
from fern_tide.workflows.tune.first_cut import first_cut, ground_of

SONGS = songs()
PLACES = ("x", "y", "turn", "scale_x", "scale_y")
LEAF = '<path id="leaf" d="M60 90Q100 20 140 90Q100 110 60 90z" fill="#5f8f50"/>'
CIRCLE = '<clipPath id="c"><circle cx="100" cy="50" r="40"/></clipPath>'
GROUNDS = {
    "rectangle": '<rect id="ground" width="200" height="100" fill="#f4efe2"/>',
    "path": '<path id="ground" d="M0 0H200V100H0V0Z" fill="#f4efe2"/>',
    "polygon": '<polygon id="ground" points="0,0 200,0 200,100 0,100"/>',
    "larger": '<rect id="ground" x="-9" y="-9" width="300" height="200"/>',
    "in a group": '<g id="ground"><rect width="200" height="100" fill="#f4efe2"/></g>',
}
SEEN = {
    "round corners": '<rect id="ground" width="200" height="100" rx="20" fill="#f4efe2"/>',
    "a gradient": '<linearGradient id="g"/><rect id="ground" width="200" height="100" fill="url(#g)"/>',
    "smaller": '<rect id="ground" x="5" y="5" width="190" height="90"/>',
    "turned": '<rect id="ground" x="40" y="-60" width="200" height="200" transform="rotate(45)"/>',
    "cut by itself": CIRCLE + '<rect id="ground" width="200" height="100" clip-path="url(#c)"/>',
    "cut in a group": CIRCLE + '<g id="ground" mask="url(#c)"><rect width="200" height="100"/></g>',
    "an ellipse": '<ellipse id="ground" cx="100" cy="50" rx="100" ry="50"/>',
    "a group of two": f'<g id="ground"><rect width="200" height="100"/>{LEAF.replace("leaf", "bud")}</g>',
}


def staged_of(ground, rest=LEAF):
    svg = f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 200 100"><g id="all">{ground}{rest}</g></svg>'
    item = look_at({"poster.svg": svg.encode()})
    scene = scene_of(item, hashlib.sha256(item.content).hexdigest())
    return Staged(scene, load(scene, lambda digest: item.content))


@pytest.mark.parametrize("song", ["drums alone", "steady tone"])
@pytest.mark.parametrize("ground", GROUNDS.values(), ids=GROUNDS)
def test_it_stays_where_it_is_and_something_else_moves(ground, song):
    staged = staged_of(ground)
    assert staged.extents["ground"].hides_its_edges
    project, levels = studio_of(SONGS[song], staged.scene)
    taken = first_cut(levels, project, staged=staged, seed=1).apply(project)
    targets = {drive.target for mapping in taken.mappings for drive in mapping.drives}
    assert not targets & {Target(part="ground", property=name) for name in PLACES}
    assert any(target.part == "leaf" for target in targets)


@pytest.mark.parametrize("ground", SEEN.values(), ids=SEEN)
def test_what_is_seen_to_move_is_no_such_ground(ground):
    assert not staged_of(ground).extents["ground"].hides_its_edges


def test_upright_rectangles_of_every_writing():
    assert all(is_rectangle("path", {"d": d}) for d in ("M0 0h4v4H0z", "M 0,0 L 4 0 4 4 0 4 Z", "m1 1v3h3v-3z"))
    crooked = ("", "M0 0h4v4z", "M0 0C0 4 4 4 4 0z", "M0 0h4v4l-2 0l-2 0z", "M0 0h4v4H0zM1 1h1v1z", "M0 0h4v4H0z" * 40)
    for d in crooked:
        assert not is_rectangle("path", {"d": d}), d
    assert not is_rectangle("text", {}) and not is_rectangle("circle", {"r": "4"})


def test_others_have_its_place_among_the_largest():
    shapes = ("oak", "M20 10h90l-9 9z"), ("elm", "M60 40h60l-9 9z"), ("ash", "M90 70h30l-9 9z")
    panes = "".join(f'<path id="{name}" d="{d}" fill="#5f8f50"/>' for name, d in shapes)
    staged = staged_of(GROUNDS["rectangle"] + panes)
    project, levels = studio_of(SONGS["drums alone"], staged.scene)
    scene = look(staged.scene, extents=staged.extents)
    offers = RULES["largest_breathes"].offer(listen(project, levels, rows=scene.rows), scene)
    moved = [part.id for offer in offers for part in offer.thing.parts]
    assert len(moved) == 3 and "ground" not in moved


def test_it_is_not_suggested_that_it_goes_anywhere():
    staged = staged_of(GROUNDS["path"])
    project, levels = studio_of(SONGS["drums alone"], staged.scene)
    asked = ground_of(staged, only={"ground"})
    proposal = suggest(project, levels, ground=asked, envelope=None, most=9)
    assert not any(drive.target.property in PLACES for mapping in proposal.mappings for drive in mapping.drives)


LAMP = '<g id="lamp"><path id="cord" d="M99 0h2v20h-2z"/><path id="shade" d="M90 20h20l9 20h-38z"/></g>'
FRAMED = (
    f'<g id="clipped">{GROUNDS["path"]}<g id="frame-of-all">'
    f'<rect id="edge" x="0.05" y="0.05" width="199.9" height="99.9" fill="none" stroke="#222"/>{LAMP}{LEAF}</g></g>'
)


def test_groups_that_hold_the_whole_drawing_are_as_its_file_and_smaller_ones_are_things():
    """As drawing programs write a frame: a group that is clipped, a ground, a group of the frame, and in it what is."""
    staged = staged_of(FRAMED, rest="")
    things = look(staged.scene, extents=staged.extents).things
    names = {part.id for thing in things for part in thing.parts}
    assert {"lamp", "cord", "shade", "leaf", "ground"} <= names
    assert not names & {"poster", "all", "clipped", "frame-of-all"}


def test_a_group_that_is_all_there_is_but_small_is_a_thing():
    """A lamp of three pieces on a ground is a lamp, which may swing as one."""
    staged = staged_of(
        GROUNDS["rectangle"], rest=LAMP.replace("</g>", '<circle id="bulb" cx="100" cy="40" r="5"/></g>')
    )
    names = {part.id for thing in look(staged.scene, extents=staged.extents).things for part in thing.parts}
    assert "lamp" in names and "all" not in names
