"""Edits of the project itself and of its envelopes."""

from __future__ import annotations

from typing import Literal

from fern_tide.core.bake.picture_delay import PictureDelay
from fern_tide.core.base.errors import FernTideError
from fern_tide.core.base.target import Id, Name
from fern_tide.core.commands.command import (
    Command,
    Indirect,
    by_id,
    choice_label,
    listed,
    next_number,
    put,
    verb,
    without,
)
from fern_tide.core.document import Project
from fern_tide.core.envelope.envelope import Envelope, ReadingChoice, beginning


class RenameProject(Command, frozen=True):
    """Give the project another name."""

    kind: Literal["rename_project"] = "rename_project"
    name: Name

    def label(self, before: Project) -> str:
        return f"Rename the project to {self.name}"

    def apply(self, project: Project) -> Project:
        return project.but(name=self.name)


class SetKeysError(Command, frozen=True):
    """Change how far thinned keys may be from the dense curve."""

    kind: Literal["set_keys_error"] = "set_keys_error"
    percent: float

    def label(self, before: Project) -> str:
        return f"Keep keys within {self.percent:g} %"

    def apply(self, project: Project) -> Project:
        return project.but(keys_error_percent=self.percent)


class SetPictureDelay(Command, frozen=True):
    """Say how late pictures are where they are shown, and whether what is handed off makes up for it."""

    kind: Literal["set_picture_delay"] = "set_picture_delay"
    delay: PictureDelay

    def label(self, before: Project) -> str:
        baked = ", made up for" if self.delay.baked else ""
        return f"Picture {abs(self.delay.ms):g} ms {'late' if self.delay.ms >= 0 else 'early'}{baked}"

    def apply(self, project: Project) -> Project:
        return project.but(picture_delay=self.delay)


class PutEnvelope(Command, frozen=True):
    """Add an envelope, or change the one of the same id."""

    kind: Literal["put_envelope"] = "put_envelope"
    envelope: Envelope

    def label(self, before: Project) -> str:
        old = by_id(before.envelopes, self.envelope.id)
        if old is None:
            return f"Add the envelope {self.envelope.name}"
        if old.name != self.envelope.name:
            return f"Rename {old.name} to {self.envelope.name}"
        return choice_label(old.clean_up, self.envelope.clean_up, old.name) or f"Tune {old.name}"

    def apply(self, project: Project) -> Project:
        return project.but(envelopes=put(project.envelopes, self.envelope))


class AddEnvelope(Indirect, frozen=True):
    """Add an envelope that begins as its reading does; its id, and its name where none is given, count on."""

    kind: Literal["add_envelope"] = "add_envelope"
    reading: ReadingChoice
    track: Id | None = None
    name: Name | None = None

    def stands_for(self, project: Project) -> PutEnvelope:
        number = next_number(project.envelopes, self.reading.id)
        envelope = Envelope(
            id=f"{self.reading.id}-{number}",
            name=self.name or f"{self.reading.spec.label} {number}",
            track=self.track,
            reading=self.reading,
            clean_up=beginning(self.reading.id),
        )
        return PutEnvelope(envelope=envelope)


class RemoveEnvelope(Command, frozen=True):
    """Take an envelope out; refused while mappings use it."""

    kind: Literal["remove_envelope"] = "remove_envelope"
    id: Id

    def label(self, before: Project) -> str:
        return f"Remove the envelope {before.envelope(self.id).name}"

    def apply(self, project: Project) -> Project:
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
