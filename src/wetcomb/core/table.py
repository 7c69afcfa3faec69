"""A table: columns of spans over one text, and what no column could take."""

from __future__ import annotations

import msgspec
import numpy as np
from msgspec.structs import replace

from wetcomb.core.arrays import Bytes, Ints, Spans, index_spans
from wetcomb.core.errors import UsageError, find_nearest
from wetcomb.core.ragged import Ragged
from wetcomb.core.snags import SnagRows
from wetcomb.core.specials import Specials
from wetcomb.core.surplus import Surplus
from wetcomb.core.text import Text

__all__ = ["MISSING", "Table", "fit_columns", "lay_out", "take_records", "undouble"]

MISSING = -1


class Table(msgspec.Struct, frozen=True, eq=False):
    """R records of F columns.

    Attributes
    ----------
    text : what the spans point into
    names : F headings
    starts, ends : (R, F) int32, each value's span, -1 where it is missing (which differs from
        empty); `body_size` and beyond is the appendix
    rest_starts, rest_ends : (R,) int32, what no column could take, -1 where there is nothing
    record_starts, record_ends : (R,) int64, each record's place in the body, line end included
    snags : which records do not fit, and why
    surplus : how the rests were cut, where the step that cut them can tell
    """

    text: Text
    names: tuple[str, ...]
    starts: Spans
    ends: Spans
    rest_starts: Spans
    rest_ends: Spans
    record_starts: Ints
    record_ends: Ints
    snags: SnagRows
    surplus: Surplus | None = None

    @property
    def n_records(self) -> int:
        """R, the number of records."""
        return len(self.starts)

    @property
    def has_rest(self) -> bool:
        """Whether some record holds more than its columns could take."""
        return bool((self.rest_starts != MISSING).any())

    def value(self, row: int, column: int) -> str | None:
        """Return one cell's characters, None if it is missing."""
        start, end = int(self.starts[row, column]), int(self.ends[row, column])
        return None if start == MISSING else self.text.value(start, end)

    def rest(self, row: int) -> str | None:
        """Return what no column could take of a record, None if nothing was left over."""
        start, end = int(self.rest_starts[row]), int(self.rest_ends[row])
        return None if start == MISSING else self.text.value(start, end)

    def rows(self) -> list[list[str | None]]:
        """Return all cells as strings; None is a missing one."""
        return [
            [self.value(row, column) for column in range(len(self.names))]
            for row in range(self.n_records)
        ]

    def record_text(self, row: int) -> str:
        """Return the source lines of a record, without the last line end."""
        start, end = int(self.record_starts[row]), int(self.record_ends[row])
        return self.text.value(start, end).rstrip("\r\n")

    def line_numbers(self, rows: Ints) -> tuple[Ints, Ints]:
        """Return the first and the last source line of records."""
        firsts = self.text.line_numbers(self.record_starts[rows])
        lasts = self.text.line_numbers(np.maximum(self.record_ends[rows] - 1, 0))
        return firsts, lasts

    def to_pandas(self):  # type: ignore[no-untyped-def]  # pandas is no dependency of ours
        """Return the table as a pandas DataFrame of strings (pandas must be installed).

        Raises
        ------
        ImportError : pandas is not installed
        """
        import pandas  # type: ignore[import-not-found,import-untyped,unused-ignore]

        return pandas.DataFrame(self.rows(), columns=list(self.names), dtype="object")

    def find_column(self, name: str) -> int:
        """Return the place of a column by its heading, or by its number counted from 1.

        Raises
        ------
        UsageError : there is none
        """
        if name in self.names:
            return self.names.index(name)
        if name.isdigit() and 0 < int(name) <= len(self.names):
            return int(name) - 1
        near = find_nearest(name, self.names) or "; there are: " + ", ".join(self.names)
        raise UsageError(f"--column: there is no column {name!r}{near}")

    def take(self, columns: list[int]) -> Table:
        """Return the table with these columns only, in this order."""
        return replace(
            self,
            names=tuple(self.names[column] for column in columns),
            starts=self.starts[:, columns],
            ends=self.ends[:, columns],
            surplus=None,
        )


def take_records(table: Table, rows: Ints) -> Table:
    """Return a table of some records only, in their order.

    Parameters
    ----------
    rows : rising
    """
    place = np.full(table.n_records, MISSING, np.int64)
    place[rows] = np.arange(rows.size)
    kept = place[table.snags.records] != MISSING
    return replace(
        table,
        starts=table.starts[rows],
        ends=table.ends[rows],
        rest_starts=table.rest_starts[rows],
        rest_ends=table.rest_ends[rows],
        record_starts=table.record_starts[rows],
        record_ends=table.record_ends[rows],
        snags=SnagRows(place[table.snags.records[kept]], table.snags.kinds[kept]),
        surplus=table.surplus.take(place) if table.surplus is not None else None,
    )


