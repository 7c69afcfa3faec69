"""Records fitted to a table's columns: what is over becomes one field, the rest."""

from __future__ import annotations

import msgspec
import numpy as np
from msgspec.structs import replace

from wetcomb.core.arrays import Bytes, Ints
from wetcomb.core.cutting.ragged import Ragged
from wetcomb.core.cutting.recut import trim, trim_line_ends

__all__ = ["Fitted", "fit_fields"]


class Fitted(msgspec.Struct, frozen=True, eq=False):
    """Records of at most one filled field behind their columns.

    Attributes
    ----------
    ragged : the records
    long, short : (L,), (S,) int64, those with more filled fields than columns, and with fewer fields
    merged : the rests that are put together of several fields, as spans, rising
    """

    ragged: Ragged
    long: Ints
    short: Ints
    merged: tuple[Ints, Ints]


def fit_fields(data: Bytes, ragged: Ragged, n_fields: int, *, ends_at_lines: bool) -> Fitted:
    """Return records of so many fields and a rest.

    From the first surplus field to the last that is not empty, the text stands as it is,
    delimiters and marks too; a single surplus field keeps its value alone. Empty surplus
    fields behind are left as they are: they have no text to lose.
    """
    counts, none = ragged.counts, np.zeros(0, np.int64)
    short = np.flatnonzero(counts < n_fields)
    if not (counts > n_fields).any():
        return Fitted(ragged, none, short, (none, none))
    rows = np.repeat(np.arange(counts.size), counts)
    places = np.arange(rows.size) - ragged.offsets[rows]
    filled = np.flatnonzero((places >= n_fields) & (ragged.ends > ragged.starts))
    last_filled = np.full(counts.size, -1, np.int64)
    last_filled[rows[filled]] = filled
    long = np.flatnonzero(last_filled >= 0)
    first, last = ragged.offsets[long] + n_fields, last_filled[long]
    several = last > first
    first, last = first[several], last[several]
    starts, ends = ragged.starts.copy(), ragged.ends.copy()
    outer_ends, doubled = ragged.outer_ends.copy(), ragged.doubled.copy()
    begins, stops = trim(data, ragged.outer_starts[first], ragged.outer_ends[last])
    if not ends_at_lines:
        begins, stops = trim_line_ends(data, begins, stops)
        begins = np.minimum(begins, ragged.starts[first])  # what is in a value stays in it
        stops = np.maximum(stops, ragged.ends[last])
    begins = np.minimum(begins, ragged.outer_ends[first])  # what parts fields is no spacing
    starts[first], ends[first] = begins, stops
    outer_ends[first], doubled[first] = ragged.outer_ends[last], False
    changed = replace(ragged, starts=starts, ends=ends, outer_ends=outer_ends, doubled=doubled)
    merged = (places > n_fields) & (np.arange(rows.size) <= last_filled[rows])
    order = np.argsort(begins, kind="stable")
    spans = begins[order], stops[order]
    return Fitted(changed.without_fields(merged), long, short, spans)
