"""Processes beside this one: how many are worth it for a text, and how one begins."""

from __future__ import annotations

import os
import signal
import sys

from wetcomb.combs.engine import StepsRun
from wetcomb.files.source import BLOCK_SIZE, Source

__all__ = ["become_helper", "count_helpers", "count_processors", "keep_memory"]

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


def keep_memory() -> None:
    """Have the C library keep what a chunk used for the next one, where it is glibc.

    Left alone it gives the memory of every large array back at once, and the next chunk's
    arrays are faulted in page by page; keeping it saves about a fifth of the time of a long
    run (measured with the benchmarks, 50 MB) and nothing of the peak.
    """
    if not sys.platform.startswith("linux"):
        return
    import ctypes

    trim_threshold, top_pad, mmap_threshold = -1, -2, -3
    mallopt = getattr(ctypes.CDLL(None), "mallopt", None)
    if mallopt is not None:
        mallopt(trim_threshold, 256 << 20)
        mallopt(mmap_threshold, 32 << 20)
        mallopt(top_pad, 16 << 20)
