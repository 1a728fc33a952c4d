"""Every edit is a small command that yields a new document, with a label in the user's words for undo."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field, TypeAdapter, ValidationError

from fern_tide.core.base.errors import FernTideError
from fern_tide.core.base.refusal import refused
from fern_tide.core.base.target import Id, Name
from fern_tide.core.command import Command, choice_label, held, listed, put, verb, without
from fern_tide.core.document import Project
from fern_tide.core.envelope.envelope import Envelope
from fern_tide.core.mapping_commands import (
    DropVersion,
    KeepVersion,
    MoveMapping,
    PutMapping,
    PutRecipes,
    RemoveMapping,
    RemoveRecipe,
    ShowVersion,
)
from fern_tide.core.scene_commands import (
    ArrangePart,
    PutFollow,
    PutLimit,
    PutPart,
    PutScene,
    RemoveFollow,
    RemovePart,
    SetAnchor,
    SetPlays,
    SetStage,
    SetValue,
)
from fern_tide.core.soundtrack_commands import (
    MoveTrack,
    PutMarker,
    PutMarkers,
    PutTrack,
    RemoveMarker,
    RemoveTrack,
    SetBeat,
    SetLength,
    SetRate,
    SetWork,
)


class RenameProject(Command, frozen=True):
    """Give the project another name."""

    kind: Literal["rename_project"] = "rename_project"
    name: Name

    def label(self, before: Project) -> str:  # noqa: D102
        return f"Rename the project to {self.name}"

    def apply(self, project: Project) -> Project:  # noqa: D102
        return project.but(name=self.name)


class SetKeysError(Command, frozen=True):
    """Change how far thinned keys may be from the dense curve."""

    kind: Literal["set_keys_error"] = "set_keys_error"
    percent: float

    def label(self, before: Project) -> str:  # noqa: D102
        return f"Keep keys within {self.percent:g} %"

    def apply(self, project: Project) -> Project:  # noqa: D102
        return project.but(keys_error_percent=self.percent)


class PutEnvelope(Command, frozen=True):
    """Add an envelope, or change the one of the same id."""

    kind: Literal["put_envelope"] = "put_envelope"
    envelope: Envelope

    def label(self, before: Project) -> str:  # noqa: D102
        old = held(before.envelopes, self.envelope.id)
        if old is None:
            return f"Add the envelope {self.envelope.name}"
        if old.name != self.envelope.name:
            return f"Rename {old.name} to {self.envelope.name}"
        return choice_label(old.clean_up, self.envelope.clean_up, old.name) or f"Tune {old.name}"

    def apply(self, project: Project) -> Project:  # noqa: D102
        return project.but(envelopes=put(project.envelopes, self.envelope))


class RemoveEnvelope(Command, frozen=True):
    """Take an envelope out; refused while mappings use it."""

    kind: Literal["remove_envelope"] = "remove_envelope"
    id: Id

    def label(self, before: Project) -> str:  # noqa: D102
        return f"Remove the envelope {before.envelope(self.id).name}"

    def apply(self, project: Project) -> Project:  # noqa: D102
        envelope = project.envelope(self.id)
        users = [mapping.name for mapping in project.mappings if self.id in (mapping.envelope, *mapping.uses)]
        if users:
            raise FernTideError(
                f"{envelope.name} cannot be removed: it drives {listed(users)}.",
                remedy="Choose another envelope there first, or delete those mappings.",
            )
        blends = [item.name for item in project.envelopes if self.id in item.uses]
        if blends:
            raise FernTideError(
                f"{envelope.name} cannot be removed: {listed(blends)} {verb(blends, 'is', 'are')} blended of it.",
                remedy="Choose another envelope there first.",
            )
        return project.but(envelopes=without(project.envelopes, self.id))


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
    | SetLength
    | SetWork
    | SetBeat
    | SetKeysError
    | PutTrack
    | MoveTrack
    | RemoveTrack
    | PutMarker
    | PutMarkers
    | RemoveMarker
    | PutEnvelope
    | RemoveEnvelope
    | PutMapping
    | MoveMapping
    | RemoveMapping
    | KeepVersion
    | ShowVersion
    | DropVersion
    | PutRecipes
    | RemoveRecipe
    | PutPart
    | SetValue
    | SetAnchor
    | ArrangePart
    | RemovePart
    | PutFollow
    | RemoveFollow
    | PutLimit
    | SetStage
    | SetPlays
    | PutScene
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
        raise refused(cause, model=AnyCommand) from cause
