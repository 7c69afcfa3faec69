"""The cells of records that were read, laid under their columns: charges, snags and moves settled."""

from __future__ import annotations

import msgspec
import numpy as np
from msgspec.structs import replace

from wetcomb.core.arrays import Bools, Ints, Spans, is_among
from wetcomb.core.batch import Batch
from wetcomb.core.moves import AS_CUT, BLANK, DOUBTFUL, MERGED, MOVED, Moves
from wetcomb.core.snags import SNAG_CODES, SnagRows
from wetcomb.core.surplus import take_back
from wetcomb.core.table import MISSING, Table
from wetcomb.steps.realign.found import BestReadings
from wetcomb.steps.realign.laid_pieces import LaidPieces
from wetcomb.steps.realign.move_words import MoveWords
from wetcomb.steps.realign.profiles import Profile

__all__ = ["COUNT_SNAGS", "Shifted", "gather_moves", "lay_cells", "mark_snags"]

COUNT_SNAGS = np.array([SNAG_CODES[name] for name in ("short", "long")])


class Shifted(msgspec.Struct, frozen=True, eq=False):
    """Records whose cells were moved by hand, and those whose text is another than it was."""

    is_done: Bools
    stale: list[int]

    @property
    def is_any(self) -> bool:
        """Whether there is one of either."""
        return bool(self.stale) or bool(self.is_done.any())


def lay_cells(
    batch: Batch, table: Table, laid: LaidPieces, found: BestReadings
) -> tuple[Batch, Table]:
    """Put the pieces of the records that are taken under their columns, and settle the charges."""
    taken = np.flatnonzero(found.is_taken)
    if not taken.size:
        return batch, table
    rows = laid.rows[taken]
    starts, ends = table.starts.copy(), table.ends.copy()
    starts[rows], ends[rows] = found.starts[taken], found.ends[taken]
    rest_starts, rest_ends = table.rest_starts.copy(), table.rest_ends.copy()
    rests = table.rest_starts[rows].astype(np.int64), table.rest_ends[rows].astype(np.int64)
    rest_starts[rows] = rest_ends[rows] = MISSING
    parted = list(batch.charges)
    if table.surplus is not None:
        there = rests[0] != MISSING
        parted += take_back(table.surplus.charges, rests[0][there], rests[1][there])[1]
    charges, _ = take_back(parted, *_list_bodies(table, starts[rows], ends[rows]))
    moved = replace(table, starts=starts, ends=ends, rest_starts=rest_starts, rest_ends=rest_ends)
    return replace(batch, charges=charges), moved


def _list_bodies(table: Table, starts: Spans, ends: Spans) -> tuple[Ints, Ints]:
    """Return the cells that stand in the body as they are, in its order."""
    inside = (ends > starts) & (ends <= table.text.body_size)
    begins, stops = starts[inside].astype(np.int64), ends[inside].astype(np.int64)
    order = np.argsort(begins, kind="stable")
    return begins[order], stops[order]


def mark_snags(table: Table, rows: Ints, found: BestReadings, shifted: Shifted) -> Table:
    """Return a table whose snags say which records could not be mended."""
    settled = np.concatenate([rows[~found.is_known], np.flatnonzero(shifted.is_done)])
    snags = table.snags
    is_gone = is_among(snags.records, settled) & is_among(snags.kinds, COUNT_SNAGS)
    odd = ~found.is_taken & ~found.is_known
    more = [(rows[odd], SNAG_CODES["wrong-place"])]
    more.append((np.array(shifted.stale, np.int64), SNAG_CODES["stale"]))
    return replace(table, snags=SnagRows.join([snags.select(~is_gone), SnagRows.gather(more)]))


def gather_moves(
    table: Table, laid: LaidPieces, found: BestReadings, is_changed: Bools, profile: Profile
) -> Moves | None:
    if not laid.rows.size:
        return None
    firsts = np.cumsum(found.takes, axis=1, dtype=np.int64) - found.takes + found.skipped[:, None]
    states = np.where(firsts == np.arange(len(profile.columns)), AS_CUT, MOVED).astype(np.uint8)
    states[found.takes > 1] = MERGED
    states[found.takes == 0] = BLANK
    states[~found.is_taken] = DOUBTFUL
    return Moves(laid.rows, states, is_changed, MoveWords(table, laid, found, states, profile).tell)
