"""The Flask application."""

from __future__ import annotations

import hashlib
import secrets
from pathlib import Path

from flask import Flask, Response, request
from flask_wtf.csrf import CSRFProtect
from jinja2 import StrictUndefined

from fern_tide.core.base.frame_rate import COMMON_RATES, FrameRate
from fern_tide.core.base.naming import words
from fern_tide.core.base.params import fields
from fern_tide.core.commands.mapping import same
from fern_tide.web import errors, shapes
from fern_tide.web.context import Services
from fern_tide.web.pages import (
    bench,
    curves,
    edits,
    first_cut,
    handoff,
    jobs,
    picker,
    projects,
    several,
    sound_room,
    soundtrack,
    stage,
    stage_files,
    tuning,
)
from fern_tide.workflows.derive.analysis import levels_of
from fern_tide.workflows.derive.stages import Stages
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
    app.extensions["fern_tide"] = Services(studio, levels_of(studio), Stages(studio.media))
    CSRFProtect(app)
    errors.install(app)
    rooms = (projects, sound_room, soundtrack, stage, stage_files, several, bench, handoff)
    for page in (*rooms, first_cut, picker, curves, edits, tuning, jobs):
        app.register_blueprint(page.pages)
    app.jinja_env.globals.update(
        fields=fields, words=words, number_text=shapes.number_text, clock_text=shapes.clock_text,
        places_for=aiming.places_for, siblings=why.siblings, is_shown=same,
        sizes=SIZES, chosen_size=_chosen_size,
        rates=[FrameRate.parse(text) for text in COMMON_RATES],
    )  # fmt: skip
    app.jinja_env.undefined = StrictUndefined  # a name that is not given is a mistake
    app.jinja_env.trim_blocks = app.jinja_env.lstrip_blocks = True

    modules = sorted(path.stem for path in (STATIC / "js").glob("*.js") if path.stem != "app")
    app.jinja_env.globals["modules"] = modules  # all are asked for at once, not one after the other names it

    @app.after_request
    def _closed(response: Response) -> Response:
        response.headers.setdefault("Content-Security-Policy", POLICY)
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


def _version(folder: Path) -> str:
    """Give a name for what the files of a folder hold."""
    digest = hashlib.sha256()
    for path in sorted(folder.rglob("*")):
        if path.is_file():
            digest.update(str(path.relative_to(folder)).encode() + path.read_bytes())
    return digest.hexdigest()[:12]


def _secret(path: Path) -> bytes:
    """Give the key that signs sessions, made once for a data folder."""
    if not path.exists():
        path.touch(mode=0o600)
        path.write_bytes(secrets.token_bytes(32))
    return path.read_bytes()
