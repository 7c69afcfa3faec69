"""The ways to make a table of a text, side by side: what each makes, and where two of them differ."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from difflib import SequenceMatcher

import numpy as np

from wetcomb.combs.comb import Comb
from wetcomb.core.inspection import RUNNERS_UP, Difference, WaySeen
from wetcomb.core.table import Table
from wetcomb.drafts.doubts.seen import Drafted

__all__ = ["find_differences", "tell_ways"]

_ROWS = 300  # records of each that are compared
_FEW, _SHARE = (
    5,
    3,
)  # places that are few, and the part of all records that may differ: one in three


def tell_ways(ways: Sequence[tuple[Comb, Drafted]]) -> Iterator[WaySeen]:
    """Yield what each way makes; of the others than the first, what is done otherwise, and a record of their own."""
    told = [[note for note in comb.notes if not note.startswith(RUNNERS_UP)] for comb, _ in ways]
    known, first = told[0], list[tuple[str, ...]]()
    for number, ((_, drafted), notes) in enumerate(zip(ways, told, strict=True), 1):
        more = [note for note in notes if note not in known] if number > 1 else known
        less = [f"Not so: {note}" for note in known if note not in notes]
        rows = _list_rows(drafted.table, _ROWS)
        own = next((row for row in rows if number == 1 or row not in first), ())
        first = first or rows
        how = " ".join(more or less) or "In words the same, but other lines are its records."
        yield WaySeen(number, how, len(drafted.table.names), drafted.table.n_records, own)


def find_differences(tables: Sequence[Table], way: int) -> tuple[int, tuple[Difference, ...]]:
    """Return the next way that differs from one in few records only, by its number, and these.

    0 and nothing if none does. Records are matched in order, so that one more or less shifts none.
    """
    mine = tables[way - 1]
    for number, other in enumerate(tables, 1):
        if number != way and other.names == mine.names:
            found = _compare(mine, other)
            if found:
                return number, found
    return 0, ()


def _compare(mine: Table, other: Table) -> tuple[Difference, ...]:
    """Return where two tables of the same columns differ; nothing if in more than few records."""
    rows, others = _list_rows(mine, _ROWS), _list_rows(other, _ROWS)
    matcher = SequenceMatcher(None, rows, others, autojunk=False)
    places = [code for code in matcher.get_opcodes() if code[0] != "equal"]
    n_odd = sum(max(b - a, d - c) for _, a, b, c, d in places)
    if len(places) > _FEW or _SHARE * n_odd > max(len(rows), len(others)):
        return ()
    return tuple(
        Difference(_find_line(mine, a) if b > a else _find_line(other, c), tuple(rows[a:b]), tuple(others[c:d]))
        for _, a, b, c, d in places
    )  # fmt: skip


def _find_line(table: Table, row: int) -> int:
    return int(table.line_numbers(np.array([row]))[0][0])


def _list_rows(table: Table, most: int) -> list[tuple[str, ...]]:
    columns = range(len(table.names))
    return [
        tuple(table.value(row, column) or "" for column in columns)
        for row in range(min(most, table.n_records))
    ]
