"""The differences of two tables, told cell by cell: records that differ are read again, some at a time."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable
from functools import partial

import numpy as np

from wetcomb.combs.sides import Both, Columns, Row, Side, read_rows
from wetcomb.core.arrays import Ints
from wetcomb.core.comparison import Comparison, Difference

__all__ = ["Teller"]

_HELD = 50_000  # records of each table that are read at once
_SHOWN = 3  # of each kind


class Teller:
    """Tells the differences of two tables, a batch of records at a time."""

    def __init__(
        self,
        old: Side,
        new: Side,
        columns: Columns,
        found: Comparison,
        folding: dict[str, bool],
        take: Callable[[Difference], None] | None,
        both: Both,
    ) -> None:
        self._old, self._new, self._columns, self._found = old, new, columns, found
        self._folding, self._take, self._both = folding, take, both
        self._shown: Counter[str] = Counter()

    def tell(self, pairs: Ints, left: Ints, over: Ints, *, is_certain: bool) -> None:
        """Tell of pairs of records that differ, and of those that only one table has."""
        rows: tuple[dict[int, Row], dict[int, Row]] = ({}, {})
        apart: list[tuple[int, int]] = []
        alone = left, over  # those that are told anyway are read with the first pairs
        for start in range(0, max(1, len(pairs)), _HELD):
            some = pairs[start : start + _HELD]
            more = [self._choose(one)[:_HELD] if not start else one[:0] for one in alone]
            rows = self._read(
                np.union1d(some[:, 0], more[0]).astype(np.int64),
                np.union1d(some[:, 1], more[1]).astype(np.int64),
            )
            apart += [
                (a, b)
                for a, b in some.tolist()
                if not self._tell_pair(rows[0][a], rows[1][b], is_certain=is_certain)
            ]
        torn = np.array(apart, np.int64).reshape(-1, 2)
        for place, what in enumerate(("gone", "new")):
            whole = np.sort(np.concatenate([alone[place], torn[:, place]]))
            self._tell_alone(what, whole, rows[place])

    def _choose(self, rows: Ints) -> Ints:
        """Return which of the records that only one table has are told."""
        return rows if self._take is not None else rows[:_SHOWN]

    def _read(self, mine: Ints, other: Ints) -> tuple[dict[int, Row], dict[int, Row]]:
        return self._both(
            partial(read_rows, self._old, self._columns.old, mine),
            partial(read_rows, self._new, self._columns.new, other),
        )

    def _tell_alone(self, what: str, rows: Ints, known: dict[int, Row]) -> None:
        """Tell of records that only one table has; some of them have been read."""
        is_old = what == "gone"
        if is_old:
            self._found.gone = rows.size
        else:
            self._found.added = rows.size
        side, columns = (self._old, self._columns.old) if is_old else (self._new, self._columns.new)
        shown = self._choose(rows)
        for start in range(0, shown.size, _HELD):
            some = shown[start : start + _HELD]
            if not all(row in known for row in some.tolist()):
                known = read_rows(side, columns, some)
            for number in some.tolist():
                row = known[number]
                line = (row.line, 0) if is_old else (0, row.line)
                said = " | ".join([*row.values[:-1], *([row.values[-1]] if row.values[-1] else [])])
                self._give(Difference(what, *line, key=said))

    def _tell_pair(self, mine: Row, other: Row, *, is_certain: bool) -> bool:
        """Tell in which cells two records differ; return whether they are one record at all."""
        names = (*self._columns.names, "rest")
        odd = [k for k, name in enumerate(names) if self._fold(mine.values[k]) != self._fold(other.values[k])]  # fmt: skip
        if not is_certain and 2 * len(odd) > len(self._columns.names):
            return False
        is_spacing = all(_squeeze(mine.values[k]) == _squeeze(other.values[k]) for k in odd)
        what = "spacing" if is_spacing else "changed"
        key = " | ".join(mine.values[k] for k in self._columns.keys)
        if is_spacing:
            self._found.spacing += 1
        else:
            self._found.changed += 1
        for k in odd:
            self._found.cells[names[k]] += not is_spacing
            self._give(
                Difference(
                    what, mine.line, other.line, names[k], mine.values[k], other.values[k], key
                )
            )
        return True

    def _fold(self, value: str) -> str:
        value = value.casefold() if self._folding["ignore_case"] else value
        return _squeeze(value) if self._folding["ignore_spacing"] else value

    def _give(self, difference: Difference) -> None:
        if self._shown[difference.what] < _SHOWN:
            self._found.examples.append(difference)
            self._shown[difference.what] += 1
        if self._take is not None:
            self._take(difference)


def _squeeze(value: str) -> str:
    """Return a value without its spacing."""
    return "".join(value.split())
