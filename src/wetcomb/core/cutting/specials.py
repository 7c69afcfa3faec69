"""Find the few bytes that matter: delimiters, line ends, quote marks.

Everything after this works on positions. Each occurrence is found in the text as
it stands, in or out of quotes; `reading` decides later which of them count. That
is sound because no delimiter may hold a quote mark or a line end, so an occurrence
never straddles the place where a quoted field begins or ends.
"""

from __future__ import annotations

from functools import cached_property

import msgspec
import numpy as np

from wetcomb.core.arrays import (
    LONGEST_RUN,
    Bools,
    Bytes,
    Ints,
    count_before,
    find_text,
    is_among,
    is_any_of,
    is_blank,
    measure_runs,
)

__all__ = ["CutRules", "Specials", "find_specials"]

LF, CR = 0x0A, 0x0D
_TAIL = 4096  # bytes at a chunk's end looked through for spacing that may go on
_STEPS = 3  # most spacing is one or two blanks
_LEAPS = 4  # of up to `LONGEST_RUN` blanks; what is longer is looked up in the list of runs


class CutRules(msgspec.Struct, frozen=True):
    """What cuts a line into fields, in bytes.

    Attributes
    ----------
    delimiters : literal delimiters, each of any length
    blanks : "space" (any run of spacing with a blank in it), "gap" (two or more blanks or
        a tab) or "" (spacing is never a delimiter)
    cut_runs_once : delimiters that touch are one
    marks : what opens a quoted field, each one character; with several closings once for each
    quote_lines : how many line ends a quoted field may hold
    quote_ends : "mark" (the first mark that is not doubled ends a field) or "delimiter"
        (only a mark before a delimiter or a line end does)
    closers : what closes each of `marks`, where that is another character
    record_end : a text that ends a record instead of a line end; the line ends around it, and
        the blanks beside them, go with it
    paragraphs : blank lines end records, line ends do not
    lines_part : line ends part fields, where something else ends records
    """

    delimiters: tuple[bytes, ...] = ()
    blanks: str = ""
    cut_runs_once: bool = False
    marks: tuple[bytes, ...] = (b'"',)
    quote_lines: int = 1000
    quote_ends: str = "mark"
    closers: tuple[bytes, ...] = ()
    record_end: bytes = b""
    paragraphs: bool = False
    lines_part: bool = False

    @property
    def ends_at_lines(self) -> bool:
        """Whether a line end ends a record."""
        return not self.record_end and not self.paragraphs

    @property
    def pairs(self) -> tuple[tuple[bytes, bytes], ...]:
        """Every quote mark with what closes it."""
        return tuple(zip(self.marks, self.closers or self.marks, strict=True))

    @property
    def signs(self) -> tuple[bytes, ...]:
        """Every character that is a quote mark, opening or closing, once."""
        return tuple(dict.fromkeys((*self.marks, *self.closers)))

    @property
    def closing(self) -> dict[bytes, tuple[bytes, ...]]:
        """What closes each mark that opens."""
        return {
            mark: tuple(closer for other, closer in self.pairs if other == mark)
            for mark in dict.fromkeys(self.marks)
        }

    @property
    def spacing(self) -> bytes:
        """What goes with a record's end: line ends, and blanks that part nothing."""
        parting = b"".join(self.delimiters) + (b" \t" if self.blanks else b"")
        return bytes(byte for byte in b"\n\r \t" if byte not in parting)


