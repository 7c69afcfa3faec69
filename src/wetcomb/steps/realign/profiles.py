"""What columns hold, and so what it costs to lay pieces of a record under them."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from functools import cached_property
from typing import TypeVar

import msgspec
import numpy as np

from wetcomb.core.arrays import Array, Bools, Bytes, Ints, Spans
from wetcomb.core.errors import UsageError, find_nearest
from wetcomb.core.table import MISSING, Table
from wetcomb.match.digests import Reader
from wetcomb.match.fits import FREE, WORDY, ClosedList, Looked, ShapeTest, find_test
from wetcomb.match.orders import find_orders
from wetcomb.steps.realign.options import COSTS, Realign
from wetcomb.steps.realign.readings import IMPOSSIBLE, MOST_TAKEN, Costs, Readings

__all__ = ["Bounds", "Column", "PieceMatrix", "Profile", "look_at_column"]

T = TypeVar("T")
Weights = Array[np.int32]
Places = Array[np.float64]

#: Patterns that so much covers that a value of them says nothing of where it belongs.
_COMMON = (*FREE, *WORDY, "{word}")
_NEVER = np.int32(IMPOSSIBLE)


class Column(msgspec.Struct, frozen=True, eq=False):
    """What is known of one column."""

    name: str
    test: ShapeTest
    listed: ClosedList | None
    is_optional: bool
    absorbs: bool
    rises: bool

    @property
    def is_free(self) -> bool:
        """Whether anything may stand in it."""
        return self.test.pattern in FREE and self.listed is None

    @property
    def is_anchor(self) -> bool:
        """Whether a value that fits says that the record is one of this table."""
        return self.listed is not None or self.test.pattern not in _COMMON


class Bounds(msgspec.Struct, frozen=True, eq=False):
    """For each rising column, the values before and behind each record that fit; NaN where none do."""

    low: dict[int, Places]
    high: dict[int, Places]

    def take(self, rows: Ints) -> Bounds:
        """Return those of some records."""
        return Bounds(
            {column: low[rows] for column, low in self.low.items()},
            {column: high[rows] for column, high in self.high.items()},
        )

    def find_against(self, column: int, places: Places) -> Bools:
        """Return which places in the order lie outside; the records are the last axis."""
        low, high = self.low[column], self.high[column]
        is_odd = low > high  # the neighbours contradict each other: nothing can be told
        return ((places < low) | (places > high)) & ~is_odd


class PieceMatrix(msgspec.Struct, frozen=True, eq=False, dict=True):
    """B records of N pieces each.

    Attributes
    ----------
    starts, ends : (N, B) int64, each piece's value
    outer_starts, outer_ends : (N, B) int64, the same in the body, with quote marks
    follows : (N, B) bool, whether a piece can be put together with the one before
    bounds : what the neighbours say of rising columns
    """

    reader: Reader
    starts: Ints
    ends: Ints
    outer_starts: Ints
    outer_ends: Ints
    follows: Bools
    bounds: Bounds

    @property
    def n_records(self) -> int:
        """B, the number of records."""
        return self.starts.shape[1]

    @cached_property
    def looked(self) -> Looked:
        """All pieces, (N, B)."""
        return Looked(self.reader, self.starts, self.ends)

    def take(self, records: Ints) -> PieceMatrix:
        """Return some of the records."""
        return PieceMatrix(
            self.reader,
            self.starts[:, records],
            self.ends[:, records],
            self.outer_starts[:, records],
            self.outer_ends[:, records],
            self.follows[:, records],
            self.bounds.take(records),
        )

    def list_pieces(self, firsts: Ints, taken: Bytes) -> list[tuple[Ints, Looked]]:
        """Return the first, second and so on of the pieces that a column takes, with their records."""
        found = []
        for ahead in range(int(taken.max(initial=0))):
            records = np.flatnonzero(taken > ahead)
            at = firsts[records] + ahead, records
            found.append((records, self.looked.part(at)))
        return found

    def lay(self, takes: Bytes, skipped: Ints) -> tuple[Spans, Spans]:
        """Return the cells of a reading, (B, F) each; -1 where a column takes nothing."""
        if not len(self.starts):
            return np.full(takes.shape, MISSING, np.int32), np.full(takes.shape, MISSING, np.int32)
        ends = np.cumsum(takes, axis=1, dtype=np.int64) + skipped[:, None]
        firsts = ends - takes
        first, last = np.minimum(firsts, len(self.starts) - 1), np.maximum(ends - 1, 0)
        last = np.minimum(last, len(self.starts) - 1)
        records = np.arange(self.n_records)[:, None]
        one = takes == 1
        starts = np.where(one, self.starts[first, records], self.outer_starts[first, records])
        stops = np.where(one, self.ends[last, records], self.outer_ends[last, records])
        starts[takes == 0] = stops[takes == 0] = MISSING
        return starts.astype(np.int32), stops.astype(np.int32)


class Profile:
    """What all columns of a table hold.

    Raises
    ------
    UsageError : an option names a column that there is not
    """

    def __init__(self, options: Realign, names: Sequence[str]) -> None:
        self.options, self.names = options, tuple(names)
        shapes = self._by_place("shape", options.shapes)
        lists = self._by_place("values", options.lists)
        sets = {
            flag: set(self._by_place(flag, dict.fromkeys(getattr(options, flag))))
            for flag in ("optional", "absorb", "rising")
        }
        tests = {pattern: find_test(pattern) for pattern in ["", *shapes.values()]}
        self.columns = tuple(
            Column(
                name,
                tests[shapes.get(place, "")],
                ClosedList(lists[place]) if place in lists else None,
                place in sets["optional"],
                place in sets["absorb"],
                place in sets["rising"],
            )
            for place, name in enumerate(names)
        )
        self.rising = [place for place, column in enumerate(self.columns) if column.rises]
        self._checked = [
            k for k, c in enumerate(self.columns) if c.listed is not None or not c.test.says_nothing
        ]
        self._lists = [column.listed for column in self.columns if column.listed is not None]
        self._required = [k for k, column in enumerate(self.columns) if not column.is_optional]
        self._single = [k for k, column in enumerate(self.columns) if not column.absorbs]
        self._tests = [test for pattern, test in tests.items() if pattern]
        cost = {name: each.cost for name, each in COSTS.items()}
        if options.prefer == "optional":
            cost["merge-absorb"] += options.margin
        self._cost = cost
        # a blank more and a piece more taken together cost so much: filling costs that and the margin
        pair = cost["blank-optional"] + cost["merge-absorb"]
        self._filling = (options.margin + pair) * (options.prefer == "absorb")

    def _by_place(self, flag: str, named: Mapping[str, T]) -> dict[int, T]:
        return {self.find_column(name, flag): value for name, value in named.items()}

    def find_column(self, name: str, flag: str) -> int:
        """Return the place of a column by its heading, or by its number counted from 1."""
        if name in self.names:
            return self.names.index(name)
        if name.isdecimal() and 0 < int(name) <= len(self.names):
            return int(name) - 1
        near = find_nearest(name, self.names) or "; there are: " + ", ".join(self.names)
        raise UsageError(f"--{flag}: there is no column {name!r}{near}")

    # Records as they were cut

    def find_odd(self, reader: Reader, table: Table) -> Bools:
        """Return which records hold a value that is not of its column's shape, or not in its list."""
        return self.find_odd_cells(
            lambda place: look_at_column(reader, table, place), table.n_records
        )

    def find_odd_cells(self, columns: Callable[[int], Looked], n_records: int) -> Bools:
        """Return the same for columns that are looked at as the caller likes."""
        odd = np.zeros(n_records, np.bool_)
        for _, foreign in self._list_foreign(columns):
            odd |= foreign
        return odd

    def _list_foreign(self, columns: Callable[[int], Looked]) -> Iterator[tuple[int, Bools]]:
        """Yield each column that is known with which of its cells hold what does not fit it."""
        for place in self._checked:
            column, looked = self.columns[place], columns(place)
            if column.listed is not None:  # what is listed is of the column's shape
                fits = column.listed.find(looked.raw)
            else:
                fits = column.test.find(looked)
            yield place, (looked.ends > looked.starts) > fits

    def find_misfits(
        self, matrix: PieceMatrix, readings: Readings, starts: Spans, ends: Spans
    ) -> Bools:
        """Return which records of a matrix would still not fit with the cells of their best readings.

        Of names put together from several pieces each piece is to be one, whatever parts them; no
        piece is to be one of the closed list of another column.

        Where some columns have shapes or lists that not just any name is of, a record without a
        value in any of them fits none: it is more likely no record at all.
        """
        foreign = np.zeros(starts.shape, np.bool_)
        cells = Looked(matrix.reader, starts, ends)
        for place, odd_cells in self._list_foreign(lambda place: cells.part(np.s_[:, place])):
            foreign[:, place] = odd_cells
        firsts = np.cumsum(readings.takes, axis=1, dtype=np.int64) - readings.takes
        firsts += readings.skipped[:, None]
        for place, column in enumerate(self.columns):
            if column.listed is not None:
                continue
            pieces = matrix.list_pieces(firsts[:, place], readings.takes[:, place])
            if column.test.pattern in WORDY:
                several = readings.takes[:, place] > 1
                foreign[several, place] = False
                for records, looked in pieces:
                    foreign[records, place] |= several[records] & ~column.test.find(looked)
            for records, looked in pieces if self._lists else ():
                for listed in self._lists:  # one of another column: its own must have been lost
                    foreign[records, place] |= listed.find(looked.raw)
        odd: Bools = np.logical_or.reduce(foreign, axis=1)
        anchors = [place for place, column in enumerate(self.columns) if column.is_anchor]
        if anchors:
            odd |= ~np.logical_or.reduce(ends[:, anchors] > starts[:, anchors], axis=1)
        for place in self.rising:
            orders = find_orders(matrix.reader.data, starts[:, place], ends[:, place])
            odd |= matrix.bounds.find_against(place, orders)
        return odd

    def are_declared(self, takes: Bytes) -> Bools:
        """Return which readings leave blank only optional columns, and give several pieces only to absorbing ones."""
        filled: Bools = np.logical_and.reduce(takes[:, self._required] > 0, axis=1)
        return filled & np.logical_and.reduce(takes[:, self._single] <= 1, axis=1)

    def find_places(self, table: Table) -> dict[int, Places]:
        """Return the place in its order of each value of the rising columns."""
        data = table.text.data
        return {
            column: find_orders(data, table.starts[:, column], table.ends[:, column])
            for column in self.rising
        }

    # Readings

    def weigh(self, matrix: PieceMatrix) -> Costs:
        """Return what each column costs for each number of pieces it can take."""
        n_pieces, n_records = matrix.starts.shape
        looked = matrix.looked
        empty = matrix.ends == matrix.starts
        covers = {test.pattern: test.find(looked) for test in self._tests}
        listed = [c.listed.find(looked.raw) if c.listed else None for c in self.columns]
        typed = [test.pattern for test in self._tests if test.pattern not in _COMMON]
        takes = []
        for place, column in enumerate(self.columns):
            stray = np.zeros(empty.shape, np.bool_)
            if column.listed is None:
                others = [hits for hits in listed if hits is not None]
                if column.is_free:
                    others += [covers[pattern] for pattern in typed]
                for hits in others:
                    stray |= hits
            fits = covers.get(column.test.pattern)
            takes.append(self._weigh_column(matrix, place, empty, stray, fits, listed[place]))
        skip = np.full((n_pieces + 1, n_records), _NEVER, np.int32)
        skip[0] = 0
        leading = np.logical_and.accumulate(empty, axis=0)
        for place in range(n_pieces):
            passed = np.int32(self._cost["passed-over"] * (place + 1))
            skip[place + 1] = np.where(leading[place], passed, _NEVER)
        return Costs(n_pieces, n_records, skip, takes)

    def _weigh_column(
        self,
        matrix: PieceMatrix,
        place: int,
        empty: Bools,
        stray: Bools,
        fits: Bools | None,
        listed: Bools | None,
    ) -> list[Weights]:
        column, cost = self.columns[place], self._cost
        n_pieces = len(empty)
        blank = cost["blank-optional"] if column.is_optional else cost["blank"]
        filling = self._filling if column.is_optional and not column.is_anchor else 0
        one = (stray * np.int32(cost["stray"])).astype(np.int32)
        if listed is not None:
            one[~listed] = cost["unlisted"]
        if fits is not None:
            one[~fits] = cost["foreign"]
        if column.rises:
            places = find_orders(matrix.reader.data, matrix.starts, matrix.ends)
            one += matrix.bounds.find_against(place, places) * np.int32(cost["against"])
        one += np.int32(filling)
        one[empty] = 0 if column.is_optional else cost["empty"]
        takes = [np.full((n_pieces + 1, 1), blank, np.int32), one]
        most = MOST_TAKEN if column.absorbs else 1 if column.is_free else 2
        takes += [
            self._weigh_window(matrix, place, taken, empty, stray, fits) + np.int32(filling)
            for taken in range(2, min(most, n_pieces) + 1)
        ]
        return takes[: n_pieces + 1]

    def _weigh_window(
        self,
        matrix: PieceMatrix,
        place: int,
        taken: int,
        empty: Bools,
        stray: Bools,
        fits: Bools | None,
    ) -> Weights:
        """Return what it costs that a column takes so many pieces at once."""
        column, cost = self.columns[place], self._cost
        n_windows = len(empty) + 1 - taken
        is_torn = _any_of(empty, taken) | _any_of(~matrix.follows[1:], taken - 1)
        base = cost["merge-absorb"] * (taken - 1) if column.absorbs else cost["merge"]
        weights = np.full((n_windows, empty.shape[1]), base, np.int32)
        if fits is not None and (column.test.pattern in WORDY or not column.absorbs):
            weights += _any_of(~fits, taken) * np.int32(cost["foreign"])
        for ahead in range(taken):
            weights += stray[ahead : ahead + n_windows] * np.int32(cost["stray"])
        needs_text = column.listed is not None or (column.absorbs and fits is not None)
        if needs_text:
            starts = np.where(is_torn, 0, matrix.outer_starts[:n_windows])
            ends = np.where(is_torn, 0, matrix.outer_ends[taken - 1 :])
            looked = Looked(matrix.reader, starts, ends)
            if column.listed is not None:
                weights += ~column.listed.find(looked.raw) * np.int32(cost["unlisted"])
            if column.absorbs and fits is not None and column.test.pattern not in WORDY:
                weights += ~column.test.find(looked) * np.int32(cost["foreign"])
            if column.rises:
                places = find_orders(matrix.reader.data, looked.starts, looked.ends)
                weights += matrix.bounds.find_against(place, places) * np.int32(cost["against"])
        weights[is_torn] = _NEVER
        return weights


def look_at_column(reader: Reader, table: Table, place: int) -> Looked:
    """Return the cells of one column; a column at a time stays in the processor's cache."""
    starts, ends = table.starts[:, place], table.ends[:, place]
    return Looked(reader, starts.astype(np.int64), ends.astype(np.int64))


def _any_of(mask: Bools, width: int) -> Bools:
    """Return for each window of so many pieces whether any of them is set."""
    n_windows = len(mask) + 1 - width
    found = mask[:n_windows].copy()
    for ahead in range(1, width):
        found |= mask[ahead : ahead + n_windows]
    return found
