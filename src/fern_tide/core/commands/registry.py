"""All commands, by the kind that a page names; and several as one."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, Any, Literal, get_args

from pydantic import Field, TypeAdapter, ValidationError

from fern_tide.core.base.limits import MOST_COMMANDS, Most
from fern_tide.core.base.refusal import refused
from fern_tide.core.base.target import Name
from fern_tide.core.commands.command import Command
from fern_tide.core.commands.field import AddEntry, ChangeList, SetField
from fern_tide.core.commands.first_cut import DropFirstCut, KeepFirstCut, TakeFirstCut
from fern_tide.core.commands.mapping import (
    AddStop,
    DropVersion,
    KeepVersion,
    MoveMapping,
    PutMapping,
    PutRecipes,
    RemoveMapping,
    RemoveRecipe,
    ShowVersion,
)
from fern_tide.core.commands.poses import StorePose, TakePose, UpdatePose
from fern_tide.core.commands.project import (
    AddEnvelope,
    PutEnvelope,
    RemoveEnvelope,
    RenameProject,
    SetKeysError,
    SetPictureDelay,
)
from fern_tide.core.commands.scene import (
    ArrangePart,
    PutFollow,
    PutPart,
    PutScene,
    RemoveFollow,
    RemovePart,
    SetPlays,
    SetStage,
)
from fern_tide.core.commands.several import (
    GatherParts,
    PutLimit,
    PutSelection,
    RemoveSelection,
    RenameParts,
    SetAnchor,
    SetAnchors,
    SetLimits,
    SetValue,
    SetValues,
)
from fern_tide.core.commands.soundtrack import (
    AddMarker,
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
from fern_tide.core.commands.touch_ups import PutTouchUps, RemoveTouchUps
from fern_tide.core.document import Project


class Together(Command, frozen=True):
    """Several edits as one, such as a new track with its first envelope."""

    kind: Literal["together"] = "together"
    words: Name
    commands: Annotated[tuple[AnyCommand, ...], Most(MOST_COMMANDS)]

    def label(self, before: Project) -> str:
        return self.words

    def as_seen(self, seen: Callable[[int], Project], now: Project) -> Together:
        return self.but(commands=tuple(command.as_seen(seen, now) for command in self.commands))

    def apply(self, project: Project) -> Project:
        for command in self.commands:
            project = command.apply(project)
        return project


AnyCommand = Annotated[
    SetField
    | StorePose
    | UpdatePose
    | TakePose
    | ChangeList
    | AddEntry
    | RenameProject
    | SetRate
    | SetLength
    | SetWork
    | SetBeat
    | SetKeysError
    | SetPictureDelay
    | PutTrack
    | MoveTrack
    | RemoveTrack
    | PutMarker
    | PutMarkers
    | AddMarker
    | RemoveMarker
    | PutEnvelope
    | AddEnvelope
    | RemoveEnvelope
    | PutMapping
    | AddStop
    | MoveMapping
    | RemoveMapping
    | KeepVersion
    | ShowVersion
    | DropVersion
    | PutRecipes
    | RemoveRecipe
    | TakeFirstCut
    | KeepFirstCut
    | DropFirstCut
    | PutPart
    | SetValue
    | SetValues
    | SetAnchor
    | SetAnchors
    | SetLimits
    | GatherParts
    | RenameParts
    | PutSelection
    | RemoveSelection
    | ArrangePart
    | RemovePart
    | PutFollow
    | RemoveFollow
    | PutLimit
    | SetStage
    | SetPlays
    | PutScene
    | PutTouchUps
    | RemoveTouchUps
    | Together,
    Field(discriminator="kind"),
]
Together.model_rebuild()
_ADAPTER: TypeAdapter[Command] = TypeAdapter(AnyCommand)
COMMANDS: dict[str, type[Command]] = {
    str(model.model_fields["kind"].default): model for model in get_args(get_args(AnyCommand)[0])
}
"""Every command by its kind."""


def read_command(plain: Any) -> Command:
    """Read a command from plain data.

    Raises:
        InvalidParameter: it is no command, or one of its values is not possible.
    """
    try:
        return _ADAPTER.validate_python(plain)
    except ValidationError as cause:
        raise refused(cause, model=AnyCommand) from cause
