"""Numbers of a plain kind, read by whole arrays: digits, a mark between groups, one before decimals, a minus in front.

What is anything else (units, brackets, a minus behind, digits of other scripts) is read value by value.
"""

from __future__ import annotations

import msgspec
import numpy as np

from wetcomb.core.arrays import Bools, Bytes, Ints, cut_out

__all__ = ["PlainNumbers", "read_plain"]

_MOST = 18  # digits that a number of 64 bits holds for sure
_DIGIT, _GROUP, _POINT, _MINUS, _OTHER = range(5)
_POINT_SIGN = 0x2E


class PlainNumbers(msgspec.Struct, eq=False):
    """What was read of V values.

    Attributes
    ----------
    is_read : (V,) which are plain numbers
    laid, sizes : those of them as decimals are written, one behind another, and how long each is
    is_same : (R,) of those that were read, which are written so already
    ints, scale : (R,) their worth times ten to the scale; None where that does not fit
    """

    is_read: Bools
    laid: Bytes
    sizes: Ints
    is_same: Bools
    ints: Ints | None
    scale: int


def read_plain(data: Bytes, starts: Ints, ends: Ints, group: str, point: str) -> PlainNumbers:
    """Return values read as numbers; the marks are single signs of ASCII, or nothing."""
    table = np.full(256, _OTHER, np.uint8)
    table[0x30:0x3A] = _DIGIT
    table[0x2D] = _MINUS
    for mark, kind in ((group, _GROUP), (point, _POINT)):
        if mark:
            table[ord(mark)] = kind
    signs = cut_out(data, starts, ends)
    kinds, sizes = table.take(signs), ends - starts
    marks = _Marks.find(kinds, sizes)
    is_read = marks.find_whole(sizes)
    if not is_read.all():
        kept = np.repeat(is_read, sizes)
        signs, kinds, sizes = signs[kept], kinds[kept], sizes[is_read]
        marks = _Marks.find(kinds, sizes)
    is_group, is_point = marks.kinds == _GROUP, marks.kinds == _POINT
    n_groups = np.bincount(marks.owners[is_group], minlength=sizes.size)
    is_same = n_groups == 0
    if point not in ("", "."):
        signs[marks.places[is_point]] = _POINT_SIGN
        is_same[marks.owners[is_point]] = False
    digits = signs[kinds == _DIGIT]
    laid = np.delete(signs, marks.places[is_group])
    n_digits = sizes - np.bincount(marks.owners, minlength=sizes.size)
    decimals = np.zeros(sizes.size, np.int64)
    stops, owners = np.cumsum(sizes), marks.owners[is_point]
    decimals[owners] = stops[owners] - marks.places[is_point] - 1
    ints, scale = _find_worth(digits, n_digits, decimals)
    if ints is not None:
        below = marks.owners[marks.kinds == _MINUS]
        ints[below] = -ints[below]
    return PlainNumbers(is_read, laid, sizes - n_groups, is_same, ints, scale)


class _Marks(msgspec.Struct, eq=False):
    """The signs of values that are no digits: where each stands, of which kind it is, whose it is."""

    places: Ints
    kinds: Bytes
    owners: Ints

    @classmethod
    def find(cls, kinds: Bytes, sizes: Ints) -> _Marks:
        """Return them, of values that stand one behind another."""
        places = np.flatnonzero(kinds)  # a digit is 0
        return cls(places, kinds[places], np.searchsorted(np.cumsum(sizes), places, "right"))

    def find_whole(self, sizes: Ints) -> Bools:
        """Return which values are numbers in every sign."""
        stops = np.cumsum(sizes)
        begins = stops - sizes
        is_bad = sizes == 0
        is_bad[self.owners[self.kinds == _OTHER]] = True
        is_minus = self.kinds == _MINUS
        minus, owner = self.places[is_minus], self.owners[is_minus]
        has_minus = np.zeros(sizes.size, np.bool_)
        has_minus[owner] = True
        is_bad[owner[minus != begins[owner]]] = True
        is_mark = (self.kinds == _GROUP) | (self.kinds == _POINT)
        marks, owner, kinds = self.places[is_mark], self.owners[is_mark], self.kinds[is_mark]
        is_last = np.append(owner[1:] != owner[:-1], True)[: owner.size]
        is_first = np.append(True, owner[1:] != owner[:-1])[: owner.size]
        behind = np.append(marks[1:], 0)[: marks.size]
        behind = np.where(is_last, stops[owner], behind)  # the next mark, or the value's end
        is_group = kinds == _GROUP
        before = marks - begins[owner] - has_minus[owner]
        is_bad[owner[is_group & (behind != marks + 4)]] = True
        is_bad[owner[is_group & is_first & ((before < 1) | (before > 3))]] = True
        is_cut = ~is_last | (behind == marks + 1) | (is_first & (before < 1))
        is_bad[owner[~is_group & is_cut]] = True
        is_bad |= sizes - has_minus < 1
        return ~is_bad


def _find_worth(digits: Bytes, sizes: Ints, decimals: Ints) -> tuple[Ints | None, int]:
    """Return what numbers are worth, in units of the finest decimal among them, and how fine that is.

    All of them are gone through at once, from their last digits to their first.

    Parameters
    ----------
    digits : those of all numbers, one behind another
    sizes, decimals : how many each has, and how many of them behind the point
    """
    longest, scale = int(sizes.max(initial=0)), int(decimals.max(initial=0))
    if longest + scale > _MOST:
        return None, scale
    worth = np.zeros(sizes.size, np.int64)
    last = np.cumsum(sizes) - 1
    for back in range(longest):
        digit = digits.take(last - back, mode="clip") - np.uint8(0x30)
        digit *= sizes > back
        worth += digit * np.int64(10**back)
    if decimals.min(initial=scale) < scale:
        worth *= (10 ** np.arange(scale + 1))[scale - decimals]
    return worth, scale
