"""What of a chunk can be settled: whole records up to a place, and what becomes of the pieces around."""

from __future__ import annotations

import numpy as np

from wetcomb.core.arrays import Bools, Ints
from wetcomb.core.ledger import LINE_DROPS, Charge, Ledger
from wetcomb.core.ragged import LineDrops, Ragged
from wetcomb.core.snags import SNAG_CODES
from wetcomb.core.specials import Specials
from wetcomb.core.table import fit_columns
from wetcomb.core.text import Text
from wetcomb.steps.places import Snags
from wetcomb.steps.regroup import select_fields

__all__ = [
    "charge_dropped",
    "drop_headings",
    "find_last_head",
    "find_settled",
    "find_short_end",
    "leave_out",
    "take_back",
]


def charge_dropped(chunk: Text, gone: Ragged | None, ledger: Ledger, charges: list[Charge]) -> None:
    """Charge the pieces that left their records."""
    if gone is None:
        return
    filled = gone.ends > gone.starts
    charge = Charge("dropped-piece", gone.starts[filled], gone.ends[filled])
    ledger.drop_kept(charge.reason, chunk.count(charge.starts, charge.ends))
    charges.append(charge)


def find_settled(ragged: Ragged, counts: Ints, *, is_last: bool) -> tuple[int, Ints]:
    """Return the last line at whose end a whole record ends, and the records up to there.

    The line is -1 where there is none, so that more of the text is needed.
    """
    if is_last:
        return ragged.stops.size, counts
    ends = np.cumsum(counts)
    at_line = np.flatnonzero(np.isin(ends, ragged.offsets[1:]))
    if not at_line.size:
        return -1, counts[:0]
    n_records = int(at_line[-1]) + 1
    return int(np.searchsorted(ragged.offsets, ends[n_records - 1])) - 1, counts[:n_records]


def find_short_end(counts: Ints, n_fields: int, snags: Snags) -> tuple[Ints, int]:
    """Return the last record of a text as short, if it is and has not been told already."""
    last = np.flatnonzero(counts < n_fields)[-1:]
    told = any((rows == row).any() for rows, _ in snags for row in last)
    is_short = last.size and int(last[0]) == counts.size - 1 and not told
    return (last if is_short else last[:0]), SNAG_CODES["short"]


def drop_headings(ragged: Ragged, again: Bools) -> LineDrops:
    """Return repeated headings as lines that leave."""
    code = LINE_DROPS.index("heading-again")
    reasons = np.full(int(again.sum()), code, np.int64)
    return LineDrops(ragged.record_starts[again], ragged.stops[again], reasons)


def find_last_head(ragged: Ragged, heads: Bools) -> int:
    """Return where the last record begins, which may go on; 0 where it is the only one."""
    rows = np.flatnonzero(heads)
    return int(ragged.record_starts[rows[-1]]) if rows.size > 1 else 0


def leave_out(gone: Ragged | None, stop: int) -> Ragged | None:
    """Return only the pieces that left before a position."""
    if gone is None:
        return None
    fields = np.flatnonzero(gone.outer_starts < stop)
    return select_fields(gone, fields, np.array([0, fields.size]), gone.stops)


def take_back(
    ragged: Ragged, n_fields: int, ledger: Ledger, charges: list[Charge], specials: Specials
) -> Ragged:
    """Make one field of what is over in long records, and charge nothing between its pieces."""
    long = np.flatnonzero(ragged.counts > n_fields)
    if not long.size:
        return ragged
    fitted, _, _ = fit_columns(specials, ragged, n_fields)
    text = Text(specials.data, specials.data.size)
    for row in long.tolist():
        rest = int(fitted.offsets[row]) + n_fields
        if rest >= fitted.offsets[row + 1]:
            continue
        begin, end = int(fitted.starts[rest]), int(fitted.ends[rest])
        for place, charge in enumerate(charges):
            inside = (charge.starts >= begin) & (charge.ends <= end) & (charge.ends > charge.starts)
            if inside.any():
                number = text.count(charge.starts[inside], charge.ends[inside])
                ledger.drop_kept(charge.reason, -number)
                charges[place] = Charge(charge.reason, charge.starts[~inside], charge.ends[~inside])
    return fitted
