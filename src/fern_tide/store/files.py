"""Media by content hash and derived arrays by fingerprint, in folders."""

from __future__ import annotations

import contextlib
import errno
import hashlib
import os
import time
from collections.abc import Container, Iterable, Iterator
from pathlib import Path
from typing import BinaryIO

import numpy as np
import numpy.typing as npt

from fern_tide.core.base.errors import FernTideError
from fern_tide.core.scene.gltf.surfaces import lend
from fern_tide.store.growing import Growing
from fern_tide.store.processes import PART, new_part, remove_orphans

MOST_HEARD = 12
_CHUNK = 1 << 20


class TooLarge(FernTideError):
    """More bytes arrived than are taken."""


class DiskFull(FernTideError):
    """The disk has no room left."""

    def __init__(self) -> None:
        super().__init__("The disk is full.", remedy="Free some room and try again; nothing that was saved is lost.")


@contextlib.contextmanager
def _noticing_a_full_disk() -> Iterator[None]:
    try:
        yield
    except OSError as cause:
        if cause.errno == errno.ENOSPC:
            raise DiskFull from cause
        raise


class MediaStore:
    """Sound files, each under the SHA-256 of its content; a file is there whole or not at all."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        folder.mkdir(parents=True, exist_ok=True)
        self.remove_orphans()
        lend(self.read)

    def remove_orphans(self) -> int:
        """Remove what processes that are gone were receiving; gives how many files went."""
        return remove_orphans(self._folder)

    def path(self, digest: str) -> Path:
        """Give where a media file lies."""
        if len(digest) != 64 or not set(digest) <= set("0123456789abcdef"):
            raise ValueError(digest)
        return self._folder / digest

    def open(self, digest: str) -> BinaryIO:
        """Open a media file.

        Raises:
            FernTideError: it is not there.
        """
        try:
            return self.path(digest).open("rb")
        except FileNotFoundError as cause:
            raise FernTideError("A file of the project is missing.", remedy="Bring it in again.") from cause

    def read(self, digest: str) -> bytes:
        """Give a small media file's bytes, such as those of an imported curve.

        Raises:
            FernTideError: it is not there.
        """
        with self.open(digest) as stream:
            return stream.read()

    @contextlib.contextmanager
    def receive(self, chunks: Iterable[bytes], *, most: int) -> Iterator[tuple[str, BinaryIO, list[bool]]]:
        """Take bytes in; the file is kept only when the with-block puts True into the list it is given.

        Yields:
            The hash, the content opened for reading, and the list.

        Raises:
            TooLarge: more than `most` bytes came.
            DiskFull: the disk has no room.
        """
        handle, name = new_part(self._folder)
        keep: list[bool] = []
        try:
            seen = hashlib.sha256()
            with _noticing_a_full_disk(), os.fdopen(handle, "wb") as out:
                total = 0
                for chunk in chunks:
                    total += len(chunk)
                    if total > most:
                        raise TooLarge(
                            f"The file is larger than {most >> 20} MB.", remedy="Bring in a smaller one, such as FLAC."
                        )
                    seen.update(chunk)
                    out.write(chunk)
                out.flush()
                os.fsync(out.fileno())
            with Path(name).open("rb") as content:
                yield seen.hexdigest(), content, keep
            if keep and keep[0]:
                Path(name).replace(self.path(seen.hexdigest()))
        finally:
            Path(name).unlink(missing_ok=True)

    def add(self, chunks: Iterable[bytes], *, most: int) -> str:
        """Take bytes in and keep them; gives their hash."""
        with self.receive(chunks, most=most) as (digest, _, keep):
            keep.append(True)
        return digest

    def sweep(self, in_use: set[str]) -> int:
        """Remove media that nothing names and that are a day old; gives how many."""
        gone = 0
        for path in self._folder.iterdir():
            with contextlib.suppress(FileNotFoundError):  # another process sweeps too
                if path.suffix != PART and path.name not in in_use and time.time() - path.stat().st_mtime > 24 * 3600:
                    path.unlink()
                    gone += 1
        return gone

    def size(self, digest: str) -> int:
        """Give how many bytes a media file has; 0 if it is not there."""
        try:
            return self.path(digest).stat().st_size
        except FileNotFoundError:
            return 0


class DerivedStore:
    """Arrays and files that can be made again, under the fingerprint of what they were made from."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._parts = folder / "parts"
        self._parts.mkdir(parents=True, exist_ok=True)
        self.remove_orphans()

    def remove_orphans(self) -> int:
        """Remove what processes that are gone were writing; gives how many files went."""
        return remove_orphans(self._parts) + remove_orphans(self._folder)

    def path(self, key: str, *, suffix: str = ".npy") -> Path:
        """Give where a derived file lies."""
        return self._folder / key[:2] / f"{key}{suffix}"

    def has(self, key: str, *, suffix: str = ".npy") -> bool:
        """Say whether it is there."""
        return os.path.exists(f"{self._folder}/{key[:2]}/{key}{suffix}")  # noqa: PTH110 - asked of thousands at once

    def get(self, key: str) -> npt.NDArray[np.generic] | None:
        """Give an array, mapped from the disk, or None when it is not there or cannot be read."""
        path = self.path(key)
        try:
            _used(path)
            return np.asarray(np.load(path, mmap_mode="r", allow_pickle=False))
        except FileNotFoundError:
            return None
        except (ValueError, EOFError, OSError):
            path.unlink(missing_ok=True)  # it can be made again
            return None

    def put(self, key: str, values: npt.NDArray[np.generic]) -> None:
        """Store an array, whole or not at all."""
        with self.writing(key) as out:
            np.save(out, values, allow_pickle=False)

    @contextlib.contextmanager
    def growing(self) -> Iterator[Growing]:
        """Write several arrays at once straight to the disk; all appear when the with-block ends well, else none."""
        growing = Growing(self._parts)
        try:
            with _noticing_a_full_disk():
                yield growing
                growing.keep(self.path)
        finally:
            growing.forget()

    @contextlib.contextmanager
    def writing(self, key: str, *, suffix: str = ".npy") -> Iterator[BinaryIO]:
        """Open a derived file for writing; it appears when the with-block ends well."""
        path = self.path(key, suffix=suffix)
        path.parent.mkdir(parents=True, exist_ok=True)
        handle, name = new_part(self._parts)
        try:
            with _noticing_a_full_disk(), os.fdopen(handle, "w+b") as out:
                yield out
            Path(name).replace(path)
        finally:
            Path(name).unlink(missing_ok=True)

    def sweep(self, *, older_than_s: float, in_use: Container[str] = (), unused_s: float = float("inf")) -> int:
        """Remove what was neither made nor read for so long; gives how many files went.

        Args:
            older_than_s: for so long, whoever needs it: it can be made again.
            in_use: the fingerprints that something refers to.
            unused_s: for so long, where nothing refers to it.
        """
        gone, now = 0, time.time()
        for path, status in self._files():
            most = older_than_s if path.stem in in_use else min(older_than_s, unused_s)
            if now - _last_use(status) > most:
                path.unlink(missing_ok=True)
                gone += 1
        return gone

    def _files(self) -> Iterator[tuple[Path, os.stat_result]]:
        for path in self._folder.rglob("*.*"):
            with contextlib.suppress(FileNotFoundError):  # another process sweeps too
                if path.is_file() and path.suffix != PART:
                    yield path, path.stat()

    def size(self, keys: Iterable[str] | None = None) -> int:
        """Give how many bytes some fingerprints' files take; None is all there is."""
        if keys is None:
            return sum(status.st_size for _, status in self._files())
        return sum(self.path(key).stat().st_size for key in keys if self.has(key))

    def shrink(self, *, most_bytes: int, most_heard: int = MOST_HEARD) -> int:
        """Remove what was used longest ago until the rest takes no more room than it may; gives how many files went.

        Args:
            most_bytes: of all files.
            most_heard: of mixes and bands that were listened to, each some megabytes a minute.
        """
        files = sorted(self._files(), key=lambda item: -_last_use(item[1]))
        gone = taken = heard = 0
        for path, status in files:
            taken += status.st_size
            heard += path.suffix == ".wav"
            if taken > most_bytes or (path.suffix == ".wav" and heard > most_heard):
                path.unlink(missing_ok=True)
                taken -= status.st_size
                gone += 1
        return gone

    def forget(self, keys: Iterable[str]) -> None:
        """Remove what can be made again."""
        for key in keys:
            self.path(key).unlink(missing_ok=True)


def _used(path: Path) -> None:
    """Note that a file is looked at, once an hour: many disks do not note that themselves."""
    if time.time() - _last_use(path.stat()) > 3600.0:
        with contextlib.suppress(OSError):  # a disk that cannot be written
            os.utime(path, (time.time(), path.stat().st_mtime))


def _last_use(status: os.stat_result) -> float:
    return max(status.st_mtime, status.st_atime)
