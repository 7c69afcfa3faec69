"""Records in another order: by value where a column holds numbers, else by its text."""

from __future__ import annotations

import re
from collections.abc import Sequence
from decimal import Decimal

import numpy as np

from wetcomb.core.arrays import Ints
from wetcomb.core.table import Table, take_records
from wetcomb.match.letter_case import fold_case
from wetcomb.steps.clean.converting import Find
from wetcomb.steps.clean.edits import list_kinds

__all__ = ["sort_records"]

_NUMBER = re.compile(rb"-?\d+(?:\.\d+)?")


def sort_records(table: Table, columns: Sequence[str], find: Find) -> tuple[Table, list[str]]:
    """Return the table sorted, equal records in the order they came, and what is to be told of it.

    What is no number comes first, or last where it goes down.
    """
    order, told = np.arange(table.n_records), list[str]()
    for name in reversed(columns):
        is_down = name.startswith("-") and name not in table.names
        column = find(table, "--sort", name[is_down:])
        ranks, n_odd = _rank(table, column)
        order = order[np.argsort(-ranks[order] if is_down else ranks[order], kind="stable")]
        if n_odd:
            noun = (
                "value is no number and stands" if n_odd == 1 else "values are no numbers and stand"
            )
            where = "last" if is_down else "first"
            told.insert(0, f"--sort {table.names[column]}: {n_odd:,} {noun} {where}")
    return take_records(table, order), told


def _rank(table: Table, column: int) -> tuple[Ints, int]:
    """Return the place of each record's value among all of the column's, and how many are no numbers among such.

    Blank ones come first.
    """
    kinds = list_kinds(table, column)
    values = [*kinds.tell(table.text)]
    numbers = [_NUMBER.fullmatch(value) is not None for value in values]
    are_numbers = sum(numbers) > len(values) // 2

    def weigh(value: bytes) -> tuple[bool, Decimal, str, str]:
        text = value.decode()
        is_number = are_numbers and _NUMBER.fullmatch(value) is not None
        return is_number, Decimal(text) if is_number else Decimal(0), fold_case(text), text

    keys = [weigh(value) for value in values]
    ordered = {key: rank for rank, key in enumerate(sorted(set(keys)), 1)}
    ranks = np.zeros(table.n_records, np.int64)
    if values:
        ranks[kinds.rows] = np.array([ordered[key] for key in keys])[kinds.which]
    n_odd = sum(n for n, is_number in zip(kinds.counts, numbers, strict=True) if not is_number)
    return ranks, n_odd if are_numbers else 0
