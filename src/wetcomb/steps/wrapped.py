"""Cells wrapped under their own column: lines of a table put together as records.

A line goes on with the record above it if its key is blank, or if nothing parts them. Each
piece belongs to the cell above it; pieces of a cell are joined by the glue, in order.
"""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from wetcomb.core.arrays import Bools, Ints
from wetcomb.core.gather import weave
from wetcomb.core.ledger import LINE_DROPS
from wetcomb.core.ragged import LineDrops, Ragged
from wetcomb.core.snags import SNAGS, SnagRows
from wetcomb.core.table import Table

__all__ = ["find_key_heads", "find_parted_heads", "join_lines"]


def find_key_heads(ragged: Ragged, key: int) -> Bools:
    """Return the lines that begin a record: those whose key is filled."""
    fields = ragged.offsets[:-1] + key
    there = fields < ragged.offsets[1:]
    fields = np.minimum(fields, max(0, ragged.starts.size - 1))
    return there & (ragged.ends[fields] > ragged.starts[fields]) if fields.size else there


def find_parted_heads(ragged: Ragged, drops: LineDrops, parted_by: str) -> Bools:
    """Return the lines that begin a record: those behind a line that parts records."""
    reasons = [LINE_DROPS.index(parted_by), LINE_DROPS.index("heading-again")]
    parting = np.sort(drops.starts[np.isin(drops.reasons, reasons)])
    before = np.searchsorted(parting, ragged.record_starts)
    return np.diff(before, prepend=-1) > 0


def join_lines(table: Table, heads: Bools, glue: bytes) -> tuple[Table, int]:
    """Return a table of lines with those of each record joined, and the characters put in.

    Parameters
    ----------
    heads : (R,) bool, the lines that begin a record; the first line does
    """
    n_lines, n_columns = table.starts.shape
    if heads.all() or not n_lines:
        return table, 0
    heads = heads.copy()
    heads[0] = True
    starts = np.concatenate([table.starts, table.rest_starts[:, None]], axis=1, dtype=np.int64)
    ends = np.concatenate([table.ends, table.rest_ends[:, None]], axis=1, dtype=np.int64)
    width = n_columns + 1
    records = np.cumsum(heads) - 1
    n_records = int(records[-1]) + 1
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
    text, n_glue = table.text, 0
    if several.any():
        mine, begins, stops = cells[several], piece_starts[several], piece_ends[several]
        is_last = np.append(mine[1:] != mine[:-1], True)
        data = weave(
            text.data, text.body_size, begins, stops, (~is_last).astype(np.int64), (b"", glue)
        )
        sizes = stops - begins + np.where(is_last, 0, len(glue))
        targets = mine[is_last]
        edges = np.concatenate([[0], np.flatnonzero(is_last) + 1])
        lengths = np.add.reduceat(sizes, edges[:-1])
        origin_starts, origin_ends = text.origins(begins, stops)
        origins = origin_starts[edges[:-1]], origin_ends[is_last]
        text, places = text.append(data, lengths, origins)
        new_starts[targets], new_ends[targets] = places, places + lengths
        n_glue = int((~is_last).sum()) * len(glue.decode())
    shape = n_records, width
    new_starts, new_ends = new_starts.reshape(shape), new_ends.reshape(shape)
    stops_at = np.append(np.flatnonzero(heads)[1:], n_lines) - 1
    joined = replace(
        table,
        text=text,
        starts=new_starts[:, :-1].astype(np.int32),
        ends=new_ends[:, :-1].astype(np.int32),
        rest_starts=new_starts[:, -1].astype(np.int32),
        rest_ends=new_ends[:, -1].astype(np.int32),
        record_starts=table.record_starts[heads],
        record_ends=table.record_ends[stops_at],
        snags=_move_snags(table.snags, records, heads),
    )
    return joined, n_glue


def _move_snags(snags: SnagRows, records: Ints, heads: Bools) -> SnagRows:
    """Return the snags of lines as those of their records; a line that goes on may be short."""
    is_short = np.array([kind.name == "short" for kind in SNAGS])[snags.kinds]
    stays = ~is_short | heads[snags.records]
    pairs = [
        (np.unique(records[snags.records[stays & (snags.kinds == code)]]), code)
        for code in np.unique(snags.kinds).tolist()
    ]
    return SnagRows.gather(pairs)
