"""The proof of a cut: from the text and the spans alone, one check a gap.

Nothing the cutting says of itself is believed. The records and the dropped lines must
tile the chunk without a gap or an overlap; within a record, what stands between two
fields must *be* a delimiter, what stands between a field and its value must *be* quote
marks and spacing, what stands behind a record must *be* a line end. Only what passes is
counted, in characters. The checks know nothing of chunks, parity or the scanner.
"""

from __future__ import annotations

import re

import numpy as np

from wetcomb.core.arrays import (
    Bools,
    Bytes,
    Ints,
    index_spans,
    is_any_of,
    is_blank,
    measure_runs,
    skip_runs,
)
from wetcomb.core.errors import BrokenPromise
from wetcomb.core.ledger import LINE_DROPS, Charge, Ledger
from wetcomb.core.ragged import LineDrops, Ragged
from wetcomb.core.specials import CutRules
from wetcomb.core.text import Text, count_characters

__all__ = ["list_inner_charges", "prove_cut"]

LF, CR, FF = 0x0A, 0x0D, 0x0C


def prove_cut(
    text: Text, used: int, ragged: Ragged, drops: LineDrops, rules: CutRules
) -> tuple[Ledger, list[Charge]]:
    """Return what became of each of the first `used` bytes of a text, and every dropped span.

    Raises
    ------
    BrokenPromise : a byte has no home or two, or was charged as what it is not
    """
    if not drops.starts.size and _is_parted_by_bytes(text.data, used, ragged, rules):
        return _prove_bytes(text, used, ragged, rules)
    _check_tiling(used, ragged, drops)
    charges = []
    for code in np.flatnonzero(np.bincount(drops.reasons)):
        mine = drops.reasons == code
        charges.append(Charge(LINE_DROPS[code], drops.starts[mine], drops.ends[mine]))
    charges += _find_gaps(text, ragged, rules)
    charges += _find_edges(text, ragged, rules)
    doubled = _find_doubled(text, ragged, rules)
    return _close(text, used, ragged, rules, charges, doubled)


def _close(
    text: Text,
    used: int,
    ragged: Ragged,
    rules: CutRules,
    charges: list[Charge],
    doubled: list[Charge],
) -> tuple[Ledger, list[Charge]]:
    """Return the ledger of a chunk whose every gap is charged, once it closes."""
    ledger = Ledger(source=count_characters(text.data[:used]))
    if all(
        piece.isascii()
        for piece in (*rules.delimiters, *rules.marks, *rules.closers, rules.record_end)
    ):
        ledger.kept = _count_beside_ascii(ledger.source, used, ragged, text, charges)
    else:
        ledger.kept = text.count(ragged.starts, ragged.ends)
    for charge in charges:
        ledger.dropped[charge.reason] += text.count(charge.starts, charge.ends)
    for charge in doubled:
        ledger.drop_kept(charge.reason, text.count(charge.starts, charge.ends))
    ledger.check_source()
    return ledger, charges + doubled


def _is_parted_by_bytes(data: Bytes, used: int, ragged: Ragged, rules: CutRules) -> bool:
    """Whether the fields tile the chunk, one delimiter or line end of a byte behind each."""
    ends, marks = ragged.outer_ends, rules.marks
    if not (ends.size and rules.ends_at_lines and len(rules.delimiters) == 1 and len(marks) < 2):
        return False
    if any(len(piece) > 1 for piece in (*rules.delimiters, *marks, *rules.closers)):
        return False
    if ragged.outer_starts[0] or ends[-1] + 1 != used:
        return False
    if (ragged.outer_starts[1:] != ends[:-1] + 1).any():
        return False
    lasts = ragged.offsets[1:] - 1
    if not lasts.size or lasts[-1] != ends.size - 1:
        return False
    behind = data.take(ends, mode="clip")
    n_delimiters = np.count_nonzero(behind == rules.delimiters[0][0])
    return bool(
        n_delimiters == ends.size - lasts.size
        and (behind.take(lasts) == LF).all()
        and (ends.take(lasts) + 1 == ragged.stops).all()
    )


def _prove_bytes(
    text: Text, used: int, ragged: Ragged, rules: CutRules
) -> tuple[Ledger, list[Charge]]:
    """Return the same where a byte parts each field from the next: what is left are their edges."""
    is_inner = np.ones(ragged.outer_ends.size, np.bool_)
    is_inner[ragged.offsets[1:] - 1] = False
    parts = ragged.outer_ends.take(np.flatnonzero(is_inner))
    charges = [
        Charge("line-end", ragged.stops - 1, ragged.stops),
        Charge("delimiter", parts, parts + 1),
    ]
    _check_values(ragged)
    charges += _find_edges(text, ragged, rules)
    doubled = _find_doubled(text, ragged, rules)
    return _close(text, used, ragged, rules, charges, doubled)


