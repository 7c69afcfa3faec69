"""Values parted by a mark: RFC 4180 and its like."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from wetcomb.core.arrays import Bools, Bytes, Ints, is_blank
from wetcomb.core.gather import find_inside, weave
from wetcomb.core.text import count_characters
from wetcomb.files.columns import CellGrid
from wetcomb.files.formats.writer import Writer, clear_missing, replace_in_rows

__all__ = ["Delimited"]


class Delimited(Writer):
    """RFC 4180 with LF: quotes only where a reader would need them, marks inside doubled.

    Spacing at a value's edges is quoted too, for a reader that trims; and so is an empty
    value alone on its line, which would else be a blank line.
    """

    def __init__(self, delimiter: bytes) -> None:
        super().__init__()
        self._delimiter = delimiter
        self._special = delimiter + b'"\r\n'
        # the text after a value: closing mark of this one, delimiter or line end, mark of the next
        self._texts = [
            b'"' * closes + end + b'"' * opens
            for end in (delimiter, b"\n")
            for closes in (False, True)
            for opens in (False, True)
        ]

    def write_heading(self, names: Sequence[str]) -> bytes:
        raw = [name.encode() for name in names]
        stops = np.cumsum([len(name) for name in raw])
        starts = np.concatenate([[0], stops[:-1]])
        data = np.frombuffer(b"".join(raw), np.uint8)
        return self.write_rows(CellGrid(data, data.size, starts[None, :], stops[None, :]))

    def write_rows(self, grid: CellGrid) -> bytes:
        n_rows, n_columns = grid.starts.shape
        if not n_rows:
            return b""
        data = grid.data
        starts, ends = clear_missing(grid)
        cells, places = find_inside(data, grid.body_size, starts, ends, self._special)
        quoted = _has_spacing_at_edge(data, starts, ends)
        quoted[cells] = True
        if n_columns == 1:
            quoted |= ends == starts
        marked = cells[data[places] == ord('"')]
        doubled = 0
        if marked.size:
            rows = np.flatnonzero(np.bincount(marked))
            data, starts, ends, doubled = replace_in_rows(
                data, starts, ends, rows, {ord('"'): b'""'}
            )
        codes = 2 * quoted.view(np.uint8)
        codes[:-1] += quoted[1:]
        codes[n_columns - 1 :: n_columns] += 4
        out = weave(data, grid.body_size, starts, ends, codes, self._texts)
        if quoted[0]:
            out = np.concatenate([np.frombuffer(b'"', np.uint8), out])
        added = doubled + 2 * int(quoted.sum()) + codes.size
        self.cell_characters += count_characters(out) - added
        return out.tobytes()


def _has_spacing_at_edge(data: Bytes, starts: Ints, ends: Ints) -> Bools:
    if not data.size:
        return np.zeros(starts.size, np.bool_)
    at_edge = is_blank(data.take(starts, mode="clip"))
    at_edge |= is_blank(data.take(ends - 1, mode="clip"))
    return at_edge & (ends > starts)
