"""Values read as a number or a date that are written like an example of one."""

from __future__ import annotations

import re
from collections.abc import Iterator
from functools import cache

from wetcomb.combs.memory import make_table
from wetcomb.core.errors import WetCombError
from wetcomb.steps.clean.options import Clean
from wetcomb.steps.split.options import Split

__all__ = ["convert", "find_written"]

_DAY = re.compile(r"\d{4}-\d\d-\d\d(?:[ T]\d\d:\d\d(?::\d\d)?)?")
_PARTED = re.compile(r"\d{1,2}([./-])\d{1,2}\1(\d{4}|\d{2})(?!\d)")
_NUMBER = re.compile(r"-?\d+(?:\.\d+)?")
_LONGEST = 60  # characters of a value that is read as one


def find_written(cell: str, value: str) -> tuple[str, str]:
    """Return as what a value is read to be a cell, `date` or `number`, and how such a one is written; nothing if it is not."""
    if len(value) < _LONGEST and any(map(str.isdecimal, value)):
        for kind, regex in (("date", _DAY), ("number", _NUMBER)):
            for written in _list_written(kind, value) if regex.fullmatch(cell) else ():
                if convert(kind, written, value) == cell:
                    return kind, written
    return "", ""


def _list_written(kind: str, value: str) -> Iterator[str]:
    """Yield how a value may be written: a day that may be a month, both ways."""
    found = _PARTED.match(value) if kind == "date" else None
    if found is None:
        yield value
        return
    mark, year = found[1], found[2] if len(found[2]) == 4 else "24"
    for first, second in (("31", "12"), ("12", "31")):
        yield f"{first}{mark}{second}{mark}{year}{value[found.end() :]}"


@cache
def convert(kind: str, written: str, value: str) -> str:
    """Return a value read as a number or date that is written like another; nothing if it is none."""
    split = Split(delimiter=("none",), quote=("none",), heading="none", fields=1, names=("a",))
    said = f"a={written}"
    try:
        table = make_table(
            [split, Clean(date=said) if kind == "date" else Clean(number=said)], value
        )
    except WetCombError:
        return ""
    return table.value(0, 0) or "" if not table.snags.n_records else ""
