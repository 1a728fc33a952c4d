"""Fern Tide turns a soundtrack into motion.

with fern_tide.open("Glasshouse.ferntide") as opened:
    curves = opened.curves()
"""

from __future__ import annotations

from importlib.metadata import version
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from fern_tide.workflows.hand_off.opened import OpenedProject

__version__ = version("fern-tide")


def open(path: str | Path) -> OpenedProject:  # what users expect it to be called
    """Open a .ferntide file: its curves, checks and sync figures, and its files in every format.

    Args:
        path: of the file.

    Raises:
        UnreadableProject: it is none, or is damaged.
        FileNotFoundError: it is not there.
    """
    from fern_tide.workflows.hand_off.opened import OpenedProject

    return OpenedProject(Path(path))
