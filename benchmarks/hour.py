"""Take an hour of sound in, and print the CPU seconds and the largest memory in MB.

run.py runs it in a process of its own.

Usage: python benchmarks/hour.py SOUND DATA
"""

import os
import sys
import time

os.environ["OPENBLAS_NUM_THREADS"] = "1"
from pathlib import Path

from fern_tide.demo.scene import glasshouse
from fern_tide.jobs.queue import connect
from fern_tide.workflows.bring_in import sounds
from fern_tide.workflows.studio import Settings, Studio

studio = Studio.open(Settings(data=Path(sys.argv[2])))
connect(studio, at_once=True)
before = time.process_time()
with Path(sys.argv[1]).open("rb") as sound:
    chunks = iter(lambda: sound.read(1 << 18), b"")
    revision = sounds.start_project(studio, chunks, file_name="hour.wav", scene=glasshouse())
status = Path("/proc/self/status").read_text()
peak_kb = int(status.split("VmHWM:")[1].split()[0])  # rusage would count what this process was before it began
print(time.process_time() - before, peak_kb / 1024)
