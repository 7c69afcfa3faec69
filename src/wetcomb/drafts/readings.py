"""Which readings of dates and numbers a table would allow: proposed, never done.

A column is proposed only where every value of it fits one reading, and its own values rule the
others out: an example that could be read in two ways proposes nothing, and is told as undecided.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Sequence
from typing import Any

from wetcomb.core.errors import UsageError
from wetcomb.core.table import Table
from wetcomb.steps.clean.dates import DateReading
from wetcomb.steps.clean.numbers import NumberReading

__all__ = ["propose_readings"]

_LOOKED_AT, _TRIED = 2000, 40  # values of a column, and examples that are tried among them
_LEAST = 2  # values that a column must have
_PLAIN = re.compile(r"-?\d+(?:\.\d+)?|\d{4}-\d\d-\d\d(?:[ T]\d\d:\d\d(?::\d\d)?)?")
_THREE = re.compile(r"-?\d{1,3}\.\d{3}")  # groups, perhaps
_FIGURE = re.compile(r"[^\d]{0,8}\d[\d.,' \u00a0\u202f\u2009]*[^\d]{0,8}")
_FIRST_YEAR = 1970
_NUMBERED = re.compile(r"\d")


def propose_readings(table: Table) -> tuple[list[str], list[str]]:
    """Return the options of clean that would convert columns, and what is undecided, in words."""
    options, undecided = list[str](), list[str]()
    for column, name in enumerate(table.names):
        values = [table.value(row, column) for row in range(min(table.n_records, _LOOKED_AT))]
        filled = [*dict.fromkeys(value for value in values if value)]
        if len(filled) < _LEAST or not all(map(_NUMBERED.search, filled)):
            continue
        if all(map(_PLAIN.fullmatch, filled)) and not all(map(_THREE.fullmatch, filled)):
            continue
        for flag, make in (("--date", _make_date), ("--number", NumberReading)):
            if flag == "--number" and not (
                all(map(_FIGURE.fullmatch, filled)) and _share_units(filled)
            ):
                continue
            example, is_open = _find_example(filled, make)
            if example:
                options.append(f"{flag} {_quote(name)}={example}")
                break
            if is_open:
                undecided.append(
                    f"{name}: {filled[0]!r} and all others can be read in two ways ({flag} says how)"
                )
                break
    return options, undecided


def _share_units(values: Sequence[str]) -> bool:
    """Return whether none or at least half of some figures have letters with them: a few are no units."""
    lettered = sum(any(map(str.isalpha, value)) for value in values)
    return not lettered or 2 * lettered >= len(values)


def _make_date(example: str) -> DateReading:
    return DateReading(example, (), _FIRST_YEAR, " ")


def _find_example(values: Sequence[str], make: Callable[[str], Any]) -> tuple[str, bool]:
    """Return a value as whose example all others read; else whether they could all be read in two ways."""
    n_open = 0
    for example in _list_telling(values):
        try:
            reading = make(example)
        except UsageError as error:
            n_open += "two ways" in str(error)
            continue
        if all(reading.read(value) is not None for value in values):
            return example, False
    return "", n_open == min(len(values), _TRIED)


def _list_telling(values: Sequence[str]) -> Iterator[str]:
    """Yield values that may be an example, those that are longest first: they tell most."""
    yield from sorted(values, key=lambda value: (-len(value), value))[:_TRIED]


def _quote(name: str) -> str:
    return f'"{name}"' if set(name) & set(",= ") else name
