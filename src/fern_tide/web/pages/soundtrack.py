"""What the Sound room shows and does beside its panels: spectra, hits and beats, markers, bands, and other files."""

from __future__ import annotations

from collections.abc import Callable
from collections.abc import Mapping as Named
from dataclasses import asdict
from typing import Any

import numpy as np
from flask import Blueprint, Response, jsonify, request, send_file

from fern_tide.core.base.errors import InvalidParameter
from fern_tide.core.base.naming import fresh_id
from fern_tide.core.commands.soundtrack import PutMarkers, PutTrack, SetBeat
from fern_tide.core.document import Marker, Project, Track
from fern_tide.core.envelope.beat_grid import on_beat
from fern_tide.core.envelope.notes import Notes, read_notes
from fern_tide.core.formats.moments import MOST_BYTES, Moment, read_moments, write_csv, write_vtt
from fern_tide.core.sound.spectrogram import Picture, shown, tilt_steps
from fern_tide.web.asked import asked_number, is_number, number, one_of
from fern_tide.web.context import body, joined, services, small_upload, status, studio, uploaded, whole
from fern_tide.web.level_heads import level_head
from fern_tide.web.packing import Pack
from fern_tide.web.pages.curves import waveform_head
from fern_tide.workflows.bring_in import sounds, swap
from fern_tide.workflows.bring_in.newer import newer as newer_of
from fern_tide.workflows.derive.analysis import NotAnalyzedYet
from fern_tide.workflows.tune import edits
from fern_tide.workflows.tune.beat import Correction, corrected
from fern_tide.workflows.tune.listening import band_file
from fern_tide.workflows.tune.place_track import CountedIn, LinedUp, lined_up, placed
from fern_tide.workflows.tune.spectra import spectrogram, suggested

pages = Blueprint("soundtrack", __name__, url_prefix="/p/<key>")
MOST_COLUMNS = 4096
MOST_TILE = 2048


@pages.get("/tracks/<track_id>/spectrogram")
def picture(key: str, track_id: str) -> Response:
    """Give a stretch of a track's spectrogram as bytes, lowest row first: frames from..to in so many columns."""
    project = studio().projects.head(key)[1]
    drawn, _ = spectrogram(studio(), services().levels, project, project.track(track_id))
    columns = int(min(MOST_COLUMNS, max(1, asked_number(request.args, "columns", 1000))))
    first, last = asked_number(request.args, "from", 0), asked_number(request.args, "to", project.n_frames)
    stretch = shown(drawn, first=first, last=max(last, first + 1e-3), columns=columns)
    return _rows(_tilted(stretch, asked_number(request.args, "tilt", 0.0)))


@pages.get("/tracks/<track_id>/spectra")
def tile(key: str, track_id: str) -> Response:
    """Give the spectra of frames from..to as bytes, one row of pitches after the other frame by frame."""
    project = studio().projects.head(key)[1]
    drawn, _ = spectrogram(studio(), services().levels, project, project.track(track_id))
    first = int(max(0, asked_number(request.args, "from", 0)))
    last = int(min(drawn.shape[1], asked_number(request.args, "to", first + MOST_TILE), first + MOST_TILE))
    return _rows(np.ascontiguousarray(drawn[:, first : max(first, last)].T))


@pages.get("/tracks/<track_id>/average")
def mean(key: str, track_id: str) -> Response:
    """Give a track's average spectrum, and the tilt that is asked for."""
    project = studio().projects.head(key)[1]
    _, level = spectrogram(studio(), services().levels, project, project.track(track_id))
    pack = Pack()
    return pack.response(
        {"average": pack.add(level), "tilt": pack.add(tilt_steps(asked_number(request.args, "tilt", 0.0)))}
    )


def _rows(rows: Picture) -> Response:
    return Response(rows.tobytes(), mimetype="application/octet-stream", headers={"Cache-Control": "no-store"})


def _tilted(rows: Picture, tilt: float) -> Picture:
    if not tilt:
        return rows
    raised = np.clip(rows + np.round(tilt_steps(tilt))[:, None], 0, 255)
    return np.where(rows > 0, raised, 0).astype(np.uint8)


@pages.get("/rhythm")
def rhythm(key: str) -> Response:
    """Give the project's beats, and the hits of one track, in frames of the project."""
    project = studio().projects.head(key)[1]
    wanted, pack = request.args.get("track"), Pack()
    track = next((item for item in project.tracks if item.id == wanted), project.beat_track)
    return pack.response(_rhythm_head(pack, project, track))


