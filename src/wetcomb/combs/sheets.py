"""What a sheet shows: the lines of a source with every value in its place, and the records beside them."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import NamedTuple

import numpy as np

from wetcomb.combs.stages import Held, run_stages, trace_back
from wetcomb.core.arrays import Bools, Ints
from wetcomb.core.batch import Batch
from wetcomb.core.sheet import Sheet, SheetLine, SheetPiece, SheetRow
from wetcomb.core.snags import SNAGS
from wetcomb.core.table import MISSING
from wetcomb.core.text import Text
from wetcomb.steps.step import Step

__all__ = ["make_sheet"]

_HEAD, _TAIL, _ODD, _AROUND = (
    300,
    60,
    200,
    2,
)  # lines of a long text that are shown; odd places, lines around each
_ALL = 1500  # lines that are shown all
_WIDEST = 4000  # bytes of a line that are shown
_CELL = 2000  # characters of a cell

KINDS = ("cell", "rest", "name", "drop")


class _Marks(NamedTuple):
    """Spans of the source, each with its kind (a place in `KINDS`), its row, its column, its reason."""

    starts: Ints
    ends: Ints
    kinds: Ints
    rows: Ints
    columns: Ints
    reasons: tuple[str, ...]


def make_sheet(steps: Sequence[Step], held: Held, odd_lines: Sequence[int] = ()) -> Sheet:
    """Return what a sheet shows of a source.

    Parameters
    ----------
    odd_lines : lines that are to be seen, whatever else is
    """
    stages = run_stages(steps, held.text)
    makers = [stage.batches[0] for stage in stages if stage.batches[0].result is not None]
    final = stages[-1].batches
    marks = _gather_marks(held, makers, final)
    source = Text.of(held.data)
    starts = source.line_starts[source.line_starts < source.body_size]
    records = _list_records(final)
    shown = _choose_lines(starts.size, records, odd_lines)
    lines = tuple(_show_lines(source, starts, np.flatnonzero(shown), marks))
    table = final[0].table
    assert table is not None
    has_rest = any(batch.table is not None and batch.table.has_rest for batch in final)
    rows = tuple(_show_rows(final, shown, has_rest=has_rest))
    n_records = sum(batch.table.n_records for batch in final if batch.table is not None)
    return Sheet(table.names, has_rest, lines, rows, int(starts.size), n_records)


def _gather_marks(held: Held, makers: Sequence[Batch], final: Sequence[Batch]) -> _Marks:
    """Return every span of the source that has a home, in order."""
    reasons: dict[str, int] = {}
    parts: list[tuple[Ints, Ints, int, Ints, Ints]] = []

    def add(depth: int, starts: Ints, ends: Ints, kind: str, rows: Ints, columns: Ints) -> None:
        owners, starts, ends = trace_back(makers[:depth], starts, ends)
        parts.append(
            (
                starts + held.start,
                ends + held.start,
                KINDS.index(kind),
                rows[owners],
                columns[owners],
            )
        )

    for depth, batch in enumerate([*makers, *final]):
        for charge in batch.charges:
            code = reasons.setdefault(charge.reason, len(reasons))
            codes = np.full(charge.starts.size, code, np.int64)
            add(
                min(depth, len(makers)),
                charge.starts.astype(np.int64),
                charge.ends.astype(np.int64),
                "drop",
                codes,
                codes,
            )
    base = 0
    for batch in final:
        table = batch.table
        assert table is not None
        spans = [(table.starts[:, k], table.ends[:, k], "cell", k) for k in range(len(table.names))]
        spans.append((table.rest_starts, table.rest_ends, "rest", len(table.names)))
        for lefts, rights, kind, column in spans:
            rows = np.flatnonzero((lefts != MISSING) & (rights > lefts))
            found = table.text.find_sources(
                lefts[rows].astype(np.int64), rights[rows].astype(np.int64)
            )
            columns = np.full(found.owners.size, column, np.int64)
            add(len(makers), found.starts, found.ends, kind, rows[found.owners] + base, columns)
        for column, source in enumerate(batch.name_sources):
            pairs = np.array([*source.spans, *source.again], np.int64).reshape(-1, 2)
            columns = np.full(len(pairs), column, np.int64)
            add(len(makers), pairs[:, 0], pairs[:, 1], "name", columns * 0 - 1, columns)
        base += table.n_records
    outside = [(0, held.start), (held.start + held.text.body_size, len(held.data))]
    edges = np.array([span for span in outside if span[1] > span[0]], np.int64).reshape(-1, 2)
    code = reasons.setdefault("outside", len(reasons))
    codes = np.full(len(edges), code, np.int64)
    parts.append((edges[:, 0], edges[:, 1], KINDS.index("drop"), codes, codes))
    kinds = np.concatenate([np.full(part[0].size, part[2], np.int64) for part in parts])
    joined = [np.concatenate([part[k] for part in parts]) for k in (0, 1, 3, 4)]
    starts, ends, rows, columns = (array.astype(np.int64) for array in joined)
    order = np.argsort(starts, kind="stable")
    order = order[ends[order] > starts[order]]
    return _Marks(
        starts[order], ends[order], kinds[order], rows[order], columns[order], tuple(reasons)
    )


def _list_records(final: Sequence[Batch]) -> tuple[Ints, Ints, Bools]:
    """Return the first and the last line of each record, and whether it is odd or was moved."""
    firsts, lasts, odd = list[Ints](), list[Ints](), list[Bools]()
    for batch in final:
        table = batch.table
        assert table is not None
        pair = table.line_numbers(np.arange(table.n_records))
        firsts.append(pair[0])
        lasts.append(pair[1])
        is_odd = np.zeros(table.n_records, np.bool_)
        is_odd[table.snags.records] = True
        if batch.moves is not None:
            is_odd[batch.moves.rows[batch.moves.changed]] = True
        odd.append(is_odd)
    return np.concatenate(firsts), np.concatenate(lasts), np.concatenate(odd)


def _choose_lines(
    n_lines: int, records: tuple[Ints, Ints, Bools], odd_lines: Sequence[int]
) -> Bools:
    """Return which lines are shown: all of a short text, else its ends and what stands around odd places."""
    shown = np.zeros(n_lines, np.bool_)
    if n_lines <= _ALL:
        shown[:] = True
        return shown
    shown[:_HEAD] = shown[-_TAIL:] = True
    firsts, lasts, odd = records
    places = [(line, line) for line in odd_lines]
    places += zip(firsts[odd].tolist(), lasts[odd].tolist(), strict=True)
    for first, last in places[:_ODD]:
        shown[max(0, first - 1 - _AROUND) : min(last, first + _HEAD) + _AROUND] = True
    return shown


def _show_lines(source: Text, starts: Ints, which: Ints, marks: _Marks) -> Iterator[SheetLine]:
    """Yield lines in pieces."""
    stops = np.append(starts[1:], source.body_size)
    raw = source.data.tobytes()
    for place in which.tolist():
        start, stop = int(starts[place]), int(stops[place])
        end = min(stop, _find_character(raw, start + _WIDEST)) if stop - start > _WIDEST else stop
        first = int(np.searchsorted(marks.ends, start, "right"))
        pieces, done = list[SheetPiece](), start
        for k in range(first, marks.starts.size):
            begin, finish = max(done, int(marks.starts[k])), min(end, int(marks.ends[k]))
            if int(marks.starts[k]) >= end:
                break
            if finish <= begin:
                continue
            if begin > done:
                pieces.append(SheetPiece(raw[done:begin].decode(), "plain"))
            text, kind = raw[begin:finish].decode(), KINDS[int(marks.kinds[k])]
            row, column = int(marks.rows[k]), int(marks.columns[k])
            is_drop = kind == "drop"
            pieces.append(
                SheetPiece(
                    text,
                    kind,
                    -1 if is_drop else row,
                    -1 if is_drop else column,
                    marks.reasons[row] if is_drop else "",
                )
            )
            done = finish
        if done < end:
            pieces.append(SheetPiece(raw[done:end].decode(), "plain"))
        yield SheetLine(place + 1, tuple(pieces), len(raw[end:stop].decode()))


def _find_character(raw: bytes, place: int) -> int:
    """Return the next place at which a character begins."""
    while place < len(raw) and raw[place] & 0xC0 == 0x80:
        place += 1
    return place


def _show_rows(final: Sequence[Batch], shown: Bools, *, has_rest: bool) -> Iterator[SheetRow]:
    """Yield the records that begin on lines that are shown."""
    base = 0
    for batch in final:
        table = batch.table
        assert table is not None
        firsts = table.line_numbers(np.arange(table.n_records))[0]
        kinds: dict[int, list[str]] = {}
        for row, code in zip(table.snags.records.tolist(), table.snags.kinds.tolist(), strict=True):
            kinds.setdefault(row, []).append(SNAGS[code].name)
        for row in np.flatnonzero(shown[np.clip(firsts - 1, 0, shown.size - 1)]).tolist():
            values = [table.value(row, column) for column in range(len(table.names))]
            values += [table.rest(row)] * has_rest
            cells = tuple(value if value is None else value[:_CELL] for value in values)
            yield SheetRow(row + base, int(firsts[row]), cells, ", ".join(kinds.get(row, ())))
        base += table.n_records
