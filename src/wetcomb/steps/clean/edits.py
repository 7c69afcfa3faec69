"""Values edited where they stand: each kind of value is looked at once, whatever its column's length.

What is only taken off leaves the source's own text standing and is charged; what takes another
form is laid behind the text and stands for what it was made of.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from typing import NamedTuple

import msgspec
import numpy as np
from msgspec.structs import replace

from wetcomb.core.arrays import Bytes, Ints, list_positions, spread
from wetcomb.core.ledger import Charge
from wetcomb.core.table import Table
from wetcomb.core.text import Text
from wetcomb.match.digests import Reader

__all__ = [
    "Cut", "Edited", "Kinds", "edit_column", "list_kinds", "put_forms", "put_kinds",
]  # fmt: skip

Span = tuple[int, int]


class Cut(NamedTuple):
    """What stays of a value, as spans of it, and what is taken out, with the reason."""

    kept: Sequence[Span]
    gone: Sequence[tuple[int, int, str]]


#: What becomes of a value: nothing, another form, or less of it.
Edit = Cut | bytes | None


class Kinds(msgspec.Struct, eq=False):
    """The different values of a column: the rows that have one, which each has, one span of each."""

    rows: Ints
    which: Ints
    starts: Ints
    ends: Ints

    def tell(self, text: Text) -> Iterator[bytes]:
        """Yield each value."""
        raw = text.data
        for start, end in zip(self.starts.tolist(), self.ends.tolist(), strict=True):
            yield raw[start:end].tobytes()

    @property
    def counts(self) -> list[int]:
        """How often each value stands."""
        return np.bincount(self.which, minlength=self.starts.size).tolist()


class Edited(NamedTuple):
    """A table with a column edited, what left its values, and how often each kind of value was hit."""

    table: Table
    charges: list[Charge]
    hits: list[tuple[bytes, Edit, int]]


def list_kinds(table: Table, column: int, left: Ints | None = None) -> Kinds:
    """Return the different values of a column; missing and empty ones are none.

    Parameters
    ----------
    left : the only rows that are looked at; all, if None
    """
    starts = table.starts[:, column].astype(np.int64)
    ends = table.ends[:, column].astype(np.int64)
    rows = np.flatnonzero(ends > starts)
    if left is not None:
        rows = left[ends[left] > starts[left]]
    starts, ends = starts[rows], ends[rows]
    if not rows.size:
        return Kinds(rows, rows, starts, ends)
    prints = Reader(table.text.data).find_prints(starts, ends, folded=False)
    order = np.argsort(prints, kind="stable")
    fresh = np.append(True, prints[order][1:] != prints[order][:-1])
    which = np.empty_like(order)
    which[order] = np.cumsum(fresh) - 1
    firsts = order[fresh]
    return Kinds(rows, which, starts[firsts], ends[firsts])


def put_forms(table: Table, column: int, rows: Ints, laid: Bytes, sizes: Ints) -> Table:
    """Return a table with other forms of some cells laid behind its text, one behind another."""
    old = table.starts[rows, column].astype(np.int64), table.ends[rows, column].astype(np.int64)
    text, begins, ends = table.text.alter(*old, laid, sizes)
    return _set_cells(replace(table, text=text), column, rows, begins, ends)


def put_kinds(table: Table, column: int, kinds: Kinds, forms: Sequence[bytes | None]) -> Table:
    """Return a table with each kind of a column's values in another form, or as it is."""
    return _alter_values(table, column, kinds, forms)


def edit_column(table: Table, column: int, edit: Callable[[bytes], Edit]) -> Edited:
    """Return a table with the values of a column edited."""
    kinds = list_kinds(table, column)
    values = [*kinds.tell(table.text)]
    edits = [edit(value) for value in values]
    hits = [hit for hit in zip(values, edits, kinds.counts, strict=True) if hit[1] is not None]
    table, charges = _cut_values(table, column, kinds, edits)
    return Edited(_alter_values(table, column, kinds, edits), charges, hits)


def _alter_values(table: Table, column: int, kinds: Kinds, edits: Sequence[Edit]) -> Table:
    """Lay the values that take another form behind the text."""
    is_new = np.array([isinstance(one, bytes) for one in edits] or [False])
    hit = np.flatnonzero(is_new[kinds.which]) if kinds.rows.size else kinds.rows
    if not hit.size:
        return table
    texts = [one if isinstance(one, bytes) else b"" for one in edits]
    sizes = np.array([len(one) for one in texts], np.int64)
    stops = np.cumsum(sizes)
    which, rows = kinds.which[hit], kinds.rows[hit]
    pool = np.frombuffer(b"".join(texts), np.uint8)
    laid = pool[list_positions((stops - sizes)[which], stops[which])]
    return put_forms(table, column, rows, laid, sizes[which])


