"""What all writers share: grids in, bytes out, and the characters of cells counted.

A writer counts what really stands in the bytes, less what the format itself puts between and
into the cells. One whose format keeps numbers and days as such counts the values it hands on.
"""

from __future__ import annotations

import mmap
from collections.abc import Mapping, Sequence
from importlib import import_module
from typing import IO, Any, ClassVar

import numpy as np

from wetcomb.core.arrays import Bytes, Ints
from wetcomb.core.errors import OutputError, UsageError
from wetcomb.core.gather import find_inside, replace_bytes, weave
from wetcomb.core.table import MISSING
from wetcomb.core.text import count_characters
from wetcomb.files.columns import CellGrid

__all__ = [
    "WholeWriter", "Writer", "clear_missing", "escape_values", "import_extra", "list_columns", "map_file", "replace_in_rows",
]  # fmt: skip

_SEPARATORS = b"\x1f\x1e\x1d\x1c\x00"  # one that stands in no value parts them for a moment


class Writer:
    """Turns one table into bytes: its heading, its records as they come, its end.

    A format that can only be written as a whole gives all of its bytes at the end.

    Attributes
    ----------
    cell_characters : characters of cells and headings written so far, what the format adds
        left out
    put_in : characters that it added to values on purpose, by name, since that was last taken
    is_whole : its bytes come all at the end, from one process
    """

    is_whole: ClassVar[bool] = False

    def __init__(self) -> None:
        self.cell_characters = 0
        self.put_in: dict[str, int] = {}

    def write_heading(self, names: Sequence[str], types: Sequence[str] = ()) -> bytes:
        """Return the bytes of the heading.

        Parameters
        ----------
        types : of the columns, as a table says them; none where all are text
        """
        raise NotImplementedError

    def write_rows(self, grid: CellGrid) -> bytes:
        """Return the bytes of some records."""
        raise NotImplementedError

    def write_end(self) -> bytes | memoryview:
        """Return the bytes behind the last record."""
        return b""

    def close(self) -> None:
        """Leave nothing behind, whether the end was written or not."""


class WholeWriter(Writer):
    """A writer of a format whose bytes come all at the end, made with a library.

    Attributes
    ----------
    title : what the table is called
    names, types : of its columns
    n_rows : records written so far
    """

    is_whole = True
    what: ClassVar[str] = ""

    def __init__(self, title: str) -> None:
        super().__init__()
        self.title, self.n_rows = title, 0
        self.names: list[str] = []
        self.types: list[str] = []

    def write_heading(self, names: Sequence[str], types: Sequence[str] = ()) -> bytes:
        """Take note of the columns; the bytes come at the end."""
        self.cell_characters += sum(map(len, names))
        self.names, self.types = list(names), list(types or [""] * len(names))
        return b""

    def check_names(self, *, fold: bool = False) -> None:
        """Raise OutputError where two columns would be one."""
        seen: dict[str, str] = {}
        for name in self.names:
            key = name.casefold() if fold else name
            if key in seen:
                both = f"{seen[key]!r} and {name!r}" if seen[key] != name else f"{name!r} twice"
                raise OutputError(
                    f"{self.what} cannot hold columns called {both}; call one otherwise (clean --rename OLD=NEW)"
                )
            seen[key] = name

    def refuse(self, column: int, row: int, value: str, why: str) -> OutputError:
        """Return the error for a value that the format cannot hold.

        Parameters
        ----------
        row : from 0, among those of this grid
        """
        shown = value if len(value) <= 40 else value[:40] + "..."
        return OutputError(
            f"column {self.names[column]!r}, record {self.n_rows + row + 1:,}: {shown!r} {why}"
        )


def import_extra(name: str, extra: str) -> Any:
    """Return a module that only some formats need.

    Raises
    ------
    UsageError : it is not installed
    """
    try:
        return import_module(name)
    except ImportError as error:
        package = name.partition(".")[0]
        raise UsageError(
            f"{extra} needs {package}, which is not installed: pip install 'wetcomb[{extra}]'"
        ) from error


def map_file(file: IO[bytes]) -> memoryview:
    """Return the bytes of a file without reading them at once."""
    file.flush()
    return memoryview(mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ))


def list_columns(grid: CellGrid, skipped: Sequence[int] = ()) -> tuple[list[list[str | None]], int]:
    """Return the values of each column, None where one is missing; and the characters of all.

    Columns of values that stand in the text are read together; one of built values, which stand
    apart in the order of the records, by itself; those that are skipped, not at all.
    """
    free = next((sign for sign in _SEPARATORS if not (grid.data == sign).any()), None)
    n_columns = grid.starts.shape[1]
    is_built = np.any(grid.ends > grid.body_size, axis=0).tolist()
    columns: list[list[str | None]] = [[]] * n_columns
    n_characters = 0
    wanted = [column for column in range(n_columns) if column not in skipped]
    groups = [[column for column in wanted if not is_built[column]]]
    groups += [[column] for column in wanted if is_built[column]]
    for group in groups:
        if not group:
            continue
        values, size = _list_values(_take_columns(grid, group), free)
        n_characters += size
        for place, column in enumerate(group):
            columns[column] = values[place :: len(group)]
            gone = np.flatnonzero(grid.starts[:, column] == MISSING)
            for row in gone.tolist():
                columns[column][row] = None
    return columns, n_characters


def _take_columns(grid: CellGrid, columns: Sequence[int]) -> CellGrid:
    starts, ends = grid.starts[:, columns], grid.ends[:, columns]
    return CellGrid(grid.data, grid.body_size, starts, ends)


def _list_values(grid: CellGrid, free: int | None) -> tuple[list[str | None], int]:
    """Return the values of all cells, record by record, and their characters.

    Parameters
    ----------
    free : a sign that stands in none of them, if there is one
    """
    starts, ends = clear_missing(grid)
    if not starts.size:
        return [], 0
    if free is None:
        data = grid.data.tobytes()
        spans = zip(starts.tolist(), ends.tolist(), strict=True)
        values = [data[start:end].decode() for start, end in spans]
        return [*values], sum(map(len, values))
    codes = np.zeros(starts.size, np.uint8)
    laid = weave(grid.data, grid.body_size, starts, ends, codes, (bytes([free]),))
    values = laid.tobytes().decode().split(chr(free))
    values.pop()
    return values, count_characters(laid) - starts.size  # type: ignore[return-value]


def escape_values(grid: CellGrid, escapes: Mapping[int, bytes]) -> tuple[Bytes, Ints, Ints, int]:
    """Return text and spans of all values with bytes replaced, and how many were added."""
    starts, ends = clear_missing(grid)
    cells, _ = find_inside(grid.data, grid.body_size, starts, ends, bytes(escapes))
    if not cells.size:
        return grid.data, starts, ends, 0
    rows = np.flatnonzero(np.bincount(cells))
    return replace_in_rows(grid.data, starts, ends, rows, escapes)


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
