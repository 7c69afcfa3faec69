"""Cells that say by a mark that they go on in the same column of the next line.

A line belongs to the record above if all its values stand under cells that end with the mark. The
mark leaves, and one before the piece below leaves too; the pieces are joined as they stand. Where a
cell says that it goes on and the next line is a record of its own, the mark stays, and that is told.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from msgspec.structs import replace

from wetcomb.core.arrays import Bools, Bytes, sort_unique, stands_at
from wetcomb.core.cutting.ragged import LineDrops, Ragged
from wetcomb.core.cutting.records import Records
from wetcomb.core.ledger import Charge
from wetcomb.core.snags import SNAG_CODES, SnagRows
from wetcomb.core.table import Table
from wetcomb.steps.split.groups import find_heads_behind
from wetcomb.steps.split.lines import Arranged
from wetcomb.steps.split.options import Split
from wetcomb.steps.split.wrapped import Wrapped, join_lines

__all__ = ["Continued"]


class Continued(Wrapped):
    """A record is a line, and those behind it that a mark at a cell's end asks for."""

    def __init__(self, options: Split) -> None:
        super().__init__(options)
        self._mark = options.continues.encode()
        self._data = np.zeros(0, np.uint8)

    def keep_whole(
        self, records: Records, data: Bytes, names: Sequence[str], *, is_last: bool
    ) -> Records | None:
        """Return the lines before the last that begins a record: it may go on."""
        self._data = data
        return super().keep_whole(records, data, names, is_last=is_last)

    def _find_heads(self, ragged: Ragged, drops: LineDrops, names: Sequence[str]) -> Bools:
        _, is_more = self._find_pieces(ragged)
        lines = np.repeat(np.arange(ragged.stops.size), ragged.counts)
        heads = np.ones(ragged.stops.size, np.bool_)
        heads[lines[is_more]] = False  # some piece stands under a cell that goes on
        filled = ragged.ends > ragged.starts
        heads[lines[filled & ~is_more]] = True  # but another does not: it is a record of its own
        heads[find_heads_behind(ragged, drops)] = True
        return heads

    def _find_pieces(self, ragged: Ragged) -> tuple[Bools, Bools]:
        """Return which fields end with the mark and hold more than that, and what stands under these."""
        at = ragged.ends - len(self._mark)
        goes_on = stands_at(self._data, at, self._mark) & (at > ragged.starts)
        lines = np.repeat(np.arange(ragged.stops.size), ragged.counts)
        above = ragged.offsets[np.maximum(lines - 1, 0)] + np.arange(lines.size)
        above -= ragged.offsets[lines]
        has_above = (lines > 0) & (above < ragged.offsets[lines])
        return goes_on, has_above & goes_on.take(above, mode="clip")

    def arrange(self, records: Records, data: Bytes, n_fields: int) -> Arranged:
        """Return the lines without the marks that were followed."""
        ragged, mark = records.staying, len(self._mark)
        lines = np.repeat(np.arange(ragged.stops.size), ragged.counts)
        goes_on, is_more = self._find_pieces(ragged)
        is_followed = np.append(~self._heads[1:], False)[lines]
        nowhere = sort_unique(lines[goes_on & ~is_followed])
        goes_on &= is_followed
        is_more &= ~self._heads[lines]
        again = is_more & stands_at(data, ragged.starts, self._mark)
        again &= ragged.ends - ragged.starts >= mark * (1 + goes_on)
        again &= ~ragged.doubled | (len(self._options.rules().marks) == 1)
        starts, ends = ragged.starts + mark * again, ragged.ends - mark * goes_on
        stays = np.flatnonzero(records.leaves == 0)
        whole_starts, whole_ends = records.ragged.starts.copy(), records.ragged.ends.copy()
        whole_starts[stays], whole_ends[stays] = starts, ends
        bare = replace(records.ragged, starts=whole_starts, ends=whole_ends)
        arranged = super().arrange(replace(records, ragged=bare), data, n_fields)
        told = SnagRows.gather([(nowhere, SNAG_CODES["goes-on-nowhere"])])
        charges = [
            Charge("continues-mark", ends[goes_on], ragged.ends[goes_on]),
            Charge("continues-mark", ragged.starts[again], starts[again]),
        ]
        return replace(arranged, snags=SnagRows.join([arranged.snags, told]), charges=charges)

    def join(self, table: Table) -> tuple[Table, list[Charge]]:
        """Return the table with the lines of each record joined as they stand."""
        return join_lines(table, self._heads, b"")
