"""Whole processes in turn: wetcomb, then a plain script, then wetcomb again.

    python -m benchmarks              all of it, about a quarter of an hour; prints the table
    python -m benchmarks edges wash   only the jobs whose names hold one of these words
    python -m benchmarks --runs 9     so many pairs of each, for a steadier median
    python -m benchmarks --write      puts the whole table into docs/performance.md too

Both write the same bytes (compared after the first run). The ratio is taken pair by pair,
so it holds when the machine's speed drifts; memory is what the operating system says of
the finished process.
"""

from __future__ import annotations

import argparse
import filecmp
import os
import platform
import statistics
import sys
from collections.abc import Callable, Iterable, Iterator
from functools import partial
from pathlib import Path

from benchmarks.data import (
    PERMIT_LABELS,
    make_columns,
    make_joined,
    make_permits,
    make_pile,
    make_text,
    make_wrapped,
)  # fmt: skip
from benchmarks.processes import DATA, WETCOMB, run
from benchmarks.realigning import compare_fitting, compare_misfits
from benchmarks.start import compare_starts

HERE = Path(__file__).parent
PAGE = HERE.parent / "docs" / "performance.md"
KEEP = [0, 1, 2, 3, 4, 6]  # of eight columns

#: Name, kind of text, megabytes, columns kept, what is to be reached (ratio), runs.
JOBS = [
    ("all columns", "ASCII", 50, None, None, 9),
    ("two columns dropped", "ASCII", 50, KEEP, None, 9),
    ("non-ASCII, all columns", "non-ASCII", 50, None, None, 9),
    ("30 % many-line cells", "many-line cells", 50, None, 1.5, 9),
    ("all columns, 500 MB", "ASCII", 500, None, None, 1),
]
#: A name, what measures it in a number of runs, and that number.
Job = tuple[str, Callable[[int], str], int]


def measure(
    name: str, kind: str, megabytes: int, keep: list[int] | None, goal: float | None, runs: int
) -> str:
    """Measure one job with the csv script as its yardstick; return its row of the table."""
    text = DATA / f"{kind.replace(' ', '-')}-{megabytes}.txt"
    make_text(text, megabytes, kind)
    words = ["split", str(text), "-d", "comma", "--heading", "first"]
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
    mine = statistics.median(pair[0].seconds for pair in pairs)
    other = statistics.median(pair[1].seconds for pair in pairs)
    ratios = [pair[1].seconds / pair[0].seconds for pair in pairs]
    memory = max(pair[0].memory for pair in pairs)
    wanted = f">= {goal}" if goal else ""
    return f"| {name} | {mine:.2f} s | {other:.2f} s | {statistics.median(ratios):.1f} ({min(ratios):.1f} to {max(ratios):.1f}) | {wanted} | {memory:.0f} MB |"


def list_jobs() -> Iterator[Job]:
    """Yield each job that goes into the table."""
    for name, *rest, runs in JOBS:
        yield name, partial(measure, name, *rest), runs
    yield "edges", compare_edges, 5
    yield "changes of kind", compare_changes, 5
    yield "a pattern, 500 MB", compare_pattern, 5
    for rule in ("indent", "starts"):
        yield f"unwrap --{rule}", partial(compare_unwrap, rule), 5
    yield "split --wrapped", partial(compare_wrapped, 50, "split --wrapped", None), 5
    yield "pull, 200 MB", compare_labels, 3
    yield "pull from mails", compare_mails, 3
    long = "split --wrapped, 500 MB"
    yield long, partial(compare_wrapped, 500, long, None), 1


def compare_edges(runs: int) -> str:
    """Cutting at columns of the line."""
    text = DATA / "columns-50.txt"
    make_columns(text, 50)
    edges = ["11", "28", "40", "46", "54"]
    words = ["split", str(text), "--edges", ",".join(edges), "--heading", "first"]
    return compare("edges", words, ["by_slices.py", str(text)], edges, None, runs)


def compare_changes(runs: int) -> str:
    """Cutting where digits and letters meet."""
    text = DATA / "joined-50.txt"
    make_joined(text, 50)
    names = ["lock", "no", "boat", "tons", "way", "minutes"]
    words = ["split", str(text), "--boundary", "9|*", "--boundary", "*|9", "--heading", "none"]
    words += ["--names", ",".join(names)]
    return compare("changes of kind", words, ["by_split.py", str(text)], names, 4.0, runs)


def compare_pattern(runs: int) -> str:
    """Looking for a line that begins with a fixed text."""
    text = DATA / "marked-500.txt"
    make_joined(text, 500, end="END 7\nLK1Tansy2down3\n")
    words = ["split", str(text), "--from", "END {digits}", "-d", "none", "--heading", "first"]
    more = ["END [0-9]+"]
    return compare("a pattern, 500 MB", words, ["by_match.py", str(text)], more, None, runs)


