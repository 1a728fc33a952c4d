"""The project document: everything a project is, but for its media, as one immutable value."""

from __future__ import annotations

from collections.abc import Iterable
from fractions import Fraction
from functools import cached_property
from typing import Annotated, Any, Literal, TypeVar

from pydantic import Field, ValidationError, model_validator

from fern_tide.core.bake.picture_delay import PictureDelay
from fern_tide.core.bake.reached import refuse_circles
from fern_tide.core.bake.touch_up import MOST_TOUCH_UPS, TouchUp
from fern_tide.core.base.errors import FernTideError, InvalidParameter, UnknownName, UnreadableProject
from fern_tide.core.base.frame_rate import FrameRate, RateField
from fern_tide.core.base.limits import (
    MOST_ENVELOPES,
    MOST_FRAMES,
    MOST_MAPPINGS,
    MOST_MARKERS,
    MOST_TRACKS,
    Most,
    TooMuch,
    read_json,
)
from fern_tide.core.base.order import MadeOfItself, in_order
from fern_tide.core.base.params import Frozen
from fern_tide.core.base.refusal import refused
from fern_tide.core.base.target import Id, MediaHash, Name
from fern_tide.core.envelope.beat_grid import BeatSetting
from fern_tide.core.envelope.envelope import Envelope
from fern_tide.core.envelope.hit_edits import MOST_EDITS, HitEdit
from fern_tide.core.mapping.colour import Colour
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.core.mapping.recipe import MOST_RECIPES, Recipe
from fern_tide.core.scene.first_cut import FirstCut
from fern_tide.core.scene.scene import Scene
from fern_tide.core.sound.decode import SoundInfo
from fern_tide.core.sound.grid import FrameGrid

VERSION = 1


class Track(Frozen, frozen=True):
    """One sound in the project.

    Attributes:
        media: the SHA-256 of the sound file.
        info: what the file holds, as measured.
        heard: whether it sounds.
        drives: whether envelopes are read from it.
        offset_samples: how much later than the project it begins, in its own samples.
        gain_db: how much louder it sounds; what it drives stays as it is.
        muted: whether it is silent for now.
        solo: whether, for now, only this and other solo tracks sound.
        hit_edits: its hits that are edited by hand, in seconds of the track.
    """

    id: Id
    name: Name
    media: MediaHash
    info: SoundInfo
    heard: bool = True
    drives: bool = True
    offset_samples: Annotated[int, Field(ge=-(2**40), le=2**40)] = 0
    gain_db: Annotated[float, Field(ge=-60, le=24)] = 0.0
    muted: bool = False
    solo: bool = False
    hit_edits: Annotated[tuple[HitEdit, ...], Most(MOST_EDITS), Field(exclude_if=lambda edits: not edits)] = ()

    def grid(self, rate: FrameRate) -> FrameGrid:
        """Give the project's frames over this track."""
        return FrameGrid(rate, self.info.sample_rate_hz, self.info.n_samples, self.offset_samples)

    @property
    def offset(self) -> Fraction:
        """When it begins, in seconds of the project."""
        return Fraction(self.offset_samples, self.info.sample_rate_hz)


class Marker(Frozen, frozen=True):
    """A named moment.

    Attributes:
        time_s: when, in seconds of the project.
        colour: what it is drawn in, such as #d9a431.
    """

    id: Id
    name: Name
    time_s: Annotated[float, Field(ge=0, le=1e6)]
    colour: Colour = "#d9a431"


