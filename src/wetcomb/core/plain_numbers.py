"""Numbers of a plain kind, read by whole arrays: digits, a mark between groups, one before decimals, a minus in front.

Values as long as each other, whose marks stand in the same places, are read together, sign by sign:
one look at the first of them says whether all of them are numbers. What is anything else (units,
brackets, a minus behind, digits of other scripts) is read value by value.
"""

from __future__ import annotations

import re
from collections.abc import Iterator

import msgspec
import numpy as np

from wetcomb.core.arrays import Bools, Bytes, Ints

__all__ = ["PlainNumbers", "read_plain"]

_MOST = 18  # digits that a number of 64 bits holds for sure
_LONGEST = 64  # signs of a value that is read so
_MOST_LAYOUTS = 16  # ways in which marks stand, of each length; the rest is read value by value
_ZERO, _MINUS = 0x30, 0x2D
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


class _Alike(msgspec.Struct, eq=False):
    """Numbers whose signs are digits and marks in the same places.

    Attributes
    ----------
    rows : which of the values they are
    signs : what is written of each, a row a place
    digits : places of the digits among these
    n_decimals : how many of them stand behind the point
    is_same, is_below : they are written as decimals are; they have a minus
    """

    rows: Ints
    signs: list[Bytes]
    digits: list[Bytes]
    n_decimals: int
    is_same: bool
    is_below: bool


def read_plain(data: Bytes, starts: Ints, ends: Ints, group: str, point: str) -> PlainNumbers:
    """Return values read as numbers; the marks are single signs of ASCII, or nothing."""
    found = [*_find_alike(data, starts, ends, group, point)]
    is_read = np.zeros(starts.size, np.bool_)
    sizes, is_same = np.zeros(starts.size, np.int64), np.zeros(starts.size, np.bool_)
    for alike in found:
        is_read[alike.rows] = True
        sizes[alike.rows] = len(alike.signs)
        is_same[alike.rows] = alike.is_same
    stops = np.cumsum(sizes)
    laid = np.empty(int(stops[-1]) if stops.size else 0, np.uint8)
    for alike in found:
        begins = stops.take(alike.rows) - len(alike.signs)
        for place, sign in enumerate(alike.signs):
            laid[begins + place if place else begins] = sign
    scale = max((alike.n_decimals for alike in found), default=0)
    longest = max((len(alike.digits) for alike in found), default=0)
    ints = None
    if longest + scale <= _MOST:
        worth = np.zeros(starts.size, np.int64)
        for alike in found:
            worth[alike.rows] = _find_worth(alike, scale)
        ints = worth[is_read]
    return PlainNumbers(is_read, laid, sizes[is_read], is_same[is_read], ints, scale)


def _find_alike(data: Bytes, starts: Ints, ends: Ints, group: str, point: str) -> Iterator[_Alike]:
    """Yield the numbers among values, those together whose marks stand in the same places."""
    marks = f"(?:{re.escape(group)}[0-9]{{3}})" if group else "(?!)"
    behind = f"(?:{re.escape(point)}[0-9]+)?" if point else ""
    number = re.compile(f"-?(?:[0-9]+|[0-9]{{1,3}}{marks}+){behind}".encode())
    sizes = ends - starts
    for size in np.flatnonzero(np.bincount(np.minimum(sizes, _LONGEST + 1))).tolist():
        if not 0 < size <= _LONGEST:
            continue
        left = np.flatnonzero(sizes == size)
        begins = starts[left]
        signs = [data.take(begins + place) for place in range(size)]
        for _ in range(_MOST_LAYOUTS):
            first = bytes(int(sign[0]) for sign in signs)
            is_alike = _match(signs, first)
            rows = left[is_alike]
            if number.fullmatch(first):
                mine = [sign[is_alike] for sign in signs] if rows.size < left.size else signs
                yield _write(rows, mine, first, group, point)
            if rows.size == left.size:
                break
            left, signs = left[~is_alike], [sign[~is_alike] for sign in signs]


def _match(signs: list[Bytes], first: bytes) -> Bools:
    """Return which values have digits where the first has them, and its marks where it has those."""
    alike = np.ones(signs[0].size, np.bool_)
    for sign, sample in zip(signs, first, strict=True):
        alike &= (sign - np.uint8(_ZERO)) < 10 if 0 <= sample - _ZERO < 10 else sign == sample
    return alike


def _write(rows: Ints, signs: list[Bytes], first: bytes, group: str, point: str) -> _Alike:
    """Return numbers as decimals are written: without marks between groups, with a point."""
    kept, digits, n_decimals = [], [], 0
    seen_point = False
    for sign, sample in zip(signs, first, strict=True):
        if 0 <= sample - _ZERO < 10:
            digits.append(sign)
            n_decimals += seen_point
        elif chr(sample) == point and not seen_point and sample != _MINUS:
            seen_point = True
            sign = np.full(rows.size, _POINT_SIGN, np.uint8)
        elif chr(sample) == group:
            continue
        kept.append(sign)
    is_same = len(kept) == len(first) and (not seen_point or point == ".")
    return _Alike(rows, kept, digits, n_decimals, is_same, first[0] == _MINUS)


def _find_worth(alike: _Alike, scale: int) -> Ints:
    """Return what numbers are worth, in units of the decimal that the scale names."""
    worth = np.zeros(alike.rows.size, np.int64)
    for digit in alike.digits:
        worth *= 10
        worth += digit - np.uint8(_ZERO)
    worth *= 10 ** (scale - alike.n_decimals)
    return -worth if alike.is_below else worth
