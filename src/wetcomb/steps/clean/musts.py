"""What must hold of a table: looked at piece by piece, told at the end."""

from __future__ import annotations

from collections.abc import Sequence
from decimal import Decimal, InvalidOperation, localcontext

import numpy as np

from wetcomb.core.table import Table
from wetcomb.steps.clean.converting import Find
from wetcomb.steps.clean.edits import list_kinds
from wetcomb.steps.clean.repeats import Repeats, find_prints, mix_keys
from wetcomb.steps.clean.written import Must

__all__ = ["Musts"]

_PRECISION = 200
_SHOWN = 3  # lines of records that are named


class Musts:
    """Everything that must hold."""

    def __init__(self, musts: Sequence[Must]) -> None:
        self._looks = [_LOOKS[must.kind](must) for must in musts]

    def look(self, table: Table, find: Find) -> None:
        """Look at a piece of the table."""
        for one in self._looks:
            one.look(table, find)

    def tell(self) -> tuple[tuple[str, ...], tuple[str, ...]]:
        """Return what holds, and what does not, in words."""
        found = [(one.must.text, one.tell()) for one in self._looks]
        broken = tuple(f"{text}: {said}" for text, said in found if said)
        return tuple(text for text, said in found if not said), broken


class _Look:
    """Something that must hold, and what was seen of it."""

    def __init__(self, must: Must) -> None:
        self.must = must
        self.lines: list[int] = []
        self.n_odd = 0

    def look(self, table: Table, find: Find) -> None:
        """Look at a piece of the table."""
        raise NotImplementedError

    def tell(self) -> str:
        """Return what does not hold; nothing if all does."""
        if not self.n_odd:
            return ""
        noun = "record does" if self.n_odd == 1 else "records do"
        lines = ", ".join(map(str, self.lines))
        return f"{self.n_odd:,} {noun} not, first in line{'s' * (len(self.lines) > 1)} {lines}"

    def find(self, table: Table, find: Find) -> int:
        """Return the place of its column."""
        return find(table, "--must", self.must.column)

    def add(self, table: Table, rows: np.ndarray[tuple[int], np.dtype[np.int64]]) -> None:
        """Take note of records of which it does not hold."""
        self.n_odd += rows.size
        few = rows[: _SHOWN - len(self.lines)] if len(self.lines) < _SHOWN else rows[:0]
        self.lines += table.line_numbers(few)[0].tolist() if few.size else []


class _Records(_Look):
    number = 0

    def look(self, table: Table, find: Find) -> None:
        self.number += table.n_records

    def tell(self) -> str:
        return "" if self.number == int(self.must.wanted) else f"there are {self.number:,}"


class _Fields(_Look):
    number = 0

    def look(self, table: Table, find: Find) -> None:
        self.number = len(table.names)

    def tell(self) -> str:
        return "" if self.number == int(self.must.wanted) else f"there are {self.number:,}"


class _Sum(_Look):
    sum = Decimal(0)

    def look(self, table: Table, find: Find) -> None:
        kinds = list_kinds(table, self.find(table, find))
        for value, number in zip(kinds.tell(table.text), kinds.counts, strict=True):
            with localcontext() as context:
                context.prec = _PRECISION
                try:
                    self.sum += Decimal(value.decode()) * number
                except InvalidOperation:
                    self.n_odd += number

    def tell(self) -> str:
        if self.sum == Decimal(self.must.wanted) and not self.n_odd:
            return ""
        noun = "value is no number" if self.n_odd == 1 else "values are no numbers"
        odd = f"; {self.n_odd:,} {noun} (--number)" if self.n_odd else ""
        return f"it is {self.sum}{odd}"


class _Unique(_Look):
    def __init__(self, must: Must) -> None:
        super().__init__(must)
        self._met = Repeats()

    def look(self, table: Table, find: Find) -> None:
        columns = [self.find(table, find)]
        prints = find_prints(table, columns, ignore_case=False, ignore_spacing=False)
        self.add(table, np.flatnonzero(self._met.find(mix_keys(prints)) >= 0))


class _Rising(_Look):
    last: tuple[bool, Decimal, str] | None = None

    def look(self, table: Table, find: Find) -> None:
        column = self.find(table, find)
        odd = []
        for row in range(table.n_records):
            value = table.value(row, column)
            if not value:
                continue
            key = _weigh(value)
            if self.last is not None and key < self.last:
                odd.append(row)
            self.last = key
        self.add(table, np.array(odd, np.int64))


class _Filled(_Look):
    def look(self, table: Table, find: Find) -> None:
        column = self.find(table, find)
        self.add(table, np.flatnonzero(table.ends[:, column] <= table.starts[:, column]))


class _In(_Look):
    def look(self, table: Table, find: Find) -> None:
        kinds = list_kinds(table, self.find(table, find))
        known = {word.strip().encode() for word in self.must.wanted.split(",")}
        odd = np.array([value not in known for value in kinds.tell(table.text)] or [False])
        self.add(table, kinds.rows[odd[kinds.which]] if kinds.rows.size else kinds.rows)


def _weigh(value: str) -> tuple[bool, Decimal, str]:
    try:
        return False, Decimal(value), ""
    except InvalidOperation:
        return True, Decimal(0), value


_LOOKS: dict[str, type[_Look]] = {
    "records": _Records, "fields": _Fields, "sum": _Sum, "unique": _Unique,
    "rising": _Rising, "filled": _Filled, "in": _In,
}  # fmt: skip
