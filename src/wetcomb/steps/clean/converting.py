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
from wetcomb.core.doubts import Doubt
from wetcomb.core.ledger import Charge
from wetcomb.core.plain_numbers import PlainNumbers, read_plain
from wetcomb.core.snags import SNAG_CODES, SnagRows
from wetcomb.core.table import MISSING, Table
from wetcomb.steps.clean.dates import DateReading, FormOfDates
from wetcomb.steps.clean.edits import Cut, Kinds, edit_column, list_kinds, put_forms, put_kinds
from wetcomb.steps.clean.marks import trim
from wetcomb.steps.clean.numbers import NumberReading, ReadNumber
from wetcomb.steps.clean.options import Clean
from wetcomb.steps.clean.plain_dates import PlainDates, read_plain_dates

__all__ = ["Converter", "Find"]

#: Finds the place of a column in a table, for an option.
Find = Callable[[Table, str, str], int]
_MOST_KNOWN = 1 << 17  # values of a column that are read once only
_PRECISION = 200  # digits that a sum may have
_SHOWN = 4  # units that are told


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

    def add(self, other: _Tally) -> None:
        """Add what was counted of the records behind these."""
        if other.least and (not self.least or self._is_less(other.least, self.least)):
            self.least = other.least
        if other.most and (not self.most or self._is_less(self.most, other.most)):
            self.most = other.most
        with localcontext() as context:
            context.prec = _PRECISION
            for unit, total in other.sums.items():
                self.sums[unit] = self.sums.get(unit, Decimal(0)) + total
        self.units.update(other.units)
        self.number += other.number
        self.left += other.left

    def _is_less(self, one: str, other: str) -> bool:
        return one < other if self.what == "dates" else Decimal(one) < Decimal(other)


class Converter:
    """Converts the columns that a `Clean` names."""

    def __init__(self, options: Clean) -> None:
        self._dates, self._numbers = options.dates, options.numbers
        self._has_units = options.currency == "column"
        self._tallies: dict[str, _Tally] = {}
        self._known: dict[int, dict[bytes, str | None]] = {}  # dates of each column
        self._plain: list[tuple[_Tally, Ints, PlainNumbers | PlainDates]] = []
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
            table = _set_type(table, column, _find_type(dates))
        for name, numbers in self._numbers.items():
            column = find(table, "--number", name)
            if self._has_units:
                self._wait(
                    self._tally(table, column), table, *self._read_numbers(table, column, numbers)
                )
                table, more = _part_units(table, column, numbers)
                charges += more
                if named:
                    named.insert(column + 1, NameSource())
            table = self._put_numbers(table, column, numbers)
            table = _set_type(table, column, "number")
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
        for tally, rows, plain in self._plain:
            if isinstance(plain, PlainDates):
                _count_dates(tally, plain, kept[rows])
            else:
                _count_plain(tally, plain, kept[rows])
        self._plain = []

    def give_counts(self) -> dict[str, _Tally]:
        """Return what was counted so far, and begin to count anew."""
        tallies, self._tallies = self._tallies, {}
        return tallies

    def add_counts(self, tallies: dict[str, _Tally]) -> None:
        """Add what was counted of the records behind those so far."""
        for name, tally in tallies.items():
            self._tallies.setdefault(name, _Tally(tally.what)).add(tally)

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

    def find_doubts(self) -> Iterator[Doubt]:
        """Yield a doubt for each column whose numbers stand for different things."""
        for name, tally in self._tallies.items():
            units = [unit for unit, _ in tally.units.most_common() if unit]
            if len(units) > 1:
                said = ", ".join(f"{unit} {tally.units[unit]:,}" for unit in units[:_SHOWN])
                more = f" and {len(units) - _SHOWN} more" if len(units) > _SHOWN else ""
                yield Doubt("units-mixed", f"{name}: {said}{more}")

    def _convert_dates(self, table: Table, column: int, readings: Sequence[DateReading]) -> Table:
        tally = self._tallies.setdefault(table.names[column], _Tally("dates"))

        known = self._known.setdefault(column, {})
        if len(known) > _MOST_KNOWN:
            known.clear()

        def read(raw: bytes) -> str | None:
            if raw not in known:
                value = raw.decode()
                texts = (text for one in readings if (text := one.read(value)) is not None)
                known[raw] = next(texts, None)
            return known[raw]

        table, rows = self._put_plain_dates(table, column, readings[0].form, tally)
        kinds = list_kinds(table, column, rows)
        made = [read(value) for value in kinds.tell(table.text)]
        self._wait(tally, table, kinds, made)
        return _put(table, column, made, kinds, "no-date")

    def _put_plain_dates(
        self, table: Table, column: int, form: FormOfDates | None, tally: _Tally
    ) -> tuple[Table, Ints]:
        """Return a table with those dates of a column converted that are read at once, and the rows that are left."""
        starts = table.starts[:, column].astype(np.int64)
        ends = table.ends[:, column].astype(np.int64)
        rows = np.flatnonzero(ends > starts)
        if form is None:
            return table, rows
        plain = read_plain_dates(table.text.data, starts[rows], ends[rows], form)
        self._plain.append((tally, rows[plain.is_read], plain))
        table = _put_plain(table, column, rows[plain.is_read], plain)
        return table, rows[~plain.is_read]

    def _tally(self, table: Table, column: int) -> _Tally:
        return self._tallies.setdefault(table.names[column], _Tally("numbers"))

    def _put_numbers(self, table: Table, column: int, readings: Sequence[NumberReading]) -> Table:
        """Return a table with the numbers of a column converted: plain ones at once, the others kind by kind."""
        starts = table.starts[:, column].astype(np.int64)
        ends = table.ends[:, column].astype(np.int64)
        rows = np.flatnonzero(ends > starts)
        if all(mark.isascii() and mark != " " for mark in readings[0].marks):
            plain = read_plain(table.text.data, starts[rows], ends[rows], *readings[0].marks)
            if not self._has_units:
                self._plain.append((self._tally(table, column), rows[plain.is_read], plain))
            table = _put_plain(table, column, rows[plain.is_read], plain)
            rows = rows[~plain.is_read]
        kinds, made = self._read_numbers(table, column, readings, rows)
        if not self._has_units:
            self._wait(self._tally(table, column), table, kinds, made)
        texts = [None if number is None else number.text for number in made]
        return _put(table, column, texts, kinds, "no-number")

    def _read_numbers(
        self,
        table: Table,
        column: int,
        readings: Sequence[NumberReading],
        rows: Ints | None = None,
    ) -> tuple[Kinds, list[ReadNumber | None]]:
        """Return the values of a column, or of some rows of it, and the number that each says."""

        def read(value: str) -> ReadNumber | None:
            found = (one.read(value, any_unit=self._has_units) for one in readings)
            return next((number for number in found if number is not None), None)

        kinds = list_kinds(table, column, rows)
        return kinds, [read(value.decode()) for value in kinds.tell(table.text)]