def _rhythm_head(pack: Pack, project: Project, track: Track | None) -> dict[str, Any]:
    beats, fps = services().levels.beats(project), project.rate.per_second
    head: dict[str, Any] = {
        "beats": pack.add(beats.times_s * fps),
        "in_bar": pack.add(beats.in_bar.astype(np.float64)),
        "bpm": beats.bpm,
    }
    if track is not None:
        hits, _ = services().levels.rhythm(project, track)
        times = hits.times_s + float(track.offset)
        head |= {"hits": pack.add(times * fps), "strengths": pack.add(hits.strengths)}
        head["on_grid"] = on_beat(times, beats.times_s)
    return head


@pages.get("/sound/shown")
def all_shown(key: str) -> Response:
    """Give all that the Sound room draws, at once: an envelope's level, and its track's picture, waveform and rhythm.

    What is still being analyzed is left out and named as missing.
    """
    project = studio().projects.head(key)[1]
    envelope, track = sounds.shown_first(project, request.args.get("envelope"), request.args.get("track"))
    pack = Pack()
    head: dict[str, Any] = {"frames": project.n_frames, "track": track and track.id, "missing": []}
    parts: dict[str, Callable[[], dict[str, Any]]] = {}
    if envelope is not None:
        parts["level"] = lambda: level_head(pack, project, envelope)
    if track is not None:
        parts["wave"] = lambda: waveform_head(pack, project, track)
        parts["spectra"] = lambda: _spectra_head(pack, project, track, request.args)
        parts["rhythm"] = lambda: _rhythm_head(pack, project, track)
    for name, part in parts.items():
        try:
            head[name] = part()
        except NotAnalyzedYet:
            head["missing"].append(name)
    return pack.response(head)


def _spectra_head(pack: Pack, project: Project, track: Track, asked: Named[str, str]) -> dict[str, Any]:
    drawn, level = spectrogram(studio(), services().levels, project, track)
    columns = int(min(MOST_COLUMNS, max(1, asked_number(asked, "columns", 800))))
    first, last = asked_number(asked, "from", 0), asked_number(asked, "to", 0) or project.n_frames
    tilt = asked_number(asked, "tilt", 0.0)
    return {
        "picture": pack.add_bytes(
            _tilted(shown(drawn, first=first, last=max(last, first + 1e-3), columns=columns), tilt)
        ),
        "columns": columns,
        "view": [first, last],
        "average": pack.add(level),
        "tilt": pack.add(tilt_steps(tilt)),
    }


@pages.post("/beat")
def correct(key: str) -> Any:
    """Correct the beat grid."""
    plain = body()
    project = studio().projects.at(key, whole(plain, "base")).document
    how = one_of(Correction, plain, "how", "")
    given, times = plain.get("number", 0.0), plain.get("times", [])
    numbers = [given, *times] if isinstance(times, list) else [None]
    if len(numbers) > 1001 or not all(map(is_number, numbers)):
        raise InvalidParameter("number", value=given, allowed="a number")
    beats = services().levels.beats(project)
    song, later_s = _song(project, str(plain.get("envelope"))) if how is Correction.SONG else (None, 0.0)
    track = str(plain.get("track") or "") or None
    beat = corrected(
        project, beats, how=how, number=given, times_s=tuple(times), track=track, song=song, later_s=later_s
    )
    return jsonify(status(edits.edit(studio(), key, SetBeat(beat=beat), base=whole(plain, "base"))))


def _song(project: Project, envelope_id: str) -> tuple[Notes | None, float]:
    """Give the MIDI file that an envelope reads, if it reads one, and how much later it begins."""
    envelope = project.envelope(envelope_id)
    field, params = swap.file_field(envelope), envelope.reading.params
    song = getattr(params, field.name) if field is not None and field.kind == "song" else ""
    return (read_notes(studio().media.read(song)), float(getattr(params, "later_s", 0.0))) if song else (None, 0.0)


@pages.get("/markers.<ending>")
def markers(key: str, ending: str) -> Response:
    """Give the markers, or with of=hits the hits of a track, as CSV or WebVTT."""
    project = studio().projects.current(key).document
    moments = [Moment(item.time_s, item.name, item.colour) for item in project.markers]
    name = "markers"
    if request.args.get("of") == "hits":
        track = project.track(str(request.args.get("track")))
        hits, _ = services().levels.rhythm(project, track)
        times = hits.times_s + float(track.offset)
        moments = [Moment(t, f"Hit {at + 1}") for at, t in enumerate(times.tolist()) if t >= 0]
        name = "hits"
    if ending not in {"csv", "vtt"}:
        return Response(status=404)
    text = write_csv(moments) if ending == "csv" else write_vtt(moments)
    headers = {"Content-Disposition": f"attachment; filename={name}.{ending}", "Cache-Control": "no-store"}
    return Response(text, mimetype="text/csv" if ending == "csv" else "text/vtt", headers=headers)


