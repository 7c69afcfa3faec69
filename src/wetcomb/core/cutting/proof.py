"""What stands between and around fields, proved from the text and the spans alone.

Nothing the cutting says of itself is believed: what stands between two fields must *be* a
delimiter, what stands between a field and its value must *be* quote marks and spacing, what
stands behind a record must *be* a line end. That fields and dropped lines leave no gap and never
overlap is proved where the book is closed (`core.bookkeeping`). The checks know nothing of
chunks, parity or the scanner.
"""

from __future__ import annotations

import re

import numpy as np

from wetcomb.core.arrays import (
    Bytes,
    Ints,
    index_spans,
    is_any_of,
    is_blank,
    measure_runs,
    skip_runs,
    sort_unique,
    stands_at,
)
from wetcomb.core.cutting.ragged import LineDrops, Ragged
from wetcomb.core.cutting.specials import CutRules
from wetcomb.core.errors import BrokenPromise
from wetcomb.core.ledger import LINE_DROPS, Charge
from wetcomb.core.text import Text

__all__ = ["prove_cut"]

LF, CR, FF = 0x0A, 0x0D, 0x0C


def prove_cut(text: Text, ragged: Ragged, drops: LineDrops, rules: CutRules) -> list[Charge]:
    """Return every span of a text that is in no field's value, by what it is.

    Raises
    ------
    BrokenPromise : it is not what fields are parted by or stand in
    """
    try:
        gaps = _find_byte_gaps(text.data, ragged, rules)
        charges = _find_gaps(text, ragged, rules) if gaps is None else gaps
        charges += _find_edges(text, ragged, rules)
        charges += _find_doubled(text, ragged, rules)
    except IndexError as error:
        raise BrokenPromise("a cut cannot be proved: a field lies outside the text") from error
    for code in np.flatnonzero(np.bincount(drops.reasons)).tolist():
        mine = drops.reasons == code
        charges.append(Charge(LINE_DROPS[code], drops.starts[mine], drops.ends[mine]))
    return charges


def _find_byte_gaps(data: Bytes, ragged: Ragged, rules: CutRules) -> list[Charge] | None:
    """Return the same where one byte stands behind each field; None where that is not so."""
    if not (rules.ends_at_lines and len(rules.delimiters) == 1 and ragged.outer_ends.size):
        return None
    if len(rules.delimiters[0]) > 1 or rules.blanks or rules.lines_part:
        return None
    starts, ends = ragged.outer_starts, ragged.outer_ends
    if (starts[1:] - ends[:-1] != 1).any():
        return None
    lines, parts = _part_ends(ragged)
    if (ragged.stops - lines != 1).any() or (data.take(lines, mode="clip") != LF).any():
        return None
    if (data.take(parts, mode="clip") != rules.delimiters[0][0]).any():
        return None
    return [Charge("line-end", lines, ragged.stops), Charge("delimiter", parts, parts + 1)]


def _part_ends(ragged: Ragged) -> tuple[Ints, Ints]:
    """Return where the last field of each record ends, and where the others do."""
    ends, n_records = ragged.outer_ends, ragged.stops.size
    width = ends.size // n_records
    if ends.size == width * n_records and (ragged.counts == width).all():
        grid = ends.reshape(n_records, width)
        return grid[:, -1], grid[:, :-1].ravel()
    is_inner = np.ones(ends.size, np.bool_)
    is_inner[ragged.offsets[1:] - 1] = False
    return ends.take(ragged.offsets[1:] - 1), ends[is_inner]


def _demand(holds: bool | np.bool_, what: str) -> None:
    if not holds:
        raise BrokenPromise(f"a cut cannot be proved: {what}")


