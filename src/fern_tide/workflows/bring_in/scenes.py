"""A scene comes in: added to the stage, in its place, or under the parts of an older version; mappings stay linked."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from fern_tide.core.base.errors import FernTideError
from fern_tide.core.base.naming import name_of
from fern_tide.core.base.target import Target
from fern_tide.core.commands.scene import PutScene
from fern_tide.core.document import Project
from fern_tide.core.mapping.mapping import Mapping as MappingModel
from fern_tide.core.scene.gltf.container import GltfLimits
from fern_tide.core.scene.scene import Scene
from fern_tide.core.scene.svg.allowed import SvgLimits
from fern_tide.store.revision import Revision
from fern_tide.workflows.bring_in.laying import lay
from fern_tide.workflows.bring_in.relinking import originals_of, relink
from fern_tide.workflows.bring_in.scene_files import SceneContent, add_to, empty_scene, look_at_all, scene_of
from fern_tide.workflows.studio import Studio


@dataclass(frozen=True)
class Linked:
    """How mappings came through a change of the scene.

    Attributes:
        mappings: those that still move something.
        lost: what was driven and is there no more, in words.
    """

    mappings: tuple[MappingModel, ...]
    lost: tuple[str, ...]


def link(project: Project, scene: Scene, *, same_ids: bool = False) -> Linked:
    """Let mappings move, in another scene, the parts of the same names, or of the same ids whatever they are called."""
    by_name: dict[str, str] = {}
    for part in scene.parts:
        by_name.setdefault(part.name, part.id)
    known = {part.id: part for part in scene.parts}
    linked, lost = [], []
    for mapping in project.mappings:
        drives = []
        for drive in mapping.drives:
            part, item = project.scene.resolve(drive.target)
            same = known.get(part.id)
            is_same = same is not None and (same_ids or same.name == part.name)
            to = part.id if is_same else by_name.get(part.name)
            if to is not None and known[to].has(item.id) and known[to].property(item.id).kind == item.kind:
                drives.append(drive.model_copy(update={"target": Target(part=to, property=item.id)}))
            else:
                lost.append(f"{part.name}, {item.label.lower()}")
        if drives:
            linked.append(mapping.model_copy(update={"drives": tuple(drives)}))
    return Linked(tuple(linked), tuple(dict.fromkeys(lost)))


@dataclass(frozen=True)
class BroughtIn:
    """What became of files that came in: the revision, what was cut out, what is no longer driven, what is new.

    Attributes:
        part: the first part that came, of those that lie in no other; None where none did.
    """

    revision: Revision
    notes: tuple[str, ...]
    lost: tuple[str, ...] = ()
    fresh: tuple[str, ...] = ()
    part: str | None = None


def bring_in(studio: Studio, key: str, files: Mapping[str, bytes], *, replace: bool) -> BroughtIn:
    """Add what came in to a project's stage, or put it in the stage's place.

    Raises:
        UnreadableScene: it cannot be used; the project stays as it is.
        FernTideError: it is of another kind than the stage.
    """
    contents = _store(studio, files)
    notes = _notes(contents)
    if replace:
        scene = _with_all(scene_of(*contents[0]), contents[1:])
        return _in_its_place(studio, key, scene, f"Replace the stage with {_named(contents)}", notes=notes)

    def with_parts(project: Project) -> tuple[Project, str, str | None]:
        scene, there = _with_all(project.scene, contents), {part.id for part in project.scene.parts}
        came = next((part.id for part in scene.parts if part.id not in there and part.parent is None), None)
        return *_with_scene(project, f"Bring in {_named(contents)}", scene, project.mappings), came

    revision, came = lay(studio, key, with_parts)
    return BroughtIn(revision, notes, part=came)


def _in_its_place(studio: Studio, key: str, scene: Scene, words: str, *, notes: tuple[str, ...] = ()) -> BroughtIn:
    """Put a scene in place of a project's; mappings of parts of the same names stay."""

    def with_stage(project: Project) -> tuple[Project, str, tuple[str, ...]]:
        linked = link(project, scene)
        return *_with_scene(project, words, scene, linked.mappings), linked.lost

    revision, lost = lay(studio, key, with_stage)
    return BroughtIn(revision, notes, lost)


def _with_all(scene: Scene, contents: Sequence[tuple[SceneContent, str]]) -> Scene:
    for item, media in contents:
        scene = add_to(scene, item, media)
    return scene


def _named(contents: Sequence[tuple[SceneContent, str]]) -> str:
    first = contents[0][0].name
    return first if len(contents) == 1 else f"{first[:80]} and {len(contents) - 1} more"


def replace_file(studio: Studio, key: str, file_id: str, files: Mapping[str, bytes]) -> BroughtIn:
    """Put another version of a file under the parts that came with it: those of the same names stay linked.

    Raises:
        UnreadableScene: it cannot be used; the project stays as it is.
        FernTideError: it is of another kind than the file.
    """
    (content, media), *more = _store(studio, files)
    if more:
        raise FernTideError("One file can be replaced with one.", remedy="Choose one file.")

    def with_newer_file(project: Project) -> tuple[Project, str, tuple[tuple[str, ...], tuple[str, ...]]]:
        old = project.scene.file(file_id)
        if content.kind != old.kind:
            words = f"{content.name:.80} is no {old.kind} file."
            raise FernTideError(words, remedy="Replace a file with one of its kind.")
        originals = originals_of(studio, project.scene, old)
        relinked, fresh = relink(project.scene, old, content, media=media, originals=originals)
        linked = link(project, relinked, same_ids=True)
        words = f"Replace {old.name} with {content.name}"
        return *_with_scene(project, words, relinked, linked.mappings), (linked.lost, fresh)

    revision, (lost, fresh) = lay(studio, key, with_newer_file)
    return BroughtIn(revision, content.notes, lost, fresh)


def new_stage(studio: Studio, key: str, kind: str) -> BroughtIn:
    """Put an empty stage in place of the one that is there."""
    return _in_its_place(studio, key, empty_scene(kind), f"Start a new {kind.upper()} stage")


def start_with_scene(studio: Studio, files: Mapping[str, bytes]) -> BroughtIn:
    """Make a project of a scene, with no sound yet.

    Raises:
        UnreadableScene: one of the files cannot be used; nothing stays behind.
    """
    contents = _store(studio, files)
    name = name_of(contents[0][0].name)
    scene = _with_all(scene_of(*contents[0]), contents[1:])
    revision = studio.projects.create(Project(name=name, scene=scene), label=f"Start with {name}")
    return BroughtIn(revision, _notes(contents))


def _notes(contents: Sequence[tuple[SceneContent, str]]) -> tuple[str, ...]:
    return tuple(note for item, _ in contents for note in item.notes)


def _store(studio: Studio, files: Mapping[str, bytes]) -> list[tuple[SceneContent, str]]:
    """Read files and keep them; give each with the hash that it is kept under."""
    most = studio.settings.most_scene_bytes
    svg, gltf = SvgLimits(bytes=min(most, SvgLimits().bytes)), GltfLimits(bytes=most)
    contents = look_at_all(files, svg=svg, gltf=gltf)
    return [(item, studio.media.add([item.content], most=len(item.content))) for item in contents]


def _with_scene(project: Project, words: str, scene: Scene, mappings: tuple[MappingModel, ...]) -> tuple[Project, str]:
    command = PutScene(words=words[:120], scene=scene, mappings=mappings)
    return command.apply(project), command.words
