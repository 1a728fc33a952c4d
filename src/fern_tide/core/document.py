"""The project document: everything a project is, but for its media, as one immutable value."""

from __future__ import annotations

import json
from collections.abc import Iterable
from fractions import Fraction
from functools import cached_property
from typing import Annotated, Any, Literal, TypeVar

from pydantic import Field, StringConstraints, ValidationError, model_validator

from fern_tide.core.base.errors import FernTideError, InvalidParameter, UnknownName, UnreadableProject
from fern_tide.core.base.frame_rate import FrameRate, RateField
from fern_tide.core.base.params import Frozen, build
from fern_tide.core.base.target import Id, Name
from fern_tide.core.envelope.envelope import Envelope
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.scene.scene import Scene
from fern_tide.core.sound.decode import SoundInfo
from fern_tide.core.sound.grid import FrameGrid

VERSION = 1
MediaHash = Annotated[str, StringConstraints(pattern=r"^[0-9a-f]{64}$")]


class Track(Frozen, frozen=True):
    """One sound in the project.

    Attributes:
        media: the SHA-256 of the sound file.
        info: what the file holds, as measured.
        heard: whether it sounds.
        drives: whether envelopes are read from it.
        offset_samples: how much later than the project it begins, in its own samples.
    """

    id: Id
    name: Name
    media: MediaHash
    info: SoundInfo
    heard: bool = True
    drives: bool = True
    offset_samples: Annotated[int, Field(ge=-(2**40), le=2**40)] = 0

    def grid(self, rate: FrameRate) -> FrameGrid:
        """Give the project's frames over this track."""
        return FrameGrid(rate, self.info.sample_rate_hz, self.info.n_samples, self.offset_samples)

    @property
    def end(self) -> Fraction:
        """When it ends, in seconds of the project."""
        return Fraction(self.info.n_samples + self.offset_samples, self.info.sample_rate_hz)


class Project(Frozen, frozen=True):
    """A whole project: what is revised, saved, baked and handed off."""

    version: Literal[1] = 1
    name: Name
    rate: RateField = FrameRate(Fraction(30))
    tracks: tuple[Track, ...] = ()
    envelopes: tuple[Envelope, ...] = ()
    mappings: tuple[Mapping, ...] = ()
    scene: Scene
    keys_error_percent: Annotated[float, Field(gt=0, le=20)] = 0.5

    @model_validator(mode="after")
    def _sound(self) -> Project:
        for kind, items in (("track", self.tracks), ("envelope", self.envelopes), ("mapping", self.mappings)):
            ids = [item.id for item in items]
            if len(set(ids)) < len(ids):
                raise InvalidParameter(f"{kind} id", value=max(ids, key=ids.count), allowed="an id used once")
        for envelope in self.envelopes:
            self.track(envelope.track)
        for mapping in self.mappings:
            self.envelope(mapping.envelope)
            for drive in mapping.drives:
                _, item = self.scene.resolve(drive.target)
                if (item.kind == "colour") != isinstance(drive.rest, str):
                    raise InvalidParameter(f"{drive.target} at rest", value=drive.rest, allowed=f"a {item.kind}")
        return self

    @cached_property
    def n_frames(self) -> int:
        """The project's length: every frame that a track reaches into."""
        return max((track.grid(self.rate).n_frames for track in self.tracks), default=0)

    def track(self, track_id: str) -> Track:
        """Find a track, or raise UnknownName."""
        return _find(self.tracks, track_id, "track")

    def envelope(self, envelope_id: str) -> Envelope:
        """Find an envelope, or raise UnknownName."""
        return _find(self.envelopes, envelope_id, "envelope")

    def mapping(self, mapping_id: str) -> Mapping:
        """Find a mapping, or raise UnknownName."""
        return _find(self.mappings, mapping_id, "mapping")

    def but(self, **changes: Any) -> Project:
        """Give the document with some fields replaced, checked anew; raise FernTideError where that is not possible."""
        return build(Project, {**{name: getattr(self, name) for name in type(self).model_fields}, **changes})


T = TypeVar("T", Track, Envelope, Mapping)


def _find(items: Iterable[T], wanted: str, kind: str) -> T:
    items = tuple(items)
    for item in items:
        if item.id == wanted:
            return item
    known = ", ".join(item.id for item in items) or "none yet"
    raise UnknownName(f"The project has no {kind} named {wanted:.60}.", remedy=f"It has: {known}.", name=wanted)


def read_project(text: str | bytes) -> Project:
    """Read a document from its JSON.

    Raises:
        UnreadableProject: it is no JSON, comes from a newer version, or something in it is not possible.
    """
    try:
        plain = json.loads(text)
        version = plain["version"]
    except (ValueError, TypeError, KeyError, RecursionError) as cause:
        raise UnreadableProject("This is no Fern Tide document.", remedy="Choose a .ferntide file.") from cause
    if not isinstance(version, int) or version > VERSION:
        raise UnreadableProject(
            f"The project was made by a newer Fern Tide (document version {version!s:.20}; this one reads {VERSION}).",
            remedy="Update Fern Tide to open it.",
        )
    try:
        return Project.model_validate(plain)
    except ValidationError as cause:
        first = cause.errors()[0]
        where = ".".join(str(part) for part in first["loc"])
        raise UnreadableProject(
            f"The project's {where or 'document'} cannot be read: {first['msg']}.", remedy="Export it again."
        ) from cause
    except FernTideError as cause:
        raise UnreadableProject(f"The project cannot be read. {cause.what}", remedy=cause.remedy) from cause


def document_schema() -> dict[str, Any]:
    """Give the JSON Schema of the document."""
    schema = Project.model_json_schema()
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "title": "Fern Tide project", **schema}
