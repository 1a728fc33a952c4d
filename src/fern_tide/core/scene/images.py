"""Pictures that come in: PNG, JPEG and WebP, looked at before anything shows them."""

from __future__ import annotations

import io
import warnings
from dataclasses import dataclass
from functools import lru_cache

from PIL import Image, UnidentifiedImageError

from fern_tide.core.base.errors import UnreadableScene

MEDIA_TYPES = {"PNG": "image/png", "JPEG": "image/jpeg", "WEBP": "image/webp"}
MOST_PIXELS = 50_000_000
MOST_BYTES = 64 << 20
_REMEDY = "Save it again as PNG, JPEG or WebP, or choose another picture."


@dataclass(frozen=True)
class ImageInfo:
    """A picture's size in pixels and its type, such as 'image/png'."""

    width: int
    height: int
    media_type: str


def measure_image(content: bytes) -> ImageInfo:
    """Say what a picture is from its head, without decoding its pixels.

    Raises:
        UnreadableScene: it is no PNG, JPEG or WebP, or has more pixels than are taken.
    """
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            with Image.open(io.BytesIO(content), formats=tuple(MEDIA_TYPES)) as picture:
                width, height = picture.size
                kind = MEDIA_TYPES[str(picture.format)]
    except (UnidentifiedImageError, OSError, SyntaxError, ValueError, Image.DecompressionBombError) as cause:
        raise UnreadableScene("The file is no picture that can be used.", remedy=_REMEDY) from cause
    if width * height > MOST_PIXELS:
        raise UnreadableScene(f"The picture has {width * height / 1e6:.0f} million pixels.", remedy="Save it smaller.")
    return ImageInfo(width, height, kind)


@lru_cache(maxsize=64)
def check_image(content: bytes) -> ImageInfo:
    """Say what a picture is, by its content; its pixels are decoded once, to know that they can be.

    Raises:
        UnreadableScene: it is no PNG, JPEG or WebP, is damaged, or has more pixels than are taken.
    """
    if len(content) > MOST_BYTES:
        raise UnreadableScene(f"The picture is larger than {MOST_BYTES >> 20} MB.", remedy="Save it smaller.")
    info = measure_image(content)
    try:
        with Image.open(io.BytesIO(content), formats=tuple(MEDIA_TYPES)) as picture:
            picture.load()
    except (OSError, SyntaxError, ValueError) as cause:
        raise UnreadableScene("The file is no picture that can be used.", remedy=_REMEDY) from cause
    return info


def as_png_or_jpeg(content: bytes) -> tuple[bytes, ImageInfo]:
    """Give a picture for programs that know only PNG and JPEG, and what it is: WebP is written again as PNG.

    Raises:
        UnreadableScene: it is no PNG, JPEG or WebP, is damaged, or has more pixels than are taken.
    """
    info = measure_image(content)
    if info.media_type != MEDIA_TYPES["WEBP"]:
        return content, info
    out = io.BytesIO()
    try:
        with Image.open(io.BytesIO(content), formats=["WEBP"]) as picture:
            picture.save(out, "PNG")
    except (OSError, SyntaxError, ValueError) as cause:
        raise UnreadableScene("The file is no picture that can be used.", remedy=_REMEDY) from cause
    return out.getvalue(), ImageInfo(info.width, info.height, MEDIA_TYPES["PNG"])
