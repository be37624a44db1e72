"""Compiled loops on all cores, by threads of Python: what is called seldom and works long need not be compiled as
parallel."""

from __future__ import annotations

import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor

CORES = len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count() or 1
ALONE = 100_000  # pixels: a smaller picture is not worth handing over
_hands = ThreadPoolExecutor(CORES, thread_name_prefix="loop")


def side_by_side(run: Callable[[int, int], None], shares: int, shared: bool = True) -> None:
    """Call ``run(begin, end)`` for ranges that make up all shares, on every core at once; what it raises is passed on.

    The loops that run calls must let go of Python's lock. They must not come back here: all hands may be taken.
    """
    parts = min(CORES, shares) if shared else 1
    ends = [shares * i // parts for i in range(parts + 1)]
    others = [_hands.submit(run, a, b) for a, b in zip(ends[1:], ends[2:], strict=False)]
    try:
        run(ends[0], ends[1])
    finally:
        for other in others:
            other.result()
