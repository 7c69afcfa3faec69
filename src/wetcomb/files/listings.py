"""Tables about a run: the snags, and every dropped batch of text."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from wetcomb.core.arrays import Ints
from wetcomb.core.batch import Batch
from wetcomb.core.doubts import Doubt
from wetcomb.core.snags import SNAGS
from wetcomb.files.columns import CellGrid

__all__ = ["LedgerListing", "Listing", "SnagListing"]


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
        return _make_grid([], len(self.names))

    def list_doubts(self, doubts: Sequence[Doubt], source: str) -> CellGrid:
        """Return what is listed of doubts about the whole."""
        return _make_grid([], len(self.names))


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
        return _make_grid(rows, len(self.names))

    def list_batch(self, batch: Batch, source: str) -> CellGrid:
        table = batch.table
        if table is None:
            return _make_grid([], len(self.names))
        firsts, lasts = table.line_numbers(table.snags.records)
        rows = []
        for row, code, first, last in zip(
            table.snags.records.tolist(), table.snags.kinds.tolist(), firsts, lasts, strict=True
        ):
            kind = SNAGS[code]
            rows.append(
                [
                    source,
                    str(first),
                    str(last),
                    "",
                    kind.name,
                    kind.odd,
                    kind.done,
                    kind.settle,
                    table.record_text(row),
                ]
            )
        return _make_grid(rows, len(self.names))


class LedgerListing(Listing):
    """A row for each dropped batch of text, in the order of the text."""

    names = ("source", "source_first", "source_last", "characters", "reason", "step", "text")

    def list_batch(self, batch: Batch, source: str) -> CellGrid:
        starts = _join([charge.starts for charge in batch.charges])
        ends = _join([charge.ends for charge in batch.charges])
        owners = [charge for charge in batch.charges for _ in range(charge.starts.size)]
        order = np.argsort(starts, kind="stable")
        order = order[ends[order] > starts[order]]
        text = batch.text
        lengths = text.lengths(starts, ends)
        firsts, lasts = text.line_numbers(starts), text.line_numbers(np.maximum(ends - 1, 0))
        rows = [
            [
                source,
                str(firsts[k]),
                str(lasts[k]),
                str(lengths[k]),
                owners[k].reason,
                owners[k].step,
                text.value(starts[k], ends[k]),
            ]
            for k in order.tolist()
        ]
        return _make_grid(rows, len(self.names))

    def list_mark(self, source: str) -> CellGrid:
        return _make_grid([[source, "1", "1", "1", "byte-order-mark", "read", ""]], len(self.names))


def _join(parts: list[Ints]) -> Ints:
    return np.concatenate([np.zeros(0, np.int64), *parts])


def _make_grid(rows: list[list[str]], n_columns: int) -> CellGrid:
    raw = [value.encode() for row in rows for value in row]
    stops = np.cumsum([len(value) for value in raw], dtype=np.int64)
    starts = np.concatenate([[0], stops[:-1]]).astype(np.int64)[: stops.size]
    data = np.frombuffer(b"".join(raw), np.uint8)
    return CellGrid(data, data.size, starts.reshape(-1, n_columns), stops.reshape(-1, n_columns))
