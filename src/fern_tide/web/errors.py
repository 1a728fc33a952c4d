"""The one place where errors become a status and words."""

from __future__ import annotations

import errno
import logging

from flask import Flask, Response, jsonify, make_response, render_template, request
from flask_wtf.csrf import CSRFError
from peewee import OperationalError
from pydantic import ValidationError
from werkzeug.exceptions import HTTPException

from fern_tide.core.base.errors import (
    FernTideError,
    InvalidParameter,
    UnknownName,
    UnreadableProject,
    UnreadableScene,
    UnreadableSound,
)
from fern_tide.core.base.refusal import refused
from fern_tide.store.files import DiskFull, TooLarge
from fern_tide.store.revision import Conflict, NoSuchProject, NothingToUndo
from fern_tide.web.lines import NoLine
from fern_tide.workflows.bring_in.live import LiveEnded
from fern_tide.workflows.derive.analysis import NotAnalyzedYet


class NoToken(FernTideError):
    """An address is asked for without the project's token."""


class Foreign(FernTideError):
    """A page of another origin asked for a change."""


STATUS: dict[type[FernTideError], int] = {
    Foreign: 403,
    NoToken: 403,
    NoLine: 426,
    Conflict: 409,
    NothingToUndo: 409,
    NoSuchProject: 404,
    LiveEnded: 410,
    UnknownName: 404,
    InvalidParameter: 422,
    UnreadableSound: 422,
    UnreadableProject: 422,
    UnreadableScene: 422,
    TooLarge: 413,
    DiskFull: 507,
    NotAnalyzedYet: 202,
}
HTTP_WORDS = {
    404: ("There is no such page.", "Go back to the projects."),
    405: ("This cannot be done here.", "Go back to the projects."),
    413: ("The file is too large.", "Bring in a smaller one."),
}
UNWRITABLE = (errno.ENOSPC, errno.EDQUOT, errno.EROFS)
log = logging.getLogger(__name__)


def install(app: Flask) -> None:
    """Handle every error of the application."""

    @app.errorhandler(FernTideError)
    def _ours(wrong: FernTideError) -> Response:
        status = next((STATUS[kind] for kind in type(wrong).__mro__ if kind in STATUS), 422)
        jobs = [job.id for job in wrong.jobs] if isinstance(wrong, NotAnalyzedYet) else []
        return _say(wrong.what, wrong.remedy, status, jobs)

    @app.errorhandler(ValidationError)
    def _refused(wrong: ValidationError) -> Response:
        refusal = refused(wrong, model=None)
        return _say(refusal.what, refusal.remedy, 422)

    @app.errorhandler(CSRFError)
    def _forged(wrong: CSRFError) -> Response:
        return _say("This page is out of date.", "Reload it and try again.", 400)

    @app.errorhandler(HTTPException)
    def _http(wrong: HTTPException) -> Response:
        what, remedy = HTTP_WORDS.get(wrong.code or 500, (f"{wrong.name}.", "Go back to the projects."))
        return _say(what, remedy, wrong.code or 500)

    @app.errorhandler(OperationalError)
    def _database(wrong: OperationalError) -> Response:
        log.exception("database")
        text = str(wrong)
        if "locked" in text or "busy" in text:
            return _say("The project store is busy.", "Try again in a moment.", 503)
        return _unwritten(full="full" in text)

    @app.errorhandler(OSError)
    def _system(wrong: OSError) -> Response:
        log.exception("request failed")
        if wrong.errno in UNWRITABLE:
            return _unwritten(full=wrong.errno != errno.EROFS)
        return _unknown_words()

    @app.errorhandler(Exception)
    def _unknown(wrong: Exception) -> Response:
        log.exception("request failed")
        return _unknown_words()


def _unknown_words() -> Response:
    return _say("Something went wrong on our side.", "What was saved is not lost. Reload the page, and try again.", 500)


def _unwritten(*, full: bool) -> Response:
    what = "The disk is full." if full else "The data folder cannot be written."
    return _say(what, "Free some room and try again; nothing that was saved is lost.", 507)


def _say(what: str, remedy: str, status: int, jobs: list[str] | None = None) -> Response:
    if request.headers.get("Accept", "").startswith("text/html") and not request.headers.get("HX-Request"):
        return make_response(render_template("error.html", what=what, remedy=remedy, status=status), status)
    return make_response(jsonify(what=what, remedy=remedy, jobs=jobs or []), status)
