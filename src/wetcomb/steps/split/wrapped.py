"""Cells wrapped under their own column: lines of a table put together as records.

A line goes on with the record above it if its key is blank, or if nothing parts them. Each
piece belongs to the cell above it; pieces of a cell are joined by the glue, in order.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from msgspec.structs import replace

from wetcomb.core.arrays import Bools, Bytes, Ints
from wetcomb.core.cutting.ragged import LineDrops, Ragged
from wetcomb.core.cutting.records import Records
from wetcomb.core.errors import UsageError, find_nearest
from wetcomb.core.ledger import Charge
from wetcomb.core.snags import SNAG_CODES, SnagRows
from wetcomb.core.table import Table
from wetcomb.match.hyphens import find_hyphens, find_small
from wetcomb.steps.split.groups import find_heads_behind
from wetcomb.steps.split.lines import Arranged, Lines

__all__ = ["Wrapped", "join_lines"]


class Wrapped(Lines):
    """A record is a line and those behind it whose key is blank, or that nothing parts from it."""

    def keep_whole(
        self, records: Records, data: Bytes, names: Sequence[str], *, is_last: bool
    ) -> Records | None:
        """Return the lines before the last that begins a record: it may go on."""
        heads = self._find_heads(records.staying, records.drops, names)
        if is_last:
            self._heads = heads
            return records
        rows = np.flatnonzero(heads)
        stop = int(records.ragged.record_starts[rows[-1]]) if rows.size > 1 else 0
        if not stop:
            return None
        self._heads = heads[records.ragged.record_starts < stop]
        return records.before(stop)

    def arrange(self, records: Records, data: Bytes, n_fields: int) -> Arranged:
        """Return the lines, each fitted to the columns; what is over is not laid elsewhere."""
        arranged = super().arrange(records, data, n_fields)
        return replace(arranged, over=None)

    def join(self, table: Table) -> tuple[Table, list[Charge]]:
        """Return the table with the lines of each record joined, and the hyphens that left it."""
        options = self._options
        return join_lines(table, self._heads, options.glue.encode(), options.hyphens)

    def _find_heads(self, ragged: Ragged, drops: LineDrops, names: Sequence[str]) -> Bools:
        """Return which lines begin a record."""
        if self._options.parted_by:
            heads = _find_parted_heads(ragged, drops, self._options.parted_by)
        else:
            heads = _find_key_heads(ragged, self._find_key(names))
        heads[find_heads_behind(ragged, drops)] = True
        return heads

    def _find_key(self, names: Sequence[str]) -> int:
        key = self._options.key
        if key.isdecimal() and 0 < int(key) <= len(names):
            return int(key) - 1
        if key not in names:
            near = find_nearest(key, names) or "; there are: " + ", ".join(names)
            raise UsageError(f"--key: there is no column {key!r}{near}")
        return list(names).index(key)


def _find_key_heads(ragged: Ragged, key: int) -> Bools:
    """Return the lines that begin a record: those whose key is filled."""
    fields = ragged.offsets[:-1] + key
    there = fields < ragged.offsets[1:]
    fields = np.minimum(fields, max(0, ragged.starts.size - 1))
    return there & (ragged.ends[fields] > ragged.starts[fields]) if fields.size else there


def _find_parted_heads(ragged: Ragged, drops: LineDrops, parted_by: str) -> Bools:
    """Return the lines that begin a record: those behind a line that parts records."""
    parting = np.sort(drops.starts[drops.has(parted_by, "heading-again")])
    before = np.searchsorted(parting, ragged.record_starts)
    return np.diff(before, prepend=-1) > 0


def join_lines(
    table: Table, heads: Bools, glue: bytes, hyphens: str = ""
) -> tuple[Table, list[Charge]]:
    """Return a table of lines with those of each record joined, and the hyphens that left it.

    Parameters
    ----------
    heads : (R,) bool, the lines that begin a record; the first line does
    hyphens : what becomes of those where a piece ends, `keep`, `mend` or `drop`; then they are
        joined without glue
    """
    n_lines, n_columns = table.starts.shape
    if heads.all() or not n_lines:
        return table, []
    heads = heads.copy()
    heads[0] = True
    starts = np.concatenate([table.starts, table.rest_starts[:, None]], axis=1, dtype=np.int64)
    ends = np.concatenate([table.ends, table.rest_ends[:, None]], axis=1, dtype=np.int64)
    width = n_columns + 1
    records = np.cumsum(heads) - 1
    new_starts, new_ends = starts[heads].ravel(), ends[heads].ravel()
    filled = np.flatnonzero(
        (ends > starts).ravel()
    )  # finding both at once takes three times as long
    rows = filled // width
    cells = filled + (records[rows] - rows) * width
    order = np.argsort(cells, kind="stable")  # lines of a cell stay in their order
    cells, filled = cells[order], filled[order]
    piece_starts, piece_ends = starts.ravel()[filled], ends.ravel()[filled]
    is_first = np.append(True, cells[1:] != cells[:-1])[: cells.size]
    firsts = np.flatnonzero(is_first)
    new_starts[cells[firsts]], new_ends[cells[firsts]] = piece_starts[firsts], piece_ends[firsts]
    several = np.append(~is_first[1:], False)[: cells.size] | ~is_first
    text, charges = table.text, list[Charge]()
    if several.any():
        begins, stops = piece_starts[several], piece_ends[several]
        heads_of = np.flatnonzero(is_first[several])
        counts = np.diff(np.append(heads_of, begins.size))
        targets = cells[several][heads_of]
        bare = None
        if hyphens:
            bare, mended = _find_hyphens(text.data, begins, stops, counts, hyphens)
            gone = text.find_origins(stops[mended] - 1, stops[mended])
            charges.append(Charge("hyphen", gone.starts, gone.ends))
            stops[mended] -= 1
        made = text.build(begins, stops, counts, glue, bare)
        text, new_starts[targets], new_ends[targets] = made
    grid_starts, grid_ends = new_starts.reshape(-1, width), new_ends.reshape(-1, width)
    stops_at = np.append(np.flatnonzero(heads)[1:], n_lines) - 1
    joined = replace(
        table,
        text=text,
        starts=grid_starts[:, :-1].astype(np.int32),
        ends=grid_ends[:, :-1].astype(np.int32),
        rest_starts=grid_starts[:, -1].astype(np.int32),
        rest_ends=grid_ends[:, -1].astype(np.int32),
        record_starts=table.record_starts[heads],
        record_ends=table.record_ends[stops_at],
        snags=_join_snags(table.snags, records, heads),
    )
    return joined, charges


def _find_hyphens(
    data: Bytes, starts: Ints, ends: Ints, counts: Ints, hyphens: str
) -> tuple[Bools, Bools]:
    """Return which pieces are joined with the next without glue, and which lose their hyphen."""
    goes_on = np.ones(starts.size, np.bool_)
    goes_on[np.cumsum(counts) - 1] = False
    parted = goes_on & find_hyphens(data, starts, ends)
    mended = parted & (hyphens == "drop")
    if hyphens == "mend":
        rows = np.flatnonzero(parted)
        mended[rows] = find_small(data, starts[rows + 1])
        parted = mended
    return parted, mended


def _join_snags(snags: SnagRows, records: Ints, heads: Bools) -> SnagRows:
    """Return the snags of lines as those of their records; a line that goes on may be short."""
    stays = (snags.kinds != SNAG_CODES["short"]) | heads[snags.records]
    return snags.select(stays).move(records)
