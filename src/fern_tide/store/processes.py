"""Processes of this machine, told from others of their number, and the files that they are in the middle of writing."""

from __future__ import annotations

import contextlib
import hashlib
import os
import socket
import tempfile
import time
from functools import cache
from pathlib import Path

PART = ".part"
_FORGOTTEN_S = 24 * 3600.0


def born(pid: int) -> str:
    """Say when a process of this machine began: two of one number differ in it; '' if it is gone."""
    try:
        after_name = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()
    except (FileNotFoundError, ProcessLookupError):
        return "" if Path("/proc/self").exists() else _answers(pid)
    return "" if after_name[0] in "ZX" else after_name[19]


def _answers(pid: int) -> str:
    try:
        os.kill(pid, 0)
    except ProcessLookupError:
        return ""
    except PermissionError:
        pass
    return "there"


@cache
def _writer(pid: int) -> str:
    """Give what the names of the files begin with that this process, of that number, is writing."""
    return f"{_machine()}-{pid}-{born(pid)}-"


def _machine() -> str:
    return hashlib.sha256(socket.gethostname().encode()).hexdigest()[:8]


def new_part(folder: Path) -> tuple[int, str]:
    """Make a file to be written and then put where it belongs; its name says which process writes it.

    Returns:
        A handle open for writing, and the path.
    """
    folder.mkdir(parents=True, exist_ok=True)
    return tempfile.mkstemp(dir=folder, prefix=_writer(os.getpid()), suffix=PART)


def remove_orphans(folder: Path) -> int:
    """Remove the unfinished files of processes that are gone; of other machines those of a day. Gives how many."""
    gone = 0
    for path in folder.glob(f"*{PART}"):
        with contextlib.suppress(FileNotFoundError):  # somebody else was faster
            if _is_orphan(path):
                path.unlink()
                gone += 1
    return gone


def _is_orphan(path: Path) -> bool:
    words = path.name.split("-")
    if len(words) >= 4 and words[0] == _machine() and words[1].isdecimal():
        return born(int(words[1])) != words[2]
    return time.time() - path.stat().st_mtime > _FORGOTTEN_S
