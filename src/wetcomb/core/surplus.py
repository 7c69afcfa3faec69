"""The pieces of `rest`: how what no column could take was cut, kept for steps that can use it."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np

from wetcomb.core.arrays import Bools, Ints
from wetcomb.core.ledger import Charge
from wetcomb.core.proof import list_inner_charges
from wetcomb.core.ragged import Ragged
from wetcomb.core.specials import CutRules
from wetcomb.core.text import Text

__all__ = ["Surplus", "find_contained", "find_surplus"]


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
        return Surplus(rows, offsets, self.starts[pieces], self.ends[pieces], self.charges)


def find_surplus(
    text: Text,
    rows: Ints,
    cut: tuple[Ragged, Ragged, Ragged | None],
    rests: tuple[Ints, Ints],
    rules: CutRules,
    n_fields: int,
) -> tuple[Ragged, list[Charge]]:
    """Return the pieces of long records behind their columns, and what stands between them.

    Parameters
    ----------
    rows : the long records
    cut : all records as they were cut, the same with the pieces that leave them, and these
    rests : where the rest of each long record stands
    """
    ragged, proved, gone = cut
    is_long = np.zeros(ragged.stops.size, np.bool_)
    is_long[rows] = True
    ragged, proved = ragged.select(is_long), proved.select(is_long)
    owners = np.repeat(np.arange(rows.size), ragged.counts)
    places = np.arange(owners.size) - ragged.offsets[owners]
    is_over = (places >= n_fields) & (ragged.starts < rests[1][owners])
    charges = list_inner_charges(text, proved, rules)
    if gone is not None:
        filled = gone.ends > gone.starts
        charges.append(Charge("dropped-piece", gone.starts[filled], gone.ends[filled]))
    inside = []
    for reason, starts, ends in charges:
        kept = find_contained(starts, ends, *rests)
        inside.append(Charge(reason, starts[kept], ends[kept]))
    return ragged.without_fields(~is_over), [charge for charge in inside if charge.starts.size]


def find_contained(starts: Ints, ends: Ints, outer_starts: Ints, outer_ends: Ints) -> Bools:
    """Return which spans (none of them empty ones) lie within one of some rising disjoint ones."""
    if not outer_starts.size:
        return np.zeros(starts.size, np.bool_)
    owners = np.searchsorted(outer_starts, starts, "right") - 1
    inside: Bools = (owners >= 0) & (ends <= outer_ends.take(owners, mode="clip")) & (ends > starts)
    return inside
