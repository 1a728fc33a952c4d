"""The Flask application."""

from __future__ import annotations

import contextlib
import hashlib
import json
import os
import secrets
import tempfile
from functools import cache
from pathlib import Path
from typing import Any
from urllib.parse import urlsplit

from flask import Flask, Response, request
from flask_wtf.csrf import CSRFProtect
from jinja2 import StrictUndefined

from fern_tide.core.base.frame_rate import COMMON_RATES, FrameRate
from fern_tide.core.base.naming import words
from fern_tide.core.base.params import fields
from fern_tide.core.commands.mapping import same
from fern_tide.web import errors, shapes
from fern_tide.web.context import Services, edit_of
from fern_tide.web.errors import Foreign
from fern_tide.web.pages import (
    bench,
    curves,
    edits,
    first_cut,
    handoff,
    jobs,
    live,
    newest,
    performing,
    picker,
    projects,
    proof,
    several,
    sound_room,
    soundtrack,
    stage,
    stage_files,
    touch_ups,
    tuning,
)
from fern_tide.workflows.studio import Studio
from fern_tide.workflows.tune import aiming, why

STATIC = Path(__file__).parent / "static"
POLICY = "; ".join(
    (
        "default-src 'none'",
        "script-src 'self' 'wasm-unsafe-eval'",  # packed meshes are unpacked by WebAssembly
        "worker-src 'self' blob:",
        "style-src 'self'",
        "img-src 'self' data: blob:",
        "media-src 'self'",
        "font-src 'self'",
        "connect-src 'self' blob:",
        "base-uri 'none'",
        "form-action 'self'",
        "frame-ancestors 'none'",
    )
)

WORKER_POLICY = "default-src 'none'; script-src 'self' 'wasm-unsafe-eval' 'unsafe-eval'"
"""Of the worker that unpacks Basis textures: what it is made of writes functions while it runs; it reaches nothing."""


HTMX = {
    "includeIndicatorStyles": False,
    "allowEval": False,
    "historyEnabled": False,
    "attributesToSettle": ["class"],
    "scrollIntoViewOnBoost": False,
    "selfRequestsOnly": True,
    "defaultSettleDelay": 0,
    "responseHandling": [
        {"code": "202", "swap": False, "error": True},
        {"code": "204", "swap": False},
        {"code": "[23]..", "swap": True},
        {"code": "[45]..", "swap": False, "error": True},
    ],
}
"""How htmx works here: nothing is evaluated, asked of others or remembered; only answers that say so are shown."""


_SECRET_BYTES = 32
SIZES = (90, 100, 110, 125, 150)
"""In percent: how large everything can be drawn."""


def create_app(studio: Studio, *, hosts: tuple[str, ...] = ("127.0.0.1", "localhost")) -> Flask:
    """Make the application over a studio whose queue is connected.

    Args:
        studio: the stores.
        hosts: the names under which the application may be asked for; others are refused.
    """
    app = Flask(__name__, static_url_path=f"/static/{_version(STATIC)}")
    app.config.update(
        SECRET_KEY=_secret(studio.settings.data / "secret"),
        TRUSTED_HOSTS=list(hosts),
        MAX_CONTENT_LENGTH=studio.settings.most_upload_bytes,
        SESSION_COOKIE_SAMESITE="Strict",
        SESSION_COOKIE_HTTPONLY=True,
        WTF_CSRF_TIME_LIMIT=None,
        WTF_CSRF_HEADERS=["X-CSRF-Token"],
    )
    app.extensions["fern_tide"] = Services.of(studio)
    app.wsgi_app = _with_small_host(app.wsgi_app)  # type: ignore[method-assign]  # as Flask has it
    CSRFProtect(app)
    errors.install(app)
    rooms = (projects, sound_room, soundtrack, stage, stage_files, several, bench, handoff)
    for page in (*rooms, first_cut, picker, curves, edits, tuning, touch_ups, performing, live, proof, newest, jobs):
        app.register_blueprint(page.pages)
    app.jinja_env.globals.update(
        fields=fields, words=words, edit_of=edit_of, number_text=shapes.number_text, clock_text=shapes.clock_text,
        graph_points=shapes.graph_points,
        data_script=shapes.data_script, size_text=shapes.size_text,
        places_for=aiming.places_for, siblings=why.siblings, is_shown=same,
        sizes=SIZES, chosen_size=_chosen_size, newest_token=newest.token_of,
        rates=[FrameRate.parse(text) for text in COMMON_RATES],
    )  # fmt: skip
    app.jinja_env.undefined = StrictUndefined  # a name that is not given is a mistake

    app.jinja_env.globals["htmx_config"] = json.dumps(HTMX)

    @app.before_request
    def _from_here() -> None:
        """Refuse what a page of another origin sends, whatever token it has; on a line it could read, too."""
        if request.method in {"GET", "HEAD", "OPTIONS"} and "Upgrade" not in request.headers:
            return
        origin, site = request.headers.get("Origin"), request.headers.get("Sec-Fetch-Site", "same-origin")
        if site not in {"same-origin", "none"} or (origin is not None and urlsplit(origin).netloc != request.host):
            raise Foreign("This came from another page.", remedy="Use the pages of Fern Tide.")

    @app.after_request
    def _closed(response: Response) -> Response:
        worker = request.endpoint == "static" and (request.view_args or {}).get("filename") == "vendor/basis_worker.js"
        response.headers.setdefault("Content-Security-Policy", WORKER_POLICY if worker else POLICY)
        if request.endpoint == "static":  # its address changes with it
            response.cache_control.no_cache = None
            response.cache_control.max_age, response.cache_control.immutable = 365 * 24 * 3600, True
        response.headers["X-Content-Type-Options"] = "nosniff"
        response.headers["Referrer-Policy"] = "same-origin"
        response.headers["Cross-Origin-Opener-Policy"] = "same-origin"
        response.headers["Cross-Origin-Resource-Policy"] = "same-origin"
        return response

    return app


def _chosen_size() -> int:
    """Give how large everything is drawn in this browser, in percent."""
    text = request.cookies.get("size", "")
    return int(text) if text in map(str, SIZES) else 100


@cache
def _version(folder: Path) -> str:
    """Give a name for what the files of a folder hold: they are looked at once."""
    digest = hashlib.sha256()
    for path in sorted(folder.rglob("*")):
        if path.is_file():
            digest.update(str(path.relative_to(folder)).encode() + path.read_bytes())
    return digest.hexdigest()[:12]


def _with_small_host(run: Any) -> Any:
    """Take LOCALHOST for localhost: the case of a host's name says nothing."""

    def wsgi(environ: dict[str, Any], start_response: Any) -> Any:
        environ["HTTP_HOST"] = environ.get("HTTP_HOST", "").lower()
        return run(environ, start_response)

    return wsgi


def _secret(path: Path) -> bytes:
    """Give the key that signs sessions, made once for a data folder; one that was spoilt is made anew."""
    with contextlib.suppress(FileNotFoundError):
        if len(known := path.read_bytes()) >= _SECRET_BYTES:
            return known
        path.unlink(missing_ok=True)
    handle, name = tempfile.mkstemp(dir=path.parent)  # for its owner only
    try:
        with os.fdopen(handle, "wb") as out:
            out.write(secrets.token_bytes(_SECRET_BYTES))
            out.flush()
            os.fsync(out.fileno())
        with contextlib.suppress(FileExistsError):  # another process was first: its key counts
            os.link(name, path)
    finally:
        Path(name).unlink()
    return path.read_bytes()
