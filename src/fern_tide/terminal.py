"""What the command line says and writes: tables, refusals, and how far long work is."""

from __future__ import annotations

import argparse
import csv
import io
import sys
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from fern_tide.core.base.errors import FernTideError

COULD_NOT = 2


def refuse(wrong: FernTideError, arguments: argparse.Namespace) -> int:
    """Say on one line what is wrong, with which file or which option, and what to do."""
    from fern_tide.core.base.errors import InvalidParameter, UnreadableProject, UnreadableScene

    if isinstance(wrong, InvalidParameter):
        option = str(wrong.data.get("name", ""))
        about = option if option not in wrong.what else None
    else:
        names = {UnreadableScene: ["scene", "file"], UnreadableProject: ["scene"]}.get(type(wrong), [])
        names_given = (getattr(arguments, name, None) for name in [*names, "sound", "project", "file"])
        about = next((file for file in names_given if file), None)
    print(f"fern-tide: {f'{about}: ' if about else ''}{wrong}".replace("\n", " "), file=sys.stderr)
    return COULD_NOT


@contextmanager
def progress_on_terminal(doing: str) -> Iterator[Callable[[int, int], bool]]:
    """Show how far long work is on a terminal, on one line that goes when it is done; nothing elsewhere."""
    shown = -1

    def tell(done: int, total: int) -> bool:
        nonlocal shown
        percent = min(99, 100 * done // total) if total else 0
        if sys.stderr.isatty() and percent != shown:
            shown = percent
            print(f"\r{doing}: {percent} %" if total else f"\r{doing}", end="", file=sys.stderr, flush=True)
        return True

    try:
        yield tell
    finally:
        if shown >= 0:
            print("\r\x1b[K", end="", file=sys.stderr, flush=True)


def write_csv(place: str, head: Sequence[str], rows: Iterable[Sequence[object]]) -> None:
    """Write a table to a file, or to standard output for '-'."""
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\n")
    writer.writerow(head)
    writer.writerows(rows)
    if place == "-":
        sys.stdout.write(text.getvalue())
    else:
        Path(place).write_text(text.getvalue())
