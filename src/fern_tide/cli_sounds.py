"""The commands that write lists read from one file: hits, beats, notes."""

from __future__ import annotations

import argparse
from pathlib import Path

from fern_tide.terminal import write_csv


def hits(arguments: argparse.Namespace) -> None:
    """Write where a sound sets in."""
    from fern_tide.core.base.params import build
    from fern_tide.core.envelope.readings.hits import HitsParams
    from fern_tide.workflows.bring_in.sound_file import file_hits

    options = {
        "low_hz": arguments.low.lower().removesuffix("hz"),
        "high_hz": arguments.high.lower().removesuffix("hz"),
        "sensitivity": arguments.sensitivity,
        "least_gap_ms": arguments.least_gap_ms,
    }
    heard = file_hits(Path(arguments.sound), options=build(HitsParams, options))
    if arguments.midi:
        from fern_tide.core.envelope.beats import NO_BEATS
        from fern_tide.core.formats.hits_midi import write_hits

        name = Path(arguments.sound).stem
        Path(arguments.midi).write_bytes(write_hits(heard.times_s, heard.strengths, beats=NO_BEATS, name=name))
        return
    rows = zip(map(repr, heard.times_s.tolist()), map(repr, heard.strengths.tolist()), strict=True)
    write_csv(arguments.csv, ["time_s", "strength"], rows)


def notes(arguments: argparse.Namespace) -> None:
    """Write what a MIDI file plays."""
    from fern_tide.core.envelope.notes import read_notes

    with Path(arguments.song).open("rb") as stream:
        played = read_notes(stream.read())
    columns = (played.times_s, played.lengths_s, played.keys, played.velocities, played.channels)
    rows = ([*map(repr, row)] for row in zip(*(column.tolist() for column in columns), strict=True))
    write_csv(arguments.csv, ["time_s", "length_s", "note", "velocity", "channel"], rows)


def beats(arguments: argparse.Namespace) -> None:
    """Write the beats of a sound."""
    from fern_tide.workflows.bring_in.sound_file import file_beats

    heard = file_beats(Path(arguments.sound))
    rows = zip(map(repr, heard.times_s.tolist()), heard.in_bar.tolist(), strict=True)
    write_csv(arguments.csv, ["time_s", "beat_in_bar"], rows)
