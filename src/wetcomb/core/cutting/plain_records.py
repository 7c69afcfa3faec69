"""The short way through a chunk in which nothing is odd.

Most chunks of a long export are of one kind: every record is a line with all its fields, a
quoted field has its marks right at its edges, and what other marks there are stand in pairs
inside it. Such a chunk is cut from the places of its special bytes in a few passes. What comes
back is what `reading` makes of the same bytes, or None: a chunk that holds anything else
(spacing beside a cut, a blank line, a form feed, a field too few, a mark or a line end that
needs a second look) is not cut here at all. Both are proved alike.
"""

from __future__ import annotations

import numpy as np

from wetcomb.core.arrays import Bools, Bytes, Ints
from wetcomb.core.cutting.layout import may_be_rule
from wetcomb.core.cutting.ragged import Ragged
from wetcomb.core.cutting.specials import LF, CutRules

__all__ = ["can_be_plain", "cut_plain_records"]

_BREAKS = b"\r\f"


def can_be_plain(rules: CutRules) -> bool:
    """Return whether chunks may be cut the short way: one delimiter and one mark, of a byte each."""
    return (
        rules.ends_at_lines
        and not (rules.blanks or rules.cut_runs_once or rules.lines_part)
        and rules.quote_ends == "mark"
        and len(rules.delimiters) == 1
        and len(rules.delimiters[0]) == 1
        and rules.delimiters[0] != b" "
        and len(rules.marks) <= 1
        and all(len(opens) == 1 and opens == closes for opens, closes in rules.pairs)
    )


def cut_plain_records(
    data: Bytes, rules: CutRules, n_fields: int, *, is_last: bool
) -> Ragged | None:
    """Return all lines of a chunk that begins at one, as records; None if there are none, or odd ones.

    Parameters
    ----------
    n_fields : columns of the table; where there is but one, every line needs a second look
    """
    raw = data.tobytes()
    if n_fields < 2 or any(byte in raw for byte in _BREAKS):
        return None
    mark = rules.marks[0] if rules.marks and rules.marks[0] in raw else b""
    cuts, is_line, marks, has_break = _find_cuts(data, rules.delimiters[0][0], mark)
    lines = np.flatnonzero(is_line)
    n_cuts = lines.size * n_fields
    if not n_cuts or (lines != np.arange(n_fields - 1, n_cuts, n_fields)).any():
        return None
    ends = cuts[:n_cuts]
    used = int(ends[-1]) + 1
    if has_break or (is_last and used < data.size):
        return None
    starts = np.zeros_like(ends)
    np.add(ends[:-1], 1, out=starts[1:])
    firsts, lasts = data.take(starts), data.take(ends - 1, mode="clip")
    if _has_spacing(firsts, lasts, rules.delimiters[0]):
        return None
    if may_be_rule(firsts[::n_fields], rules.delimiters[0]):
        return None
    stops = ends[n_fields - 1 :: n_fields] + 1
    offsets = np.arange(0, n_cuts + 1, n_fields)
    bare = Ragged(starts, ends, starts, ends, np.zeros(n_cuts, np.bool_), offsets, stops)
    ragged: Ragged | None = bare
    if mark:
        quoted = np.flatnonzero(firsts == mark[0])
        if (lasts.take(quoted) != mark[0]).any():
            return None
        ragged = _take_off_marks(bare, quoted, marks[: np.searchsorted(marks, used)])
    return None if ragged is None or _has_empty_record(ragged, n_fields) else ragged


def _find_cuts(data: Bytes, delimiter: int, mark: bytes) -> tuple[Ints, Bools, Ints, bool]:
    """Return the cuts outside quotes, which end a line, the marks, whether a line ends inside quotes.

    A position is inside when an odd number of marks stands before it.
    """
    special = data == delimiter
    special |= data == LF
    if not mark:
        cuts = np.flatnonzero(special)
        return cuts, data.take(cuts) == LF, cuts[:0], False
    special |= data == mark[0]
    places = np.flatnonzero(special)
    kinds = data.take(places)
    is_mark = kinds == mark[0]
    inside = np.bitwise_xor.accumulate(is_mark.view(np.uint8)).view(np.bool_)
    is_line = kinds == LF
    cutting = np.flatnonzero(~(inside | is_mark))
    marks = places.take(np.flatnonzero(is_mark))
    return places.take(cutting), is_line.take(cutting), marks, bool((inside & is_line).any())


def _has_spacing(firsts: Bytes, lasts: Bytes, delimiter: bytes) -> bool:
    """Whether a field begins or ends with spacing; an empty one "begins" with the cut behind it."""
    return any(
        (firsts == byte).any() or (lasts == byte).any() for byte in b" \t" if byte != delimiter[0]
    )


def _take_off_marks(ragged: Ragged, quoted: Ints, marks: Ints) -> Ragged | None:
    """Return records without the marks of their quoted fields; None if a mark has no such part."""
    opens, closes = ragged.starts.take(quoted), ragged.ends.take(quoted) - 1
    n_inner = marks.size - 2 * quoted.size
    if n_inner and not quoted.size:
        return None
    if n_inner:
        owners = np.searchsorted(opens, marks, "right") - 1
        inner = np.flatnonzero((marks > opens.take(owners)) & (marks < closes.take(owners)))
        marks, owners = marks.take(inner), owners.take(inner)
        if inner.size < n_inner or (marks[1::2] != marks[::2] + 1).any():
            return None
        ragged.doubled[quoted.take(owners)] = True
    starts, ends = ragged.starts.copy(), ragged.ends.copy()
    starts[quoted] += 1
    ends[quoted] -= 1
    return Ragged(
        starts, ends, ragged.starts, ragged.ends, ragged.doubled, ragged.offsets, ragged.stops
    )


def _has_empty_record(ragged: Ragged, n_fields: int) -> bool:
    """Whether some record holds no value at all."""
    sizes = (ragged.ends - ragged.starts).reshape(-1, n_fields)
    return not sizes[np.flatnonzero(sizes[:, 0] == 0)].any(axis=1).all()
