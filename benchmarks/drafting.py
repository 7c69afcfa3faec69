"""How many records a draft rebuilds that is told nothing: by layout, by wear, and why the rest fails.

    python -m benchmarks.drafting                  texts of the twelve layouts kept for this
    python -m benchmarks.drafting --seed 7 --each 4
    python -m benchmarks.drafting --cases DIR      folders with input.*, expected.csv and case.toml
    python -m benchmarks.drafting --write          puts the tables into docs/drafting.md too

A text is whole if all its records are right, no other is there, and the names, where some are printed.
It is wrong in silence if it is not whole and nothing is in doubt; it is right but doubted the other way
round. Where one fails, everything that was tried is looked through for its true table.
"""

from __future__ import annotations

import argparse
import csv
import re
import statistics
import time
import tomllib
from collections import Counter, defaultdict
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import ProcessPoolExecutor
from contextlib import suppress
from functools import partial
from pathlib import Path

import msgspec

from benchmarks.layouts import make_cases
from wetcomb import WetCombError, draft
from wetcomb.core.table import Table
from wetcomb.drafts.whole import Whole
from wetcomb.files.opening import Reading, open_source

PAGE = Path(__file__).parent.parent / "docs" / "drafting.md"
#: Why a true table was not found.
REASONS = ("never proposed", "priced too dear", "no table came out")


class Sample(msgspec.Struct):
    """A text to be drafted, with its true table."""

    name: str
    layout: str
    wears: list[str]
    raw: bytes
    names: list[str]
    rows: list[list[str]]


class Outcome(msgspec.Struct):
    """What came of it."""

    name: str
    layout: str
    wears: list[str]
    share: float
    is_whole: bool
    is_sure: bool
    reason: str
    n_trials: int
    seconds: float


def read_rows(table: Table) -> list[tuple[str, ...]]:
    """Return the records with their surplus, blanks at the edges of values taken off, any line end as LF."""
    rows = []
    for number, row in enumerate(table.rows()):
        rest = table.rest(number) or ""
        rows.append((*map(read_value, row), *([read_value(rest)] if rest else [])))
    return rows


def read_value(value: str | None) -> str:
    """Return a value as it is compared."""
    return (value or "").replace("\r\n", "\n").replace("\r", "\n").strip()


def judge(sample: Sample) -> Outcome:
    """Return what a draft makes of a text."""
    start = time.process_time()
    try:
        comb = draft(sample.raw, with_commands=False)
        table, doubts = comb.run(sample.raw), comb.doubts
    except WetCombError:
        seconds = time.process_time() - start
        return Outcome(sample.name, sample.layout, sample.wears, 0.0, False, False, REASONS[2], 0, seconds)  # fmt: skip
    seconds = time.process_time() - start
    rows, true = read_rows(table), [tuple(map(read_value, row)) for row in sample.rows]
    missing = Counter(true) - Counter(rows)
    right = len(true) - missing.total()
    is_named = not sample.names or [*table.names] == sample.names
    is_whole = not missing and len(rows) == len(true) and is_named
    whole = Whole(sample.raw, {}, None)
    was_searched = whole.was_searched
    _, found = whole.search()
    was_tried = any(read_rows(way.batch.table) == true for way in found.ways if way.batch.table)
    reason = "" if is_whole else REASONS[1] if was_tried else REASONS[0]
    is_sure = not doubts and not table.snags.n_records
    return Outcome(
        sample.name, sample.layout, sample.wears, right / max(1, len(true)), is_whole, is_sure, reason,
        found.n_trials if was_searched else 0, seconds,
    )  # fmt: skip


def make_own(seed: int, each: int) -> Iterator[Sample]:
    """Yield texts of the layouts kept for this."""
    for number, case in enumerate(make_cases(seed, each)):
        yield Sample(
            f"{number:04}", case.layout, [case.wear], case.text.encode(), case.names, case.rows
        )


def read_cases(folder: Path) -> Iterator[Sample]:
    """Yield the texts of a folder, as the program would decode them."""
    for path in sorted(folder.glob("*/expected.csv")):
        said = tomllib.loads((path.parent / "case.toml").read_text(encoding="utf-8"))
        raw = b""  # whose encoding cannot be told is no text
        with suppress(WetCombError):
            source = open_source(str(next(path.parent.glob("input*"))), "", Reading())  # fmt: skip
            raw = b"".join(block.data for block in source.read_blocks())
        with path.open(newline="", encoding="utf-8") as file:
            names, *rows = csv.reader(file)
        has_names = said.get("header", True)
        layout, wears = said.get("layout", "cases"), said.get("wear", []) or ["none"]
        yield Sample(path.parent.name, layout, wears, raw, names if has_names else [], rows)


