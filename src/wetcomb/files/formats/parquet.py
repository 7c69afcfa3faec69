"""Columns in a Parquet file, by pyarrow: strings, exact decimals, days.

How many digits a column of numbers needs is known at its end only. So records go into a temporary
file as they come, their numbers as text, and from there into the file, some at a time.
"""

from __future__ import annotations

import tempfile
from collections.abc import Sequence
from typing import IO, Any, ClassVar

import numpy as np

from wetcomb.core.arrow import (
    NotOfItsKind,
    check_digits,
    convert_strings,
    find_digits,
    make_strings,
)  # fmt: skip
from wetcomb.core.text import count_characters
from wetcomb.files.columns import CellGrid
from wetcomb.files.formats.writer import WholeWriter, import_extra, map_file

__all__ = ["Parquet"]

#: Digits before and behind the point in files that are parts of one table, and so of one kind.
_PART_DIGITS = (26, 12)
_GROUP = 1 << 17  # records of a group, read and written at once


class Parquet(WholeWriter):
    """One table in a file; missing values are null, and so are empty ones where a column was converted."""

    what: ClassVar[str] = "a parquet file"

    def __init__(self, title: str, is_part: bool) -> None:
        super().__init__(title)
        self._is_part = is_part
        self._arrow = import_extra("pyarrow", "parquet")
        self._spool = tempfile.TemporaryFile()  # noqa: SIM115 - it is let go of with the writer
        self._digits: list[tuple[int, int]] = []
        self._stream: Any = None
        self._schema: Any = None

    def write_heading(self, names: Sequence[str], types: Sequence[str] = ()) -> bytes:
        """Take note of the columns."""
        super().write_heading(names, types)
        self.check_names()
        self._digits = [_PART_DIGITS if self._is_part else (1, 0)] * len(self.names)
        days = {"date": self._arrow.date32(), "date-time": self._arrow.timestamp("s")}
        kinds = [days.get(kind, self._arrow.utf8()) for kind in self.types]
        self._schema = self._arrow.schema([(f"{k}", kind) for k, kind in enumerate(kinds)])
        self._stream = self._arrow.ipc.new_stream(self._spool, self._schema)
        return b""

    def write_rows(self, grid: CellGrid) -> bytes:
        """Put some records aside."""
        if not len(grid.starts):
            return b""
        columns = []
        for place, kind in enumerate(self.types):
            spans = grid.starts[:, place], grid.ends[:, place]
            column = make_strings(grid.data, *spans, is_text=not kind)
            laid = column.buffers()[2]
            if laid is not None and laid.size:
                self.cell_characters += count_characters(np.frombuffer(laid, np.uint8))
            columns.append(self._look(column, place) if kind else column)
        self._stream.write_batch(self._arrow.record_batch(columns, schema=self._schema))
        self.n_rows += len(grid.starts)
        return b""

    def write_end(self) -> memoryview:
        """Return the whole file."""
        if self._stream is None:
            self.write_heading(["records"])
        self._stream.close()
        self._spool.seek(0)
        with tempfile.TemporaryFile() as file:
            self._lay(file)
            self.close()
            return map_file(file)

    def _lay(self, file: IO[bytes]) -> None:
        """Write what was put aside as what it is, many records at a time."""
        parquet = import_extra("pyarrow.parquet", "parquet")
        empty = self._convert([self._arrow.array([], field.type) for field in self._schema])
        waiting = [empty]
        with parquet.ParquetWriter(file, empty.schema) as writer:
            for batch in self._arrow.ipc.open_stream(self._spool):
                waiting.append(self._convert(batch.columns))
                if sum(one.num_rows for one in waiting) >= _GROUP:
                    writer.write_table(self._arrow.concat_tables(waiting), row_group_size=2 * _GROUP)  # fmt: skip
                    waiting = [empty]
            writer.write_table(self._arrow.concat_tables(waiting), row_group_size=2 * _GROUP)

    def close(self) -> None:
        """Let go of what was put aside."""
        self._spool.close()

    def _look(self, column: Any, place: int) -> Any:
        """Return a column's values as days; numbers as they are, once it is known how long they are.

        Raises
        ------
        OutputError : one is not
        """
        kind = self.types[place]
        try:
            if kind == "number":
                both = zip(self._digits[place], find_digits([column]), strict=True)
                self._digits[place] = tuple(map(max, both))  # type: ignore[assignment]
                check_digits(self._digits[place])
                return column
            return convert_strings(column, kind, self._digits[place])
        except NotOfItsKind as error:
            value = column[error.row].as_py() or ""
            raise self.refuse(
                place, error.row, value,
                f"{error.why}, and a column of a parquet file is of one kind; settle it (clean --missing, --fix), or leave the column as text",
            ) from error  # fmt: skip

    def _convert(self, columns: Sequence[Any]) -> Any:
        """Return a table of arrays of text, what was converted as what it is."""
        made = [
            convert_strings(column, kind if kind == "number" else "", digits)
            for column, kind, digits in zip(columns, self.types, self._digits, strict=True)
        ]
        return self._arrow.Table.from_arrays(made, names=self.names)
