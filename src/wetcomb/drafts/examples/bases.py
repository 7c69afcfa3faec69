"""The tables that examples are fitted to."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np

from wetcomb.core.table import Table

__all__ = ["Base", "Rows", "list_rows", "make_base"]

_MOST_SEEN = 60  # records in which an example without a line is looked for

Rows = list[list[str]]


def list_rows(table: Table) -> Rows:
    """Return the values of a table, missing ones as empty."""
    return [[value or "" for value in row] for row in table.rows()]


class Base(msgspec.Struct, frozen=True, eq=False):
    """A table that some way makes of the text.

    Attributes
    ----------
    rows : its values, missing ones as empty
    lines : the source lines of each record
    """

    table: Table
    rows: Sequence[Sequence[str]]
    lines: Sequence[tuple[int, int]]

    def list_values(self, column: int) -> list[str]:
        """Return the values of a column."""
        return [row[column] for row in self.rows]

    def find_rows(self, line: int) -> list[int]:
        """Return the records that a source line belongs to; without one, those that are looked at."""
        if not line:
            return [*range(min(len(self.rows), _MOST_SEEN))]
        return [row for row, (first, last) in enumerate(self.lines) if first <= line <= last]


def make_base(table: Table) -> Base:
    """Return a table as examples are fitted to it."""
    first, last = table.line_numbers(np.arange(table.n_records))
    return Base(table, list_rows(table), [*zip(first.tolist(), last.tolist(), strict=True)])
