"""Whole processes in turn: wetcomb, then the csv script, then wetcomb again.

    python -m benchmarks              all of it, about four minutes; prints the table
    python -m benchmarks --write      puts the table into docs/performance.md too

Both write the same bytes (compared after the first run). The ratio is taken pair by pair,
so it holds when the machine's speed drifts; memory is what the operating system says of
the finished process.
"""

from __future__ import annotations

import argparse
import filecmp
import os
import platform
import shutil
import statistics
import sys
import time
from pathlib import Path

from benchmarks.data import make_text

HERE = Path(__file__).parent
DATA = HERE / "data"
PAGE = HERE.parent / "docs" / "performance.md"
KEEP = [0, 1, 2, 3, 4, 6]  # of eight columns

#: Name, kind of text, megabytes, columns kept, what is to be reached (ratio), runs.
JOBS = [
    ("all columns", "ASCII", 50, None, 3.0, 5),
    ("two columns dropped", "ASCII", 50, KEEP, 2.5, 5),
    ("non-ASCII, all columns", "non-ASCII", 50, None, 3.0, 5),
    ("30 % many-line cells", "many-line cells", 50, None, 1.5, 5),
    ("all columns, 500 MB", "ASCII", 500, None, None, 1),
]


def run(words: list[str]) -> tuple[float, float]:
    """Run a process; return its seconds and its peak memory in MB."""
    begin = time.perf_counter()
    pid = os.posix_spawn(words[0], words, os.environ)
    _, status, usage = os.wait4(pid, 0)
    if status:
        raise SystemExit(f"{words} ended with {status}")
    return time.perf_counter() - begin, usage.ru_maxrss / 1024


def measure(
    name: str, kind: str, megabytes: int, keep: list[int] | None, goal: float | None, runs: int
) -> str:
    """Measure one job; return its row of the table."""
    text = DATA / f"{kind.replace(' ', '-')}-{megabytes}.txt"
    make_text(text, megabytes, kind)
    ours, theirs = DATA / "ours.csv", DATA / "theirs.csv"
    wetcomb = shutil.which("wetcomb", path=Path(sys.executable).parent) or "wetcomb"
    comb = [
        wetcomb,
        "split",
        str(text),
        "-d",
        "comma",
        "--header",
        "first",
        "-o",
        str(ours),
        "--force",
        "--quiet",
    ]
    script = [sys.executable, str(HERE / "by_csv.py"), str(text), str(theirs)]
    if keep:
        comb += ["--take", ",".join(str(column + 1) for column in keep)]
        script += [str(column) for column in keep]
    pairs = [(run(comb), run(script)) for _ in range(runs + 1)][1 if runs > 1 else 0 :]
    if not filecmp.cmp(ours, theirs, shallow=False):
        raise SystemExit(f"{name}: the outputs differ")
    mine = statistics.median(pair[0][0] for pair in pairs)
    other = statistics.median(pair[1][0] for pair in pairs)
    ratios = [pair[1][0] / pair[0][0] for pair in pairs]
    memory = max(pair[0][1] for pair in pairs)
    wanted = f">= {goal}" if goal else ""
    return f"| {name} | {mine:.2f} s | {other:.2f} s | {statistics.median(ratios):.1f} ({min(ratios):.1f} to {max(ratios):.1f}) | {wanted} | {memory:.0f} MB |"


def main() -> None:
    """Run all jobs and print the table."""
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument(
        "--write", action="store_true", help="put the table into docs/performance.md"
    )
    arguments = parser.parse_args()
    DATA.mkdir(exist_ok=True)
    rows = [
        "| job | wetcomb | csv script | ratio, median (least to most) | to reach | peak memory |",
        "| --- | --- | --- | --- | --- | --- |",
    ]
    for job in JOBS:
        rows.append(measure(*job))
        print(rows[-1], flush=True)
    table = "\n".join(rows)
    print(table)
    if arguments.write:
        page = PAGE.read_text(encoding="utf-8")
        head, _, rest = page.partition("<!-- table -->\n")
        _, _, tail = rest.partition("<!-- /table -->")
        machine = f"Python {platform.python_version()}, {os.cpu_count()} processors, {platform.machine()}."
        PAGE.write_text(
            f"{head}<!-- table -->\n{table}\n\n{machine}\n<!-- /table -->{tail}", encoding="utf-8"
        )


if __name__ == "__main__":
    main()