@pages.post("/markers")
def add_markers(key: str) -> Any:
    """Take markers from a CSV or WebVTT file."""
    moments = read_moments(small_upload(MOST_BYTES))
    current = studio().projects.current(key)
    markers: list[Marker] = list(current.document.markers)
    before = len(markers)
    for moment in moments:
        name = moment.name or f"Marker {len(markers) + 1}"
        colour = {"colour": moment.colour} if moment.colour else {}
        markers.append(Marker(id=fresh_id(name, among=markers), name=name, time_s=moment.time_s, **colour))
    revision = edits.edit(studio(), key, PutMarkers(markers=tuple(markers[before:])), base=current.id)
    return jsonify(status(revision)), 201


@pages.get("/tracks/<track_id>/bands")
def bands(key: str, track_id: str) -> Any:
    """Suggest bands of a track."""
    project = studio().projects.head(key)[1]
    suggestions = suggested(services().levels, project, project.track(track_id))
    return jsonify(bands=[asdict(band) for band in suggestions])


@pages.get("/tracks/<track_id>/band.wav")
def band_sound(key: str, track_id: str) -> Response:
    """Serve a band of a track, by byte ranges."""
    project = studio().projects.head(key)[1]
    low, high = asked_number(request.args, "low", 20), asked_number(request.args, "high", 20_000)
    if not 0 <= low < high:
        raise InvalidParameter("band", value=f"{low:g} to {high:g} Hz", allowed="an upper edge above the lower")
    path = band_file(studio(), project, project.track(track_id), low_hz=low, high_hz=high)
    return send_file(path, mimetype="audio/wav", conditional=True, max_age=3600)


@pages.post("/tracks/<track_id>/offset")
def offset(key: str, track_id: str) -> Any:
    """Move a track in time: to an offset, or so that a hit of it lies on a frame."""
    plain = body()
    project = studio().projects.at(key, whole(plain, "base")).document
    track = project.track(track_id)
    if "frame" in plain:
        hits, _ = services().levels.rhythm(project, track)
        near_s, frame = number(plain, "near_s"), int(number(plain, "frame"))
        moved = lined_up(project, track, hits, near_s=near_s, frame=frame, to=one_of(LinedUp, plain, "to", "frame"))
    else:
        counted_in = one_of(CountedIn, plain, "counted_in", "frames")
        moved = placed(project, track, offset=number(plain, "offset"), counted_in=counted_in)
    return jsonify(status(edits.edit(studio(), key, PutTrack(track=moved), base=whole(plain, "base"))))


@pages.get("/newer")
def newer(key: str) -> Any:
    """Say which of some files, by their names, look like newer versions of what the project has."""
    sounds, curves, scenes = (request.args.getlist(name) for name in ("sound", "curve", "scene"))
    files = newer_of(studio().projects.head(key)[1], sounds=sounds, curves=curves, scenes=scenes)
    return jsonify(newer=[asdict(item) for item in files])


@pages.post("/tracks/<track_id>/file")
def swap_file(key: str, track_id: str) -> Any:
    """Put another sound file under a track; 'before' names the revision to compare with."""
    before = studio().projects.current(key).id
    revision = swap.swap(studio(), key, uploaded(), track_id=track_id, joined=joined())
    return jsonify({**status(revision), "before": before}), 201


@pages.post("/envelopes/<envelope_id>/file")
def swap_curve(key: str, envelope_id: str) -> Any:
    """Put another curve or MIDI file under an envelope; 'before' names the revision to compare with."""
    before = studio().projects.current(key).id
    revision = swap.swap_curve(studio(), key, uploaded(), envelope_id=envelope_id, joined=joined())
    return jsonify({**status(revision), "before": before}), 201


@pages.get("/moved")
def moved(key: str) -> Any:
    """Say which curves moved since a revision, and how much."""
    before = studio().projects.document_at(key, int(asked_number(request.args, "since", 0)))
    after = studio().projects.head(key)[1]
    differences = swap.report(services().levels, before, after)
    driven = {str(drive.target) for mapping in after.mappings if not mapping.muted for drive in mapping.drives}
    fps = after.rate.per_second
    seconds = [float(project.rate.duration_s(project.n_frames)) for project in (before, after)]
    return jsonify(
        moved=[{**asdict(item), "at_s": item.at_frame / fps} for item in differences], of=len(driven), seconds=seconds
    )


@pages.post("/curves")
def add_curve(key: str) -> Any:
    """Take a curve from a CSV or JSON file in as an envelope."""
    name = request.args.get("name", "")
    revision = sounds.add_curve(studio(), key, uploaded(), file_name=name, joined=joined())
    return jsonify({**status(revision), "chosen": {"envelope": revision.document.envelopes[-1].id}}), 201
