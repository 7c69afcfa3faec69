"""The columns of a table: which are kept, and which words in them stand for nothing."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from msgspec.structs import replace

from wetcomb.core.arrays import Ints, Spans
from wetcomb.core.errors import InputError, UsageError
from wetcomb.core.ledger import Charge, Ledger
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


def take_columns(table: Table, columns: list[int], ledger: Ledger, charges: list[Charge]) -> Table:
    """Return a table with these columns only; the others are charged."""
    taken = set(columns)
    left = [c for c in range(len(table.names)) if c not in taken]
    for column in left:
        there = table.starts[:, column] != MISSING
        spans = table.starts[there, column], table.ends[there, column]
        _drop_cells(table.text, "not-taken", spans, ledger, charges)
    if left or columns != list(range(len(table.names))):
        return table.take(columns)
    return table


def mark_missing(
    table: Table, words: Sequence[bytes], ledger: Ledger, charges: list[Charge]
) -> Table:
    """Return a table in which words that stand for nothing are missing values."""
    if not words or not table.n_records:
        return table
    starts, ends = table.starts.copy(), table.ends.copy()
    for word in words:
        is_word = ends - starts == len(word)
        is_word &= starts != MISSING
        for ahead, byte in enumerate(word):
            is_word[is_word] = table.text.data[starts[is_word] + ahead] == byte
        spans = starts[is_word], ends[is_word]
        _drop_cells(table.text, "missing-word", spans, ledger, charges)
        starts[is_word] = ends[is_word] = MISSING
    return replace(table, starts=starts, ends=ends)


def _drop_cells(
    text: Text, reason: str, spans: tuple[Spans, Spans], ledger: Ledger, charges: list[Charge]
) -> None:
    """Charge cells that were kept until now, at the places they came from."""
    starts, ends = spans[0].astype(np.int64), spans[1].astype(np.int64)
    ledger.drop_kept(reason, text.count(starts, ends))
    is_built = ends > text.body_size
    doubled = [charge for charge in charges if charge.reason == "doubled-mark"]
    charges.append(Charge(reason, starts[~is_built], ends[~is_built]))
    if is_built.any():
        origins = text.origins(starts[is_built], ends[is_built])
        charges.append(Charge(reason, *_cut_out(*origins, doubled)))


def _cut_out(starts: Ints, ends: Ints, holes: list[Charge]) -> tuple[Ints, Ints]:
    """Return the spans without what lies in the holes, which have been charged already."""
    none = np.zeros(0, np.int64)
    hole_starts = np.sort(np.concatenate([none, *[hole.starts for hole in holes]]))
    hole_ends = np.sort(np.concatenate([none, *[hole.ends for hole in holes]]))
    owners = np.searchsorted(starts, hole_starts, "right") - 1
    inside = (owners >= 0) & (hole_ends <= ends.take(owners, mode="clip"))
    all_starts = np.sort(np.concatenate([starts, hole_ends[inside]]))
    return all_starts, np.sort(np.concatenate([ends, hole_starts[inside]]))
