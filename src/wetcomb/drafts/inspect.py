"""Look at a text: its characters, its parts, and for each table the best way to cut it."""

from __future__ import annotations

import re
import unicodedata
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from itertools import pairwise
from typing import Any

import numpy as np
from msgspec.structs import replace

from wetcomb.combs.comb import Comb
from wetcomb.combs.part import Part
from wetcomb.core.cut_lines import find_cut_lines
from wetcomb.core.decoded import Sample
from wetcomb.core.doubts import Doubt, find_verdict
from wetcomb.core.errors import InputError
from wetcomb.core.inspection import (
    BY_LABELS,
    ColumnSeen,
    CutSeen,
    Inspection,
    OddRecord,
    PartSeen,
    RowSeen,
    SignSeen,
    TableSeen,
)
from wetcomb.core.report import Report
from wetcomb.core.snags import SNAGS
from wetcomb.core.table import Table
from wetcomb.drafts.doubts.seen import Drafted
from wetcomb.drafts.draft import find_by_examples, settle_doubts
from wetcomb.drafts.examples.example import Example
from wetcomb.drafts.first_draft import draft_once
from wetcomb.drafts.parts import FoundPart, find_parts, is_large_table
from wetcomb.drafts.readings import propose_readings
from wetcomb.drafts.telling import name_cut
from wetcomb.drafts.trial import Trial
from wetcomb.drafts.typed_options import type_options, type_part, type_steps
from wetcomb.drafts.ways import find_differences, tell_ways
from wetcomb.drafts.whole import Whole
from wetcomb.match.shapes import TYPED, find_shape
from wetcomb.match.signs import OVERLOOKED

__all__ = ["inspect_text"]

_TABLES, _ODD, _COUNTS, _SHAPES, _VALUES = 6, 5, 5, 3, 2000
_LINES, _WIDTH, _EXCERPT = 5, 400, 200
_ROWS = 3
_LEAPS, _FEWEST = 3, 10  # of a column that counts, and of how many records one
_ALIKE = frozenset(["LATIN", "CYRILLIC", "GREEK"])
_FOREIGN = 0.9  # share of a column's values that makes another shape foreign in it


def inspect_text(
    sample: Sample,
    given: Mapping[str, Any],
    part: Part | None = None,
    labels: Sequence[str] = (),
    way: int = 1,
    examples: Sequence[Example] = (),
) -> Inspection:
    """Return what is in a text: what `rebuild` would make of it, or of each of its tables.

    Parameters
    ----------
    given : options of `Split` that are known already; they are never overruled
    part : which part is meant, where that has been said: it is taken as one
    labels : labels that the text is known to have
    way : which of several ways to cut it is shown
    examples : records that are wanted; what gives them is shown

    Raises
    ------
    InputError : there are no lines to go by
    UsageError : there is no such way, or what is given contradicts itself
    """
    text = sample.data.decode()
    if not text.strip():
        raise InputError("this holds nothing but blank lines; there is nothing to look at")
    found = find_parts(sample.data, is_whole=sample.is_whole)
    shift = sample.first_line - 1
    seen = _look(sample, given, part, found, labels, way, examples)
    parts = tuple(
        PartSeen(number, part.kind, part.move(shift).lines, part.excerpt[:_EXCERPT])
        for number, part in enumerate(found, 1)
    )
    ends = Counter(_LINE_ENDS[end] for end in re.findall(r"\r\n|\n|\r", text))
    n_lines = sum(ends.values()) + (not text.endswith(("\n", "\r")))
    return replace(
        seen,
        lines=n_lines + shift,
        is_whole=sample.is_whole,
        line_ends=tuple(ends.most_common()),
        signs=tuple(_find_signs(text, sample.first_line)),
        parts=parts,
    )


