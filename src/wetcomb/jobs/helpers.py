"""Processes beside this one: how many are worth it for a text, and how one begins."""

from __future__ import annotations

import os
import signal
import sys

from wetcomb.combs.engine import StepsRun
from wetcomb.files.source import BLOCK_SIZE, Source

__all__ = ["become_helper", "count_helpers", "count_processors"]

_LONG = 8 * BLOCK_SIZE  # a shorter text is done before helpers are there
_MOST = 4  # processes
_DIE_WITH_PARENT = 1  # prctl(2): PR_SET_PDEATHSIG


def count_helpers(run: StepsRun, source: Source, n_processes: int | None) -> int:
    """Return how many processes beside this one are worth it for a text that they can share."""
    can_share = (
        sys.platform == "linux"
        and source.size >= _LONG
        and source.encoding.name == "utf-8"
        and run.can_share
    )
    wanted = min(count_processors(), _MOST) if n_processes is None else n_processes
    return wanted - 1 if can_share else 0


def count_processors() -> int:
    """Return how many processors this process may use."""
    return len(os.sched_getaffinity(0)) if sys.platform == "linux" else 1


def become_helper() -> None:
    """Make a new process a helper: it is stopped by the one that began it, and dies with it; on Linux."""
    import ctypes

    signal.signal(signal.SIGINT, signal.SIG_IGN)
    signal.signal(signal.SIGTERM, signal.SIG_DFL)
    ctypes.CDLL(None).prctl(_DIE_WITH_PARENT, signal.SIGKILL)