def list_inner_charges(text: Text, ragged: Ragged, rules: CutRules) -> list[Charge]:
    """Return what stands between and around the fields of some records, by reason.

    Raises
    ------
    BrokenPromise : something is not what fields are parted by or stand in
    """
    charges = _find_gaps(text, ragged, rules) + _find_edges(text, ragged, rules)
    return charges + _find_doubled(text, ragged, rules)


def _count_beside_ascii(
    n_characters: int, used: int, ragged: Ragged, text: Text, charges: list[Charge]
) -> int:
    """Return the characters of all values, where what is dropped inside lines is ASCII.

    The bytes that go on with a character can then stand in values and dropped lines only, so
    they need not be looked up value by value.
    """
    going_on = used - n_characters
    for charge in charges:
        if charge.reason in LINE_DROPS:
            n_bytes = int((charge.ends - charge.starts).sum())
            going_on -= n_bytes - text.count(charge.starts, charge.ends)
    return int((ragged.ends - ragged.starts).sum()) - going_on


def _demand(holds: bool | np.bool_, what: str) -> None:
    if not holds:
        raise BrokenPromise(f"a cut cannot be proved: {what}")


def _check_tiling(used: int, ragged: Ragged, drops: LineDrops) -> None:
    starts = np.concatenate([ragged.record_starts, drops.starts])
    ends = np.concatenate([ragged.stops, drops.ends])
    if drops.starts.size:
        order = np.argsort(starts, kind="stable")
        starts, ends = starts[order], ends[order]
    _demand(bool((np.append(starts, used) == np.append(0, ends)).all()), "records leave a gap")
    _check_values(ragged)


def _check_values(ragged: Ragged) -> None:
    inner = (ragged.outer_starts <= ragged.starts) & (ragged.starts <= ragged.ends)
    inner &= ragged.ends <= ragged.outer_ends
    _demand(bool(inner.all()), "a value reaches beyond its field")


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
    run = b"(?:%s)+" % b"|".join(map(re.escape, rules.delimiters)) if rules.cut_runs_once else b"(?!)"
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
    is_odd = ragged.starts > ragged.outer_starts
    is_odd |= ragged.ends < ragged.outer_ends
    odd = np.flatnonzero(is_odd)
    starts, ends = ragged.starts.take(odd), ragged.ends.take(odd)
    lefts, rights = ragged.outer_starts.take(odd), ragged.outer_ends.take(odd)
    sizes = np.zeros_like(starts)
    tails = np.zeros_like(starts)
    for mark, closer in rules.pairs:
        mine = _stands_at(text.data, starts - len(mark), mark) & (starts - len(mark) >= lefts)
        mine &= _stands_at(text.data, ends, closer) & (ends + len(closer) <= rights)
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
    _demand(np.unique(owners).size == owners.size, "two form feeds before one value")
    all_starts = np.sort(np.concatenate([starts, feeds + 1]))
    all_ends = np.sort(np.concatenate([ends, feeds]))
    real = all_ends > all_starts
    return [
        Charge("spacing", all_starts[real], all_ends[real]),
        Charge("page-mark", feeds, feeds + 1),
    ]


def _stands_at(data: Bytes, positions: Ints, mark: bytes) -> Bools:
    found = (positions >= 0) & (positions + len(mark) <= data.size)
    for ahead, byte in enumerate(mark):
        found &= data.take(positions + ahead, mode="clip") == byte
    return found


def _find_doubled(text: Text, ragged: Ragged, rules: CutRules) -> list[Charge]:
    """Return one mark of each doubled pair; inside such a field all its marks stand in pairs."""
    rows = np.flatnonzero(ragged.doubled)
    charges = []
    for mark, closer in rules.pairs:
        mine = rows[_stands_at(text.data, ragged.starts[rows] - len(mark), mark)]
        positions, cells = index_spans(ragged.starts[mine], ragged.ends[mine])
        at_mark = _stands_at(text.data, positions, mark) | _stands_at(text.data, positions, closer)
        marks, owners = positions[at_mark], cells[at_mark]
        in_pairs = marks.size % 2 == 0 and bool(
            (marks[1::2] == marks[::2] + len(mark)).all() and (owners[1::2] == owners[::2]).all()
        )
        _demand(in_pairs, "a doubled mark without its pair")
        charges.append(Charge("doubled-mark", marks[1::2], marks[1::2] + len(mark)))
    return charges
