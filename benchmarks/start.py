"""How long a small paste takes, beside a Python that does nothing but load NumPy.

Processor time, medians of processes in turn, one thread, bytecode written as an installed
package has it.
"""

from __future__ import annotations

import os
import statistics
import sys
from importlib import resources

from benchmarks.processes import DATA, WETCOMB, run

__all__ = ["compare_starts"]

ENVIRONMENT = {
    name: value for name, value in os.environ.items() if name != "PYTHONDONTWRITEBYTECODE"
} | {"OPENBLAS_NUM_THREADS": "1"}
#: The texts of the demo, and how many times as long each may take.
GOALS = {"permits": "<= 1.6", "register": "<= 2.6", "notices": "", "tolls": ""}


def compare_starts(runs: int) -> str:
    """Return a table of `rebuild --quiet` for each text of the demo, in turn with NumPy alone."""
    numpy_alone = [sys.executable, "-c", "import numpy"]
    rows = [
        "| rebuild of the demo's | characters | beside loading NumPy, median (least to most) | to reach |",
        "| --- | --- | --- | --- |",
    ]
    for name, goal in GOALS.items():
        text = DATA / f"{name}.txt"
        text.write_bytes((resources.files("wetcomb") / "demo" / text.name).read_bytes())
        size = len(text.read_text(encoding="utf-8"))
        words = [WETCOMB, "rebuild", str(text), "-o", str(DATA / "ours.csv"), "--force", "--quiet"]
        pairs = [
            [run(one, environment=ENVIRONMENT).cpu for one in (words, numpy_alone)]
            for _ in range(runs + 1)
        ]
        ratios = [ours / alone for ours, alone in pairs[1:]]
        rows.append(
            f"| {name} | {size:,} | {statistics.median(ratios):.2f} ({min(ratios):.2f} to {max(ratios):.2f}) | {goal} |"
        )
    return "\n".join(rows)