def fit_columns(specials: Specials, ragged: Ragged, n_fields: int) -> tuple[Ragged, Ints, Ints]:
    """Make one field of what is over in long records; return also the long and the short ones.

    From the first surplus field to the last that is not empty, the text stands as it is,
    delimiters and marks too; a single surplus field keeps its value alone. Empty surplus
    fields behind are left as they are: they have no text to lose.
    """
    counts = ragged.counts
    short = np.flatnonzero(counts < n_fields)
    if not (counts > n_fields).any():
        return ragged, short[:0], short
    rows = np.repeat(np.arange(counts.size), counts)
    places = np.arange(rows.size) - ragged.offsets[rows]
    filled = np.flatnonzero((places >= n_fields) & (ragged.ends > ragged.starts))
    last_filled = np.full(counts.size, -1, np.int64)
    last_filled[rows[filled]] = filled
    long = np.flatnonzero(last_filled >= 0)
    last = last_filled[long]
    first = ragged.offsets[long] + n_fields
    several = last > first
    first, last = first[several], last[several]
    starts, ends = ragged.starts.copy(), ragged.ends.copy()
    outer_ends, doubled = ragged.outer_ends.copy(), ragged.doubled.copy()
    begins = specials.skip_blanks(ragged.outer_starts[first])
    starts[first] = np.minimum(begins, ragged.outer_ends[first])
    ends[first] = specials.skip_blanks_back(ragged.outer_ends[last])
    outer_ends[first], doubled[first] = ragged.outer_ends[last], False
    changed = replace(ragged, starts=starts, ends=ends, outer_ends=outer_ends, doubled=doubled)
    merged = (places > n_fields) & (np.arange(rows.size) <= last_filled[rows])
    return changed.without_fields(merged), long, short


def undouble(text: Text, ragged: Ragged, marks: tuple[bytes, ...]) -> tuple[Text, Ragged]:
    """Make doubled marks single: such values move to the appendix of the text."""
    rows = np.flatnonzero(ragged.doubled)
    if not rows.size:
        return text, ragged
    starts, ends = ragged.starts.copy(), ragged.ends.copy()
    for mark in marks:
        at_mark = ragged.starts[rows] - len(mark)
        is_mine = at_mark >= 0
        for ahead, byte in enumerate(mark):
            is_mine &= text.data.take(at_mark + ahead, mode="clip") == byte
        mine = rows[is_mine]
        rows = rows[~is_mine]
        values, lengths = _without_second_marks(text.data, ragged, mine, mark)
        origins = ragged.starts[mine], ragged.ends[mine]
        text, built = text.append(values, lengths, origins)
        starts[mine], ends[mine] = built, built + lengths
    return text, replace(ragged, starts=starts, ends=ends)


def _without_second_marks(
    data: Bytes, ragged: Ragged, rows: Ints, mark: bytes
) -> tuple[Bytes, Ints]:
    positions, cells = index_spans(ragged.starts[rows], ragged.ends[rows])
    keep = np.ones(positions.size, np.bool_)
    is_mark = np.ones(positions.size, np.bool_)
    for ahead, byte in enumerate(mark):
        is_mark &= data.take(positions + ahead, mode="clip") == byte
    second = np.flatnonzero(is_mark)[1::2]
    for ahead in range(len(mark)):
        keep[second + ahead] = False
    return data[positions[keep]], np.bincount(cells[keep], minlength=rows.size)


def lay_out(text: Text, ragged: Ragged, names: tuple[str, ...], snags: SnagRows) -> Table:
    """Return records as a table: field i under column i, the one behind the last as the rest."""
    n_fields, counts = len(names), ragged.counts
    if (counts == n_fields).all():
        starts = ragged.starts.astype(np.int32).reshape(-1, n_fields)
        ends = ragged.ends.astype(np.int32).reshape(-1, n_fields)
        rest_starts = np.full(counts.size, MISSING, np.int32)
        rest_ends = rest_starts
    else:
        wide_starts, wide_ends = _spread_fields(ragged, n_fields + 1)
        starts, ends = wide_starts[:, :-1], wide_ends[:, :-1]
        is_rest = wide_ends[:, -1] > wide_starts[:, -1]
        rest_starts = np.where(is_rest, wide_starts[:, -1], MISSING).astype(np.int32)
        rest_ends = np.where(is_rest, wide_ends[:, -1], MISSING).astype(np.int32)
    return Table(
        text, names, starts, ends, rest_starts, rest_ends, ragged.record_starts, ragged.stops, snags
    )


def _spread_fields(ragged: Ragged, width: int) -> tuple[Spans, Spans]:
    counts = ragged.counts
    rows = np.repeat(np.arange(counts.size), counts)
    columns = np.arange(rows.size) - ragged.offsets[rows]
    fits = columns < width
    starts = np.full((counts.size, width), MISSING, np.int32)
    ends = np.full((counts.size, width), MISSING, np.int32)
    starts[rows[fits], columns[fits]] = ragged.starts[fits]
    ends[rows[fits], columns[fits]] = ragged.ends[fits]
    return starts, ends