def _look(
    sample: Sample,
    given: Mapping[str, Any],
    part: Part | None,
    found: Sequence[FoundPart],
    labels: Sequence[str],
    way: int,
    examples: Sequence[Example],
) -> Inspection:
    """Return the tables of a text, and what speaks against what `rebuild` would make of it.

    Each is what `rebuild` makes: of the whole text, or of a part of it where there are several.
    """
    data, first_line = sample.data, sample.first_line
    bare = Inspection(0, True, (), (), (), ())
    try:
        whole = Whole(data, given, part, first_line=first_line, labels=labels)
    except InputError as error:
        return replace(bare, doubts=(Doubt("no-table", str(error)),))
    if examples:
        comb, drafted, doubts = find_by_examples(whole, examples)
        return replace(bare, tables=(_tell_table(comb, drafted, 0),), doubts=doubts)
    comb, drafted = whole.best if way == 1 else whole.find_way(way)
    summed = Report()  # a total that is off is a doubt, as it is in a run
    summed.add_totals(drafted.batch.totals)
    doubts = summed.list_doubts(settle_doubts(data, comb, drafted, part, first_line))
    if drafted.n_tables > 1 and way == 1:
        tables = [(number, part) for number, part in enumerate(found, 1) if is_large_table(part)]
        lines = data.splitlines(keepends=True)
        seen = [
            _look_at_part(b"".join(lines[part.first - 1 : part.last]), part, number, given, shift)
            for shift in [first_line - 1]
            for number, part in tables[:_TABLES]
        ]
        return replace(bare, tables=tuple(seen), doubts=doubts)
    ways = list(whole.list_ways())
    other, differences = find_differences([made.table for _, made in ways], way)
    is_none = find_verdict(doubts) == "no table"
    return replace(
        bare,
        tables=() if is_none else (_tell_table(comb, drafted, 0),),
        doubts=doubts,
        way=way,
        ways=tuple(tell_ways(ways)),
        other=other,
        differences=differences,
    )


def _look_at_part(
    raw: bytes, part: FoundPart, number: int, given: Mapping[str, Any], shift: int
) -> TableSeen:
    moved = part.move(shift)
    comb, drafted = draft_once(raw, given, Part(lines=moved.lines), first_line=moved.first)
    return _tell_table(comb, drafted, number)


_LINE_ENDS = {"\n": "LF", "\r\n": "CRLF", "\r": "CR"}


def _find_signs(text: str, first_line: int) -> list[SignSeen]:
    seen = []
    for name, signs in OVERLOOKED.items():
        there = [sign for sign in signs if sign in text]
        if there:
            place = min(map(text.find, there))
            number = sum(map(text.count, there))
            seen.append(SignSeen(name, number, _count_line(text, place, first_line)))
    return seen


def _count_line(text: str, place: int, first_line: int) -> int:
    return first_line + len(re.findall(r"\r\n|\n|\r", text[:place]))


def _tell_table(comb: Comb, drafted: Drafted, number: int) -> TableSeen:
    table, split, weighed = drafted.table, drafted.split, drafted.weighed
    odd = _find_odd(table)
    place = next(k for k, step in enumerate(comb.steps) if step.makes == "table")
    main = comb.steps[place]
    if weighed is not None:
        counts = Counter(len(row) for row in weighed.whole.rows)
        trials = (weighed.whole, *weighed.runners_up)
        ways = tuple(_describe(trial, len(weighed.whole.rows)) for trial in trials)
    else:
        counts = Counter({len(table.names): table.n_records})
        how = BY_LABELS if main is not split else name_cut(split)
        n_fitting = table.n_records - len(set(table.snags.records.tolist()))
        ways = (CutSeen(how, len(table.names), n_fitting, table.n_records, None),)
    readings, undecided = propose_readings(table)
    return TableSeen(
        number,
        ways,
        comb.notes,
        tuple(_look_at_column(table, column) for column in range(len(table.names))),
        tuple(counts.most_common(_COUNTS)),
        table.n_records,
        len({record.line for record in odd}),
        tuple(odd[:_ODD]),
        tuple(find_cut_lines(drafted.batch.text, table, drafted.batch.charges, _LINES, _WIDTH)),
        tuple(type_part(comb.part)),
        type_steps(comb.steps[:place]),
        main.name,
        tuple(type_options(main)),
        type_steps(comb.steps[place + 1 :]),
        tuple(readings),
        tuple(undecided),
        tuple(_list_rows(table)),
    )


def _list_rows(table: Table) -> Iterator[RowSeen]:
    """Yield the first records and the last one, as far as they are drawn."""
    rows = sorted({*range(min(_ROWS, table.n_records)), max(0, table.n_records - 1)})[
        : table.n_records
    ]
    lines = table.line_numbers(np.array(rows, np.int64))[0].tolist()
    for row, line in zip(rows, lines, strict=True):
        values = (table.value(row, column) for column in range(len(table.names)))
        yield RowSeen(line, tuple(v if v is None else v[:_EXCERPT] for v in values))


