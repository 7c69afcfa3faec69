"""Blocks of one set put side by side: their rows matched by label, their headings one behind another."""

from __future__ import annotations

import difflib
from collections import Counter

import numpy as np

from wetcomb.core.arrays import Ints, leave_out
from wetcomb.core.batch import Batch, NameSource
from wetcomb.core.cutting.ragged import LineDrops
from wetcomb.core.ledger import Charge
from wetcomb.core.snags import SNAG_CODES, SnagRows
from wetcomb.core.table import MISSING, Table
from wetcomb.core.text import Text
from wetcomb.steps.split.headings import make_unique

__all__ = ["JoinedBlocks", "Span"]

Span = tuple[int, int]


_ALMOST = 0.8  # likeness of two labels from which one may be a slip for the other


class JoinedBlocks:
    """Blocks of one set put side by side, one after another."""

    def __init__(self, chunk: Text, first: Batch, n_heading: int) -> None:
        assert first.table is not None and first.drops is not None
        self._chunk = chunk
        self._charges, self._drops = list(first.charges), [first.drops]
        self._tables = [first.table]
        self._names, self._sources = list(first.table.names), list(first.name_sources)
        self._rows = [np.arange(first.table.n_records)]  # of each block: the joined row of each
        self._labels = _read_labels(first.table)
        self._is_new: list[Ints] = []
        self._odd: list[tuple[Ints, int]] = []
        self._n_rows = first.table.n_records
        self._outer = self._find_outer(first, n_heading)

    def _find_outer(self, batch: Batch, n_heading: int) -> tuple[str, tuple[Span, ...]]:
        """Return the upper heading words over the last column of a block, and where they stand."""
        assert batch.table is not None
        source, name = batch.name_sources[-1], batch.table.names[-1]
        if n_heading < 2 or not source.is_found:
            return "", ()
        own = self._chunk.value(*source.spans[-1]) if source.spans else ""
        spans = (*source.again, *source.spans[:-1])
        return (name.removesuffix(own).rstrip() if own else name), spans

    def add(self, batch: Batch, n_heading: int) -> None:
        """Put a further block beside those that are there."""
        table = batch.table
        assert table is not None and batch.drops is not None
        self._charges += batch.charges
        self._drops.append(batch.drops)
        rows = self._match(_read_labels(table))
        self._rows.append(rows)
        self._drop_labels(table, rows)
        self._charges += batch.name_sources[0].charge("heading-again")
        names, sources = list(table.names[1:]), list(batch.name_sources[1:])
        outer = self._find_outer(batch, n_heading)
        words, spans = self._outer
        if words and n_heading > 1:
            for place, source in enumerate(sources):
                if len(source.spans) + len(source.again) > 1:
                    break  # here a word of its own begins
                own = f" {names[place]}" if source.spans else ""  # else it is a number
                sources[place] = NameSource(source.spans, spans)
                names[place] = words + own
            else:
                outer = self._outer
        self._outer = outer
        self._names += names
        self._sources += sources
        self._tables.append(table)

    def _match(self, labels: list[str]) -> Ints:
        """Return the joined row of each row of a block; new ones get rows of their own."""
        known = {key: row for row, key in enumerate(_number_labels(self._labels))}
        keys = _number_labels(labels)
        rows = np.array([known.get(key, -1) for key in keys], np.int64)
        new = np.flatnonzero(rows < 0)
        lacking = leave_out(np.arange(self._n_rows), rows)
        self._mark_odd(lacking, "label-missing")
        rows[new] = self._n_rows + np.arange(new.size)
        self._mark_odd(rows[new], "label-new")
        missing = {self._labels[row]: row for row in lacking.tolist()}
        for place in new.tolist():
            near = difflib.get_close_matches(labels[place], list(missing), 1, _ALMOST)
            if near:
                both = np.array([missing[near[0]], rows[place]])
                self._mark_odd(both, "label-almost")
        self._labels += [labels[place] for place in new.tolist()]
        self._n_rows += new.size
        self._is_new.append(new)
        return rows

    def _mark_odd(self, rows: Ints, name: str) -> None:
        self._odd.append((rows, SNAG_CODES[name]))

    def _drop_labels(self, table: Table, rows: Ints) -> None:
        """Charge the labels that only say again what the first block says."""
        again = rows < self._n_rows - self._is_new[-1].size
        starts = table.starts[again, 0].astype(np.int64)
        ends = table.ends[again, 0].astype(np.int64)
        there = starts != MISSING
        self._charges.append(Charge("repeated-label", starts[there], ends[there]))

    def finish(self, *, is_named: bool) -> Batch:
        """Return the set as one batch; columns without a name are numbered throughout."""
        found = [
            name if is_named or source.is_found else ""
            for name, source in zip(self._names, self._sources, strict=True)
        ]
        names = make_unique(found)
        renamed = [pair for pair in zip(found, names, strict=True) if pair[0] != pair[1]]
        return Batch(
            self._chunk,
            table=self._lay_side_by_side(tuple(names)),
            charges=self._charges,
            drops=LineDrops.join(self._drops),
            name_sources=tuple(self._sources),
            renamed=tuple(renamed) if any(found) else (),
        )

    def _lay_side_by_side(self, names: tuple[str, ...]) -> Table:
        """Return the joined rows: those of the first block, then those that are new."""
        shape = self._n_rows, len(names)
        starts, ends = np.full(shape, MISSING, np.int32), np.full(shape, MISSING, np.int32)
        rests = np.full((2, self._n_rows), MISSING, np.int32)
        records = np.zeros((2, self._n_rows), np.int64)
        snags, column = [SnagRows.gather(self._odd)], 0
        for place, (table, rows) in enumerate(zip(self._tables, self._rows, strict=True)):
            first = int(place > 0)
            width = len(table.names) - first
            starts[rows, column : column + width] = table.starts[:, first:]
            ends[rows, column : column + width] = table.ends[:, first:]
            column += width
            new = rows if not place else rows[self._is_new[place - 1]]
            mine = np.arange(rows.size) if not place else self._is_new[place - 1]
            records[:, new] = table.record_starts[mine], table.record_ends[mine]
            starts[new, 0], ends[new, 0] = table.starts[mine, 0], table.ends[mine, 0]
            has_rest = table.rest_starts != MISSING
            rests[:, rows[has_rest]] = table.rest_starts[has_rest], table.rest_ends[has_rest]
            snags.append(table.snags.move(rows))
        return Table(
            self._chunk,
            names,
            starts,
            ends,
            rests[0],
            rests[1],
            records[0],
            records[1],
            SnagRows.join(snags),
        )


def _read_labels(table: Table) -> list[str]:
    return [" ".join((table.value(row, 0) or "").split()) for row in range(table.n_records)]


def _number_labels(labels: list[str]) -> list[tuple[str, int]]:
    """Return each label with how many like it stand before it."""
    seen: Counter[str] = Counter()
    keys = []
    for label in labels:
        keys.append((label, seen[label]))
        seen[label] += 1
    return keys
