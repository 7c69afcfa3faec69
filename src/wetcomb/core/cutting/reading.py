"""Cut a chunk into records, in NumPy wherever the quote marks can be proved clean.

The idea: read from outside quotes, every clean mark opens, closes or is doubled, so a
mark's role is the parity of the marks before it, and a position is inside quotes when
an odd number of marks stands before it. That reading is right exactly as long as every
mark agrees with its role: an opening one stands at a field's start or is the second of
a doubled pair, a closing one at a field's end or is the first of a pair. Where a mark
disagrees, its record goes through the exact scanner, and the reading goes on after it,
with the parity that holds there. (Marks in lines that open no quotes at all, as in `5"`,
are set aside first.) There are only two parities, so the records that will
need the scanner are found once for each, and the loop below visits just those.
"""

from __future__ import annotations

from bisect import bisect_left
from functools import cached_property

import numpy as np

from wetcomb.core.arrays import Bools, Ints, count_before
from wetcomb.core.cutting.ragged import Ragged
from wetcomb.core.cutting.records import OddPlaces
from wetcomb.core.cutting.scanned import Cut, assemble_scanned, interleave
from wetcomb.core.cutting.scanner import Record, Scanner
from wetcomb.core.cutting.specials import CutRules, Specials

__all__ = ["cut_records"]


def cut_records(
    specials: Specials, rules: CutRules, start: int, n_fields: int | None, scanner: Scanner
) -> Cut:
    """Return all whole records from `start` on.

    Parameters
    ----------
    start : where the first record begins
    n_fields : columns of the table, to tell marks that never close; None if not known
    """
    if start == specials.data.size:
        return Cut(assemble_scanned([]).ragged, OddPlaces.join([]), start)
    quotes = _Quotes(specials, rules, start, n_fields)
    if quotes.n_marks and quotes.first_doubtful.size:
        quotes = _set_aside(quotes)
    scanned: list[tuple[int, Record]] = []
    first = int(np.searchsorted(specials.cut_starts, start))
    if quotes.n_marks:
        inside, used = _settle_quotes(quotes, scanner, scanned)
        last = int(np.searchsorted(specials.cut_ends, used, "right"))
        whole = np.flatnonzero(~inside[first:last])
        whole += first
    else:
        used = quotes.line_end_before_tail(0)
        whole = np.arange(first, int(np.searchsorted(specials.cut_ends, used, "right")))
    cut = _assemble(quotes, whole, scanned, used)
    return Cut(cut.ragged, cut.odd, max(used, start))


