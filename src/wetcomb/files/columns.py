"""The writer's door: which columns are written, beside those of the table.

Added columns are values like all others: they lie in the appendix of the text, and what
the tool puts in is charged in the ledger by name.
"""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np
from msgspec.structs import replace

from wetcomb.core.arrays import Bytes, Ints, Spans
from wetcomb.core.ledger import Ledger
from wetcomb.core.snags import SNAGS
from wetcomb.core.table import MISSING, Table
from wetcomb.core.text import Text

__all__ = ["CellGrid", "Layout", "build_grid", "list_names", "list_types"]


class Layout(msgspec.Struct, frozen=True):
    """What is written beside the table's own columns.

    Attributes
    ----------
    with_rest : a last column for what no column could take
    with_source : columns `source_first`, `source_last` with line numbers
    with_snags : a column with the names of a record's snags
    source_file : the name to write in a column `source_file`, None for no such column
    missing_as : what a missing cell is written as
    """

    with_rest: bool = False
    with_source: bool = False
    with_snags: bool = False
    source_file: str | None = None
    missing_as: str = ""


class CellGrid(msgspec.Struct, frozen=True, eq=False):
    """What a writer gets: spans, and nothing else to know.

    Attributes
    ----------
    data : (N,) uint8
    body_size : where its appendix begins
    starts, ends : (R, F) int64; -1 where missing
    """

    data: Bytes
    body_size: int
    starts: Ints
    ends: Ints


def list_types(table: Table, layout: Layout) -> tuple[str, ...]:
    """Return what the values of all columns that are written are: "number", "date", "date-time", or "" for text."""
    added = [""] * (layout.source_file is not None) + ["number", "number"] * layout.with_source
    added += [""] * (layout.with_snags + layout.with_rest)
    return (*(table.types or [""] * len(table.names)), *added)


def list_names(names: Sequence[str], layout: Layout) -> list[str]:
    """Return the headings of all columns that are written, added ones made unlike the others."""
    added = ["source_file"] * (layout.source_file is not None)
    added += ["source_first", "source_last"] * layout.with_source
    added += ["snag"] * layout.with_snags + ["rest"] * layout.with_rest
    all_names = list(names)
    for name in added:
        unique, number = name, 2
        while unique in all_names:
            unique, number = f"{name}-{number}", number + 1
        all_names.append(unique)
    return all_names


def build_grid(table: Table, layout: Layout, ledger: Ledger) -> CellGrid:
    """Return all cells that are written, and charge those that the tool puts in."""
    text = table.text
    columns: list[tuple[Ints | Spans, Ints | Spans]] = [(table.starts, table.ends)]
    rows = np.arange(table.n_records)
    if layout.source_file is not None:
        text, (start, end) = _add_values(text, [layout.source_file])
        columns.append((np.repeat(start, rows.size, axis=0), np.repeat(end, rows.size, axis=0)))
        ledger.put_in["source-file"] += len(layout.source_file) * rows.size
    if layout.with_source:
        for numbers in table.line_numbers(rows):
            words = list(map(str, numbers.tolist()))
            text, spans = _add_values(text, words)
            columns.append(spans)
            ledger.put_in["source-lines"] += sum(map(len, words))
    if layout.with_snags:
        words = _name_snags(table)
        text, spans = _add_values(text, words)
        columns.append(spans)
        ledger.put_in["snag-column"] += sum(map(len, words))
    if layout.missing_as:
        text, spans = _add_values(text, [layout.missing_as])
        starts, ends = table.starts.copy(), table.ends.copy()
        is_missing = starts == MISSING
        starts[is_missing], ends[is_missing] = spans[0][0, 0], spans[1][0, 0]
        columns[0] = starts, ends
        ledger.put_in["missing-as"] += int(is_missing.sum()) * len(layout.missing_as)
    if layout.with_rest:
        columns.append((table.rest_starts[:, None], table.rest_ends[:, None]))
    if len(columns) == 1:
        first_starts, first_ends = (array.astype(np.int64) for array in columns[0])
        return CellGrid(text.data, text.body_size, first_starts, first_ends)
    all_starts = np.concatenate([starts for starts, _ in columns], axis=1, dtype=np.int64)
    all_ends = np.concatenate([ends for _, ends in columns], axis=1, dtype=np.int64)
    return CellGrid(text.data, text.body_size, all_starts, all_ends)


def _add_values(text: Text, words: Sequence[str]) -> tuple[Text, tuple[Ints, Ints]]:
    raw = [word.encode() for word in words]
    lengths = np.array([len(word) for word in raw], np.int64)
    starts = text.data.size + np.cumsum(lengths) - lengths
    data = np.concatenate([text.data, np.frombuffer(b"".join(raw), np.uint8)])
    return replace(text, data=data), (starts[:, None], (starts + lengths)[:, None])


def _name_snags(table: Table) -> list[str]:
    names: list[list[str]] = [[] for _ in range(table.n_records)]
    for row, kind in zip(table.snags.records.tolist(), table.snags.kinds.tolist(), strict=True):
        names[row].append(SNAGS[kind].name)
    return [" ".join(of_row) for of_row in names]
