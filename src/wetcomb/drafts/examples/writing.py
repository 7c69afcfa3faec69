"""Ways to cut a column, written as steps: what is found by examples becomes options that anyone can read.

Each form is tried in turn, from what reads best, over all values; the first that gives exactly the
stretches that were learnt is taken.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Sequence
from contextlib import suppress
from typing import NamedTuple

from wetcomb.combs.on_table import run_on_table
from wetcomb.core.errors import WetCombError
from wetcomb.core.table import Table
from wetcomb.drafts.examples.cuttings import Cutting
from wetcomb.drafts.examples.patterns import Spans, find_pattern, list_gaps
from wetcomb.drafts.examples.places import find_kinds
from wetcomb.match.patterns import compile_pattern
from wetcomb.steps.pull.options import Pull
from wetcomb.steps.split.options import Split
from wetcomb.steps.step import Step

__all__ = ["Written", "write_cutting"]

_QUOTES = "\"'"
_MOST_RUN = 24  # steps that are run


class Written(NamedTuple):
    """A step, what it calls the new columns, in the order of the stretches, and columns that are left over."""

    step: Step
    names: tuple[str, ...]
    spare: tuple[str, ...] = ()


def write_cutting(
    table: Table, column: str, values: Sequence[str], cutting: Cutting, names: Sequence[str]
) -> Written | None:
    """Return the step that puts the stretches of a column in its place; None if no form gives them.

    Parameters
    ----------
    values : of the column, one a record
    names : of the new columns, as many as there are stretches, where the form leaves that free
    """
    order = _find_order(cutting)
    if order is None:
        return None
    back = [order.index(k) for k in range(len(order))]
    spans = [tuple(own[k] for k in order) for own in cutting.spans]
    called = [names[k] for k in order]
    wanted = [
        tuple(value[span[0] : span[1]] if span else "" for span in own)
        for value, own in zip(values, spans, strict=True)
    ]
    for step in itertools.islice(_list_splits(column, values, spans, called), _MOST_RUN):
        rows = _run(step, table, called)
        if rows is not None and all(
            row == cells or (not all(cells) and _is_kept(value, row))
            for value, row, cells in zip(values, rows, wanted, strict=True)
        ):
            return Written(step, tuple(names), tuple(n for n in step.names if n not in called))
    pattern = find_pattern(values, spans, called)
    if pattern is not None:
        pull = Pull(column=column, pattern=(pattern,))
        own = compile_pattern(pattern).fields
        if _run(pull, table, own) == wanted:
            return Written(pull, tuple(own[k] for k in back))
    return None


def _find_order(cutting: Cutting) -> list[int] | None:
    """Return the order in which the stretches stand in all values; None if there is none."""
    number = len(cutting.spans[0])
    full = next((spans for spans in cutting.spans if None not in spans), None)
    if full is None:
        return None
    order = sorted(range(number), key=lambda k: full[k] or (0, 0))
    for spans in cutting.spans:
        real = [spans[k] for k in order if spans[k] is not None]
        if any(a[1] > b[0] for a, b in itertools.pairwise(filter(None, real))):
            return None
    return order


def _run(step: Step, table: Table, names: Sequence[str]) -> list[tuple[str, ...]] | None:
    """Return what a step makes of a column, a value of each record; None if it leaves a record odd."""
    with suppress(WetCombError):
        made = run_on_table(step, table)
        is_same = made.n_records == table.n_records and set(names) <= {*made.names}
        if is_same and not {*made.snags.records.tolist()} - {*table.snags.records.tolist()}:
            columns = [made.names.index(name) for name in names]
            return [
                tuple(made.value(row, column) or "" for column in columns)
                for row in range(made.n_records)
            ]
    return None


def _is_kept(value: str, cells: Sequence[str]) -> bool:
    """Return whether the pieces of a value that lacks one hold every letter and digit of it."""
    kept = [sign for cell in cells for sign in cell if sign.isalnum()]
    return kept == [sign for sign in value if sign.isalnum()]


def _list_splits(
    column: str, values: Sequence[str], spans: Sequence[Spans], names: Sequence[str]
) -> Iterator[Split]:
    """Yield cuts of the column at one mark, or where the kind of character changes."""
    row = next((k for k, own in enumerate(spans) if None not in own), None)
    if row is None:
        return
    value, own = values[row], [span for span in spans[row] if span is not None]
    gaps = list_gaps(value, own)
    kinds = find_kinds(value)
    drawn = (sign for gap in gaps for sign in gap if not sign.isalnum() and not sign.isspace())
    marks = dict.fromkeys(drawn)
    if any(gap.isspace() for gap in gaps):
        marks[" "] = None
    said = [value[a:b] for a, b in own]
    quote = ("none",) if any(set(_QUOTES) & {*text} for text in values) else ("double",)
    for mark in marks:
        for cuts, pieces in _list_cuts(value, mark):
            places = _find_places(pieces, said)
            if places:
                called = [f"{column}-left-{k + 1}" for k in range(len(pieces))]
                for place, name in zip(places, names, strict=True):
                    called[place] = name
                with suppress(WetCombError):
                    yield Split(
                        column=column, delimiter=("space" if mark == " " else mark,), quote=quote,
                        cut_runs_once=mark == " ", cuts=cuts, names=tuple(called),
                    )  # fmt: skip
    if not any(gaps) and len(own) > 1:
        pairs = tuple(dict.fromkeys(f"{kinds[at - 1]}|{kinds[at]}" for at, _ in own[1:]))
        with suppress(WetCombError):
            yield Split(column=column, delimiter=("none",), boundary=pairs, quote=quote, names=tuple(names))  # fmt: skip


def _list_cuts(value: str, mark: str) -> Iterator[tuple[str, list[str]]]:
    """Yield which cuts count, and the pieces that they leave."""
    pieces = value.split() if mark == " " else [piece.strip() for piece in value.split(mark)]
    yield "all", pieces
    for number in range(1, min(4, len(pieces))):
        yield f"first:{number}", [piece.strip() for piece in value.split(mark, number)]
        yield f"last:{number}", [piece.strip() for piece in value.rsplit(mark, number)]


def _find_places(pieces: Sequence[str], said: Sequence[str]) -> list[int] | None:
    """Return which pieces are just what is wanted, in order."""
    places, at = [], 0
    for text in said:
        found = next((k for k in range(at, len(pieces)) if pieces[k] == text), None)
        if found is None:
            return None
        places.append(found)
        at = found + 1
    return places
