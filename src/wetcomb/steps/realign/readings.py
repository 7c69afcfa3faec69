"""Readings of records: how many neighbouring pieces each column takes, the cheapest and the next.

By dynamic programming (R. Bellman's): the cheapest way to lay the first j pieces under the
first c columns is the cheapest over how many of them the last of these columns takes. The
next best is carried along in the same way, as the second smallest of all sums, so that the
distance between the two is exact. Records with the same number of pieces are worked on
together, one column and one number of pieces taken at a time.
"""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np

from wetcomb.core.arrays import Array, Bytes, Ints

__all__ = ["IMPOSSIBLE", "MOST_PIECES", "MOST_TAKEN", "Costs", "Readings", "find_readings"]

#: The most pieces one column takes.
MOST_TAKEN = 12
#: A record of more pieces is not read: it is a snag.
MOST_PIECES = 64
#: A cost that no reading has.
IMPOSSIBLE = 1 << 20

Weights = Array[np.int32]

_BITS = 5  # of a sum, that say where it came from: which of two readings, and how many pieces
_FROM_SECOND = 16
_TAKEN, _SOURCE = 15, 31


class Costs(msgspec.Struct, frozen=True, eq=False):
    """What each step of a reading costs, for B records of N pieces under F columns.

    Attributes
    ----------
    n_pieces, n_records : N and B
    skip : (N + 1, B) or (N + 1, 1), cost of passing over so many pieces before the first column
    takes : for each of F columns, by how many pieces it takes (0 first): a cost for each first
        piece, (N + 1 - k, B) or (N + 1 - k, 1); shorter where a column takes no more
    """

    n_pieces: int
    n_records: int
    skip: Weights
    takes: Sequence[Sequence[Weights]]


class Readings(msgspec.Struct, frozen=True, eq=False):
    """The best two readings of each record.

    Attributes
    ----------
    costs, next_costs : (B,) int64, `IMPOSSIBLE` or more where there is none
    skipped, next_skipped : (B,) int64, pieces passed over at the start
    takes, next_takes : (B, F) uint8, how many pieces each column takes
    """

    costs: Ints
    next_costs: Ints
    skipped: Ints
    next_skipped: Ints
    takes: Bytes
    next_takes: Bytes


def find_readings(costs: Costs) -> Readings:
    """Return the two cheapest readings of each record; of equal ones, one and the same always."""
    n_pieces, n_records = costs.n_pieces, costs.n_records
    shape = n_pieces + 1, n_records
    limit = np.int32(IMPOSSIBLE << _BITS)
    best = np.empty(shape, np.int32)
    best[:] = costs.skip << _BITS
    second = np.full(shape, limit, np.int32)
    sources = np.empty((2, len(costs.takes), *shape), np.uint8)
    for column, takes in enumerate(costs.takes):
        new = np.full(shape, limit, np.int32)
        new_second = np.full(shape, limit, np.int32)
        for taken, weights in enumerate(takes):
            low, high = new[taken:], new_second[taken:]
            step = (weights << _BITS) + np.int32(taken)
            one = best[: n_pieces + 1 - taken] + step
            other = second[: n_pieces + 1 - taken] + (step + np.int32(_FROM_SECOND))
            np.minimum(high, other, out=high)
            np.maximum(low, one, out=other)
            np.minimum(high, other, out=high)
            np.minimum(low, one, out=low)
        np.minimum(new, limit, out=new)  # sums of impossible costs stay within their bits
        np.minimum(new_second, limit, out=new_second)
        sources[0, column] = new & _SOURCE
        sources[1, column] = new_second & _SOURCE
        best, second = new & ~_SOURCE, new_second & ~_SOURCE
    takes_best, skipped = _trace(sources, n_pieces, 0)
    takes_next, next_skipped = _trace(sources, n_pieces, 1)
    return Readings(
        (best[n_pieces] >> _BITS).astype(np.int64),
        (second[n_pieces] >> _BITS).astype(np.int64),
        skipped,
        next_skipped,
        takes_best,
        takes_next,
    )


def _trace(sources: Bytes, n_pieces: int, which: int) -> tuple[Bytes, Ints]:
    """Follow readings back from their ends; return what each column takes, and what is left over."""
    _, n_columns, _, n_records = sources.shape
    records = np.arange(n_records)
    place = np.full(n_records, n_pieces, np.int64)
    rank = np.full(n_records, which, np.int64)
    takes = np.zeros((n_records, n_columns), np.uint8)
    for column in range(n_columns - 1, -1, -1):
        source = sources[rank, column, np.maximum(place, 0), records]
        taken = source & _TAKEN
        takes[:, column] = taken
        place -= taken
        rank = (source >= _FROM_SECOND).astype(np.int64)
    return takes, place
