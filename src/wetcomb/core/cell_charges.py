"""Cells that leave a table, as charges: what they stand for in the source."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from wetcomb.core.arrays import Ints
from wetcomb.core.ledger import Charge
from wetcomb.core.table import MISSING, Table

__all__ = ["charge_cells"]


def charge_cells(table: Table, rows: Ints, columns: Sequence[int], reason: str) -> list[Charge]:
    """Return the source of cells, as dropped."""
    starts, ends = (
        table.starts[:, columns].astype(np.int64),
        table.ends[:, columns].astype(np.int64),
    )
    mine = starts[rows].ravel(), ends[rows].ravel()
    real = (mine[0] != MISSING) & (mine[1] > mine[0])
    begins, stops = mine[0][real], mine[1][real]
    found = table.text.find_sources(begins, stops)
    return [Charge(reason, found.starts, found.ends)] if found.starts.size else []
