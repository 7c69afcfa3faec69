"""A table that is read with one set of options after another, to find the one that reads most.

What does not depend on the options is made once: the pieces side by side, and their digests.
"""

from __future__ import annotations

import msgspec
import numpy as np

from wetcomb.core.arrays import Bools, Bytes, Ints, Spans, is_among, sort_unique
from wetcomb.core.table import MISSING, Table
from wetcomb.match.digests import Reader
from wetcomb.steps.realign.found import BestReadings, read_matrix
from wetcomb.steps.realign.laid_pieces import find_pieces
from wetcomb.steps.realign.laying import COUNT_SNAGS
from wetcomb.steps.realign.options import Realign
from wetcomb.steps.realign.profiles import Bounds, Profile, look_at_column
from wetcomb.steps.realign.readings import MOST_PIECES, MOST_TAKEN

__all__ = ["Reread", "Rereader"]


class Reread(msgspec.Struct, frozen=True, eq=False):
    """The S records that a set of options settles.

    Attributes
    ----------
    rows : (S,) int64, rising
    takes : (S, F) uint8, how many pieces each column takes
    starts, ends : (S, F) int32, the cells, -1 where one is missing
    """

    rows: Ints
    takes: Bytes
    starts: Spans
    ends: Spans


class Rereader:
    """The records of one table, ready to be read with any options that ask nothing of neighbours."""

    def __init__(self, table: Table) -> None:
        self._table = table
        reader = Reader(table.text.data)
        columns = [look_at_column(reader, table, place) for place in range(len(table.names))]
        self._look = columns.__getitem__  # their digests are kept
        self._is_miscounted: Bools = table.rest_starts != MISSING
        snags = table.snags
        self._is_miscounted[snags.records[is_among(snags.kinds, COUNT_SNAGS)]] = True
        laid = find_pieces(table, np.arange(table.n_records), ())
        most = min(MOST_PIECES, MOST_TAKEN * len(table.names))
        self._matrices = []
        for n_pieces in sort_unique(laid.counts).tolist():
            if 0 < n_pieces <= most:
                rows = np.flatnonzero(laid.counts == n_pieces)
                matrix = laid.matrix(reader, rows, n_pieces, Bounds({}, {}))
                self._matrices.append((rows, matrix))

    def read(self, options: Realign) -> Reread:
        """Return what `realign` settles with these options, which name no rising columns or particles."""
        profile = Profile(options, self._table.names)
        n_records = self._table.n_records
        odd = profile.find_odd_cells(self._look, n_records) | self._is_miscounted
        found = BestReadings.none(n_records, len(self._table.names))
        for rows, matrix in self._matrices:
            if odd[rows].any():
                found.put(rows, read_matrix(profile, matrix))
        settled = np.flatnonzero(odd & found.is_taken)
        return Reread(settled, found.takes[settled], found.starts[settled], found.ends[settled])
