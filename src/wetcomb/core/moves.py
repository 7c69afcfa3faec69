"""What became of the cells of records that were read anew: moved, left blank, merged, doubtful."""

from __future__ import annotations

from collections.abc import Callable

import msgspec
import numpy as np

from wetcomb.core.arrays import Bools, Bytes, Ints

__all__ = ["AS_CUT", "BLANK", "CELL_STATES", "DOUBTFUL", "MERGED", "MOVED", "Move", "Moves"]

#: What can have become of a cell; its place is its code.
CELL_STATES = ("as cut", "moved", "left blank", "merged", "doubtful")
AS_CUT, MOVED, BLANK, MERGED, DOUBTFUL = range(5)


class Move(msgspec.Struct, frozen=True):
    """One record that was read anew, to be told.

    Attributes
    ----------
    first_line, last_line : its source lines, from 1
    before : its pieces as they were cut
    after : its cells as they stand now, None where one is missing
    states : what became of each cell, code of `CELL_STATES`
    reason : why, in words
    source : name of the source, where there are several
    """

    first_line: int
    last_line: int
    before: tuple[str, ...]
    after: tuple[str | None, ...]
    states: tuple[int, ...]
    reason: str
    source: str = ""


class Moves(msgspec.Struct, frozen=True, eq=False):
    """The records of a table that were read anew, M of them.

    Attributes
    ----------
    rows : (M,) int64, rising
    states : (M, F) uint8, codes of `CELL_STATES`; a record that stays has nothing but doubtful cells
    is_changed : (M,) bool, records some cell of which is another now; the others are doubtful, or
        have no more than missing cells at their end
    tell : makes one of them (0 to M - 1) a `Move`
    """

    rows: Ints
    states: Bytes
    is_changed: Bools
    tell: Callable[[int], Move]

    @property
    def changed(self) -> Ints:
        """Which of them were changed, as places in `rows`."""
        return np.flatnonzero(self.is_changed)

    @property
    def settled(self) -> Ints:
        """Which of them fit now, as places in `rows`."""
        return np.flatnonzero(np.logical_or.reduce(self.states != DOUBTFUL, axis=1))

    @property
    def doubtful(self) -> Ints:
        """Which of them stay as they were cut, as places in `rows`."""
        return np.flatnonzero(np.logical_and.reduce(self.states == DOUBTFUL, axis=1))