def tell_group(name: str, outcomes: list[Outcome]) -> str:
    """Return a row of a table."""
    share = statistics.fmean(one.share for one in outcomes)
    whole = sum(one.is_whole for one in outcomes)
    silent = sum(one.is_sure and not one.is_whole for one in outcomes)
    doubted = sum(one.is_whole and not one.is_sure for one in outcomes)
    return f"| {name} | {len(outcomes)} | {share:.2f} | {whole} | {silent} | {doubted} |"


def tell(title: str, outcomes: list[Outcome], key: Callable[[Outcome], Iterable[str]]) -> list[str]:
    """Return a table by layout or by wear."""
    groups: defaultdict[str, list[Outcome]] = defaultdict(list)
    for one in outcomes:
        for name in key(one):
            groups[name].append(one)
    head = [f"| {title} | texts | records right | whole | wrong in silence | whole but doubted |"]
    head.append("|---|---|---|---|---|---|")
    return [*head, *(tell_group(name, groups[name]) for name in groups), tell_group("all", outcomes)]  # fmt: skip


def report(outcomes: list[Outcome]) -> list[str]:
    """Return everything that was measured, as Markdown."""
    failed = Counter(one.reason for one in outcomes if one.reason)
    trials = [one.n_trials for one in outcomes]
    seconds = [one.seconds for one in outcomes]
    why = ", ".join(f"{reason} {failed[reason]}" for reason in REASONS)
    return [
        *tell("layout", outcomes, lambda one: [one.layout]),
        "",
        *tell("wear", outcomes, lambda one: one.wears),
        "",
        f"Of the {sum(failed.values())} that are not whole, the true table was: {why}. Searched: {sum(map(bool, trials))} texts, "
        f"{statistics.fmean(trials):.0f} trials a text, at most {max(trials)}. CPU a text: median {statistics.median(seconds):.2f} s, "
        f"slowest {max(seconds):.2f} s.",
        "",
        *tell_failures(outcomes),
    ]


def tell_failures(outcomes: list[Outcome]) -> list[str]:
    """Return ten that are not whole, spread over all of them, and why."""
    failed = [one for one in outcomes if one.reason]
    shown = failed[:: max(1, len(failed) // 10)][:10]
    rows = [
        f"| {one.name} | {one.layout} | {', '.join(one.wears)} | {one.share:.2f} | {one.reason} |"
        for one in shown
    ]
    return ["| ten that are not whole | layout | wear | records right | the true table was |", "|---|---|---|---|---|", *rows]  # fmt: skip


def main() -> None:
    """Judge the texts and print what came of them."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)  # fmt: skip
    parser.add_argument("--cases", type=Path)
    parser.add_argument("--seed", type=int, default=1831)
    parser.add_argument("--each", type=int, default=4)
    parser.add_argument("--failed", action="store_true", help="name those that are not whole")
    parser.add_argument("--write", action="store_true")
    words = parser.parse_args()
    make = partial(read_cases, words.cases) if words.cases else partial(make_own, words.seed, words.each)  # fmt: skip
    with ProcessPoolExecutor(2) as pool:
        outcomes = list(pool.map(judge, make(), chunksize=4))
    lines = report(outcomes)
    print("\n".join(lines))
    if words.failed:
        for one in outcomes:
            if one.reason:
                print(f"{one.name} {one.layout} {one.wears} {one.share:.2f} {'SURE' if one.is_sure else ''} {one.reason}")  # fmt: skip
    if words.write:
        mark = "own layouts" if words.cases is None else "practice"
        page = PAGE.read_text(encoding="utf-8")
        block = f"<!-- {mark} -->\n\n" + "\n".join(lines) + f"\n\n<!-- end of {mark} -->"
        page = re.sub(f"<!-- {mark} -->.*<!-- end of {mark} -->", lambda _: block, page, flags=re.DOTALL)  # fmt: skip
        PAGE.write_text(page, encoding="utf-8")


if __name__ == "__main__":
    main()
