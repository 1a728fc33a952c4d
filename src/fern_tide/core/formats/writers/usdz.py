"""USDZ: the same scene as one package (OpenUSD, .usdz): a zip without packing, whose files begin at 64 bytes."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Mapping

from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Target
from fern_tide.core.formats.channels import spans_with_anchors
from fern_tide.core.formats.format import Format, HandOff, nine_digits
from fern_tide.core.formats.usd_scene import UsdScene, carries_with_maps
from fern_tide.core.formats.writers import usd

_ALIGNED = 64
_HEAD = 30  # bytes before a file's name
_WHEN = (2000, 1, 1, 0, 0, 0)
_NAME = "scene.usda"


class UsdzParams(usd.UsdParams):
    """The same as USD's."""


def encode(hand_off: HandOff, params: UsdzParams) -> bytes:
    """Write the package."""
    scene = UsdScene.of(hand_off, params, with_maps=True)
    text = scene.text().encode()  # which says what pictures there are
    pictures = {} if scene.pictures is None else scene.pictures.files
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:
        for name, content in ((_NAME, text), *pictures.items()):
            entry = zipfile.ZipInfo(name, _WHEN)
            room = -(out.tell() + _HEAD + len(name) + 4) % _ALIGNED
            entry.extra = b"\x19\x86" + room.to_bytes(2, "little") + b"\0" * room
            archive.writestr(entry, content)
    return out.getvalue()


def read_back(content: bytes, hand_off: HandOff, params: UsdzParams) -> Mapping[Target, FloatArray]:
    """Read the scene in the package."""
    with zipfile.ZipFile(io.BytesIO(content)) as archive:
        return usd.values_of(archive.read(_NAME), UsdScene.of(hand_off, params, with_maps=True))


FORMAT = Format(
    id="usdz",
    label="USDZ",
    help="The 3D scene with its motion as one package, for phones and viewers.",
    params=UsdzParams,
    extension=".usdz",
    media_type="model/vnd.usdz+zip",
    loses=nine_digits,
    encode=encode,
    read_back=read_back,
    carries_property=carries_with_maps,
    lacks="Basis textures, an emission strength that moves and what is packed",
    rounds_by=1e-5,
    spans=spans_with_anchors,
    spaces=("3d",),
)
