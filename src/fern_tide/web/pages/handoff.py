"""Hand-off: which curves are stale and why, keys, checks, and writing in open formats."""

from __future__ import annotations

import io
from collections.abc import Sequence
from typing import Any

from flask import Blueprint, Response, render_template, request, send_file

from fern_tide.core.bake.checking import run_checks
from fern_tide.core.bake.curve import Curve
from fern_tide.core.bake.thin import Interpolation, thin
from fern_tide.core.base.errors import UnknownName
from fern_tide.core.base.params import FieldSpec, fields
from fern_tide.core.base.target import Target
from fern_tide.core.document import Project
from fern_tide.core.formats.format import KeyParams, Written
from fern_tide.core.formats.registry import FORMATS
from fern_tide.store.projects import Revision
from fern_tide.web.context import services, staged, standing, studio
from fern_tide.web.packing import Pack
from fern_tide.web.shapes import spark_points
from fern_tide.workflows.bake import baking
from fern_tide.workflows.hand_off import writing

pages = Blueprint("handoff", __name__, url_prefix="/p/<key>/hand-off")


@pages.get("")
def room(key: str) -> str:
    """Show the room."""
    return render_template("handoff.html", room="hand-off", **_shown(studio().projects.current(key)))


@pages.get("/parts")
def parts(key: str) -> str:
    """Show the room's contents anew."""
    return render_template("handoff/parts.html", **_shown(studio().projects.current(key)))


def _shown(revision: Revision) -> dict[str, Any]:
    project, key = revision.document, revision.key
    states = baking.states(studio(), services().levels, key, project)
    baked = baking.baked_curves(studio(), services().levels, key, project)
    wanted = request.args.get("target", "")
    chosen = next((s for s in states if str(s.target) == wanted), next(iter(states), None))
    tolerance = project.keys_error_percent / 100
    rows = [
        {
            "state": state,
            "spark": spark_points(state.values) if state.values is not None else "",
            "key_count": _count_keys(state, tolerance),
        }
        for state in states
    ]
    lost = {name: sorted({words for curve in baked if (words := spec.loses(curve))}) for name, spec in FORMATS.items()}
    return {
        "key": key,
        "revision": revision,
        "project": project,
        "standing": standing(revision),
        "rows": rows,
        "chosen": chosen,
        "counts": {str(kind): sum(s.state is kind for s in states) for kind in baking.State},
        "outcomes": run_checks(baked) if baked else (),
        "formats": {name: spec for name, spec in FORMATS.items() if project.scene.kind in spec.spaces},
        "elsewhere": [spec for spec in FORMATS.values() if project.scene.kind not in spec.spaces],
        "interpolations": list(Interpolation),
        "moving_parts": list(dict.fromkeys((curve.target.part, curve.part_name) for curve in baked)),
        "lost": lost,
        "options": _options(project, baked),
        "n_baked": len(baked),
    }


def _options(project: Project, baked: Sequence[Curve]) -> list[tuple[FieldSpec, int]]:
    """List the switches of the stage's formats, and how many curves go with what each leaves out."""
    parts = [project.scene.part(curve.target.part) for curve in baked]
    found: dict[str, tuple[FieldSpec, int]] = {}
    for spec in FORMATS.values():
        for field in fields(spec.params) if project.scene.kind in spec.spaces else ():
            if field.kind == "switch" and field.name not in KeyParams.model_fields:
                without = spec.params.model_validate({field.name: not field.default})
                found.setdefault(field.name, (field, sum(spec.leaves_out(part, without) for part in parts)))
    return list(found.values())


def _count_keys(state: baking.CurveState, tolerance: float) -> int:
    return 0 if state.values is None else len(thin(state.values, tolerance=tolerance * _span(state)).frames)


def _span(state: baking.CurveState) -> float:
    """What a percentage of error is of: a curve's span, or 1 for colours and for curves that stand still."""
    if state.values is None or state.values.ndim > 1 or not state.values.size:
        return 1.0
    return float(state.values.max() - state.values.min()) or 1.0


@pages.get("/curve")
def curve(key: str) -> Response:
    """Give a baked curve and its thinned keys."""
    project = studio().projects.current(key).document
    target = Target.parse(request.args.get("target", ""))
    for state in baking.states(studio(), services().levels, key, project):
        if state.target == target and state.values is not None:
            keys = thin(state.values, tolerance=project.keys_error_percent / 100 * _span(state))
            pack = Pack()
            head = {
                "dense": pack.add(state.values),
                "frames": pack.add(keys.frames.astype("float64")),
                "keys": pack.add(keys.values),
                "error_percent": 100 * keys.error / _span(state),
            }
            return pack.response(head)
    raise UnknownName(f"{target} is not baked yet.", remedy="Bake first.", name=str(target))


@pages.get("/write/<format_id>")
def write(key: str, format_id: str) -> str:
    """Write the baked curves in a format, read them back, and say how they compare."""
    project = studio().projects.current(key).document
    curves = baking.baked_curves(studio(), services().levels, key, project)
    written = _written(project, curves, format_id)
    query = request.query_string.decode()
    return render_template("handoff/written.html", key=key, written=written, n_curves=written.n_curves, query=query)


@pages.get("/files/<format_id>")
def download(key: str, format_id: str) -> Response:
    """Give the baked curves as a file."""
    project = studio().projects.current(key).document
    written = _written(project, baking.baked_curves(studio(), services().levels, key, project), format_id)
    name = f"{writing.file_stem(project.name)}{written.format.extension}"
    stream = io.BytesIO(written.content)
    return send_file(stream, mimetype=written.format.media_type, as_attachment=True, download_name=name)


def _written(project: Project, curves: tuple[Curve, ...], format_id: str) -> Written:
    """Write with the options and parts that the address names."""
    chosen = FORMATS[format_id].params.model_fields
    options = {name: value for name, value in request.args.items() if name in chosen}
    parts = request.args.getlist("part") or None
    media = staged(project.scene).media
    return writing.write_format(project, curves, format_id=format_id, media=media, options=options, parts=parts)
