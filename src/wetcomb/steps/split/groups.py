"""Lines that name what follows, and lines that sum up what came before.

A group line leaves the records and becomes a column; it holds until the next line of the same
or an outer group. A total line leaves them too, and what it says is checked against the records
since the last line of its own or an outer kind: it agrees or not, and either is told.
"""

from __future__ import annotations

from decimal import Decimal

import numpy as np
from msgspec.structs import replace

from wetcomb.core.arrays import Bools, Bytes, Ints
from wetcomb.core.batch import TotalSeen
from wetcomb.core.cutting.ragged import LineDrops, Ragged
from wetcomb.core.errors import UsageError, find_nearest
from wetcomb.core.table import MISSING, Table
from wetcomb.match.lines import find_lines
from wetcomb.match.numbers import read_number
from wetcomb.match.patterns import Pattern, compile_pattern

__all__ = ["Groups", "find_heads_behind"]


class Groups:
    """The group and total lines of one text, as they come."""

    def __init__(
        self, groups: tuple[str, ...], totals: tuple[str, ...], *, ignore_case: bool
    ) -> None:
        self._groups = [compile_pattern(text, ignore_case=ignore_case) for text in groups]
        self._totals = [compile_pattern(text, ignore_case=ignore_case) for text in totals]
        nameless = next((p.source for p in self._groups if not p.fields), None)
        if nameless is not None:
            raise UsageError(
                f"--group {nameless!r} names nothing; say what becomes a column: 'Reach: {{words as Reach}}'"
            )
        self.names = tuple(name for pattern in self._groups for name in pattern.fields)
        self._values: list[list[bytes | None]] = [[None] * len(p.fields) for p in self._groups]
        self._sums: list[dict[str, Decimal]] = [{} for _ in self._totals]
        self._n_since = [0] * len(self._totals)  # records since the last total of each kind
        self._grand: dict[str, Decimal] = {}  # of all records so far

    def find(self, data: Bytes, ragged: Ragged) -> tuple[Bools, LineDrops]:
        """Return which lines are group or total lines, and these as lines that leave."""
        starts, ends = ragged.record_starts, ragged.outer_ends[ragged.offsets[1:] - 1]
        is_group = find_lines(data, starts, ends, self._groups, "line")
        is_total = find_lines(data, starts, ends, self._totals, "line") & ~is_group
        drops = [
            LineDrops.of(reason, starts[mine], ragged.stops[mine])
            for reason, mine in (("group-line", is_group), ("total-line", is_total))
        ]
        return is_group | is_total, LineDrops.join(drops)

    def add_columns(self, table: Table, drops: LineDrops) -> tuple[Table, list[TotalSeen]]:
        """Return a table with the groups' columns in front, and the totals met among its records."""
        mine = drops.has("group-line", "total-line")
        starts, ends = drops.starts[mine], drops.ends[mine]
        order = np.argsort(starts, kind="stable")
        rows = np.searchsorted(table.record_starts, starts[order])
        spans: list[tuple[int, int, list[bytes | None]]] = []
        seen: list[TotalSeen] = []
        begin = 0
        for row, place in zip(rows.tolist(), order.tolist(), strict=True):
            line = table.text.data[starts[place] : ends[place]].tobytes()
            spans.append((begin, row, self._list_values()))
            self._add_up(table, begin, row)
            begin = row
            total = self._take(line)
            if total is not None:
                number = int(table.text.line_numbers(starts[[place]])[0])
                seen.append(replace(total, line=number))
        spans.append((begin, table.n_records, self._list_values()))
        self._add_up(table, begin, table.n_records)
        return self._lay_out(table, spans), seen

    def _list_values(self) -> list[bytes | None]:
        return [value for values in self._values for value in values]

    def _take(self, line: bytes) -> TotalSeen | None:
        """Take over what a group line names; return what a total line says."""
        bare = line.strip(b" \t\r\n\f")
        for depth, pattern in enumerate(self._groups):
            said = line.rstrip(b"\r\n") if pattern.is_raw else bare
            found = pattern.find(said, "fullmatch")
            if found is not None:
                values = [said[a:b].strip(b" \t") if a >= 0 else None for a, b in found.fields]
                self._values[depth] = values
                for inner in range(depth + 1, len(self._groups)):
                    self._values[inner] = [None] * len(self._groups[inner].fields)
                return None
        for depth, pattern in enumerate(self._totals):
            found = pattern.find(bare, "fullmatch")
            if found is not None:
                return self._compare(depth, pattern, bare, found.fields)
        return None

    def _compare(
        self, depth: int, pattern: Pattern, line: bytes, fields: tuple[tuple[int, int], ...]
    ) -> TotalSeen:
        figures = []
        for name, (start, end) in zip(pattern.fields, fields, strict=True):
            printed = line[start:end].decode() if start >= 0 else ""
            number, summed = read_number(printed), self._sums[depth].get(name, Decimal(0))
            so_far = self._grand.get(name, Decimal(0))
            if number != summed and (number == so_far or not self._n_since[depth]):
                summed = so_far  # carried forward, or right behind another total
            agrees = number == summed
            figures.append((name, printed, f"{summed:f}", agrees))
        for inner in range(depth + 1):  # totals are given inner to outer
            self._sums[inner], self._n_since[inner] = {}, 0
        return TotalSeen(0, " ".join(line.decode().split()), tuple(figures))

    def _add_up(self, table: Table, first: int, last: int) -> None:
        """Add the records up for every total that names their columns."""
        counted: set[str] = set()
        for depth, pattern in enumerate(self._totals):
            self._n_since[depth] += last - first
            for name in pattern.fields:
                if name not in table.names:
                    near = find_nearest(name, table.names) or "; there are: " + ", ".join(
                        table.names
                    )
                    raise UsageError(f"--totals names no column: {name!r}{near}")
                column = table.names.index(name)
                values = (table.value(row, column) for row in range(first, last))
                numbers = [
                    number
                    for value in values
                    if value and (number := read_number(value)) is not None
                ]
                own = [self._sums[depth], *([self._grand] if name not in counted else [])]
                for sums in own:
                    sums[name] = sums.get(name, Decimal(0)) + sum(numbers, Decimal(0))
                counted.add(name)

    def _lay_out(self, table: Table, spans: list[tuple[int, int, list[bytes | None]]]) -> Table:
        """Put the groups' values in front of the records they hold for."""
        if not self.names:
            return table
        shape = table.n_records, len(self.names)
        starts, ends = np.full(shape, MISSING, np.int32), np.full(shape, MISSING, np.int32)
        told = [
            (first, last, column, value)
            for first, last, values in spans
            for column, value in enumerate(values)
            if value is not None and first < last
        ]
        text, begins, stops = table.text.repeat([value for *_, value in told], "groups")
        for (first, last, column, _), begin, stop in zip(told, begins, stops, strict=True):
            starts[first:last, column], ends[first:last, column] = begin, stop
        return replace(
            table,
            text=text,
            names=(*self.names, *table.names),
            starts=np.concatenate([starts, table.starts], axis=1),
            ends=np.concatenate([ends, table.ends], axis=1),
        )


def find_heads_behind(ragged: Ragged, drops: LineDrops) -> Ints:
    """Return the lines right behind a group or total line: no record goes on over one."""
    mine = drops.has("group-line", "total-line")
    rows = np.searchsorted(ragged.record_starts, np.sort(drops.starts[mine]))
    return rows[rows < ragged.stops.size]