class Project(Frozen, frozen=True):
    """A whole project: what is revised, saved, baked and handed off.

    Attributes:
        length_frames: the length set by hand; None follows the longest track that drives or is heard.
        work: the work range, from its first frame to the one after its last.
        beat: the beat grid, as it is found and corrected.
        first_cut: a first cut that is not decided yet; None where there is none.
        picture_delay: how much later pictures are seen than the sound is heard, where they are shown.
        touch_ups: edits of curves by hand, in the order in which they are laid; those whose part is gone wait.
    """

    version: Literal[1] = 1
    name: Name
    rate: RateField = FrameRate(Fraction(30))
    tracks: Annotated[tuple[Track, ...], Most(MOST_TRACKS)] = ()
    envelopes: Annotated[tuple[Envelope, ...], Most(MOST_ENVELOPES)] = ()
    mappings: Annotated[tuple[Mapping, ...], Most(MOST_MAPPINGS)] = ()
    scene: Scene
    keys_error_percent: Annotated[float, Field(ge=0, le=20)] = 0.5
    length_frames: Annotated[int, Field(ge=1, le=MOST_FRAMES)] | None = None
    work: tuple[Annotated[int, Field(ge=0)], Annotated[int, Field(ge=1)]] | None = None
    beat: BeatSetting = BeatSetting()
    markers: Annotated[tuple[Marker, ...], Most(MOST_MARKERS)] = ()
    recipes: Annotated[tuple[Recipe, ...], Most(MOST_RECIPES)] = ()
    first_cut: FirstCut | None = None
    touch_ups: Annotated[tuple[TouchUp, ...], Most(MOST_TOUCH_UPS)] = ()
    picture_delay: Annotated[PictureDelay, Field(exclude_if=lambda delay: delay == PictureDelay())] = PictureDelay()

    @model_validator(mode="after")
    def _sound(self) -> Project:
        named: dict[str, tuple[Any, ...]] = {
            "track": self.tracks,
            "envelope": self.envelopes,
            "mapping": self.mappings,
            "marker": self.markers,
            "recipe": self.recipes,
            "touch-up": self.touch_ups,
        }
        for kind, items in named.items():
            ids = [item.id for item in items]
            if len(set(ids)) < len(ids):
                raise InvalidParameter(f"{kind} id", value=max(ids, key=ids.count), allowed="an id used once")
        if self.n_frames > MOST_FRAMES:
            raise InvalidParameter("length", value=f"{self.n_frames:,} frames", allowed=f"at most {MOST_FRAMES:,}")
        for envelope in self.envelopes:
            if envelope.track is not None:
                self.track(envelope.track)
        self._in_order(envelope.id for envelope in self.envelopes)
        if self.beat.track is not None:
            self.track(self.beat.track)
        if self.work is not None and self.work[1] <= self.work[0]:
            raise InvalidParameter(
                "work range", value=f"{self.work[0]} to {self.work[1]}", allowed="an out after its in"
            )
        for mapping in self.mappings:
            for name in (mapping.envelope, *mapping.uses):
                self.envelope(name)
            for drive in mapping.drives:
                _, item = self.scene.resolve(drive.target)
                if (item.kind == "colour") != isinstance(drive.rest, str):
                    raise InvalidParameter(f"{drive.target} at rest", value=drive.rest, allowed=f"a {item.kind}")
        refuse_circles(self.scene, self.mappings)
        return self

    @cached_property
    def n_frames(self) -> int:
        """The project's length: as set by hand, or every frame that a track which drives or is heard reaches into."""
        if self.length_frames is not None:
            return self.length_frames
        counting = [track for track in self.tracks if track.drives or track.heard] or self.tracks
        return max((track.grid(self.rate).n_frames for track in counting), default=0)

    @property
    def heard(self) -> tuple[Track, ...]:
        """The tracks that sound: those heard and not muted, and where any of them is solo, only those."""
        sounding = tuple(track for track in self.tracks if track.heard and not track.muted)
        return tuple(track for track in sounding if track.solo) or sounding

    @property
    def beat_track(self) -> Track | None:
        """The track whose beats are found: the chosen one, or the first that drives."""
        if self.beat.track is not None:
            return self.track(self.beat.track)
        return next((track for track in self.tracks if track.drives), None)

    def made_of(self, envelope: Envelope) -> tuple[Envelope, ...]:
        """List an envelope and all that it is blended of.

        Raises:
            UnknownName: one of them is not there.
            InvalidParameter: it is made of itself.
        """
        return tuple(self.envelope(name) for name in reversed(self._in_order([envelope.id])))

    def _in_order(self, names: Iterable[str]) -> list[str]:
        """List envelopes by id with all that they are blended of, each after those."""
        try:
            return in_order(names, inputs=lambda name: self.envelope(name).uses)
        except MadeOfItself as wrong:
            way = " of ".join(self.envelope(name).name for name in wrong.way)
            raise InvalidParameter(
                "blend", value=f"{way}", allowed="other envelopes: it would be made of itself"
            ) from wrong

    def users(self, track_id: str) -> tuple[tuple[Envelope, ...], tuple[Mapping, ...]]:
        """List the envelopes that are made of a track, and the mappings that follow them."""
        own = {item.id for item in self.envelopes if any(part.track == track_id for part in self.made_of(item))}
        return (
            tuple(item for item in self.envelopes if item.id in own),
            tuple(item for item in self.mappings if not own.isdisjoint((item.envelope, *item.uses))),
        )

    @property
    def media(self) -> tuple[str, ...]:
        """The hashes of all files that it needs, sorted."""
        used = {track.media for track in self.tracks}
        for envelope in self.envelopes:
            used |= set(envelope.reading.spec.media(envelope.reading.params))
        return tuple(sorted(used | self.scene.media))

    @cached_property
    def _tracks(self) -> dict[str, Track]:
        return {item.id: item for item in self.tracks}

    @cached_property
    def _envelopes(self) -> dict[str, Envelope]:
        return {item.id: item for item in self.envelopes}

    @cached_property
    def _mappings(self) -> dict[str, Mapping]:
        return {item.id: item for item in self.mappings}

    def track(self, track_id: str) -> Track:
        """Find a track, or raise UnknownName."""
        return _find(self._tracks, track_id, "track")

    def envelope(self, envelope_id: str) -> Envelope:
        """Find an envelope, or raise UnknownName."""
        return _find(self._envelopes, envelope_id, "envelope")

    def mapping(self, mapping_id: str) -> Mapping:
        """Find a mapping, or raise UnknownName."""
        return _find(self._mappings, mapping_id, "mapping")

    def touch_up(self, touch_up_id: str) -> TouchUp:
        """Find a touch-up, or raise UnknownName."""
        return _find({item.id: item for item in self.touch_ups}, touch_up_id, "touch-up")

    def recipe(self, recipe_id: str) -> Recipe:
        """Find a recipe, or raise UnknownName."""
        return _find({item.id: item for item in self.recipes}, recipe_id, "recipe")


