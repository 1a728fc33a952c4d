"""Spray: drops that are thrown, fly, fall and are gone."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Any, ClassVar

from pydantic import Field

from fern_tide.core.base.params import Params, unit
from fern_tide.core.base.registry import Choice, Registry, discover
from fern_tide.core.scene.arrays import nozzles as nozzles_folder
from fern_tide.core.scene.arrays.layout import MOST_PIECES, Laid, Layout, Size, upright
from fern_tide.core.scene.arrays.nozzle import Nozzle
from fern_tide.core.scene.arrays.throw import Throw

if TYPE_CHECKING:
    from fern_tide.core.scene.scene import Part, Scene

NOZZLES = discover(nozzles_folder, attribute="NOZZLE", of=Nozzle, kind="nozzle")
_MOST_TIMES = 100


class NozzleChoice(Choice):
    """A nozzle."""

    registry: ClassVar[Registry[Nozzle]] = NOZZLES


class SprayParams(Params):
    """How drops leave, and how they grow or shrink."""

    nozzle: Annotated[NozzleChoice, unit("", "What drops leave from.", kind="spec")] = NozzleChoice(id="point")
    count: Annotated[
        int,
        Field(ge=1, le=MOST_PIECES),
        unit("", "How many are seen at once at most; then the oldest gives way.", label="At once"),
    ] = 60
    first_size: Annotated[
        float,
        Field(ge=0, le=_MOST_TIMES),
        unit("x", "How large a drop is as it leaves.", step=0.05, label="Size at first"),
    ] = 1.0
    last_size: Annotated[
        float,
        Field(ge=0, le=_MOST_TIMES),
        unit("x", "How large it is at the end of its life.", step=0.05, label="Size at last"),
    ] = 0.0
    uneven: Annotated[
        float, Field(ge=0, le=1), unit("", "By what share each drop may be faster or slower.", step=0.05)
    ] = 0.1
    before_s: Annotated[
        float,
        Field(ge=0, le=600),
        unit("s", "How long it has been running when the project begins.", step=0.1, label="Head start"),
    ] = 0.0
    drops_seed: Annotated[
        int, Field(ge=0, lt=2**31), unit("", "Another number throws other drops.", label="Drops' seed")
    ] = 1


def lay(params: SprayParams) -> Laid:
    """Give pieces that all begin in the middle."""
    return Laid({}, upright(params.count))


def _throw(params: SprayParams, *, flat: bool) -> Throw:
    return Throw(
        n_pieces=params.count,
        nozzle=params.nozzle.spec,
        nozzle_params=params.nozzle.params,
        flat=flat,
        seed=params.drops_seed,
        uneven=params.uneven,
        before_s=params.before_s,
        first_size=params.first_size,
        last_size=params.last_size,
    )


def is_open(params: SprayParams) -> bool:
    """Say whether its nozzle lies in the scene."""
    return params.nozzle.spec.given is not None


def given(scene: Scene, part: Part, params: SprayParams) -> SprayParams:
    """Complete the nozzle's params."""
    nozzle = params.nozzle
    return params.but(nozzle=nozzle.but(params=nozzle.spec.given(scene, part, nozzle.params)))


def offers(scene: Scene, part: Part) -> list[Part]:
    """List the parts that drops can leave from, where they leave from one."""
    params: Any = part.shape.params
    nozzle: Nozzle = params.layout.params.nozzle.spec
    return [] if nozzle.offers is None else nozzle.offers(scene, part)


LAYOUT = Layout(
    id="spray",
    label="Spray",
    help="Thrown: they leave, fly, fall and are gone.",
    params=SprayParams,
    sizes=(
        Size("rate", "Rate", 20.0, low=0.0, unit="/s", swing=60.0),
        Size("force", "Force", 5.0, per="/s", swing=5.0),
        Size("width", "Width", 30.0, low=0.0, high=360.0, unit="°", swing=60.0),
        Size("aim_z", "Aim about z", 0.0, unit="°", swing=45.0, flat_label="Aim"),
        Size("aim_x", "Aim about x", 0.0, unit="°", swing=45.0, space="3d"),
        Size("gravity", "Gravity", 9.81, per="/s²", swing=-9.81),
        Size("life", "Life", 1.2, low=0.01, unit="s", swing=1.0),
        Size("nozzle", "Nozzle size", 0.2, low=0.0),
        Size("from_x", "Leaves across", 0.0),
        Size("from_y", "Leaves up", 0.0, flat_label="Leaves down"),
        Size("from_z", "Leaves towards you", 0.0, space="3d"),
    ),
    count=lambda params: params.count,
    lay=lay,
    flat=lay,
    throws=_throw,
    given=given,
    is_open=is_open,
    offers=offers,
)
