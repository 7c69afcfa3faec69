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
import numpy as np

from wetcomb.core.table import Table
from wetcomb.drafts import calls
from wetcomb.drafts.examples.cuttings import Cutting, Prices, Span, Wanted, learn_cuttings
from wetcomb.drafts.examples.example import Example
from wetcomb.drafts.examples.sources import (
    FREE,
    LACKING,
    Piece,
    Source,
    Sources,
    seat_cells,
    seat_like,
    write_cell,
)
from wetcomb.drafts.examples.writing import find_pattern, write_cutting
from wetcomb.match.patterns import compile_pattern
from wetcomb.steps.clean.options import Clean
from wetcomb.steps.glue.options import Glue
from wetcomb.steps.step import Step

__all__ = ["Base", "Fitted", "Rows", "fit", "list_rows", "make_base"]

_ROWS = 400  # records that are looked at
_SEATS, _CUTTINGS, _COMBINED = (
    4,
    6,
    24,
)  # ways to seat an example, to cut a column, and all columns, that are followed
_MOST_SEEN = 60  # records in which an example without a line is looked for
_FARTHER = 12.0  # bits that another seat may take more
_LEFT_OUT = 3.0  # bits of a value that is not wanted


Rows = list[list[str]]


def list_rows(table: Table) -> Rows:
    """Return the values of a table, missing ones as empty."""
    return [[value or "" for value in row] for row in table.rows()]


class Base(msgspec.Struct, frozen=True, eq=False):
    """A table that some way makes of the text.

    Attributes
    ----------
    rows : its values, missing ones as empty
    lines : the source lines of each record
    """

    table: Table
    rows: Sequence[Sequence[str]]
    lines: Sequence[tuple[int, int]]

    def list_values(self, column: int) -> list[str]:
        """Return the values of a column."""
        return [row[column] for row in self.rows]

    def find_rows(self, line: int) -> list[int]:
        """Return the records that a source line belongs to; without one, those that are looked at."""
        if not line:
            return [*range(min(len(self.rows), _MOST_SEEN))]
        return [row for row, (first, last) in enumerate(self.lines) if first <= line <= last]


def make_base(table: Table) -> Base:
    """Return a table as examples are fitted to it."""
    first, last = table.line_numbers(np.arange(table.n_records))
    return Base(table, list_rows(table), [*zip(first.tolist(), last.tolist(), strict=True)])


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
        maker = _Maker(self.base, examples[0], self.seats[0], self.sources)
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
    return prices.price(values, [(0, len(value)) if value else None for value in values])


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


