"""How the cells of an example may come from one record together, and those of another in the same way."""

from __future__ import annotations

import itertools
import re
from collections.abc import Iterator, Sequence

from wetcomb.drafts.examples.conversions import convert
from wetcomb.drafts.examples.sources import (
    MOST_PLACES,
    Piece,
    Source,
    Sources,
    count_torn,
    list_sources,
    say_otherwise,
    write_cell,
)
from wetcomb.match.letter_case import fold_case

__all__ = ["FREE", "LACKING", "seat_cells", "seat_like"]

#: Where a stretch would be that an example leaves open, and one that its record lacks.
FREE, LACKING = (-2, -2), (-1, -1)

_BEAM = 10
_BACK, _OPEN, _STRETCH = (
    6.0,
    3.0,
    8.0,
)  # bits of a cell from before the last one, of an open cell, of a stretch for one
#: The beginning of a value, up to a mark that parts.
_HEAD = re.compile(r"\w(?:[^,;|()\[\]]*\w)?")


def seat_cells(
    cells: Sequence[str | None],
    values: Sequence[str],
    columns: Sequence[int | None] = (),
    *,
    may_add: bool = False,
) -> list[tuple[Sources, float]]:
    """Return how all cells of an example may come from one record, the likeliest first.

    Cells come in the order of the record rather than in another, and no text is in two of them.

    Parameters
    ----------
    columns : for each cell, the column in which it must stand whole, if it must
    """
    ways: list[tuple[Sources, float]] = [((), 0.0)]
    for place, cell in enumerate(cells):
        fixed = columns[place] if columns else None
        if fixed is not None:
            whole = Source((Piece(fixed, 0, len(values[fixed])),), is_whole=True)
            found = [whole] if cell is None or cell == values[fixed] else []
            found = found or [one for one in list_sources(cell or "", values, may_add=may_add) if {p.column for p in one.pieces} == {fixed}]  # fmt: skip
        elif cell is None:
            found = []
        else:
            found = list_sources(cell, values, may_add=may_add)
        is_open = cell is None and fixed is None
        longer = [
            ((*taken, one), bits + one.bits + _BACK * _goes_back(taken, one))
            for taken, bits in ways
            for one in (_list_open(taken, values) if is_open else found)
            if not _clashes(taken, one)
        ]
        ways = sorted(longer, key=lambda way: way[1])[:_BEAM]
    return ways


def seat_like(
    template: Sources, cells: Sequence[str | None], values: Sequence[str]
) -> Iterator[Sources]:
    """Yield how the cells of another example may come from its record in the same way as those of one."""
    choices = [
        [*itertools.islice(_list_like(source, cell, values), MOST_PLACES)]
        for source, cell in zip(template, cells, strict=True)
    ]
    yield from itertools.islice(itertools.product(*choices), _BEAM)


def _list_like(source: Source, cell: str | None, values: Sequence[str]) -> Iterator[Source]:
    """Yield where a cell comes from in the same way as another one."""
    columns = [piece.column for piece in source.pieces]
    if cell is None or (not cell and not source.is_whole):
        place = FREE if cell is None else LACKING
        yield source.move([Piece(column, *place) for column in columns])
        return
    if source.is_whole:
        value = values[columns[0]]
        made = convert(source.converted, source.written, value) if source.converted else say_otherwise(value, source.letters)  # fmt: skip
        if " ".join(made.split()) == " ".join(cell.split()):
            yield source.move([Piece(columns[0], 0, len(value))])
        return
    told = re.fullmatch("(.+?)".join(map(re.escape, source.literals)), cell, re.S)
    if told is None:
        return
    found = [[*_find_like(text, values[column], source.letters)] for text, column in zip(told.groups(), columns, strict=True)]  # fmt: skip
    for spans in itertools.product(*found):
        pieces = [Piece(column, *span) for column, span in zip(columns, spans, strict=True)]
        if write_cell(source, [values[p.column][p.start : p.end] for p in pieces]) == cell:
            yield source.move(pieces)


def _find_like(text: str, value: str, letters: str) -> list[tuple[int, int]]:
    """Return where a text stands in a value, whole words first."""
    have, wanted = (fold_case(value), fold_case(text)) if letters else (value, text)
    if len(have) != len(value):
        return []
    spans = [(found.start(), found.start() + len(text)) for found in re.finditer(f"(?={re.escape(wanted)})", have)]  # fmt: skip
    return sorted(spans, key=lambda span: count_torn(value, Piece(0, *span)))


def _list_open(taken: Sources, values: Sequence[str]) -> Iterator[Source]:
    """Yield what an open cell may be: the next value whole, or what follows the last stretch."""
    last = taken[-1].pieces[-1] if taken and taken[-1].pieces else Piece(-1, 0, 0)
    if last.column >= 0 and last.end < len(values[last.column]):
        rest = values[last.column][last.end :]
        found = _HEAD.search(rest)
        if found is not None:
            span = Piece(last.column, last.end + found.start(), last.end + found.end())
            yield Source((span,), bits=_OPEN)
    for column in range(last.column + 1, min(len(values), last.column + 3)):
        head = _HEAD.match(values[column])
        if head is not None and head.end() < len(values[column]):
            yield Source((Piece(column, 0, head.end()),), bits=_OPEN + _STRETCH)
    for column in range(last.column + 1, min(len(values), last.column + 4)):
        whole = Piece(column, 0, len(values[column]))
        yield Source((whole,), is_whole=True, bits=_OPEN * (column - last.column))


def _clashes(taken: Sources, one: Source) -> bool:
    mine = [piece for source in taken for piece in source.pieces]
    return any(
        a.column == b.column and ((a.start < b.end and b.start < a.end) or a.end - a.start == 0 == b.end - b.start)
        for a in mine for b in one.pieces
    )  # fmt: skip


def _goes_back(taken: Sources, one: Source) -> bool:
    before = [source.pieces[-1] for source in taken if source.pieces]
    return bool(before and one.pieces and one.pieces[0] < before[-1])
