"""The studio: one data folder with all its stores, and the settings."""

from __future__ import annotations

import os
import shutil
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

from fern_tide.core.sound.decode import SoundLimits
from fern_tide.store.database import opening
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
        most_derived_bytes: how much room what can be made again may take (FERN_TIDE_MOST_DERIVED_MB; by default 10 GB,
            or a fifth of the disk where that is less).
        redis_url: where the queue is, when not in the data folder (FERN_TIDE_REDIS_URL).
    """

    data: Path
    most_upload_bytes: int = 2 << 30
    longest_sound_s: int = 3 * 3600
    most_scene_bytes: int = 256 << 20
    most_derived_bytes: int = 10 << 30
    redis_url: str = ""

    @classmethod
    def from_environment(cls, data: str | None = None) -> Settings:
        """Read the settings; a folder that is given wins."""
        environment = os.environ
        folder = Path(data or environment.get("FERN_TIDE_DATA", "data")).resolve()
        folder.mkdir(parents=True, exist_ok=True)
        most_derived_mb = min(10 << 10, shutil.disk_usage(folder).total // 5 >> 20)
        return cls(
            data=folder,
            most_derived_bytes=int(environment.get("FERN_TIDE_MOST_DERIVED_MB", most_derived_mb)) << 20,
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
        with opening(settings.data):
            return cls(
                settings=settings,
                projects=ProjectStore(settings.data / "projects.sqlite"),
                media=MediaStore(settings.data / "media"),
                derived=DerivedStore(settings.data / "derived"),
                jobs=JobStore(settings.data / "jobs.sqlite"),
                library=LibraryStore(settings.data / "projects.sqlite"),
            )

    def close(self) -> None:
        """Close the databases."""
        for store in (self.projects, self.jobs, self.library):
            store.close()

    def tidy(self) -> int:
        """Remove what processes that are gone left unfinished, and keep to the room that derived files may take.

        This is quick, and done every minute by whoever works. Gives how many files went.
        """
        gone = self.media.remove_orphans() + self.derived.remove_orphans()
        return gone + self.derived.shrink(most_bytes=self.settings.most_derived_bytes)
