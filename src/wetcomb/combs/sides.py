"""The two sides of a comparison: tables that are read as often as it is asked for, and some of their records."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from typing import Any

import msgspec
import numpy as np

from wetcomb.core.arrays import Ints
from wetcomb.core.table import Table

__all__ = ["Both", "Columns", "Row", "Side", "do_both", "read_rows"]


class Side(msgspec.Struct, frozen=True):
    """One of the two tables.

    Attributes
    ----------
    name : what messages call it
    read : gives its records, some at a time, as often as it is asked
    """

    name: str
    read: Callable[[], Iterable[Table]]


#: Calls two functions and returns what they return.
Both = Callable[[Callable[[], Any], Callable[[], Any]], tuple[Any, Any]]


def do_both(first: Callable[[], Any], second: Callable[[], Any]) -> tuple[Any, Any]:
    """Call one function after the other."""
    return first(), second()


class Columns(msgspec.Struct, frozen=True):
    """Which columns are held against each other, by their places in each table."""

    old: tuple[int, ...]
    new: tuple[int, ...]
    names: tuple[str, ...]
    keys: tuple[int, ...]  # places among these


class Row(msgspec.Struct):
    """A record that was read again: its line, and its values."""

    line: int
    values: list[str]


def read_rows(side: Side, columns: Sequence[int], wanted: Ints) -> dict[int, Row]:
    """Return some records of a table, by their numbers, which rise."""
    rows: dict[int, Row] = {}
    first = 0
    for table in side.read():
        here = wanted[np.searchsorted(wanted, first) : np.searchsorted(wanted, first + table.n_records)]  # fmt: skip
        if here.size:
            lines, _ = table.line_numbers(here - first)
            for number, line in zip(here.tolist(), lines.tolist(), strict=True):
                values = [table.value(number - first, column) or "" for column in columns]
                rows[number] = Row(line, [*values, table.rest(number - first) or ""])
        first += table.n_records
        if not wanted.size or first > wanted[-1]:
            break
    return rows
