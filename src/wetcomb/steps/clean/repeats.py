"""Records that say what another says: found by what tells them apart, across pieces of a table.

Each record has a key of 16 bytes, mixed of the digests of its values. Keys are kept, not values;
where a key stands takes 4 bytes for each of two to four places a record.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from wetcomb.core.arrays import Bools, Bytes, Ints, Spans, count_before, is_blank, list_positions
from wetcomb.core.table import MISSING, Table
from wetcomb.match.characters import drop_spacing
from wetcomb.match.digests import Digests, Reader
from wetcomb.match.letter_case import fold_case
from wetcomb.steps.clean.edits import list_kinds

__all__ = [
    "MOST_NEAR", "Likeness", "Repeats", "Seams", "find_last", "find_prints", "mix_keys",
]  # fmt: skip

MOST_NEAR = 1 << 17  # records whose digests are kept, to tell in what others differ from them

_FIRST, _SECOND = np.uint64(0x9E3779B97F4A7C15), np.uint64(0xD6E8FEB86659FD93)
_SMALL = np.arange(256, dtype=np.uint8)  # each sign of ASCII as a small letter
_SMALL[0x41:0x5B] += 0x20
_SEAM = 3  # records of a run
_FREE = -1  # of a place that no record has
_FEW = 1 << 16  # places to begin with
_MANY = 1 << 31  # places; more take numbers of eight bytes
_SHIFT = np.uint64(31)
_NOTHING = np.uint64(0x51ED270B2C7F1A3D)  # of a missing value; an empty one is the same


def find_prints(
    table: Table, columns: Sequence[int], *, ignore_case: bool, ignore_spacing: bool
) -> Digests:
    """Return the digest of each value of some columns, (R, F) uint64."""
    found = np.empty((table.n_records, len(columns)), np.uint64)
    for place, column in enumerate(columns):
        found[:, place] = _find_prints(
            table, column, ignore_case=ignore_case, ignore_spacing=ignore_spacing
        )
    return found


def mix_keys(prints: Digests) -> Digests:
    """Return the key of each record, (R, 2) uint64: two digests of those of its values."""
    keys = np.zeros((2, len(prints)), np.uint64)
    for mine in prints.T:
        for half, factor in enumerate((_FIRST, _SECOND)):
            keys[half] ^= mine
            keys[half] *= factor
            keys[half] ^= keys[half] >> _SHIFT
    return keys.T


def _find_prints(table: Table, column: int, *, ignore_case: bool, ignore_spacing: bool) -> Digests:
    """Return the digest of each value of a column."""
    if not (ignore_case or ignore_spacing):
        starts = np.maximum(table.starts[:, column], 0).astype(np.int64)
        ends = np.maximum(table.ends[:, column], 0).astype(np.int64)
        prints = Reader(table.text.data).find_prints(starts, ends, folded=False)
        prints[(table.starts[:, column] == MISSING) | (ends == starts)] = _NOTHING
        return prints
    starts = np.maximum(table.starts[:, column], 0).astype(np.int64)
    ends = np.maximum(table.ends[:, column], 0).astype(np.int64)
    prints = np.full(table.n_records, _NOTHING)
    rows = np.flatnonzero(ends > starts)
    data = table.text.data
    wide = count_before(data >= 0x80)
    is_wide = wide[ends[rows]] > wide[starts[rows]]
    plain, others = rows[~is_wide], rows[is_wide]
    signs = data[list_positions(starts[plain], ends[plain])]
    sizes = ends[plain] - starts[plain]
    if ignore_case:
        signs = _SMALL[signs]
    if ignore_spacing:
        stays = ~is_blank(signs)
        before, stops = count_before(stays), np.cumsum(sizes)
        sizes = (before[stops] - before[stops - sizes]).astype(np.int64)
        signs = signs[stays]
    prints[plain] = _digest(signs, sizes)
    kinds = list_kinds(table, column, others)
    folded = []
    for value in kinds.tell(table.text):
        text = value.decode()
        text = fold_case(text) if ignore_case else text
        folded.append((drop_spacing(text) if ignore_spacing else text).encode())
    laid = np.frombuffer(b"".join(folded), np.uint8)
    digests = _digest(laid, np.array([len(one) for one in folded], np.int64))
    prints[kinds.rows] = digests[kinds.which]
    return prints


def _digest(laid: Bytes, sizes: Ints) -> Digests:
    """Return the digests of texts that stand one behind another."""
    stops = np.cumsum(sizes)
    return Reader(laid).find_prints(stops - sizes, stops, folded=False)


class Repeats:
    """The keys of all records, by their numbers, and a table in which those are found that had a key first.

    A table of at least twice as many places as records: each new key's record stands at the place
    that its first bits say, or at the next one behind it that was free.
    """

    def __init__(self) -> None:
        self._n_records = 0
        self._first, self._second = np.zeros((2, 0), np.uint64)
        self._places: Spans | Ints = np.full(_FEW, _FREE, np.int32)

    def find(self, keys: Digests) -> Ints:
        """Return for each record the number of the one that had its key first; -1 where it is the first.

        Records are numbered from 0 over all pieces.
        """
        before, self._n_records = self._n_records, self._n_records + len(keys)
        self._make_room(before)
        mine = slice(before, self._n_records)
        self._first[mine], self._second[mine] = keys.T
        numbers = np.arange(before, self._n_records)
        originals = self._settle(numbers)
        originals[originals == numbers] = -1
        return originals

    def _make_room(self, before: int) -> None:
        """Let the records of a piece in beside those before it."""
        if self._n_records > self._first.size:
            self._first = _grow(self._first[:before], 2 * self._n_records)
            self._second = _grow(self._second[:before], 2 * self._n_records)
        if 2 * self._n_records > self._places.size:
            n_places = 1 << (2 * self._n_records - 1).bit_length()
            kept = self._places[self._places != _FREE].astype(np.int64)
            self._places = np.full(n_places, _FREE, np.int32)
            if n_places > _MANY:
                self._places = self._places.astype(np.int64)
            self._settle(np.sort(kept))

    def _settle(self, numbers: Ints) -> Ints:
        """Give records a place where their keys are new; return for each the one that has its key there."""
        found = numbers.copy()
        last = self._places.size - 1
        first, second = self._first[numbers], self._second[numbers]
        places = (first & np.uint64(last)).view(np.int64)
        left: Ints | None = None  # all of them, at first
        while places.size:
            there = self._places.take(places)
            free = np.flatnonzero(there == _FREE)
            taken = places[free]
            self._places[taken[::-1]] = numbers[free[::-1]]  # so that the first of several stays
            there[free] = self._places.take(taken)
            others = np.flatnonzero(there != numbers)
            owners = there[others]
            is_same = self._first.take(owners) == first[others]
            is_same &= self._second.take(owners) == second[others]
            same, away = others[is_same], others[~is_same]
            found[same if left is None else left[same]] = there[same]
            left = away if left is None else left[away]
            first, second, numbers = first[away], second[away], numbers[away]
            places = (places[away] + 1) & last
        return found


def _grow(keys: Digests, size: int) -> Digests:
    """Return keys with room behind them; what is not written takes no memory."""
    grown = np.empty(size, np.uint64)
    grown[: keys.size] = keys
    return grown


class Likeness:
    """The digests of the first records' values, by which it is told in what two of them differ."""

    def __init__(self) -> None:
        self._names: tuple[str, ...] = ()
        self._prints: list[Digests] = []
        self._lines: list[Ints] = []
        self._n_records = 0

    def add(self, table: Table, prints: Digests) -> None:
        """Remember records, as long as there are not too many."""
        self._names = table.names
        if self._n_records < MOST_NEAR:
            self._prints.append(prints)
            self._lines.append(table.line_numbers(np.arange(table.n_records))[0])
        self._n_records += len(prints)

    def tell(self, pairs: Sequence[tuple[int, int]]) -> str:
        """Return in what records differ from others, both by their numbers, in words."""
        if not self._prints:
            return ""
        prints, lines = np.concatenate(self._prints), np.concatenate(self._lines)
        said = []
        for mine, other in pairs:
            if max(mine, other) < len(prints):
                odd = np.flatnonzero(prints[mine] != prints[other])
                names = ", ".join(self._names[place] for place in odd.tolist())
                said.append(f"line {lines[mine]} from line {lines[other]} in {names}")
        return f": {'; '.join(said)}" if said else ""


