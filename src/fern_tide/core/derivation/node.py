"""A node of the derivation graph: something that is worked out, what it is made of, and how."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from enum import StrEnum
from hashlib import sha256
from typing import Any, Protocol, TypeAlias

from fern_tide.core.base.errors import FernTideError
from fern_tide.core.base.order import in_order
from fern_tide.core.base.signal import Float32Array, canonical
from fern_tide.core.envelope.beats import Beats
from fern_tide.core.envelope.hits import Hits

Facts: TypeAlias = Mapping[str, Any]


class Kind(StrEnum):
    """The stages of derivation, in the order of the data."""

    MEDIA = "media"
    FEATURE = "feature"
    RHYTHM = "rhythm"
    BEATS = "beats"
    READING = "reading"
    HITS = "hits"
    LEVEL = "level"
    HISTOGRAM = "histogram"
    CONTEXT = "context"
    LIFT = "lift"
    STACK = "stack"
    CURVE = "curve"
    KEYS = "keys"


class NotReadYet(FernTideError):
    """A value was asked for that is made of something which is still being read from a file."""


class Sources(Protocol):
    """Where the values come from that are not worked out from other values: files, and what is stored of them."""

    def stored(self, key: str) -> bool:
        """Say whether a feature, or a file's hits and beats, can be given at once."""

    def feature(self, node: Node) -> Float32Array:
        """Give a feature that was read from a file, or raise NotReadYet."""

    def rhythm(self, node: Node) -> tuple[Hits, Beats]:
        """Give the hits and beats of a file, or raise NotReadYet."""

    def file(self, media: str) -> bytes:
        """Give a file by its hash."""


Work: TypeAlias = Callable[[list[Any], Sources], Any]


@dataclass(frozen=True, eq=False, repr=False)
class Node:
    """Something that is derived.

    Attributes:
        kind: its stage.
        id: which of its kind, in the document's own words: an envelope's id, 'lamp:turn', a file's hash.
        name: what people call it; no number depends on it.
        inputs: the nodes that it is made of.
        facts: all else that its value depends on, as plain data: settings, and versions of the code.
        fingerprint: of facts and inputs: equal fingerprints, equal values.
        work: works the value out from those of the inputs, in their order.
        subject: what Sources need to know of a feature or rhythm.
        facts_text: the facts as canonical JSON.
    """

    kind: Kind
    id: str
    name: str
    inputs: tuple[Node, ...]
    facts: Facts
    fingerprint: str
    work: Work
    subject: Any = None
    facts_text: str = "{}"

    def __repr__(self) -> str:
        return f"<{self.kind} {self.id} {self.fingerprint[:8]}>"  # what it is made of would be said again and again

    @property
    def key(self) -> str:
        """What its record is stored under: nodes that are alike have one fingerprint, but each its own id."""
        return record_key(self.fingerprint, self.id)

    @property
    def record(self) -> Record:
        """What is stored of it, so that a later one can say how it differs."""
        return Record(self.kind, self.id, self.name, dict(self.facts), tuple(item.key for item in self.inputs))

    @property
    def record_text(self) -> str:
        """Its record as JSON: its facts, which can be long, are the text that they were hashed as."""
        inputs = [item.key for item in self.inputs]
        return f'["{self.kind}",{canonical(self.id)},{canonical(self.name)},{self.facts_text},{canonical(inputs)}]'


@dataclass(frozen=True)
class Record:
    """A node as it was; its inputs are the keys of their records."""

    kind: Kind
    id: str
    name: str
    facts: dict[str, Any]
    inputs: tuple[str, ...]

    @classmethod
    def of(cls, plain: list[Any]) -> Record:
        """Read a record from what Node.record_text says."""
        kind, id_, name, facts, inputs = plain
        return cls(Kind(kind), id_, name, facts, tuple(inputs))


def record_key(fingerprint: str, id: str) -> str:
    """Give what the record of a node of a fingerprint and an id is stored under."""
    return f"{fingerprint}/{id}"


def new_node(
    kind: Kind, id: str, *, name: str = "", inputs: tuple[Node, ...] = (), facts: Facts, work: Work, subject: Any = None
) -> Node:
    """Make a node; its fingerprint is the hash of its stage, its facts and its inputs' fingerprints."""
    text = canonical(facts)
    prints = canonical([item.fingerprint for item in inputs])
    digest = sha256(f'{{"facts":{text},"inputs":{prints},"stage":"{kind}"}}'.encode()).hexdigest()
    return Node(kind, id, name, inputs, facts, digest, work, subject, text)


def below(nodes: Iterable[Node]) -> list[Node]:
    """List nodes and all that they are made of, each once and after its inputs."""
    return in_order(nodes, inputs=lambda node: node.inputs)
