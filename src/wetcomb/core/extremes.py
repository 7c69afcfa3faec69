"""Where mistakes sit, not where a table begins: the extremes of each column, of the records, of the signs."""

from __future__ import annotations

import msgspec

__all__ = ["ColumnExtremes", "Place", "TableExtremes"]


class Place(msgspec.Struct, frozen=True):
    """A value or a record: its source line, how it begins, what is to be known of it in words."""

    line: int
    text: str
    said: str = ""


class ColumnExtremes(msgspec.Struct, frozen=True):
    """Of a column the shortest, the longest, the rarest-shaped and the last value; None where there is none."""

    name: str
    shortest: Place | None = None
    longest: Place | None = None
    rarest: Place | None = None
    last: Place | None = None


class TableExtremes(msgspec.Struct, frozen=True):
    """Of a table: its columns, the records with most and with fewest cells filled, the rarest sign of the text.

    `n_shaped` is how many records were looked at for shapes, where those are not all.
    """

    columns: tuple[ColumnExtremes, ...]
    fullest: Place | None = None
    emptiest: Place | None = None
    rarest_sign: Place | None = None
    n_shaped: int = 0
