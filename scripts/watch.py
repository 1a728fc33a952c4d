"""Run the tests of a stage whenever a file of the code or the tests is saved.

Usage: python scripts/watch.py [STAGE]   a folder of tests/core, such as mapping; 'core' is all of it
"""

from __future__ import annotations

import subprocess
import sys
import time
from pathlib import Path

ROOT = Path(__file__).parent.parent
EVERY_S = 0.4


def stamp() -> float:
    """Give when the latest file was saved."""
    files = (path for folder in ("src", "tests") for path in (ROOT / folder).rglob("*.py"))
    return max(path.stat().st_mtime for path in files)


def main() -> None:
    """Watch until it is interrupted."""
    stage = sys.argv[1] if len(sys.argv) > 1 else "core"
    folder = "tests/core" if stage == "core" else f"tests/core/{stage}"
    if not (ROOT / folder).is_dir():
        stages = sorted(path.name for path in (ROOT / "tests/core").iterdir() if path.is_dir())
        sys.exit(f"There is no {folder}. Use one of: core, {', '.join(stages)}.")
    seen = 0.0
    while True:
        now = stamp()
        if now != seen:
            seen = now
            subprocess.run([sys.executable, "-m", "pytest", "-x", folder], cwd=ROOT)
        time.sleep(EVERY_S)


if __name__ == "__main__":
    try:
        main()
    except KeyboardInterrupt:
        sys.exit(130)
