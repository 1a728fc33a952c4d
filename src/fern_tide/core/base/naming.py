"""Ids made of names."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterable
from typing import Protocol


class Ids:
    """Makes ids that none of the others has, in a time that does not grow with how many there are."""

    def __init__(self, taken: Iterable[str] = ()) -> None:
        self._taken = set(taken)
        self._next: dict[str, int] = {}

    def make(self, name: str) -> str:
        """Make an id of a name: 'Lamp Hook' gives 'lamp-hook', then 'lamp-hook-2'."""
        plain = unicodedata.normalize("NFKD", name[:200]).encode("ascii", "ignore").decode().lower()
        stem = re.sub(r"[^a-z0-9]+", "-", plain).strip("-")[:48].strip("-") or "item"
        number, candidate = self._next.get(stem, 2), stem
        while candidate in self._taken:
            candidate, number = f"{stem}-{number}", number + 1
        self._next[stem] = number
        self._taken.add(candidate)
        return candidate


class Identified(Protocol):
    """What is told apart from others of its kind by an id."""

    @property
    def id(self) -> str:
        """Its id."""


def name_of(file_name: str) -> str:
    """Give a track name from a file's name: without folders, ending or control characters, at most 120 letters."""
    base = re.split(r"[\\/]", file_name)[-1]
    stem = base.rsplit(".", 1)[0] or base
    letters = "".join(letter for letter in stem if unicodedata.category(letter)[0] != "C")
    return letters.replace("_", " ").strip()[:120].strip() or "Sound"


_VES = ("leaf", "shelf", "half", "wolf", "calf", "loaf", "knife", "life")


def plural(name: str) -> str:
    """Give a name for several of what has it: 'Bar' gives 'Bars', 'Leaf' 'Leaves'; one that ends in s stays."""
    low = name.lower()
    if low.endswith("s"):
        return name
    if low.endswith(_VES):
        return f"{name.removesuffix('e')[:-1]}ves"
    if low.endswith(("x", "ch", "sh")):
        return f"{name}es"
    if low.endswith("y") and low[-2:-1] not in {"", "a", "e", "i", "o", "u"}:
        return f"{name[:-1]}ies"
    return f"{name}s"


def lowered(name: str) -> str:
    """Give a name as it stands within a sentence: 'Lamp bulb' gives 'lamp bulb', 'RAIN' 'rain'; 'LED' stays."""
    words = name[:60].replace("_", " ").strip()
    if words.isupper():
        return words if len(words) < 4 else words.lower()
    return words[:1].lower() + words[1:]


def fresh_id(name: str, *, among: Iterable[Identified]) -> str:
    """Make an id from a name that none of the others has."""
    return Ids(item.id for item in among).make(name)


_ACRONYMS = {"rms": "RMS", "bpm": "BPM"}
_LABELS = {
    "full": "At full",
    "rest": "At rest",
    "low": "Low water",
    "high": "High water",
    "at": "The place of a colour",
    "stops": "Colours on the way",
    "n_frames": "The length in frames",
}
_UNITS = {"hz", "ms", "s", "db", "frames"}


def words(name: str) -> str:
    """Give a field or enum name as words in sentence case: 'low_hz' -> 'Low', 'rise_ms' -> 'Rise'."""
    parts = name.split("_")
    if len(parts) > 1 and parts[-1] in _UNITS:
        parts = parts[:-1]
    return _ACRONYMS.get(name) or " ".join(parts).capitalize()


def label_of(name: str) -> str:
    """Give what people read for a field of the document."""
    return _LABELS.get(name) or words(name)
