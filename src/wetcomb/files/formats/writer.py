"""What all writers share: grids in, bytes out, and the characters of cells counted.

A writer counts what really stands in the bytes, less what the format itself puts between and
into the cells. One whose format keeps numbers and days as such counts the values it hands on.
"""

from __future__ import annotations

import mmap
from collections.abc import Iterator, Mapping, Sequence
from importlib import import_module
from typing import IO, Any, ClassVar

import numpy as np

from wetcomb.core.arrays import Bytes, Ints
from wetcomb.core.errors import OutputError, UsageError
from wetcomb.core.gather import replace_bytes, weave
from wetcomb.core.table import MISSING
from wetcomb.core.text import count_characters
from wetcomb.files.columns import CellGrid

__all__ = [
    "WholeWriter",
    "Writer",
    "clear_missing",
    "import_extra",
    "list_values",
    "map_file",
    "replace_in_rows",
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


def list_values(grid: CellGrid) -> tuple[list[str | None], int]:
    """Return the values of all cells, record by record, None where one is missing; and their characters."""
    starts, ends = clear_missing(grid)
    if not starts.size:
        return [], 0
    there = np.bincount(grid.data, minlength=256)
    free = next((sign for sign in _SEPARATORS if not there[sign]), None)
    values: list[str | None]
    if free is None:
        data = grid.data.tobytes()
        spans = zip(starts.tolist(), ends.tolist(), strict=True)
        values = [data[start:end].decode() for start, end in spans]
        size = sum(len(value or "") for value in values)
    else:
        codes = np.zeros(starts.size, np.uint8)
        laid = weave(grid.data, grid.body_size, starts, ends, codes, (bytes([free]),))
        values = [*laid.tobytes().decode().split(chr(free))]
        values.pop()
        size = count_characters(laid) - starts.size
    for place in np.flatnonzero(grid.starts.ravel() == MISSING).tolist():
        values[place] = None
    return values, size


def part_rows(values: Sequence[Any], n_columns: int) -> Iterator[tuple[Any, ...]]:
    """Yield records of a list of all their values."""
    return zip(*[iter(values)] * n_columns, strict=True)


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
