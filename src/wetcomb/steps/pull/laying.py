"""Values of blocks laid out as a table: which record and column each stands in, which are over."""

from __future__ import annotations

import msgspec
import numpy as np

from wetcomb.core.arrays import Bools, Ints
from wetcomb.core.table import MISSING
from wetcomb.core.text import Text

__all__ = ["Claims", "Laid", "find_rows", "lay_out"]


class Claims(msgspec.Struct, eq=False):
    """What was pulled out of R records' blocks: V values, put together of P pieces.

    Attributes
    ----------
    records, columns, rows : (V,) of each value its block (by its place), its column, and the
        record of that block that it stands in; -1 for one that all of them share
    places : (V,) where each stands in the text
    owners, starts, ends : (P,) the value each piece is of, and its span, in the order of the text
    """

    records: Ints
    columns: Ints
    rows: Ints
    places: Ints
    owners: Ints
    starts: Ints
    ends: Ints


class Laid(msgspec.Struct, eq=False):
    """A table of claims.

    Attributes
    ----------
    text : the text with built values behind it
    starts, ends : (R, C + 1) the cells, those of `rest` last
    blocks : (R,) the block of each record
    rows : (V,) the record of each value
    again : (R,) records in which some column has more than one value
    over : (V,) values that stand in no cell
    is_repeated : values stand in several records
    """

    text: Text
    starts: Ints
    ends: Ints
    blocks: Ints
    rows: Ints
    again: Bools
    over: Bools
    is_repeated: bool


def find_rows(claims: Claims, n_columns: int) -> Ints:
    """Return for `--again rows` the record of its block that each value stands in; -1 if all share it.

    The first column that has several values leads: each of them begins a record, and what stands
    before the first is shared.
    """
    rows = np.full(claims.records.size, -1, np.int64)
    order = np.lexsort((claims.places, claims.records))
    keys = claims.records * n_columns + claims.columns
    counts = np.bincount(keys, minlength=1)
    several = counts[keys] > 1
    leads: dict[int, int] = {}
    for value in order[several[order]].tolist():
        leads.setdefault(int(claims.records[value]), int(claims.columns[value]))
    row: dict[int, int] = {}
    for value in order.tolist() if leads else ():
        record = int(claims.records[value])
        if leads.get(record, -1) == claims.columns[value]:
            row[record] = row.get(record, -1) + 1
        rows[value] = row.get(record, -1)
    return rows


def lay_out(chunk: Text, claims: Claims, n_columns: int, again: str, glue: bytes) -> Laid:
    """Return claims as a table; a column that has several values in a record is settled as `again` says.

    Parameters
    ----------
    again : `first`, `last` or `join`; else the first stands, and the others in `rest`
    glue : what joins the pieces of a value
    """
    n_blocks = int(claims.records.max(initial=-1)) + 1
    n_rows = np.ones(n_blocks, np.int64)
    np.maximum.at(n_rows, claims.records, claims.rows + 1)
    firsts = np.cumsum(n_rows) - n_rows
    rows = firsts[claims.records] + np.maximum(claims.rows, 0)
    width = n_columns + 1
    cells = rows * width + claims.columns
    order = np.lexsort((claims.places, cells))
    fresh = np.append(True, np.diff(cells[order]) != 0)[: order.size]
    is_kept = np.zeros(cells.size, np.bool_)
    is_kept[order[fresh if again != "last" else np.append(fresh[1:], True)[: order.size]]] = True
    is_over = ~is_kept
    is_again = np.zeros(int(n_rows.sum()), np.bool_)
    if again == "join":
        is_over[:] = False
    elif again not in ("first", "last"):
        is_again[rows[is_over]] = True
        cells[is_over] = rows[is_over] * width + n_columns
        is_over = np.zeros(cells.size, np.bool_)
    text, starts, ends = _build(chunk, claims, cells, ~is_over, is_again.size * width, glue)
    shape = (is_again.size, width)
    starts, ends = starts.reshape(shape), ends.reshape(shape)
    blocks = np.repeat(np.arange(n_blocks), n_rows)
    is_repeated = bool((n_rows > 1).any())
    if is_repeated:
        _share(claims, firsts, blocks, starts, ends)
    return Laid(text, starts, ends, blocks, rows, is_again, is_over, is_repeated)


def _build(
    chunk: Text, claims: Claims, cells: Ints, kept: Bools, n_cells: int, glue: bytes
) -> tuple[Text, Ints, Ints]:
    """Return the spans of all cells; those of several pieces are built."""
    starts = np.full(n_cells, MISSING, np.int64)
    ends = starts.copy()
    # a label stands there, and nothing behind it
    starts[cells[kept]] = ends[cells[kept]] = claims.places[kept]
    pieces = np.flatnonzero(kept[claims.owners])
    homes = cells[claims.owners[pieces]]
    order = np.lexsort((claims.starts[pieces], homes))
    pieces, homes = pieces[order], homes[order]
    fresh = np.append(True, np.diff(homes) != 0)[: homes.size]
    firsts = np.flatnonzero(fresh)
    counts = np.diff(np.append(firsts, homes.size))
    alone = firsts[counts == 1]
    starts[homes[alone]] = claims.starts[pieces[alone]]
    ends[homes[alone]] = claims.ends[pieces[alone]]
    many = counts > 1
    if not many.any():
        return chunk, starts, ends
    joined = pieces[np.repeat(many, counts)]
    text, begins, stops = chunk.build(
        claims.starts[joined], claims.ends[joined], counts[many], glue
    )
    starts[homes[firsts[many]]], ends[homes[firsts[many]]] = begins, stops
    return text, starts, ends


def _share(claims: Claims, firsts: Ints, blocks: Ints, starts: Ints, ends: Ints) -> None:
    """Let all records of a block have the values that they share."""
    is_shared = np.zeros((firsts.size, starts.shape[1]), np.bool_)
    shared = claims.rows < 0
    is_shared[claims.records[shared], claims.columns[shared]] = True
    rows, columns = np.nonzero(is_shared[blocks])
    source = firsts[blocks[rows]]
    starts[rows, columns], ends[rows, columns] = starts[source, columns], ends[source, columns]
