"""Values that hold for the records below, until another comes."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from msgspec.structs import replace

from wetcomb.core.cutting.ragged import LineDrops
from wetcomb.core.ledger import LINE_DROPS
from wetcomb.core.table import Table

__all__ = ["Carrier"]

_ENDS = ("group-line", "total-line")  # behind which nothing is carried


class Carrier:
    """Carries values down, from one piece of a table to the next."""

    def __init__(self) -> None:
        self._last: list[bytes] = []

    def carry(self, table: Table, columns: Sequence[int], drops: LineDrops | None) -> Table:
        """Return the table with blank cells filled by the value above; a new outer value ends the inner ones."""
        self._last = self._last or [b""] * len(columns)
        breaks = _find_breaks(table, drops)
        starts, ends = table.starts.copy(), table.ends.copy()
        waiting: dict[bytes, list[tuple[int, int]]] = {}
        raw = table.text.data
        values = [(starts[:, column].tolist(), ends[:, column].tolist()) for column in columns]
        for row in range(table.n_records):
            if row in breaks:
                self._last = [b""] * len(columns)
            for depth, column in enumerate(columns):
                begin, end = values[depth][0][row], values[depth][1][row]
                if end > begin:
                    self._last[depth] = raw[begin:end].tobytes()
                    for inner in range(depth + 1, len(columns)):
                        self._last[inner] = b""
                elif self._last[depth]:
                    waiting.setdefault(self._last[depth], []).append((row, column))
        if not waiting:
            return table
        text, begins, stops = table.text.repeat([*waiting], "carried")
        for cells, begin, end in zip(
            waiting.values(), begins.tolist(), stops.tolist(), strict=True
        ):
            rows, places = [row for row, _ in cells], [column for _, column in cells]
            starts[rows, places], ends[rows, places] = begin, end
        return replace(table, text=text, starts=starts, ends=ends, surplus=None)


def _find_breaks(table: Table, drops: LineDrops | None) -> set[int]:
    """Return the records that a group or total line stands before."""
    if drops is None or not drops.starts.size:
        return set()
    codes = [LINE_DROPS.index(name) for name in _ENDS]
    mine = np.isin(drops.reasons, codes)
    rows = np.searchsorted(table.record_starts, drops.starts[mine])
    return set(rows.tolist())