def _describe(trial: Trial, n_records: int) -> CutSeen:
    return CutSeen(
        name_cut(trial.split),
        trial.n_fields,
        trial.n_fitting,
        len(trial.rows),
        round(trial.price / max(1, n_records), 1),
    )


def _look_at_column(table: Table, column: int) -> ColumnSeen:
    values = [table.value(row, column) for row in range(min(table.n_records, _VALUES))]
    filled = [value for value in values if value]
    shapes = Counter(map(find_shape, filled)).most_common(_SHAPES)
    usual = shapes[0][0] if shapes else ""
    example = next((value for value in filled if find_shape(value) == usual), "")
    return ColumnSeen(
        table.names[column], tuple(shapes), len(values) - len(filled), example[:_EXCERPT]
    )


def _find_odd(table: Table) -> list[OddRecord]:
    """Return the records that do not fit: snags first, then values foreign to their column."""
    rows: dict[int, list[str]] = {}
    for row, code in zip(table.snags.records.tolist(), table.snags.kinds.tolist(), strict=True):
        rows.setdefault(row, []).append(SNAGS[code].name)
    for column, name in enumerate(table.names):
        values = [(row, table.value(row, column)) for row in range(min(table.n_records, _VALUES))]
        shapes = [(row, value, find_shape(value)) for row, value in values if value]
        counts = Counter(shape for *_, shape in shapes)
        sound = [(row, value) for row, value in values if row not in rows]
        for row, before, value in _find_leaps(sound):
            rows.setdefault(row, []).append(f"{name} leaps from {before} to {value}")
        for row, why in (*_find_mixed(values), *_find_undecided(values)):
            rows.setdefault(row, []).append(f"{name}: {why}")
        if not counts or counts.most_common(1)[0][1] < _FOREIGN * len(shapes):
            continue
        usual = counts.most_common(1)[0][0]
        for row, value, shape in shapes:
            if shape != usual and (usual in TYPED) and shape not in _KIN.get(usual, ()):
                rows.setdefault(row, []).append(f"{name}: {value[:30]!r} is no {usual}")
    numbers = table.line_numbers(np.array(sorted(rows), np.int64))[0].tolist()
    return [
        OddRecord(line, ", ".join(rows[row]), table.record_text(row)[:_EXCERPT])
        for line, row in zip(numbers, sorted(rows), strict=True)
    ]


def _find_mixed(values: Sequence[tuple[int, str | None]]) -> Iterator[tuple[int, str]]:
    """Yield values of which a word has letters of two scripts that look alike."""
    for row, value in values:
        if not value or value.isascii():
            continue
        for word in re.findall(r"[^\W\d_]+", value):
            scripts = {unicodedata.name(sign, "").partition(" ")[0] for sign in word} & _ALIKE
            if len(scripts) > 1:
                yield (
                    row,
                    f"{word[:20]!r} has letters of {' and '.join(script.title() for script in sorted(scripts))}",
                )


def _find_undecided(values: Sequence[tuple[int, str | None]]) -> list[tuple[int, str]]:
    """Return the few figures without decimals of a column that is printed with them."""
    figures = [
        (row, value) for row, value in values if value and find_shape(value) in ("number", "digits")
    ]
    bare = [(row, value) for row, value in figures if value.isdecimal()]
    is_rare = len(figures) >= _FEWEST and len(bare) <= min(_LEAPS, len(figures) // _FEWEST)
    return (
        [(row, f"{value!r} has no decimals, the others have") for row, value in bare]
        if is_rare
        else []
    )


def _find_leaps(values: Sequence[tuple[int, str | None]]) -> list[tuple[int, str, str]]:
    """Return where a column that counts by one leaps: a line may be lost there; the row, and the values."""
    figures = [
        (row, value) for row, value in values if value and value.isdecimal() and len(value) < 16
    ]
    if len(figures) < max(_FEWEST, len(values)):
        return []
    leaps = [
        (row, before, value)
        for (row_before, before), (row, value) in pairwise(figures)
        if row == row_before + 1 and int(value) - int(before) != 1
    ]
    return leaps if len(leaps) <= min(_LEAPS, len(figures) // _FEWEST) else []


#: Shapes that stand in one column without being odd.
_KIN = {"digits": ("number", "empty"), "number": ("digits", "empty"), "money": ("number", "digits")}
