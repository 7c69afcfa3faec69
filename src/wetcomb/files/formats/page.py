"""A table as a page of HTML that stands for itself: heading in sight, numbers to the right."""

from __future__ import annotations

from collections.abc import Sequence
from html import escape

import numpy as np

from wetcomb.core.gather import weave
from wetcomb.core.table import MISSING
from wetcomb.core.text import count_characters
from wetcomb.files.columns import CellGrid
from wetcomb.files.formats.writer import Writer, escape_values

__all__ = ["Page"]

_ESCAPES = {ord(sign): escape(sign).encode() for sign in "&<>"}
_HEAD = """\
<!doctype html>
<html><head><meta charset="utf-8"><meta name="viewport" content="width=device-width">
<title>{title}</title>
<style>
:root {{ color-scheme: light dark; }}
body {{ margin: 1.5rem; font: 15px/1.45 system-ui, sans-serif; }}
table {{ border-collapse: collapse; }}
th, td {{ padding: .3rem .8rem; text-align: left; vertical-align: top; white-space: pre-wrap; border-bottom: 1px solid #8885; }}
th {{ position: sticky; top: 0; background: Canvas; border-bottom: 2px solid; }}
.number {{ text-align: right; font-variant-numeric: tabular-nums; }}
.missing {{ background: #8882; }}
tbody tr:hover {{ background: #8882; }}
</style></head>
<body><table>
<thead><tr>{heading}</tr></thead>
<tbody>
"""
_END = b"</tbody>\n</table></body></html>\n"


class Page(Writer):
    """One table on a page; a missing cell is shaded."""

    def __init__(self, title: str) -> None:
        super().__init__()
        self._title = title
        self._opens: list[tuple[bytes, bytes]] = []  # of each column's cells, and of missing ones

    def write_heading(self, names: Sequence[str], types: Sequence[str] = ()) -> bytes:
        self.cell_characters += sum(map(len, names))
        kinds = types or [""] * len(names)
        cells = []
        for name, kind in zip(names, kinds, strict=True):
            marks = " class=number" * (kind == "number")
            cells.append(f"<th{marks}>{escape(name, quote=False)}</th>")
            self._opens.append((f"<td{marks}>".encode(), b"<td class=missing>"))
        heading = "".join(cells)
        return _HEAD.format(title=escape(self._title), heading=heading).encode()

    def write_rows(self, grid: CellGrid) -> bytes:
        n_rows, n_columns = grid.starts.shape
        if not n_rows:
            return b""
        is_missing = (grid.starts == MISSING).ravel()
        data, starts, ends, added = escape_values(grid, _ESCAPES)
        texts = []
        for column in range(n_columns):
            is_last = column == n_columns - 1
            between = b"</td></tr>\n<tr>" if is_last else b"</td>"
            texts += [between + mark for mark in self._opens[0 if is_last else column + 1]]
        codes = 2 * np.tile(np.arange(n_columns), n_rows) + np.append(is_missing[1:], False)
        out = weave(data, grid.body_size, starts, ends, codes, texts)
        first = b"<tr>" + self._opens[0][int(is_missing[0])]
        tail = len(b"<tr>" + self._opens[0][0])  # what follows a record opens the next one
        sizes = np.array([len(text) for text in texts])
        self.cell_characters += count_characters(out) - int(sizes[codes].sum()) - added
        return first + out[:-tail].tobytes()

    def write_end(self) -> bytes:
        return _END
