"""Ten small stories from sound to motion, told through the pages' own routes, each ending in checked numbers."""

import numpy as np
import pytest
from tests.conftest import wav
from tests.web.test_pages import edit, status, unpack

from fern_tide.core.scene.scene import Scene
from fern_tide.demo.bench_scene import potting_bench
from fern_tide.demo.scene import glasshouse
from fern_tide.workflows.bring_in import sounds

RATE_HZ = 48_000
FPS = 30


def tones(*stretches):
    """A 200 Hz tone of given loudness (RMS) for given seconds, one stretch after another, over nothing at all."""
    rows = []
    for rms, seconds in stretches:
        n = round(seconds * RATE_HZ)
        rows.append(rms * np.sqrt(2) * np.sin(2 * np.pi * 200 * np.arange(n) / RATE_HZ))
    return np.concatenate(rows)


def kicks(n, *, every_s=0.5, first_s=0.25, seconds=None, noise=0.0):
    """Short loud tones, one every so often."""
    total = round((seconds or first_s + n * every_s) * RATE_HZ)
    out = np.random.default_rng(4).normal(size=total) * noise
    t = np.arange(round(0.12 * RATE_HZ)) / RATE_HZ
    hit = 0.8 * np.sin(2 * np.pi * 100 * t) * np.exp(-t / 0.04)
    for k in range(n):
        start = round((first_s + k * every_s) * RATE_HZ)
        out[start : start + hit.size] += hit
    return out


class Story:
    """A project of one sound and a scene, driven as the page drives it."""

    def __init__(self, browser, studio, sound, scene: Scene) -> None:
        self.client = browser
        content = wav(sound, rate_hz=RATE_HZ)
        self.key = sounds.start_project(studio, [content], file_name="Story.wav", scene=scene).key
        track = studio.projects.current(self.key).document.tracks[0]
        plain = {"id": "level", "name": "Level", "track": track.id, "reading": {"id": "amplitude"}}
        self.command({"kind": "put_envelope", "envelope": plain})
        self.studio = studio

    def command(self, command):
        answer = edit(self.client, self.key, command)
        assert answer.status_code == 200, answer.json
        return answer.json

    def post(self, path, **plain):
        base = status(self.client, self.key)["revision"]
        answer = self.client.post(f"/p/{self.key}/{path}", json={"base": base, **plain})
        assert answer.status_code == 200, answer.json
        return answer.json

    def drive(self, target, *, low=0.05, high=0.5, rest=None, full=None, steps=(), **more):
        """Add a mapping and tune it; gives its id."""
        made = self.post("mappings", target=target, envelope="level")["chosen"]["mapping"]
        mapping = self.mapping(made)
        drive = mapping["drives"][0]
        ends = {"rest": drive["rest"] if rest is None else rest, "full": drive["full"] if full is None else full}
        drives = [{**drive, **ends}]
        self.put({**mapping, "marks": {"low": low, "high": high}, "steps": list(steps), "drives": drives, **more})
        return made

    def mapping(self, mapping_id):
        project = self.studio.projects.current(self.key).document
        return project.mapping(mapping_id).model_dump(mode="json")

    def put(self, mapping):
        return self.command({"kind": "put_mapping", "mapping": mapping})

    def curves(self):
        head, arrays = unpack(self.client.get(f"/p/{self.key}/curves").data)
        return {target: arrays[found["values"]] for target, found in head["curves"].items()}, head, arrays


@pytest.fixture
def tell(client, studio):
    return lambda sound, scene=None: Story(client, studio, sound, scene or glasshouse())


def step(name, **params):
    return {"id": name, "params": params}


def test_drums_with_noise_below_them_move_and_the_noise_does_not(tell):
    story = tell(kicks(8, noise=0.004))
    made = story.post("mappings", target="lamp:turn", envelope="level")["chosen"]["mapping"]  # marks as suggested
    curves, head, _ = story.curves()
    turn, drive = curves["lamp:turn"], story.mapping(made)["drives"][0]
    starts = [round((0.25 + 0.5 * k) * FPS) for k in range(8)]
    between = np.ones(turn.size, dtype=bool)
    for start in starts:
        between[start - 1 : start + 5] = False
        assert turn[start - 1 : start + 3].max() > 0.8 * drive["full"]
    assert between.sum() > 60 and (turn[between] == np.float32(drive["rest"])).all()
    assert head["lanes"][made]["hits"] == 8
    assert -46 < head["lanes"][made]["low_shown"] < -20


def test_a_title_grows_but_never_shrinks_below_its_size(tell):
    story = tell(kicks(6))
    wild = [step("spring", frequency_hz=4.0, damping=0.1)]
    story.drive("title:scale_y", rest=1.0, full=1.5, steps=wild)
    assert story.curves()[0]["title:scale_y"].min() < 0.95  # a weight on a spring falls below where it hung
    story.command({"kind": "put_limit", "limit": {"target": {"part": "title", "property": "scale_y"}, "low": 1.0}})
    held = story.curves()[0]["title:scale_y"]
    assert held.min() == 1.0 and held.max() > 1.3


def test_taller_is_thinner_and_the_area_stays_at_both_ends(tell):
    story = tell(tones((0.0, 1), (0.5, 1), (0.0, 1)))
    made = story.drive("cloche-3:scale_y", high=0.4, rest=1.0, full=1.6)
    story.post(f"mappings/{made}/axes", place=0, inverted=True)
    curves = story.curves()[0]
    tall, wide = curves["cloche-3:scale_y"], curves["cloche-3:scale_x"]
    assert tall[5] == wide[5] == 1.0
    assert tall[45] == np.float32(1.6) and wide[45] == np.float32(1 / 1.6)
    assert tall[45] * wide[45] == pytest.approx(1.0, abs=1e-6)


