"""A scene comes in: SVG, glTF or a picture, read as hostile, kept as what is safe of it, and made into parts."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

from fern_tide.core.base.errors import FernTideError, UnreadableScene
from fern_tide.core.base.naming import Ids
from fern_tide.core.base.target import Target
from fern_tide.core.document import Project
from fern_tide.core.mapping.mapping import Mapping as MappingModel
from fern_tide.core.scene.gltf.container import Gltf, GltfLimits, pack
from fern_tide.core.scene.gltf.parts import parts_of as gltf_parts
from fern_tide.core.scene.gltf.reading import read_gltf
from fern_tide.core.scene.images import ImageInfo, check_image
from fern_tide.core.scene.part import Anchor
from fern_tide.core.scene.scene import Part, PartChoice, Scene, SceneFile
from fern_tide.core.scene.svg.allowed import SvgLimits
from fern_tide.core.scene.svg.parts import Sheet
from fern_tide.core.scene.svg.parts import parts_of as svg_parts
from fern_tide.core.scene.svg.reading import read_svg
from fern_tide.core.scene_commands import PutScene, scene_but
from fern_tide.store.projects import Revision
from fern_tide.workflows.bring_in_sound import name_of
from fern_tide.workflows.studio import Studio

_GLTF_ENDINGS = (".gltf", ".glb")


@dataclass(frozen=True)
class Found:
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


def look_at(files: Mapping[str, bytes], *, svg: SvgLimits | None = None, gltf: GltfLimits | None = None) -> Found:
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
        return Found(main, "gltf", content if same else pack(read), read.notes, gltf=read)
    if start[:1] == b"<" or content[:2] in {b"\x1f\x8b", b"\xff\xfe", b"\xfe\xff"}:
        drawing = read_svg(content, limits=svg)
        return Found(main, "svg", drawing.text, drawing.notes, drawing=Sheet(drawing))
    try:
        return Found(main, "image", content, image=check_image(content))
    except UnreadableScene as wrong:
        raise UnreadableScene(
            f"{main:.80} is no SVG, no glTF and no picture.", remedy="Choose one of these: SVG, GLB, PNG, JPEG, WebP."
        ) from wrong


def parts_in(found: Found, file: SceneFile, *, scene: Scene, ids: Ids) -> tuple[Part, ...]:
    """Make the parts of what came in, at the size that the stage has room for."""
    if found.gltf is not None:
        return gltf_parts(found.gltf.json, file, ids=ids)
    if found.drawing is not None:
        return svg_parts(found.drawing, file, ids=ids, limit_to=(scene.width, scene.height))
    assert found.image is not None
    fit = min(scene.width / found.image.width, scene.height / found.image.height)
    width, height = found.image.width * fit, found.image.height * fit
    x, y = (scene.width - width) / 2, (scene.height - height) / 2
    middle = {"mask_x": x + width / 2, "mask_y": y + height / 2, "mask_width": width / 2, "mask_height": height / 2}
    params = {"file": file.id, "x": x, "y": y, "width": width, "height": height, **middle}
    name = name_of(found.name)
    shape = PartChoice.model_validate({"id": "image", "params": params})
    return (Part(id=ids.make(name), name=name, anchor=Anchor(x=x + width / 2, y=y + height / 2), shape=shape),)


def add_to(scene: Scene, found: Found, media: str) -> Scene:
    """Give a scene with what came in behind all that it had.

    Raises:
        FernTideError: the scene is of another kind, or has a glTF file already.
    """
    if found.space != scene.kind:
        raise FernTideError(
            f"{found.name:.80} is {found.space.upper()}, and this stage is {scene.kind.upper()}.",
            remedy="Replace the stage with it instead.",
        )
    if found.kind == "gltf" and any(file.kind == "gltf" for file in scene.files):
        raise FernTideError("This stage holds a glTF file already.", remedy="Replace that file, or the whole stage.")
    file_ids, ids = Ids(file.id for file in scene.files), Ids(part.id for part in scene.parts)
    file = SceneFile(id=file_ids.make(found.name), name=found.name[:120], media=media, kind=found.kind)
    parts = parts_in(found, file, scene=scene, ids=ids)
    return scene_but(scene, files=(*scene.files, file), parts=(*scene.parts, *parts))


def scene_of(found: Found, media: str) -> Scene:
    """Make a scene of what came in: 2D ones are as large as it is, and as light as paper."""
    width, height = 1920, 1080
    if found.drawing is not None:
        width, height = _size(*found.drawing.size)
    elif found.image is not None:
        width, height = _size(found.image.width, found.image.height)
    background = "#ffffff" if found.drawing is not None else "#0e1b18"
    empty = Scene(
        name=name_of(found.name),
        kind="3d" if found.space == "3d" else "2d",
        width=width,
        height=height,
        background=background,
    )
    return add_to(empty, found, media)


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


@dataclass(frozen=True)
class Linked:
    """How mappings came through a change of the scene.

    Attributes:
        mappings: those that still move something.
        lost: what was driven and is there no more, in words.
    """

    mappings: tuple[MappingModel, ...]
    lost: tuple[str, ...]


def link(project: Project, scene: Scene) -> Linked:
    """Let mappings move, in another scene, the parts of the same names."""
    by_name: dict[str, str] = {}
    for part in scene.parts:
        by_name.setdefault(part.name, part.id)
    known = {part.id: part for part in scene.parts}
    kept, lost = [], []
    for mapping in project.mappings:
        drives = []
        for drive in mapping.drives:
            part, item = project.scene.resolve(drive.target)
            same = known.get(part.id)
            to = part.id if same is not None and same.name == part.name else by_name.get(part.name)
            if to is not None and known[to].has(item.id) and known[to].property(item.id).kind == item.kind:
                drives.append(drive.model_copy(update={"target": Target(part=to, property=item.id)}))
            else:
                lost.append(f"{part.name}, {item.label.lower()}")
        if drives:
            kept.append(mapping.model_copy(update={"drives": tuple(drives)}))
    return Linked(tuple(kept), tuple(dict.fromkeys(lost)))


@dataclass(frozen=True)
class BroughtIn:
    """What became of files that came in: the revision, what was cut out, what is no longer driven, what is new."""

    revision: Revision
    notes: tuple[str, ...]
    lost: tuple[str, ...] = ()
    fresh: tuple[str, ...] = ()


def bring_in(studio: Studio, key: str, files: Mapping[str, bytes], *, replace: bool) -> BroughtIn:
    """Add what came in to a project's stage, or put it in the stage's place.

    Raises:
        UnreadableScene: it cannot be used; the project stays as it is.
        FernTideError: it is of another kind than the stage.
    """
    found = _look(studio, files)
    media = studio.media.add([found.content], most=len(found.content))
    current = studio.projects.current(key)
    project = current.document
    if not replace:
        scene = add_to(project.scene, found, media)
        return BroughtIn(_save(studio, key, current, f"Bring in {found.name}", scene, project.mappings), found.notes)
    scene = scene_of(found, media)
    linked = link(project, scene)
    revision = _save(studio, key, current, f"Replace the stage with {found.name}", scene, linked.mappings)
    return BroughtIn(revision, found.notes, linked.lost)


def replace_file(studio: Studio, key: str, file_id: str, files: Mapping[str, bytes]) -> BroughtIn:
    """Put another version of a file under the parts that came with it: those of the same names stay linked.

    Raises:
        UnreadableScene: it cannot be used; the project stays as it is.
        FernTideError: it is of another kind than the file.
    """
    found = _look(studio, files)
    media = studio.media.add([found.content], most=len(found.content))
    current = studio.projects.current(key)
    scene = current.document.scene
    old = scene.file(file_id)
    if found.kind != old.kind:
        raise FernTideError(f"{found.name:.80} is no {old.kind} file.", remedy="Replace a file with one of its kind.")
    relinked, fresh = _relinked(scene, old, found, media)
    linked = link(current.document, relinked)
    words = f"Replace {old.name} with {found.name}"
    revision = _save(studio, key, current, words, relinked, linked.mappings)
    return BroughtIn(revision, found.notes, linked.lost, fresh)


def _relinked(scene: Scene, old: SceneFile, found: Found, media: str) -> tuple[Scene, tuple[str, ...]]:
    """Give the scene on a new version of a file; parts with the same way of names to them keep their ids."""
    mine = [part for part in scene.parts if getattr(part.shape.params, "file", None) == old.id]
    others = [part for part in scene.parts if getattr(part.shape.params, "file", None) != old.id]
    ids = Ids(part.id for part in scene.parts)
    file = old.model_copy(update={"media": media, "name": found.name[:120]})
    made = parts_in(found, file, scene=scene, ids=ids)
    by_way = {way: part for part, way in _ways(mine)}
    renamed: dict[str, Part] = {part.id: by_way[way] for part, way in _ways(list(made)) if way in by_way}
    parts = []
    for part in made:
        before = renamed.get(part.id)
        parent = renamed[part.parent].id if part.parent in renamed else part.parent
        update: dict[str, object] = {"parent": parent}
        if before is not None:
            update |= {"id": before.id, "anchor": before.anchor if before.anchor.word != "centre" else part.anchor}
        parts.append(part.model_copy(update=update))
    kept = {part.id for part in parts} | {part.id for part in others}
    orphans = [part.model_copy(update={"parent": None}) if part.parent not in kept else part for part in others]
    place = scene.parts.index(mine[0]) if mine else len(scene.parts)
    before_it = sum(part not in mine for part in scene.parts[:place])
    whole = (*orphans[:before_it], *parts, *orphans[before_it:])
    known = {part.id: part for part in whole}

    def there(target: Target) -> bool:
        return target.part in known and known[target.part].has(target.property)

    relinked = scene_but(
        scene,
        parts=whole,
        files=tuple(file if item.id == old.id else item for item in scene.files),
        follows=tuple(item for item in scene.follows if there(item.target) and there(item.source)),
        limits=tuple(item for item in scene.limits if there(item.target)),
    )
    return relinked, tuple(part.name for part in made if part.id not in renamed)


def _ways(parts: list[Part]) -> list[tuple[Part, tuple[str, ...]]]:
    """Give each part with the names on the way to it; of those with the same, the second has its number at the end."""
    ways: dict[str, tuple[str, ...]] = {}
    seen: dict[tuple[str, ...], int] = {}
    found = []
    for place, part in enumerate(parts):
        way = (*ways.get(part.parent or "", ()), part.name if place else "")
        seen[way] = seen.get(way, 0) + 1
        ways[part.id] = way
        found.append((part, way if seen[way] == 1 else (*way, str(seen[way]))))
    return found


def new_stage(studio: Studio, key: str, kind: str) -> BroughtIn:
    """Put an empty stage in place of the one that is there."""
    current = studio.projects.current(key)
    scene = empty_scene(kind)
    linked = link(current.document, scene)
    words = f"Start a new {kind.upper()} stage"
    return BroughtIn(_save(studio, key, current, words, scene, linked.mappings), (), linked.lost)


def start_with_scene(studio: Studio, files: Mapping[str, bytes]) -> Revision:
    """Make a project of a scene, with no sound yet."""
    found = _look(studio, files)
    media = studio.media.add([found.content], most=len(found.content))
    name = name_of(found.name)
    return studio.projects.create(Project(name=name, scene=scene_of(found, media)), label=f"Start with {name}")


def _look(studio: Studio, files: Mapping[str, bytes]) -> Found:
    most = studio.settings.most_scene_bytes
    return look_at(files, svg=SvgLimits(bytes=min(most, SvgLimits().bytes)), gltf=GltfLimits(bytes=most))


def _save(
    studio: Studio, key: str, current: Revision, words: str, scene: Scene, mappings: tuple[MappingModel, ...]
) -> Revision:
    command = PutScene(words=words[:120], scene=scene, mappings=mappings)
    document = command.apply(current.document)
    return studio.projects.save(key, document, base=current.id, label=command.words)
