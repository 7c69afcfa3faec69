"""The extremes of a table, gathered batch by batch; bounded in size."""

from __future__ import annotations

from collections import Counter

import numpy as np

from wetcomb.core.arrays import Bools, Ints
from wetcomb.core.batch import Batch
from wetcomb.core.extremes import ColumnExtremes, Place, TableExtremes
from wetcomb.core.table import MISSING, Table
from wetcomb.core.text import Text
from wetcomb.match.shapes import find_shape, outline

__all__ = ["ExtremesSeen"]

_SHAPED = 20_000  # records whose shapes are looked at
_KINDS = 2_000  # different shapes of a column that are counted
_TEXT = 200  # characters of a value that are kept


class ExtremesSeen:
    """Gathers what is extreme while the batches go by."""

    def __init__(self) -> None:
        self.names: tuple[str, ...] = ()
        self._columns: list[_Column] = []
        self._records: dict[str, tuple[int, Place]] = {}
        self._signs: Counter[str] = Counter()
        self._places: dict[str, int] = {}  # the first line of each
        self._n_records = 0

    def add(self, batch: Batch) -> None:
        """Look at a batch that came through all steps."""
        table = batch.table
        if table is None or not table.n_records:
            return
        self.names = table.names
        self._columns = self._columns or [_Column() for _ in table.names]
        starts, ends = table.starts.astype(np.int64), table.ends.astype(np.int64)
        filled = (starts != MISSING) & (ends > starts)
        lines = table.line_numbers(np.arange(table.n_records))[0]
        for place, column in enumerate(self._columns):
            column.add(table, place, filled[:, place], lines, self._n_records)
        self._look_at_records(table, filled.sum(axis=1), lines)
        self._count_signs(batch.text)
        self._n_records += table.n_records

    def _look_at_records(self, table: Table, counts: Ints, lines: Ints) -> None:
        for which, row in (("most", int(counts.argmax())), ("fewest", int(counts.argmin()))):
            number = int(counts[row])
            best = self._records.get(which)
            if best is None or (number > best[0] if which == "most" else number < best[0]):
                said = f"{number} of {len(table.names)} cells filled"
                self._records[which] = (
                    number,
                    Place(int(lines[row]), table.record_text(row)[:_TEXT], said),
                )

    def _count_signs(self, text: Text) -> None:
        body = text.data[: text.body_size].tobytes()
        counts = Counter(body.decode())
        for sign in counts:
            if sign not in self._signs and len(self._places) < _KINDS:
                at = np.array([body.find(sign.encode())])
                self._places[sign] = int(text.line_numbers(at)[0])
        self._signs.update(counts)

    def tell(self) -> TableExtremes:
        """Return what was seen."""
        columns = tuple(
            column.tell(name) for name, column in zip(self.names, self._columns, strict=True)
        )
        most, fewest = self._records.get("most"), self._records.get("fewest")
        is_even = most is None or fewest is None or most[0] == fewest[0]
        return TableExtremes(
            columns,
            None if is_even or most is None else most[1],
            None if is_even or fewest is None else fewest[1],
            self._find_rarest_sign(),
            _SHAPED if self._n_records > _SHAPED else 0,
        )

    def _find_rarest_sign(self) -> Place | None:
        """Return the sign that the text has least often, where it is no letter and no digit of the ASCII ones."""
        odd = {
            sign: n
            for sign, n in self._signs.items()
            if not (sign.isascii() and sign.isalnum()) and sign not in "\r\n \t"
        }
        if not odd:
            return None
        sign = min(odd, key=lambda one: (odd[one], -ord(one)))
        line = self._places.get(sign, 0)
        number = odd[sign]
        return Place(
            line, sign, f"U+{ord(sign):04X}, {number:,} time{'s' * (number != 1)} in the text"
        )


class _Column:
    """The extremes of one column so far."""

    def __init__(self) -> None:
        self._short: tuple[int, Place] | None = None
        self._long: tuple[int, Place] | None = None
        self._last: Place | None = None
        self._counts: Counter[tuple[str, str]] = Counter()
        self._firsts: dict[tuple[str, str], Place] = {}

    def add(self, table: Table, column: int, filled: Bools, lines: Ints, before: int) -> None:
        rows = np.flatnonzero(filled)
        if not rows.size:
            return
        starts = table.starts[rows, column].astype(np.int64)
        sizes = table.text.lengths(starts, table.ends[rows, column].astype(np.int64))
        for row, size, is_short in (
            (int(rows[sizes.argmin()]), int(sizes.min()), True),
            (int(rows[sizes.argmax()]), int(sizes.max()), False),
        ):
            held = self._short if is_short else self._long
            if held is None or (size < held[0] if is_short else size > held[0]):
                said = f"{size:,} character{'s' * (size != 1)}"
                found = size, _place(table, row, column, lines, said)
                self._short, self._long = (found, self._long) if is_short else (self._short, found)
        self._last = _place(table, int(rows[-1]), column, lines, "")
        for row in rows[rows < _SHAPED - before].tolist():
            value = (table.value(row, column) or "")[:_TEXT]
            key = find_shape(value), outline(value)
            self._counts[key] += 1
            if key not in self._firsts and len(self._firsts) < _KINDS:
                self._firsts[key] = _place(table, row, column, lines, "")

    def tell(self, name: str) -> ColumnExtremes:
        """Return the extremes; a shape is rare where another is of at least half of the values."""
        is_even = (
            self._short is not None and self._long is not None and self._short[0] == self._long[0]
        )
        return ColumnExtremes(
            name,
            None if is_even or self._short is None else self._short[1],
            None if is_even or self._long is None else self._long[1],
            self._find_rarest(),
            self._last,
        )

    def _find_rarest(self) -> Place | None:
        shapes: Counter[str] = Counter()
        for (shape, _), number in self._counts.items():
            shapes[shape] += number
        total = sum(shapes.values())
        if len(shapes) > 1:
            rare = min(shapes, key=lambda shape: (shapes[shape], shape))
            key = next(key for key in self._firsts if key[0] == rare)
            usual = max(shapes, key=lambda shape: shapes[shape])
            said = f"{rare}, {shapes[rare]:,} of {total:,}; most are {usual}"
        elif len(self._counts) > 1 and 2 * self._counts.most_common(1)[0][1] >= total:
            key = min(self._firsts, key=lambda one: (self._counts[one], one))
            usual = self._counts.most_common(1)[0][0][1]
            said = f"like {key[1][:20]}, {self._counts[key]:,} of {total:,}; most are like {usual[:20]}"
        else:
            return None
        found = self._firsts[key]
        return Place(found.line, found.text, said)


def _place(table: Table, row: int, column: int, lines: Ints, said: str) -> Place:
    return Place(int(lines[row]), (table.value(row, column) or "")[:_TEXT], said)
