"""Basis textures in KTX2 files, as glTF carries them: checked by their head, handed on as they came.

Khronos Group: KHR_texture_basisu; KTX file format 2.0, sections 3 (header, level index) and 4 (what it may hold).
"""

from __future__ import annotations

import struct

from fern_tide.core.base.errors import UnreadableScene
from fern_tide.core.scene.images import MOST_PIXELS, ImageInfo

EXTENSION = "KHR_texture_basisu"
MEDIA_TYPE = "image/ktx2"
KTX2 = b"\xabKTX 20\xbb\r\n\x1a\n"
_HEAD = struct.Struct("<9I4I2Q")
_LEVEL = struct.Struct("<3Q")
_PLAIN, _BASIS_LZ, _ZSTANDARD = 0, 1, 2
_REMEDY = "Export it again, or with PNG or JPEG."


def measure_basis(content: bytes) -> ImageInfo:
    """Say how large a Basis texture is, from its head and the list of its levels; its pixels stay packed.

    Raises:
        UnreadableScene: it is cut off, lies about what it holds, holds what glTF does not, or has more pixels than are
            taken.
    """
    try:
        head = _HEAD.unpack_from(content, len(KTX2))
        vk_format, _, width, height, depth, layers, faces, levels, packing = head[:9]
        listed = (
            [_LEVEL.unpack_from(content, len(KTX2) + _HEAD.size + place * _LEVEL.size) for place in range(levels)]
            if levels <= 32
            else []
        )
    except struct.error as cause:
        raise UnreadableScene("The KTX2 picture is cut off.", remedy=_REMEDY) from cause
    if not content.startswith(KTX2) or vk_format or depth or layers or faces != 1 or packing > _ZSTANDARD:
        raise UnreadableScene("The KTX2 picture is no Basis texture as glTF has them.", remedy=_REMEDY)
    if not width or not height or width * height > MOST_PIXELS:
        raise UnreadableScene(f"The KTX2 picture has {width * height / 1e6:.0f} million pixels.", remedy=_REMEDY)
    if not 1 <= levels <= max(width, height).bit_length():
        raise UnreadableScene("The KTX2 picture says that it has more sizes than it can.", remedy=_REMEDY)
    sections = [
        (head[9], head[10]),
        (head[11], head[12]),
        (head[13], head[14]),
        *((at, size) for at, size, _ in listed),
    ]
    if any(at + size > len(content) for at, size in sections) or not all(size for _, size, _ in listed):
        raise UnreadableScene("The KTX2 picture is cut off.", remedy=_REMEDY)
    if any(unpacked > _most_bytes(width, height, packing) for _, _, unpacked in listed):
        raise UnreadableScene("The KTX2 picture says that it is larger unpacked than it can be.", remedy=_REMEDY)
    return ImageInfo(width, height, MEDIA_TYPE)


def _most_bytes(width: int, height: int, packing: int) -> int:
    """How many bytes a level has at most before it was packed: 16 for each 4 x 4 pixels, none where Basis packs."""
    return 0 if packing == _BASIS_LZ else 16 * (-(-width // 4)) * (-(-height // 4))
