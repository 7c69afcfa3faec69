"""Dates of figures alone, read by whole arrays: as an example is written, to the letter of its marks.

Dates with names, half days, other spacing or digits of other scripts are read value by value.
"""

from __future__ import annotations

import msgspec
import numpy as np

from wetcomb.core.arrays import Array, Bools, Bytes, Ints, cut_out
from wetcomb.steps.clean.dates import FormOfDates

__all__ = ["PlainDates", "read_plain_dates"]

_ZERO = 0x30
_LENGTHS = np.array([0, 31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31])
_LEAST = {"y": 4, "Y": 2, "d": 1, "m": 1, "H": 1, "M": 2, "S": 2}
_MOST = {"y": 4, "Y": 2, "d": 2, "m": 2, "H": 2, "M": 2, "S": 2}
_ORDER = "ymdHMS"
#: The two digits of each number below a hundred.
_TWO_DIGITS = np.frombuffer(b"".join(b"%02d" % n for n in range(100)), np.uint8).reshape(100, 2)


class PlainDates(msgspec.Struct, eq=False):
    """What was read of V values.

    Attributes
    ----------
    is_read : (V,) which are such dates
    laid, sizes : those of them as ISO 8601 writes them, one behind another, and how long each is
    is_same : (R,) of those that were read, which are written so already
    ranks : (R,) numbers in the order of time
    """

    is_read: Bools
    laid: Bytes
    sizes: Ints
    is_same: Bools
    ranks: Ints


def read_plain_dates(data: Bytes, starts: Ints, ends: Ints, form: FormOfDates) -> PlainDates:
    """Return values, none of them empty, read as dates of a form."""
    signs, sizes = cut_out(data, starts, ends), ends - starts
    stops = np.cumsum(sizes)
    begins = stops - sizes
    is_digit = signs - np.uint8(_ZERO) < 10
    opens, closes = is_digit.copy(), is_digit.copy()
    opens[1:] &= ~is_digit[:-1]
    opens[begins] = is_digit[begins]
    closes[:-1] &= ~is_digit[1:]
    closes[stops - 1] = is_digit[stops - 1]
    run_starts, run_ends = np.flatnonzero(opens), np.flatnonzero(closes) + 1
    firsts = np.searchsorted(run_starts, begins)
    counts = np.searchsorted(run_starts, stops) - firsts
    is_read = (counts == len(form.roles)) & is_digit[begins] & is_digit[stops - 1]
    rows = np.flatnonzero(is_read)
    at = firsts[rows]
    is_so = np.ones(rows.size, np.bool_)
    found: dict[str, Ints] = {}
    for place, role in enumerate(form.roles):
        start, end = run_starts[at + place], run_ends[at + place]
        widths = end - start
        is_so &= (widths >= _LEAST[role]) & (widths <= _MOST[role])
        found[role] = _read_digits(signs, end, widths, _MOST[role])
        if place + 1 < len(form.roles):
            mark = form.marks[place]
            is_so &= run_starts[at + place + 1] - end == len(mark)
            for ahead, byte in enumerate(mark):
                is_so &= signs.take(end + ahead, mode="clip") == byte
    if "Y" in found:
        century = form.pivot // 100 * 100
        found["y"] = found.pop("Y") + century
        found["y"] += np.where(found["y"] < form.pivot, 100, 0)
    is_so &= _find_real(found)
    is_read[rows[~is_so]] = False
    kept = {role: found[role][is_so] for role in _ORDER if role in found}
    laid = _write_dates(kept, form.time_mark)
    ranks = np.zeros(laid.shape[0], np.int64)
    for part in kept.values():
        ranks = ranks * 100 + part
    written = np.full(laid.shape[0], laid.shape[1], np.int64)
    read_sizes = sizes[is_read]
    is_same = read_sizes == laid.shape[1]
    if is_same.any():
        old = begins[is_read][is_same][:, None] + np.arange(laid.shape[1])
        is_same[is_same] = (signs[old] == laid[is_same]).all(axis=1)
    return PlainDates(is_read, laid.ravel(), written, is_same, ranks)


def _read_digits(signs: Bytes, ends: Ints, widths: Ints, most: int) -> Ints:
    """Return the numbers that runs of digits say, of which only the last few digits count."""
    worth = np.zeros(ends.size, np.int64)
    for back in range(most):
        digit = signs.take(ends - 1 - back, mode="clip") - np.uint8(_ZERO)
        digit *= widths > back
        worth += digit * np.int64(10**back)
    return worth


def _find_real(found: dict[str, Ints]) -> Bools:
    """Return which days and times there are."""
    year, month, day = found["y"], found["m"], found["d"]
    is_leap = (year % 4 == 0) & ((year % 100 != 0) | (year % 400 == 0))
    length = _LENGTHS.take(month, mode="clip") + ((month == 2) & is_leap)
    is_real = (year >= 1) & (month >= 1) & (month <= 12) & (day >= 1) & (day <= length)
    for role, most in (("H", 23), ("M", 59), ("S", 59)):
        if role in found:
            is_real &= found[role] <= most
    return is_real


def _write_dates(parts: dict[str, Ints], time_mark: bytes) -> Array[np.uint8]:
    """Return days and times as ISO 8601 writes them, (R, W) uint8."""
    before = {"m": b"-", "d": b"-", "H": time_mark, "M": b":", "S": b":"}
    pieces = [*np.divmod(parts["y"], 100)]
    marks = [b"", b""]
    for role, mark in before.items():
        if role in parts:
            pieces.append(parts[role])
            marks.append(mark)
    laid = np.empty((parts["y"].size, 2 * len(pieces) + sum(map(len, marks))), np.uint8)
    place = 0
    for mark, piece in zip(marks, pieces, strict=True):
        laid[:, place : place + len(mark)] = np.frombuffer(mark, np.uint8)
        place += len(mark) + 2
        laid[:, place - 2 : place] = _TWO_DIGITS[piece]
    return laid
