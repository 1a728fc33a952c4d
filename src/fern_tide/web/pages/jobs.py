"""Long work: how far it is, cancel, and try again."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, jsonify, render_template, request

from fern_tide.store.job_rows import Job
from fern_tide.web.context import studio
from fern_tide.workflows.derive import analysis
from fern_tide.workflows.hand_off import long, proof

pages = Blueprint("jobs", __name__)
_VERBS = {analysis.KIND: "analyze", long.KIND: "write", proof.KIND: "make"}


def job_words(job: Job) -> dict[str, Any]:
    """Give a job as the page shows it."""
    return {
        "id": job.id,
        "state": job.state,
        "share": job.share,
        "words": job.words
        if job.words and job.state != "queued"
        else f"Waiting to {_VERBS[job.kind]} {job.payload.get('name', '')}",
    }


@pages.get("/p/<key>/work")
def work(key: str) -> Any:
    """List the work that the project as it stands still needs, asking for what nobody has asked for."""
    return _shown(key)


@pages.post("/p/<key>/work")
def again(key: str) -> Any:
    """Begin work anew that was cancelled or failed."""
    return _shown(key, again=True)


@pages.post("/p/<key>/work/cancel")
def cancel_all(key: str) -> Any:
    """Ask all that is done for the project to stop."""
    for job in analysis.ensure(studio(), studio().projects.current(key).document):
        studio().jobs.cancel(job.id)
    return _shown(key)


def _shown(key: str, *, again: bool = False) -> Any:
    """Say what is done for a project: as a piece of a page, or as data for who asks for that."""
    project = studio().projects.current(key).document
    jobs = [job_words(job) for job in analysis.ensure(studio(), project, again=again)]
    if request.headers.get("HX-Request"):
        return render_template("work.html", key=key, jobs=jobs)
    return jsonify(jobs=jobs)


@pages.get("/jobs/<job_id>")
def show(job_id: str) -> Any:
    """Say how far a job is."""
    job = studio().jobs.get(job_id)
    return (jsonify(job_words(job)), 200) if job else (jsonify(what="This work is over.", remedy=""), 404)


@pages.post("/jobs/<job_id>/cancel")
def cancel(job_id: str) -> Any:
    """Ask a job to stop."""
    studio().jobs.cancel(job_id)
    return jsonify(state="cancelled")
