"""Columns that are printed only where their value changes: told by a finer column that begins anew.

A column that is blank in some records may lack values there, or say by the blank that the value
above holds. It says so where a finer column (days, times, numbers) rises from record to record
until the value is printed again, and falls back just there. Nothing else is taken for a proof.
"""

from __future__ import annotations

import math
import re
from collections.abc import Sequence

from wetcomb.core.table import Table
from wetcomb.drafts.record_lines import TOTAL
from wetcomb.match.orders import find_order
from wetcomb.match.shapes import find_shape

__all__ = ["find_carried"]

_LOOKED_AT = 2000  # records
_LEAST = 2  # times that the finer column must begin anew, and blanks that there must be


def find_carried(table: Table) -> tuple[tuple[str, ...], list[str]]:
    """Return the columns whose value holds until it is printed again, outer to inner, and what tells."""
    n_records = min(table.n_records, _LOOKED_AT)
    columns = [
        [table.value(row, column) or "" for row in range(n_records)]
        for column in range(len(table.names))
    ]
    orders = {
        place: found
        for place, values in enumerate(columns)
        if (found := _find_rising(values)) is not None
    }
    if any(re.match(TOTAL, value) for values in columns for value in values):
        return (), []  # a total among the records is none of them, and takes no value
    carried: dict[int, str] = {}
    for place, values in reversed([*enumerate(columns)]):
        if not values or not values[0] or values.count("") < _LEAST:
            continue
        if table.names.count(table.names[place]) > 1 or _is_amount(values):
            continue
        tells = (f"{table.names[k]} rises" for k in orders if _begins_anew(values, orders[k]))
        within = (
            f"{table.names[k]} holds"
            for k in carried
            if k > place and _is_outer(values, columns[k])
        )
        why = next(tells, "") or next(within, "")
        if why:
            carried[place] = why
    names = [table.names[place] for place in sorted(carried)]
    notes = [
        f"{table.names[place]} is printed only where it changes: {carried[place]} until it is printed again; carried down."
        for place in sorted(carried)
    ]
    return tuple(names), notes


def _is_amount(values: Sequence[str]) -> bool:
    """Return whether a column holds amounts: what is blank there is none."""
    full = [value for value in values if value]
    amounts = [value for value in full if find_shape(value) in ("number", "money")]
    return 2 * len(amounts) > len(full)


def _find_rising(values: Sequence[str]) -> list[float] | None:
    """Return the places of a column's values in their order; None if one has none."""
    found = [find_order(value) if value else math.nan for value in values]
    return None if not found or any(map(math.isnan, found)) else found


def _is_outer(values: Sequence[str], inner: Sequence[str]) -> bool:
    """Return whether a column is printed only where one that is carried within it is printed too."""
    return all(within for value, within in zip(values, inner, strict=True) if value)


def _begins_anew(values: Sequence[str], order: Sequence[float]) -> bool:
    """Return whether a finer column rises where a value is blank, and falls back where another is printed."""
    n_anew, last = 0, values[0]
    for row in range(1, len(values)):
        is_rising = order[row] > order[row - 1]
        if values[row] and values[row] != last:
            if is_rising:
                return False
            n_anew += 1
            last = values[row]
        elif not is_rising:
            return False
    return n_anew >= _LEAST
