"""Counted cells: so many fields make a record, wherever the lines end.

A heading of counted cells is a record of them like the others, and comes again like one. Where
the shapes of the columns are known, the record in which a cell is missing or too many is short
or long, and all that follows keeps its columns.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from msgspec.structs import replace

from wetcomb.core.arrays import Bytes, Ints, is_among
from wetcomb.core.cutting.ragged import Ragged
from wetcomb.core.cutting.records import Records
from wetcomb.core.errors import InputError
from wetcomb.core.snags import SNAG_CODES, SnagRows
from wetcomb.core.table import undouble
from wetcomb.core.text import Text
from wetcomb.steps.split.cell_shapes import CellShapes
from wetcomb.steps.split.headings import Heading, Word, read_value
from wetcomb.steps.split.lines import Arranged, Lines
from wetcomb.steps.split.options import Split

__all__ = ["Cells"]


class Cells(Lines):
    """A record is so many fields, one after another."""

    counts_lines = False

    def __init__(self, options: Split) -> None:
        super().__init__(options)
        self._n_fields = options.per_record
        self._shapes = CellShapes(
            options.shapes or ("any",) * options.per_record, options.per_record, options.missing
        )
        self._closing = options.rules().closing
        self._counts = np.zeros(0, np.int64)
        self._snags: list[tuple[Ints, int]] = []

    def take_heading(
        self, records: Records, data: Bytes, *, is_last: bool
    ) -> tuple[Heading, Records] | None:
        """Return the first record as the heading, and the records without it; None where it is not whole.

        Raises
        ------
        InputError : the text ends before it is whole
        """
        ragged = records.staying
        fields = np.arange(self._n_fields)
        if ragged.starts.size < self._n_fields:
            if is_last and ragged.starts.size:
                raise InputError(
                    f"the heading is one record of {self._n_fields} fields, but there are only {ragged.starts.size} in all"
                )
            return (Heading(), records) if is_last else None
        spans = zip(ragged.starts[fields].tolist(), ragged.ends[fields].tolist(), strict=True)
        names = tuple(data[start:end].tobytes() for start, end in spans)
        self._shapes.heading = names if any(names) else ()
        text, values = undouble(Text(data, data.size), ragged, self._closing)
        words = tuple(Word(*read_value(text, values, int(k)), (int(k),)) for k in fields)
        return Heading(words=words, n_columns=self._n_fields), records.let_go(fields, "heading")

    def keep_whole(
        self, records: Records, data: Bytes, names: Sequence[str], *, is_last: bool
    ) -> Records | None:
        """Return the lines up to the last at whose end a whole record ends."""
        records = self._drop_headings(records, data)
        ragged = records.staying
        counts, snags = self._shapes.find_counts(data, ragged, is_last=is_last)
        if not is_last:
            ends = np.cumsum(counts)
            ends[ends > self._count_sure(ragged, data)] = -1
            at_line = np.flatnonzero(is_among(ends, ragged.offsets[1:]))
            if not at_line.size:
                return None
            counts = counts[: int(at_line[-1]) + 1]
            line = int(np.searchsorted(ragged.offsets, counts.sum())) - 1
            snags = [(rows[rows < counts.size], code) for rows, code in snags]
            if line < ragged.stops.size - 1:
                records = records.before(int(ragged.stops[line]))
        else:
            snags.append(self._find_short_end(counts, snags))
        return self._drop_heading_records(records, data, counts, snags)

    def arrange(self, records: Records, data: Bytes, n_fields: int) -> Arranged:
        """Return the fields of all lines as records of so many fields each."""
        fitted = self._fit(data, _make_records(records.staying, self._counts), n_fields)
        return Arranged(
            fitted.ragged,
            SnagRows.gather(self._snags),
            fitted.merged,
        )

    def _find_short_end(self, counts: Ints, snags: Sequence[tuple[Ints, int]]) -> tuple[Ints, int]:
        """Return the last record of a text as short, if it is and has not been told already."""
        last = np.flatnonzero(counts < self._n_fields)[-1:]
        is_told = any((rows == row).any() for rows, _ in snags for row in last)
        is_short = last.size and int(last[0]) == counts.size - 1 and not is_told
        return (last if is_short else last[:0]), SNAG_CODES["short"]

    def _drop_headings(self, records: Records, data: Bytes) -> Records:
        """Let go the records that say what the heading says, cell by cell, from a line's start."""
        if not self._shapes.heading:
            return records
        ragged, n_fields = records.staying, self._n_fields
        hits = _find_runs(ragged, data, self._shapes.heading)
        firsts, free = [], 0
        for first in hits[is_among(hits, ragged.offsets[:-1])].tolist():
            if first >= free:
                firsts.append(first)
                free = first + n_fields
        fields = (np.array(firsts, np.int64)[:, None] + np.arange(n_fields)).ravel()
        return records.let_go(fields, "heading-again") if fields.size else records

    def _drop_heading_records(
        self, records: Records, data: Bytes, counts: Ints, snags: Sequence[tuple[Ints, int]]
    ) -> Records:
        """Let go what says what the heading says at a record's place, wherever its line begins.

        Keeps the counts and the snags of the records that are left.
        """
        is_heading = np.zeros(counts.size, np.bool_)
        if self._shapes.heading:
            firsts = np.cumsum(counts) - counts
            hits = _find_runs(records.staying, data, self._shapes.heading)
            is_heading = is_among(firsts, hits) & (counts == self._n_fields)
        self._counts = counts[~is_heading]
        gone = np.cumsum(is_heading)
        self._snags = [(rows - gone[rows], code) for rows, code in snags]
        fields = np.flatnonzero(np.repeat(is_heading, counts))
        return records.let_go(fields, "heading-again") if fields.size else records

    def _count_sure(self, ragged: Ragged, data: Bytes) -> int:
        """Return how many fields stand before what may be the beginning of the heading again."""
        total = ragged.starts.size
        for ahead in range(min(self._n_fields - 1, total), 0, -1):
            first = total - ahead
            begun = self._shapes.heading[:ahead]
            if begun and first in _find_runs(ragged, data, begun):
                return first
        return total


def _find_runs(ragged: Ragged, data: Bytes, wanted: Sequence[bytes]) -> Ints:
    """Return the fields from which on the values are those wanted, one behind another."""
    n_starts = ragged.starts.size - len(wanted) + 1
    firsts = np.arange(max(0, n_starts))
    for ahead, value in enumerate(wanted):
        fields = firsts + ahead
        same = ragged.ends[fields] - ragged.starts[fields] == len(value)
        firsts, fields = firsts[same], fields[same]
        spans = zip(ragged.starts[fields].tolist(), ragged.ends[fields].tolist(), strict=True)
        same = np.array([data[a:b].tobytes() == value for a, b in spans], np.bool_)
        firsts = firsts[same]
    return firsts


def _make_records(ragged: Ragged, counts: Ints) -> Ragged:
    """Return the fields of all lines as records of so many fields each, one after another."""
    lines = np.repeat(np.arange(ragged.stops.size), ragged.counts)
    offsets = np.concatenate([[0], np.cumsum(counts)])
    stops = ragged.stops[lines[offsets[1:] - 1]] if counts.size else ragged.stops[:0]
    return replace(ragged, offsets=offsets, stops=stops)
