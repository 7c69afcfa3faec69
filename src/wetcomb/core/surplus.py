"""The pieces of `rest`: how what no column could take was cut, kept for steps that can use it."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np
from msgspec.structs import replace

from wetcomb.core.arrays import Bools, Ints
from wetcomb.core.ledger import Charge

__all__ = ["Surplus", "find_contained", "take_back"]


class Surplus(msgspec.Struct, frozen=True, eq=False):
    """The pieces that L records have beyond their columns.

    Attributes
    ----------
    rows : (L,) int64, the records, rising
    offsets : (L + 1,) int64, first piece of each
    starts, ends : (P,) int64, the pieces, from the one behind the last column to the last filled one
    charges : what stands between and around them inside `rest`, by what it will be charged as
        where they part
    """

    rows: Ints
    offsets: Ints
    starts: Ints
    ends: Ints
    charges: Sequence[Charge]

    def take(self, places: Ints) -> Surplus:
        """Return the pieces of the records that have a new place; -1 is none."""
        kept = places[self.rows] >= 0
        counts = np.diff(self.offsets)
        pieces = np.repeat(kept, counts)
        offsets = np.concatenate([[0], np.cumsum(counts[kept])])
        rows = places[self.rows[kept]]
        return replace(
            self,
            rows=rows,
            offsets=offsets,
            starts=self.starts[pieces],
            ends=self.ends[pieces],
        )


def take_back(
    charges: Sequence[Charge], begins: Ints, stops: Ints
) -> tuple[list[Charge], list[Charge]]:
    """Return the charges outside some rising disjoint spans that are one value now, and those inside."""
    kept, taken = [], []
    for charge in charges:
        inside = find_contained(charge.starts, charge.ends, begins, stops)
        if not inside.any():
            kept.append(charge)
            continue
        kept.append(charge.select(~inside))
        taken.append(charge.select(inside))
    return kept, taken


def find_contained(starts: Ints, ends: Ints, outer_starts: Ints, outer_ends: Ints) -> Bools:
    """Return which spans (none of them empty ones) lie within one of some rising disjoint ones."""
    if not outer_starts.size:
        return np.zeros(starts.size, np.bool_)
    owners = np.searchsorted(outer_starts, starts, "right") - 1
    inside: Bools = (owners >= 0) & (ends <= outer_ends.take(owners, mode="clip")) & (ends > starts)
    return inside