class Specials(msgspec.Struct, frozen=True, eq=False, dict=True):
    """Where the special bytes of a chunk stand, in order.

    Attributes
    ----------
    data : (N,) uint8
    cut_starts, cut_ends : (K,) int64, delimiters and line ends
    is_line : (K,) bool, which of them are line ends
    mark_starts, mark_ends, mark_kinds : (M,) int64, quote marks; kind is the place in the rules' signs
    is_last : no more text follows this chunk; a text without a line end at its end has an
        empty one put there, so that every record ends with a cut
    """

    data: Bytes
    cut_starts: Ints
    cut_ends: Ints
    is_line: Bools
    mark_starts: Ints
    mark_ends: Ints
    mark_kinds: Ints
    is_last: bool

    @cached_property
    def line_cuts(self) -> Ints:
        """Which cuts are line ends, as places in `cut_starts`."""
        return np.flatnonzero(self.is_line)

    def count_lines(self, position: int) -> int:
        """Return how many lines end at or before a position; the last may have no line end."""
        return int(np.searchsorted(self.cut_ends[self.line_cuts], position, "right"))

    @cached_property
    def blank_runs(self) -> tuple[Ints, Ints]:
        """Start and end of every run of spacing."""
        return _find_runs(is_blank(self.data))

    @cached_property
    def _blank_lengths(self) -> Bytes:
        """How much spacing follows from each position on, up to `LONGEST_RUN`."""
        return measure_runs(is_blank(self.data))

    @cached_property
    def _blank_lengths_back(self) -> Bytes:
        """How much spacing ends with each position, up to `LONGEST_RUN`."""
        return measure_runs(is_blank(self.data)[::-1])[::-1]

    def skip_blanks(self, positions: Ints) -> Ints:
        """Return the first position at or after each that is no spacing."""
        return self._leave_runs(positions, positions, is_forward=True)

    def skip_blanks_back(self, positions: Ints) -> Ints:
        """Return the last position at or before each with no spacing right before it."""
        return self._leave_runs(positions, positions - 1, is_forward=False)

    def _leave_runs(self, positions: Ints, touched: Ints, *, is_forward: bool) -> Ints:
        """Step out of spacing: a few bytes step by step, then run by run."""
        if not self.data.size:
            return positions
        inside = self._find_blank(touched)
        if not inside.size:
            return positions
        moved, step = positions.copy(), 1 if is_forward else -1
        for _ in range(_STEPS):
            moved[inside] += step
            inside = inside[self._find_blank(moved[inside] - (not is_forward))]
            if not inside.size:
                return moved
        lengths = self._blank_lengths if is_forward else self._blank_lengths_back
        for _ in range(_LEAPS):
            steps = lengths.take(moved[inside] - (not is_forward), mode="clip")
            moved[inside] += step * steps.astype(np.int64)
            inside = inside[steps == LONGEST_RUN]
            inside = inside[self._find_blank(moved[inside] - (not is_forward))]
            if not inside.size:
                return moved
        starts, ends = self.blank_runs
        runs = np.searchsorted(starts, moved[inside] - (not is_forward), "right") - 1
        moved[inside] = (ends if is_forward else starts)[runs]
        return moved

    def _find_blank(self, positions: Ints) -> Ints:
        """Return which of these positions are spacing, as places in the list."""
        blank = np.flatnonzero(is_blank(self.data.take(positions, mode="clip")))
        at = positions[blank]
        return blank[(at >= 0) & (at < self.data.size)]


def find_specials(data: Bytes, rules: CutRules, *, is_last: bool) -> Specials:
    """Return the special bytes of a chunk that begins at a record.

    A carriage return at the end of a chunk that is not the last may be half a line end;
    it is left out, so that cutting the input elsewhere never changes a record.
    """
    starts, ends, is_line = _find_cuts(data, rules, is_last=is_last)
    if not is_last and data.size and data[-1] == CR:
        whole = starts < data.size - 1
        starts, ends, is_line = starts[whole], ends[whole], is_line[whole]
    if is_last and data.size and not (is_line.size and is_line[-1] and ends[-1] == data.size):
        starts, ends = np.append(starts, data.size), np.append(ends, data.size)
        is_line = np.append(is_line, True)
    return Specials(data, starts, ends, is_line, *_find_marks(data, rules), is_last)


def _find_cuts(data: Bytes, rules: CutRules, *, is_last: bool) -> tuple[Ints, Ints, Bools]:
    has_returns = bool((data == CR).any())
    if not rules.ends_at_lines:
        return _find_other_ends(data, rules, has_returns=has_returns, is_last=is_last)
    plain = len(rules.delimiters) == 1 and len(rules.delimiters[0]) == 1
    if plain and not rules.blanks and not rules.cut_runs_once and not has_returns:
        delimiter = rules.delimiters[0][0]
        starts = np.flatnonzero((data == delimiter) | (data == LF))
        return starts, starts + 1, data[starts] == LF
    line_starts, line_ends = _find_line_ends(data, has_returns=has_returns)
    starts, ends = _find_delimiters(data, rules)
    all_starts = np.concatenate([starts, line_starts])
    order = np.argsort(all_starts, kind="stable")
    is_line = np.zeros(order.size, np.bool_)
    is_line[starts.size :] = True
    return all_starts[order], np.concatenate([ends, line_ends])[order], is_line[order]


