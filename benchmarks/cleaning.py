"""A million values converted, and a million records of which a tenth repeat: clean beside plain Python.

    python -m benchmarks.cleaning

Dates and numbers are converted only: the table is cut already, and nothing is written. Repeats are
dropped by whole runs, beside a script with a set of tuples (`by_set.py`), and by the step alone. Each
pair runs in turn.
"""

from __future__ import annotations

import random
import statistics
import sys
import tempfile
import time
from collections.abc import Callable
from datetime import datetime
from decimal import Decimal
from pathlib import Path

from benchmarks.processes import WETCOMB, run
from wetcomb.combs.memory import make_batch
from wetcomb.core.batch import Batch
from wetcomb.steps.clean.options import Clean
from wetcomb.steps.clean.run import Cleaner
from wetcomb.steps.split.options import Split

N = 1_000_000
PIECE = 1 << 16
RUNS = 3


def make_table(values: list[str], more: list[str] | None = None) -> list[Batch]:
    """Return a table of two columns in pieces as long as those of a run."""
    others = more or [""] * len(values)
    rows = [*zip(values, others, strict=True)]
    split = Split(delimiter=("semicolon",), heading="first", fields=2, quote="none")
    return [
        make_batch((split,), "".join(["a;b\n", *(f"{a};{b}\n" for a, b in rows[k : k + PIECE])]))
        for k in range(0, N, PIECE)
    ]


def time_clean(batches: list[Batch], **options: object) -> float:
    """Return the seconds that a clean takes."""
    run = Cleaner(Clean(**options))  # type: ignore[arg-type]
    start = time.perf_counter()
    for batch in batches:
        for _ in run.feed(batch, is_last=True):
            pass
    return time.perf_counter() - start


def compare(
    name: str, mine: Callable[[], float], other: Callable[[], object], goal: float | None
) -> None:
    """Print how much longer plain Python takes, as the median of pairs in turn."""
    ratios, seconds = [], []
    for _ in range(RUNS):
        first = mine()
        start = time.perf_counter()
        other()
        ratios.append((time.perf_counter() - start) / first)
        seconds.append(first)
    print(
        f"{name}: {statistics.median(seconds):.2f} s, plain Python {statistics.median(ratios):.1f} times as long "
        f"({min(ratios):.1f} to {max(ratios):.1f}{f'; to reach: {goal}' if goal else ''})",
        flush=True,
    )


def main() -> None:
    """Run all comparisons."""
    compare_runs()  # first: a process begins with as much memory as the one that began it
    chance = random.Random(1831)
    days = [
        f"{chance.randrange(1, 29):02d}.{chance.randrange(1, 13):02d}.{chance.randrange(1990, 2032)}"
        for _ in range(N)
    ]
    batch = make_table(days)
    compare(
        "dates", lambda: time_clean(batch, date="a=31.12.2024"),
        lambda: [datetime.strptime(day, "%d.%m.%Y").date().isoformat() for day in days], 10,
    )  # fmt: skip
    figures = [
        f"{chance.randrange(10**6):,}".replace(",", ".") + f",{chance.randrange(100):02d}"
        for _ in range(N)
    ]
    numbers = make_table(figures)
    compare(
        "numbers", lambda: time_clean(numbers, number="a=1.234,56"),
        lambda: [str(Decimal(one.replace(".", "").replace(",", "."))) for one in figures], 1.5,
    )  # fmt: skip
    keys = make_keys(chance)
    boats = [f"Boat {len(key)} {key[-2:]}" for key in keys]
    repeats = make_table(keys, boats)

    def drop() -> list[tuple[str, str]]:
        seen: set[tuple[str, str]] = set()
        kept = []
        for row in zip(keys, boats, strict=True):
            if row not in seen:
                seen.add(row)
                kept.append(row)
        return kept

    compare("repeats, the step alone", lambda: time_clean(repeats, drop_repeats=True), drop, None)


def make_keys(chance: random.Random) -> list[str]:
    """Return a key for each record; a tenth of them repeat, at the end."""
    keys = [f"LK-{chance.randrange(N * 5):07d}" for _ in range(N * 9 // 10)]
    return keys + keys[: N // 10]


def write_repeats(path: Path) -> None:
    """Write a table of which a tenth repeats."""
    keys = make_keys(random.Random(1831))
    lines = [f"{key};Boat {len(key)} {key[-2:]}\n" for key in keys]
    path.write_text("".join(["No;Boat\n", *lines]))


def compare_runs() -> None:
    """Print how whole runs compare that drop repeats: their time, and the memory that this takes."""
    with tempfile.TemporaryDirectory() as folder:
        place = Path(folder)
        make = "from benchmarks.cleaning import *; write_repeats(Path(sys.argv[1]))"
        run([sys.executable, "-c", make, f"{place}/in.txt"])
        clean = [WETCOMB, "clean", f"{place}/in.txt", "--read", "semicolon", "--quiet", "--force", "-o", f"{place}/a.csv"]  # fmt: skip
        script = [sys.executable, str(Path(__file__).with_name("by_set.py")), f"{place}/in.txt", f"{place}/b.csv"]  # fmt: skip
        plain = run([*clean, "--one-space"]).memory
        bare = run([sys.executable, "-c", "import csv"]).memory
        pairs = [(run([*clean, "--drop-repeats"]), run(script)) for _ in range(RUNS)]
        same = (place / "a.csv").read_text() == (place / "b.csv").read_text()
    ratios = [other.seconds / mine.seconds for mine, other in pairs]
    mine, other = pairs[-1]
    print(
        f"repeats, whole runs: {mine.seconds:.2f} s, a script with a set {statistics.median(ratios):.1f} times as long "
        f"({min(ratios):.1f} to {max(ratios):.1f}; to reach: 2); {'the same file' if same else 'ANOTHER FILE'}; memory on top of a run that keeps "
        f"none: {mine.memory - plain:.0f} MB, {(mine.memory - plain) / (other.memory - bare):.2f} of the script's {other.memory - bare:.0f} MB; in all {mine.memory:.0f} and {other.memory:.0f} MB"
    )


if __name__ == "__main__":
    main()
