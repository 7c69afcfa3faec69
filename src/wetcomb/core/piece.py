"""What a step makes of a chunk, and what it promises about it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Protocol

import msgspec

from wetcomb.core.ledger import Charge, Ledger
from wetcomb.core.moves import Moves
from wetcomb.core.ragged import LineDrops
from wetcomb.core.table import Table
from wetcomb.core.text import Text

__all__ = [
    "Advice",
    "NameSource",
    "Piece",
    "StepRun",
    "TableRun",
    "TableTold",
    "TextPiece",
    "TextRun",
    "TotalSeen",
]


class NameSource(msgspec.Struct, frozen=True):
    """Where a column's name came from: spans that were kept for it, characters told again."""

    spans: tuple[tuple[int, int], ...] = ()
    n_repeated: int = 0


class TotalSeen(msgspec.Struct, frozen=True):
    """A line that sums up, checked: each figure as (column, as printed, as summed, whether they agree)."""

    line: int
    text: str
    figures: tuple[tuple[str, str, str, bool], ...]


class Piece(msgspec.Struct, frozen=True, eq=False):
    """What a step made of one chunk.

    Attributes
    ----------
    text : the chunk
    step : name of the step
    table : the records, None while there are none
    used : bytes of the chunk that were taken; 0 asks for a longer one
    n_lines : lines among them
    ledger : what became of these bytes
    charges : every span of them that was dropped, by reason
    drops : the lines among them that are no record
    heading : spans of the names that were kept, in the piece that holds the heading
    name_sources : where the name of each of the table's columns came from, in the same piece
    renamed : headings that were made up or made unlike another, as (as it stood, as it is now)
    totals : lines that sum up, checked
    moves : the records of the table that were read anew, where a step does that
    """

    text: Text
    step: str
    table: Table | None
    used: int
    n_lines: int
    ledger: Ledger
    charges: Sequence[Charge] = ()
    drops: LineDrops | None = None
    heading: Charge | None = None
    name_sources: tuple[NameSource, ...] = ()
    renamed: tuple[tuple[str, str], ...] = ()
    totals: tuple[TotalSeen, ...] = ()
    moves: Moves | None = None


class TextPiece(msgspec.Struct, frozen=True, eq=False):
    """What a step made of one chunk, where it makes text.

    Attributes
    ----------
    piece : the chunk, how much of it was taken, and what left it; it has no table
    result : the text that goes on
    """

    piece: Piece
    result: Text


class TextRun(Protocol):
    """A step at work that makes text of text: chunks in, pieces out, in order."""

    def rewrite(self, chunk: Text, *, is_last: bool) -> TextPiece:
        """Take what can be taken of a chunk."""
        ...


class StepRun(Protocol):
    """A step at work: chunks in, pieces out, in order.

    A chunk begins at a record. The step takes whole records and says how many bytes they
    are; what it leaves comes again with more text behind it. Where the text is cut never
    changes a record.
    """

    def feed(self, chunk: Text, *, is_last: bool) -> Piece:
        """Take what can be taken of a chunk."""
        ...


class Advice(msgspec.Struct, frozen=True):
    """An option that would settle snags of one kind, as it was tried on some records.

    Attributes
    ----------
    snag : name of the kind
    option : the option as it is typed
    settled, changed : records that it would settle, and others that would come out differently
    """

    snag: str
    option: str
    settled: int
    changed: int


class TableTold(msgspec.Struct, frozen=True):
    """What a step on tables has to tell when all is done.

    Attributes
    ----------
    notes : what an option did not do
    advice : options that would settle snags
    remembered : texts that options go with, by the option's value as it was typed
    """

    notes: tuple[str, ...] = ()
    advice: tuple[Advice, ...] = ()
    remembered: Mapping[str, str] = {}


class TableRun(Protocol):
    """A step at work on tables: pieces in, pieces out, in order."""

    def take(self, piece: Piece) -> Iterable[Piece]:
        """Take one piece; yield those that are done, their tables changed, what left them charged."""
        ...

    def finish(self) -> Iterable[Piece]:
        """Yield the pieces that waited for others behind them."""
        ...

    def tell(self) -> TableTold:
        """Return what there is to tell, when all pieces have been taken."""
        ...

    def leave(self) -> object:
        """Return what it has met so far that counts for what it will tell, and forget it."""
        ...

    def go_on(self, met: object) -> None:
        """Take over what another run of the step has met, behind what this one has."""
        ...
