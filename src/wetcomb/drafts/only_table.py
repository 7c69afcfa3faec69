"""The one table among prose and notes."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np

from wetcomb.combs.part import Part
from wetcomb.drafts.parts import find_parts, is_large_table
from wetcomb.drafts.telling import count_noun
from wetcomb.drafts.trial import try_split
from wetcomb.steps.split.options import Split

__all__ = ["OnlyTable", "find_only_table"]


class OnlyTable(msgspec.Struct, frozen=True):
    """Which part of a text its table is.

    Attributes
    ----------
    part : all of the text where there is no other or no only one
    inside : its lines
    notes : what is told of it
    n_tables : how many tables there are
    """

    part: Part
    inside: bytes
    notes: Sequence[str] = ()
    n_tables: int = 1


def find_only_table(text: bytes, whole: Split, first_line: int = 1) -> OnlyTable:
    """Return the one table among prose and notes, if they are no records of it.

    The lines outside are left out only where they do not fit the way the whole would be cut.
    """
    parts = find_parts(text)
    tables = [part for part in parts if is_large_table(part)]
    others = [part for part in parts if part not in tables]
    if len(tables) > 1:
        said = ", ".join(f"lines {table.move(first_line - 1).lines}" for table in tables[:4])
        note = f"There are {len(tables)} tables ({said}); --part N takes one."
        return OnlyTable(Part(), text, [note], len(tables))
    if len(tables) != 1 or not others:
        return OnlyTable(Part(), text)
    lines = text.splitlines(keepends=True)
    table = tables[0]
    inside = b"".join(lines[table.first - 1 : table.last])
    outside = [line for part in others for line in lines[part.first - 1 : part.last]]
    if not _are_misfits(outside, inside, whole):
        return OnlyTable(Part(), text)
    is_open = table.last == parts[-1].last
    moved = table.move(first_line - 1)
    head = lines[table.first - 1].strip().decode()
    if is_open and head and not any(line.strip() == head.encode() for line in outside):
        part = Part(from_=(f"text:{head}",))
    else:
        part = Part(lines=f"{moved.first}-" if is_open else moved.lines)
    n_outside = len(outside)
    note = f"The table begins in line {moved.first}; {count_noun(n_outside, 'line')} around it {'is' if n_outside == 1 else 'are'} left out."
    return OnlyTable(part, inside, [note])


def _are_misfits(lines: Sequence[bytes], inside: bytes, whole: Split) -> bool:
    """Return whether lines make no records of the table that they stand around."""
    table = try_split(np.frombuffer(inside, np.uint8), whole, 0.0)
    around = try_split(
        np.frombuffer(b"".join(line.rstrip(b"\r\n") + b"\n" for line in lines), np.uint8),
        whole,
        0.0,
    )
    n_alike = sum(len(row) == table.n_fields and all(row) for row in around.rows)
    return (
        table.n_fields > 1
        and 3 * n_alike <= len(around.rows)
        and len(table.rows) > len(around.rows)
    )