def _cut_values(
    table: Table, column: int, kinds: Kinds, edits: Sequence[Edit]
) -> tuple[Table, list[Charge]]:
    """Take out of values what is to go; what is left of one in several pieces is put together."""
    is_cut = np.array([isinstance(one, Cut) for one in edits] or [False])
    hit = np.flatnonzero(is_cut[kinds.which]) if kinds.rows.size else kinds.rows
    if not hit.size:
        return table, []
    cuts = _Cuts.of([one if isinstance(one, Cut) else Cut((), ()) for one in edits])
    rows, which = kinds.rows[hit], kinds.which[hit]
    starts, ends = (part[rows, column].astype(np.int64) for part in (table.starts, table.ends))
    is_form = table.text.forms.find(starts, ends) >= 0
    charges = cuts.list_charges(table.text, starts[~is_form], which[~is_form])
    plain, kind = rows[~is_form], which[~is_form]
    owners, nth = spread(cuts.n_kept[kind])
    pieces = cuts.first_kept[kind][owners] + nth
    begins = starts[~is_form][owners] + cuts.kept_starts[pieces]
    stops = starts[~is_form][owners] + cuts.kept_ends[pieces]
    none = cuts.n_kept[kind] == 0
    at = starts[~is_form][none]
    table = _set_cells(table, column, plain[none], at, at)
    alone = cuts.n_kept[kind] == 1
    mine = alone[owners]
    table = _set_cells(table, column, plain[alone], begins[mine], stops[mine])
    several = cuts.n_kept[kind] > 1
    if several.any():
        mine = several[owners]
        text, new_starts, new_ends = table.text.build(
            begins[mine], stops[mine], cuts.n_kept[kind[several]]
        )
        table = replace(table, text=text)
        table = _set_cells(table, column, plain[several], new_starts, new_ends)
    if is_form.any():
        table, more = _cut_forms(table, column, rows[is_form], which[is_form], edits)
        charges += more
    return table, charges


class _Cuts(msgspec.Struct, eq=False):
    """What is kept and what goes of each kind of value, one behind another."""

    n_kept: Ints
    first_kept: Ints
    kept_starts: Ints
    kept_ends: Ints
    gone_kinds: Ints
    gone_starts: Ints
    gone_ends: Ints
    reasons: list[str]

    @classmethod
    def of(cls, cuts: Sequence[Cut]) -> _Cuts:
        """Return cuts as arrays."""
        n_kept = np.array([len(cut.kept) for cut in cuts], np.int64)
        kept = np.array([span for cut in cuts for span in cut.kept], np.int64).reshape(-1, 2)
        gone = [(kind, *one) for kind, cut in enumerate(cuts) for one in cut.gone]
        spans = np.array([one[:3] for one in gone], np.int64).reshape(-1, 3)
        firsts = np.cumsum(n_kept) - n_kept
        reasons = [one[3] for one in gone]
        owners, begins, ends = spans.T
        return cls(n_kept, firsts, kept[:, 0], kept[:, 1], owners, begins, ends, reasons)

    def list_charges(self, text: Text, starts: Ints, which: Ints) -> list[Charge]:
        """Return what goes of values that begin at some places."""
        order = np.argsort(which, kind="stable")
        counts = np.bincount(which, minlength=self.n_kept.size)
        firsts = np.cumsum(counts) - counts
        owners, nth = spread(counts[self.gone_kinds])
        values = starts[order[firsts[self.gone_kinds][owners] + nth]]
        begins, stops = values + self.gone_starts[owners], values + self.gone_ends[owners]
        charges = []
        for reason in dict.fromkeys(self.reasons):
            mine = np.array([one == reason for one in self.reasons])[owners]
            found = text.find_origins(begins[mine], stops[mine])
            charges.append(Charge(reason, found.starts, found.ends))
        return charges


def _cut_forms(
    table: Table, column: int, rows: Ints, which: Ints, edits: Sequence[Edit]
) -> tuple[Table, list[Charge]]:
    """Take something out of values that have another form already: that is another form again."""
    charges = []
    for row, kind in zip(rows.tolist(), which.tolist(), strict=True):
        cut, at = edits[kind], np.array([row])
        assert isinstance(cut, Cut)
        old = table.starts[at, column].astype(np.int64), table.ends[at, column].astype(np.int64)
        value = table.text.data[old[0][0] : old[1][0]].tobytes()
        left = b"".join(value[a:b] for a, b in cut.kept)
        if left:
            laid = np.frombuffer(left, np.uint8)
            text, begins, ends = table.text.alter(*old, laid, np.array([len(left)]))
            table = _set_cells(replace(table, text=text), column, at, begins, ends)
        else:
            found = table.text.find_sources(*old)
            table = _set_cells(table, column, at, old[0], old[0])
            charges.append(Charge(cut.gone[0][2], found.starts, found.ends))
    return table, charges


def _set_cells(table: Table, column: int, rows: Ints, starts: Ints, ends: Ints) -> Table:
    new_starts, new_ends = table.starts.copy(), table.ends.copy()
    new_starts[rows, column], new_ends[rows, column] = starts, ends
    return replace(table, starts=new_starts, ends=new_ends, surplus=None)
