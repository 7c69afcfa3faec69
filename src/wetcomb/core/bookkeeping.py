"""The book is closed: what became of every byte of a batch, from its cells and charges alone.

Nothing that a step says of itself is believed. The spans that were dropped and the spans that
the result is made of must tile the bytes that were used, first to last, without a gap or an
overlap; only then are characters counted, and every count is a sum over these spans. So a
step that charges a span twice, forgets one, or tells a value in two cells is found out, here,
in every run.

The tiling is checked without sorting. If a span begins at 0, and wherever one ends, but at N,
another begins, then a chain of spans leads from 0 to N: no byte is left out. If all lengths
together are N as well, no byte is in two. Spans that are empty do not count.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from wetcomb.core.arrays import Array, Ints, sort_unique
from wetcomb.core.batch import Batch, NameSource
from wetcomb.core.errors import BrokenPromise
from wetcomb.core.ledger import DROPS, Charge, Ledger
from wetcomb.core.table import Table
from wetcomb.core.text import Text, count_characters

__all__ = ["close_batch"]

_FEW = 64  # spans that are sorted sooner than a chain of them is followed

Spans = Array[np.integer[Any]]
Homes = tuple[Spans, Spans]  # starts and ends


def close_batch(batch: Batch) -> Ledger:
    """Return what became of the characters of a batch that has come through all steps.

    Raises
    ------
    BrokenPromise : a byte has no home or two, or was dropped for a reason without a name
    """
    ledger, text, used = Ledger(), batch.text, batch.used
    homes: list[Homes] = [batch.kept] if batch.kept is not None else []
    if batch.table is not None:
        homes += _list_homes(batch.table, used, ledger)
        homes.append(_list_names(batch, ledger))
    check_tiling(used, [*homes, *((charge.starts, charge.ends) for charge in batch.charges)])
    n_put_dropped = _sum_charges(text, batch.charges, ledger)
    if batch.kept is None:
        n_put = text.count_puts(np.array([0]), np.array([used]))
        n_gone = ledger.dropped.total() + ledger.altered
        ledger.kept += count_characters(text.data[:used]) - n_put - n_gone
        ledger.put_in["glue"] += n_put - n_put_dropped
    return ledger


def check_tiling(used: int, homes: Sequence[Homes]) -> None:
    """Raise BrokenPromise unless spans tile the first `used` bytes; empty spans do not count."""
    filled = [home for home in homes if home[0].size]
    if sum(home[0].size for home in filled) <= _FEW:
        if not _are_neighbours(used, filled):
            raise _fault(used, homes)
        return
    total = _measure_chain(used, filled)
    if total < 0:
        total = _measure_chain(used, [_leave_out_empty(*one) for one in filled])
    if total != used:
        raise _fault(used, homes)


def _fault(used: int, homes: Sequence[Homes]) -> BrokenPromise:
    place = _find_fault(used, homes)
    return BrokenPromise(f"the book does not close: byte {place} of a batch has no home, or two")


def _are_neighbours(used: int, homes: Sequence[Homes]) -> bool:
    """Return whether a few spans follow each other from the first byte to the last, once sorted."""
    spans = sorted(
        span
        for starts, ends in homes
        for span in zip(starts.tolist(), ends.tolist(), strict=True)
        if span[0] != span[1]
    )
    begins, ends = [start for start, _ in spans], [end for _, end in spans]
    return [0, *ends] == [*begins, used] and all(start < end for start, end in spans)


def _measure_chain(used: int, homes: Sequence[Homes]) -> int:
    """Return the length of all spans together; -1 where no chain leads from the first byte to the last.

    An empty span may hide one that begins where it stands, and then the chain seems broken; it
    never makes a broken one whole.
    """
    begins = np.zeros(used + 1, np.uint8)  # numbers are set in half the time that truths are
    total = 0
    try:
        for starts, ends in homes:
            if not starts.size:
                continue
            lengths = ends - starts
            shortest = int(lengths.min())
            if shortest < 0 or int(starts.min()) < 0:
                return -1
            places = starts.astype(np.intp, copy=False)
            begins[places] = 1 if shortest else (lengths > 0).view(np.uint8)
            total += int(lengths.sum())
        begins[used] = 1  # there the chain may end
        is_chain = begins[0] and all(
            begins.take(ends.astype(np.intp, copy=False)).min(initial=1) for _, ends in homes
        )
    except IndexError:  # a span reaches beyond
        return -1
    return total if is_chain else -1


def _leave_out_empty(starts: Spans, ends: Spans) -> Homes:
    real = starts != ends
    return starts[real], ends[real]


def _find_fault(used: int, homes: Sequence[Homes]) -> int:
    """Return the first byte without a home, or with two."""
    depth = np.zeros(used + 1, np.int64)
    for starts, ends in homes:
        real = ends > starts
        np.add.at(depth, starts[real].clip(0, used), 1)
        np.add.at(depth, ends[real].clip(0, used), -1)
    wrong = np.flatnonzero(np.cumsum(depth[:-1]) != 1)
    return int(wrong[0]) if wrong.size else used


def _sum_charges(text: Text, charges: Sequence[Charge], ledger: Ledger) -> int:
    """Count what was dropped; return how many characters of it stand nowhere in the source."""
    all_put = 0
    for charge in charges:
        if charge.reason not in DROPS:
            raise BrokenPromise(f"characters were dropped for a reason without a name: {charge}")
        n_put = text.count_puts(charge.starts, charge.ends)
        ledger.dropped[charge.reason] += text.count(charge.starts, charge.ends) - n_put
        all_put += n_put
    return all_put


def _list_homes(table: Table, used: int, ledger: Ledger) -> list[Homes]:
    """Return the spans of the body that the cells hold; count what is told again or put in.

    Only where the table says that it tells values again are the later ones taken out, else they
    are left for the tiling to stumble over.
    """
    starts: Spans = table.starts.ravel()
    ends: Spans = table.ends.ravel()
    if table.has_rest:
        starts = np.append(starts, table.rest_starts)
        ends = np.append(ends, table.rest_ends)
    text = table.text
    homes: list[Homes] = []
    if text.data.size > text.body_size:
        late = np.flatnonzero(ends > text.body_size)
        built = starts[late].astype(np.int64), ends[late].astype(np.int64)
        homes.append(_list_built(table, built, ledger))
        starts, ends = _set_aside(late, starts, ends, used)
    if starts.size and int(starts.min()) < 0:
        starts, ends = _set_aside(np.flatnonzero(starts < 0), starts, ends, used)
    homes.append((starts, ends))
    if not table.repeats:
        return homes
    all_starts = np.concatenate([part for part, _ in homes]).astype(np.int64)
    all_ends = np.concatenate([part for _, part in homes]).astype(np.int64)
    return [_tell_once(table, all_starts, all_ends, ledger)]


def _set_aside(which: Ints, starts: Spans, ends: Spans, used: int) -> Homes:
    """Return spans with some of them empty, at the end: what they stand for lies elsewhere."""
    starts, ends = starts.copy(), ends.copy()
    starts[which] = ends[which] = used
    return starts, ends


def _list_built(table: Table, cells: tuple[Ints, Ints], ledger: Ledger) -> tuple[Ints, Ints]:
    """Return the spans of the body that built values hold."""
    text, (starts, ends) = table.text, cells
    at = np.searchsorted(text.again_starts, starts, "right") - 1
    is_again = at >= 0  # values told again lie apart from others: one that begins there ends there
    is_again[is_again] = ends[is_again] <= text.again_ends[at[is_again]]
    for place in sort_unique(at[is_again]).tolist():
        mine = is_again & (at == place)
        ledger.repeated[text.again_reasons[place]] += text.count(starts[mine], ends[mine])
    starts, ends = starts[~is_again], ends[~is_again]
    if table.repeats and starts.size:  # the same value in several records
        order = np.lexsort((ends, starts))
        starts, ends = starts[order], ends[order]
        same = np.append(False, (starts[1:] == starts[:-1]) & (ends[1:] == ends[:-1]))
        ledger.repeated[_name_same(table)] += text.count(starts[same], ends[same])
        starts, ends = starts[~same], ends[~same]
    forms = text.forms.find(starts, ends)
    if (forms >= 0).any():
        was_starts, was_ends = _list_altered(text, starts[forms >= 0], ends[forms >= 0], ledger)
        others = text.find_origins(starts[forms < 0], ends[forms < 0])
        starts, ends = starts[forms < 0], ends[forms < 0]
        n_put = text.count(starts, ends) - text.count(others.starts, others.ends)
        ledger.put_in["glue"] += n_put
        return np.append(was_starts, others.starts), np.append(was_ends, others.ends)
    found = text.find_origins(starts, ends)
    if (ends - starts).sum() != (found.ends - found.starts).sum():
        n_put = text.count(starts, ends) - text.count(found.starts, found.ends)
        ledger.put_in["glue"] += n_put
    return found.starts, found.ends


def _list_altered(text: Text, starts: Ints, ends: Ints, ledger: Ledger) -> tuple[Ints, Ints]:
    """Return the spans of the body that values in another form stand for; count what became of them."""
    found = text.find_sources(starts, ends)
    n_put = text.count_puts(found.starts, found.ends)
    ledger.altered += text.count(found.starts, found.ends) - n_put
    ledger.altered_to += text.count(starts, ends)
    ledger.put_in["glue"] -= n_put  # it is part of what became another form
    return found.starts, found.ends


def _tell_once(table: Table, starts: Ints, ends: Ints, ledger: Ledger) -> Homes:
    """Return spans without those told again, so far as the table says that it does so; count these."""
    real = ends > starts
    starts, ends = starts[real], ends[real]
    if not starts.size:
        return starts, ends
    order = np.lexsort((-ends, starts))
    starts, ends = starts[order], ends[order]
    same = np.append(False, (starts[1:] == starts[:-1]) & (ends[1:] == ends[:-1]))
    again = same.copy()
    if "original" in table.repeats:  # what a value was cut into stands beside it
        again |= ends <= np.append(0, np.maximum.accumulate(ends)[:-1])
    for reason, mine in ((_name_same(table), same), ("original", again & ~same)):
        n_put = table.text.count_puts(starts[mine], ends[mine])
        ledger.repeated[reason] += table.text.count(starts[mine], ends[mine]) - n_put
        ledger.put_in["glue"] += n_put
    return starts[~again], ends[~again]


def _name_same(table: Table) -> str:
    """Return why the same value may stand in several records."""
    return "other-columns" if "other-columns" in table.repeats else "original"


def _list_names(batch: Batch, ledger: Ledger) -> Homes:
    """Return the spans of the headings that were kept; count the rest of the names."""
    if not batch.name_sources:
        none = np.zeros(0, np.int64)
        return none, none
    assert batch.table is not None
    for name, source in zip(batch.table.names, batch.name_sources, strict=True):
        n_own, n_again = _count_name(batch.text, source)
        ledger.repeated["spread-heading"] += n_again
        ledger.put_in["names"] += len(name) - n_own - n_again
    spans = [span for source in batch.name_sources for span in source.spans]
    kept = np.array(spans, np.int64).reshape(-1, 2)
    return kept[:, 0], kept[:, 1]


def _count_name(text: Text, source: NameSource) -> tuple[int, int]:
    """Return the characters of a name that it has to itself, and those that others tell too."""
    own = sum(len(text.value(*span)) for span in source.spans)
    return own, sum(len(text.value(*span)) for span in source.again)