def _find_gaps(text: Text, ragged: Ragged, rules: CutRules) -> list[Charge]:
    """Return what stands behind each field: a delimiter, or behind a record's last a line end."""
    lasts = ragged.offsets[1:] - 1
    is_inner = np.ones(ragged.starts.size, np.bool_)
    is_inner[lasts] = False
    line_starts, line_ends = ragged.outer_ends.take(lasts), ragged.stops
    if rules.ends_at_lines:
        ends_so = _are_line_ends(text, line_starts, line_ends)
    else:
        ends_so = _are_record_ends(text, line_starts, line_ends, rules)
    _demand(ends_so, "a record does not end where records end")
    inner = np.flatnonzero(is_inner)
    starts, ends = ragged.outer_ends.take(inner), ragged.outer_starts.take(inner + 1)
    parted = ends > starts  # edges, changes of kind and patterns cut without taking anything
    if not parted.all():
        starts, ends = starts[parted], ends[parted]
    charges = [Charge("line-end" if not rules.record_end else "record-end", line_starts, line_ends)]
    if rules.lines_part:
        is_line = is_any_of(text.data.take(starts, mode="clip"), b"\n\r")
        _demand(
            _are_line_ends(text, starts[is_line], ends[is_line]), "fields parted by no line end"
        )
        charges.append(Charge("line-end", starts[is_line], ends[is_line]))
        starts, ends = starts[~is_line], ends[~is_line]
    _demand(_are_delimiters(text.data, starts, ends, rules), "fields parted by no delimiter")
    return [*charges, Charge("delimiter", starts, ends)]


def _are_record_ends(text: Text, starts: Ints, ends: Ints, rules: CutRules) -> bool:
    """Return whether each of these is the text that ends records with line ends around it."""
    spacing = b"[" + re.escape(rules.spacing) + b"]*"
    line_end = rb"(?:\r\n|[\r\n])"
    if rules.record_end:
        known = spacing + re.escape(rules.record_end) + spacing
    else:
        known = b"(?:" + spacing + line_end + b"){2,}" + spacing
    met = re.compile(known).fullmatch
    bare = re.compile(spacing).fullmatch
    return all(
        met(text.data[a:b].tobytes())
        or ((b == text.body_size or a == 0) and bare(text.data[a:b].tobytes()))
        for a, b in zip(starts.tolist(), ends.tolist(), strict=True)
    )


def _are_line_ends(text: Text, starts: Ints, ends: Ints) -> bool:
    data, lengths = text.data, ends - starts
    if (lengths == 1).all():
        return bool(is_any_of(data[starts], b"\n\r").all())
    one, two = starts[lengths == 1], starts[lengths == 2]
    bare = starts[lengths == 0]
    is_one = (data[one] == LF) | (data[one] == CR)
    is_two = (data[two] == CR) & (data[two + 1] == LF)
    is_bare = bare == text.body_size  # the text may end without one
    return bool(
        is_one.all()
        and is_two.all()
        and is_bare.all()
        and (lengths >= 0).all()
        and (lengths < 3).all()
    )


def _are_delimiters(data: Bytes, starts: Ints, ends: Ints, rules: CutRules) -> bool:
    lengths = ends - starts
    for delimiter in rules.delimiters:
        is_this = lengths == len(delimiter)
        for ahead, byte in enumerate(delimiter):
            is_this &= data.take(starts + ahead, mode="clip") == byte
        if is_this.all():
            return True
        starts, ends, lengths = starts[~is_this], ends[~is_this], lengths[~is_this]
    if not starts.size:
        return True
    run = (
        b"(?:%s)+" % b"|".join(map(re.escape, rules.delimiters)) if rules.cut_runs_once else b"(?!)"
    )
    blanks = {"space": rb"[ \t]* [ \t]*", "gap": rb"[ \t]{2,}|\t", "": b"(?!)"}[rules.blanks]
    if rules.blanks and not rules.delimiters:
        return _are_blank_cuts(data, starts, ends, rules.blanks)
    known = re.compile(b"(?:%s)|(?:%s)" % (run, blanks)).fullmatch
    return all(known(data[a:b].tobytes()) for a, b in zip(starts, ends, strict=True))


def _are_blank_cuts(data: Bytes, starts: Ints, ends: Ints, blanks: str) -> bool:
    positions, cuts = index_spans(starts, ends)
    cutting = data[positions] == (0x20 if blanks == "space" else 0x09)
    has_cutting = np.bincount(cuts[cutting], minlength=starts.size) > 0
    if blanks == "gap":
        has_cutting |= ends - starts >= 2
    return bool(is_blank(data[positions]).all() and has_cutting.all())


