"""The lines of a heading that has several, known again where all of them come again."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from wetcomb.core.arrays import Bools, Bytes
from wetcomb.core.cutting.layout import is_rule
from wetcomb.core.cutting.ragged import LineDrops, Ragged
from wetcomb.core.cutting.scanned import Cut

__all__ = ["HeadingLines"]

_BLANK = 0x20  # with all signs below it, spacing


class HeadingLines:
    """What the printed lines of a heading say, spacing aside; of a heading of one line nothing.

    An upper line by itself is no heading: only all of them, one under another, leave. Blank
    lines and rules may stand between them.
    """

    def __init__(self, lines: Sequence[bytes] = ()) -> None:
        self._lines = [b" ".join(line.split()) for line in lines] if len(lines) > 1 else []

    def find(self, data: Bytes, ragged: Ragged) -> tuple[Bools, LineDrops]:
        """Return the lines of a text that are the heading again, and these as lines that leave."""
        again = np.zeros(ragged.stops.size, np.bool_)
        if self._lines and ragged.stops.size:
            firsts = data.take(ragged.record_starts, mode="clip")  # a seldom sign at a line's start
            likely = (firsts == self._lines[-1][0]) | (firsts <= _BLANK)
            for row in np.flatnonzero(likely).tolist():
                again[self._follow_up(data, ragged, row, self._lines)] = True
        return again, LineDrops.of(
            "heading-again", ragged.record_starts[again], ragged.stops[again]
        )

    def take_whole(self, data: Bytes, cut: Cut) -> Cut | None:
        """Return the lines without those at the end that may be the first of a heading that goes on.

        None if no other is left: more of the text is needed.
        """
        ragged = cut.ragged
        for n_lines in range(len(self._lines) - 1, 0, -1):
            last = ragged.stops.size - 1
            while last >= 0 and not _read(data, ragged, last):
                last -= 1
            rows = self._follow_up(data, ragged, last, self._lines[:n_lines]) if last >= 0 else []
            if rows:
                stop = int(ragged.record_starts[rows[-1]])
                before = ragged.select(ragged.stops <= stop)
                return Cut(before, cut.odd, stop) if before.stops.size else None
        return cut

    def _follow_up(
        self, data: Bytes, ragged: Ragged, row: int, lines: Sequence[bytes]
    ) -> list[int]:
        """Return the rows of these lines, the last of which is to stand at one; none if they do not."""
        found: list[int] = []
        for line in reversed(lines):
            while found and row >= 0 and not _read(data, ragged, row):
                row -= 1
            if row < 0 or _read(data, ragged, row) != line:
                return []
            found.append(row)
            row -= 1
        return found


def _read(data: Bytes, ragged: Ragged, row: int) -> bytes:
    """Return what a line says, spacing and page marks aside; nothing if it is a rule."""
    raw = data[ragged.record_starts[row] : ragged.outer_ends[ragged.offsets[row + 1] - 1]].tobytes()
    return b"" if is_rule(raw.strip()) else b" ".join(raw.split())
