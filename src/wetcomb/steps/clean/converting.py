"""Dates and numbers of columns, converted; how many there were, their sum, from where to where."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from decimal import Decimal, localcontext

import msgspec
import numpy as np
from msgspec.structs import replace

from wetcomb.core.arrays import Bools, Ints
from wetcomb.core.batch import NameSource
from wetcomb.core.ledger import Charge
from wetcomb.core.snags import SNAG_CODES, SnagRows
from wetcomb.core.table import MISSING, Table
from wetcomb.steps.clean.dates import DateReading
from wetcomb.steps.clean.edits import Cut, Kinds, edit_column, list_kinds
from wetcomb.steps.clean.marks import trim
from wetcomb.steps.clean.numbers import NumberReading, ReadNumber
from wetcomb.steps.clean.options import Clean

__all__ = ["Converter", "Find"]

#: Finds the place of a column in a table, for an option.
Find = Callable[[Table, str, str], int]
_PRECISION = 200  # digits that a sum may have


class _Tally(msgspec.Struct):
    """What was converted of a column."""

    what: str
    number: int = 0
    left: int = 0
    sums: dict[str, Decimal] = msgspec.field(default_factory=dict)
    least: str = ""
    most: str = ""
    units: Counter[str] = msgspec.field(default_factory=Counter)

    def add_date(self, text: str, number: int) -> None:
        """Count a date, which stands so often."""
        self.number += number
        self.least = min(self.least or text, text)
        self.most = max(self.most, text)

    def add_number(self, read: ReadNumber, number: int) -> None:
        """Count a number, which stands so often."""
        with localcontext() as context:
            context.prec = _PRECISION
            value = Decimal(read.text)
            self.sums[read.unit] = self.sums.get(read.unit, Decimal(0)) + value * number
        self.number += number
        self.units[read.unit] += number
        if not self.least or value < Decimal(self.least):
            self.least = read.text
        if not self.most or value > Decimal(self.most):
            self.most = read.text


class Converter:
    """Converts the columns that a `Clean` names."""

    def __init__(self, options: Clean) -> None:
        self._dates, self._numbers = options.dates, options.numbers
        self._has_units = options.currency == "column"
        self._tallies: dict[str, _Tally] = {}
        self._waiting: list[tuple[_Tally, Ints, Sequence[str | ReadNumber | None]]] = []

    def convert(
        self, table: Table, sources: Sequence[NameSource], find: Find
    ) -> tuple[Table, list[Charge], list[NameSource]]:
        """Return a table with its columns converted, what left values, where the names are from."""
        charges: list[Charge] = []
        named = list(sources)
        for name, dates in self._dates.items():
            column = find(table, "--date", name)
            table = self._convert_dates(table, column, dates)
        for name, numbers in self._numbers.items():
            column = find(table, "--number", name)
            self._tally_numbers(table, column, numbers)
            if self._has_units:
                table, more = _part_units(table, column, numbers)
                charges += more
                if named:
                    named.insert(column + 1, NameSource())
            kinds, made = self._read_numbers(table, column, numbers)
            texts = [None if number is None else number.text for number in made]
            table = _put(table, column, texts, kinds.rows, kinds.which, "no-number")
        return table, charges, named

    def _wait(
        self, tally: _Tally, table: Table, kinds: Kinds, made: Sequence[str | ReadNumber | None]
    ) -> None:
        """Keep which value each record has, until it is known which records stay."""
        which = np.full(table.n_records, MISSING, np.int64)
        which[kinds.rows] = kinds.which
        self._waiting.append((tally, which, made))

    def count(self, kept: Bools) -> None:
        """Count what was converted in the records that stay."""
        for tally, which, made in self._waiting:
            here = which[kept]
            numbers = np.bincount(here[here != MISSING], minlength=len(made)).tolist()
            for one, number in zip(made, numbers, strict=True):
                if not number:
                    continue
                if one is None:
                    tally.left += number
                elif isinstance(one, str):
                    tally.add_date(one, number)
                else:
                    tally.add_number(one, number)
        self._waiting = []

    def tell(self) -> Iterator[str]:
        """Yield what was converted, column by column: held against the paper it tells a slip."""
        for name, tally in self._tallies.items():
            what = tally.what[:-1] if tally.number == 1 else tally.what
            said = f"{name}: {tally.number:,} {what}"
            if tally.sums:
                sums = (
                    f"{tally.sums[unit]} {unit}".strip() for unit, _ in tally.units.most_common()
                )
                said += f", sum {', '.join(sums)}"
            if tally.number:
                said += f", from {tally.least} to {tally.most}"
            if tally.left:
                said += f"; {tally.left:,} did not convert"
            yield said

    def _convert_dates(self, table: Table, column: int, readings: Sequence[DateReading]) -> Table:
        tally = self._tallies.setdefault(table.names[column], _Tally("dates"))

        def read(value: str) -> str | None:
            return next((text for one in readings if (text := one.read(value)) is not None), None)

        kinds = list_kinds(table, column)
        made = [read(value.decode()) for value in kinds.tell(table.text)]
        self._wait(tally, table, kinds, made)
        return _put(table, column, made, kinds.rows, kinds.which, "no-date")

    def _tally_numbers(self, table: Table, column: int, readings: Sequence[NumberReading]) -> None:
        """Have the numbers of a column counted, with the units beside them."""
        tally = self._tallies.setdefault(table.names[column], _Tally("numbers"))
        self._wait(tally, table, *self._read_numbers(table, column, readings))

    def _read_numbers(
        self, table: Table, column: int, readings: Sequence[NumberReading]
    ) -> tuple[Kinds, list[ReadNumber | None]]:
        """Return the values of a column, and the number that each says."""

        def read(value: str) -> ReadNumber | None:
            found = (one.read(value, any_unit=self._has_units) for one in readings)
            return next((number for number in found if number is not None), None)

        kinds = list_kinds(table, column)
        return kinds, [read(value.decode()) for value in kinds.tell(table.text)]


def _put(
    table: Table, column: int, made: Sequence[str | None], rows: Ints, which: Ints, snag: str
) -> Table:
    """Return a table with converted values, and a snag for each that was not."""
    texts = iter(made)

    def edit(value: bytes) -> bytes | None:
        text = next(texts)
        new = None if text is None else text.encode()
        return new if new != value else None

    odd = np.array([text is None for text in made] or [False])
    table = edit_column(table, column, edit).table
    snags = SnagRows.gather([(rows[odd[which]] if rows.size else rows, SNAG_CODES[snag])])
    return replace(table, snags=SnagRows.join([table.snags, snags]))


def _part_units(
    table: Table, column: int, readings: Sequence[NumberReading]
) -> tuple[Table, list[Charge]]:
    """Return a table with the units of a column's numbers in a column behind it, and what left the values."""
    kinds = list_kinds(table, column)
    found = []
    for value in kinds.tell(table.text):
        units_of = (one.find_unit(value.decode()) for one in readings)
        found.append(next((span for span in units_of if span is not None), (0, 0)))
    units = np.array(found, np.int64).reshape(-1, 2)
    starts = np.full(table.n_records, MISSING, np.int64)
    ends = starts.copy()
    text = table.text
    if kinds.rows.size:
        has = units[kinds.which, 1] > units[kinds.which, 0]
        rows, which = kinds.rows[has], kinds.which[has]
        begins = table.starts[rows, column].astype(np.int64)
        stops = table.ends[rows, column].astype(np.int64)
        plain = text.forms.find(begins, stops) < 0
        rows, which, begins = rows[plain], which[plain], begins[plain]
        starts[rows], ends[rows] = begins + units[which, 0], begins + units[which, 1]
    spans = iter(found)

    def cut(value: bytes) -> Cut | None:
        begin, end = next(spans)
        if end == begin:
            return None
        kept = [span for span in ((0, begin), (end, len(value))) if span[1] > span[0]]
        return Cut(kept, ())

    table = edit_column(table, column, cut).table
    table, charges, _ = edit_column(table, column, trim)
    names = (*table.names[: column + 1], f"{table.names[column]}-unit", *table.names[column + 1 :])
    return replace(
        table,
        names=names,
        starts=np.insert(table.starts, column + 1, starts.astype(np.int32), axis=1),
        ends=np.insert(table.ends, column + 1, ends.astype(np.int32), axis=1),
    ), charges
