"""The first lines of a text with their cuts, to be drawn."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

import msgspec
import numpy as np

from wetcomb.core.ledger import Charge
from wetcomb.core.table import MISSING, Table
from wetcomb.core.text import Text

__all__ = ["CutLine", "find_cut_lines"]

_LONGEST = 10_000  # bytes of a line that are looked at


class CutLine(msgspec.Struct, frozen=True):
    """A source line.

    Attributes
    ----------
    number : counted from 1
    text : its characters, the line end left out
    gone : spans of characters that leave the record
    teeth : where one field ends and the next begins
    """

    number: int
    text: str
    gone: tuple[tuple[int, int], ...]
    teeth: tuple[int, ...]


_BLANK = 10  # lines with nothing on them that may come first and are not shown


def find_cut_lines(
    text: Text, table: Table | None, charges: Sequence[Charge], n_lines: int, width: int
) -> list[CutLine]:
    """Return the first lines of a text, each with what leaves it and where it is cut.

    Parameters
    ----------
    width : characters of a line that are kept
    """
    begin = int(np.searchsorted(text.line_starts, _find_begin(charges)))
    starts = text.line_starts[begin : begin + n_lines + _BLANK + 1]
    blank = [not text.value(a, b).strip() for a, b in pairwise(starts[: _BLANK + 1].tolist())]
    starts = starts[blank.index(False) if False in blank else 0 :][: n_lines + 1]
    stop = int(starts[-1]) if starts.size > n_lines else text.body_size
    gone = [
        (int(a), int(b), reason)
        for reason, begins, ends, _ in charges
        for a, b in zip(begins[begins < stop], ends[begins < stop], strict=True)
    ]
    marks = sorted(a for a, _, reason in gone if reason == "delimiter")
    places = sorted({*marks, *_find_bare_cuts(table, marks, stop)})
    numbers = text.line_numbers(starts)
    lines = []
    for number, (start, end) in enumerate(pairwise([*starts[:n_lines].tolist(), stop])):
        if start == end or end - start > _LONGEST:
            continue
        shown = text.value(start, end).rstrip("\r\n")[:width]
        end = start + len(shown.encode())  # what lies behind is not drawn
        spans = sorted(
            (len(text.value(start, max(a, start))), len(text.value(start, min(b, end))))
            for a, b, _ in gone
            if a < end and b > start
        )
        teeth = tuple(len(text.value(start, place)) for place in places if start <= place < end)
        lines.append(CutLine(int(numbers[number]), shown, tuple(spans), teeth))
    return lines


def _find_begin(charges: Sequence[Charge]) -> int:
    """Return where the text begins that is not outside."""
    begin = 0
    for charge in charges:
        if charge.reason == "outside":
            for start, end in zip(charge.starts.tolist(), charge.ends.tolist(), strict=True):
                begin = end if start == begin else begin
    return begin


def _find_bare_cuts(table: Table | None, marks: Sequence[int], stop: int) -> list[int]:
    """Return where cells begin that no delimiter parts from the one before."""
    if table is None or not table.n_records:
        return []
    rows = int(np.searchsorted(table.record_starts, stop)) if table.record_starts.size else 0
    found: list[int] = []
    known = np.array(marks, np.int64)
    for row in range(min(rows, table.n_records)):
        begins = table.starts[row]
        there = np.sort(begins[(begins != MISSING) & (begins < stop)])
        ends = np.sort(table.ends[row][(begins != MISSING) & (begins < stop)])
        after = np.append(known, stop).take(np.searchsorted(known, ends[:-1]))
        found += there[1:][after >= there[1:]].tolist()
    return found
