"""Every kind of edit, made on the demo: its label, and what it changes in the document."""

import difflib
import json
from collections.abc import Iterator
from typing import Any

from fern_tide.core.base.errors import FernTideError
from fern_tide.core.commands.registry import read_command
from fern_tide.demo.project import demo_project

_MOST = 24
_PLAIN = demo_project().model_dump(mode="json")


def _but(item: dict[str, Any], **changes: Any) -> dict[str, Any]:
    return {**json.loads(json.dumps(item)), **changes}


_MAPPING, _ENVELOPE, _TRACK = _PLAIN["mappings"][0], _PLAIN["envelopes"][0], _PLAIN["tracks"][0]
_DRIVE, _PART, _MARKER = _MAPPING["drives"][0], _PLAIN["scene"]["parts"][3], _PLAIN["markers"][0]
_STEP = {"id": "stairs", "params": {"levels": 3}}
_LAMP_X = {"part": "lamp", "property": "x"}
_FOLLOW = {
    "kind": "put_follow",
    "follow": {"target": _LAMP_X, "source": {"part": "rain", "property": "y"}, "factor": 2},
}
_ROW = "poses-of-moth-one"
_POSE = {"kind": "store_pose", "parts": ["moth-one"]}
_OTHER = {"kind": "set_value", "target": "moth-one:scale_x", "value": 0.5}
_CUT = {"seed": 2, "items": [{"mapping": "proposed", "words": "the rain sways", "reason": "9 dB"}]}
_PROPOSED = _but(_MAPPING, id="proposed", name="Proposed", drives=[_but(_DRIVE, target=_LAMP_X)])
_KEPT = {key: _MAPPING[key] for key in ("envelope", "row", "spread", "marks", "steps", "drives", "seed")}
_TOUCH_UP = {"id": "held", "target": "lamp:x", "length_s": 0.5, "touch": {"id": "hold", "params": {"value": 2}}}
_HELD = {"kind": "put_touch_ups", "touch_ups": [_TOUCH_UP]}
_STEPS = [*_MAPPING["steps"], _STEP]


def _drives(**changes: Any) -> list[dict[str, Any]]:
    return [_but(_DRIVE, **changes), *_MAPPING["drives"][1:]]


