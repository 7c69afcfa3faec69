"""What all writers share: grids in, bytes out, and the characters of cells counted.

A writer counts what really stands in the bytes, less what the format itself puts between and
into the cells.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from wetcomb.core.arrays import Bytes, Ints
from wetcomb.core.gather import replace_bytes
from wetcomb.core.table import MISSING
from wetcomb.files.columns import CellGrid

__all__ = ["Writer", "clear_missing", "replace_in_rows"]


class Writer:
    """Turns one table into bytes: its heading, its records as they come, its end.

    A format that can only be written as a whole gives all of its bytes at the end.

    Attributes
    ----------
    cell_characters : characters of cells and headings written so far, what the format adds
        left out
    """

    def __init__(self) -> None:
        self.cell_characters = 0

    def write_heading(self, names: Sequence[str]) -> bytes:
        """Return the bytes of the heading."""
        raise NotImplementedError

    def write_rows(self, grid: CellGrid) -> bytes:
        """Return the bytes of some records."""
        raise NotImplementedError

    def write_end(self) -> bytes:
        """Return the bytes behind the last record."""
        return b""


def replace_in_rows(
    data: Bytes, starts: Ints, ends: Ints, rows: Ints, table: Mapping[int, bytes]
) -> tuple[Bytes, Ints, Ints, int]:
    """Return text and spans with bytes replaced in some values, and how many were added."""
    starts, ends = starts.copy(), ends.copy()
    data, starts[rows], ends[rows], added = replace_bytes(data, starts[rows], ends[rows], table)
    return data, starts, ends, added


def clear_missing(grid: CellGrid) -> tuple[Ints, Ints]:
    """Return all spans in writing order, missing ones as empty."""
    starts, ends = grid.starts.ravel(), grid.ends.ravel()
    is_missing = starts == MISSING
    if not is_missing.any():
        return starts, ends
    return np.where(is_missing, 0, starts), np.where(is_missing, 0, ends)
