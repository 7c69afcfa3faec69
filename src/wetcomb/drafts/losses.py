"""Records that fit, spoilt on purpose: what is right is known of them, so a step can be tried on them.

Each cell and each two cells are taken away; then the same with one of the values that are left
cut in two at its first space.
"""

from __future__ import annotations

from functools import cached_property
from itertools import combinations

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from wetcomb.core.arrays import Bools, Ints, Spans
from wetcomb.core.snags import SNAG_CODES, SnagRows
from wetcomb.core.table import MISSING, Table, take_records
from wetcomb.steps.realign.options import Realign
from wetcomb.steps.realign.rereading import Rereader

__all__ = ["Losses", "TrialOutcome", "take_away"]

_MOST = 200  # records made; 1,500 mend as many and misread none less (benchmarks.repair, 150 and 300 records)
_PAIRED = 12  # columns up to which two cells at once are taken away

Span = tuple[int, int]
_NONE: Span = (MISSING, MISSING)


class TrialOutcome(Struct, frozen=True, eq=False):
    """Which of R records a step settles, and which of them rightly; both (R,) bool."""

    settled: Bools
    right: Bools

    @property
    def n_wrong(self) -> int:
        """How many records have a value under a wrong column, and no snag that tells."""
        return int((self.settled & ~self.right).sum())


class Losses(Struct, frozen=True, eq=False, dict=True):
    """The records, as they would have been cut, and their truth.

    Attributes
    ----------
    table : R records, short of a cell at least, or with one of two pieces in its place
    true : (R, F, 2), where each value that is left stands, -1 where there is none
    """

    table: Table
    true: Spans

    def try_step(self, step: Realign) -> TrialOutcome:
        """Return what a step makes of them."""
        settled, right = np.zeros((2, self.table.n_records), np.bool_)
        made = self._rereader.read(step)
        settled[made.rows] = True
        found = np.stack([made.starts, made.ends], axis=-1)
        found[found[..., 1] <= found[..., 0]] = MISSING
        right[made.rows] = (found == self.true[made.rows]).all(axis=(1, 2))
        return TrialOutcome(settled, right)

    @cached_property
    def _rereader(self) -> Rereader:
        return Rereader(self.table)


def take_away(table: Table, rows: Ints) -> Losses:
    """Return some records with cells missing.

    Parameters
    ----------
    rows : rising, records that have all their cells
    """
    n_columns = len(table.names)
    columns = range(n_columns)
    ways = [*combinations(columns, 1), *(combinations(columns, 2) if n_columns <= _PAIRED else ())]
    owners: list[int] = []
    cells: list[list[Span]] = []
    true: list[list[Span]] = []
    for row in rows[:: rows.size * len(ways) // _MOST + 1].tolist():
        spans = list(zip(table.starts[row].tolist(), table.ends[row].tolist(), strict=True))
        filled = [span if span[1] > span[0] else _NONE for span in spans]
        halves = [_halve(table, span) for span in spans]
        for lost in ways:
            left = [column for column in columns if column not in lost]
            for halved in (None, *(column for column in left if halves[column])):
                cut: list[Span] = []
                for column in left:
                    cut += halves[column] if column == halved else [spans[column]]
                owners.append(row)
                cells.append(cut + [_NONE] * (n_columns - len(cut)))
                true.append([_NONE if column in lost else filled[column] for column in columns])
    return Losses(_make_table(table, np.array(owners, np.int64), cells), _pack(true, n_columns))


def _halve(table: Table, span: Span) -> list[Span]:
    """Return a value as two, cut at its first space; none if it has no space."""
    start, end = span
    if start < 0 or end > table.text.body_size:  # what is built stands nowhere in the source
        return []
    space = table.text.data[start:end].tobytes().find(b" ")
    return [(start, start + space), (start + space + 1, end)] if 0 < space < end - start - 1 else []


def _make_table(table: Table, owners: Ints, cells: list[list[Span]]) -> Table:
    """Return records of the given cells, each in the place of the one it was made of."""
    spans = _pack(cells, len(table.names))
    short = np.flatnonzero(spans[:, -1, 0] == MISSING)
    nowhere = np.full(owners.size, MISSING, np.int32)
    return replace(
        take_records(table, owners[:0]),
        starts=spans[..., 0],
        ends=spans[..., 1],
        rest_starts=nowhere,
        rest_ends=nowhere,
        record_starts=table.record_starts[owners],
        record_ends=table.record_ends[owners],
        snags=SnagRows(short, np.full(short.size, SNAG_CODES["short"], np.int64)),
        surplus=None,
    )


def _pack(cells: list[list[Span]], n_columns: int) -> Spans:
    return np.array(cells, np.int32).reshape(-1, n_columns, 2)
