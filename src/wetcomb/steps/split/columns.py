"""The columns of a table: which are kept, and which words in them stand for nothing."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from msgspec.structs import replace

from wetcomb.core.arrays import Spans, stands_at
from wetcomb.core.errors import InputError, UsageError
from wetcomb.core.ledger import Charge
from wetcomb.core.table import MISSING, Table
from wetcomb.core.text import Text

__all__ = ["find_columns", "mark_missing", "take_columns"]


def find_columns(positions: tuple[int, ...], n_fields: int) -> list[int]:
    """Return which columns are kept, counted from 0; all of them where none are named.

    Raises
    ------
    InputError : records have no such column
    UsageError : one is named twice
    """
    if not positions:
        return list(range(n_fields))
    columns = []
    for position in positions:
        column = position - 1 if position > 0 else n_fields + position
        if not 0 <= column < n_fields:
            raise InputError(
                f"--take asks for column {position}, but records have {n_fields} fields"
            )
        if column in columns:
            raise UsageError(f"--take names column {column + 1} twice")
        columns.append(column)
    return columns


def take_columns(table: Table, columns: list[int]) -> tuple[Table, list[Charge]]:
    """Return a table with these columns only, and what stood in the others."""
    left = sorted(set(range(len(table.names))) - set(columns))
    charges = []
    if left:
        starts, ends = table.starts.take(left, axis=1), table.ends.take(left, axis=1)
        there = starts != MISSING
        spans = (starts.ravel(), ends.ravel()) if there.all() else (starts[there], ends[there])
        charges.append(_drop_cells(table.text, "not-taken", spans))
    if left or columns != list(range(len(table.names))):
        return table.take(columns), charges
    return table, charges


def mark_missing(table: Table, words: Sequence[bytes]) -> tuple[Table, list[Charge]]:
    """Return a table in which words that stand for nothing are missing values, and these words."""
    charges: list[Charge] = []
    if not words or not table.n_records:
        return table, charges
    starts, ends = table.starts.copy(), table.ends.copy()
    for word in words:
        is_word = ends - starts == len(word)
        is_word &= starts != MISSING
        is_word[is_word] = stands_at(table.text.data, starts[is_word], word)
        charges.append(_drop_cells(table.text, "missing-word", (starts[is_word], ends[is_word])))
        starts[is_word] = ends[is_word] = MISSING
    return replace(table, starts=starts, ends=ends), charges


def _drop_cells(text: Text, reason: str, spans: tuple[Spans, Spans]) -> Charge:
    """Charge cells that were kept until now, at the places they came from."""
    found = text.find_origins(spans[0].astype(np.int64), spans[1].astype(np.int64))
    return Charge(reason, found.starts, found.ends)
