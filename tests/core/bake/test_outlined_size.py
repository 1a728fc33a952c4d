"""How much outlines under shapers are to write."""

import pytest
from tests.core.scene.test_outlines import FRAMES, PLAIN, STEM, frond, hand_off, path

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
