"""Two tables held against each other: which records both have, which differ and in which cells.

Each record is known by two digests of 64 bits, of its key and of all its values, so a table of any length takes
24 bytes a record. Records that differ are read a second time, some at a time, and told cell by cell.
With a key (`by`) records belong together that have the same; without one, equal records do, and what is
left between the same two of them, in order, where at least half of the cells are equal.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Sequence
from functools import cached_property, partial
from typing import Any

import msgspec
import numpy as np

from wetcomb.core.arrays import Ints
from wetcomb.core.comparison import Comparison, Difference
from wetcomb.core.errors import UsageError, find_nearest
from wetcomb.core.table import MISSING, Table, take_records
from wetcomb.match.digests import Digests
from wetcomb.steps.clean.repeats import find_prints, mix_keys

__all__ = ["Both", "Side", "compare", "do_both"]

_LOOKED_AT = 2000  # records by which columns are known that are called otherwise
_ALIKE, _UNLIKE = 0.8, 0.2  # shares of values that two columns have in common
_HELD = 50_000  # records of each table that are read at once
_SHOWN = 3  # of each kind


class Side(msgspec.Struct, frozen=True):
    """One of the two tables.

    Attributes
    ----------
    name : what messages call it
    read : gives its records, some at a time, as often as it is asked
    """

    name: str
    read: Callable[[], Iterable[Table]]


#: Calls two functions and returns what they return.
Both = Callable[[Callable[[], Any], Callable[[], Any]], tuple[Any, Any]]


def do_both(first: Callable[[], Any], second: Callable[[], Any]) -> tuple[Any, Any]:
    """Call one function after the other."""
    return first(), second()


class _Columns(msgspec.Struct, frozen=True):
    """Which columns are held against each other, by their places in each table."""

    old: tuple[int, ...]
    new: tuple[int, ...]
    names: tuple[str, ...]
    keys: tuple[int, ...]  # places among these


class _Keys(msgspec.Struct, eq=False, dict=True):
    """The digests of all records of a table."""

    keys: Digests  # (R, 2)
    fulls: Digests

    @cached_property
    def order(self) -> Ints:
        """The records by their keys' first halves, equal ones as they come."""
        return np.argsort(self.keys[:, 0], kind="stable")

    @cached_property
    def firsts(self) -> Digests:
        """These halves, in order."""
        return self.keys[self.order, 0]


def compare(
    old: Side,
    new: Side,
    *,
    by: Sequence[str] = (),
    ignore_case: bool = False,
    ignore_spacing: bool = False,
    take: Callable[[Difference], None] | None = None,
    both: Both = do_both,
) -> Comparison:
    """Return how two tables differ; `take` is given each difference.

    Parameters
    ----------
    both : calls two functions, perhaps at once, and returns what they return

    Raises
    ------
    UsageError : they have no column in common, there is no such key, or it stands twice
    """
    folding = {"ignore_case": ignore_case, "ignore_spacing": ignore_spacing}
    found = Comparison(old.name, new.name, by=tuple(by))
    columns = _pair_columns(old, new, by, found)
    mine, other = both(
        partial(_digest, old, columns.old, columns.keys, folding),
        partial(_digest, new, columns.new, columns.keys, folding),
    )
    found.n_old, found.n_new = len(mine.keys), len(other.keys)
    if by:
        for side, keys in ((old, mine), (new, other)):
            _check_unique(side, keys, by)
    partners = _match(mine, other)
    rows = np.flatnonzero(partners != MISSING)
    is_same = mine.fulls[rows] == other.fulls[partners[rows]]
    found.same = int(is_same.sum())
    behind = np.maximum.accumulate(partners[rows]) if rows.size else rows
    found.elsewhere = int((partners[rows] < behind).sum())
    pairs = np.column_stack([rows[~is_same], partners[rows[~is_same]]])
    left = np.flatnonzero(partners == MISSING)
    right = np.ones(found.n_new, np.bool_)
    right[partners[rows]] = False
    over = np.flatnonzero(right)
    is_certain = True
    if not by:
        pairs = _pair_left(partners, left, over, found.n_new)
        left = np.setdiff1d(left, pairs[:, 0])
        over = np.setdiff1d(over, pairs[:, 1])
        is_certain = False
    _Teller(old, new, columns, found, folding, take, both).tell(
        pairs, left, over, is_certain=is_certain
    )
    return found


