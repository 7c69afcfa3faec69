"""Values that several cells tell at once, told apart: so that each can be changed by itself."""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from wetcomb.core.table import Table

__all__ = ["tell_apart"]


def tell_apart(table: Table) -> Table:
    """Return a table in which no two cells hold the same bytes of the text: the others have copies.

    One cell keeps what the source has: the first that holds it, the longest where one holds
    another's.
    """
    if not table.repeats:
        return table
    starts, ends = table.starts.astype(np.int64), table.ends.astype(np.int64)
    rows, columns = np.nonzero(ends > starts)
    begins, stops = starts[rows, columns], ends[rows, columns]
    order = np.lexsort((-stops, begins))
    begins, stops = begins[order], stops[order]
    furthest = np.append(0, np.maximum.accumulate(stops)[:-1]) if stops.size else stops
    again = np.flatnonzero(stops <= furthest)
    if not again.size:
        return replace(table, repeats=())
    spans = np.stack([begins[again], stops[again]], axis=1)
    kinds, which = np.unique(spans, axis=0, return_inverse=True)
    raw = table.text.data
    values = [raw[begin:stop].tobytes() for begin, stop in kinds.tolist()]
    reason = "original" if "original" in table.repeats else "other-columns"
    text, new_starts, new_ends = table.text.repeat(values, reason)
    cells = order[again]
    which = which.ravel()
    starts[rows[cells], columns[cells]] = new_starts[which]
    ends[rows[cells], columns[cells]] = new_ends[which]
    return replace(
        table,
        text=text,
        starts=starts.astype(np.int32),
        ends=ends.astype(np.int32),
        surplus=None,
        repeats=(),
    )
