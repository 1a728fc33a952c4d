"""The parts of docs/benchmarks.md, each written by one script."""

from __future__ import annotations

import re
from collections.abc import Iterable
from pathlib import Path

PAGE = Path(__file__).parent.parent / "docs/benchmarks.md"


def write_part(title: str, words: str, rows: Iterable[tuple[str, str, str]]) -> None:
    """Write a part anew where it stands, or after the last; all others stay.

    Args:
        title: of the part.
        words: one line before its table.
        rows: what, goal and measured.
    """
    table = [f"## {title}", "", words, "", "| what | goal | measured |", "|---|---|---|"]
    table += [f"| {what} | {goal} | {measured} |" for what, goal, measured in rows]
    parts = re.split(r"\n(?=## )", PAGE.read_text().rstrip())
    at = next((at for at, part in enumerate(parts) if part.startswith(f"## {title}\n")), len(parts))
    parts[at : at + 1] = ["\n".join(table)]
    PAGE.write_text("\n\n".join(part.rstrip() for part in parts) + "\n")