def _pair_columns(old: Side, new: Side, by: Sequence[str], found: Comparison) -> _Columns:
    """Return which columns are held against each other, and say what is odd about them."""
    first, second = _look(old), _look(new)
    names_old, names_new = first[0], second[0]
    for name in by:
        for side, names in ((old, names_old), (new, names_new)):
            if name not in names:
                near = find_nearest(name, names) or "; there are: " + ", ".join(names)
                raise UsageError(f"--by: {side.name} has no column {name!r}{near}")
    common = [name for name in names_old if name in names_new]
    gone = [name for name in names_old if name not in names_new]
    added = [name for name in names_new if name not in names_old]
    shares = {(a, b): _share(first, second, a, b) for a in gone for b in added}
    for (a, b), share in sorted(shares.items(), key=lambda one: -one[1]):
        if share >= _ALIKE and a in gone and b in added:
            found.renamed += ((a, b),)
            gone.remove(a)
            added.remove(b)
    if not common and not found.renamed:
        raise UsageError(
            f"{old.name} and {new.name} have no column in common ({', '.join(names_old[:6])}; {', '.join(names_new[:6])}); are they read as they are parted (--read)?"
        )
    found.columns_gone, found.columns_added = tuple(gone), tuple(added)
    found.is_moved = common != [name for name in names_new if name in common]
    unlike = [name for name in common if _share(first, second, name, name) <= _UNLIKE]
    for place, a in enumerate(unlike):
        for b in unlike[place + 1 :]:
            if min(_share(first, second, a, b), _share(first, second, b, a)) >= _ALIKE:
                found.swapped += ((a, b),)
    paired = [(name, name) for name in common] + [*found.renamed]
    paired.sort(key=lambda one: names_old.index(one[0]))
    return _Columns(
        tuple(names_old.index(a) for a, _ in paired),
        tuple(names_new.index(b) for _, b in paired),
        tuple(a for a, _ in paired),
        tuple(place for place, (a, _) in enumerate(paired) if a in by),
    )


#: The names of a table, and the digests of its first values, each with how often it stands, by column.
_Look = tuple[tuple[str, ...], list[Counter[int]]]


def _look(side: Side) -> _Look:
    names: tuple[str, ...] = ()
    seen: list[Counter[int]] = []
    left = _LOOKED_AT
    for table in side.read():
        names, seen = table.names, seen or [Counter() for _ in table.names]
        some = take_records(table, np.arange(min(table.n_records, left)))
        prints = find_prints(some, range(len(names)), ignore_case=False, ignore_spacing=True)
        for counts, column in zip(seen, prints.T, strict=True):
            counts.update(column.tolist())
        left -= some.n_records
        if not left:
            break
    return names, seen


def _share(first: _Look, second: _Look, a: str, b: str) -> float:
    """Return which share of their values two columns have in common."""
    mine, other = first[1][first[0].index(a)], second[1][second[0].index(b)]
    return (mine & other).total() / max(1, mine.total(), other.total())


def _digest(
    side: Side, columns: Sequence[int], keys: Sequence[int], folding: dict[str, bool]
) -> _Keys:
    """Return the digests of all records of a table; without a key, that of a record is of all it says."""
    all_keys, fulls = [np.zeros((0, 2), np.uint64)], [np.zeros(0, np.uint64)]
    for table in side.read():
        prints = _find_prints(table, columns, folding)
        whole = mix_keys(prints)
        all_keys.append(mix_keys(prints[:, list(keys)]) if keys else whole)
        fulls.append(whole[:, 0].copy())
    return _Keys(np.concatenate(all_keys), np.concatenate(fulls))


def _find_prints(table: Table, columns: Sequence[int], folding: dict[str, bool]) -> Digests:
    """Return the digest of each value, and of what no column could take."""
    prints = find_prints(table, columns, **folding)
    if not table.has_rest:
        return np.column_stack([prints, np.zeros(len(prints), np.uint64)])
    rests = msgspec.structs.replace(
        table, names=("rest",), starts=table.rest_starts[:, None], ends=table.rest_ends[:, None]
    )
    has = table.rest_starts != MISSING
    return np.column_stack([prints, np.where(has, find_prints(rests, [0], **folding)[:, 0], 0)])


