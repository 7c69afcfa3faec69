"""Tables about a run: the snags, and every dropped batch of text."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from wetcomb.core.arrays import Ints, is_any_of
from wetcomb.core.batch import Batch
from wetcomb.core.doubts import Doubt
from wetcomb.core.snags import SNAGS
from wetcomb.core.text import Text
from wetcomb.files.columns import CellGrid

__all__ = ["LedgerListing", "Listing", "SnagListing", "make_grid"]


class Listing:
    """Makes rows of what is listed, a batch at a time.

    Attributes
    ----------
    names : the headings of the listing
    """

    names: Sequence[str] = ()

    def list_batch(self, batch: Batch, source: str) -> CellGrid:
        """Return the rows of one batch."""
        raise NotImplementedError

    def list_mark(self, source: str) -> CellGrid:
        """Return what is listed of a byte-order mark, which the reader takes away."""
        return make_grid([], len(self.names))

    def list_doubts(self, doubts: Sequence[Doubt], source: str) -> CellGrid:
        """Return what is listed of doubts about the whole."""
        return make_grid([], len(self.names))


class SnagListing(Listing):
    """A row for each record and each of its snags, and one for each doubt about the whole."""

    names = (
        "source", "source_first", "source_last", "doubt", "snag", "odd", "done", "to_settle", "text",
    )  # fmt: skip

    def list_doubts(self, doubts: Sequence[Doubt], source: str) -> CellGrid:
        rows = []
        for doubt in doubts:
            settle = doubt.command.replace("{input}", source, 1) or doubt.kind.settle
            for first, last in doubt.lines or ((0, 0),):
                places = [str(first or ""), str(last or "")]
                rows.append([source, *places, doubt.name, "", doubt.said, "", settle, ""])
        return make_grid(rows, len(self.names))

    def list_batch(self, batch: Batch, source: str) -> CellGrid:
        table = batch.table
        if table is None:
            return make_grid([], len(self.names))
        rows, codes = table.snags.records, table.snags.kinds
        firsts, lasts = table.line_numbers(rows)
        starts, ends = table.record_starts[rows], table.record_ends[rows].copy()
        while (
            open_ones := (ends > starts)
            & is_any_of(table.text.data.take(ends - 1, mode="clip"), b"\r\n")
        ).any():
            ends -= open_ones  # the text of a record goes without the line ends behind it
        told = [
            [getattr(kind, part) for kind in SNAGS] for part in ("name", "odd", "done", "settle")
        ]
        none = np.zeros(rows.size, np.int64)
        columns: list[_Column] = [([source], none), firsts, lasts, ([""], none)]
        columns += [(words, codes) for words in told]
        return _lay_columns(table.text, [*columns, (starts, ends)])


class LedgerListing(Listing):
    """A row for each dropped batch of text, in the order of the text."""

    names = ("source", "source_first", "source_last", "characters", "reason", "step", "text")

    def list_batch(self, batch: Batch, source: str) -> CellGrid:
        starts = _join([charge.starts for charge in batch.charges])
        ends = _join([charge.ends for charge in batch.charges])
        sizes = [charge.starts.size for charge in batch.charges]
        owners = np.repeat(np.arange(len(sizes)), sizes)
        order = np.argsort(starts, kind="stable")
        order = order[ends[order] > starts[order]]
        starts, ends, owners = starts[order], ends[order], owners[order]
        text = batch.text
        columns: list[_Column] = [
            ([source], np.zeros(order.size, np.int64)),
            text.line_numbers(starts),
            text.line_numbers(np.maximum(ends - 1, 0)),
            text.lengths(starts, ends),
            ([charge.reason for charge in batch.charges], owners),
            ([charge.step for charge in batch.charges], owners),
            (starts, ends),
        ]
        return _lay_columns(text, columns)

    def list_mark(self, source: str) -> CellGrid:
        return make_grid([[source, "1", "1", "1", "byte-order-mark", "read", ""]], len(self.names))


def _join(parts: list[Ints]) -> Ints:
    return np.concatenate([np.zeros(0, np.int64), *parts])


#: What a column of a listing holds: numbers, words with which of them stands where, or spans.
_Column = Ints | tuple[Sequence[str] | Ints, Ints]


def _lay_columns(text: Text, columns: Sequence[_Column]) -> CellGrid:
    """Return columns as cells over a text and one copy of each word behind it."""
    data, spans = [text.data], list[tuple[Ints, Ints]]()
    size = text.data.size
    for column in columns:
        if isinstance(column, np.ndarray):
            numbers, places = np.unique(column, return_inverse=True)
            column = [str(number) for number in numbers.tolist()], places
        words, places = column
        if isinstance(words, np.ndarray):
            spans.append((words, places))
            continue
        raw = [word.encode() for word in words]
        stops = size + np.cumsum([len(word) for word in raw], dtype=np.int64)
        spans.append((np.append(size, stops)[places], stops[places]))
        data.append(np.frombuffer(b"".join(raw), np.uint8))
        size += data[-1].size
    starts, ends = (np.stack([span[side] for span in spans], axis=1) for side in (0, 1))
    return CellGrid(np.concatenate(data), text.body_size, starts, ends)


def make_grid(rows: list[list[str]], n_columns: int) -> CellGrid:
    """Return rows of texts as cells."""
    raw = [value.encode() for row in rows for value in row]
    stops = np.cumsum([len(value) for value in raw], dtype=np.int64)
    starts = np.concatenate([[0], stops[:-1]]).astype(np.int64)[: stops.size]
    data = np.frombuffer(b"".join(raw), np.uint8)
    return CellGrid(data, data.size, starts.reshape(-1, n_columns), stops.reshape(-1, n_columns))
