"""Values that look spoilt by another program: codes that were taken for numbers or dates."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator

from wetcomb.core.doubts import Doubt
from wetcomb.drafts.doubts.seen import Column, Drafted, Raised
from wetcomb.drafts.telling import count_noun

__all__ = ["find_spoilt"]

_POWER = re.compile(r"\d(?:[.,]\d+)?E\+?\d{1,3}")  # 12E07 was a code once
_MONTHS = "jan|feb|mar|mär|mrz|apr|may|mai|jun|jul|aug|sep|oct|okt|nov|dec|dez"
_DAY = re.compile(rf"(?:\d{{1,2}}[-. ]+(?:{_MONTHS})\.?|(?:{_MONTHS})[-. ]+\d{{2}})", re.IGNORECASE)
_PARTED = re.compile(r"\d{1,4}[-/.]\d{1,4}")
_DIGITS = re.compile(r"\d+")
_MOST, _MANY, _FEWEST = (
    0.7,
    0.2,
    4,
)  # share of values that have one length; that are spoilt; of how many


def find_spoilt(seen: Drafted) -> Iterator[Raised]:
    """Yield what looks spoilt, the first column that does."""
    for column in seen.columns:
        said = _tell_powers(column) or _tell_days(column) or _tell_short(column)
        if said:
            yield Raised(Doubt("spoilt", said))
            return


def _tell_powers(column: Column) -> str:
    """Return what is said of figures with a power of ten among others without."""
    found = [value for value in column.values if _POWER.fullmatch(value)]
    others = [value for value in column.values if _DIGITS.fullmatch(value) or value[:1].isalpha()]
    if not found or len(found) > _MANY * len(column.values) + 1 or not others:
        return ""
    return f"{count_noun(len(found), 'value')} of {column.name} has a power of ten, as {found[0]!r}: a code, perhaps"


def _tell_days(column: Column) -> str:
    """Return what is said of days among values of figures parted by a mark."""
    found = [value for value in column.values if _DAY.fullmatch(value)]
    others = sum(_PARTED.fullmatch(value) is not None for value in column.values)
    if not found or others < max(_FEWEST, (1 - _MANY) * len(column.values) - 1):
        return ""
    return (
        f"{count_noun(len(found), 'value')} of {column.name} is a day, as {found[0]!r}, among codes"
    )


def _tell_short(column: Column) -> str:
    """Return what is said of codes that lost the zeros before them."""
    values = [value for value in column.values if _DIGITS.fullmatch(value)]
    if len(values) < max(_FEWEST, len(column.values)):
        return ""
    (length, number), *_ = Counter(map(len, values)).most_common(1)
    has_zero = any(value.startswith("0") and len(value) == length for value in values)
    short = [value for value in values if len(value) < length]
    if not short or not has_zero or number < _MOST * len(values) or length < 3:
        return ""
    if any(value.startswith("0") for value in short) or any(
        len(value) > length for value in values
    ):
        return ""
    return f"{count_noun(len(short), 'value')} of {column.name} is shorter than its other codes, as {short[0]!r}: zeros went, perhaps"
