"""Run a whole process and measure it."""

from __future__ import annotations

import os
import shutil
import sys
import time
from collections.abc import Mapping
from pathlib import Path
from typing import NamedTuple

__all__ = ["DATA", "WETCOMB", "Measured", "run"]

DATA = Path(__file__).parent / "data"
WETCOMB = shutil.which("wetcomb", path=Path(sys.executable).parent) or "wetcomb"


class Measured(NamedTuple):
    """What a process took: seconds on the clock, seconds of the processor, peak memory in MB."""

    seconds: float
    cpu: float
    memory: float


def run(
    words: list[str], *, quiet: bool = False, environment: Mapping[str, str] | None = None
) -> Measured:
    """Run a process to its end; `quiet` throws away what it prints.

    Raises
    ------
    SystemExit : it failed
    """
    begin = time.perf_counter()
    silence = [(os.POSIX_SPAWN_OPEN, 1, os.devnull, os.O_WRONLY, 0)] if quiet else []
    pid = os.posix_spawn(words[0], words, environment or os.environ, file_actions=silence)
    _, status, usage = os.wait4(pid, 0)
    if status:
        raise SystemExit(f"{words} ended with {status}")
    seconds = time.perf_counter() - begin
    return Measured(seconds, usage.ru_utime + usage.ru_stime, usage.ru_maxrss / 1024)
