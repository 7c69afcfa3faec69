"""Lines of text, as they are."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from wetcomb.core.errors import UsageError
from wetcomb.core.gather import weave
from wetcomb.core.text import count_characters
from wetcomb.files.columns import CellGrid
from wetcomb.files.formats.writer import Writer, clear_missing

__all__ = ["PlainText"]


class PlainText(Writer):
    """A line for each record, of a table of one column; its name first, where that is part of the text."""

    def __init__(self, has_heading: bool) -> None:
        super().__init__()
        self._has_heading = has_heading

    def write_heading(self, names: Sequence[str], types: Sequence[str] = ()) -> bytes:
        if len(names) != 1:
            raise UsageError(
                f"a text file holds lines, but there are {len(names)} columns ({', '.join(names[:6])}); name a file that ends in .csv, or take one column"
            )
        self.cell_characters += len(names[0])  # else it is told in the account alone
        return names[0].encode() + b"\n" if self._has_heading else b""

    def write_rows(self, grid: CellGrid) -> bytes:
        if not grid.starts.size:
            return b""
        starts, ends = clear_missing(grid)
        codes = np.zeros(starts.size, np.uint8)
        out = weave(grid.data, grid.body_size, starts, ends, codes, [b"\n"])
        self.cell_characters += count_characters(out) - codes.size
        return out.tobytes()