def compare_unwrap(rule: str, runs: int) -> str:
    """Putting lines together by one rule."""
    text = DATA / "indented-50.txt"
    make_wrapped(text, 50, "indented")
    starts = ["LK-"] if rule == "starts" else []
    words = ["unwrap", str(text), f"--{rule}", *starts]
    words += ["+", "split", "-d", "none", "--heading", "first", "--quote", "none"]
    script = ["by_lines.py", rule, str(text)]
    return compare(f"unwrap --{rule}", words, script, starts, None, runs)


def compare_wrapped(megabytes: int, name: str, goal: float | None, runs: int) -> str:
    """Putting cells together that are wrapped under their column."""
    text = DATA / f"wrapped-{megabytes}.txt"
    make_wrapped(text, megabytes, "columns")
    edges = ["11", "25", "42"]
    words = ["split", str(text), "--edges", ",".join(edges), "--heading", "first", "--wrapped"]
    return compare(name, words, ["by_lines.py", "wrapped", str(text)], edges, goal, runs)


def compare_labels(runs: int) -> str:
    """Pulling six labelled fields out of blocks."""
    text = DATA / "permits-200.txt"
    make_permits(text, 200)
    words = ["pull", str(text), *(word for label in PERMIT_LABELS for word in ("--label", label))]
    return compare("pull, 200 MB", words, ["by_labels.py", str(text)], PERMIT_LABELS, 2.5, runs)


def compare_mails(runs: int) -> str:
    """Pulling the same out of a pile of mails."""
    text = DATA / "pile-20.mbox"
    make_pile(text, 20)
    labels = ["mail.subject", *PERMIT_LABELS]
    words = ["pull", str(text), "--blocks", "mail"]
    words += [word for label in labels for word in ("--label", label)]
    script = ["by_labels.py", "mails", str(text)]
    return compare("pull from mails, 20 MB", words, script, PERMIT_LABELS, None, runs)


def compare_washing(runs: int) -> str:
    """Return how long a text with nothing to wash takes with a wash before it is split."""
    text = DATA / "ASCII-50.txt"
    make_text(text, 50, "ASCII")
    split = ["split", "-d", "comma", "--heading", "first", "--processes", "1"]
    words = ["-o", str(DATA / "ours.csv"), "--force", "--quiet"]
    plain = [WETCOMB, split[0], str(text), *split[1:], *words]
    washed = [WETCOMB, "wash", str(text), "+", *split, *words]
    pairs = [(run(plain).seconds, run(washed).seconds) for _ in range(runs + 1)][1:]
    share = statistics.median(after / before for before, after in pairs)
    return f"A text with nothing to wash takes {share:.2f} times as long with a wash before it is split (to reach: <= 1.25)."


def compare_inspections(runs: int) -> str:
    """Return how long a look at 200 MB takes against one at 4 MB."""
    seconds = []
    for megabytes in (4, 200):
        text = DATA / f"columns-{megabytes}.txt"
        make_columns(text, megabytes)
        words = [WETCOMB, "inspect", str(text), "--json"]
        seconds.append(statistics.median(run(words, quiet=True).seconds for _ in range(runs)))
    return f"A look at 200 MB takes {seconds[1]:.2f} s, one at 4 MB {seconds[0]:.2f} s: {seconds[1] / seconds[0]:.2f} times (to reach: < 1.5)."


#: What is told in a sentence below the table.
OTHERS: list[Job] = [
    ("small pastes", compare_starts, 15),
    ("inspect", compare_inspections, 3),
    ("wash", compare_washing, 9),
    ("realign of records that fit", lambda runs: compare_fitting(), 1),
    ("realign of misfits", lambda runs: compare_misfits(), 1),
]


def main() -> None:
    """Run the jobs and print the table."""
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("words", nargs="*", help="only the jobs whose names hold one of these")
    parser.add_argument(
        "--runs", type=int, help="pairs of each job (as many as its own if left out)"
    )
    parser.add_argument(
        "--write", action="store_true", help="put the table into docs/performance.md"
    )
    arguments = parser.parse_args()
    if arguments.write and arguments.words:
        parser.error("--write takes the whole table: leave the words out")
    DATA.mkdir(exist_ok=True)

    def run_jobs(jobs: Iterable[Job]) -> Iterator[str]:
        for name, job, runs in jobs:
            if not arguments.words or any(word in name for word in arguments.words):
                row = job(arguments.runs or runs)
                print(row, flush=True)
                yield row

    head = [
        "| job | wetcomb | script | ratio, median (least to most) | to reach | peak memory |",
        "| --- | --- | --- | --- | --- | --- |",
    ]
    rows = "\n".join([*head, *run_jobs(list_jobs())])
    table = "\n\n".join([rows, *run_jobs(OTHERS)])
    if arguments.write:
        page = PAGE.read_text(encoding="utf-8")
        before, _, rest = page.partition("<!-- table -->\n")
        _, _, tail = rest.partition("<!-- /table -->")
        machine = f"Python {platform.python_version()}, {os.cpu_count()} processors, {platform.machine()}."
        PAGE.write_text(
            f"{before}<!-- table -->\n{table}\n\n{machine}\n<!-- /table -->{tail}", encoding="utf-8"
        )


if __name__ == "__main__":
    main()
