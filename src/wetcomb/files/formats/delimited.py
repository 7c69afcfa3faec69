"""Values parted by a mark: RFC 4180 and its like."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np

from wetcomb.core.arrays import Bools, Bytes, Ints, is_any_of, is_blank, list_positions
from wetcomb.core.gather import find_inside, weave
from wetcomb.core.text import count_characters
from wetcomb.files.columns import CellGrid
from wetcomb.files.formats.writer import Writer, clear_missing, replace_in_rows

__all__ = ["Delimited", "Style"]

_FORMULA = b"=+-@\t\r"  # what a spreadsheet may take for the beginning of one
_GUARD = b"'"
_FIGURE = b"0123456789.,"


class Style(msgspec.Struct, frozen=True):
    """How values are parted, for whoever opens the file.

    Attributes
    ----------
    delimiter : one byte
    line_end : of each record
    mark : bytes in front of all
    guards : a value that a spreadsheet could take for a formula gets an apostrophe in front
    """

    delimiter: bytes = b","
    line_end: bytes = b"\n"
    mark: bytes = b""
    guards: bool = False


class Delimited(Writer):
    """RFC 4180, with LF unless told otherwise: quotes only where a reader would need them, marks inside doubled.

    Spacing at a value's edges is quoted too, for a reader that trims; and so is an empty
    value alone on its line, which would else be a blank line.
    """

    def __init__(self, style: Style) -> None:
        super().__init__()
        self._style = style
        self._special = style.delimiter + b'"\r\n'
        # the text after a value: closing mark of this one, delimiter or line end, mark of the next
        self._texts = [
            b'"' * closes + end + b'"' * opens
            for end in (style.delimiter, style.line_end)
            for closes in (False, True)
            for opens in (False, True)
        ]
        self._is_guarding = False  # the heading is no value of anybody's

    def write_heading(self, names: Sequence[str], types: Sequence[str] = ()) -> bytes:
        raw = [name.encode() for name in names]
        stops = np.cumsum([len(name) for name in raw])
        starts = np.concatenate([[0], stops[:-1]])
        data = np.frombuffer(b"".join(raw), np.uint8)
        heading = self.write_rows(CellGrid(data, data.size, starts[None, :], stops[None, :]))
        self._is_guarding = self._style.guards
        return self._style.mark + heading

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
        if self._is_guarding:
            data, starts, ends = self._guard(data, starts, ends)
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
        ends_size = n_rows * (len(self._style.line_end) - 1)
        added = doubled + 2 * int(quoted.sum()) + codes.size + ends_size
        self.cell_characters += count_characters(out) - added
        return out.tobytes()

    def _guard(self, data: Bytes, starts: Ints, ends: Ints) -> tuple[Bytes, Ints, Ints]:
        """Return values with an apostrophe in front of those that could be taken for formulas."""
        rows = np.flatnonzero(ends > starts)
        rows = rows[is_any_of(data[starts[rows]], _FORMULA)]
        rows = rows[~_is_figure(data, starts[rows], ends[rows])]
        if not rows.size:
            return data, starts, ends
        self.put_in["guard"] = self.put_in.get("guard", 0) + rows.size
        starts, ends = starts.copy(), ends.copy()
        sizes = ends[rows] - starts[rows]
        laid = np.full(int((sizes + 1).sum()), _GUARD[0], np.uint8)
        stops = np.cumsum(sizes + 1)
        laid[list_positions(stops - sizes, stops)] = data[list_positions(starts[rows], ends[rows])]
        starts[rows], ends[rows] = data.size + stops - sizes - 1, data.size + stops
        return np.concatenate([data, laid]), starts, ends


def _is_figure(data: Bytes, starts: Ints, ends: Ints) -> Bools:
    """Return which values are a sign and figures: no formula, whatever opens them."""
    found = [
        len(value) > 1 and value[:1] in b"+-" and not value[1:].strip(_FIGURE) and value[1:2].isdigit()
        for value in (data[a:b].tobytes() for a, b in zip(starts.tolist(), ends.tolist(), strict=True))
    ]  # fmt: skip
    return np.array(found, np.bool_)


def _has_spacing_at_edge(data: Bytes, starts: Ints, ends: Ints) -> Bools:
    if not data.size:
        return np.zeros(starts.size, np.bool_)
    at_edge = is_blank(data.take(starts, mode="clip"))
    at_edge |= is_blank(data.take(ends - 1, mode="clip"))
    return at_edge & (ends > starts)
