"""The preview: the first source lines with the teeth of the comb under their cuts, then the table.

What is drawn faint in a source line leaves the record (delimiters, marks, spacing); a
tooth stands under every place where a field ends and the next one begins. Records that
do not fit are set off below, wherever in the text they stand.
"""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np

from wetcomb.core.arrays import Ints
from wetcomb.core.cut_lines import CutLine, find_cut_lines
from wetcomb.core.ledger import Charge
from wetcomb.core.snags import SNAGS
from wetcomb.core.table import Table
from wetcomb.core.text import Text
from wetcomb.views.blocks import Block, Grid, Lines, make_visible
from wetcomb.views.teeth import draw_cut_lines

__all__ = ["Preview"]

_SOURCE_LINES, _ROWS, _SNAGS = 6, 10, 6
_CELL = 200  # characters of a value that are kept to be drawn


class Preview(msgspec.Struct):
    """Gathers what the preview shows while the chunks go by; bounded in size.

    Attributes
    ----------
    width : display columns there are to draw in
    """

    width: int
    names: tuple[str, ...] = ()
    source: list[CutLine] = msgspec.field(default_factory=list)
    rows: list[tuple[int, list[str | None], str]] = msgspec.field(default_factory=list)
    snags: list[tuple[int, list[str | None], str]] = msgspec.field(default_factory=list)
    n_records: int = 0
    n_snags: int = 0
    has_rest: bool = False

    def add(self, text: Text, table: Table, charges: Sequence[Charge]) -> None:
        """Take what is to be shown of one chunk."""
        self.names = table.names
        if not self.source:
            self.source = find_cut_lines(text, table, charges, _SOURCE_LINES, 4 * self.width)
        self.has_rest |= table.has_rest
        odd = np.unique(table.snags.records)
        fitting = np.setdiff1d(np.arange(min(table.n_records, _ROWS + odd.size)), odd)
        self._add_rows(self.rows, table, fitting[: _ROWS - len(self.rows)])
        self._add_rows(self.snags, table, odd[: _SNAGS - len(self.snags)])
        self.n_records += table.n_records
        self.n_snags += odd.size

    def _add_rows(
        self, rows: list[tuple[int, list[str | None], str]], table: Table, which: Ints
    ) -> None:
        lines, _ = table.line_numbers(which.astype(np.int64))
        for row, line in zip(which.tolist(), lines.tolist(), strict=True):
            kinds = table.snags.kinds[table.snags.records == row]
            n_columns = min(len(table.names), self.width)
            values = [_clip(table.value(row, column)) for column in range(n_columns)]
            rows.append(
                (line, [*values, _clip(table.rest(row))], ", ".join(SNAGS[k].name for k in kinds))
            )

    def build(self) -> list[Block]:
        """Return the blocks to draw."""
        blocks: list[Block] = []
        if self.source:
            drawn = draw_cut_lines(self.source, self.width)
            blocks.append(Lines("the text, and where it is cut", drawn))
        shown = max(1, min(len(self.names), self.width // 9))
        title = f"{self.n_records - self.n_snags:,} records fit"
        if len(self.rows) < self.n_records - self.n_snags:
            title += f"; the first {len(self.rows)}"
        blocks.append(self._draw_grid(title, self.rows, shown, has_rest=False))
        if self.snags:
            verb = "does" if self.n_snags == 1 else "do"
            title = f"{self.n_snags:,} {verb} not fit"
            if len(self.snags) < self.n_snags:
                title += f"; the first {len(self.snags)}"
            blocks.append(self._draw_grid(title, self.snags, shown, has_rest=self.has_rest))
        return blocks

    def _draw_grid(
        self,
        title: str,
        rows: Sequence[tuple[int, list[str | None], str]],
        shown: int,
        *,
        has_rest: bool,
    ) -> Grid:
        names = ["line", *map(make_visible, self.names[:shown]), *(["rest"] * has_rest)]
        return Grid(
            title,
            names,
            [
                [str(line), *values[:shown], *([values[-1] or ""] * has_rest)]
                for line, values, _ in rows
            ],
            [reason for _, _, reason in rows],
            len(self.names) - shown,
        )


def _clip(value: str | None) -> str | None:
    if value is None:
        return None
    visible = make_visible(value[: _CELL + 1])
    return visible if len(visible) <= _CELL else visible[:_CELL] + "…"
