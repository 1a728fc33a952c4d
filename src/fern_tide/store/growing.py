"""Arrays that are written to the disk as they come."""

from __future__ import annotations

import mmap
import os
from collections.abc import Callable
from pathlib import Path

import numpy as np
import numpy.typing as npt

from fern_tide.store.processes import new_part


class Growing:
    """Arrays being written to the disk by way of the page cache, so that hours need no more memory than minutes."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._arrays: dict[str, tuple[Path, npt.NDArray[np.float32]]] = {}

    def array(self, key: str, shape: tuple[int, ...]) -> npt.NDArray[np.float32]:
        """Give an array of zeros that is kept under a key; an empty one lives in memory."""
        handle, name = new_part(self._folder)
        os.close(handle)
        if 0 in shape:
            array: npt.NDArray[np.float32] = np.zeros(shape, dtype=np.float32)
        else:
            array = np.lib.format.open_memmap(name, mode="w+", dtype=np.float32, shape=shape)
            with Path(name).open("r+b") as file:  # so that a full disk is an error here, and no fault in the mapping
                os.posix_fallocate(file.fileno(), 0, Path(name).stat().st_size)
        self._arrays[key] = (Path(name), array)
        return array

    def let_go(self) -> None:
        """Give the memory of what was written back to the system; the numbers stay in the file."""
        for _, array in self._arrays.values():
            mapped = getattr(array, "_mmap", None)
            if mapped is not None:
                mapped.madvise(mmap.MADV_DONTNEED)

    def keep(self, path: Callable[[str], Path]) -> None:
        """Put the finished arrays where they belong."""
        for key, (written, array) in self._arrays.items():
            if isinstance(array, np.memmap):
                array.flush()
            else:
                with written.open("wb") as out:
                    np.save(out, array, allow_pickle=False)
            path(key).parent.mkdir(parents=True, exist_ok=True)
            written.replace(path(key))

    def forget(self) -> None:
        """Remove what was not kept."""
        for written, _ in self._arrays.values():
            written.unlink(missing_ok=True)
        self._arrays.clear()
