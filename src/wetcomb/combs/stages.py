"""Steps run over a text that is held at once, and what each of them made: for people to look at.

The engine runs steps in chunks and forgets what lies between them. Here everything is kept, so that
each value can be traced to its place in the source, through every text that was made on the way.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Sequence

import msgspec
import numpy as np
from msgspec.structs import replace

from wetcomb.combs.engine import read_text
from wetcomb.combs.part import Part, part_blocks
from wetcomb.core.arrays import Ints, spread
from wetcomb.core.batch import Batch
from wetcomb.core.decoded import Decoded
from wetcomb.core.stage_seen import StageSeen
from wetcomb.core.table import Table
from wetcomb.core.text import Text, count_line_ends
from wetcomb.steps.registry import begin
from wetcomb.steps.step import Step

__all__ = ["Held", "Stage", "hold_source", "run_stages", "tell_stages", "trace_back"]

_ROWS, _CHANGED, _TEXT = 4, 2, 200  # of what a step made that is shown; characters of a value


class Stage(msgspec.Struct, frozen=True, eq=False):
    """A step and what it made: one batch with a text, or batches with tables."""

    step: Step
    batches: tuple[Batch, ...]


class Held(msgspec.Struct, frozen=True, eq=False):
    """A source held at once.

    Attributes
    ----------
    data : all of it
    start : where the part begins that is meant
    text : that part
    """

    data: bytes
    start: int
    text: Text


def hold_source(blocks: Iterable[Decoded], part: Part) -> Held:
    """Return a source with the part of it that is meant.

    Raises
    ------
    InputError : there is no such part
    """
    before, inside, behind = b"", Text.of(b""), b""
    for stretch in part_blocks(part, blocks):
        if stretch.is_inside:
            inside = (
                inside.join(read_text(stretch.block))
                if inside.body_size
                else read_text(stretch.block)
            )
        elif inside.body_size:
            behind += stretch.block.data
        else:
            before += stretch.block.data
    text = replace(inside, first_line=1 + count_line_ends(before))
    return Held(before + text.data.tobytes() + behind, len(before), text)


def run_stages(steps: Sequence[Step], text: Text) -> list[Stage]:
    """Return what each of some steps makes of a text."""
    stages: list[Stage] = []
    batches: tuple[Batch, ...] = (Batch(text),)
    for step in steps:
        if batches[0].result is not None:
            batches = (Batch(batches[0].result),)
        run, made = begin(step), list[Batch]()
        for place, each in enumerate(batches):
            made += [
                one.sign(step.name) for one in run.feed(each, is_last=place == len(batches) - 1)
            ]
        batches = tuple(made)
        stages.append(Stage(step, batches))
    return stages


def trace_back(makers: Sequence[Batch], starts: Ints, ends: Ints) -> tuple[Ints, Ints, Ints]:
    """Return the pieces of the first text that spans of a later one came from: owners, starts, ends.

    Parameters
    ----------
    makers : the batches that made the texts between, in order; none where the spans are of the first
    """
    owners = np.arange(starts.size)
    for batch in reversed(makers):
        assert batch.kept is not None
        assert batch.kept_at is not None
        kept_starts, kept_ends = batch.kept
        begins, stops = batch.kept_at, batch.kept_at + kept_ends - kept_starts
        first = np.searchsorted(stops, starts, "right")
        last = np.searchsorted(begins, ends)
        mine, nth = spread(np.maximum(last - first, 0))
        piece = first[mine] + nth
        moved = kept_starts[piece] - begins[piece]
        low, high = np.maximum(begins[piece], starts[mine]), np.minimum(stops[piece], ends[mine])
        owners, starts, ends = owners[mine], low + moved, high + moved
    return owners, starts, ends


def tell_stages(stages: Sequence[Stage], text: Text) -> Iterator[StageSeen]:
    """Yield what each step made, held against what came in."""
    n_before, unit = count_line_ends(text.data.tobytes(), is_whole=True), "line"
    charged: Counter[str] = Counter()
    before: list[Table] = []
    for number, stage in enumerate(stages, 1):
        tables = [batch.table for batch in stage.batches if batch.table is not None]
        dropped: Counter[str] = Counter()
        for batch in stage.batches:
            for charge in batch.charges:
                dropped[charge.reason] += batch.text.count(charge.starts, charge.ends)
        here = dropped - charged  # what earlier steps on the same table have charged
        charged = dropped if tables else Counter()
        if tables:
            n_after, unit_after = sum(table.n_records for table in tables), "record"
            odd, odd_before = _list_odd(tables), _list_odd(before)
            made, settled = (
                (len(odd - odd_before), len(odd_before - odd)) if before else (len(odd), 0)
            )
            changed = _find_changed(before, tables)
            rows, names = tuple(_list_records(tables, changed)), tables[0].names
        else:
            result = stage.batches[0].result
            assert result is not None
            n_after, unit_after = count_line_ends(_take_body(result), is_whole=True), "line"
            made, settled, names, rows = 0, 0, (), tuple(_list_lines(result))
            changed = []
        yield StageSeen(
            stage.step.name, number, n_before, n_after, unit, unit_after, names, rows,
            tuple(here.most_common()), made, settled, len(changed),
        )  # fmt: skip
        before, n_before, unit = tables, n_after, unit_after


def _take_body(text: Text) -> bytes:
    return text.data[: text.body_size].tobytes()


def _list_odd(tables: Sequence[Table]) -> set[int]:
    """Return the source lines on which records begin that do not fit."""
    return {int(line) for table in tables for line in table.line_numbers(table.snags.records)[0]}


def _list_records(
    tables: Sequence[Table], changed: Sequence[tuple[int, int]]
) -> Iterator[tuple[int, tuple[str | None, ...]]]:
    """Yield the first records, and the first of those that were changed."""
    firsts = [
        (k, row) for k, table in enumerate(tables) for row in range(min(_ROWS, table.n_records))
    ]
    chosen = {*firsts[: _ROWS - min(_CHANGED, len(changed))], *changed[:_CHANGED]}
    for k, row in sorted(chosen):
        table = tables[k]
        values = (table.value(row, column) for column in range(len(table.names)))
        line = int(table.line_numbers(np.array([row]))[0][0])
        yield line, tuple(value if value is None else value[:_TEXT] for value in values)


def _list_lines(text: Text) -> Iterator[tuple[int, tuple[str | None, ...]]]:
    starts = text.line_starts[text.line_starts < text.body_size]
    stops = np.append(starts[1:], text.body_size)
    shown = 0
    for start, stop in zip(starts.tolist(), stops.tolist(), strict=True):
        line = (
            text.value(start, min(stop, start + 4 * _TEXT))
            if stop - start < 4 * _TEXT
            else _cut(text, start)
        )
        if not line.strip():
            continue
        yield int(text.line_numbers(np.array([start]))[0]), (line.rstrip("\r\n")[:_TEXT],)
        shown += 1
        if shown == _ROWS:
            return


def _cut(text: Text, start: int) -> str:
    return text.data[start : start + 4 * _TEXT].tobytes().decode(errors="ignore")


def _find_changed(before: Sequence[Table], after: Sequence[Table]) -> list[tuple[int, int]]:
    """Return the records (table, row) that hold other cells than any did before; none where nothing was a table."""
    if not before:
        return []
    known = Counter(tuple(row) for table in before for row in table.rows())
    changed = []
    for k, table in enumerate(after):
        for row, cells in enumerate(map(tuple, table.rows())):
            known[cells] -= 1
            if known[cells] < 0:
                changed.append((k, row))
    return changed
