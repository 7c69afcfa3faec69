"""Records that say what another says: found by what tells them apart, across pieces of a table.

Each record has a key of 16 bytes, mixed of the digests of its values; keys are kept with the number
of the record, not values: 24 bytes a record.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from wetcomb.core.arrays import Bools, Bytes, Ints, count_before, is_blank, list_positions
from wetcomb.core.table import MISSING, Table
from wetcomb.match.digests import Digests, Reader
from wetcomb.steps.clean.edits import list_kinds

__all__ = ["Repeats", "Seams", "find_last", "make_keys"]

_FIRST, _SECOND = np.uint64(0x9E3779B97F4A7C15), np.uint64(0xD6E8FEB86659FD93)
_SMALL = np.arange(256, dtype=np.uint8)  # each sign of ASCII as a small letter
_SMALL[0x41:0x5B] += 0x20
_SEAM = 3  # records of a run
_SHIFT = np.uint64(31)
_NOTHING = np.uint64(0x51ED270B2C7F1A3D)  # of a missing value; an empty one is the same


def make_keys(
    table: Table, columns: Sequence[int], *, ignore_case: bool, ignore_spacing: bool
) -> Digests:
    """Return the key of each record, (R, 2) uint64: two digests of its values."""
    keys = np.zeros((table.n_records, 2), np.uint64)
    for column in columns:
        prints = _find_prints(table, column, ignore_case=ignore_case, ignore_spacing=ignore_spacing)
        for half, factor in enumerate((_FIRST, _SECOND)):
            keys[:, half] ^= prints
            keys[:, half] *= factor
            keys[:, half] ^= keys[:, half] >> _SHIFT
    return keys


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
        text = text.casefold() if ignore_case else text
        folded.append(("".join(text.split()) if ignore_spacing else text).encode())
    laid = np.frombuffer(b"".join(folded), np.uint8)
    digests = _digest(laid, np.array([len(one) for one in folded], np.int64))
    prints[kinds.rows] = digests[kinds.which]
    return prints


def _digest(laid: Bytes, sizes: Ints) -> Digests:
    """Return the digests of texts that stand one behind another."""
    stops = np.cumsum(sizes)
    return Reader(laid).find_prints(stops - sizes, stops, folded=False)


class Repeats:
    """Keys that were met, with the number of the record that had each first."""

    def __init__(self) -> None:
        self._first, self._second = np.zeros((2, 0), np.uint64)
        self._numbers = np.zeros(0, np.int64)
        self._n_records = 0

    def find(self, keys: Digests) -> Ints:
        """Return for each record the number of the one that had its key first; -1 where it is the first.

        Records are numbered from 0 over all pieces.
        """
        order, fresh = _sort(keys)
        firsts = order[fresh]
        first, second = keys[firsts, 0], keys[firsts, 1]
        at, is_known = self._look_up(first, second)
        numbers = firsts + self._n_records
        numbers[is_known] = self._numbers[at[is_known]]
        originals = np.empty(len(keys), np.int64)
        originals[order] = numbers[np.cumsum(fresh) - 1]
        new = ~is_known
        self._first = np.insert(self._first, at[new], first[new])
        self._second = np.insert(self._second, at[new], second[new])
        self._numbers = np.insert(self._numbers, at[new], numbers[new])
        originals[firsts[new]] = -1
        self._n_records += len(keys)
        return originals

    def _look_up(self, first: Digests, second: Digests) -> tuple[Ints, Bools]:
        """Return where among the keys each stands or would, and which stand there."""
        at = np.searchsorted(self._first, first)
        if not self._first.size:
            return at, np.zeros(first.size, np.bool_)
        while True:  # as good as never more than once: then halves of keys are alike
            here = np.minimum(at, self._first.size - 1)
            is_half = (at < self._first.size) & (self._first.take(here, mode="clip") == first)
            is_known = is_half & (self._second.take(here, mode="clip") == second)
            behind = self._first.take(here + 1, mode="clip") == first
            goes_on = is_half & ~is_known & behind & (here + 1 < self._first.size)
            if not goes_on.any():
                return at, is_known
            at = at + goes_on


class Seams:
    """Runs of records that repeat others in the same order, as where two pastes overlap."""

    def __init__(self) -> None:
        self._last, self._length, self._line = -2, 0, 0
        self.found: list[tuple[int, int]] = []

    def look(self, originals: Ints, lines: Ints) -> None:
        """Go on with the records that others said first (-1 for one that is new), and their lines."""
        for original, line in zip(originals.tolist(), lines.tolist(), strict=True):
            if original >= 0 and original == self._last + 1 and self._length:
                self._length += 1
            else:
                self.close()
                self._length, self._line = int(original >= 0), line
            self._last = original if original >= 0 else -2

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