def _find_type(readings: Sequence[DateReading]) -> str:
    """Return what a column's dates are; text, where some have a time and others none."""
    kinds = {"date-time" if one.has_time else "date" for one in readings}
    return kinds.pop() if len(kinds) == 1 else ""


def _set_type(table: Table, column: int, kind: str) -> Table:
    """Return a table that says what a column was converted to."""
    types = list(table.types or [""] * len(table.names))
    types[column] = kind
    return replace(table, types=tuple(types))


def _put_plain(table: Table, column: int, rows: Ints, plain: PlainNumbers | PlainDates) -> Table:
    """Return a table with the values of some rows in the form that was read at once."""
    changed = ~plain.is_same
    laid = plain.laid
    if not changed.all():
        laid = laid[np.repeat(changed, plain.sizes)]
    return put_forms(table, column, rows[changed], laid, plain.sizes[changed])


def _put(table: Table, column: int, made: Sequence[str | None], kinds: Kinds, snag: str) -> Table:
    """Return a table with converted values, and a snag for each that was not."""
    values = kinds.tell(table.text)
    forms = [None if text is None else text.encode() for text in made]
    changed = [None if new == old else new for new, old in zip(forms, values, strict=True)]
    odd = np.array([text is None for text in made] or [False])
    table = put_kinds(table, column, kinds, changed)
    rows = kinds.rows[odd[kinds.which]] if kinds.rows.size else kinds.rows
    snags = SnagRows.gather([(rows, SNAG_CODES[snag])])
    return replace(table, snags=SnagRows.join([table.snags, snags]))


def _count_dates(tally: _Tally, plain: PlainDates, kept: Bools) -> None:
    """Count dates that were read at once and stay, with the first and the last of them."""
    places = np.flatnonzero(kept)
    if not places.size:
        return
    width, ranks = int(plain.sizes[0]), plain.ranks[places]
    tally.number += places.size - 2
    for place in (int(places[ranks.argmin()]), int(places[ranks.argmax()])):
        tally.add_date(plain.laid[place * width : (place + 1) * width].tobytes().decode(), 1)


def _count_plain(tally: _Tally, plain: PlainNumbers, kept: Bools) -> None:
    """Count plain numbers that stay, by what they are worth."""
    if not kept.any():
        return
    stops = np.cumsum(plain.sizes)

    def tell(place: int) -> ReadNumber:
        end = int(stops[place])
        return ReadNumber(plain.laid[end - int(plain.sizes[place]) : end].tobytes().decode(), "")

    places = np.flatnonzero(kept)
    if plain.ints is None:
        for place in places.tolist():
            tally.add_number(tell(place), 1)
        return
    worth = plain.ints[places]
    for place in (int(places[worth.argmin()]), int(places[worth.argmax()])):
        tally.add_number(tell(place), 0)  # the least and the most
    high, low = np.divmod(worth, 1 << 32)  # their sum may be longer than they are
    total = (int(high.sum()) << 32) + int(low.sum())
    with localcontext() as context:
        context.prec = _PRECISION
        tally.sums[""] += Decimal(total).scaleb(-plain.scale)
    tally.number += places.size
    tally.units[""] += places.size


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
        types=(*table.types[: column + 1], "", *table.types[column + 1 :]) if table.types else (),
    ), charges
