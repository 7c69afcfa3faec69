"""A way to cut a text, fitted to examples: steps behind it that give just what they want.

The example says where each cell comes from; how the other records are cut there is learnt from it,
column by column, and written as steps. What two rules make of the other records is compared, and
where both are likely that is told.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Sequence
from functools import cached_property
from typing import Literal, NamedTuple

import msgspec

from wetcomb.core.table import Table
from wetcomb.drafts.examples.bases import Base, Rows, list_rows
from wetcomb.drafts.examples.cuttings import Cutting, Prices, Span, Wanted, learn_cuttings
from wetcomb.drafts.examples.example import Example
from wetcomb.drafts.examples.making import Maker
from wetcomb.drafts.examples.seats import FREE, LACKING, seat_cells, seat_like
from wetcomb.drafts.examples.sources import Piece, Sources, write_cell
from wetcomb.steps.step import Step

__all__ = ["Fitted", "fit"]

#: Ways to seat an example, to cut a column, and to cut all columns, that are followed.
_SEATS, _CUTTINGS, _COMBINED = 4, 6, 24
_FARTHER = 12.0  # bits that another seat may take more
_MOST_GAINED = 80.0  # bits, where a column gives way that is dearer than plain text
_UNNAMED = 15.0  # bits of a column that is named, and that is not called so in the text
_LEFT_OUT = 2.0  # bits of a value that is not wanted


class Fitted(msgspec.Struct, frozen=True, eq=False, dict=True):
    """A rule that gives what examples want.

    Attributes
    ----------
    base : the table that it is for
    bits : what it takes, less what the columns that it cuts took
    seats : the records of the base that the examples are of
    sources : where the cells of the first come from
    cuttings : how columns are cut
    """

    base: Base
    bits: float
    seats: tuple[int, ...]
    sources: Sources
    cuttings: dict[int, Cutting]

    @cached_property
    def rows(self) -> list[tuple[str, ...]]:
        """The cells that it makes of each record, before they are read as numbers or dates."""
        return _tell_rows(self.base, self.sources, self.cuttings)

    @property
    def n_odd(self) -> int:
        """How many values it leaves odd."""
        return sum(cutting.n_odd for cutting in self.cuttings.values())

    @property
    def rule(self) -> float:
        """Bits of the places alone."""
        return sum(cutting.rule for cutting in self.cuttings.values())

    @property
    def odd(self) -> float:
        """Bits of all that speaks against it."""
        return sum(cutting.odd for cutting in self.cuttings.values())

    def write(self, examples: Sequence[Example]) -> tuple[tuple[Step, ...], Rows] | None:
        """Return the steps behind those that made the base, and what they make; None if some of it can be written in no step.

        Raises
        ------
        WetCombError : a step cannot run over the table
        """
        maker = Maker(self.base, examples[0], self.sources)
        made = maker.make(self.cuttings)
        if made is None or not _holds(made, examples, self.seats):
            return None
        return tuple(maker.steps), list_rows(made)


class _Seated(NamedTuple):
    """The records of all examples, and where their cells come from."""

    rows: tuple[int, ...]
    sources: tuple[Sources, ...]
    bits: float


def fit(
    base: Base,
    examples: Sequence[Example],
    prices: Prices,
) -> list[Fitted]:
    """Return the ways in which a table can be made to hold examples, the cheapest first."""
    ways = (_fit_seated(base, examples, seated, prices) for seated in _seat(base, examples))
    return sorted(itertools.chain.from_iterable(ways), key=lambda fitted: fitted.bits)


def _seat(base: Base, examples: Sequence[Example]) -> list[_Seated]:
    """Return where examples may come from, the likeliest first: all of them in the same way as one."""
    found: dict[object, _Seated] = {}
    for place in range(len(examples)):
        for way in _seat_by(base, examples, place):
            pieces = tuple(piece for source in way.sources[place] for piece in source.pieces)
            found.setdefault((way.rows, pieces), way)
    ways = sorted(found.values(), key=lambda way: way.bits)
    likely = [way for way in ways if way.bits < ways[0].bits + _FARTHER]
    return likely[:_SEATS]


def _seat_by(base: Base, examples: Sequence[Example], first: int) -> list[_Seated]:
    """Return where examples may come from, in the same way as the one that is named."""
    example = examples[first]
    fixed = _find_columns(base, example)
    may_add = len(examples) > 1
    seats = [
        (row, sources, bits)
        for row in base.find_rows(example.line)
        for sources, bits in seat_cells(example.cells, base.rows[row], fixed, may_add=may_add)
    ]
    ways = []
    for row, sources, bits in sorted(seats, key=lambda seat: seat[2])[: 2 * _SEATS]:
        way = _Seated((), (), bits)
        for other in examples:
            if other is example:
                way = _Seated((*way.rows, row), (*way.sources, sources), bits)
                continue
            cells = _order_cells(example, other)
            like = next(
                (
                    (at, found)
                    for at in base.find_rows(other.line)
                    if at != row and at not in way.rows
                    for found in seat_like(sources, cells, base.rows[at])
                ),
                None,
            )
            if like is None:
                break
            way = _Seated((*way.rows, like[0]), (*way.sources, like[1]), bits)
        else:
            ways.append(way)
    return ways


def _order_cells(example: Example, other: Example) -> Sequence[str | None]:
    """Return the cells of another example in the order of one; what it does not name is open."""
    if not example.names:
        return other.cells
    said = dict(zip(other.names, other.cells, strict=True))
    return [said.get(name) for name in example.names]


def _find_columns(base: Base, example: Example) -> list[int | None]:
    """Return for each cell of an example the column that is called so already."""
    names = base.table.names
    return [names.index(name) if name in names else None for name in example.names]


def _fit_seated(
    base: Base,
    examples: Sequence[Example],
    seated: _Seated,
    prices: Prices,
) -> Iterator[Fitted]:
    """Yield what makes the examples of where they come from, the likeliest ways to cut first."""
    sources = next((s for s in seated.sources if all(p.start >= 0 for one in s for p in one.pieces)), seated.sources[0])  # fmt: skip
    cut = sorted({piece.column for source in sources if not source.is_whole for piece in source.pieces})  # fmt: skip
    ways: list[list[Cutting]] = []
    for column in cut:
        wanted = [
            Wanted(row, tuple(_tell_span(p) for s in own if not s.is_whole for p in s.pieces if p.column == column))
            for row, own in zip(seated.rows, seated.sources, strict=True)
        ]  # fmt: skip
        ways.append(learn_cuttings(base.list_values(column), wanted, prices)[:_CUTTINGS])
    # whole lines were never priced as a column
    before = {k: _price_whole(base, k, prices) for k in cut if len(base.table.names) > 1}
    used = {piece.column for source in sources for piece in source.pieces}
    bits = seated.bits - sum(before.values())
    bits += _UNNAMED * sum(name not in base.table.names for name in examples[0].names)
    if not examples[0].names:
        left = [k for k in range(len(base.table.names)) if k not in used]
        bits += _LEFT_OUT * sum(bool(row[k]) for row in base.rows for k in left)
    combined = sorted(itertools.product(*ways), key=lambda taken: sum(one.bits for one in taken))
    for taken in combined[:_COMBINED]:
        cuttings = dict(zip(cut, taken, strict=True))
        price_all = bits + sum(cutting.bits for cutting in taken)
        yield Fitted(base, price_all, seated.rows, sources, cuttings)


def _tell_span(piece: Piece) -> Span | Literal["free"]:
    """Return a stretch as it is wanted: None where the record lacks it."""
    place = piece.start, piece.end
    return "free" if place == FREE else None if place == LACKING else place


def _price_whole(base: Base, column: int, prices: Prices) -> float:
    values = base.list_values(column)
    whole = prices.price(values, [(0, len(value)) if value else None for value in values])
    return min(_MOST_GAINED, whole)  # long texts are dearer as a column than as plain text


def _tell_rows(base: Base, sources: Sources, cuttings: dict[int, Cutting]) -> list[tuple[str, ...]]:
    """Return the cells that a rule makes of every record."""
    nth: dict[int, int] = dict.fromkeys(cuttings, 0)
    places: list[
        list[tuple[int, int]]
    ] = []  # of each source, the column and the stretch of each piece
    for source in sources:
        own = []
        for piece in source.pieces:
            own.append((piece.column, -1 if source.is_whole else nth[piece.column]))
            if not source.is_whole:
                nth[piece.column] += 1
        places.append(own)
    made = []
    for row, values in enumerate(base.rows):
        cells = []
        for source, own in zip(sources, places, strict=True):
            texts = []
            for column, k in own:
                span = (0, len(values[column])) if k < 0 else cuttings[column].spans[row][k]
                texts.append(values[column][span[0] : span[1]] if span else "")
            cells.append(write_cell(source, texts))
        made.append(tuple(cells))
    return made


def _holds(made: Table, examples: Sequence[Example], rows: Sequence[int]) -> bool:
    """Return whether a table holds what the examples want, in their records."""
    for example, row in zip(examples, rows, strict=True):
        if example.names:
            if not set(example.names) <= {*made.names}:
                return False
            columns = [made.names.index(name) for name in example.names]
        else:
            columns = [*range(len(made.names))]
        if len(columns) != len(example.cells):
            return False
        for column, cell in zip(columns, example.cells, strict=True):
            if cell is not None and " ".join((made.value(row, column) or "").split()) != " ".join(cell.split()):  # fmt: skip
                return False
    return True
