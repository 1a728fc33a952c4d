"""What every page function can reach: the studio, the levels, and the project of the address."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, fields
from typing import Any, cast

from flask import current_app, g, render_template, request

from fern_tide.core.base.errors import FernTideError, InvalidParameter
from fern_tide.core.base.limits import read_json
from fern_tide.core.scene.scene import Scene
from fern_tide.store.revision import Revision
from fern_tide.workflows.bake import baking
from fern_tide.workflows.bring_in.live import LiveSessions
from fern_tide.workflows.derive.analysis import levels_of
from fern_tide.workflows.derive.levels import Levels
from fern_tide.workflows.derive.stages import Staged, Stages
from fern_tide.workflows.studio import Studio

MOST_JSON_BYTES = 8 << 20
MOST_REQUEST_VALUES = 500_000
_CHUNK = 1 << 18


@dataclass(frozen=True)
class Services:
    """Set once when the application is made."""

    studio: Studio
    levels: Levels
    stages: Stages
    live: LiveSessions

    @classmethod
    def of(cls, studio: Studio) -> Services:
        """Give those of a studio."""
        return cls(studio, levels_of(studio), Stages(studio.media), LiveSessions())


def services() -> Services:
    """Give the running application's services."""
    return cast(Services, current_app.extensions["fern_tide"])


def studio() -> Studio:
    """Give the studio."""
    return services().studio


def staged(scene: Scene) -> Staged:
    """Give a scene with its files read."""
    return services().stages.of(scene)


def body() -> dict[str, Any]:
    """Read the request's JSON object.

    Raises:
        InvalidParameter: the body is no JSON object.
    """
    if (request.content_length or 0) > MOST_JSON_BYTES:
        raise InvalidParameter("request", value=f"{request.content_length} bytes", allowed="a smaller one")
    try:
        plain = read_json(request.get_data(), most_values=MOST_REQUEST_VALUES)
    except ValueError as cause:
        raise InvalidParameter("request", value="no JSON", allowed="a JSON object") from cause
    if not isinstance(plain, dict):
        raise InvalidParameter("request", value=type(plain).__name__, allowed="a JSON object")
    return plain


def whole(plain: dict[str, Any], name: str) -> int:
    """Read a whole number, such as the revision that an edit was made on."""
    number = plain.get(name)
    if isinstance(number, bool) or not isinstance(number, int) or not 0 <= number < 2**63:
        raise InvalidParameter(name, value=number, allowed="a whole number")
    return number


def uploaded() -> Iterator[bytes]:
    """Read the request's raw body in chunks."""
    if not request.content_length:
        raise FernTideError("The file is empty.", remedy="Export it again, or choose another file.")
    while chunk := request.stream.read(_CHUNK):
        yield chunk


def joined() -> int | None:
    """Give the revision of what came just before in one go, where the request names one."""
    return request.args.get("joined", type=int)


def small_upload(most: int) -> bytes:
    """Read the request's raw body whole.

    Raises:
        FernTideError: it is empty, or longer than most bytes.
    """
    content = b""
    for chunk in uploaded():
        content += chunk
        if len(content) > most:
            raise FernTideError(f"The file is larger than {most >> 20} MB.", remedy="Choose another file.")
    return content


def render(template: str, view: Any, **more: Any) -> str:
    """Draw a template with the fields of a room's view, a dataclass, with what every room shows of its revision."""
    shown = {field.name: getattr(view, field.name) for field in fields(view)}
    revision: Revision = view.revision
    g.drawn = revision.id
    return render_template(
        template, key=revision.key, project=revision.document, status=status(revision), **shown, **more
    )


def edit_of(kind: str, owner: tuple[str, str], path: str, **values: Any) -> dict[str, Any]:
    """Give the command of an edit inside a thing; one inside a list says in which revision it was seen there.

    Args:
        kind: of the command.
        owner: the kind of thing, and its id.
        path: the place inside it.
        values: what else the command says.
    """
    seen = {"seen": g.drawn} if "drawn" in g and any(map(str.isdecimal, path.split("."))) else {}
    return {"kind": kind, "owner": owner[0], "id": owner[1], "path": path, **seen, **values}


def status(revision: Revision) -> dict[str, Any]:
    """Say how a project stands, for the header."""
    return {
        "revision": revision.id,
        "name": revision.document.name,
        "undo": revision.undo,
        "redo": revision.redo,
        "saved": f"{revision.saved:%H:%M}",
        "stale": baking.stale_count(studio(), services().levels, revision.key, revision.document),
        "driven": len({str(drive.target) for m in revision.document.mappings if not m.muted for drive in m.drives}),
        "frames": revision.document.n_frames,
        "work": revision.document.work,
        "tracks": [item.id for item in revision.document.tracks],
        "markers": [item.model_dump(mode="json") for item in revision.document.markers],
        "space": revision.document.scene.kind,
        "shown": _shown(revision.document.scene),
        "cut": _cut_words(revision),
        "looks": staged(revision.document.scene).looks,
        "pieces": staged(revision.document.scene).pieces_look,
        "rate": [revision.document.rate.fps.numerator, revision.document.rate.fps.denominator],
    }


def _shown(scene: Scene) -> dict[str, Any]:
    """Say what a 3D stage shows beside its parts."""
    return {
        "background": scene.background,
        "floor": scene.floor,
        "light": scene.lit.model_dump(),
    }


def _cut_words(revision: Revision) -> str:
    """Say how a first cut stands: 'due' when nothing but the sound's analysis holds it up, 'open', or ''."""
    cut = revision.document.first_cut
    if cut is None:
        return ""
    return "due" if cut.waits and revision.redo is None else "open"  # one that was undone is not made again by itself
