"""Every piece a record of its own."""

from __future__ import annotations

import numpy as np

from wetcomb.core.arrays import Bytes
from wetcomb.core.cutting.records import Records
from wetcomb.core.snags import SnagRows
from wetcomb.steps.split.lines import Arranged, Lines

__all__ = ["Pieces"]


class Pieces(Lines):
    """A record is a field that is not empty."""

    counts_lines = False

    def arrange(self, records: Records, data: Bytes, n_fields: int) -> Arranged:
        """Return each filled field as a record."""
        ragged, none = records.staying, np.zeros(0, np.int64)
        filled = np.flatnonzero(ragged.ends > ragged.starts)
        lines = np.repeat(np.arange(ragged.stops.size), ragged.counts)[filled]
        made = ragged.pick(filled, np.arange(filled.size + 1), ragged.stops[lines])
        return Arranged(made, SnagRows.gather([]), (none, none))