def _find_other_ends(
    data: Bytes, rules: CutRules, *, has_returns: bool, is_last: bool
) -> tuple[Ints, Ints, Bools]:
    """Return the cuts where something else than a line end ends a record."""
    if rules.record_end:
        ends = _find_record_ends(data, rules)
    else:
        ends = _find_paragraph_ends(data, rules, has_returns=has_returns)
    begins, stops = ends
    if not is_last:  # what stands at the chunk's end may go on
        solid = np.flatnonzero(~is_any_of(data[-_TAIL:], rules.spacing))
        tail = data.size - min(_TAIL, data.size) + (int(solid[-1]) + 1 if solid.size else 0)
        whole = stops < tail
        begins, stops = begins[whole], stops[whole]
    elif data.size and not (stops.size and stops[-1] == data.size):
        solid = np.flatnonzero(~is_any_of(data, rules.spacing))
        last = int(solid[-1]) + 1 if solid.size else 0
        begins = np.append(begins, max(last, int(stops[-1]) if stops.size else 0))
        stops = np.append(stops, data.size)
    starts, tails = _find_delimiters(data, rules)
    if rules.lines_part:
        line_starts, line_ends = _find_line_ends(data, has_returns=has_returns)
        starts, tails = np.concatenate([starts, line_starts]), np.concatenate([tails, line_ends])
        order = np.argsort(starts, kind="stable")
        starts, tails = starts[order], tails[order]
    owners = np.searchsorted(begins, starts, "right") - 1
    free = (owners < 0) | (starts >= stops.take(owners, mode="clip")) if stops.size else starts >= 0
    free &= np.append(begins, data.size + 1)[np.searchsorted(begins, starts)] >= tails
    starts, tails = starts[free], tails[free]
    all_starts = np.concatenate([starts, begins])
    order = np.argsort(all_starts, kind="stable")
    is_end = np.zeros(order.size, np.bool_)
    is_end[starts.size :] = True
    return all_starts[order], np.concatenate([tails, stops])[order], is_end[order]


def _find_record_ends(data: Bytes, rules: CutRules) -> tuple[Ints, Ints]:
    """Return every text that ends a record, with the line ends around it."""
    starts = find_text(data, rules.record_end)
    starts, ends = _drop_overlaps(starts, starts + len(rules.record_end))
    run_starts, run_ends = _find_runs(is_any_of(data, rules.spacing))
    if not run_starts.size or not starts.size:
        return starts, ends
    feeds = count_before(is_any_of(data, b"\n\r"))
    has_line = feeds[run_ends] > feeds[run_starts]
    run_starts, run_ends = run_starts[has_line], run_ends[has_line]
    if not run_starts.size:
        return starts, ends
    before = np.searchsorted(run_ends, starts).clip(max=run_ends.size - 1)
    after = np.searchsorted(run_starts, ends).clip(max=run_starts.size - 1)
    begins = np.where(run_ends[before] == starts, run_starts[before], starts)
    return begins, np.where(run_starts[after] == ends, run_ends[after], ends)


def _find_paragraph_ends(data: Bytes, rules: CutRules, *, has_returns: bool) -> tuple[Ints, Ints]:
    """Return every run of spacing with at least two line ends in it, or at the text's start."""
    run_starts, run_ends = _find_runs(is_any_of(data, rules.spacing))
    line_starts, _ = _find_line_ends(data, has_returns=has_returns)
    n_lines = np.searchsorted(line_starts, run_ends) - np.searchsorted(line_starts, run_starts)
    wanted = (n_lines > 1) | ((run_starts == 0) & (n_lines > 0))
    return run_starts[wanted], run_ends[wanted]