class Seams:
    """Runs of records that repeat others in the same order, as where two pastes overlap."""

    def __init__(self) -> None:
        self._last, self._length, self._line = -2, 0, 0
        self.found: list[tuple[int, int]] = []

    def look(self, originals: Ints, tell_line: Callable[[int], int]) -> None:
        """Go on with the records that others said first (-1 for one that is new).

        `tell_line` returns the source line of a record of this piece.
        """
        before = np.append(self._last, originals[:-1])
        goes_on = (originals >= 0) & (before >= 0) & (originals == before + 1)
        ends = np.append(np.flatnonzero(~goes_on), originals.size)
        self._length += int(ends[0])  # of the run that the piece before this one ended in
        begins = ends[:-1][originals[ends[:-1]] >= 0]
        lengths = ends[np.searchsorted(ends, begins, "right")] - begins
        if ends.size > 1:
            self.close()
        for begin, length in zip(begins.tolist(), lengths.tolist(), strict=True):
            if length >= _SEAM or begin + length == originals.size:
                self._line, self._length = tell_line(begin), length
                if begin + length < originals.size:
                    self.close()
        self._last = int(originals[-1]) if originals.size else self._last

    def close(self) -> None:
        """Take note of a run that has come to its end."""
        if self._length >= _SEAM:
            self.found.append((self._line, self._length))
        self._length = 0


def find_last(keys: Digests) -> Ints:
    """Return the records that are the last of their key, in order."""
    order, fresh = _sort(keys[::-1])
    return np.sort(len(keys) - 1 - order[fresh])


def _sort(keys: Digests) -> tuple[Ints, Bools]:
    """Return records in the order of their keys, equal ones as they came, and which is the first of each."""
    order = np.argsort(keys[:, 0], kind="stable")
    first, second = keys[order, 0], keys[order, 1]
    same = first[1:] == first[:-1]
    if (second[1:][same] != second[:-1][same]).any():  # as good as never: half a key says enough
        order = np.lexsort((keys[:, 1], keys[:, 0]))
        first, second = keys[order, 0], keys[order, 1]
        same = (first[1:] == first[:-1]) & (second[1:] == second[:-1])
    return order, np.append(True, ~same)[: order.size]
