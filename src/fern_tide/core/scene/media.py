"""What the parts of a scene were brought in with, read and ready to be drawn."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

from fern_tide.core.base.errors import UnreadableScene
from fern_tide.core.scene.gltf.container import Gltf
from fern_tide.core.scene.gltf.reading import read_gltf
from fern_tide.core.scene.images import check_image
from fern_tide.core.scene.scene import Scene
from fern_tide.core.scene.svg.parts import Sheet
from fern_tide.core.scene.svg.reading import read_svg


@dataclass(frozen=True)
class SceneMedia:
    """Files by the hash of their content.

    Attributes:
        sheets: SVG files.
        gltfs: glTF files.
        images: PNG, JPEG and WebP files, as bytes.
    """

    sheets: Mapping[str, Sheet] = field(default_factory=dict)
    gltfs: Mapping[str, Gltf] = field(default_factory=dict)
    images: Mapping[str, bytes] = field(default_factory=dict)


def load(scene: Scene, read: Callable[[str], bytes]) -> SceneMedia:
    """Read all files of a scene.

    Args:
        scene: whose.
        read: gives a file's bytes by its hash.

    Raises:
        UnreadableScene: one of them is not what the scene says, or is not safe.
    """
    sheets, gltfs, images = dict[str, Sheet](), dict[str, Gltf](), dict[str, bytes]()
    for file in scene.files:
        content = read(file.media)
        if file.kind == "svg":
            drawing = read_svg(content)
            if drawing.text != content:
                raise UnreadableScene(f"{file.name:.60} is not safe as it is.", remedy="Bring it in again.")
            sheets[file.media] = Sheet(drawing)
        elif file.kind == "gltf":
            gltfs[file.media] = read_gltf(content)
        else:
            check_image(content)
            images[file.media] = content
    return SceneMedia(sheets, gltfs, images)
