"""Two tables held against each other: which records both have, which differ and in which cells.

Each record is known by two digests of 64 bits, of its key and of all its values, so a table of any length takes
24 bytes a record. Records that differ are read a second time, some at a time, and told cell by cell.
With a key (`by`) records belong together that have the same; without one, equal records do, and what is
left between the same two of them, in order, where at least half of the cells are equal.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence
from functools import cached_property, partial

import msgspec
import numpy as np

from wetcomb.combs.differences import Teller
from wetcomb.combs.sides import Both, Columns, Side, do_both, read_rows
from wetcomb.core.arrays import Ints
from wetcomb.core.comparison import Comparison, Difference
from wetcomb.core.errors import UsageError, find_nearest
from wetcomb.core.table import MISSING, Table, take_records
from wetcomb.match.digests import Digests
from wetcomb.steps.clean.repeats import find_prints, mix_keys

__all__ = ["compare"]

_LOOKED_AT = 2000  # records by which columns are known that are called otherwise
_ALIKE, _UNLIKE = 0.8, 0.2  # shares of values that two columns have in common


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
    Teller(old, new, columns, found, folding, take, both).tell(
        pairs, left, over, is_certain=is_certain
    )
    return found


def _pair_columns(old: Side, new: Side, by: Sequence[str], found: Comparison) -> Columns:
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
    return Columns(
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
    lines = [one.line for one in read_rows(side, range(0), wanted).values()]
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
