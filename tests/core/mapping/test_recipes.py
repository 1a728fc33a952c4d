"""Recipes: written down, applied, as files, and the promises of those that everybody has."""

import json

import numpy as np
import pytest

from fern_tide.core.base.errors import FernTideError
from fern_tide.core.base.frame_rate import FrameRate
from fern_tide.core.base.target import Target
from fern_tide.core.base.units import to_db
from fern_tide.core.envelope.envelope import CleanUpChoice, clean
from fern_tide.core.mapping.drive import Drive, ResponseChoice, value
from fern_tide.core.mapping.mapping import Mapping, StepChoice, shaped_lift
from fern_tide.core.mapping.marks import Marks, Scale
from fern_tide.core.mapping.recipe import MOST_BYTES, Recipe, read_recipes, recipe_of, write_recipes
from fern_tide.core.mapping.starting_recipes import STARTING
from fern_tide.core.mapping.step import StepContext

DRIVE = Drive(target=Target(part="lamp", property="turn"), rest=2.0, full=12.0)
MAPPING = Mapping(id="m", name="M", envelope="e", marks=Marks(low=0.02, high=0.4), drives=(DRIVE,))
SUGGESTED = Marks(low=0.05, high=0.5)
recipes = pytest.mark.parametrize("recipe", STARTING, ids=[recipe.id for recipe in STARTING])


def level(fps, seconds=6.0):
    """Silence for a second, two rings and a swell that ends in silence."""
    t = np.arange(round(fps * seconds)) / fps
    rings = sum(np.where(t >= at, 0.8 * np.exp(-(t - at) / 0.3), 0.0) for at in (1.0, 2.0))
    swell = np.where((t > 3.2) & (t < 4.4), 0.6 * np.sin((t - 3.2) * np.pi / 1.2) ** 2, 0.0)
    return np.where(rings > 0.02, rings, 0.0) + swell


def moved(recipe, fps, x):
    rate = FrameRate.parse(str(fps))
    mapping = recipe.applied(MAPPING, suggested=SUGGESTED)
    context = StepContext(rate=rate, marker_frames=np.array([round(4.5 * fps)]))
    lift = shaped_lift(clean(x, recipe.clean_up, rate=rate), mapping, context=context)
    return value(lift, drive=mapping.drives[0])


@recipes
def test_a_starting_recipe_says_what_it_looks_like_and_rests_in_silence(recipe):
    assert recipe.help.endswith(".") and recipe.name[0].isupper() and recipe.id == recipe.name.lower().replace(" ", "-")
    out = moved(recipe, 30, np.zeros(90))
    assert (out == 2.0).all()


@recipes
def test_a_starting_recipe_moves_is_finite_and_the_same_twice(recipe):
    x = level(30)
    x.setflags(write=False)
    out = moved(recipe, 30, x)
    assert out.shape == x.shape and np.isfinite(out).all()
    assert np.ptp(out) > 1.0
    assert (out[:12] == 2.0).all()  # nothing moves long before the sound does
    assert out.tobytes() == moved(recipe, 30, x).tobytes()


@recipes
def test_a_starting_recipe_moves_alike_at_24_and_48_frames_a_second(recipe):
    slow, fast = moved(recipe, 24, level(24)), moved(recipe, 48, level(48))[::2]
    apart = np.abs(slow - fast) / 10.0
    # hits and latches fall into a frame or the next, where they differ by all there is; the rest follows closely
    assert np.median(apart) < 0.02
    assert np.mean(apart > 0.15) < 0.12


def test_there_are_a_dozen_or_more_and_no_two_have_one_id():
    assert len({recipe.id for recipe in STARTING}) == len(STARTING) >= 12


