"""Where the cells of an example come from: the values of a record, stretches of them, and constant text."""

from __future__ import annotations

import itertools
import re
from collections.abc import Iterator, Sequence
from functools import cache
from typing import Any, NamedTuple

from wetcomb.combs.memory import make_table
from wetcomb.core.errors import WetCombError
from wetcomb.match.letter_case import fold_case
from wetcomb.steps.clean.marks import make_letters
from wetcomb.steps.clean.options import LETTERS, Clean
from wetcomb.steps.split.options import Split

__all__ = [
    "FREE", "LACKING", "Piece", "Source", "Sources", "list_sources", "seat_cells", "seat_like", "write_cell",
]  # fmt: skip

#: Where a stretch would be that an example leaves open, and one that its record lacks.
FREE, LACKING = (-2, -2), (-1, -1)

_BEAM, _MOST_PLACES = 10, 4
#: Bits to say where a cell comes from.
_STRETCH, _TORN, _LETTERS, _CONVERTED, _JOINED, _LITERAL, _BACK = 8.0, 6.0, 4.0, 8.0, 16.0, 4.0, 6.0
_OPEN = 3.0
_LONGEST = 12  # letters of a word that is put in
_TOKEN = re.compile(r"[^\W\d_]+|\d+")
_DOTS = ".'’"
_DAY = re.compile(r"\d{4}-\d\d-\d\d(?:[ T]\d\d:\d\d(?::\d\d)?)?")
_PARTED = re.compile(r"\d{1,2}([./-])\d{1,2}\1(\d{4}|\d{2})(?!\d)")
_NUMBER = re.compile(r"-?\d+(?:\.\d+)?")


class Piece(NamedTuple):
    """A stretch of a value."""

    column: int
    start: int
    end: int


class Source(NamedTuple):
    """Where a cell comes from.

    Attributes
    ----------
    pieces : in the order of the cell
    literals : text before, between and behind them
    letters : how all of it is written otherwise, as `clean --letters` says it
    converted : `number` or `date` where it is read as such
    written : how such a one is written, by an example that can be read in one way only
    is_whole : it is the whole of one value
    bits : what it takes to say so
    """

    pieces: tuple[Piece, ...] = ()
    literals: tuple[str, ...] = ("", "")
    letters: str = ""
    converted: str = ""
    written: str = ""
    is_whole: bool = False
    bits: float = 0.0


Sources = tuple[Source, ...]


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
        [*itertools.islice(_list_like(source, cell, values), _MOST_PLACES)]
        for source, cell in zip(template, cells, strict=True)
    ]
    yield from itertools.islice(itertools.product(*choices), _BEAM)


def _list_like(source: Source, cell: str | None, values: Sequence[str]) -> Iterator[Source]:
    """Yield where a cell comes from in the same way as another one."""
    columns = [piece.column for piece in source.pieces]
    if cell is None or (not cell and not source.is_whole):
        place = FREE if cell is None else LACKING
        yield replace_pieces(source, [Piece(column, *place) for column in columns])
        return
    if source.is_whole:
        value = values[columns[0]]
        made = _convert(source.converted, source.written, value) if source.converted else say_otherwise(value, source.letters)  # fmt: skip
        if " ".join(made.split()) == " ".join(cell.split()):
            yield replace_pieces(source, [Piece(columns[0], 0, len(value))])
        return
    told = re.fullmatch("(.+?)".join(map(re.escape, source.literals)), cell, re.S)
    if told is None:
        return
    found = [[*_find_like(text, values[column], source.letters)] for text, column in zip(told.groups(), columns, strict=True)]  # fmt: skip
    for spans in itertools.product(*found):
        pieces = [Piece(column, *span) for column, span in zip(columns, spans, strict=True)]
        if write_cell(source, [values[p.column][p.start : p.end] for p in pieces]) == cell:
            yield replace_pieces(source, pieces)


def _find_like(text: str, value: str, letters: str) -> list[tuple[int, int]]:
    """Return where a text stands in a value, whole words first."""
    have, wanted = (fold_case(value), fold_case(text)) if letters else (value, text)
    if len(have) != len(value):
        return []
    spans = [(found.start(), found.start() + len(text)) for found in re.finditer(f"(?={re.escape(wanted)})", have)]  # fmt: skip
    return sorted(spans, key=lambda span: _is_torn(value, Piece(0, *span)))


def replace_pieces(source: Source, pieces: Sequence[Piece]) -> Source:
    """Return a source with other stretches."""
    return source._replace(pieces=tuple(pieces))