def _find_edges(text: Text, ragged: Ragged, rules: CutRules) -> list[Charge]:
    """Return what stands between a field's outer edges and its value: marks and spacing."""
    is_odd = ragged.starts != ragged.outer_starts
    is_odd |= ragged.ends != ragged.outer_ends
    odd = np.flatnonzero(is_odd)
    starts, ends = ragged.starts.take(odd), ragged.ends.take(odd)
    lefts, rights = ragged.outer_starts.take(odd), ragged.outer_ends.take(odd)
    sizes = np.zeros_like(starts)
    tails = np.zeros_like(starts)
    for mark, closer in rules.pairs:
        mine = stands_at(text.data, starts - len(mark), mark) & (starts - len(mark) >= lefts)
        mine &= stands_at(text.data, ends, closer) & (ends + len(closer) <= rights)
        mine &= sizes == 0
        sizes[mine], tails[mine] = len(mark), len(closer)
    marked = sizes > 0
    opening = Charge("quote-mark", (starts - sizes)[marked], starts[marked])
    closing = Charge("quote-mark", ends[marked], (ends + tails)[marked])
    begins = np.concatenate([lefts, ends + tails])
    stops = np.concatenate([starts - sizes, rights])
    return [opening, closing, *_find_spacing(text.data, begins, stops, rules)]


def _find_spacing(data: Bytes, starts: Ints, ends: Ints, rules: CutRules) -> list[Charge]:
    """Return spans that hold nothing but spacing, form feeds apart."""
    real = ends > starts
    starts, ends = starts[real], ends[real]
    if not starts.size:
        return []
    is_spacing = is_blank(data)
    if not rules.ends_at_lines:
        is_spacing |= is_any_of(data, b"\n\r")
    feeds = np.flatnonzero(data == FF)
    is_spacing[feeds] = True
    reached = skip_runs(measure_runs(is_spacing), starts, ends)
    _demand(bool((reached == ends).all()), "more than spacing around a field")
    owners = np.searchsorted(np.sort(starts), feeds, "right") - 1 if feeds.size else feeds
    if feeds.size:
        order = np.argsort(starts, kind="stable")
        starts, ends = starts[order], ends[order]
        inside = (owners >= 0) & (feeds < ends.take(owners, mode="clip"))
        feeds, owners = feeds[inside], owners[inside]
    return _part_feeds(starts, ends, feeds, owners)


def _part_feeds(starts: Ints, ends: Ints, feeds: Ints, owners: Ints) -> list[Charge]:
    """Return spans of spacing without the form feeds in them, and these by themselves."""
    if not feeds.size:
        return [Charge("spacing", starts, ends)]
    _demand(sort_unique(owners).size == owners.size, "two form feeds before one value")
    all_starts = np.sort(np.concatenate([starts, feeds + 1]))
    all_ends = np.sort(np.concatenate([ends, feeds]))
    real = all_ends > all_starts
    return [
        Charge("spacing", all_starts[real], all_ends[real]),
        Charge("page-mark", feeds, feeds + 1),
    ]


def _find_doubled(text: Text, ragged: Ragged, rules: CutRules) -> list[Charge]:
    """Return one mark of each doubled pair; inside such a field all its marks stand in pairs."""
    rows = np.flatnonzero(ragged.doubled)
    charges = []
    for mark, closers in rules.closing.items():
        mine = rows[stands_at(text.data, ragged.starts[rows] - len(mark), mark)]
        positions, cells = index_spans(ragged.starts[mine], ragged.ends[mine])
        for closer in closers:
            at_mark = stands_at(text.data, positions, closer)
            marks, owners = positions[at_mark], cells[at_mark]
            in_pairs = marks.size % 2 == 0 and bool(
                (marks[1::2] == marks[::2] + len(closer)).all()
                and (owners[1::2] == owners[::2]).all()
            )
            _demand(in_pairs, "a doubled mark without its pair")
            charges.append(Charge("doubled-mark", marks[1::2], marks[1::2] + len(closer)))
    return charges
