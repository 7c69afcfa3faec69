"""What is in a text: the facts that `inspect` finds and a view draws."""

from __future__ import annotations

import msgspec

from wetcomb.core.cut_lines import CutLine
from wetcomb.core.doubts import Doubt

__all__ = [
    "BY_LABELS",
    "RUNNERS_UP",
    "ColumnSeen",
    "CutSeen",
    "Difference",
    "Inspection",
    "OddRecord",
    "PartSeen",
    "RowSeen",
    "SignSeen",
    "TableSeen",
    "WaySeen",
]


#: How a note begins that tells what was weighed and not taken.
RUNNERS_UP = "Next best"

#: The way of a table that is pulled by labels, and not cut.
BY_LABELS = "by labels"


class SignSeen(msgspec.Struct, frozen=True):
    """A kind of invisible or odd character: how many, and the first line with one."""

    name: str
    number: int
    line: int


class PartSeen(msgspec.Struct, frozen=True):
    """A part of the text: its number, kind and lines, and how it begins."""

    number: int
    kind: str
    lines: str
    excerpt: str


class CutSeen(msgspec.Struct, frozen=True):
    """A way to cut: its name, the number of fields, how many records fit, bits a record.

    Where it was stated or found by the whole text, there are no bits of its own.
    """

    name: str
    n_fields: int
    n_fitting: int
    n_records: int
    bits: float | None


class ColumnSeen(msgspec.Struct, frozen=True):
    """A column: its shapes with how many values have each, missing ones, an example."""

    name: str
    shapes: tuple[tuple[str, int], ...]
    n_missing: int
    example: str


class OddRecord(msgspec.Struct, frozen=True):
    """A record that does not fit, and why."""

    line: int
    why: str
    text: str


class RowSeen(msgspec.Struct, frozen=True):
    """A record as it would be written: its first line, its cells (None where one is missing)."""

    line: int
    cells: tuple[str | None, ...]


class TableSeen(msgspec.Struct, frozen=True):
    """A table: how it is best cut and what comes of it.

    Attributes
    ----------
    part : number of the part it is, 0 where it is all of the text
    ways : the best way to cut and the next ones
    notes : the evidence in words
    columns : its columns
    counts : how many records have so many fields, the commonest first
    odd : records that do not fit, the first few; `n_odd` is how many there are
    lines : its first lines with their cuts
    where : the options that say which part of the text it is
    before : the steps before it is split, as they are typed
    step : the step that makes it a table
    options : what to type behind that
    after : the steps behind it, as they are typed
    readings : options of clean that would convert its dates and numbers; they are proposed only
    undecided : columns that can be read in two ways, in words
    rows : its first records, and its last
    """

    part: int
    ways: tuple[CutSeen, ...]
    notes: tuple[str, ...]
    columns: tuple[ColumnSeen, ...]
    counts: tuple[tuple[int, int], ...]
    n_records: int
    n_odd: int
    odd: tuple[OddRecord, ...]
    lines: tuple[CutLine, ...]
    where: tuple[str, ...]
    before: tuple[str, ...]
    step: str
    options: tuple[str, ...]
    after: tuple[str, ...] = ()
    readings: tuple[str, ...] = ()
    undecided: tuple[str, ...] = ()
    rows: tuple[RowSeen, ...] = ()


class WaySeen(msgspec.Struct, frozen=True):
    """A way to make a table of the text: its number for `--way`, how, what comes of it, a record.

    The record is the first; of the other ways the first that the first way does not make.
    """

    number: int
    how: str
    n_fields: int
    n_records: int
    record: tuple[str, ...]


class Difference(msgspec.Struct, frozen=True):
    """A place where the way that is shown and another one make different records.

    Attributes
    ----------
    line : where the first of these records begins
    mine, theirs : the records of the one and of the other
    """

    line: int
    mine: tuple[tuple[str, ...], ...]
    theirs: tuple[tuple[str, ...], ...]


class Inspection(msgspec.Struct, frozen=True):
    """Everything that is told of a text.

    Attributes
    ----------
    lines : lines that were looked at; `is_whole` says whether that is all
    line_ends : how many lines end how
    signs : invisible and odd characters by kind
    doubts : what speaks against what `rebuild` would make of it
    way : number of the way that `tables` shows
    ways : all that are worth it, numbered; none where there are several tables
    other : number of the next way, where it differs from the one that is shown in few records
    differences : these records
    """

    lines: int
    is_whole: bool
    line_ends: tuple[tuple[str, int], ...]
    signs: tuple[SignSeen, ...]
    parts: tuple[PartSeen, ...]
    tables: tuple[TableSeen, ...]
    doubts: tuple[Doubt, ...] = ()
    way: int = 1
    ways: tuple[WaySeen, ...] = ()
    other: int = 0
    differences: tuple[Difference, ...] = ()
