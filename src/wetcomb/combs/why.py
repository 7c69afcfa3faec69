"""Everything that happened to the record of one line: step by step, in words, from what was made and charged."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence

import numpy as np

from wetcomb.combs.stages import Stage
from wetcomb.core.batch import Batch
from wetcomb.core.ledger import DROPS
from wetcomb.core.snags import SNAGS
from wetcomb.core.table import Table
from wetcomb.core.text import Text

__all__ = ["explain_line"]

_LONG, _LONGEST = 80, 240  # characters of a value that are told, and of a step as it is typed
#: What leaves nearly every record, and needs no word of its own.
_PLAIN = ("delimiter", "line-end", "spacing", "quote-mark", "record-end", "doubled-mark")
#: What is said of a record.
Told = tuple[str, str]


def explain_line(
    stages: Sequence[Stage], text: Text, line: int, typed: Sequence[str]
) -> Iterator[Told]:
    """Yield what happened to the record of a source line, each time the step and what there is to say.

    Parameters
    ----------
    text : what the steps were run over
    typed : each step as it is typed
    """
    said = _read_line(text, line)
    if said is None:
        yield "source", f"line {line} is outside the part that was asked for, or found"
        return
    yield "source", f"line {line}: {_quote(said)}"
    before: dict[str, str | None] | None = None
    charged: Counter[tuple[str, str]] = Counter()
    for stage, how in zip(stages, typed, strict=True):
        found = _find_record(stage, line)
        gone = _count_charges(stage, (line, line) if found is None else _lines_of(*found))
        new = [*(gone - charged)]
        charged = gone
        if stage.batches[0].table is None:
            charged = Counter()
            told = [*_tell_text(stage, line, new)]
            is_over = not _is_kept(stage, line)
        else:
            told = [*_tell_record(stage, line, found, before, new)]
            is_over = found is None
            before = None if found is None else _list_values(*found)
        for place, one in enumerate([f"({_clip(how, _LONGEST)})", *told] if told else []):
            yield stage.step.name if not place else "", one
        if is_over:
            return


def _tell_record(
    stage: Stage,
    line: int,
    found: tuple[Batch, int] | None,
    before: dict[str, str | None] | None,
    new: Sequence[tuple[str, str]],
) -> Iterator[str]:
    """Yield what a step that makes a table did to a record.

    Parameters
    ----------
    before : its values before the step; None where it is a record only now
    new : what left it, as reason and text
    """
    if found is None:
        yield _tell_none(stage, line, new)
        return
    batch, row = found
    table = batch.table
    assert table is not None
    now = _list_values(batch, row)
    if before is None:
        first, last = _lines_of(batch, row)
        where = f"lines {first} to {last} are one record" if first != last else "a record"
        yield f"{where}: {_list_cells(now)}"
        n_here = _count_records(stage, line)
        if n_here > 1:
            yield f"it is the first of {n_here} records on this line"
    else:
        yield from _tell_moves(batch, row)
        yield from _tell_changes(before, now)
    for reason, said in new:
        if reason not in _PLAIN and said.strip():
            yield f"left out {_quote(said)}: {DROPS[reason]}"
    rest = table.rest(row)
    if rest is not None:
        yield f"no column could take {_quote(rest)}: it stands in 'rest'"
    yield from _tell_snags(table, row)


def _list_values(batch: Batch, row: int) -> dict[str, str | None]:
    table = batch.table
    assert table is not None
    return {name: table.value(row, k) for k, name in enumerate(table.names)}


def _tell_none(stage: Stage, line: int, new: Sequence[tuple[str, str]]) -> str:
    """Return why a line is no record."""
    for batch in stage.batches:
        for source in batch.name_sources:
            for start, end in (*source.spans, *source.again):
                first, last = batch.text.line_numbers(
                    np.array([start, max(start, end - 1)])
                ).tolist()
                if first <= line <= last and batch.table is not None:
                    return f"it names the columns: {', '.join(batch.table.names)}"
    reasons = [reason for reason, _ in new if reason not in _PLAIN] or [reason for reason, _ in new]
    return f"it is no record: {DROPS[reasons[0]]}" if reasons else "it is no record"


def _is_kept(stage: Stage, line: int) -> bool:
    """Return whether anything of a line is left in the text that a step made."""
    (batch,) = stage.batches
    assert batch.kept is not None
    starts, ends = batch.kept
    real = ends > starts
    firsts = batch.text.line_numbers(starts[real])
    lasts = batch.text.line_numbers(ends[real] - 1)
    return bool(((firsts <= line) & (line <= lasts)).any())


def _count_records(stage: Stage, line: int) -> int:
    tables = [batch.table for batch in stage.batches if batch.table is not None]
    spans = [table.line_numbers(np.arange(table.n_records)) for table in tables]
    return sum(int(((a <= line) & (line <= b)).sum()) for a, b in spans)


def _read_line(text: Text, line: int) -> str | None:
    """Return a source line as it stands; None where the text has none of that number."""
    starts = text.line_starts
    at = line - text.first_line
    if text.jumps.size or not 0 <= at < starts.size:
        return None if not text.jumps.size else ""
    stop = int(starts[at + 1]) if at + 1 < starts.size else text.body_size
    return text.value(int(starts[at]), stop).rstrip("\r\n")


def _find_record(stage: Stage, line: int) -> tuple[Batch, int] | None:
    """Return the first record that a line is part of."""
    for batch in stage.batches:
        table = batch.table
        if table is None or not table.n_records:
            continue
        firsts, lasts = table.line_numbers(np.arange(table.n_records))
        rows = np.flatnonzero((firsts <= line) & (line <= lasts))
        if rows.size:
            return batch, int(rows[0])
    return None


def _lines_of(batch: Batch, row: int) -> tuple[int, int]:
    assert batch.table is not None
    firsts, lasts = batch.table.line_numbers(np.array([row]))
    return int(firsts[0]), int(lasts[0])


def _count_charges(stage: Stage, lines: tuple[int, int]) -> Counter[tuple[str, str]]:
    """Return what was dropped of some lines, by reason and text."""
    found: Counter[tuple[str, str]] = Counter()
    for batch in stage.batches:
        for charge in batch.charges:
            at = batch.text.line_numbers(charge.starts)
            ends = batch.text.line_numbers(np.maximum(charge.ends - 1, charge.starts))
            for place in np.flatnonzero((at <= lines[1]) & (ends >= lines[0])).tolist():
                said = batch.text.value(int(charge.starts[place]), int(charge.ends[place]))
                found[charge.reason, said] += 1
    return found


def _tell_text(stage: Stage, line: int, new: Sequence[tuple[str, str]]) -> Iterator[str]:
    """Yield what a step that makes text did to a line."""
    for reason, said in new:
        if reason not in _PLAIN and said.strip():
            yield f"left out {_quote(said.strip())}: {DROPS[reason]}"
    result = stage.batches[0].result
    assert result is not None
    starts = result.line_starts[result.line_starts < result.body_size]
    if not starts.size or not _is_kept(stage, line):
        return
    at = max(0, int(np.searchsorted(result.line_numbers(starts), line, "right")) - 1)
    first = int(result.line_numbers(starts[[at]])[0])
    stop = int(starts[at + 1]) if at + 1 < starts.size else result.body_size
    made = result.value(int(starts[at]), stop).rstrip("\r\n")
    if first != line:
        yield f"it goes on the line that begins in line {first}: {_quote(made)}"
    elif made != _read_line(stage.batches[0].text, line):
        yield f"the line is now {_quote(made)}"


def _tell_changes(before: dict[str, str | None], now: dict[str, str | None]) -> Iterator[str]:
    """Yield which columns are called otherwise, and which cells are others than before."""
    if len(before) == len(now):
        for old, new in zip(before, now, strict=True):
            if old not in now and new not in before:
                yield f"the column {old} is called {new}"
                before = {new if name == old else name: value for name, value in before.items()}
    for name in now:
        if name in before and now[name] != before[name]:
            yield f"{name}: {_quote(before[name])} is now {_quote(now[name])}"
    added = {name: value for name, value in now.items() if name not in before}
    gone = {name: value for name, value in before.items() if name not in now}
    if added:
        yield f"columns that were not there: {_list_cells(added)}"
    if gone:
        yield f"columns that are gone: {_list_cells(gone)}"


def _tell_moves(batch: Batch, row: int) -> Iterator[str]:
    """Yield why a record was read anew, or why it could not be."""
    if batch.moves is None:
        return
    for place in np.flatnonzero(batch.moves.rows == row).tolist():
        move = batch.moves.tell(place)
        yield f"it was cut into {' | '.join(map(_clip, move.before))}"
        yield f"read anew: {move.reason}"


def _tell_snags(table: Table, row: int) -> Iterator[str]:
    """Yield what does not fit."""
    for code in table.snags.kinds[table.snags.records == row].tolist():
        kind = SNAGS[code]
        yield f"snag {kind.name}: {kind.odd}; {kind.done}"


def _list_cells(cells: dict[str, str | None]) -> str:
    return ", ".join(f"{name} {_quote(value)}" for name, value in cells.items())


def _quote(value: str | None) -> str:
    return "missing" if value is None else repr(_clip(value))


def _clip(value: str, most: int = _LONG) -> str:
    return value if len(value) <= most else value[: most - 3] + "..."
