"""Where the cells of an example come from: the values of a record, stretches of them, and constant text."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from functools import cache
from typing import Any, NamedTuple

from wetcomb.drafts.examples.conversions import find_written
from wetcomb.match.letter_case import fold_case
from wetcomb.steps.clean.marks import make_letters
from wetcomb.steps.clean.options import LETTERS

__all__ = [
    "MOST_PLACES", "Piece", "Source", "Sources", "count_torn", "list_sources", "say_otherwise", "write_cell",
]  # fmt: skip

MOST_PLACES = 4  # where one text stands in a value
#: Bits to say where a cell comes from.
_STRETCH, _TORN, _LETTERS, _CONVERTED, _JOINED, _LITERAL = 8.0, 6.0, 4.0, 8.0, 16.0, 4.0
_PIECE, _COLUMN = (
    4.0,
    4.0,
)  # of each piece that is joined, and of each column that is looked at for more than one
_LONGEST = 12  # letters of a word that is put in
_TOKEN = re.compile(r"[^\W\d_]+|\d+")
_DOTS = ".'’"


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

    def move(self, pieces: Sequence[Piece]) -> Source:
        """Return the same of other stretches."""
        return self._replace(pieces=tuple(pieces))


Sources = tuple[Source, ...]


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
        for column, value in enumerate(values):
            kind, written = find_written(cell, value)
            if kind:
                found.append(Source((Piece(column, 0, len(value)),), converted=kind, written=written, is_whole=True, bits=_CONVERTED))  # fmt: skip
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
        for piece in sorted(spans, key=lambda one: count_torn(value, one))[:MOST_PLACES]:
            yield Source((piece,), bits=_STRETCH + _TORN * count_torn(value, piece))
        folded = fold_case(value)
        if not places and len(folded) == len(value) and fold_case(cell) in folded:
            at = folded.find(fold_case(cell))
            piece, is_whole = Piece(column, at, at + len(cell)), len(cell) == len(value)
            bits = _LETTERS + (0.0 if is_whole else _STRETCH + _TORN * count_torn(value, piece))
            for rank, letters in enumerate(_list_letters(value[at : at + len(cell)], cell)):
                yield Source((piece,), letters=letters, is_whole=is_whole, bits=bits + rank)


def count_torn(value: str, piece: Piece) -> int:
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
    bits = _JOINED + _PIECE * len(pieces) + _LITERAL * n_literal + _LETTERS * bool(letters)
    bits += _COLUMN * len(columns) * (len(columns) > 1)
    yield Source(tuple(pieces), tuple(literals), letters, bits=bits)


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
