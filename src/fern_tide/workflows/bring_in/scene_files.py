"""Files as scenes: an SVG, a glTF file or a picture, read as hostile and made into parts."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Literal

from fern_tide.core.base.errors import FernTideError, UnreadableScene
from fern_tide.core.base.naming import Ids, name_of
from fern_tide.core.scene.gltf.container import Gltf, GltfLimits, pack, packed_in
from fern_tide.core.scene.gltf.parts import parts_of as gltf_parts
from fern_tide.core.scene.gltf.reading import read_gltf
from fern_tide.core.scene.images import ImageInfo, check_image
from fern_tide.core.scene.part import Anchor
from fern_tide.core.scene.scene import Part, PartChoice, Scene, SceneFile
from fern_tide.core.scene.svg.allowed import SvgLimits
from fern_tide.core.scene.svg.parts import Sheet
from fern_tide.core.scene.svg.parts import parts_of as svg_parts
from fern_tide.core.scene.svg.reading import read_svg

_GLTF_ENDINGS = (".gltf", ".glb")


@dataclass(frozen=True)
class SceneContent:
    """What came in.

    Attributes:
        name: of the file.
        kind: svg, gltf or image.
        content: what is kept.
        notes: what was cut out or changed on the way in, in words.
        drawing: an SVG file, read.
        gltf: a glTF file, read.
        image: what a picture is.
    """

    name: str
    kind: Literal["svg", "gltf", "image"]
    content: bytes
    notes: tuple[str, ...] = ()
    drawing: Sheet | None = None
    gltf: Gltf | None = None
    image: ImageInfo | None = None

    @property
    def space(self) -> str:
        """The kind of scene that it goes into."""
        return "3d" if self.kind == "gltf" else "2d"


def look_at(
    files: Mapping[str, bytes], *, svg: SvgLimits | None = None, gltf: GltfLimits | None = None
) -> SceneContent:
    """Read files that were dropped together: one SVG or picture, or one glTF file with what it needs.

    Raises:
        UnreadableScene: there is none among them that can be used.
    """
    if not files:
        raise UnreadableScene("No file came.", remedy="Choose an SVG, a GLB or glTF, or a picture.")
    main = next((name for name in files if name.lower().endswith(_GLTF_ENDINGS)), next(iter(files)))
    content = files[main]
    if not content:
        raise UnreadableScene(f"{main:.80} is empty.", remedy="Export it again, or choose another file.")
    start = content[:512].lstrip(b"\xef\xbb\xbf \t\r\n")
    if content[:4] == b"glTF" or (start[:1] == b"{" and len(content) > 2):
        read = read_gltf(content, beside={name: item for name, item in files.items() if name != main}, limits=gltf)
        same = content[:4] == b"glTF" and not read.notes and all("uri" not in b for b in read.json.get("buffers", []))
        return SceneContent(main, "gltf", content if same else pack(read), read.notes, gltf=read)
    if start[:1] == b"<" or content[:2] in {b"\x1f\x8b", b"\xff\xfe", b"\xfe\xff"}:
        drawing = read_svg(content, limits=svg)
        return SceneContent(main, "svg", drawing.text, drawing.notes, drawing=Sheet(drawing))
    try:
        return SceneContent(main, "image", content, image=check_image(content))
    except UnreadableScene as wrong:
        raise UnreadableScene(
            f"{main:.80} is no SVG, no glTF and no picture.", remedy="Choose one of these: SVG, GLB, PNG, JPEG, WebP."
        ) from wrong


def look_at_all(
    files: Mapping[str, bytes], *, svg: SvgLimits | None = None, gltf: GltfLimits | None = None
) -> tuple[SceneContent, ...]:
    """Read files that were dropped together: each glTF file with what it needs is one thing, all else are many.

    What came beside glTF files and is in none of them is left out, which the notes of the first say.

    Raises:
        UnreadableScene: one of them cannot be used.
    """
    models = [name for name in files if name.lower().endswith(_GLTF_ENDINGS)]
    beside = {name: content for name, content in files.items() if name not in models}
    sets = [{name: files[name]} | beside for name in models] or [{name: files[name]} for name in files]
    first, *others = (look_at(some, svg=svg, gltf=gltf) for some in (sets or [{}]))
    packed = {note for item in (first, *others) for note in item.notes}
    left = [f"{name:.60} is in no model" for name in beside if models and packed_in(name) not in packed]
    return (replace(first, notes=(*first.notes, *left)), *others)


def parts_in(content: SceneContent, file: SceneFile, *, scene: Scene, ids: Ids) -> tuple[Part, ...]:
    """Make the parts of what came in, at the size that the stage has room for."""
    if content.gltf is not None:
        return gltf_parts(content.gltf.json, file, ids=ids)
    if content.drawing is not None:
        return svg_parts(content.drawing, file, ids=ids, limit_to=(scene.width, scene.height))
    assert content.image is not None
    fit = min(scene.width / content.image.width, scene.height / content.image.height)
    width, height = content.image.width * fit, content.image.height * fit
    x, y = (scene.width - width) / 2, (scene.height - height) / 2
    middle = {"mask_x": x + width / 2, "mask_y": y + height / 2, "mask_width": width / 2, "mask_height": height / 2}
    params = {"file": file.id, "x": x, "y": y, "width": width, "height": height, **middle}
    name = name_of(content.name)
    shape = PartChoice.model_validate({"id": "image", "params": params})
    return (Part(id=ids.make(name), name=name, anchor=Anchor(x=x + width / 2, y=y + height / 2), shape=shape),)


def add_to(scene: Scene, content: SceneContent, media: str) -> Scene:
    """Give a scene with what came in behind all that it had.

    Raises:
        FernTideError: the scene is of another kind.
    """
    if content.space != scene.kind:
        raise FernTideError(
            f"{content.name:.80} is {content.space.upper()}, and this stage is {scene.kind.upper()}.",
            remedy="Replace the stage with it instead.",
        )
    file_ids, ids = Ids(file.id for file in scene.files), Ids(part.id for part in scene.parts)
    file = SceneFile(id=file_ids.make(content.name), name=content.name[:120], media=media, kind=content.kind)
    parts = parts_in(content, file, scene=scene, ids=ids)
    return scene.but(files=(*scene.files, file), parts=(*scene.parts, *parts))


def scene_of(content: SceneContent, media: str) -> Scene:
    """Make a scene of what came in: 2D ones are as large as it is, and as light as paper."""
    width, height = 1920, 1080
    if content.drawing is not None:
        width, height = _size(*content.drawing.size)
    elif content.image is not None:
        width, height = _size(content.image.width, content.image.height)
    background = "#ffffff" if content.drawing is not None else "#0e1b18"
    empty = Scene(
        name=name_of(content.name),
        kind="3d" if content.space == "3d" else "2d",
        width=width,
        height=height,
        background=background,
    )
    return add_to(empty, content, media)


def _size(width: float, height: float) -> tuple[int, int]:
    """Bring a size between what a stage can be, its shape kept."""
    grow = max(1.0, 400 / max(width, height))
    shrink = min(1.0, 8000 / max(width, height))
    return max(16, round(width * grow * shrink)), max(16, round(height * grow * shrink))


def empty_scene(kind: str) -> Scene:
    """Make a stage with nothing on it; a 3D one has a light and a camera, so that what is added can be seen."""
    if kind != "3d":
        return Scene(name="New stage")

    def part(kind_id: str, name: str, **values: float) -> Part:
        return Part(
            id=Ids().make(name), name=name, values=dict(values), shape=PartChoice.model_validate({"id": kind_id})
        )

    camera = part("camera", "Camera", x=0.0, y=1.4, z=5.0, turn_x=-8.0)
    return Scene(name="New stage", kind="3d", parts=(part("sun", "Sun", turn_x=-50.0, turn_y=30.0), camera))
