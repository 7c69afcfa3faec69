"""Records in another order: by value where a column holds numbers, else by its text."""

from __future__ import annotations

import re
from collections.abc import Sequence
from decimal import Decimal

import numpy as np

from wetcomb.core.table import Table, take_records
from wetcomb.steps.clean.converting import Find
from wetcomb.steps.clean.edits import list_kinds

__all__ = ["sort_records"]

_NUMBER = re.compile(rb"-?\d+(?:\.\d+)?")


def sort_records(table: Table, columns: Sequence[str], find: Find) -> Table:
    """Return the table sorted, equal records in the order they came; what is no number comes first."""
    order = np.arange(table.n_records)
    for name in reversed(columns):
        is_down = name.startswith("-") and name not in table.names
        ranks = _rank(table, find(table, "--sort", name[is_down:]))
        order = order[np.argsort(-ranks[order] if is_down else ranks[order], kind="stable")]
    return take_records(table, order)


def _rank(table: Table, column: int) -> np.ndarray[tuple[int], np.dtype[np.int64]]:
    """Return the place of each record's value among all of the column's; blank ones come first."""
    kinds = list_kinds(table, column)
    values = [*kinds.tell(table.text)]
    numbers = [_NUMBER.fullmatch(value) is not None for value in values]
    are_numbers = sum(numbers) > len(values) // 2

    def weigh(value: bytes) -> tuple[bool, Decimal, str, str]:
        text = value.decode()
        is_number = are_numbers and _NUMBER.fullmatch(value) is not None
        return is_number, Decimal(text) if is_number else Decimal(0), text.casefold(), text

    keys = [weigh(value) for value in values]
    ordered = {key: rank for rank, key in enumerate(sorted(set(keys)), 1)}
    ranks = np.zeros(table.n_records, np.int64)
    if values:
        ranks[kinds.rows] = np.array([ordered[key] for key in keys])[kinds.which]
    return ranks
