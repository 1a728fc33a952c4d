"""Sync figures against made sounds whose lag is known, with what makes it late named."""

import numpy as np
import pytest
from tests.conftest import wav

from fern_tide.core.base.params import build
from fern_tide.core.base.target import Target
from fern_tide.core.envelope.envelope import CleanUpChoice, Envelope, ReadingChoice
from fern_tide.core.mapping.mapping import Mapping
from fern_tide.demo.scene import glasshouse
from fern_tide.workflows.bring_in import sounds
from fern_tide.workflows.derive import analysis
from fern_tide.workflows.tune import edits
from fern_tide.workflows.tune.sync_report import causes, earlier, sync_csv, sync_rows

RATE_HZ = 48_000
LAMP = Target.parse("lamp:scale_x")


def clicks():
    """Forty soft bumps of 80 ms, each beginning sharply on a frame's first sample, over silence."""
    out = np.zeros(RATE_HZ * 24)
    bump = np.hanning(2 * 3840)[3840:] * np.sin(2 * np.pi * 400 * np.arange(3840) / RATE_HZ)
    for at in range(40):
        start = (15 + 17 * at) * RATE_HZ // 30
        out[start : start + len(bump)] = 0.8 * bump
    return out


@pytest.fixture
def key(studio):
    return sounds.start_project(
        studio, [wav(clicks(), rate_hz=RATE_HZ)], file_name="Clicks.wav", scene=glasshouse()
    ).key


def project_of(studio, key, *clean_up, late=0, response="straight", steps=()):
    start = studio.projects.current(key).document
    envelope = Envelope(
        id="e",
        name="Clicks",
        track=start.tracks[0].id,
        reading=ReadingChoice.parse("amplitude detector=peak"),
        clean_up=tuple(CleanUpChoice.parse(text) for text in clean_up),
    )
    mapping = build(
        Mapping,
        {
            "id": "m",
            "name": "Lamp",
            "envelope": "e",
            "marks": {"low": 0.01, "high": 0.9},
            "steps": list(steps),
            "drives": [
                {
                    "target": "lamp:scale_x",
                    "rest": 1.0,
                    "full": 2.0,
                    "late_frames": late,
                    "response": {"id": response},
                }
            ],
        },
    )
    project = start.but(envelopes=(envelope,), mappings=(mapping,))
    project = studio.projects.save(key, project, base=studio.projects.current(key).id, label="x").document
    analysis.ensure(studio, project)
    return project


def measured(levels, project):
    (row,) = [row for row in sync_rows(levels, project) if row.target == LAMP]
    return row, {cause.words: cause for cause in causes(levels, project, row)}


def test_a_plain_level_is_in_time(studio, levels, key):
    row, why = measured(levels, project_of(studio, key))
    assert len(row.sync.by_hit) == 40 and row.sync.misses == 0 and not row.sync.lags.any() and not why
    assert (
        earlier(studio.projects.current(key).document, row, levels.graph(studio.projects.current(key).document)) is None
    )


def test_lateness_is_its_own_frames_and_one_click_takes_it_back(studio, levels, key):
    project = project_of(studio, key, late=6)
    row, why = measured(levels, project)
    assert row.sync.median == 6 and row.sync.p95 == 6
    assert why["6 frames late"].frames == pytest.approx(6)
    words, (mended,) = earlier(project, row, levels.graph(project))
    assert words == "6 frames earlier" and mended.drives[0].late_frames == 0
    now = why["6 frames late"].remedy[1].apply(project)
    assert measured(levels, now)[0].sync.median == 0


def test_a_centred_bell_adds_nothing_and_a_one_pole_its_delay(studio, levels, key):
    row, why = measured(levels, project_of(studio, key, "smooth width_ms=60"))
    assert abs(row.sync.median) <= 1 and abs(why["smooth of Clicks"].frames) <= 1
    project = project_of(studio, key, "smooth width_ms=30", "rise_and_fall rise_ms=150 fall_ms=400")
    row, why = measured(levels, project)
    alone = measured(levels, project_of(studio, key, "smooth width_ms=30"))[0].sync
    expected = float(np.mean(row.sync.by_hit - alone.by_hit))
    assert why["rise and fall of Clicks"].frames == pytest.approx(expected) and expected >= 1
    assert max(why.values(), key=lambda cause: cause.frames).words == "rise and fall of Clicks"
    project = studio.projects.save(key, project, base=studio.projects.current(key).id, label="y").document
    words, command = why["rise and fall of Clicks"].remedy
    assert words == "Smooth without lag"
    edits.edit(studio, key, command, base=studio.projects.current(key).id)
    mended = measured(levels, studio.projects.current(key).document)[0].sync
    assert abs(mended.median) < abs(row.sync.median)


def test_a_step_that_shifts_is_named(studio, levels, key):
    row, why = measured(levels, project_of(studio, key, steps=[{"id": "shift", "params": {"by": 3}}]))
    assert row.sync.median == 3 and why["step shift"].frames == pytest.approx(3)
    assert why["step shift"].remedy[0] == "Leave it out"


def test_the_csv_has_the_columns_that_scripts_read(studio, levels, key):
    project = project_of(studio, key, late=2)
    head, row = sync_csv(project, sync_rows(levels, project)).splitlines()
    assert head.startswith("curve,hits,median_frames,p95_frames,misses")
    assert row.split(",")[:5] == ["lamp:scale_x", "40", "2", "2", "0"]


def test_what_no_sound_drives_has_no_figure(studio, levels, key):
    project = project_of(studio, key)
    beats = Envelope(id="e", name="Beats", reading=ReadingChoice.parse("beats"))
    (row,) = sync_rows(levels, project.but(envelopes=(beats,)))
    assert row.track is None and not len(row.sync.by_hit)
    assert causes(levels, project, row) == [] and earlier(project, row, levels.graph(project)) is None