def _check_unique(side: Side, found: _Keys, by: Sequence[str]) -> None:
    """Raise UsageError where a key stands twice."""
    same = found.firsts[1:] == found.firsts[:-1]
    if not same.any():
        return
    place = int(same.argmax())
    wanted = np.sort(found.order[place : place + 2])
    lines = [one.line for one in _read_rows(side, range(0), wanted).values()]
    raise UsageError(
        f"--by {','.join(by)}: {int(same.sum()) + 1:,} records of {side.name} have the key of another, the first on lines {lines[0]} and {lines[1]}; name more columns, or none"
    )


def _match(mine: _Keys, other: _Keys) -> Ints:
    """Return for each record the one of the other table that has its key, the first for the first of several; -1 where none has."""
    order_mine, wanted = mine.order, mine.firsts
    order, firsts = other.order, other.firsts
    begin = np.searchsorted(firsts, wanted, "left")
    end = np.searchsorted(firsts, wanted, "right")
    rank = np.arange(wanted.size) - np.searchsorted(wanted, wanted, "left")
    place = begin + rank
    found = np.full(wanted.size, MISSING, np.int64)
    has = np.flatnonzero(place < end)
    same = mine.keys[order_mine[has], 1] == other.keys[order[place[has]], 1]
    found[has[same]] = order[place[has[same]]]
    partners = np.full(wanted.size, MISSING, np.int64)
    partners[order_mine] = found
    return partners


def _pair_left(partners: Ints, left: Ints, over: Ints, n_new: int) -> Ints:
    """Return pairs of records that are left between the same two equal ones, in order."""
    before_mine = (
        np.append(MISSING, np.maximum.accumulate(partners))[left] if partners.size else left
    )
    taken = np.zeros(n_new, np.bool_)
    taken[partners[partners != MISSING]] = True
    last = np.maximum.accumulate(np.where(taken, np.arange(n_new), MISSING)) if n_new else over
    before_other = last[over] if over.size else over
    gaps = (_number(part) for part in (before_mine, before_other))
    mine, other = (part.astype(np.uint64) for part in gaps)
    keys = (np.column_stack([part, np.zeros_like(part)]) for part in (mine, other))
    found = _match(*(_Keys(part, part[:, 0]) for part in keys))
    has = found != MISSING
    return np.column_stack([left[has], over[found[has]]])


def _number(gaps: Ints) -> Ints:
    return gaps + 1  # none stands before the first


class _Row(msgspec.Struct):
    """A record that was read again: its line, and its values."""

    line: int
    values: list[str]


def _read_rows(side: Side, columns: Sequence[int], wanted: Ints) -> dict[int, _Row]:
    """Return some records of a table, by their numbers, which rise."""
    rows: dict[int, _Row] = {}
    first = 0
    for table in side.read():
        here = wanted[np.searchsorted(wanted, first) : np.searchsorted(wanted, first + table.n_records)]  # fmt: skip
        if here.size:
            lines, _ = table.line_numbers(here - first)
            for number, line in zip(here.tolist(), lines.tolist(), strict=True):
                values = [table.value(number - first, column) or "" for column in columns]
                rows[number] = _Row(line, [*values, table.rest(number - first) or ""])
        first += table.n_records
        if not wanted.size or first > wanted[-1]:
            break
    return rows


class _Teller:
    """Tells the differences of two tables, a batch of records at a time."""

    def __init__(
        self,
        old: Side,
        new: Side,
        columns: _Columns,
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
        rows: tuple[dict[int, _Row], dict[int, _Row]] = ({}, {})
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

    def _read(self, mine: Ints, other: Ints) -> tuple[dict[int, _Row], dict[int, _Row]]:
        return self._both(
            partial(_read_rows, self._old, self._columns.old, mine),
            partial(_read_rows, self._new, self._columns.new, other),
        )

    def _tell_alone(self, what: str, rows: Ints, known: dict[int, _Row]) -> None:
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
                known = _read_rows(side, columns, some)
            for number in some.tolist():
                row = known[number]
                line = (row.line, 0) if is_old else (0, row.line)
                said = " | ".join([*row.values[:-1], *([row.values[-1]] if row.values[-1] else [])])
                self._give(Difference(what, *line, key=said))

    def _tell_pair(self, mine: _Row, other: _Row, *, is_certain: bool) -> bool:
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
