"""--slide: the values of one column, from a record on, moved down or up by some records.

A list that was copied with a cell too few or too many stands beside the wrong records from there to its
end. All of the table must be in hand for that.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
from msgspec.structs import replace

from wetcomb.core.errors import InputError
from wetcomb.core.table import MISSING, Table
from wetcomb.steps.realign.options import Shift

__all__ = ["slide_values"]


def slide_values(
    table: Table, slides: Sequence[Shift], find_column: Callable[[str, str], int]
) -> tuple[Table, list[str]]:
    """Return a table with the values of some columns moved to other records, and what is told of it.

    Raises
    ------
    InputError : no record stands in the line, or values would stand over others or leave the table
    UsageError : there is no such column
    """
    notes = []
    for slide in slides:
        column = find_column(slide.column, "slide")
        lines, _ = table.line_numbers(np.arange(table.n_records))
        row = int(np.searchsorted(lines, slide.line))
        if row >= table.n_records or lines[row] != slide.line:
            raise InputError(f"--slide {slide.key}: no record begins there", line=slide.line)
        table, n_moved = _slide(table, column, row, slide)
        notes.append(
            f"--slide {slide.key}: {n_moved} values of {table.names[column]} moved {'down' if slide.by > 0 else 'up'}"
        )
    return table, notes


def _slide(table: Table, column: int, row: int, slide: Shift) -> tuple[Table, int]:
    """Return a table with the values of a column from a row on moved by some rows."""
    starts, ends = table.starts.copy(), table.ends.copy()
    n_rows, by = table.n_records, slide.by
    is_filled = ends[:, column] > starts[:, column]
    filled = row + np.flatnonzero(is_filled[row:])
    targets = filled + by
    if not filled.size:
        raise InputError(
            f"--slide {slide.key}: nothing stands in it from there on", line=slide.line
        )
    if targets[-1] >= n_rows:
        said = f"the last values would leave the table; it ends {targets[-1] - n_rows + 1} records too early"
        raise InputError(f"--slide {slide.key}: {said}", line=slide.line)
    if targets[0] < 0 or is_filled[np.arange(max(0, row + by), row)].any():
        raise InputError(
            f"--slide {slide.key}: the cells above are not empty; no value is moved over another",
            line=slide.line,
        )
    moved = starts[filled, column], ends[filled, column]
    starts[row:, column] = ends[row:, column] = MISSING
    starts[targets, column], ends[targets, column] = moved
    return replace(table, starts=starts, ends=ends), int(filled.size)
