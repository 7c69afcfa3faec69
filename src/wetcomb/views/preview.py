"""The preview: the first source lines with the teeth of the comb under their cuts, then the table.

What is drawn faint in a source line leaves the record (delimiters, marks, spacing); a
tooth stands under every place where a field ends and the next one begins. Records whose
cells were moved and records that do not fit are set off below, wherever in the text they stand.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import msgspec
import numpy as np

from wetcomb.core.arrays import Ints, leave_out, sort_unique
from wetcomb.core.batch import Batch
from wetcomb.core.cut_lines import CutLine, find_cut_lines
from wetcomb.core.moves import AS_CUT, Moves
from wetcomb.core.snags import SNAGS
from wetcomb.core.table import Table
from wetcomb.views.blocks import Block, Grid, Styled, TextLines, make_visible
from wetcomb.views.moves import MARKS, mark_cell
from wetcomb.views.teeth import draw_cut_lines

__all__ = ["Preview"]

_SOURCE_LINES, _ROWS, _MOVED, _SNAGS = 6, 10, 6, 6
_CELL = 200  # characters of a value that are kept to be drawn


_States = Mapping[int, Sequence[int]]


class _Row(msgspec.Struct, frozen=True):
    """A record to be drawn: its line, its cells with what became of them, its rest, its snags."""

    line: int
    cells: Sequence[str | Styled | None]
    rest: str | None
    snags: str


class Preview(msgspec.Struct):
    """Gathers what the preview shows while the chunks go by; bounded in size.

    Attributes
    ----------
    width : display columns there are to draw in
    snags_first : whether records that do not fit come before the others
    """

    width: int
    snags_first: bool = False
    names: tuple[str, ...] = ()
    source: list[CutLine] = msgspec.field(default_factory=list)
    rows: list[_Row] = msgspec.field(default_factory=list)
    moved: list[_Row] = msgspec.field(default_factory=list)
    snags: list[_Row] = msgspec.field(default_factory=list)
    n_records: int = 0
    n_moved: int = 0
    n_snags: int = 0
    has_rest: bool = False

    def begin_again(self) -> Preview:
        """Return one like it that has seen nothing."""
        return Preview(self.width, self.snags_first)

    def add(self, batch: Batch) -> None:
        """Take what is to be shown of one chunk."""
        table = batch.table
        if table is None:
            return
        self.names = table.names
        if not self.source:
            self.source = find_cut_lines(
                batch.text, table, batch.charges, _SOURCE_LINES, 4 * self.width
            )
        self.has_rest |= table.has_rest
        odd = sort_unique(table.snags.records)
        states = _find_states(batch.moves)
        moved = leave_out(np.array(sorted(states), np.int64), odd)
        fitting = leave_out(np.arange(min(table.n_records, _ROWS + odd.size)), odd)
        for rows, which, limit in (
            (self.rows, fitting, _ROWS),
            (self.moved, moved, _MOVED),
            (self.snags, odd, _SNAGS),
        ):
            rows += self._read_rows(table, which[: limit - len(rows)], states)
        self.n_records += table.n_records
        self.n_moved += moved.size
        self.n_snags += odd.size

    def _read_rows(self, table: Table, which: Ints, states: _States) -> list[_Row]:
        lines, _ = table.line_numbers(which.astype(np.int64))
        n_columns = min(len(table.names), self.width)
        rows = []
        for row, line in zip(which.tolist(), lines.tolist(), strict=True):
            kinds = table.snags.kinds[table.snags.records == row]
            became = states.get(row, (AS_CUT,) * n_columns)
            cells = [
                mark_cell(_clip(table.value(row, column)), became[column])
                for column in range(n_columns)
            ]
            names = ", ".join(SNAGS[kind].name for kind in kinds)
            rows.append(_Row(line, cells, _clip(table.rest(row)), names))
        return rows

    def build(self) -> list[Block]:
        """Return the blocks to draw."""
        blocks: list[Block] = []
        if self.source:
            drawn = draw_cut_lines(self.source, self.width)
            blocks.append(TextLines("the text, and where it is cut", drawn))
        n_fitting = self.n_records - self.n_snags
        grids = [self._draw_grid(f"{n_fitting:,} records fit", self.rows, n_fitting)]
        if self.moved:
            title = f"{self.n_moved:,} of them by moving cells ({MARKS})"
            grids.append(self._draw_grid(title, self.moved, self.n_moved))
        if self.snags:
            title = f"{self.n_snags:,} {'does' if self.n_snags == 1 else 'do'} not fit"
            odd = self._draw_grid(title, self.snags, self.n_snags, has_rest=self.has_rest)
            grids.insert(0 if self.snags_first else len(grids), odd)
        return [*blocks, *grids]

    def _draw_grid(
        self, title: str, rows: Sequence[_Row], n_all: int, *, has_rest: bool = False
    ) -> Grid:
        shown = max(1, min(len(self.names), self.width // 9))
        names = ["line", *map(make_visible, self.names[:shown]), *(["rest"] * has_rest)]
        return Grid(
            title + f"; the first {len(rows)}" * (len(rows) < n_all),
            names,
            [[str(row.line), *row.cells[:shown], *([row.rest or ""] * has_rest)] for row in rows],
            [row.snags for row in rows],
            len(self.names) - shown,
        )


def _find_states(moves: Moves | None) -> _States:
    """Return what became of the cells of the first records that were moved, by row."""
    if moves is None:
        return {}
    changed = moves.changed
    return {int(moves.rows[place]): moves.states[place].tolist() for place in changed}


def _clip(value: str | None) -> str | None:
    if value is None:
        return None
    visible = make_visible(value[: _CELL + 1])
    return visible if len(visible) <= _CELL else visible[:_CELL] + "…"
