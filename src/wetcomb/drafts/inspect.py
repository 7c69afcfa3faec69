"""Look at a text: its characters, its parts, and for each table the best way to cut it."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from wetcomb.combs.memory import make_batch
from wetcomb.combs.part import Part
from wetcomb.core.cut_lines import find_cut_lines
from wetcomb.core.decoded import Sample
from wetcomb.core.doubts import Doubt
from wetcomb.core.errors import InputError
from wetcomb.core.inspection import (
    ColumnSeen,
    CutSeen,
    Inspection,
    OddRecord,
    PartSeen,
    SignSeen,
    TableSeen,
)
from wetcomb.core.snags import SNAGS
from wetcomb.core.table import Table
from wetcomb.core.text import Text
from wetcomb.drafts.draft import add_realign, draft, weigh_steps
from wetcomb.drafts.furniture import find_furniture
from wetcomb.drafts.only_table import find_only_table
from wetcomb.drafts.parts import FoundPart, find_parts
from wetcomb.drafts.telling import name_cut
from wetcomb.drafts.trial import Trial
from wetcomb.drafts.typed_options import type_options, type_steps
from wetcomb.drafts.weighing import weigh_split
from wetcomb.match.shapes import TYPED, find_shape
from wetcomb.match.signs import OVERLOOKED

__all__ = ["inspect_text"]

_TABLES, _ODD, _COUNTS, _SHAPES, _VALUES = 3, 5, 5, 3, 2000
_LINES, _WIDTH, _EXCERPT = 5, 400, 200
_FOREIGN = 0.9  # share of a column's values that makes another shape foreign in it


def inspect_text(sample: Sample, given: Mapping[str, Any], part: Part | None = None) -> Inspection:
    """Return what is in a text.

    Parameters
    ----------
    given : options of `Split` that are known already; they are never overruled
    part : which part is meant, where that has been said: it is taken as one

    Raises
    ------
    InputError : there are no lines to go by
    """
    text = sample.data.decode()
    if not text.strip():
        raise InputError("this holds nothing but blank lines; there is nothing to look at")
    found = find_parts(sample.data, is_whole=sample.is_whole)
    tables = [part for part in found if part.kind == "table"]
    whole = _look_at_all(sample, given, tables, found, is_part=part is not None)
    if whole is not None:
        seen: list[TableSeen] = [whole]
    else:
        seen = [
            _look_at_part(sample, part, found.index(part) + 1, given) for part in tables[:_TABLES]
        ]
    shift = sample.first_line - 1
    parts = tuple(
        PartSeen(number, part.kind, part.move(shift).lines, part.excerpt[:_EXCERPT])
        for number, part in enumerate(found, 1)
    )
    ends = Counter(_LINE_ENDS[end] for end in re.findall(r"\r\n|\n|\r", text))
    n_lines = sum(ends.values()) + (not text.endswith(("\n", "\r")))
    return Inspection(
        n_lines + shift,
        sample.is_whole,
        tuple(ends.most_common()),
        tuple(_find_signs(text, sample.first_line)),
        parts,
        tuple(seen),
        _find_doubts(sample, given, part),
    )


def _find_doubts(sample: Sample, given: Mapping[str, Any], part: Part | None) -> tuple[Doubt, ...]:
    """Return what speaks against what `rebuild` would make of the text."""
    try:
        return draft(sample.data, part=part, first_line=sample.first_line, **given).doubts
    except InputError as error:
        return (Doubt("no-table", str(error)),)


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


def _look_at_all(
    sample: Sample,
    given: Mapping[str, Any],
    tables: Sequence[FoundPart],
    found: Sequence[FoundPart],
    *,
    is_part: bool,
) -> TableSeen | None:
    """Return the text as one table, where it is one; None where it has several parts."""
    if not is_part and len(found) > 1 and find_furniture(sample.data)[0] is None:
        weighed = weigh_split(sample.data, given)
        split, _ = weighed.settled
        part = find_only_table(sample.data, split).part
        share = weighed.whole.n_fitting / len(weighed.whole.rows)
        if not part.is_whole or len(tables) > 1 or share < _FOREIGN or weighed.whole.n_fields < 2:
            return None if tables else _look_at(sample.data, sample.first_line, 0, given, "")
    return _look_at(sample.data, sample.first_line, 0, given, "")


def _look_at_part(
    sample: Sample, part: FoundPart, number: int, given: Mapping[str, Any]
) -> TableSeen:
    lines = sample.data.splitlines(keepends=True)
    raw = b"".join(lines[part.first - 1 : part.last])
    moved = part.move(sample.first_line - 1)
    return _look_at(raw, moved.first, number, given, moved.lines)


def _look_at(
    raw: bytes, first_line: int, number: int, given: Mapping[str, Any], lines: str
) -> TableSeen:
    rebuilt = add_realign(weigh_steps(raw, given), raw)
    split, weighed = rebuilt.split, rebuilt.weighed
    made = make_batch(rebuilt.steps, Text.of(raw, first_line))
    table = made.table
    assert table is not None
    odd = _find_odd(table)
    if weighed is not None:
        counts = Counter(len(row) for row in weighed.whole.rows)
        trials = (weighed.whole, *weighed.runners_up)
        ways = tuple(_describe(trial, len(weighed.whole.rows)) for trial in trials)
    else:
        counts = Counter({len(table.names): table.n_records})
        n_fields, n_records = len(table.names), table.n_records
        ways = (CutSeen(split.way, n_fields, n_records, n_records, 0.0),)
    return TableSeen(
        number,
        ways,
        tuple(rebuilt.notes),
        tuple(_look_at_column(table, column) for column in range(len(table.names))),
        tuple(counts.most_common(_COUNTS)),
        table.n_records,
        len({record.line for record in odd}),
        tuple(odd[:_ODD]),
        tuple(find_cut_lines(made.text, table, made.charges, _LINES, _WIDTH)),
        type_steps(rebuilt.before),
        (*([f"--lines {lines}"] if lines else []), *type_options(split)),
        type_steps(rebuilt.after),
    )


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


#: Shapes that stand in one column without being odd.
_KIN = {"digits": ("number", "empty"), "number": ("digits", "empty"), "money": ("number", "digits")}
