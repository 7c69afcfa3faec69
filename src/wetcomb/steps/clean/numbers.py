"""Numbers as they were printed, read by an example: exact decimals out, no binary rounding.

An example tells the mark that parts groups, the mark before decimals, where a minus stands and
whether a sign or unit stands beside the number. How many digits there are is free.
"""

from __future__ import annotations

import re
from typing import NamedTuple

from wetcomb.core.errors import UsageError

__all__ = ["NumberReading", "ReadNumber"]

_BLANKS = " \u00a0\u202f\u2009"
_MINUS = "-\u2212\u2013"
_CORE = re.compile(r"\d(?:.*\d)?", re.DOTALL)
_UNIT = r"[^\d\s+\-\u2212\u2013()][^\d\s()]{0,9}"
_CREDIT = {
    "CR": "-",
    "DR": "",
    "H": "-",
    "S": "",
}  # behind a figure, and whether that is below nothing


class ReadNumber(NamedTuple):
    """A number that was read: as decimals are written, and the sign or unit beside it."""

    text: str
    unit: str


class NumberReading:
    """Reads numbers that are written as an example is.

    Raises
    ------
    UsageError : the example is no number, or can be read in two ways
    """

    def __init__(self, example: str) -> None:
        text = example.strip()
        core = _CORE.search(text)
        if core is None:
            raise UsageError(
                f"--number: {example!r} is no number; write one as it is printed, 1.234,56"
            )
        self.example = text
        first, figure, last = text[: core.start()], core[0], text[core.end() :]
        group, point = _find_marks(figure, example)
        self.has_brackets = "(" in first and ")" in last
        self.is_behind = any(sign in last for sign in _MINUS)
        self.has_unit = bool(_strip_signs(first) or _strip_signs(last))
        self._group = group
        self.marks = (group, point)
        self._unit = _strip_signs(first) or _strip_signs(last)
        digits = r"\d+"
        if group:
            mark = f"[{re.escape(_BLANKS)}]" if group in _BLANKS else re.escape(group)
            digits = rf"\d{{1,3}}(?:{mark}\d{{3}})+|\d+"
        decimals = rf"(?:{re.escape(point)}(?P<decimals>\d+))?" if point else ""
        before, behind = (
            rf"(?P<{name}>{_UNIT})?" if self.has_unit else f"(?P<{name}>(?!))?"
            for name in ("before", "behind")
        )
        blank = rf"[{re.escape(_BLANKS)}]*"
        sign = f"[{_MINUS}]"
        self._regex = re.compile(
            rf"(?P<open>\()?{blank}(?P<minus>{sign}|\+)?{blank}{before}{blank}(?P<inner>{sign})?"
            rf"(?P<whole>{digits}){decimals}{blank}(?P<late>{sign})?{blank}{behind}{blank}(?P<last>{sign})?"
            r"(?P<close>\))?"
        )

    def find_unit(self, value: str) -> tuple[int, int] | None:
        """Return where in a value, in bytes, the unit beside its number stands; None if it is no such number."""
        found = self._regex.fullmatch(value)
        if found is None:
            return None
        name = "before" if found["before"] else "behind"
        begin, end = found.span(name)
        return (len(value[:begin].encode()), len(value[:end].encode())) if end > begin else (0, 0)

    def read(self, value: str, *, any_unit: bool = False) -> ReadNumber | None:
        """Return what a value says; None if it is not written so.

        Its unit must be the example's, if it has one, unless any will do.
        """
        found = self._regex.fullmatch(value.strip())
        if found is None or bool(found["open"]) != bool(found["close"]):
            return None
        if found["open"] and not self.has_brackets:
            return None
        signs = [
            found["minus"] or "",
            found["inner"] or "",
            found["late"] or "",
            found["last"] or "",
        ]
        if sum(map(bool, signs)) + bool(found["open"]) > 1:
            return None
        is_below = bool(found["open"]) or any(sign and sign in _MINUS for sign in signs)
        if (signs[2] or signs[3]) and not self.is_behind:
            return None
        unit = found["before"] or found["behind"] or ""
        if found["before"] and found["behind"]:
            return None
        if unit.upper() in _CREDIT and self.example.upper().endswith(tuple(_CREDIT)):
            if any(signs) or found["open"]:
                return None  # a minus beside it says it once more, or takes it back
            is_below, unit = _CREDIT[unit.upper()] == "-", ""
        if unit and unit != self._unit and not any_unit:
            return None
        whole = found["whole"]
        if self._group:
            whole = "".join(sign for sign in whole if sign.isdecimal())
        decimals = found["decimals"] if "decimals" in self._regex.groupindex else None
        text = _make_plain(whole + (f".{decimals}" if decimals else ""))
        return ReadNumber(f"-{text}" if is_below else text, unit)


def _make_plain(text: str) -> str:
    """Return digits of every script as those of ASCII."""
    if text.isascii():
        return text
    return "".join(str(int(sign)) if sign.isdecimal() else sign for sign in text)


def _find_marks(figure: str, example: str) -> tuple[str, str]:
    """Return the mark between groups and the one before decimals; nothing where there is none."""
    marks = [sign for sign in figure if not sign.isdecimal()]
    kinds = list(dict.fromkeys(marks))
    if not kinds:
        return "", ""
    if len(kinds) > 2 or any(sign.isalpha() for sign in kinds):
        raise UsageError(
            f"--number: {example!r} is no number; write one as it is printed, 1.234,56"
        )
    parts = re.split("|".join(map(re.escape, kinds)), figure)
    are_groups = len(parts[0]) <= 3 and all(len(part) == 3 for part in parts[1:])
    if len(kinds) == 2:
        group, point = kinds
        head = figure.rpartition(point)[0]
        groups = head.split(group)
        if marks.count(point) != 1 or not all(len(part) == 3 for part in groups[1:]):
            raise UsageError(f"--number: {example!r} has groups that are not of three digits")
        return group, point
    (mark,) = kinds
    if len(marks) > 1 or mark in _BLANKS or mark in "'’":
        if not are_groups:
            raise UsageError(f"--number: {example!r} has groups that are not of three digits")
        return mark, ""
    if are_groups:
        other = "," if mark == "." else "."
        raise UsageError(
            f"--number: {example!r} can be read in two ways; write {figure}{other}0 if {mark!r} parts groups, {parts[0]}{mark}5 if decimals stand behind it"
        )
    return "", mark


def _strip_signs(text: str) -> str:
    return text.strip(_BLANKS + _MINUS + "+()")