class _Quotes:
    """The marks of a chunk and the roles they could play."""

    def __init__(
        self,
        specials: Specials,
        rules: CutRules,
        start: int,
        n_fields: int | None,
        idle: tuple[Bools, Ints] | None = None,
    ) -> None:
        self.specials, self.rules = specials, rules
        self.start, self.n_fields = start, n_fields
        first = int(np.searchsorted(specials.mark_starts, start))
        marks: slice | Ints = slice(first, None)
        if idle is not None:
            marks = first + np.flatnonzero(~idle[0])
        self.mark_starts = specials.mark_starts[marks]
        self.mark_ends = specials.mark_ends[marks]
        self.mark_kinds = specials.mark_kinds[marks]
        self.idle_lines = np.zeros(0, np.int64) if idle is None else idle[1]
        self.n_marks = self.mark_starts.size
        line_starts = specials.cut_starts.take(specials.line_cuts)
        later = slice(int(np.searchsorted(line_starts, start)), None)
        self.lines, self.line_starts = specials.line_cuts[later], line_starts[later]
        self.line_ends = specials.cut_ends.take(self.lines)

    @cached_property
    def next_cuts(self) -> Ints:
        """The first cut behind each mark, as a place in `cut_starts`."""
        return np.searchsorted(self.specials.cut_starts, self.mark_starts)

    @cached_property
    def marks_before(self) -> Ints:
        """How many marks stand before each cut."""
        counts = np.bincount(self.next_cuts, minlength=self.specials.cut_starts.size)
        return np.cumsum(counts[: self.specials.cut_starts.size])

    @cached_property
    def first_doubtful(self) -> Ints:
        """The starts of the records for the exact scanner, read from outside quotes."""
        return self.find_doubtful(0)

    @cached_property
    def at_start(self) -> Bools:
        """Marks with nothing but spacing between them and the cut before."""
        before = _look_up(self.specials.cut_ends, self.next_cuts - 1, self.start)
        before = np.maximum(before, self.start)
        return np.maximum(self.specials.skip_blanks_back(self.mark_starts), before) == before

    @cached_property
    def at_end(self) -> Bools:
        """Marks with nothing but spacing between them and the cut after."""
        beyond = self.specials.data.size + 1
        after = _look_up(self.specials.cut_starts, self.next_cuts, beyond)
        return np.minimum(self.specials.skip_blanks(self.mark_ends), after) == after

    @cached_property
    def touches_next(self) -> Bools:
        """Marks that the next one, of the same kind, follows at once."""
        touching = np.zeros(self.n_marks, np.bool_)
        touching[:-1] = self.mark_ends[:-1] == self.mark_starts[1:]
        touching[:-1] &= self.mark_kinds[:-1] == self.mark_kinds[1:]
        return touching

    @cached_property
    def touches_last(self) -> Bools:
        """Marks that follow one of the same kind at once."""
        return np.append(False, self.touches_next[:-1])

    @cached_property
    def line_parities(self) -> Ints:
        """The parity of the marks before each line end."""
        return self.marks_before[self.lines] & 1 if self.n_marks else np.zeros_like(self.lines)

    def line_end_before_tail(self, parity: int) -> int:
        """Return where the last whole record ends, when marks of this parity open."""
        outside = self.line_ends[self.line_parities == parity]
        return int(outside[-1]) if outside.size else self.start

    def find_doubtful(self, parity: int) -> Ints:
        """Return the starts of the records for the exact scanner, when marks of `parity` open."""
        roles = (np.arange(self.n_marks) & 1) == parity
        good = np.where(roles, self.at_start | self.touches_last, self.at_end | self.touches_next)
        outside = np.flatnonzero(self.line_parities == parity)
        starts = np.concatenate([[self.start], self.line_ends[outside]])
        doubtful = np.zeros(starts.size, np.bool_)
        doubtful[self._find_records(starts, np.flatnonzero(~good))] = True
        idle = np.searchsorted(starts, self.idle_lines, "right") - 1
        doubtful[idle[starts[idle] != self.idle_lines]] = True
        self._doubt_long_cells(doubtful, outside)
        if len(self.rules.marks) > 1:  # which kind is open is not a matter of parity
            doubtful[self._find_records(starts, np.arange(self.n_marks))] = True
        elif self.rules.quote_ends == "delimiter":
            self._doubt_other_ends(doubtful, starts, outside, parity)
        return starts[doubtful]

    def _doubt_long_cells(self, doubtful: Bools, outside: Ints) -> None:
        """Doubt records of several lines that are too long or whose lines look like records."""
        last_lines = np.append(outside, self.lines.size)
        first_lines = np.append(0, outside + 1)
        n_breaks = last_lines - first_lines
        several = np.flatnonzero(n_breaks > 0)
        if not several.size:
            return
        doubtful[several[n_breaks[several] > self.rules.quote_lines]] = True
        if self.specials.is_last and n_breaks[-1] > 0:
            doubtful[-1] = True  # the text ends inside quotes
        if self.n_fields is not None and self.n_fields > 1:
            cuts = np.diff(
                self.lines, prepend=np.searchsorted(self.specials.cut_starts, self.start) - 1
            )
            too_few = count_before(cuts < self.n_fields)
            ends = np.minimum(last_lines + 1, self.lines.size)
            none_too_few = too_few[ends[several]] == too_few[first_lines[several]]
            doubtful[several[none_too_few]] = True

    def _find_records(self, starts: Ints, marks: Ints) -> Ints:
        """Return the records that marks stand in."""
        return np.searchsorted(starts, self.mark_starts[marks], "right") - 1

    def _doubt_other_ends(self, doubtful: Bools, starts: Ints, outside: Ints, parity: int) -> None:
        """Doubt records whose marks are doubled, or that have a wrong number of fields."""
        records = self._find_records(starts, np.arange(self.n_marks))
        doubtful[records[self.touches_next]] = True
        cuts_before = count_before((self.marks_before & 1) == parity)
        first_cut = np.searchsorted(self.specials.cut_starts, self.start)
        counts = np.diff(cuts_before[np.concatenate([[first_cut], self.lines[outside] + 1])])
        is_wrong = np.append(counts != self.n_fields, True)
        doubtful[records[is_wrong[records]]] = True


def _set_aside(quotes: _Quotes) -> _Quotes:
    """Leave out the marks of lines that open no quotes and are read from outside: they are text.

    Without this every `5"` in a list would send its record to the scanner. Which lines are
    read from outside is estimated here, line by line: a line without an opening mark leaves
    the reading outside, whatever its marks. The estimate need not be right: an idle line
    that turns out to lie inside quotes makes its record doubtful.
    """
    if not quotes.n_marks:
        return quotes
    lines = np.searchsorted(quotes.line_starts, quotes.mark_starts)
    n_lines = quotes.lines.size + 1
    counts = np.bincount(lines, minlength=n_lines)
    bare = (counts > 0) & (np.bincount(lines[quotes.at_start], minlength=n_lines) == 0)
    if not bare.any():
        return quotes
    odd = counts & 1
    before = np.cumsum(odd) - odd
    resets = np.maximum.accumulate(np.where(bare & (odd == 1), np.arange(n_lines), -1))
    resets = np.append(-1, resets[:-1])
    bases = np.where(resets >= 0, before[resets] + odd[resets], 0)
    is_idle = bare & ((before - bases) & 1 == 0)
    starts = np.append(quotes.start, quotes.line_ends)
    return _Quotes(
        quotes.specials,
        quotes.rules,
        quotes.start,
        quotes.n_fields,
        (is_idle[lines], starts[is_idle]),
    )


