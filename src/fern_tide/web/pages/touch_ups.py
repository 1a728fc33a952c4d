"""Touch-ups: laid over curves by hand, moved, compared, and keys that a hand edits."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response, jsonify

from fern_tide.core.bake.thin import Interpolation
from fern_tide.core.bake.touch_up import TiedTo, TouchUp
from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.target import Target
from fern_tide.core.commands.touch_ups import PutTouchUps
from fern_tide.core.document import Project
from fern_tide.web.context import body, services, status, studio, whole
from fern_tide.web.packing import Pack
from fern_tide.workflows.tune import edits, keys_by_hand, touching

pages = Blueprint("touch_ups", __name__, url_prefix="/p/<key>/touch-ups")


def _stored(key: str, touch_up: TouchUp, plain: dict[str, Any]) -> Any:
    command = PutTouchUps(touch_ups=(touch_up,))
    return jsonify(status(edits.edit(studio(), key, command, base=whole(plain, "base"))))


def _asked(key: str) -> tuple[dict[str, Any], Project]:
    plain = body()
    return plain, studio().projects.at(key, whole(plain, "base")).document


def _tied(plain: dict[str, Any]) -> TiedTo:
    name = str(plain.get("tied_to") or TiedTo.TIME)
    if name not in list(TiedTo):
        raise InvalidParameter("tied to", value=name, allowed=", ".join(TiedTo))
    return TiedTo(name)


@pages.post("")
def add(key: str) -> Any:
    """Lay a touch-up over a stretch of a curve."""
    plain, project = _asked(key)
    wanted = touching.Wanted(
        target=Target.parse(str(plain.get("target"))),
        kind=str(plain.get("kind")),
        first=whole(plain, "first"),
        end=whole(plain, "end"),
        tied_to=_tied(plain),
    )
    return _stored(key, touching.new_touch_up(services().levels, project, wanted), plain)


@pages.post("/keys")
def keys(key: str) -> Any:
    """Move keys of a curve, add some, take some out, or set their tangents."""
    plain, project = _asked(key)
    between = plain.get("interpolation")
    edit = keys_by_hand.KeyEdit(
        target=Target.parse(str(plain.get("target"))),
        frames=_numbers(plain, "frames"),
        by_frames=_number(plain.get("by_frames", 0), "frames"),
        by_value=_number(plain.get("by_value", 0), "value"),
        remove=plain.get("remove") is True,
        add=[(frame, value) for frame, value in _pairs(plain.get("add", []))],
        slope=None if plain.get("slope") is None else _number(plain["slope"], "slope"),
        interpolation=Interpolation(between) if between in list(Interpolation) else None,
    )
    return _stored(key, keys_by_hand.edited_keys(services().levels, project, edit), plain)


@pages.post("/drawn")
def drawn(key: str) -> Any:
    """Let a curve go where a hand drew."""
    plain, project = _asked(key)
    target, points = Target.parse(str(plain.get("target"))), _pairs(plain.get("points"))
    return _stored(key, keys_by_hand.drawn(services().levels, project, target, points=points), plain)


def _number(value: Any, name: str) -> float:
    if isinstance(value, bool) or not isinstance(value, (int, float)) or not abs(value) <= 1e9:
        raise InvalidParameter(name, value=value, allowed="a number from -1e9 to 1e9")
    return float(value)


def _numbers(plain: dict[str, Any], name: str) -> list[float]:
    values = plain.get(name, [])
    if not isinstance(values, list):
        raise InvalidParameter(name, value=values, allowed="a list of numbers")
    return [_number(value, name) for value in values]


def _pairs(plain: Any) -> list[tuple[float, float]]:
    if not isinstance(plain, list) or not all(isinstance(pair, list) and len(pair) == 2 for pair in plain):
        raise InvalidParameter("points", value=plain, allowed="pairs of a frame and a value")
    return [(_number(frame, "frame"), _number(value, "value")) for frame, value in plain]


@pages.post("/for-good")
def for_good(key: str) -> Any:
    """Give a curve as keys for good: the sound moves it no more."""
    plain, project = _asked(key)
    touch_up = keys_by_hand.for_good(services().levels, project, Target.parse(str(plain.get("target"))))
    return _stored(key, touch_up, plain)


@pages.post("/<id>/stretch")
def stretch(key: str, id: str) -> Any:
    """Let a touch-up lie over other frames, or be tied to something else."""
    plain, project = _asked(key)
    levels, old = services().levels, project.touch_up(id)
    now = next(one for one in touching.standings(levels, project, only=old.target) if one.touch_up.id == id)
    tied = old.but(start=old.start.but(tied_to=_tied(plain))) if "tied_to" in plain else old
    first = whole(plain, "first") if "first" in plain else now.first
    end = whole(plain, "end") if "end" in plain else now.end
    return _stored(key, touching.restretched(levels, project, tied, first=first, end=end), plain)


@pages.post("/<id>/ground")
def ground(key: str, id: str) -> Any:
    """Take the ground of a touch-up as it is now for the right one."""
    plain, project = _asked(key)
    return _stored(key, touching.on_its_ground(services().levels, project, project.touch_up(id)), plain)


@pages.get("/<id>/compare")
def compare(key: str, id: str) -> Response:
    """Give what lay below a touch-up, and what lies there now."""
    project, pack = studio().projects.current(key).document, Pack()
    pair = touching.compare(services().levels, project, project.touch_up(id))
    head = {"first": pair.first, "end": pair.end, "before": pack.add(pair.before), "now": pack.add(pair.now)}
    return pack.response(head)
