"""A source beside its table: where every value came from, what was dropped and why, to be drawn."""

from __future__ import annotations

import msgspec

__all__ = ["Sheet", "SheetLine", "SheetPiece", "SheetRow"]


class SheetPiece(msgspec.Struct, frozen=True):
    """Some characters of a source line.

    Attributes
    ----------
    text : the characters
    kind : `cell`, `rest` (what no column could take), `name` (of a heading), `drop` or `plain`
    row, column : of a cell, from 0
    reason : of what was dropped, a key of `DROPS`
    """

    text: str
    kind: str
    row: int = -1
    column: int = -1
    reason: str = ""


class SheetLine(msgspec.Struct, frozen=True):
    """A source line: its number from 1, its pieces, how many characters of it are left away here."""

    number: int
    pieces: tuple[SheetPiece, ...]
    n_more: int = 0


class SheetRow(msgspec.Struct, frozen=True):
    """A record: its place from 0, its first line, its cells (None where one is missing), why it is odd.

    The last cell is what no column could take, where the sheet has a column for that.
    """

    row: int
    line: int
    cells: tuple[str | None, ...]
    odd: str = ""


class Sheet(msgspec.Struct, frozen=True):
    """What is shown of a source and of its table: all, or the head, the tail and whatever is odd.

    Attributes
    ----------
    names : of the columns; `has_rest` where one more has what these could not take
    lines, rows : what is shown, in order; numbers that do not follow each other tell what is not
    n_lines, n_records : how many there are
    """

    names: tuple[str, ...]
    has_rest: bool
    lines: tuple[SheetLine, ...]
    rows: tuple[SheetRow, ...]
    n_lines: int
    n_records: int

    @property
    def is_whole(self) -> bool:
        """Whether every line and every record is shown."""
        return len(self.lines) == self.n_lines and len(self.rows) == self.n_records