def test_a_mapping_that_is_written_down_and_applied_to_its_own_level_is_the_same():
    mapping = MAPPING.model_copy(update={"steps": (StepChoice.parse("stairs levels=3"),)})
    recipe = recipe_of(mapping, DRIVE, clean_up=(), suggested=SUGGESTED, name="Steps", id="steps")
    for given, own, suggested in (
        (recipe.low_db, mapping.marks.low, SUGGESTED.low),
        (recipe.high_db, mapping.marks.high, SUGGESTED.high),
    ):
        assert given == round(given, 2) == pytest.approx(to_db(own) - to_db(suggested), abs=0.005), "in hundredths"
    back = recipe.applied(mapping, suggested=SUGGESTED)
    assert back.steps == mapping.steps and back.drives == mapping.drives
    assert to_db(back.marks.low) == pytest.approx(to_db(mapping.marks.low), abs=0.006)
    assert to_db(back.marks.high) == pytest.approx(to_db(mapping.marks.high), abs=0.006)


def test_on_another_level_the_marks_lie_as_far_from_what_is_suggested_there():
    recipe = Recipe(id="r", name="R", low_db=6.0, high_db=-3.0, scale=Scale.DB, spill=True)
    marks = recipe.marks(Marks(low=0.1, high=0.8))
    assert to_db(marks.low) == pytest.approx(-20 + 6) and to_db(marks.high) == pytest.approx(to_db(0.8) - 3)
    assert marks.scale is Scale.DB and marks.spill
    crossed = Recipe(id="r", name="R", low_db=100.0, high_db=-100.0).marks(Marks(low=0.1, high=0.8))
    assert 0 < crossed.low < crossed.high <= 16


def test_a_recipe_leaves_what_is_moved_and_between_which_ends():
    recipe = Recipe(id="r", name="R", response=ResponseChoice.parse("smooth"))
    other = DRIVE.model_copy(update={"target": Target(part="b", property="x"), "late_frames": 3.0})
    both = MAPPING.model_copy(update={"drives": (DRIVE, other)})
    applied = recipe.applied(both, suggested=SUGGESTED)
    assert [drive.target for drive in applied.drives] == [drive.target for drive in both.drives]
    assert {drive.response.id for drive in applied.drives} == {"smooth"}
    assert applied.drives[1].late_frames == 3.0 and applied.name == "M"


def test_recipes_go_into_a_file_and_come_back():
    own = Recipe(id="o", name="Ö", clean_up=(CleanUpChoice.parse("smooth width_ms=80"),), low_db=-1.25)
    text = write_recipes((*STARTING, own))
    assert read_recipes(text.encode()) == (*STARTING, own)
    assert "Ö" in text  # readable


HEAD = b'{"format": "fern-tide-recipes", "version": 1'


@pytest.mark.parametrize(
    ("content", "words"),
    [
        (b"", "no file of recipes"),
        (b"\xff\xfe", "no file of recipes"),
        (b"[" * 100_000, "no file of recipes"),
        (b'{"format": "other"}', "no file of recipes"),
        (b" " * (MOST_BYTES + 1), "no file of recipes"),
        (b'{"format": "fern-tide-recipes", "version": 9, "recipes": []}', "newer Fern Tide"),
        (b'{"format": "fern-tide-recipes", "version": "1", "recipes": []}', "newer Fern Tide"),
        (HEAD + b"}", "recipes cannot be read"),
        (HEAD + b', "recipes": [{"id": "a", "name": ""}]}', "Name is"),
        (
            HEAD + b', "recipes": [{"id": "a", "name": "A", "steps": [{"id": "x"}]}]}',
            "no step named x",
        ),
        (
            HEAD + b', "recipes": [{"id": "a", "name": "A", "low_db": NaN}]}',
            "Low is",
        ),
    ],
)
def test_a_wrong_file_of_recipes_is_refused_with_words(content, words):
    with pytest.raises(FernTideError, match=words):
        read_recipes(content)


def test_a_recipe_with_a_step_of_bad_params_is_refused():
    plain = json.loads(write_recipes(STARTING[:1]))
    plain["recipes"][0]["steps"] = [{"id": "stairs", "params": {"levels": 1}}]
    with pytest.raises(FernTideError, match="levels"):
        read_recipes(json.dumps(plain).encode())
