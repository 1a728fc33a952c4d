"""Every edit is a small command that yields a new document, with a label in the user's words for undo."""

from __future__ import annotations

from typing import Annotated, Any, Literal, TypeVar

from pydantic import Field, TypeAdapter, ValidationError

from fern_tide.core.base.errors import FernTideError
from fern_tide.core.base.frame_rate import RateField
from fern_tide.core.base.params import Frozen, invalid
from fern_tide.core.base.target import Id, Name
from fern_tide.core.document import Project, Track
from fern_tide.core.envelope.envelope import Envelope
from fern_tide.core.mapping.mapping import Mapping


class Command(Frozen, frozen=True):
    """One edit."""

    def label(self, before: Project) -> str:
        """Say what the edit does, as undo will call it."""
        raise NotImplementedError

    def apply(self, project: Project) -> Project:
        """Give the document after the edit.

        Raises:
            FernTideError: it names something that is not there, or would make the document impossible.
        """
        raise NotImplementedError


class RenameProject(Command, frozen=True):
    """Give the project another name."""

    kind: Literal["rename_project"] = "rename_project"
    name: Name

    def label(self, before: Project) -> str:  # noqa: D102
        return f"Rename the project to {self.name}"

    def apply(self, project: Project) -> Project:  # noqa: D102
        return project.but(name=self.name)


class SetRate(Command, frozen=True):
    """Change the frame rate; curves are read anew at the new frames."""

    kind: Literal["set_rate"] = "set_rate"
    rate: RateField

    def label(self, before: Project) -> str:  # noqa: D102
        return f"Set the rate to {self.rate.label} fps"

    def apply(self, project: Project) -> Project:  # noqa: D102
        return project.but(rate=self.rate)


class SetKeysError(Command, frozen=True):
    """Change how far thinned keys may be from the dense curve."""

    kind: Literal["set_keys_error"] = "set_keys_error"
    percent: float

    def label(self, before: Project) -> str:  # noqa: D102
        return f"Keep keys within {self.percent:g} %"

    def apply(self, project: Project) -> Project:  # noqa: D102
        return project.but(keys_error_percent=self.percent)


class PutTrack(Command, frozen=True):
    """Add a track, or change the one of the same id."""

    kind: Literal["put_track"] = "put_track"
    track: Track

    def label(self, before: Project) -> str:  # noqa: D102
        old = _held(before.tracks, self.track.id)
        if old is None:
            return f"Add the track {self.track.name}"
        if old.name != self.track.name:
            return f"Rename {old.name} to {self.track.name}"
        if old.heard != self.track.heard:
            return f"{'Hear' if self.track.heard else 'Silence'} {old.name}"
        return f"Change the track {old.name}"

    def apply(self, project: Project) -> Project:  # noqa: D102
        return project.but(tracks=_put(project.tracks, self.track))


class RemoveTrack(Command, frozen=True):
    """Take a track out; refused while envelopes read from it."""

    kind: Literal["remove_track"] = "remove_track"
    id: Id

    def label(self, before: Project) -> str:  # noqa: D102
        return f"Remove the track {before.track(self.id).name}"

    def apply(self, project: Project) -> Project:  # noqa: D102
        track = project.track(self.id)
        users = [envelope.name for envelope in project.envelopes if envelope.track == self.id]
        if users:
            raise FernTideError(
                f"{track.name} cannot be removed: {_listed(users)} {_verb(users, 'reads', 'read')} from it.",
                remedy="Remove those envelopes first, or let them read another track.",
            )
        return project.but(tracks=_without(project.tracks, self.id))


class PutEnvelope(Command, frozen=True):
    """Add an envelope, or change the one of the same id."""

    kind: Literal["put_envelope"] = "put_envelope"
    envelope: Envelope

    def label(self, before: Project) -> str:  # noqa: D102
        old = _held(before.envelopes, self.envelope.id)
        if old is None:
            return f"Add the envelope {self.envelope.name}"
        if old.name != self.envelope.name:
            return f"Rename {old.name} to {self.envelope.name}"
        return _choice_label(old.clean_up, self.envelope.clean_up, old.name) or f"Tune {old.name}"

    def apply(self, project: Project) -> Project:  # noqa: D102
        return project.but(envelopes=_put(project.envelopes, self.envelope))


class RemoveEnvelope(Command, frozen=True):
    """Take an envelope out; refused while mappings use it."""

    kind: Literal["remove_envelope"] = "remove_envelope"
    id: Id

    def label(self, before: Project) -> str:  # noqa: D102
        return f"Remove the envelope {before.envelope(self.id).name}"

    def apply(self, project: Project) -> Project:  # noqa: D102
        envelope = project.envelope(self.id)
        users = [mapping.name for mapping in project.mappings if mapping.envelope == self.id]
        if users:
            raise FernTideError(
                f"{envelope.name} cannot be removed: it drives {_listed(users)}.",
                remedy="Choose another envelope there first, or delete those mappings.",
            )
        return project.but(envelopes=_without(project.envelopes, self.id))