EDITS: list[dict[str, Any]] = [
    {"kind": "rename_project", "name": "Night"},
    {"kind": "set_keys_error", "percent": 1.5},
    {"kind": "set_picture_delay", "delay": {"ms": 80, "baked": True}},
    {"kind": "set_field", "owner": "mapping", "id": _MAPPING["id"], "path": "marks.low", "value": "-6dB"},
    {"kind": "change_list", "owner": "envelope", "id": _ENVELOPE["id"], "path": "clean_up.0", "how": "twice"},
    {"kind": "add_entry", "owner": "mapping", "id": _MAPPING["id"], "path": "steps", "value": _STEP},
    {"kind": "add_envelope", "reading": {"id": "band"}, "track": _TRACK["id"]},
    {"kind": "add_marker", "time_s": 1.5},
    {"kind": "add_stop", "id": _MAPPING["id"]},
    {"kind": "put_envelope", "envelope": _but(_ENVELOPE, name="New name")},
    {"kind": "put_envelope", "envelope": _but(_ENVELOPE, id="new", name="New")},
    {"kind": "put_envelope", "envelope": _but(_ENVELOPE, clean_up=[*_ENVELOPE["clean_up"], {"id": "gate"}])},
    {"kind": "put_envelope", "envelope": _but(_ENVELOPE, clean_up=_ENVELOPE["clean_up"][1:])},
    {"kind": "put_envelope", "envelope": _but(_ENVELOPE, reading={"id": "loudness"})},
    {"kind": "put_envelope", "envelope": _but(_ENVELOPE, track=_PLAIN["tracks"][1]["id"])},
    {"kind": "remove_envelope", "id": _ENVELOPE["id"]},
    {"kind": "put_mapping", "mapping": _but(_MAPPING, name="Moon")},
    {"kind": "put_mapping", "mapping": _but(_MAPPING, id="more", name="More")},
    {"kind": "put_mapping", "mapping": _but(_MAPPING, marks=_but(_MAPPING["marks"], low=0.01))},
    {"kind": "put_mapping", "mapping": _but(_MAPPING, marks=_but(_MAPPING["marks"], low=0.01, high=0.9))},
    {"kind": "put_mapping", "mapping": _but(_MAPPING, marks=_but(_MAPPING["marks"], scale="db"))},
    {"kind": "put_mapping", "mapping": _but(_MAPPING, steps=_STEPS)},
    {"kind": "put_mapping", "mapping": _but(_MAPPING, steps=_STEPS[::-1])},
    {"kind": "put_mapping", "mapping": _but(_MAPPING, muted=True)},
    {"kind": "put_mapping", "mapping": _but(_MAPPING, seed=9)},
    {"kind": "put_mapping", "mapping": _but(_MAPPING, drives=_drives(full=0.8))},
    {"kind": "put_mapping", "mapping": _but(_MAPPING, drives=_drives(rest=0.1, full=0.8))},
    {"kind": "put_mapping", "mapping": _but(_MAPPING, drives=_drives(response={"id": "smooth"}))},
    {"kind": "put_mapping", "mapping": _but(_MAPPING, drives=_drives(late_frames=3))},
    {"kind": "put_mapping", "mapping": _but(_MAPPING, drives=_drives(stacking="add"))},
    {"kind": "put_mapping", "mapping": _but(_MAPPING, drives=_drives(target={"part": "lamp", "property": "opacity"}))},
    {"kind": "put_mapping", "mapping": _but(_MAPPING, drives=_MAPPING["drives"][:1])},
    {"kind": "move_mapping", "id": _MAPPING["id"], "place": 2},
    {"kind": "move_mapping", "id": _MAPPING["id"], "place": 99},
    {"kind": "remove_mapping", "id": _MAPPING["id"]},
    {"kind": "keep_version", "id": _MAPPING["id"]},
    {"kind": "remove_recipe", "id": "none"},
    {"kind": "put_part", "part": _but(_PART, name="Renamed")},
    {"kind": "put_part", "part": _but(_PART, id="another", name="Another")},
    {"kind": "set_value", "target": {"part": "lamp", "property": "x"}, "value": 7.5},
    {"kind": "set_value", "target": {"part": "lamp", "property": "x"}, "value": None},
    {"kind": "set_anchor", "id": "lamp", "anchor": {"x": 3, "y": 4, "z": 0, "word": ""}},
    {"kind": "set_anchors", "anchors": {"lamp": {"x": 3, "word": "top"}, "title": {"y": 9, "word": "top"}}},
    {"kind": "set_values", "parts": ["lamp", "title"], "property": "turn", "value": 5},
    {"kind": "set_limits", "parts": ["lamp", "title"], "property": "turn", "low": -5, "high": None},
    {"kind": "rename_parts", "names": {"moth-one": "Moth 1", "moth-two": "Moth 2"}},
    {
        "kind": "gather_parts",
        "id": "both-moths",
        "parts": ["moth-one", "moth-two"],
        "name": "Moths",
        "anchor": {"x": 900, "y": 300},
    },
    {"kind": "gather_parts", "id": "both-moths", "parts": ["moth-one", "moth-one"], "name": "Moths"},
    {"kind": "gather_parts", "id": "both-moths", "parts": ["moth-one", "lamp-glow"], "name": "Moths"},
    {"kind": "gather_parts", "id": "lamp", "parts": ["moth-one", "moth-two"], "name": "Moths"},
    {"kind": "gather_parts", "id": "both", "parts": ["moth-one", "nobody"], "name": "Moths"},
    {"kind": "put_selection", "selection": {"id": "moths", "name": "Moths", "parts": ["moth-one", "moth-two"]}},
    {"kind": "remove_selection", "id": "moths"},
    {"kind": "arrange_part", "id": "lamp-glow", "parent": None, "place": 0},
    {"kind": "arrange_part", "id": "lamp", "parent": None, "place": 2},
    {"kind": "arrange_part", "id": "lamp", "parent": "lamp-glow", "place": 0},
    {"kind": "remove_part", "id": "lamp"},
    {"kind": "remove_part", "id": "rain"},
    {"kind": "remove_part", "id": "rain", "with_users": True},
    {"kind": "remove_part", "id": "lamp-glow", "with_users": True},
    {
        "kind": "put_follow",
        "follow": {
            "target": {"part": "lamp", "property": "x"},
            "source": {"part": "rain", "property": "y"},
            "factor": 2,
        },
    },
    {"kind": "put_limit", "limit": {"target": {"part": "lamp", "property": "x"}, "low": -1, "high": 5}},
    {"kind": "set_stage", "width": 1000},
    {"kind": "set_stage", "width": 1000, "height": 400, "background": "#000000"},
    {"kind": "set_stage", "floor": False},
    {"kind": "set_rate", "rate": "24000/1001"},
    {"kind": "set_rate", "rate": "60"},
    {"kind": "set_length", "frames": 100},
    {"kind": "set_length", "frames": None},
    {"kind": "set_work", "work": [10, 90]},
    {"kind": "set_work", "work": None},
    {"kind": "set_beat", "beat": {"bpm": 97.5}},
    {"kind": "set_beat", "beat": {"per_bar": 3}},
    {"kind": "set_beat", "beat": {"doublings": 1}},
    {"kind": "set_beat", "beat": {"doublings": -1}},
    {"kind": "set_beat", "beat": {"shift_s": 0.1}},
    {"kind": "set_beat", "beat": {"track": _PLAIN["tracks"][1]["id"]}},
    {"kind": "set_beat", "beat": {}},
    {"kind": "put_marker", "marker": _but(_MARKER, name="Moved", time_s=9.0)},
    {"kind": "put_marker", "marker": _but(_MARKER, time_s=9.0)},
    {"kind": "put_marker", "marker": _but(_MARKER, id="m2", name="Second")},
    {"kind": "put_markers", "markers": [_but(_MARKER, id="m3", name="Third"), _but(_MARKER, id="m4", name="Fourth")]},
    {"kind": "remove_marker", "id": _MARKER["id"]},
    {"kind": "put_track", "track": _but(_TRACK, name="Other")},
    {"kind": "put_track", "track": _but(_TRACK, heard=False)},
    {"kind": "put_track", "track": _but(_TRACK, drives=False)},
    {"kind": "put_track", "track": _but(_TRACK, gain_db=-6)},
    {"kind": "put_track", "track": _but(_TRACK, muted=True)},
    {"kind": "put_track", "track": _but(_TRACK, solo=True)},
    {"kind": "put_track", "track": _but(_TRACK, offset_samples=4410)},
    {"kind": "move_track", "id": _TRACK["id"], "place": 1},
    {"kind": "remove_track", "id": _TRACK["id"]},
    {"kind": "remove_track", "id": _TRACK["id"], "with_users": True},
    {
        "kind": "together",
        "words": "Two",
        "commands": [{"kind": "set_rate", "rate": "25"}, {"kind": "set_work", "work": [1, 5]}],
    },
    {
        "kind": "together",
        "words": "Versions",
        "commands": [
            {"kind": "keep_version", "id": _MAPPING["id"]},
            {"kind": "put_mapping", "mapping": _but(_MAPPING, seed=4, versions=[_but(_KEPT, name="A")])},
            {"kind": "show_version", "id": _MAPPING["id"], "name": "A"},
            {"kind": "drop_version", "id": _MAPPING["id"], "name": "A"},
        ],
    },
    {"kind": "put_recipes", "recipes": [{"id": "one", "name": "One"}]},
    {"kind": "take_first_cut", "cut": _CUT, "mappings": [_PROPOSED], "anchors": {"rain": {"x": 5, "y": 6}}},
    {
        "kind": "together",
        "words": "Decide",
        "commands": [
            {"kind": "take_first_cut", "cut": _CUT, "mappings": [_but(_PROPOSED, muted=True)]},
            {"kind": "keep_first_cut"},
            {"kind": "take_first_cut", "cut": _CUT, "mappings": [_PROPOSED]},
            {"kind": "drop_first_cut"},
        ],
    },
    {"kind": "keep_first_cut"},
    {"kind": "together", "words": "Follow", "commands": [_FOLLOW, {"kind": "remove_follow", "target": _LAMP_X}]},
    {"kind": "store_pose", "parts": ["moth-one", "moth-two"], "name": "Still"},
    {"kind": "together", "words": "Poses", "commands": [_POSE, _OTHER, {**_POSE, "parts": [], "into": _ROW}]},
    {"kind": "together", "words": "Take", "commands": [_POSE, _OTHER, {"kind": "take_pose", "id": _ROW, "place": 0}]},
    {"kind": "together", "words": "Now", "commands": [_POSE, _OTHER, {"kind": "update_pose", "id": _ROW, "place": 0}]},
    {"kind": "set_plays", "file": "none", "plays": False},
    {"kind": "put_scene", "words": "Another stage", "scene": {"name": "Empty"}, "mappings": []},
    {"kind": "put_touch_ups", "touch_ups": [_TOUCH_UP]},
    {"kind": "together", "words": "Off", "commands": [_HELD, {"kind": "remove_touch_ups", "ids": ["held"]}]},
    {"kind": "remove_touch_ups", "ids": ["held"]},
    {"kind": "put_touch_ups", "touch_ups": [_but(_TOUCH_UP, target="lamp:none")]},
]


def edits() -> Iterator[str]:
    project = demo_project()
    before = json.dumps(project.model_dump(mode="json"), indent=1).splitlines()
    for place, plain in enumerate(EDITS):
        try:
            command = read_command(plain)
            after = command.apply(project)
            yield f"{place} {plain['kind']}: {command.label(project)}"
        except FernTideError as wrong:
            yield f"{place} {plain['kind']} refused: {wrong}"
            continue
        now = json.dumps(after.model_dump(mode="json"), indent=1).splitlines()
        changed = [
            line for line in difflib.unified_diff(before, now, n=0, lineterm="") if line[:2] not in {"--", "++", "@@"}
        ]
        yield from (f"{place} {line}" for line in changed[:_MOST])
        yield f"{place} {len(changed)} lines"
