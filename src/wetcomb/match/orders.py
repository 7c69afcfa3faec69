"""The place of a value in an order: dates by day, times by second, numbers by size.

A value that cannot be placed for certain has no place: `03/04/2031` names two days, and which
of them is meant is not guessed.
"""

from __future__ import annotations

import math
import re
from functools import lru_cache

import numpy as np

from wetcomb.core.arrays import Array, Bytes, Ints, Spans
from wetcomb.match.numbers import read_number

__all__ = ["find_order", "find_orders"]

Places = Array[np.float64]

#: First letters of the months, in the languages whose names begin alike.
_MONTHS = {
    "jan": 1, "ene": 1, "gen": 1, "feb": 2, "fév": 2, "mar": 3, "mär": 3, "maa": 3, "apr": 4, "avr": 4,
    "abr": 4, "may": 5, "mai": 5, "mag": 5, "mei": 5, "maj": 5, "jun": 6, "giu": 6, "jul": 7,
    "lug": 7, "aug": 8, "ago": 8, "aoû": 8, "sep": 9, "set": 9, "oct": 10, "okt": 10, "ott": 10,
    "out": 10, "nov": 11, "dec": 12, "dez": 12, "déc": 12, "dic": 12,
}  # fmt: skip
_ISO = r"(\d{4})[-/.](\d{1,2})[-/.](\d{1,2})"
_PLAIN = r"(\d{1,2})([-/.])(\d{1,2})[-/.](\d{4}|\d{2})"
_NAMED = r"(\d{1,2})\.?[ -]?([^\W\d_]{3,9})\.?,?[ -]?(\d{4}|\d{2})"
_MONTH_FIRST = r"([^\W\d_]{3,9})\.? (\d{1,2}), (\d{4})"
_TIME = r"(?i)(\d{1,2}):(\d{2})(?::(\d{2}))?(?: ?([ap])m)?"
_CENTURY = 2000  # years of two digits only have to be in order among themselves


@lru_cache(maxsize=1 << 16)
def find_order(value: str) -> float:
    """Return a number that rises with what a value stands for; NaN if that is not certain."""
    if value.isascii() and value.isdecimal():
        return float(value)
    day = _find_day(value)
    if day is not None:
        return day
    time = re.fullmatch(_TIME, value)
    if time:
        hour = int(time[1]) % 12 + 12 * (time[4].lower() == "p") if time[4] else int(time[1])
        return float(hour * 3600 + int(time[2]) * 60 + int(time[3] or 0))
    if not any(map(str.isalpha, value)):
        number = read_number(value)
        if number is not None:
            return float(number)
    return math.nan


def _find_day(value: str) -> float | None:
    """Return a date as a number, NaN if it can be read two ways, None if it is no date."""
    if found := re.fullmatch(_ISO, value):
        return _count_days(int(found[1]), int(found[2]), int(found[3]))
    if found := re.fullmatch(_PLAIN, value):
        first, second, year = int(found[1]), int(found[3]), int(found[4])
        if found[2] == "." or first > 12:
            return _count_days(year, second, first)
        if second > 12:
            return _count_days(year, first, second)
        return _count_days(year, first, second) if first == second else math.nan
    if found := re.fullmatch(_NAMED, value):
        day, name, year = int(found[1]), found[2], int(found[3])
    elif found := re.fullmatch(_MONTH_FIRST, value):
        name, day, year = found[1], int(found[2]), int(found[3])
    else:
        return None
    month = _MONTHS.get(name[:3].lower())
    return None if month is None else _count_days(year, month, day)


def _count_days(year: int, month: int, day: int) -> float:
    year += _CENTURY if year < 100 else 0
    return float((year * 12 + month) * 31 + day)


def find_orders(data: Bytes, starts: Spans | Ints, ends: Spans | Ints) -> Places:
    """Return the place of each span in its order, NaN where it has none."""
    spans = zip(starts.ravel().tolist(), ends.ravel().tolist(), strict=True)
    raw = data.tobytes()
    places = [find_order(raw[a:b].decode()) if b > a else math.nan for a, b in spans]
    return np.array(places, np.float64).reshape(starts.shape)
