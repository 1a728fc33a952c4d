"""The studio: one data folder with all its stores, and the settings."""

from __future__ import annotations

import os
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

from fern_tide.core.sound.decode import SoundLimits
from fern_tide.store.files import DerivedStore, MediaStore
from fern_tide.store.job_rows import Job, JobStore
from fern_tide.store.library import LibraryStore
from fern_tide.store.projects import ProjectStore


@dataclass(frozen=True)
class Settings:
    """What can be set, each by an environment variable.

    Attributes:
        data: the folder of everything (FERN_TIDE_DATA).
        most_upload_bytes: the largest file taken (FERN_TIDE_MOST_UPLOAD_MB).
        longest_sound_s: the longest sound taken (FERN_TIDE_LONGEST_SOUND_S).
        most_scene_bytes: the largest SVG, glTF or picture taken, with all that comes with it (FERN_TIDE_MOST_SCENE_MB).
        redis_url: where the queue is, when not in the data folder (FERN_TIDE_REDIS_URL).
    """

    data: Path
    most_upload_bytes: int = 2 << 30
    longest_sound_s: int = 3 * 3600
    most_scene_bytes: int = 256 << 20
    redis_url: str = ""

    @classmethod
    def from_environment(cls, data: str | None = None) -> Settings:
        """Read the settings; a folder that is given wins."""
        environment = os.environ
        return cls(
            data=Path(data or environment.get("FERN_TIDE_DATA", "data")).resolve(),
            most_upload_bytes=int(environment.get("FERN_TIDE_MOST_UPLOAD_MB", "2048")) << 20,
            longest_sound_s=int(environment.get("FERN_TIDE_LONGEST_SOUND_S", "10800")),
            most_scene_bytes=int(environment.get("FERN_TIDE_MOST_SCENE_MB", "256")) << 20,
            redis_url=environment.get("FERN_TIDE_REDIS_URL", ""),
        )

    @property
    def sound_limits(self) -> SoundLimits:
        """How much sound is taken."""
        return SoundLimits(longest_s=self.longest_sound_s)


def _nobody(job: Job) -> None:
    raise RuntimeError("this studio has no queue")


@dataclass
class Studio:
    """Stores and settings.

    Attributes:
        settings: as started.
        projects: documents and revisions.
        media: sound files.
        derived: what can be made again.
        jobs: the state of long work.
        library: recipes that every project can use.
        enqueue: gives a job to the workers; set by jobs/.
    """

    settings: Settings
    projects: ProjectStore
    media: MediaStore
    derived: DerivedStore
    jobs: JobStore
    library: LibraryStore
    enqueue: Callable[[Job], None] = field(default=_nobody)

    @classmethod
    def open(cls, settings: Settings) -> Studio:
        """Open the data folder, making it where it is not there."""
        settings.data.mkdir(parents=True, exist_ok=True)
        return cls(
            settings=settings,
            projects=ProjectStore(settings.data / "projects.sqlite"),
            media=MediaStore(settings.data / "media"),
            derived=DerivedStore(settings.data / "derived"),
            jobs=JobStore(settings.data / "jobs.sqlite"),
            library=LibraryStore(settings.data / "projects.sqlite"),
        )
