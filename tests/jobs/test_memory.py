"""What a job leaves behind in the worker."""

from __future__ import annotations

import gc
import weakref

import numpy as np

from wiseglove.core.motion.plane import PlaneSolver
from wiseglove.jobs.queue import give_memory_back


def solved_once() -> weakref.ref[PlaneSolver]:
    grain = np.random.default_rng(1).uniform(0, 255, (72, 72)).astype(np.float32)
    patch = np.zeros((72, 72), np.float32)
    patch[8:64, 8:64] = 1.0
    solver = PlaneSolver(lambda frame: grain, 1, patch)
    list(solver.run(range(2, 4)))
    return weakref.ref(solver)


def test_a_solver_and_its_pictures_are_gone_when_the_job_is_over() -> None:
    gc.disable()  # as where few objects hold much memory, so that it does not come by itself
    try:
        left = solved_once()
        assert left() is not None  # it and the pictures it keeps refer to each other
        give_memory_back()
        assert left() is None
    finally:
        gc.enable()
