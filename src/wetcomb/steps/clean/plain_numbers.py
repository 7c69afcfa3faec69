"""Numbers of a plain kind, read by whole arrays: digits, a mark between groups, one before decimals, a minus in front.

What is anything else (units, brackets, a minus behind, digits of other scripts) is read value by value.
"""

from __future__ import annotations

import msgspec
import numpy as np

from wetcomb.core.arrays import Bools, Bytes, Ints, count_before, list_positions

__all__ = ["PlainNumbers", "read_plain"]

_MOST = 18  # digits that a number of 64 bits holds for sure
_DIGIT, _GROUP, _POINT, _MINUS, _OTHER = range(5)
_MINUS_SIGN, _POINT_SIGN = 0x2D, 0x2E


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
    signs = data[list_positions(starts, ends)]
    kinds, sizes = table[signs], ends - starts
    is_read = _find_whole(kinds, sizes)
    if not is_read.all():
        kept = np.repeat(is_read, sizes)
        signs, kinds, sizes = signs[kept], kinds[kept], sizes[is_read]
    stops = np.cumsum(sizes)
    stays = kinds != _GROUP
    changed = ~stays
    if point not in ("", "."):
        is_point = kinds == _POINT
        changed |= is_point
        signs = np.where(is_point, np.uint8(0x2E), signs)
    n_changed, n_left = count_before(changed), count_before(stays)
    is_same = n_changed[stops] == n_changed[stops - sizes]
    sizes = (n_left[stops] - n_left[stops - sizes]).astype(np.int64)
    laid = signs[stays]
    ints, scale = _find_worth(laid, sizes)
    return PlainNumbers(is_read, laid, sizes, is_same, ints, scale)


def _find_whole(kinds: Bytes, sizes: Ints) -> Bools:
    """Return which values are numbers in every sign."""
    stops = np.cumsum(sizes)
    begins = stops - sizes
    is_bad = sizes == 0

    def find_owners(places: Ints) -> Ints:
        return np.searchsorted(stops, places, "right")

    is_bad[find_owners(np.flatnonzero(kinds == _OTHER))] = True
    minus = np.flatnonzero(kinds == _MINUS)
    owner = find_owners(minus)
    has_minus = np.zeros(sizes.size, np.bool_)
    has_minus[owner] = True
    is_bad[owner[minus != begins[owner]]] = True
    marks = np.flatnonzero((kinds == _GROUP) | (kinds == _POINT))
    owner = find_owners(marks)
    is_last = np.append(owner[1:] != owner[:-1], True)[: owner.size]
    is_first = np.append(True, owner[1:] != owner[:-1])[: owner.size]
    behind = np.append(marks[1:], 0)[: marks.size]
    behind = np.where(is_last, stops[owner], behind)  # the next mark, or the value's end
    is_group = kinds[marks] == _GROUP
    before = marks - begins[owner] - has_minus[owner]
    is_bad[owner[is_group & (behind != marks + 4)]] = True
    is_bad[owner[is_group & is_first & ((before < 1) | (before > 3))]] = True
    is_bad[owner[~is_group & (~is_last | (behind == marks + 1) | (is_first & (before < 1)))]] = True
    is_bad |= sizes - has_minus < 1
    return ~is_bad


def _find_worth(signs: Bytes, sizes: Ints) -> tuple[Ints | None, int]:
    """Return what numbers are worth, in units of the finest decimal among them.

    All of them are gone through at once, from their last digits to their first.
    """
    longest = int(sizes.max(initial=0))
    if not longest:
        return np.zeros(0, np.int64), 0
    places = np.cumsum(sizes) - 1
    decimals, worth = np.zeros((2, sizes.size), np.int64)
    power = np.ones(sizes.size, np.int64)
    is_below = signs[places - sizes + 1] == _MINUS_SIGN
    left = sizes - is_below
    if longest > _MOST:
        return None, 0
    for back in range(longest):
        is_there = left > back
        sign = signs.take(places - back, mode="clip")
        is_point = is_there & (sign == _POINT_SIGN)
        decimals[is_point] = back
        digit = np.where(is_there & ~is_point, sign.astype(np.int64) - 0x30, 0)
        worth += digit * power
        power[~is_point] *= 10
    scale = int(decimals.max())
    if longest + scale > _MOST:
        return None, scale
    worth *= (10 ** np.arange(scale + 1))[scale - decimals]
    return np.where(is_below, -worth, worth), scale