class PutMapping(Command, frozen=True):
    """Add a mapping at the end, or change the one of the same id."""

    kind: Literal["put_mapping"] = "put_mapping"
    mapping: Mapping

    def label(self, before: Project) -> str:  # noqa: D102
        old, new = _held(before.mappings, self.mapping.id), self.mapping
        if old is None:
            return f"Add {new.name}"
        if old.name != new.name:
            return f"Rename {old.name} to {new.name}"
        if old.envelope != new.envelope:
            return f"Let {before.envelope(new.envelope).name} drive {new.name}"
        if old.muted != new.muted:
            return f"{'Mute' if new.muted else 'Unmute'} {new.name}"
        if old.marks.low != new.marks.low and old.marks.high == new.marks.high:
            return f"Move low water of {new.name}"
        if old.marks != new.marks:
            return f"Move high water of {new.name}" if old.marks.low == new.marks.low else f"Set marks of {new.name}"
        return _choice_label(old.steps, new.steps, new.name) or f"Tune {new.name}"

    def apply(self, project: Project) -> Project:  # noqa: D102
        return project.but(mappings=_put(project.mappings, self.mapping))


class MoveMapping(Command, frozen=True):
    """Move a mapping to another place in the list, which is also the stacking order."""

    kind: Literal["move_mapping"] = "move_mapping"
    id: Id
    place: Annotated[int, Field(ge=0)]

    def label(self, before: Project) -> str:  # noqa: D102
        return f"Move {before.mapping(self.id).name} in the list"

    def apply(self, project: Project) -> Project:  # noqa: D102
        mapping = project.mapping(self.id)
        rest = list(_without(project.mappings, self.id))
        rest.insert(self.place, mapping)
        return project.but(mappings=tuple(rest))


class RemoveMapping(Command, frozen=True):
    """Delete a mapping."""

    kind: Literal["remove_mapping"] = "remove_mapping"
    id: Id

    def label(self, before: Project) -> str:  # noqa: D102
        return f"Delete {before.mapping(self.id).name}"

    def apply(self, project: Project) -> Project:  # noqa: D102
        project.mapping(self.id)
        return project.but(mappings=_without(project.mappings, self.id))


class Together(Command, frozen=True):
    """Several edits as one, such as a new track with its first envelope."""

    kind: Literal["together"] = "together"
    words: Name
    commands: tuple[AnyCommand, ...]

    def label(self, before: Project) -> str:  # noqa: D102
        return self.words

    def apply(self, project: Project) -> Project:  # noqa: D102
        for command in self.commands:
            project = command.apply(project)
        return project


AnyCommand = Annotated[
    RenameProject
    | SetRate
    | SetKeysError
    | PutTrack
    | RemoveTrack
    | PutEnvelope
    | RemoveEnvelope
    | PutMapping
    | MoveMapping
    | RemoveMapping
    | Together,
    Field(discriminator="kind"),
]
Together.model_rebuild()
_ADAPTER: TypeAdapter[Command] = TypeAdapter(AnyCommand)


def read_command(plain: Any) -> Command:
    """Read a command from plain data.

    Raises:
        InvalidParameter: it is no command, or one of its values is not possible.
    """
    try:
        return _ADAPTER.validate_python(plain)
    except ValidationError as cause:
        raise invalid(Command, cause) from cause


T = TypeVar("T", Track, Envelope, Mapping)


def _held(items: tuple[T, ...], wanted: str) -> T | None:
    return next((item for item in items if item.id == wanted), None)


def _put(items: tuple[T, ...], new: T) -> tuple[T, ...]:
    if _held(items, new.id) is None:
        return items + (new,)  # noqa: RUF005
    return tuple(new if item.id == new.id else item for item in items)


def _without(items: tuple[T, ...], gone: str) -> tuple[T, ...]:
    return tuple(item for item in items if item.id != gone)


def _choice_label(old: tuple[Any, ...], new: tuple[Any, ...], owner: str) -> str:
    """Name the one step or clean-up that was added, removed or tuned, or ''."""
    if len(new) > len(old):
        added = next((b for a, b in zip(old, new, strict=False) if a != b), new[-1])
        return f"Add {added.spec.label.lower()} to {owner}"
    if len(new) < len(old):
        removed = next((a for a, b in zip(old, new, strict=False) if a != b), old[-1])
        return f"Take {removed.spec.label.lower()} off {owner}"
    tuned = next((b for a, b in zip(old, new, strict=True) if a != b), None)
    return f"Tune {tuned.spec.label.lower()} of {owner}" if tuned else ""


def _listed(names: list[str]) -> str:
    return " and ".join([", ".join(names[:-1]), names[-1]] if len(names) > 1 else names)


def _verb(names: list[str], one: str, many: str) -> str:
    return one if len(names) == 1 else many
