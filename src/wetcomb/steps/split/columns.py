"""The columns of a table: which are kept, and which words in them stand for nothing."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from msgspec.structs import replace

from wetcomb.core.arrays import Spans, stands_at
from wetcomb.core.errors import InputError, UsageError, find_nearest
from wetcomb.core.ledger import Charge
from wetcomb.core.table import MISSING, Table
from wetcomb.core.text import Text

__all__ = ["find_columns", "mark_missing", "take_columns"]

_NAMES = 12  # columns that an error lists


def find_columns(taken: Sequence[int | str], names: Sequence[str]) -> list[int]:
    """Return which columns are kept, counted from 0; all of them where none are taken.

    Parameters
    ----------
    taken : places, counted from 1 or with a minus from the end, or names
    names : what the columns are called

    Raises
    ------
    InputError : records have no such column
    UsageError : one is taken twice
    """
    columns: list[int] = []
    for one in taken:
        column = _find_column(one, names)
        if column in columns:
            raise UsageError(f"--take names column {column + 1} twice")
        columns.append(column)
    return columns or list(range(len(names)))


def _find_column(one: int | str, names: Sequence[str]) -> int:
    if isinstance(one, int) and 0 < abs(one) <= len(names):
        return one - 1 if one > 0 else len(names) + one
    if str(one) in names:  # a name may be a number
        return list(names).index(str(one))
    if isinstance(one, int):
        raise InputError(f"--take asks for column {one}, but records have {len(names)} fields")
    near = find_nearest(one, names) or "; there are: " + ", ".join(names[:_NAMES])
    raise InputError(f"--take {one}: there is no such column{near}")


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


def mark_missing(
    table: Table, words: Sequence[bytes], columns: Sequence[int] | None = None
) -> tuple[Table, list[Charge]]:
    """Return a table in which words that stand for nothing are missing values, and these words.

    Parameters
    ----------
    columns : those that are looked at; all of them if that is not said
    """
    charges: list[Charge] = []
    if not words or not table.n_records:
        return table, charges
    starts, ends = table.starts.copy(), table.ends.copy()
    for word in words:
        is_word = ends - starts == len(word)
        is_word &= starts != MISSING
        if columns is not None:
            is_word &= np.isin(np.arange(len(table.names)), columns)
        is_word[is_word] = stands_at(table.text.data, starts[is_word], word)
        charges.append(_drop_cells(table.text, "missing-word", (starts[is_word], ends[is_word])))
        starts[is_word] = ends[is_word] = MISSING
    return replace(table, starts=starts, ends=ends), charges


def _drop_cells(text: Text, reason: str, spans: tuple[Spans, Spans]) -> Charge:
    """Charge cells that were kept until now, at the places they came from."""
    found = text.find_origins(spans[0].astype(np.int64), spans[1].astype(np.int64))
    return Charge(reason, found.starts, found.ends)
