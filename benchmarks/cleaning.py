"""A million values converted, and a million records of which a tenth repeat: clean beside plain Python.

    python -m benchmarks.cleaning

Conversion only: the table is cut already, and nothing is written. Each pair runs in turn.
"""

from __future__ import annotations

import random
import resource
import statistics
import time
from collections.abc import Callable
from datetime import datetime
from decimal import Decimal

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


def compare(name: str, mine: Callable[[], float], other: Callable[[], object], goal: float) -> None:
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
        f"({min(ratios):.1f} to {max(ratios):.1f}; to reach: {goal})",
        flush=True,
    )


def main() -> None:
    """Run all comparisons."""
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
    keys = [f"LK-{chance.randrange(N * 5):07d}" for _ in range(N * 9 // 10)]
    keys += keys[: N // 10]
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

    compare("repeats", lambda: time_clean(repeats, drop_repeats=True), drop, 2)
    print(f"peak of all of it {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024:.0f} MB")


if __name__ == "__main__":
    main()