def _list_open(taken: Sources, values: Sequence[str]) -> Iterator[Source]:
    """Yield what an open cell may be: the next value whole, or what follows the last stretch."""
    last = taken[-1].pieces[-1] if taken and taken[-1].pieces else Piece(-1, 0, 0)
    if last.column >= 0 and last.end < len(values[last.column]):
        rest = values[last.column][last.end :]
        for found in re.finditer(r"\w(?:[^,;|()\[\]]*\w)?", rest):
            span = Piece(last.column, last.end + found.start(), last.end + found.end())
            yield Source((span,), bits=_OPEN)
            break
    for column in range(last.column + 1, min(len(values), last.column + 3)):
        head = re.match(r"\w(?:[^,;|()\[\]]*\w)?", values[column])
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


def write_cell(source: Source, texts: Sequence[str]) -> str:
    """Return a cell that is put together from the texts of its pieces; nothing where there are none."""
    if not any(texts):
        return ""
    said = "".join(map(str.__add__, source.literals, [*texts, ""]))
    return say_otherwise(said, source.letters)


def say_otherwise(text: str, letters: str) -> str:
    """Return a text in other letters."""
    made = _edit(letters)(text.encode()) if letters else None
    return made.decode() if made is not None else text


def list_sources(cell: str, values: Sequence[str], *, may_add: bool = False) -> list[Source]:
    """Return where a cell may come from in a record, the likeliest first.

    Parameters
    ----------
    may_add : words that do not stand in the record may be put in: more than one example says so
    """
    if not cell:
        return [Source((Piece(k, 0, 0),), is_whole=True) for k, value in enumerate(values) if not value]  # fmt: skip
    found = [*_list_whole(cell, values), *_list_stretches(cell, values)]
    if not found:
        found = [*_list_converted(cell, values)]
    if not found:
        for column in range(len(values)):
            found += _join(cell, values, (column,), may_add=may_add)
    if not found:
        found += _join(cell, values, range(len(values)), may_add=may_add)
    return sorted(found, key=lambda source: source.bits)


def _list_whole(cell: str, values: Sequence[str]) -> Iterator[Source]:
    said = " ".join(cell.split())
    for column, value in enumerate(values):
        if " ".join(value.split()) == said:
            yield Source((Piece(column, 0, len(value)),), is_whole=True)


def _list_stretches(cell: str, values: Sequence[str]) -> Iterator[Source]:
    for column, value in enumerate(values):
        places = [found.start() for found in re.finditer(re.escape(cell), value)]
        spans = [Piece(column, at, at + len(cell)) for at in places if len(value) > len(cell)]
        for piece in sorted(spans, key=lambda one: _is_torn(value, one))[:_MOST_PLACES]:
            yield Source((piece,), bits=_STRETCH + _TORN * _is_torn(value, piece))
        folded = fold_case(value)
        if not places and len(folded) == len(value) and fold_case(cell) in folded:
            at = folded.find(fold_case(cell))
            piece, is_whole = Piece(column, at, at + len(cell)), len(cell) == len(value)
            bits = _LETTERS + (0.0 if is_whole else _STRETCH + _TORN * _is_torn(value, piece))
            for rank, letters in enumerate(_list_letters(value[at : at + len(cell)], cell)):
                yield Source((piece,), letters=letters, is_whole=is_whole, bits=bits + rank)


def _is_torn(value: str, piece: Piece) -> int:
    """Return at how many of its ends a stretch cuts a word or a figure."""
    return sum(
        0 < at < len(value)
        and value[at - 1].isalnum()
        and value[at].isalnum()
        and value[at - 1].isdecimal() == value[at].isdecimal()
        for at in (piece.start, piece.end)
    )


@cache
def _edit(letters: str) -> Any:
    return make_letters(letters)


def _list_letters(text: str, wanted: str) -> list[str]:
    """Return in which ways a text is written otherwise to be another, the likelier first."""
    return [letters for letters in reversed(LETTERS) if say_otherwise(text, letters) == wanted]


def _list_converted(cell: str, values: Sequence[str]) -> Iterator[Source]:
    """Yield values that are a cell once they are read as a number or a date."""
    kinds = [name for name, regex in (("date", _DAY), ("number", _NUMBER)) if regex.fullmatch(cell)]
    for column, value in enumerate(values):
        for kind in kinds if any(map(str.isdecimal, value)) and len(value) < 60 else ():
            written = next((w for w in _list_written(kind, value) if _convert(kind, w, value) == cell), None)  # fmt: skip
            if written is not None:
                whole = Piece(column, 0, len(value))
                yield Source(
                    (whole,), converted=kind, written=written, is_whole=True, bits=_CONVERTED
                )


def _list_written(kind: str, value: str) -> Iterator[str]:
    """Yield how a value may be written: a day that may be a month, both ways."""
    found = _PARTED.match(value) if kind == "date" else None
    if found is None:
        yield value
        return
    mark, year = found[1], found[2] if len(found[2]) == 4 else "24"
    for first, second in (("31", "12"), ("12", "31")):
        yield f"{first}{mark}{second}{mark}{year}{value[found.end() :]}"