def _look_up(values: Ints, places: Ints, default: int) -> Ints:
    """Return the values at some places, the default where a place is outside."""
    if not values.size:
        return np.full(places.size, default, np.int64)
    found = values.take(places, mode="clip")
    found[(places < 0) | (places >= values.size)] = default
    return found


def _settle_quotes(
    quotes: _Quotes, scanner: Scanner, scanned: list[tuple[int, Record]]
) -> tuple[Bools, int]:
    """Return which cuts are inside quotes or scanned records, and how far the records are whole.

    Adds the records that the exact scanner had to read to `scanned`.
    """
    inside = (quotes.marks_before & 1) == 1
    first = quotes.first_doubtful
    if not first.size:
        return inside, quotes.line_end_before_tail(0)
    doubtful = {0: first.tolist()}
    marks = quotes.mark_starts.tolist()
    position = quotes.start
    while position < quotes.specials.data.size:
        parity = bisect_left(marks, position) & 1
        if parity not in doubtful:
            doubtful[parity] = quotes.find_doubtful(parity).tolist()
        later = bisect_left(doubtful[parity], position)
        is_clean = later == len(doubtful[parity])
        stop = quotes.specials.data.size + 1 if is_clean else doubtful[parity][later]
        if parity and stop > position:
            clean = slice(*scanner.find_cuts(position, stop))
            inside[clean] = ~inside[clean]
        if is_clean:
            return inside, max(position, quotes.line_end_before_tail(parity))
        record = scanner.read_record(stop, quotes.n_fields)
        if record is None:
            return inside, stop
        scanned.append((stop, record))
        inside[slice(*scanner.find_cuts(stop, record.stop))] = True
        position = record.stop
    return inside, position


def _assemble(quotes: _Quotes, whole: Ints, scanned: list[tuple[int, Record]], used: int) -> Cut:
    """Return the fields between the cuts that count, the scanned records put in their places."""
    specials = quotes.specials
    outer_ends = specials.cut_starts.take(whole)
    outer_starts = np.empty_like(outer_ends)
    outer_starts[:1] = quotes.start
    outer_starts[1:] = specials.cut_ends.take(whole[:-1])
    resumes = np.array([record.stop for _, record in scanned], np.int64)
    after = np.searchsorted(outer_ends, resumes)
    after_starts = resumes[after < whole.size]
    outer_starts[after[after < whole.size]] = after_starts
    starts, ends, doubled = _find_values(quotes, outer_starts, outer_ends, scanned, used)
    lasts = np.flatnonzero(specials.is_line.take(whole))
    clean = Ragged(
        starts,
        ends,
        outer_starts,
        outer_ends,
        doubled,
        np.append(0, lasts + 1),
        specials.cut_ends.take(whole.take(lasts)),
    )
    if not scanned:
        return Cut(clean, OddPlaces.join([]), used)
    odd = assemble_scanned([record for _, record in scanned])
    return interleave(clean, odd, used)


def _find_values(
    quotes: _Quotes,
    outer_starts: Ints,
    outer_ends: Ints,
    scanned: list[tuple[int, Record]],
    used: int,
) -> tuple[Ints, Ints, Bools]:
    """Return the value spans of clean fields: between their marks, or trimmed of spacing."""
    specials = quotes.specials
    starts = specials.skip_blanks(outer_starts)
    starts = starts.copy() if starts is outer_starts else np.minimum(starts, outer_ends)
    ends = specials.skip_blanks_back(outer_ends)
    ends = ends.copy() if ends is outer_ends else np.maximum(ends, starts)
    doubled = np.zeros(starts.size, np.bool_)
    if not quotes.n_marks or not starts.size:
        return starts, ends, doubled
    opens, is_clean = _find_roles(quotes, scanned, used)
    opening = np.flatnonzero(is_clean & opens & ~quotes.touches_last)
    opening = opening[quotes.at_start[opening]]
    closing = np.flatnonzero(is_clean & ~opens & quotes.at_end & ~quotes.touches_next)
    fields = np.searchsorted(outer_starts, quotes.mark_starts[opening], "right") - 1
    starts[fields] = quotes.mark_ends[opening]
    ends[fields] = quotes.mark_starts[closing]
    doubled[fields] = closing - opening > 1
    return starts, ends, doubled


def _find_roles(
    quotes: _Quotes, scanned: list[tuple[int, Record]], used: int
) -> tuple[Bools, Bools]:
    """Return which marks open, and which stand in whole records that were not scanned."""
    is_clean = quotes.mark_starts < used
    opens = (np.arange(quotes.n_marks) & 1) == 0
    if scanned:
        spans = np.array([(start, record.stop) for start, record in scanned], np.int64)
        firsts, lasts = np.searchsorted(quotes.mark_starts, spans.T)
        latest = np.searchsorted(lasts, np.arange(quotes.n_marks), "right")
        opens ^= (np.append(0, lasts)[latest] & 1) == 1
        covered = np.searchsorted(firsts, np.arange(quotes.n_marks), "right") > latest
        is_clean &= ~covered
    return opens, is_clean
