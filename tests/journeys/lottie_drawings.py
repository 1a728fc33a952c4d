"""Drawings whose parts move, written as Lottie and shown beside the SVG, as the tests of Lottie share them."""

from tests.journeys.players import beside_svg
from tests.journeys.test_pages_and_players import RATE, hand_off, picture

from fern_tide.core.base.naming import Ids
from fern_tide.core.formats.format import HandOff, Written, write
from fern_tide.core.formats.registry import FORMATS
from fern_tide.core.scene.media import SceneMedia
from fern_tide.core.scene.scene import Part, Scene, SceneFile
from fern_tide.core.scene.svg.parts import Sheet, parts_of
from fern_tide.core.scene.svg.reading import read_svg

BESIDE = {"id": "rectangle", "params": {"x": 1200, "y": 100, "width": 160, "height": 90}}


def drawing_hand_off(name: str, drawing: bytes, ends: dict) -> HandOff:
    """Give a scene of a drawing, and of a box beside it, whose parts move from one end to the other."""
    file = SceneFile(id=name, name=f"{name}.svg", media="3" * 64, kind="svg")
    sheet = Sheet(read_svg(drawing))
    beside = Part.model_validate({"id": "beside", "name": "beside", "shape": BESIDE})
    parts = (*parts_of(sheet, file, ids=Ids(), limit_to=(1000, 1000)), beside)
    shown = hand_off(Scene(name="s", files=(file,), parts=parts), ends, SceneMedia(sheets={"3" * 64: sheet}))
    assert len(shown.curves) == len(ends)
    return shown


def lottie_of(shown: HandOff) -> Written:
    """Write Lottie, all of it read back."""
    out = write(shown, format=FORMATS["lottie"])
    assert out.error < 1e-5 and out.n_curves == len(shown.curves)
    return out


def pictures_apart(page, written: Written, shown: HandOff, frames, style: str = "") -> dict[int, tuple]:
    """Give, of each frame, what a player shows, and how far each pixel of the SVG, with a style in it, is from that."""
    head, _, rest = write(shown, format=FORMATS["svg"]).content.decode().partition("?>")[2].partition(">")
    seconds = {frame: float(RATE.seconds(frame)) for frame in frames}
    return beside_svg(page, written.content, f"{head}>{style}{rest}", seconds, picture=picture)