def test_a_lamp_sways_both_ways_only_while_sound_plays(tell):
    story = tell(tones((0.0, 1), (0.5, 4), (0.0, 1)))
    story.drive("lamp:turn", rest=0.0, full=12.0, steps=[step("sway", period=1.0, counted_in="seconds")])
    turn = story.curves()[0]["lamp:turn"]
    assert (turn[:29] == 0).all() and (turn[151:] == 0).all()
    assert turn.max() > 11 and turn.min() < -11
    inside = turn[30:150]
    crossings = np.count_nonzero((inside[1:] > 0) != (inside[:-1] > 0))
    assert 7 <= crossings <= 9  # four swings to and fro


def test_a_counter_goes_to_the_next_item_at_every_fourth_hit(tell):
    story = tell(kicks(13))
    turns = [step("take_turns", changes="item", items=4, every=4)]
    story.drive("title:y", low=0.1, high=0.3, rest=0.0, full=30.0, steps=turns)
    place = story.curves()[0]["title:y"]
    assert sorted(set(place.tolist())) == [0.0, 10.0, 20.0, 30.0]
    changes = np.flatnonzero(np.diff(place)) + 1
    hits = [(0.25 + 0.5 * k) * FPS for k in (4, 8, 12)]  # the fifth, the ninth and the thirteenth
    np.testing.assert_allclose(changes, hits, atol=1.0)


def test_speed_follows_loudness_and_stands_in_silence(tell):
    story = tell(tones((0.25, 2), (0.5, 2), (0.0, 2)))
    story.drive("moth-one:turn", low=0.0, high=0.5, rest=0.0, full=360.0, steps=[step("build_up", per_second=0.5)])
    turn = story.curves()[0]["moth-one:turn"]
    slow, fast = turn[50] - turn[20], turn[110] - turn[80]
    assert slow == pytest.approx(90.0, rel=0.01)  # half lift, a second, half a turn a second at full
    assert fast == pytest.approx(180.0, rel=0.01)
    assert np.ptp(turn[125:]) == 0.0 and turn[-1] == pytest.approx(0.5 * 360 * 3, rel=0.01)


def test_a_value_is_folded_between_two_bounds(tell):
    story = tell(tones((0.5, 6)))
    steps = [step("build_up", per_second=1.0), step("fold", low=0.0, high=1.0)]
    story.drive("moth-two:x", low=0.0, high=0.4, rest=-40.0, full=60.0, steps=steps)
    place = story.curves()[0]["moth-two:x"]
    assert place.min() == -40.0 and place.max() == pytest.approx(60.0, abs=1e-4)
    np.testing.assert_allclose(place[[15, 30, 45, 60, 90]], [10, 60, 10, -40, 60], atol=0.01)
    assert np.abs(np.diff(place)).max() < 3.4  # it turns back, it never leaps


def test_a_colour_flips_above_a_level_and_is_never_between(tell):
    story = tell(tones((0.1, 1), (0.5, 1), (0.1, 1)))
    flips = [step("latch", on_above=0.6, off_below=0.4)]
    story.drive("title:fill", low=0.0, high=0.5, rest="#1e6f8b", full="#c4572e", steps=flips)
    rows = story.curves()[0]["title:fill"]
    colours = {"#" + "".join(f"{round(float(x) * 255):02x}" for x in rows[:, k]) for k in range(rows.shape[1])}
    assert colours == {"#1e6f8b", "#c4572e"}
    assert np.flatnonzero(np.diff(rows[0]))[[0, -1]].tolist() == pytest.approx([29, 59], abs=1)


def test_it_rises_while_sound_lasts_and_sinks_in_three_seconds_after(tell):
    story = tell(tones((0.0, 1), (0.5, 2), (0.0, 5)))
    story.drive("rain:opacity", rest=0.0, full=1.0, high=0.3, steps=[step("swell", climb_s=1.0, sink_s=3.0)])
    shown = story.curves()[0]["rain:opacity"]
    assert shown[20] == 0 and shown[45] == pytest.approx(0.5, abs=0.04) and shown[65] == 1.0
    np.testing.assert_allclose(shown[[90, 120, 150]], [1.0, 2 / 3, 1 / 3], atol=0.04)
    assert (shown[182:] == 0).all()


def test_three_axes_from_one_mapping_and_one_of_them_changed_later(tell):
    story = tell(tones((0.0, 1), (0.5, 2), (0.0, 1)), potting_bench())
    part = next(part.id for part in potting_bench().parts if part.has("scale_z") and part.has("scale_x"))
    made = story.drive(f"{part}:scale_y", high=0.4, rest=1.0, full=2.0)
    story.post(f"mappings/{made}/axes", place=0, inverted=False)
    curves = story.curves()[0]
    tall, wide, deep = (curves[f"{part}:scale_{axis}"] for axis in "yxz")
    np.testing.assert_array_equal(tall, wide)
    np.testing.assert_array_equal(tall, deep)
    mapping = story.mapping(made)
    wider = [{**one, "full": 3.0} if one["target"]["property"] == "scale_x" else one for one in mapping["drives"]]
    label = story.put({**mapping, "drives": wider})["undo"]
    after = story.curves()[0]
    assert after[f"{part}:scale_x"][60] == 3.0
    np.testing.assert_array_equal(after[f"{part}:scale_y"], tall)
    np.testing.assert_array_equal(after[f"{part}:scale_z"], deep)
    assert label.startswith("Set the width of") and label.endswith("at full")
