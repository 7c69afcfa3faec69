"""What a column holds, learnt from its values: a shape, a narrower pattern, a closed list."""

from __future__ import annotations

import math
import re
from collections import Counter
from collections.abc import Mapping, Sequence
from itertools import pairwise

import msgspec

from wetcomb.match.orders import find_order
from wetcomb.match.patterns import compile_pattern

__all__ = ["Holding", "find_narrow", "is_rising", "list_holdings"]

_ALIKE = 0.9  # of the values, that are of a column's shape; those that are not must be explained
#: Shapes that are looked for, the narrowest first.
_SHAPES = (
    "digits", "number", "percent", "money", "date", "time", "email", "url", "phone", "code", "measure",
    "words",
)  # fmt: skip
_LISTED = ("words", "code", "")  # shapes of which columns can hold a closed list
_MOST_LISTED = 40  # values of a closed list
_USES, _USED = 3, 0.01  # how often each is used at least, and the least share of all values
_SELDOM = 2  # values too seldom for that, each used twice at least, that belong to it all the same
_DROP = 5  # a value so many times rarer than the one before it strayed into the column
_DECIMALS = re.compile(r"\d+([.,])(\d+)")
_NUMBERED = re.compile(r"([^\d{}]+)\d+")
_FEWEST_PLACES = 3


class Holding(msgspec.Struct, frozen=True):
    """What a column is taken to hold.

    Attributes
    ----------
    shape : a shape or a pattern; empty where anything may stand in it
    listed : all its values, the commonest first; none where they are not a closed list
    odd : records whose value contradicts it
    """

    shape: str = ""
    listed: tuple[str, ...] = ()
    odd: frozenset[int] = frozenset()


def list_holdings(values: Mapping[int, str]) -> list[Holding]:
    """Return what a column could be taken to hold, the strongest first; the last says nothing.

    Parameters
    ----------
    values : the value in each record that has one
    """
    shape = _find_shape(list(values.values()))
    narrow = find_narrow(list(values.values()), shape) if shape else ""
    fits = {pattern: _find_fitting(values, pattern) for pattern in dict.fromkeys((narrow, shape))}
    found = []
    for pattern in dict.fromkeys(filter(None, (narrow, shape))):
        inside = {row: values[row] for row in fits[pattern]}
        listed = _find_list(list(inside.values())) if shape in _LISTED else ()
        if listed:
            odd = frozenset(row for row, value in values.items() if value not in set(listed))
            found.append(Holding(pattern, listed, odd))
        found.append(Holding(pattern, (), frozenset(values.keys() - fits[pattern])))
    return [*found, Holding()]


def is_rising(values: Sequence[str]) -> bool:
    """Return whether values never fall, and rise often enough for that to mean something."""
    places = [find_order(value) for value in values]
    is_known = not any(map(math.isnan, places))
    return is_known and places == sorted(places) and len(set(places)) >= _FEWEST_PLACES


def _find_fitting(values: Mapping[int, str], pattern: str) -> set[int]:
    if not pattern:
        return set(values)
    covers = compile_pattern(f"{{{pattern}}}" if pattern in _SHAPES else pattern).covers
    verdicts = {value: covers(value.encode()) for value in set(values.values())}
    return {row for row, value in values.items() if verdicts[value]}


def _find_shape(values: Sequence[str]) -> str:
    """Return the narrowest shape that nearly all values are of, nothing if there is none."""
    numbers = Counter(values)
    for shape in _SHAPES:
        covers = compile_pattern(f"{{{shape}}}").covers
        if sum(n for value, n in numbers.items() if covers(value.encode())) >= _ALIKE * len(values):
            return shape
    return ""


def find_narrow(values: Sequence[str], shape: str) -> str:
    """Return a narrower pattern that as many are of: so many digits, so many decimals, one beginning."""
    if shape == "digits":
        forms = Counter(f"{{{len(value)} digits}}" for value in values if value.isdecimal())
    elif shape == "number":
        decimals = [_DECIMALS.fullmatch(value) for value in values]
        forms = Counter(
            f"{{digits}}{match[1]}{{{len(match[2])} digits}}" for match in decimals if match
        )
    elif shape == "code":
        heads = [_NUMBERED.fullmatch(value) for value in values]
        forms = Counter(f"{match[1]}{{digits}}" for match in heads if match)
    else:
        return ""
    best, number = max(forms.items(), key=lambda form: form[1], default=("", 0))
    return best if number >= _ALIKE * len(values) else ""


def _find_list(values: Sequence[str]) -> tuple[str, ...]:
    """Return the values of a column that holds few of them, each again and again; strays left out."""
    least = max(_USES, _USED * len(values))
    common = [
        (value, number)
        for value, number in Counter(values).most_common(_MOST_LISTED + 1)
        if number >= least and "\n" not in value
    ]
    for place, ((_, before), (_, number)) in enumerate(pairwise(common), 1):
        if number * _DROP < before:
            common = common[:place]
            break
    seldom = Counter(values) - Counter(dict(common))
    if len(seldom) <= _SELDOM and all(number > 1 for number in seldom.values()):
        common += seldom.items()  # what strays in is of many kinds
    covered = sum(number for _, number in common)
    is_closed = 1 < len(common) <= _MOST_LISTED and covered >= _ALIKE * len(values)
    return tuple(value for value, _ in common) if is_closed else ()
