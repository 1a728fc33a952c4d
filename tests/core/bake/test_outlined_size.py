"""How much outlines under shapers are to write."""

import pytest
from tests.core.bake.test_expand import part
from tests.core.scene.test_outlines import FRAMES, PLAIN, STEM, frond, hand_off, path

from fern_tide.core.bake.expand import Clock, expanded
from fern_tide.core.bake.expand_size import n_outlined
from fern_tide.core.base.errors import FernTideError
from fern_tide.core.scene.scene import Scene


def test_outlines_that_would_be_too_much_to_write_are_counted_and_refused_by_name(monkeypatch):
    scene, media = frond(frond=["bend"])
    off = hand_off(scene, media, {"frond:shaper1_amount": (0, 90)})
    curves = scene.part("frond").shape.params.curves
    assert curves > 15 and n_outlined(scene, off.curves) == 2 * 3 * curves * FRAMES
    assert n_outlined(scene, hand_off(scene, media, {"moon:radius": (9, 30)}).curves) == 0
    own = Scene(name="S", parts=(path(STEM, {"id": "bend"}),))
    assert n_outlined(own, hand_off(own, PLAIN, {"stem:shaper1_amount": (0, 90)}).curves) == 2 * (3 * 24 + 1) * FRAMES
    monkeypatch.setattr("fern_tide.core.bake.expand_size.MOST_WRITTEN", 1000)
    with pytest.raises(FernTideError, match="outlines of frond are .* Shape less"):
        n_outlined(scene, off.curves)


def test_outlines_in_an_array_are_written_with_each_piece_and_only_of_the_parts_that_are():
    row = part("row", "array", params={"layout": {"id": "line", "params": {"count": 7}}})
    stem = path(STEM, {"id": "bend"}).model_copy(update={"parent": "row"})
    other = part("other", "ellipse", parent="row")
    beside = path(STEM, {"id": "bend"}).model_copy(update={"id": "beside"})
    scene = Scene(name="S", parts=(row, stem, other, beside))
    off = hand_off(scene, PLAIN, {"stem:shaper1_amount": (0, 90), "beside:shaper1_amount": (0, 90)})
    one = 2 * (3 * 24 + 1) * FRAMES
    assert n_outlined(scene, off.curves) == (4 + 1) * one, "every other piece is a stem"
    assert n_outlined(scene, off.curves, parts=["beside"]) == one
    assert n_outlined(scene, off.curves, parts=["row"]) == 4 * one
    pieces = expanded(scene, off.curves, moved={}, clock=Clock(off.rate, FRAMES))
    assert n_outlined(*pieces) == (4 + 1) * one, "as it is counted once it is written out"
