"""Spreadsheets (Office Open XML, ECMA-376), by openpyxl's way of writing a record at a time.

Text stays text: nothing that a value begins with makes a formula, an error or a number of it. What a
step converted to numbers and days is written as such. A spreadsheet keeps fifteen digits of a number
and no day before March 1900; what it would change or cut is refused.
"""

from __future__ import annotations

import re
import tempfile
from collections.abc import Callable, Iterable, Sequence
from datetime import date, datetime
from itertools import count
from typing import Any, ClassVar

from wetcomb.core.errors import OutputError
from wetcomb.files.columns import CellGrid
from wetcomb.files.formats.writer import (
    WholeWriter,
    import_extra,
    list_columns,
    map_file,
)  # fmt: skip

__all__ = ["Workbook"]

_MOST_ROWS, _MOST_COLUMNS, _MOST_SIGNS = 1_048_576, 16_384, 32_767
_MOST_DIGITS = 15
_FIRST_DAY = "1900-03-01"  # before it spreadsheets count a day that there was not
_NARROW, _WIDE, _LOOKED_AT = 6, 60, 1000  # signs of a column's width; records that settle it
#: What XML cannot hold, and what would be read as standing for such (ECMA-376 part 1, 22.9.2.19).
_ODD = re.compile("[\x00-\x08\x0b-\x1f\ufffe\uffff]|_(?=x[0-9A-Fa-f]{4}_)")
_NUMBER = re.compile(r"-?[0-9]+(?:\.[0-9]+)?")
_NO_TITLE = re.compile(r"[\[\]:*?/\\\x00-\x1f]")


class Workbook(WholeWriter):
    """One sheet: the heading stands still, columns are as wide as what is in them."""

    what: ClassVar[str] = "a spreadsheet"

    def __init__(self, title: str) -> None:
        super().__init__(title)
        self._openpyxl = import_extra("openpyxl", "xlsx")
        self._cells = import_extra("openpyxl.cell", "xlsx")
        self._book = self._openpyxl.Workbook(write_only=True)
        name = _NO_TITLE.sub("-", title).strip("'")[:31] or "records"
        self._sheet = self._book.create_sheet(name)
        self._has_begun = False
        self._makers: list[Callable[[str, int], Any] | None] = []

    def write_heading(self, names: Sequence[str], types: Sequence[str] = ()) -> bytes:
        """Take note of the columns; their width is settled by the first records."""
        super().write_heading(names, types)
        if len(names) > _MOST_COLUMNS:
            raise OutputError(
                f"a spreadsheet has {_MOST_COLUMNS:,} columns at most, and there are {len(names):,}; write csv, or leave some out (clean --only)"
            )
        made = {"number": self._make_number, "date": self._make_date, "date-time": self._make_date}
        self._makers = [
            made[kind](column) if kind else None for column, kind in enumerate(self.types)
        ]
        return b""

    def write_rows(self, grid: CellGrid) -> bytes:
        """Write some records."""
        values, size = list_columns(grid)
        self.cell_characters += size
        n_rows = len(grid.starts)
        if self.n_rows + n_rows >= _MOST_ROWS:
            raise OutputError(
                f"a spreadsheet has {_MOST_ROWS:,} rows at most, and there are more; write csv or parquet, or hand in a part at a time (--lines)"
            )
        self._begin(values)
        longest = int((grid.ends - grid.starts).max(initial=0))
        columns: list[Iterable[Any]] = [*values]
        for column, mine in enumerate(values):
            if longest > _MOST_SIGNS:
                self._check_lengths(column, mine)
            self._make_text(mine)
        for column, make in enumerate(self._makers):
            if make is not None:  # one by one: a cell is written before the next one is made
                columns[column] = map(make, columns[column], count())
        for row in zip(*columns, strict=True):
            self._sheet.append(row)
        self.n_rows += n_rows
        return b""

    def write_end(self) -> memoryview:
        """Return the whole file."""
        self._begin([[] for _ in self.names])
        with tempfile.TemporaryFile() as file:
            self._book.save(file)
            return map_file(file)

    def _begin(self, values: Sequence[Sequence[str | None]]) -> None:
        """Write the heading, if it does not stand there yet, above columns as wide as they need."""
        if self._has_begun:
            return
        self._has_begun = True
        self._sheet.freeze_panes = "A2"
        letter = import_extra("openpyxl.utils", "xlsx").get_column_letter
        for column, name in enumerate(self.names):
            longest = max((len(value) for value in values[column][:_LOOKED_AT] if value), default=0)
            width = min(max(longest, len(name), _NARROW), _WIDE) + 2
            self._sheet.column_dimensions[letter(column + 1)].width = width
        bold = import_extra("openpyxl.styles", "xlsx").Font(bold=True)
        heading = []
        for name in self.names:
            cell = self._cell(_escape(name), "s")
            cell.font = bold
            heading.append(cell)
        self._sheet.append(heading)

    def _make_text(self, values: list[Any]) -> None:
        """Make texts of values that the library would take for something else, or cannot write."""
        for place, value in enumerate(values):
            if value and (value[0] in "=#" or not value.isprintable() or "_x" in value):
                values[place] = self._cell(_escape(value), "s")

    def _cell(self, value: Any, kind: str) -> Any:
        cell = self._cells.WriteOnlyCell(self._sheet)
        cell.value = value
        cell.data_type = kind
        return cell

    def _make_number(self, column: int) -> Callable[[Any, int], Any]:
        """Return what makes a cell of a number, shown with the decimals that it has."""
        cells: dict[int, Any] = {}

        def make(value: Any, row: int) -> Any:
            if not isinstance(value, str) or not _NUMBER.fullmatch(value):
                return value
            whole, _, decimals = value.partition(".")
            n_digits = len((whole + decimals).lstrip("-0"))
            if n_digits > _MOST_DIGITS:
                raise self.refuse(
                    column, row, value,
                    f"has more digits than the {_MOST_DIGITS} that a spreadsheet keeps; leave the column as text",
                )  # fmt: skip
            if not decimals:
                return int(value)
            cell = cells.get(len(decimals))
            if cell is None:
                cell = cells[len(decimals)] = self._cells.WriteOnlyCell(self._sheet)
                cell.number_format = "0." + "0" * len(decimals)
            cell.value = float(value)
            return cell

        return make

    def _make_date(self, column: int) -> Callable[[Any, int], Any]:
        """Return what makes a day of a text."""
        has_time = self.types[column] == "date-time"

        def make(value: Any, row: int) -> Any:
            if not isinstance(value, str):
                return value
            try:
                made = datetime.fromisoformat(value) if has_time else date.fromisoformat(value)
            except ValueError:  # it did not convert, and stays text
                return value
            if value < _FIRST_DAY:
                raise self.refuse(
                    column, row, value,
                    "is before the first day that a spreadsheet knows, 1 March 1900; leave the column as text",
                )  # fmt: skip
            return made

        return make

    def _check_lengths(self, column: int, values: Sequence[str | None]) -> None:
        for row, value in enumerate(values):
            if value and len(value.encode("utf-16-le")) // 2 > _MOST_SIGNS:
                raise self.refuse(
                    column, row, value,
                    f"is longer than the {_MOST_SIGNS:,} characters that a cell of a spreadsheet holds; write csv or parquet",
                )  # fmt: skip


def _escape(value: str) -> str:
    """Return a text with what XML cannot hold written as the standard has it."""
    return _ODD.sub(lambda found: f"_x{ord(found[0]):04X}_", value)
