"""What a property stands on beneath its mappings: its own value, or what other properties make of it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Protocol

from fern_tide.core.base.signal import FloatArray
from fern_tide.core.base.target import Target
from fern_tide.core.scene.follow import Follow, Law, followed


class Ground(Protocol):
    """What other properties make of a property."""

    @property
    def kind(self) -> str:
        """Which kind it is: 'follow', 'ride' or 'poses'."""

    @property
    def sources(self) -> tuple[Target, ...]:
        """The properties that it is made of."""

    @property
    def words(self) -> str:
        """What makes it, for people, such as 'follows Lamp, glow'."""

    @property
    def counts_own(self) -> bool:
        """Whether it depends on the property's own value."""

    @property
    def facts(self) -> Any:
        """All that it depends on but its sources' values, as plain JSON."""

    @property
    def late_frames(self) -> int:
        """How many frames after its sources it moves."""

    @property
    def made_of(self) -> tuple[object, ...]:
        """The parts of the document that it is made of: where they are the very same, so is the ground."""

    def values(self, sources: Sequence[FloatArray], *, own: float | str) -> FloatArray:
        """Give the property's values, shape (frames,), or (3, frames) for a colour.

        Args:
            sources: the values of its sources, in their order.
            own: the property's own value.
        """


@dataclass(frozen=True)
class FollowGround:
    """The ground of a property that follows another.

    Attributes:
        follow: how.
        source: the part that is followed.
        source_own: its own value of what is followed.
        source_label: what people call that.
    """

    follow: Follow
    source: Any
    source_own: float | str
    source_label: str

    @property
    def kind(self) -> str:
        """A follow."""
        return "follow"

    @property
    def sources(self) -> tuple[Target, ...]:
        """What is followed."""
        return (self.follow.source,)

    @property
    def words(self) -> str:
        """Say what is followed."""
        return f"follows {self.source.name}, {self.source_label.lower()}"

    @property
    def counts_own(self) -> bool:
        """Whether a law starts from the own value."""
        return self.follow.law is not Law.SAME

    @property
    def facts(self) -> Any:
        """The follow, and what it starts from."""
        return [self.follow.model_dump(mode="json", exclude={"target"}), self.source_own if self.counts_own else None]

    @property
    def late_frames(self) -> int:
        """As late as it follows."""
        return self.follow.late_frames

    @property
    def made_of(self) -> tuple[object, ...]:
        """The follow and the part that is followed."""
        return (self.follow, self.source)

    def values(self, sources: Sequence[FloatArray], *, own: float | str) -> FloatArray:
        """Follow."""
        numbers = (0.0, 0.0)
        if not isinstance(own, str) and not isinstance(self.source_own, str):
            numbers = (own, self.source_own)
        return followed(sources[0], follow=self.follow, own=numbers[0], source_own=numbers[1])
