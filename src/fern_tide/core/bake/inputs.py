"""What a curve was made of: its fingerprint decides whether it is stale, its inputs say why in words."""

from __future__ import annotations

from typing import Any

from fern_tide.core.bake.bake import VERSION
from fern_tide.core.base.signal import fingerprint

Inputs = dict[str, Any]


def inputs_fingerprint(inputs: Inputs) -> str:
    """Give the fingerprint of a curve's inputs; names, which change no number, are left out."""
    return fingerprint({"stage": "bake", "version": VERSION, **_nameless(inputs)})


def _nameless(value: Any) -> Any:
    if isinstance(value, dict):
        return {key: _nameless(item) for key, item in value.items() if key != "name"}
    return [_nameless(item) for item in value] if isinstance(value, list) else value


def reasons(old: Inputs, new: Inputs) -> list[str]:
    """Say what changed between two bakes of a curve, shortest words first to be read in a list.

    Args:
        old: the inputs of the last bake.
        new: the inputs now; both as made by workflows/bake_project.py.
    """
    said: list[str] = []
    if old["rate"] != new["rate"]:
        said.append(f"rate {old['rate']} to {new['rate']} fps")
    elif old["n_frames"] != new["n_frames"]:
        said.append(f"length {old['n_frames']} to {new['n_frames']} frames")
    before = {driver["mapping"]["id"]: driver for driver in old["drivers"]}
    now = {driver["mapping"]["id"]: driver for driver in new["drivers"]}
    said += [f"{driver['mapping']['name']} came in" for key, driver in now.items() if key not in before]
    said += [f"{driver['mapping']['name']} went" for key, driver in before.items() if key not in now]
    for key in before.keys() & now.keys():
        said += _driver_reasons(before[key], now[key])
    if old.get("limits") != new.get("limits"):
        said.append("other limits")
    if old.get("follows") != new.get("follows"):
        said.append("what it follows changed")
    if old["own"] != new["own"]:
        said.append(f"its own value {_short(old['own'])} to {_short(new['own'])}")
    return said or ["its parts changed"]


def _driver_reasons(old: Inputs, new: Inputs) -> list[str]:
    said = []
    if old["media"] != new["media"]:
        said.append("another file, or another time of it")
    if old.get("joined", []) != new.get("joined", []):
        said.append("an envelope that joins in changed")
    if old.get("hits") != new.get("hits"):
        said.append("other hits or beats")
    if old.get("beats") != new.get("beats"):
        said.append("other beats")
    if old.get("blended", []) != new.get("blended", []):
        said.append("an envelope it blends changed")
    if old["mapping"].get("row", 0) != new["mapping"].get("row", 0):
        said.append(f"row {old['mapping'].get('row', 0)} to {new['mapping']['row']}")
    if old["envelope"]["id"] != new["envelope"]["id"]:
        said.append(f"{old['envelope']['name']} to {new['envelope']['name']}")
    elif old["envelope"]["reading"] != new["envelope"]["reading"]:
        said.append(_difference(old["envelope"]["reading"], new["envelope"]["reading"], "reading"))
    said += _list_reasons(old["envelope"]["clean_up"], new["envelope"]["clean_up"])
    for mark in ("low", "high"):
        if old["mapping"]["marks"][mark] != new["mapping"]["marks"][mark]:
            said.append(f"{mark} water {old['mapping']['marks'][mark]:.3g} to {new['mapping']['marks'][mark]:.3g}")
    said += _list_reasons(old["mapping"]["steps"], new["mapping"]["steps"])
    for end in ("rest", "full"):
        if old["drive"][end] != new["drive"][end]:
            said.append(f"at {end} {_short(old['drive'][end])} to {_short(new['drive'][end])}")
    before, now = ({"late_frames": 0, "stops": [], "stacking": "replace", **item["drive"]} for item in (old, new))
    if before["late_frames"] != now["late_frames"]:
        said.append(f"{_short(before['late_frames'])} to {_short(now['late_frames'])} frames late")
    if before["stops"] != now["stops"]:
        said.append("other colours between")
    if before["stacking"] != now["stacking"]:
        said.append(f"{before['stacking']} to {now['stacking']}")
    if old["drive"]["response"] != new["drive"]["response"]:
        said.append(_difference(old["drive"]["response"], new["drive"]["response"], "response"))
    return said


def _list_reasons(old: list[Inputs], new: list[Inputs]) -> list[str]:
    before, now = [item["id"] for item in old], [item["id"] for item in new]
    if before != now:
        came = [_word(name) for name in now if name not in before]
        went = [_word(name) for name in before if name not in now]
        return [f"{name} added" for name in came] + [f"{name} taken off" for name in went] or ["another order"]
    return [_difference(a, b, _word(a["id"])) for a, b in zip(old, new, strict=True) if a != b]


def _difference(old: Inputs, new: Inputs, word: str) -> str:
    """'smooth 80 to 120' for the first param that differs."""
    if old["id"] != new["id"]:
        return f"{word} {_word(old['id'])} to {_word(new['id'])}"
    if old.get("on", True) != new.get("on", True):
        return f"{word} {'on' if new.get('on', True) else 'off'}"
    for name in new["params"]:
        if old["params"].get(name) != new["params"][name]:
            return f"{word} {_short(old['params'].get(name))} to {_short(new['params'][name])}"
    return f"{word} changed"


def _word(name: str) -> str:
    return name.replace("_", " ")


def _short(value: Any) -> str:
    return f"{value:.4g}" if isinstance(value, (int, float)) and not isinstance(value, bool) else str(value)
