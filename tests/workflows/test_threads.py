"""Several requests at once ask for graphs and values of documents that share most of their parts."""

import random
import sys
import threading

import numpy as np
import pytest
from tests.core.derivation.documents import SOURCES, document

from fern_tide.core.mapping.marks import Marks
from fern_tide.workflows.derive.levels import Levels
from fern_tide.workflows.tune import edits


@pytest.fixture
def hasty():
    """Threads take turns all the time."""
    before = sys.getswitchinterval()
    sys.setswitchinterval(1e-5)
    yield
    sys.setswitchinterval(before)


def test_edits_in_several_threads_see_their_own_curves(hasty):
    levels, project, wrong = Levels(SOURCES), document(), []
    still = {curve.target: curve.values for curve in levels.curves(project)}

    def edit_often(seed: int) -> None:
        chance = random.Random(seed)
        for _ in range(30):
            at, low = chance.randrange(3), 0.01 + 0.05 * chance.random()
            tuned = project.mappings[at].but(marks=Marks(low=low, high=0.3))
            after = project.but(mappings=(*project.mappings[:at], tuned, *project.mappings[at + 1 :]))
            changed = edits.changes(levels, project, after).targets
            curves = {curve.target: curve.values for curve in levels.curves(after)}
            alone = {curve.target: curve.values for curve in Levels(SOURCES).curves(after)}
            same = all(np.array_equal(curves[target], alone[target]) for target in alone)
            if not same or changed != {t for t in curves if not np.array_equal(curves[t], still[t])}:
                wrong.append((seed, at, low))

    threads = [threading.Thread(target=edit_often, args=(seed,)) for seed in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert wrong == []
