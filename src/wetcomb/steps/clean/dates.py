"""Dates as they were printed, read by examples: ISO 8601 out, as fine as the example is."""

from __future__ import annotations

import re
from calendar import monthrange
from collections.abc import Sequence
from itertools import permutations
from typing import NamedTuple

from wetcomb.core.errors import UsageError
from wetcomb.steps.clean.month_names import find_month

__all__ = ["DateReading", "FormOfDates"]

_TOKEN = re.compile(r"\d+|[^\W\d_]+\.?|.", re.DOTALL)
_TIME = re.compile(
    r"(?P<hour>\d{1,2}):(?P<minute>\d{2})(?::(?P<second>\d{2}))?(?:[ ]?(?P<half>[aApP])\.?[mM]\.?)?"
)
_ORDERS = ("dmy", "mdy", "ymd", "ydm")
_WIDE = 4  # digits of a year that is written out


class FormOfDates(NamedTuple):
    """How dates of figures alone are written, and are to be written.

    Attributes
    ----------
    roles : what each run of digits is: y or Y (two digits), m, d, H, M, S
    marks : what stands between them, one fewer
    pivot : the first year that two digits can stand for
    time_mark : what is to stand between day and time
    """

    roles: str
    marks: tuple[bytes, ...]
    pivot: int
    time_mark: bytes


class DateReading:
    """Reads dates that are written as one example is.

    Parameters
    ----------
    languages : whose names of months count; all, if empty
    pivot : the first year that two digits can stand for
    mark : what stands between day and time

    Raises
    ------
    UsageError : the example is no date, or can be read in two ways
    """

    def __init__(self, example: str, languages: Sequence[str], pivot: int, mark: str) -> None:
        self.example, self._languages = example, tuple(languages)
        self._pivot, self._mark = pivot, mark
        day, self._time = _cut_time(example.strip())
        tokens = _TOKEN.findall(day)
        self._order = self._find_order(tokens, example)
        self.has_short_year = "Y" in self._order
        parts = []
        role = iter(self._order)
        for token in tokens:
            if token.isdecimal() or find_month(token, self._languages):
                parts.append(_PARTS[next(role)])
            elif token[0].isalpha():
                parts.append(r"[^\W\d_]+\.?")  # the name of a day of the week, or a word
            else:
                parts.append(r"\s+" if token.isspace() else rf"\s*{re.escape(token)}\s*")
        regex = "".join(parts)
        if self._time is not None:
            regex += rf"(?:\s*[T,]\s*|\s+)(?P<time>{_TIME.pattern})"
        self._regex = re.compile(regex)
        self.form = self._find_form(example.strip())
        if self.read(example) is None:
            raise UsageError(f"--date: there is no such day or time as {example!r}")

    @property
    def has_time(self) -> bool:
        """Whether a time stands behind the day."""
        return self._time is not None

    def read(self, value: str) -> str | None:
        """Return the date that a value says; None if it is not written so, or there is no such day."""
        found = self._regex.fullmatch(value.strip())
        if found is None:
            return None
        words = found.groupdict()
        month = (
            int(words["m"])
            if words.get("m")
            else find_month(words["n"], self._languages)
            if words.get("n")
            else 0
        )
        year = int(words["y"]) if words.get("y") else self._find_year(int(words["Y"]))
        day = int(words["d"])
        if not 1 <= month <= 12 or year < 1 or not 1 <= day <= monthrange(year, month)[1]:
            return None
        text = f"{year:04d}-{month:02d}-{day:02d}"
        if self._time is None:
            return text
        time = _tell_time(found, self._time)
        return None if time is None else f"{text}{self._mark}{time}"

    def _find_form(self, example: str) -> FormOfDates | None:
        """Return how dates are written that hold nothing but figures and marks; None where they do more."""
        roles = self._order + {None: "", "minute": "HM", "second": "HMS"}[self._time]
        first, *parts, last = re.split(r"([0-9]+)", example)
        marks = tuple(mark.encode() for mark in parts[1::2])
        if first or last or "n" in roles or len(marks) + 1 != len(roles):
            return None
        return FormOfDates(roles, marks, self._pivot, self._mark.encode())

    def _find_year(self, short: int) -> int:
        century = self._pivot // 100 * 100
        return century + short if century + short >= self._pivot else century + 100 + short

    def _find_order(self, tokens: Sequence[str], example: str) -> str:
        """Return the role of each number and name, in order: d, m or n (a name), y or Y (two digits)."""
        kept = [one for one in tokens if one.isdecimal() or find_month(one, self._languages)]
        if len(kept) != 3:
            raise UsageError(
                f"--date: {example!r} is no date; write one as it is printed, 31.12.24 or 2 June 2031"
            )
        found = [order for order in map("".join, permutations("dmy")) if self._fits(kept, order)]
        usual = [order for order in found if order in _ORDERS[:3]] or found
        if len(usual) > 1 and len(kept[0]) < _WIDE:  # a short year comes first only where it must
            usual = [order for order in usual if order != "ymd"] or usual
        if not usual:
            raise UsageError(
                f"--date: {example!r} is no date that exists; write one as it is printed, 31.12.24"
            )
        if len(usual) > 1:
            raise UsageError(
                f"--date: {example!r} can be read in two ways; write one whose day is above 12, as 31.12.24 or 12/31/2024"
            )
        roles = []
        for role, token in zip(usual[0], kept, strict=True):
            is_short = role == "y" and len(token) < _WIDE
            roles.append(
                "n" if role == "m" and not token.isdecimal() else "Y" if is_short else role
            )
        return "".join(roles)

    def _fits(self, kept: Sequence[str], order: str) -> bool:
        """Return whether numbers and names may be day, month and year in this order."""
        for role, token in zip(order, kept, strict=True):
            if not token.isdecimal():
                if role != "m":
                    return False
            elif role == "y":
                if len(token) not in (2, _WIDE):
                    return False
            elif len(token) > 2 or not 1 <= int(token) <= (31 if role == "d" else 12):
                return False
        return True


#: What covers each role.
_PARTS = {
    "d": r"(?P<d>\d{1,2})",
    "m": r"(?P<m>\d{1,2})",
    "n": r"(?P<n>[^\W\d_]+\.?)",
    "y": r"(?P<y>\d{4})",
    "Y": r"(?P<Y>\d{2})",
}


def _cut_time(text: str) -> tuple[str, str | None]:
    """Return an example without its time, and how fine that is: `minute`, `second`; None without one."""
    found = None
    for match in _TIME.finditer(text):
        found = match
    if found is None or text[found.end() :].strip():
        return text, None
    return text[: found.start()].rstrip(" ,T"), "second" if found["second"] else "minute"


def _tell_time(found: re.Match[str], fine: str) -> str | None:
    """Return a time of day; None if there is no such."""
    hour, minute, second = int(found["hour"]), int(found["minute"]), int(found["second"] or 0)
    if found["half"]:
        if not 1 <= hour <= 12:
            return None
        hour = hour % 12 + 12 * (found["half"].lower() == "p")
    if hour > 23 or minute > 59 or second > 59 or (fine == "minute" and found["second"]):
        return None
    return f"{hour:02d}:{minute:02d}" + (f":{second:02d}" if fine == "second" else "")
