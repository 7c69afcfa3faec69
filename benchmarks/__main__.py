"""Whole processes in turn: wetcomb, then a plain script, then wetcomb again.

    python -m benchmarks              all of it, about eleven minutes; prints the table
    python -m benchmarks --write      puts the table into docs/performance.md too

Both write the same bytes (compared after the first run). The ratio is taken pair by pair,
so it holds when the machine's speed drifts; memory is what the operating system says of
the finished process.
"""

from __future__ import annotations

import argparse
import filecmp
import itertools
import os
import platform
import shutil
import statistics
import sys
import time
from collections.abc import Iterator
from pathlib import Path

from benchmarks.data import make_columns, make_joined, make_text, make_wrapped
from benchmarks.realigning import compare_fitting, compare_misfits

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


WETCOMB = shutil.which("wetcomb", path=Path(sys.executable).parent) or "wetcomb"


def run(words: list[str], *, quiet: bool = False) -> tuple[float, float]:
    """Run a process; return its seconds and its peak memory in MB."""
    begin = time.perf_counter()
    silence = [(os.POSIX_SPAWN_OPEN, 1, os.devnull, os.O_WRONLY, 0)] if quiet else []
    pid = os.posix_spawn(words[0], words, os.environ, file_actions=silence)
    _, status, usage = os.wait4(pid, 0)
    if status:
        raise SystemExit(f"{words} ended with {status}")
    return time.perf_counter() - begin, usage.ru_maxrss / 1024


def measure(
    name: str, kind: str, megabytes: int, keep: list[int] | None, goal: float | None, runs: int
) -> str:
    """Measure one job with the csv script as its yardstick; return its row of the table."""
    text = DATA / f"{kind.replace(' ', '-')}-{megabytes}.txt"
    make_text(text, megabytes, kind)
    words = ["split", str(text), "-d", "comma", "--header", "first"]
    script = ["by_csv.py", str(text)]
    columns = [str(column) for column in keep or ()]
    if keep:
        words += ["--take", ",".join(str(column + 1) for column in keep)]
    return compare(name, words, script, columns, goal, runs)


def compare(
    name: str, words: list[str], script: list[str], more: list[str], goal: float | None, runs: int
) -> str:
    """Run wetcomb and a script in turn; return the row of the table."""
    ours, theirs = DATA / "ours.csv", DATA / "theirs.csv"
    comb = [WETCOMB, *words, "-o", str(ours), "--force", "--quiet"]
    other_words = [sys.executable, str(HERE / script[0]), *script[1:], str(theirs), *more]
    pairs = [(run(comb), run(other_words)) for _ in range(runs + 1)][1 if runs > 1 else 0 :]
    if not filecmp.cmp(ours, theirs, shallow=False):
        raise SystemExit(f"{name}: the outputs differ")
    mine = statistics.median(pair[0][0] for pair in pairs)
    other = statistics.median(pair[1][0] for pair in pairs)
    ratios = [pair[1][0] / pair[0][0] for pair in pairs]
    memory = max(pair[0][1] for pair in pairs)
    wanted = f">= {goal}" if goal else ""
    return f"| {name} | {mine:.2f} s | {other:.2f} s | {statistics.median(ratios):.1f} ({min(ratios):.1f} to {max(ratios):.1f}) | {wanted} | {memory:.0f} MB |"


def list_cuts() -> Iterator[str]:
    """Yield a row for each other kind of cut against its own yardstick."""
    columns, joined = DATA / "columns-50.txt", DATA / "joined-50.txt"
    make_columns(columns, 50)
    make_joined(joined, 50)
    edges = ["11", "28", "40", "46", "54"]
    words = ["split", str(columns), "--edges", ",".join(edges), "--header", "first"]
    yield compare("edges", words, ["by_slices.py", str(columns)], edges, 4.0, 3)
    names = ["lock", "no", "boat", "tons", "way", "minutes"]
    words = ["split", str(joined), "--boundary", "9|*", "--boundary", "*|9", "--header", "none"]
    words += ["--names", ",".join(names)]
    yield compare("changes of kind", words, ["by_split.py", str(joined)], names, 4.0, 3)
    marked = DATA / "marked-500.txt"
    make_joined(marked, 500, end="END 7\nLK1Tansy2down3\n")
    words = ["split", str(marked), "--from", "END {digits}", "-d", "none", "--header", "first"]
    more = ["END [0-9]+"]
    yield compare("a pattern, 500 MB", words, ["by_match.py", str(marked)], more, 8.0, 3)


def list_reports() -> Iterator[str]:
    """Yield a row for each way to put wrapped lines together, and for washing what is clean."""
    indented, columns = DATA / "indented-50.txt", DATA / "wrapped-50.txt"
    make_wrapped(indented, 50, "indented")
    make_wrapped(columns, 50, "columns")
    one = ["then", "split", "-d", "none", "--header", "first", "--quote", "none"]
    words = ["unwrap", str(indented), "--indent", *one]
    yield compare("unwrap --indent", words, ["by_lines.py", "indent", str(indented)], [], 3.0, 3)
    words = ["unwrap", str(indented), "--starts", "LK-", *one]
    script = ["by_lines.py", "starts", str(indented)]
    yield compare("unwrap --starts", words, script, ["LK-"], 3.0, 3)
    edges = ["11", "25", "42"]
    words = ["split", str(columns), "--edges", ",".join(edges), "--header", "first", "--wrapped"]
    script = ["by_lines.py", "wrapped", str(columns)]
    yield compare("split --wrapped", words, script, edges, 4.0, 3)
    long = DATA / "wrapped-500.txt"
    make_wrapped(long, 500, "columns")
    script[-1] = words[1] = str(long)
    yield compare("split --wrapped, 500 MB", words, script, edges, None, 1)


def compare_washing() -> str:
    """Return how long a text with nothing to wash takes with a wash before it is split."""
    text = DATA / "ASCII-50.txt"
    split = ["split", "-d", "comma", "--header", "first", "--processes", "1"]
    words = ["-o", str(DATA / "ours.csv"), "--force", "--quiet"]
    plain = [WETCOMB, split[0], str(text), *split[1:], *words]
    washed = [WETCOMB, "wash", str(text), "then", *split, *words]
    pairs = [(run(plain)[0], run(washed)[0]) for _ in range(4)][1:]
    share = statistics.median(after / before for before, after in pairs)
    return f"A text with nothing to wash takes {share:.2f} times as long with a wash before it is split (to reach: <= 1.25)."


def compare_inspections() -> str:
    """Return how long a look at 200 MB takes against one at 4 MB."""
    seconds = []
    for megabytes in (4, 200):
        text = DATA / f"columns-{megabytes}.txt"
        make_columns(text, megabytes)
        words = [WETCOMB, "inspect", str(text), "--json"]
        seconds.append(statistics.median(run(words, quiet=True)[0] for _ in range(3)))
    return f"A look at 200 MB takes {seconds[1]:.2f} s, one at 4 MB {seconds[0]:.2f} s: {seconds[1] / seconds[0]:.2f} times (to reach: < 1.5)."


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
        "| job | wetcomb | script | ratio, median (least to most) | to reach | peak memory |",
        "| --- | --- | --- | --- | --- | --- |",
    ]
    for job in JOBS:
        rows.append(measure(*job))
        print(rows[-1], flush=True)
    for row in itertools.chain(list_cuts(), list_reports()):
        rows.append(row)
        print(row, flush=True)
    others = (compare_inspections, compare_washing, compare_fitting, compare_misfits)
    table = "\n\n".join(["\n".join(rows), *(other() for other in others)])
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