T = TypeVar("T", Track, Envelope, Mapping, Marker, Recipe, TouchUp)


def _find(items: dict[str, T], wanted: str, kind: str) -> T:
    try:
        return items[wanted]
    except KeyError:
        known = ", ".join(items) or "none yet"
        words = f"The project has no {kind} named {wanted:.60}."
        raise UnknownName(words, remedy=f"It has: {known}.", name=wanted) from None


def read_project(text: str | bytes) -> Project:
    """Read a document from its JSON.

    Raises:
        UnreadableProject: it is no JSON, comes from a newer version, or something in it is not possible.
    """
    try:
        plain = read_json(text)
        version = plain["version"]
    except TooMuch as cause:
        raise UnreadableProject(f"The project cannot be read. {cause.what}", remedy=cause.remedy) from cause
    except (ValueError, TypeError, KeyError) as cause:
        raise UnreadableProject("This is no Fern Tide document.", remedy="Choose a .ferntide file.") from cause
    if not isinstance(version, int) or version > VERSION:
        raise UnreadableProject(
            f"The project was made by a newer Fern Tide (document version {version!s:.20}; this one reads {VERSION}).",
            remedy="Update Fern Tide to open it.",
        )
    try:
        return Project.model_validate(plain)
    except ValidationError as cause:
        wrong = refused(cause, model=Project)
        raise UnreadableProject(f"The project cannot be read. {wrong.what}", remedy=wrong.remedy) from cause
    except FernTideError as cause:
        raise UnreadableProject(f"The project cannot be read. {cause.what}", remedy=cause.remedy) from cause


def document_schema() -> dict[str, Any]:
    """Give the JSON Schema of the document."""
    schema = Project.model_json_schema()
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "title": "Fern Tide project", **schema}
