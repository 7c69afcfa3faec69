"""What became of every cell of a table, gathered to be drawn: records by columns."""

from __future__ import annotations

import msgspec
import numpy as np

from wetcomb.core.arrays import Bytes, sort_unique
from wetcomb.core.batch import Batch
from wetcomb.core.moves import AS_CUT, DOUBTFUL

__all__ = ["CellMap"]

_MOST = 1 << 20  # records that are drawn; of more, the first


class CellMap(msgspec.Struct):
    """The states of the cells of all records, in order; bounded in size."""

    names: tuple[str, ...] = ()
    n_records: int = 0
    n_moved: int = 0
    n_doubtful: int = 0
    parts: list[Bytes] = msgspec.field(default_factory=list)

    def add(self, batch: Batch) -> None:
        """Take the records of one chunk."""
        table, moves = batch.table, batch.moves
        if table is None:
            return
        self.names = table.names
        room = min(table.n_records, max(0, _MOST - self.n_records))
        states = np.full((table.n_records, len(table.names)), AS_CUT, np.uint8)
        if moves is not None:
            states[moves.rows] = moves.states
            self.n_moved += moves.changed.size
        odd = sort_unique(table.snags.records)
        states[odd] = DOUBTFUL
        self.n_doubtful += odd.size
        self.parts.append(states[:room])
        self.n_records += table.n_records

    @property
    def states(self) -> Bytes:
        """(R, F) uint8, codes of `CELL_STATES`."""
        none = np.zeros((0, len(self.names)), np.uint8)
        return np.concatenate([none, *self.parts])
