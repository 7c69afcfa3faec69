"""Lines that are no record: blank ones, rules, page marks, empty records, the heading again.

They leave the records as whole lines, each charged by its reason and listed in the
ledger. A rule begins with a mark, needs three in a row and a table of more than one column,
so that `---` for "not tested" in a list, or behind an empty first field, is a value.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Sequence

import numpy as np
from msgspec.structs import replace

from wetcomb.core.arrays import Bools, Bytes, Ints, count_before, is_any_of
from wetcomb.core.cutting.ragged import LineDrops, Ragged
from wetcomb.core.cutting.recut import find_quoted, trim
from wetcomb.core.ledger import LINE_DROPS

__all__ = ["drop_lines", "find_heading_again", "is_rule", "may_be_rule", "strip_page_marks"]

_MARKS = b"-=_+|*~:"
_BOX = re.compile("[\u2500-\u257f]+")  # what frames are drawn of
_RUN = re.compile(
    "([-=_~*])\\1\\1|([\u2500\u2501\u2504\u2505\u2508\u2509\u254c\u254d\u2550])\\2|([-=_~*])(?: \\3){11}"
)
_BOX_FIRST, _BOX_SECOND = 0xE2, b"\x94\x95"  # their first bytes in UTF-8
_RULE_MARKS = is_any_of(np.arange(256).astype(np.uint8), _MARKS + bytes([_BOX_FIRST]))
_FORM_FEED, _TAB = 0x0C, 0x09


def drop_lines(
    data: Bytes,
    ragged: Ragged,
    n_fields: int | None,
    heading: Sequence[bytes] = (),
    missing: Collection[bytes] = (),
) -> tuple[Ragged, LineDrops, Bools]:
    """Return the records without the lines that are none, those lines, and which records stay.

    Parameters
    ----------
    n_fields : of a line; where it is one, three dashes are a value
    heading : what it says, field by field
    missing : words that stand for nothing; a line of nothing but these is no rule
    """
    reasons = np.full(ragged.stops.size, -1, np.int64)
    if heading:
        reasons[find_heading_again(data, ragged, heading)] = LINE_DROPS.index("heading-again")
    if n_fields != 1:
        reasons[_find_rules(data, ragged, missing)] = LINE_DROPS.index("rule")
    _mark_empty(data, ragged, reasons)
    stays = reasons < 0
    gone = ~stays
    drops = LineDrops(ragged.record_starts[gone], ragged.stops[gone], reasons[gone])
    return ragged.select(stays), drops, stays


def strip_page_marks(data: Bytes, ragged: Ragged, marks: tuple[bytes, ...]) -> Ragged:
    """Return the records without a form feed before their first value; a lone one is a line of its own."""
    if not (data == _FORM_FEED).any() or not ragged.starts.size:
        return ragged
    firsts = ragged.offsets[:-1]
    filled = count_before(ragged.ends > ragged.starts)
    alone = (filled[ragged.offsets[1:]] - filled[firsts] == 1) & (
        ragged.ends[firsts] - ragged.starts[firsts] == 1
    )
    fed = (ragged.ends[firsts] > ragged.starts[firsts]) & ~alone
    fed &= data.take(ragged.starts[firsts], mode="clip") == _FORM_FEED
    fields = firsts[fed]
    fields = fields[~find_quoted(ragged, data, marks)[fields]]
    starts = ragged.starts.copy()
    starts[fields], _ = trim(data, starts[fields] + 1, ragged.ends[fields])
    return replace(ragged, starts=starts)


def _mark_empty(data: Bytes, ragged: Ragged, reasons: Ints) -> None:
    firsts, lasts = ragged.offsets[:-1], ragged.offsets[1:] - 1
    lengths = ragged.ends[firsts] - ragged.starts[firsts]
    rows = np.flatnonzero(lengths <= 1)
    if not rows.size:
        return
    filled = count_before(ragged.ends > ragged.starts)
    n_filled = filled[lasts[rows] + 1] - filled[firsts[rows]]
    begins = ragged.starts[firsts[rows]]
    is_fed = (lengths[rows] == 1) & (n_filled == 1)
    is_fed &= data.take(begins, mode="clip") == _FORM_FEED
    bare = count_before(ragged.starts == ragged.outer_ends)  # neither a value nor marks
    is_bare = bare[lasts[rows] + 1] - bare[firsts[rows]] == lasts[rows] + 1 - firsts[rows]
    widths = np.concatenate([[0], np.cumsum(ragged.outer_ends - ragged.outer_starts)])
    inner = widths[lasts[rows] + 1] - widths[firsts[rows]]
    is_uncut = ragged.outer_ends[lasts[rows]] - ragged.outer_starts[firsts[rows]] == inner
    reasons[rows[is_fed & is_uncut]] = LINE_DROPS.index("page-mark")
    empty = n_filled == 0
    reasons[rows[empty]] = LINE_DROPS.index("empty-record")
    reasons[rows[empty & is_bare & is_uncut]] = LINE_DROPS.index("blank-line")


def _find_rules(data: Bytes, ragged: Ragged, missing: Collection[bytes]) -> Ints:
    """Return the records that are nothing but rule marks; only likely ones are looked at."""
    firsts, lasts = ragged.offsets[:-1], ragged.offsets[1:] - 1
    if not firsts.size:
        return firsts
    begins = ragged.starts[firsts]
    heads = data.take(begins, mode="clip")
    likely = _RULE_MARKS[heads]
    likely &= (heads != _BOX_FIRST) | is_any_of(data.take(begins + 1, mode="clip"), _BOX_SECOND)
    rows = np.flatnonzero(likely)
    ends = ragged.outer_ends[lasts[rows]]
    spans = zip(ragged.record_starts[rows].tolist(), ends.tolist(), strict=True)
    found = [is_rule(data[start:end].tobytes()) for start, end in spans]
    rows = rows[np.array(found, np.bool_)]
    is_value = [_holds_values(data, ragged, row, missing) for row in rows.tolist()]
    return rows[~np.array(is_value, np.bool_)]


def _holds_values(data: Bytes, ragged: Ragged, row: int, missing: Collection[bytes]) -> bool:
    """Return whether a record of rule marks says that cells are missing, or has empty ones between tabs."""
    begin, stop = ragged.offsets[row : row + 2].tolist()
    words = {data[ragged.starts[at] : ragged.ends[at]].tobytes() for at in range(begin, stop)}
    if missing and words <= {*missing}:
        return True
    return b"" in words and any(
        data[ragged.outer_ends[at] : ragged.outer_starts[at + 1]].tobytes().startswith(b"\t")
        for at in range(begin, stop - 1)
    )


def may_be_rule(firsts: Bytes, delimiter: bytes) -> bool:
    """Return whether a record of several fields that begins with one of some bytes may be a rule."""
    return delimiter in _MARKS + b"\t" and bool(_RULE_MARKS[firsts].any())


def is_rule(line: bytes) -> bool:
    """Return whether a line is nothing but rule marks and spacing, three of one in a row, two if drawn.

    Twelve of one with a blank between each are a rule, too.
    """
    left = line.translate(None, _MARKS + b" \t")
    if left and (left[0] != _BOX_FIRST or _BOX.fullmatch(left.decode("utf-8", "replace")) is None):
        return False
    return _RUN.search(line.decode("utf-8", "replace")) is not None


def find_heading_again(data: Bytes, ragged: Ragged, heading: Sequence[bytes]) -> Ints:
    """Return the records whose every piece equals the heading's, spacing at its edges aside."""
    firsts = ragged.offsets[:-1]
    rows = np.flatnonzero(ragged.ends[firsts] - ragged.starts[firsts] == len(heading[0]))
    rows = rows[ragged.counts[rows] == len(heading)]
    for place, name in enumerate(heading):
        fields = ragged.offsets[rows] + place
        rows = rows[ragged.ends[fields] - ragged.starts[fields] == len(name)]
        if len(name) and rows.size:
            fields = ragged.offsets[rows] + place
            rows = rows[data[ragged.starts[fields]] == name[0]]
    same = [
        all(
            data[ragged.starts[field] : ragged.ends[field]].tobytes() == name
            for field, name in enumerate(heading, ragged.offsets[row])
        )
        for row in rows
    ]
    return rows[np.array(same, np.bool_)]