def _find_line_ends(data: Bytes, *, has_returns: bool) -> tuple[Ints, Ints]:
    feeds = np.flatnonzero(data == LF)
    if not has_returns:
        return feeds, feeds + 1
    after_return = data.take(feeds - 1, mode="clip") == CR
    after_return &= feeds > 0
    starts = np.sort(np.concatenate([np.flatnonzero(data == CR), feeds[~after_return]]))
    is_pair = (data[starts] == CR) & (starts + 1 < data.size)
    is_pair &= data.take(starts + 1, mode="clip") == LF
    return starts, starts + 1 + is_pair


def _find_delimiters(data: Bytes, rules: CutRules) -> tuple[Ints, Ints]:
    found = [(find_text(data, text), len(text)) for text in rules.delimiters]
    starts = np.concatenate([np.zeros(0, np.int64)] + [hits for hits, _ in found])
    lengths = np.concatenate(
        [np.zeros(0, np.int64)] + [np.full(hits.size, length, np.int64) for hits, length in found]
    )
    order = np.lexsort((-lengths, starts))  # at one place the longest counts
    starts, ends = _drop_overlaps(starts[order], (starts + lengths)[order])
    if rules.cut_runs_once:
        starts, ends = _join_touching(starts, ends)
    if rules.blanks:
        starts, ends = _add_blank_runs(data, rules.blanks, starts, ends)
    return starts, ends


def _drop_overlaps(starts: Ints, ends: Ints) -> tuple[Ints, Ints]:
    """Keep the leftmost of occurrences that overlap, as reading from left to right would."""
    if not (starts[1:] < ends[:-1]).any():
        return starts, ends
    keep, free = [], 0
    for place, (start, end) in enumerate(zip(starts.tolist(), ends.tolist(), strict=True)):
        if start >= free:
            keep.append(place)
            free = end
    return starts[keep], ends[keep]


def _join_touching(starts: Ints, ends: Ints) -> tuple[Ints, Ints]:
    if not starts.size:
        return starts, ends
    parted = starts[1:] != ends[:-1]
    return starts[np.append(True, parted)], ends[np.append(parted, True)]


def _find_runs(mask: Bools) -> tuple[Ints, Ints]:
    edges = np.flatnonzero(np.diff(mask.view(np.int8), prepend=0, append=0))
    return edges[::2], edges[1::2]


def _add_blank_runs(data: Bytes, blanks: str, starts: Ints, ends: Ints) -> tuple[Ints, Ints]:
    """Add the runs of spacing that are delimiters.

    Not those at a line's edge (indentation), nor those that touch a literal delimiter
    (spacing around it).
    """
    is_spacing = is_blank(data)
    run_starts, run_ends = _find_runs(is_spacing)
    before = count_before(data == (0x09 if blanks == "gap" else 0x20))
    counts = before[run_ends] - before[run_starts] > 0
    if blanks == "gap":
        counts |= run_ends - run_starts >= 2
    left = data.take(run_starts - 1, mode="clip")
    right = data.take(run_ends, mode="clip")
    counts &= (run_starts > 0) & (left != LF) & (left != CR)
    counts &= (run_ends < data.size) & (right != LF) & (right != CR)
    counts &= ~is_among(run_starts, ends) & ~is_among(run_ends, starts)
    starts = np.concatenate([starts, run_starts[counts]])
    order = np.argsort(starts, kind="stable")
    return starts[order], np.concatenate([ends, run_ends[counts]])[order]


def _find_marks(data: Bytes, rules: CutRules) -> tuple[Ints, Ints, Ints]:
    found = [(find_text(data, sign), len(sign), kind) for kind, sign in enumerate(rules.signs)]
    sizes = [hits.size for hits, _, _ in found]
    starts = np.concatenate([np.zeros(0, np.int64), *[hits for hits, _, _ in found]])
    kinds = np.repeat(np.array([kind for *_, kind in found], np.int64), sizes)
    ends = starts + np.repeat(np.array([length for _, length, _ in found], np.int64), sizes)
    if len(found) > 1:
        order = np.argsort(starts, kind="stable")
        starts, ends, kinds = starts[order], ends[order], kinds[order]
    return starts, ends, kinds
