"""The newest bake of a curve at an address of its own, for pipelines: with a token, and an ETag that tells changes."""

from __future__ import annotations

import hmac

from flask import Blueprint, Response, current_app, request

from fern_tide.core.base.errors import UnknownName
from fern_tide.core.base.target import Target
from fern_tide.core.formats.registry import FORMATS
from fern_tide.web.context import services, staged, studio
from fern_tide.web.errors import NoToken
from fern_tide.workflows.bake import baking
from fern_tide.workflows.hand_off.writing import write_format

pages = Blueprint("newest", __name__, url_prefix="/p/<key>/newest")


def token_of(key: str) -> str:
    """Give the token of a project's addresses: it is known only to who can open the project here."""
    secret = current_app.config["SECRET_KEY"]
    secret = secret if isinstance(secret, bytes) else str(secret).encode()
    return hmac.new(secret, f"newest {key}".encode(), "sha256").hexdigest()[:32]


@pages.get("/<target>")
def newest(key: str, target: str) -> Response:
    """Give a curve as it was baked last, as JSON; 304 where it is the one that is known already."""
    if not hmac.compare_digest(request.args.get("token", ""), token_of(key)):
        raise NoToken("This address needs the project's token.", remedy="Copy the address in the Hand-off room.")
    project, wanted = studio().projects.current(key).document, Target.parse(target)
    digest = studio().projects.baked(key).get(str(wanted))
    if digest is None:
        raise UnknownName(f"{wanted} is not baked yet.", remedy="Bake first.", name=str(wanted))
    response = Response(mimetype=FORMATS["json"].media_type)
    response.set_etag(digest)
    if response.make_conditional(request).status_code == 304:
        return response
    curves = baking.baked_curves(studio(), services().levels, key, project)
    chosen = tuple(curve for curve in curves if curve.target == wanted)
    written = write_format(project, chosen, format_id="json", media=staged(project.scene).media)
    response.set_data(written.content)
    return response
