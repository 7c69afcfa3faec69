"""A table in a database file (SQLite, format 3), written in one transaction.

The table is called after its file. In a database that is there already it takes the place of the
table of that name, and the others stay. Text is TEXT; what a step converted to numbers and days is
declared as such: numbers are kept exactly up to fifteen digits, days as ISO 8601.
"""

from __future__ import annotations

import re
import shutil
import sqlite3
import tempfile
from collections.abc import Sequence
from pathlib import Path
from typing import Any, ClassVar

import numpy as np

from wetcomb.core.decimals import MOST_DIGITS, read_decimals
from wetcomb.core.errors import OutputError
from wetcomb.files.columns import CellGrid
from wetcomb.files.formats.writer import WholeWriter, list_columns, map_file

__all__ = ["Database"]

_MOST_COLUMNS = 2000
_DECLARED = {"": "TEXT", "number": "NUMERIC", "date": "DATE", "date-time": "DATETIME"}
_NUMBER = re.compile(r"-?[0-9]+(?:\.[0-9]+)?")
_MOST_WHOLE = 18  # digits that a whole number of 64 bits has room for
_MOST_VALUES = 800  # of one order: many records an order take two thirds of the time of one each


class Database(WholeWriter):
    """One table of a database."""

    what: ClassVar[str] = "a database"

    def __init__(self, title: str, target: Path | None) -> None:
        super().__init__(title)
        self._folder = tempfile.TemporaryDirectory(prefix="wetcomb-")
        self._path = Path(self._folder.name) / "table"
        if target is not None and target.is_file() and target.stat().st_size:
            _check_closed(target)
            shutil.copyfile(target, self._path)
        self._target = target
        # the thread that writes is not the one that began
        self._base = sqlite3.connect(self._path, isolation_level=None, check_same_thread=False)
        self._order = ""

    def write_heading(self, names: Sequence[str], types: Sequence[str] = ()) -> bytes:
        """Make the table."""
        super().write_heading(names, types)
        self.check_names(fold=True)
        if len(names) > _MOST_COLUMNS:
            raise OutputError(
                f"a database has {_MOST_COLUMNS:,} columns at most, and there are {len(names):,}; write csv or parquet, or leave some out (clean --only)"
            )
        table = _quote(self.title)
        columns = ", ".join(
            f"{_quote(name)} {_DECLARED[kind]}"
            for name, kind in zip(self.names, self.types, strict=True)
        )
        self._do("PRAGMA journal_mode = OFF")  # it is a copy; the file is laid down whole
        self._do("PRAGMA synchronous = OFF")
        self._do("BEGIN")
        self._do(f"DROP TABLE IF EXISTS {table}")
        self._do(f"CREATE TABLE {table} ({columns})")
        self._order = f"INSERT INTO {table} VALUES "
        return b""

    def write_rows(self, grid: CellGrid) -> bytes:
        """Write some records."""
        numbers = [column for column, kind in enumerate(self.types) if kind == "number"]
        columns, size = list_columns(grid, numbers)
        self.cell_characters += size
        n_rows, n_columns = grid.starts.shape
        cells: list[Any] = [None] * (n_rows * n_columns)
        for column, kind in enumerate(self.types):
            if kind == "number":
                cells[column::n_columns] = self._read_numbers(grid, column)
            elif kind:
                cells[column::n_columns] = [value or None for value in columns[column]]
            else:
                cells[column::n_columns] = columns[column]
        self._insert(cells, n_columns)
        self.n_rows += n_rows
        return b""

    def _insert(self, cells: list[Any], n_columns: int) -> None:
        """Write records, value by value, many an order."""
        one = f"({', '.join('?' * n_columns)})"
        start = 0
        for n_records in (max(1, _MOST_VALUES // n_columns), 1):
            step = n_records * n_columns
            end = len(cells) - (len(cells) - start) % step
            order = self._order + ", ".join([one] * n_records)
            self._base.executemany(order, (cells[k : k + step] for k in range(start, end, step)))
            start = end

    def write_end(self) -> memoryview:
        """Return the whole file."""
        if not self._order:
            self.write_heading(["records"])
        self._do("COMMIT")
        self._base.close()
        with self._path.open("rb") as file:
            laid = map_file(file)
        self.close()
        return laid

    def close(self) -> None:
        """Take the copy away."""
        self._base.close()
        self._folder.cleanup()

    def _do(self, order: str) -> None:
        try:
            self._base.execute(order)
        except sqlite3.Error as error:
            if self._target is not None and self._path.stat().st_size and "not a database" in str(error):  # fmt: skip
                raise OutputError(
                    f"{self._target}: this file is there already and is no database; name another, or take it away first"
                ) from error
            raise OutputError(f"a table {self.title!r} cannot be made in a database: {error}") from error  # fmt: skip

    def _read_numbers(self, grid: CellGrid, column: int) -> list[str | int | float | None]:
        """Return the numbers of a column; what did not convert stays text, and nothing is none.

        Raises
        ------
        OutputError : a number is too long, or a database would take for one what did not convert
        """
        starts, ends = grid.starts[:, column], grid.ends[:, column]
        rows = np.flatnonzero(starts != ends)
        read, odd = read_decimals(grid.data, starts[rows], ends[rows])
        self.cell_characters += int((ends - starts)[rows].sum())
        if rows.size == starts.size and not odd.size:
            return [*read]
        values: list[str | int | float | None] = [None] * starts.size
        for row, value in zip(rows.tolist(), read, strict=True):
            values[row] = value
        for row in rows[odd].tolist():
            raw = grid.data[int(starts[row]) : int(ends[row])].tobytes()
            text = raw.decode()
            self.cell_characters += len(text) - len(raw)
            values[row] = self._look_at_odd(column, row, text)
        return values

    def _look_at_odd(self, column: int, row: int, value: str) -> str | int | float:
        """Return a number that others of its column left no room for, or a text that a database takes for none."""
        if _NUMBER.fullmatch(value):
            if "." not in value and len(value.lstrip("-0")) <= _MOST_WHOLE:
                return int(value)
            if len(value.replace(".", "").lstrip("-0")) <= MOST_DIGITS:
                return float(value)
            raise self.refuse(
                column, row, value,
                f"has more digits than the {MOST_DIGITS} that a database keeps; leave the column as text",
            )  # fmt: skip
        if _is_float(value):
            raise self.refuse(
                column, row, value,
                "did not convert, and a database would take it for a number; settle it (clean --missing, --fix), or leave the column as text",
            )  # fmt: skip
        return value


def _check_closed(target: Path) -> None:
    """Raise OutputError where some of a database stands in a file beside it: a copy would lack that."""
    for ending in ("-wal", "-journal"):
        beside = target.with_name(target.name + ending)
        if beside.is_file() and beside.stat().st_size:
            raise OutputError(
                f"{target}: some of this database stands in {beside.name} still; close the program that has it open, and try again"
            )


def _is_float(value: str) -> bool:
    try:
        float(value)
    except ValueError:
        return False
    return True


def _quote(name: str) -> str:
    return '"' + name.replace('"', '""') + '"'