class _Maker:
    """Writes the steps that make an example's cells of where they come from."""

    def __init__(self, base: Base, example: Example, row: int, sources: Sources) -> None:
        self._base, self._example, self._sources = base, example, sources
        self._values = base.rows[row]
        self._table = base.table
        self.steps: list[Step] = []
        self._clean: dict[str, list[str]] = {}
        self._spare: set[str] = set()

    def make(self, cuttings: dict[int, Cutting]) -> Table | None:
        """Return the table, None if some of it can be written in no step."""
        names = self._name_cells()
        parts: dict[Piece, str] = {}
        for column, cutting in cuttings.items():
            if not self._cut(column, cutting, names, parts):
                return None
        ends: list[str] = []
        for place, source in enumerate(self._sources):
            own = [parts.get(p) or self._base.table.names[p.column] for p in source.pieces]
            name = self._put_together(source, own, names[place])
            if name is None:
                return None
            ends.append(name)
            if source.letters:
                self._clean.setdefault("letters", []).append(f"{name}={source.letters}")
            if source.converted:
                value = self._values[source.pieces[0].column]
                self._clean.setdefault(source.converted, []).append(f"{name}={value}")
        self._finish(ends, names)
        return self._table

    def _name_cells(self) -> list[str]:
        """Return what the cells are called: as the example says, else as the columns that they are of."""
        if self._example.names:
            return [*self._example.names]
        old = self._base.table.names
        made: list[str] = []
        columns = [{piece.column for piece in source.pieces} for source in self._sources]
        is_made_up = [name.startswith("field-") and name[6:].isdecimal() for name in old]
        if all(is_made_up):
            return [f"field-{k + 1}" for k in range(len(columns))]
        for place, own in enumerate(columns):
            column = min(own) if own else 0
            sharing = [k for k, other in enumerate(columns) if column in other]
            name = old[column] if own else f"field-{place + 1}"
            if len(sharing) > 1:
                name = f"{name}-{sharing.index(place) + 1}"
            while name in made:
                name += "-2"
            made.append(name)
        return made

    def _cut(
        self, column: int, cutting: Cutting, names: Sequence[str], parts: dict[Piece, str]
    ) -> bool:
        """Cut a column as was learnt; return whether a step does so."""
        base, old = self._base, self._base.table.names[column]
        cells = [(place, source) for place, source in enumerate(self._sources) if not source.is_whole and column in {p.column for p in source.pieces}]  # fmt: skip
        pieces = [piece for _, source in cells for piece in source.pieces if piece.column == column]
        values = base.list_values(column)
        if len(cells) == 1 and all(p.column == column for p in cells[0][1].pieces):
            source = cells[0][1]
            if len(pieces) > 1 or source.literals != ("", ""):
                return self._rewrite(column, cutting, source, values, parts)
        called = self._call(cells, pieces, names, {*base.table.names} - {old})
        written = write_cutting(self._table, old, values, cutting, called)
        if written is None:
            return False
        self._add(written.step)
        self._spare |= {*written.spare}
        parts |= dict(zip(pieces, written.names, strict=True))
        return True

    def _call(
        self,
        cells: Sequence[tuple[int, Source]],
        pieces: Sequence[Piece],
        names: Sequence[str],
        taken: set[str],
    ) -> list[str]:
        """Return what stretches are called: as their cells, where these are no more."""
        found: list[str] = []
        for place, source in cells:
            for k, piece in enumerate(source.pieces):
                if piece in pieces:
                    name = names[place] if len(source.pieces) == 1 else f"{names[place]}-{k + 1}"
                    while name in taken or name in found:
                        name += "-new"
                    found.append(name)
        return found

    def _rewrite(
        self,
        column: int,
        cutting: Cutting,
        source: Source,
        values: Sequence[str],
        parts: dict[Piece, str],
    ) -> bool:
        """Write the values of a column otherwise: its stretches in another order, with other text between."""
        order = sorted(range(len(source.pieces)), key=lambda k: source.pieces[k].start)
        spans = [tuple(own[k] for k in order) for own in cutting.spans]
        letters = [chr(ord("a") + k) for k in range(len(order))]
        pattern = find_pattern(values, spans, letters, is_whole=True)
        if pattern is None:
            return False
        back = [letters[order.index(k)] for k in range(len(order))]
        new = source.literals[0] + "".join(f"{{{name}}}{text}" for name, text in zip(back, source.literals[1:], strict=True))  # fmt: skip
        if "=" in new or set("{}") & set("".join(source.literals)):
            return False
        compile_pattern(pattern)
        self._clean.setdefault("replace", []).append(f"{self._base.table.names[column]}:{pattern}={new}")  # fmt: skip
        parts |= dict.fromkeys(source.pieces, self._base.table.names[column])
        return True

    def _put_together(self, source: Source, own: Sequence[str], name: str) -> str | None:
        """Return the column of a cell, after its pieces were put together where they stand in several."""
        several = [*dict.fromkeys(own)]
        if len(several) < 2:
            if len(several) == 1 and source.literals != ("", "") and len(source.pieces) == 1 and not self._is_rewritten(several[0]):  # fmt: skip
                return self._dress(several[0], source.literals)
            return several[0] if several else None
        if len(several) != len(own):
            return None
        joined = own[0]
        for k, other in enumerate(own[1:], 1):
            text = source.literals[k]
            if not text or set("\r\n") & set(text):
                return None
            called = name if name not in {*self._table.names} - {joined, other} else f"{name}-new"
            self._add(Glue(columns=(joined, other), with_=text, as_=called, skip_empty=True, quote="loose"))  # fmt: skip
            joined = called
        if source.literals[0] or source.literals[-1]:
            return self._dress(joined, (source.literals[0], source.literals[-1]))
        return joined

    def _is_rewritten(self, name: str) -> bool:
        return any(text.startswith(f"{name}:") for text in self._clean.get("replace", ()))

    def _dress(self, name: str, literals: Sequence[str]) -> str | None:
        """Put text before and behind the values of a column."""
        if set("={}") & set("".join(literals)):
            return None
        self._clean.setdefault("replace", []).append(f"{name}:{{text as a}}={literals[0]}{{a}}{literals[1]}")  # fmt: skip
        return name

    def _finish(self, ends: Sequence[str], names: Sequence[str]) -> None:
        """Take the columns that are wanted, and call them so."""
        options: dict[str, object] = {key: tuple(said) for key, said in self._clean.items()}
        new = {old: name for old, name in zip(ends, names, strict=True) if old != name}
        if new:
            options["rename"] = tuple(f"{old}={name}" for old, name in new.items())
        called = [new.get(name, name) for name in self._table.names]
        kept = [name for name in called if name not in self._spare]
        kept = kept if self._example.names else [*names]
        if kept != called:
            options["only"] = tuple(kept)
        if options:
            self._add(Clean(**options))  # type: ignore[arg-type]

    def _add(self, step: Step) -> None:
        self._table = calls.run_on_table(step, self._table)
        self.steps.append(step)