@cache
def _convert(kind: str, written: str, value: str) -> str:
    """Return a value read as a number or date that is written like another; nothing if it is none."""
    split = Split(delimiter=("none",), quote=("none",), heading="none", fields=1, names=("a",))
    said = f"a={written}"
    try:
        table = make_table(
            [split, (Clean(date=said) if kind == "date" else Clean(number=said))], value
        )
    except WetCombError:
        return ""
    return table.value(0, 0) or "" if not table.snags.n_records else ""


def _join(
    cell: str, values: Sequence[str], columns: Sequence[int], *, may_add: bool
) -> Iterator[Source]:
    """Yield a cell put together from stretches of some values, with constant text between them."""
    used: list[Piece] = []
    pieces: list[Piece] = []
    literals = [""]
    at = 0
    for token in _TOKEN.finditer(cell):
        rest = token[0]
        literals[-1] += cell[at : token.start()]
        at = token.end()
        while rest:
            inside = pieces[-1] if len(rest) < len(token[0]) else None
            piece = _find_piece(rest, values, columns, used, inside)
            if piece is None:
                is_there = any(fold_case(rest) in fold_case(value) for value in values)
                if is_there or not may_add or inside or len(rest) > _LONGEST:
                    return
                literals[-1] += rest
                break
            size = piece.end - piece.start
            _add(pieces, literals, piece, values)
            used.append(piece)
            rest = rest[size:]
    literals[-1] += cell[at:]
    _take_marks(pieces, literals, values)
    if not pieces or (len(pieces) == 1 and literals == ["", ""]):
        return
    said = "".join(map(str.__add__, literals, [*(values[p.column][p.start : p.end] for p in pieces), ""]))  # fmt: skip
    letters = "" if said == cell else next(iter(_list_letters(said, cell)), "")
    if said != cell and not letters:
        return
    n_literal = sum(sign.isalnum() for literal in literals for sign in literal)
    bits = _JOINED + 4 * len(pieces) + _LITERAL * n_literal + _LETTERS * bool(letters)
    yield Source(tuple(pieces), tuple(literals), letters, bits=bits + 4.0 * len(set(columns)) * (len(columns) > 1))  # fmt: skip


def _take_marks(pieces: list[Piece], literals: list[str], values: Sequence[str]) -> None:
    """Take marks that stand behind a stretch in its value, too, as in `A.`, into it."""
    for k, piece in enumerate(pieces):
        behind = values[piece.column][piece.end :]
        literal = literals[k + 1]
        if behind and behind[0] in _DOTS and literal.startswith(behind[0]):
            pieces[k] = piece._replace(end=piece.end + 1)
            literals[k + 1] = literal[1:]


def _add(pieces: list[Piece], literals: list[str], piece: Piece, values: Sequence[str]) -> None:
    """Add a stretch, to the last one where it follows that with just what stands between them."""
    if pieces:
        last = pieces[-1]
        between = values[last.column][last.end : piece.start]
        if last.column == piece.column and last.end <= piece.start and between == literals[-1]:
            pieces[-1] = Piece(last.column, last.start, piece.end)
            literals[-1] = ""
            return
    pieces.append(piece)
    literals.append("")


def _find_piece(
    text: str,
    values: Sequence[str],
    columns: Sequence[int],
    used: Sequence[Piece],
    inside: Piece | None,
) -> Piece | None:
    """Return where a word or figure comes from: a whole one, the beginning of one, or less of it from its beginning.

    Parameters
    ----------
    inside : the piece that its beginning came from: the rest follows that in its value
    """
    wanted = fold_case(text)
    best: tuple[int, Piece] | None = None
    for column in columns:
        value = values[column]
        for token in _TOKEN.finditer(value):
            piece = Piece(column, *token.span())
            if inside is not None and (column != inside.column or piece.start < inside.end):
                continue
            if any(one.column == column and one.start < piece.end and piece.start < one.end for one in used):  # fmt: skip
                continue
            have = fold_case(token[0])
            size = _count_alike(have, wanted)
            is_all = size == len(wanted)
            is_initial = size == 1 and text.isupper() and token[0][0].isupper()
            if not size or (not is_all and size < len(have) and not is_initial):
                continue
            size = min(size, 1) if is_initial and not is_all else size
            rank = (4 if have == wanted else 2 if is_all else 1) * 100 + size
            if best is None or rank > best[0]:
                best = rank, Piece(column, piece.start, piece.start + size)
    return best[1] if best else None


def _count_alike(one: str, other: str) -> int:
    return next((k for k, (a, b) in enumerate(zip(one, other, strict=False)) if a != b), min(len(one), len(other)))  # fmt: skip
