"""A table: columns of spans over one text, and what no column could take."""

from __future__ import annotations

from collections.abc import Mapping

import msgspec
import numpy as np
from msgspec.structs import replace

from wetcomb.core.arrays import Bytes, Ints, Spans, index_spans, stands_at
from wetcomb.core.cutting.ragged import Ragged
from wetcomb.core.errors import UsageError, find_nearest
from wetcomb.core.snags import SnagRows
from wetcomb.core.surplus import Surplus
from wetcomb.core.text import Text

__all__ = ["MISSING", "Table", "lay_out", "take_records", "undouble"]

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
    repeats : why values may stand in it more than once: "other-columns", the same in several
        records, "original", beside what they were cut into
    types : what a step has made of each column's values: "number", "date" or "date-time", as far as
        they converted; "" for text. Empty where all columns are text
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
    repeats: tuple[str, ...] = ()
    types: tuple[str, ...] = ()

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

    def to_arrow(self):  # type: ignore[no-untyped-def]  # pyarrow is no dependency of ours
        """Return the table as one of pyarrow's: strings, and exact decimals and days where columns were converted.

        Missing values are null; so are empty ones of converted columns.

        Raises
        ------
        ImportError : pyarrow is not installed
        UsageError : a column was converted, and one of its values did not convert
        """
        from wetcomb.core.arrow import make_arrow

        return make_arrow(self)

    def find_column(self, name: str, flag: str = "--column") -> int:
        """Return the place of a column by its heading, or by its number counted from 1, for an option.

        Raises
        ------
        UsageError : there is none
        """
        if name in self.names:
            return self.names.index(name)
        if name.isdecimal() and 0 < int(name) <= len(self.names):
            return int(name) - 1
        near = find_nearest(name, self.names) or "; there are: " + ", ".join(self.names)
        raise UsageError(f"{flag}: there is no column {name!r}{near}")

    def take(self, columns: list[int]) -> Table:
        """Return the table with these columns only, in this order."""
        return replace(
            self,
            names=tuple(self.names[column] for column in columns),
            starts=self.starts.take(columns, axis=1),
            ends=self.ends.take(columns, axis=1),
            surplus=None,
            types=tuple(self.types[column] for column in columns) if self.types else (),
        )


def take_records(table: Table, rows: Ints) -> Table:
    """Return a table of some records only, in the order that they are named in.

    Parameters
    ----------
    rows : each record once at most
    """
    place = np.full(table.n_records, MISSING, np.int64)
    place[rows] = np.arange(rows.size)
    is_rising = bool((rows[1:] > rows[:-1]).all())
    surplus = table.surplus if is_rising else None  # it is told in the order of the records
    return replace(
        table,
        starts=table.starts[rows],
        ends=table.ends[rows],
        rest_starts=table.rest_starts[rows],
        rest_ends=table.rest_ends[rows],
        record_starts=table.record_starts[rows],
        record_ends=table.record_ends[rows],
        snags=table.snags.move(place),
        surplus=surplus.take(place) if surplus is not None else None,
    )


def undouble(
    text: Text, ragged: Ragged, closing: Mapping[bytes, tuple[bytes, ...]]
) -> tuple[Text, Ragged]:
    """Make doubled marks single: such values move to the appendix of the text.

    Parameters
    ----------
    closing : what closes each mark that opens a quoted field; inside it these are doubled
    """
    rows = np.flatnonzero(ragged.doubled)
    if not rows.size:
        return text, ragged
    starts, ends = ragged.starts.copy(), ragged.ends.copy()
    for mark, closers in closing.items():
        is_mine = stands_at(text.data, ragged.starts[rows] - len(mark), mark)
        is_mine |= len(closing) == 1
        mine, rows = rows[is_mine], rows[~is_mine]
        if mine.size:
            parts = _part_at_pairs(text.data, ragged.starts[mine], ragged.ends[mine], closers)
            text, starts[mine], ends[mine] = text.build(*parts)
    return text, replace(ragged, starts=starts, ends=ends)


def _part_at_pairs(
    data: Bytes, starts: Ints, ends: Ints, signs: tuple[bytes, ...]
) -> tuple[Ints, Ints, Ints]:
    """Return values as the parts between the second marks of their pairs, and how many each has."""
    positions, cells = index_spans(starts, ends)
    begins, stops = [starts], [ends]
    counts = np.ones(starts.size, np.int64)
    for sign in signs:
        is_mark = stands_at(data, positions, sign)
        second, owners = positions[is_mark][1::2], cells[is_mark][1::2]
        counts += np.bincount(owners, minlength=starts.size)
        begins.append(second + len(sign))
        stops.append(second)
    return np.sort(np.concatenate(begins)), np.sort(np.concatenate(stops)), counts


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
