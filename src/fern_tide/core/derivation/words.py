"""Why a curve is not what it was, in words: how the nodes below it differ from those that it was baked from."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from fern_tide.core.base.units import to_db
from fern_tide.core.derivation.node import Kind, Node, Record, below

Known = Mapping[str, Record]
"""Records by key."""


def records_of(nodes: Iterable[Node]) -> dict[str, Record]:
    """Give the records of nodes and all below them by key."""
    return {node.key: node.record for node in below(nodes)}


def record_texts(nodes: Iterable[Node]) -> dict[str, str]:
    """Give what is stored of nodes and all below them by key, as JSON, so that a later bake can say how it differs."""
    return {node.key: node.record_text for node in below(nodes)}


_GROUNDS = {
    "follow": "what it follows changed",
    "ride": "its way, or where it is on it, changed",
    "poses": "its poses changed",
}


def reasons(old: str, new: str, *, known: Known, now: Known) -> list[str]:
    """Say what changed between what a curve was made of and what it is made of now, to be read in a list.

    Args:
        old: the key of the node that it was made of.
        new: the key of its node now.
        known: the records of what it was made of, as records_of gave them.
        now: those of what it is made of.
    """
    if old not in known:
        return ["it was baked by an earlier version"]
    return _Comparison(known, now).of_curve(known[old], now[new]) or ["what it is made of changed"]


class _Comparison:
    """Two sets of records, and what was said of them so far: nothing is said twice."""

    def __init__(self, old: Known, new: Known) -> None:
        self._old, self._new = old, new
        self._sentences: dict[str, None] = {}
        self._compared: set[tuple[int, int]] = set()

    def of_curve(self, old: Record, new: Record) -> list[str]:
        self._touch_ups(old, new)
        if old.facts.get("limit") != new.facts.get("limit"):
            self._say("other limits")
        was, is_now = self._under(old, self._old), self._under(new, self._new)
        if was is not None and is_now is not None:
            self._stack(was, is_now)
        return list(self._sentences)

    def _under(self, record: Record, known: Known) -> Record | None:
        """Give what touch-ups lie over: the curve itself where there are none, None under keys for good."""
        if "touch_ups" not in record.facts:
            return record
        return next(iter(self._inputs(record, known, Kind.STACK)), None)

    def _touch_ups(self, old: Record, new: Record) -> None:
        before, now = old.facts.get("touch_ups", []), new.facts.get("touch_ups", [])
        if len(before) != len(now):
            apart, words = abs(len(before) - len(now)), "came in" if len(now) > len(before) else "went"
            self._say(f"{'a touch-up' if apart == 1 else f'{apart} touch-ups'} {words}")
            return
        for was, is_now in zip(before, now, strict=True):
            if was["touch"] != is_now["touch"]:
                self._say(_difference(was["touch"], is_now["touch"], f"touch-up {_word(was['touch']['id'])}"))
            elif was != is_now:
                self._say("a touch-up lies elsewhere")
        hits = [{item.id for item in side} for side in self._both(old, new, Kind.RHYTHM)]
        if now and hits[0] != hits[1]:
            self._say("other hits that touch-ups are tied to")

    def _stack(self, old: Record, new: Record) -> None:
        before, now = self._rate(old, self._old), self._rate(new, self._new)
        if before and now and before != now:
            self._say(f"rate {before} to {now} fps")
        elif old.facts["n_frames"] != new.facts["n_frames"]:
            self._say(f"length {old.facts['n_frames']} to {new.facts['n_frames']} frames")
        drives = [self._drives(old, self._old), self._drives(new, self._new)]
        for key in drives[1].keys() - drives[0].keys():
            self._say(f"{drives[1][key][0].name} came in")
        for key in drives[0].keys() - drives[1].keys():
            self._say(f"{drives[0][key][0].name} went")
        for key in [key for key in drives[1] if key in drives[0]]:
            self._lift(drives[0][key][0], drives[1][key][0])
            self._drive(drives[0][key][1], drives[1][key][1])
        followed = self._sources(old, self._old) != self._sources(new, self._new)
        for ground, words in _GROUNDS.items():
            there = ground in old.facts or ground in new.facts
            if there and (followed or old.facts.get(ground) != new.facts.get(ground)):
                self._say(words)
        if None not in (old.facts["own"], new.facts["own"]) and old.facts["own"] != new.facts["own"]:
            self._say(f"its own value {_short(old.facts['own'])} to {_short(new.facts['own'])}")
        if old.facts["version"] != new.facts["version"]:
            self._say("Fern Tide bakes it otherwise now")

    def _say(self, words: str) -> None:
        self._sentences[words] = None

    def _inputs(self, record: Record, known: Known, kind: Kind) -> list[Record]:
        return [known[key] for key in record.inputs if known[key].kind is kind]

    def _both(self, old: Record, new: Record, kind: Kind) -> tuple[list[Record], list[Record]]:
        return self._inputs(old, self._old, kind), self._inputs(new, self._new, kind)

    def _rate(self, record: Record, known: Known) -> str:
        """Give the rate that a curve's levels were read at; '' where nothing drives it."""
        for lift in self._inputs(record, known, Kind.LIFT):
            for level in self._inputs(lift, known, Kind.LEVEL):
                return str(level.facts["rate"])
        return ""

    def _drives(self, record: Record, known: Known) -> dict[str, tuple[Record, dict[str, Any]]]:
        """Give the lift and the facts of every driver, by the mapping's id."""
        lifts = self._inputs(record, known, Kind.LIFT)
        return {lift.id: (lift, drive) for lift, drive in zip(lifts, record.facts["drives"], strict=True)}

    def _sources(self, record: Record, known: Known) -> list[str]:
        return [key for key in record.inputs if known[key].kind is Kind.CURVE]

    def _lift(self, old: Record, new: Record) -> None:
        (was,), (now,) = self._both(old, new, Kind.LEVEL)
        if was.id != now.id:
            self._say(f"{was.name} to {now.name}")
        else:
            self._level(was, now, whose="")
        if old.facts["row"] != new.facts["row"]:
            self._say(f"row {old.facts['row']} to {new.facts['row']}")
        for mark in ("low", "high"):
            before, after = old.facts["marks"][mark], new.facts["marks"][mark]
            if before != after:
                self._say(f"{mark} water {to_db(before):.1f} to {to_db(after):.1f} dB")
        self._choices(old, new, "steps", whose="")
        (was,), (now,) = self._both(old, new, Kind.CONTEXT)
        self._context(was, now)

    def _context(self, old: Record, new: Record) -> None:
        for word, fact in (("another seed", "seed"), ("other markers", "markers")):
            if old.facts[fact] != new.facts[fact]:
                self._say(word)
        self._joined(old, new)
        before, now = ([item.id for item in side] for side in self._both(old, new, Kind.RHYTHM))
        if before != now or old.facts["offset"] != new.facts["offset"]:
            self._say("other hits")
        self._moments(old, new)

    def _joined(self, old: Record, new: Record) -> None:
        """Compare the levels that join in or are blended, each under its own name."""
        before, now = ({item.id: item for item in side} for side in self._both(old, new, Kind.LEVEL))
        for id_ in [id_ for id_ in now if id_ in before]:
            self._level(before[id_], now[id_], whose=f"{now[id_].name}: ")

    def _moments(self, old: Record, new: Record) -> None:
        """Say where beats differ; other hits come with another file, which is said of the level."""
        before, now = self._both(old, new, Kind.BEATS)
        if before and before != now:
            self._say("other beats")

    def _level(self, old: Record, new: Record, *, whose: str) -> None:
        pair = (id(old), id(new))
        if pair in self._compared or old == new:
            return
        self._compared.add(pair)
        self._choices(old, new, "clean_up", whose=whose)
        (was,), (now,) = self._both(old, new, Kind.READING)
        if was.facts["reading"] != now.facts["reading"]:
            self._say(whose + _difference(was.facts["reading"], now.facts["reading"], "reading"))
        elif self._place(was, self._old) != self._place(now, self._new):
            self._say(f"{whose}another file, or another time of it")
        if was.facts.get("drives") != now.facts.get("drives"):
            self._say(f"{whose}its track {'drives' if now.facts.get('drives') else 'does not drive'} now")
        self._moments(was, now)
        self._joined(was, now)

    def _place(self, record: Record, known: Known) -> tuple[set[str], Any]:
        """Give the files that a reading is read from, and when its track begins."""
        features = self._inputs(record, known, Kind.FEATURE)
        files = {file.id for item in [record, *features] for file in self._inputs(item, known, Kind.MEDIA)}
        return files, record.facts.get("offset")

    def _choices(self, old: Record, new: Record, what: str, *, whose: str) -> None:
        for words in _list_reasons(old.facts[what], new.facts[what]):
            self._say(whose + words)

    def _drive(self, old: dict[str, Any], new: dict[str, Any]) -> None:
        for end in ("rest", "full"):
            if old[end] != new[end]:
                self._say(f"at {end} {_short(old[end])} to {_short(new[end])}")
        if old["late_frames"] != new["late_frames"]:
            self._say(f"{_short(old['late_frames'])} to {_short(new['late_frames'])} frames late")
        if old.get("share", 1.0) != new.get("share", 1.0):
            self._say(f"{_short(old.get('share', 1.0))} to {_short(new.get('share', 1.0))} x of the motion")
        if old["stops"] != new["stops"]:
            self._say("other colours between")
        if old["stacking"] != new["stacking"]:
            self._say(f"{old['stacking']} to {new['stacking']}")
        if old.get("place") != new.get("place"):
            self._say("another row of those that it is spread over")
        if old["response"] != new["response"]:
            self._say(_difference(old["response"], new["response"], "response"))


def _list_reasons(old: list[dict[str, Any]], new: list[dict[str, Any]]) -> list[str]:
    before, now = [item["id"] for item in old], [item["id"] for item in new]
    if before != now:
        came = [_word(name) for name in now if name not in before]
        went = [_word(name) for name in before if name not in now]
        return [f"{name} added" for name in came] + [f"{name} taken off" for name in went] or ["another order"]
    return [_difference(a, b, _word(a["id"])) for a, b in zip(old, new, strict=True) if a != b]


def _difference(old: dict[str, Any], new: dict[str, Any], word: str) -> str:
    """Say 'smooth 80 to 120' of the first param that differs."""
    if old["id"] != new["id"]:
        return f"{word} {_word(old['id'])} to {_word(new['id'])}"
    for name in new["params"]:
        if old["params"].get(name) != new["params"][name]:
            return f"{word} {_short(old['params'].get(name))} to {_short(new['params'][name])}"
    return f"{word} changed"


def _word(name: str) -> str:
    return name.replace("_", " ")


def _short(value: Any) -> str:
    return f"{value:.4g}" if isinstance(value, (int, float)) and not isinstance(value, bool) else str(value)
