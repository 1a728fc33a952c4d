"""Finding properties of parts by what is typed: names are looked through once a scene, however often it is asked."""

from __future__ import annotations

import heapq
from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import numpy.typing as npt

from fern_tide.core.base.target import Target
from fern_tide.core.scene.graphic import is_level
from fern_tide.core.scene.properties import Property
from fern_tide.core.scene.scene import Part, Scene

_MOST_WORDS = 12
_OWN_WORD, _HEAD, _TAIL = 2, 4, 1  # how much better a word is that is a word of the name, or begins it, or lies in it


@dataclass(frozen=True)
class Match:
    """A property that was found; `item` is None for a part whose name alone was found."""

    part: Part
    item: Property | None


@dataclass(frozen=True, eq=False)
class SearchIndex:
    """The names of a scene's parts and of what can be driven of them, ready to be looked through."""

    scene: Scene

    @cached_property
    def _names(self) -> list[str]:
        return [part.name.lower() for part in self.scene.parts]

    @cached_property
    def _kinds(self) -> tuple[list[tuple[Property, ...]], list[int]]:
        """What can be driven of the parts: the different lists of properties, and which of them each part has."""
        lists: dict[tuple[Property, ...], int] = {}
        which = []
        for part in self.scene.parts:
            which.append(lists.setdefault(tuple(item for item in part.properties if not is_level(item.id)), len(lists)))
        return list(lists), which

    def make_ready(self) -> None:
        """Read all names now, so that the first search finds them read."""
        _ = self._kinds, self._names, self._places

    def find(self, text: str, *, first: Collection[Target] = frozenset(), most: int) -> list[Match]:
        """Give the properties that are found by what is typed, the best first.

        Every word must lie in the part's name or in the property's label. Where all of them lie in the name, the part
        itself is given, to be opened.

        Args:
            text: one word or several, in any case and order.
            first: properties that count more, such as those that are driven.
            most: how many to give.
        """
        words = text.lower().split()[:_MOST_WORDS]
        if not words or not self._names:
            return []
        best = heapq.nsmallest(most, set(self._scored(words, first, most)))
        lists, which = self._kinds
        return [Match(self.scene.parts[place], None if at < 0 else lists[which[place]][at]) for _, place, at in best]

    def _scored(self, words: Sequence[str], first: Collection[Target], most: int) -> Iterator[tuple[int, int, int]]:
        """Give (score, place of the part, place of the property or -1) of what is found; the least is the best."""
        lists, which = self._kinds
        in_labels = [_with_words(items, words) for items in lists]
        liked = {self._places[target.part] for target in first if target.part in self._places}
        worths = np.array([[_worth(word, name) for name in self._names] for word in words], dtype=np.int64)
        for place in [*_first_alike(worths, np.array(which), most), *liked]:
            left = [word for word, worth in zip(words, worths[:, place], strict=True) if not worth]
            score = -int(worths[:, place].sum())
            if not left:
                yield score - 1 - (_HEAD if place in liked else 0), place, -1
                continue
            for at, label, there in in_labels[which[place]]:
                if there.issuperset(left):
                    own = score - sum(_worth(word, label) for word in left)
                    yield own - (self._bonus(place, at, first) if place in liked else 0), place, at

    @cached_property
    def _places(self) -> dict[str, int]:
        return {part.id: place for place, part in enumerate(self.scene.parts)}

    def _bonus(self, place: int, at: int, first: Collection[Target]) -> int:
        part, (lists, which) = self.scene.parts[place], self._kinds
        return _HEAD if Target(part=part.id, property=lists[which[place]][at].id) in first else 0


def _with_words(items: Sequence[Property], words: Sequence[str]) -> list[tuple[int, str, frozenset[str]]]:
    """List the places of properties in whose label one of the words lies, with the label and the words that do."""
    labels = [item.label.lower() for item in items]
    there = [(at, label, frozenset(word for word in words if word in label)) for at, label in enumerate(labels)]
    return [entry for entry in there if entry[2]]


def _worth(word: str, text: str) -> int:
    if word not in text:
        return 0
    if text.startswith(word):
        return _HEAD
    return _OWN_WORD if f" {word}" in text else _TAIL


def _first_alike(worths: npt.NDArray[np.int64], which: npt.NDArray[np.int64], most: int) -> list[int]:
    """List the places of the first `most` parts of each sort: those of one sort find the same words, and score alike.

    Args:
        worths: what each word is worth in each part's name, 0 where it is not in it, shape (words, parts).
        which: the list of properties that each part has, shape (parts,).
        most: how many are asked for: of one sort none after so many can be among the best.
    """
    missing = (worths == 0).astype(np.int64)
    sorts = (which << len(worths)) + (missing << np.arange(len(worths))[:, np.newaxis]).sum(axis=0)
    sorts = sorts * (_HEAD * len(worths) + 1) + worths.sum(axis=0)
    order = np.argsort(sorts, kind="stable")
    begins = np.flatnonzero(np.diff(sorts[order], prepend=-1))
    rank = np.arange(order.size) - np.repeat(begins, np.diff(np.append(begins, order.size)))
    return [int(place) for place in order[rank < most]]
