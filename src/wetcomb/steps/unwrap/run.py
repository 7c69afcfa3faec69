"""unwrap at work: chunks of text in, text with a record a line out."""

from __future__ import annotations

import re
from collections.abc import Iterator

import numpy as np

from wetcomb.core.arrays import Bools, Bytes, Ints, find_text, is_blank
from wetcomb.core.batch import Batch, StepRun, Told
from wetcomb.core.cutting.recut import trim
from wetcomb.core.ledger import Charge
from wetcomb.core.rewrite import list_lines, rewrite
from wetcomb.core.snags import SNAG_CODES
from wetcomb.core.text import Text
from wetcomb.match.hyphens import find_hyphens, find_small
from wetcomb.match.letter_case import fold_case
from wetcomb.match.lines import find_lines
from wetcomb.match.patterns import compile_pattern
from wetcomb.steps.unwrap.options import Unwrap

__all__ = ["Unwrapper", "begin"]

_HYPHEN, _FORM_FEED = 0x2D, 0x0C
_QUOTE_LINES = 1000  # lines after which a quote mark that is still open was none
_WORD_END, _WORD_START = re.compile(r"[^\W\d_]+$"), re.compile(r"[^\W\d_]+")


def begin(options: Unwrap) -> Unwrapper:
    """Return an unwrap ready to run."""
    return Unwrapper(options)


class Unwrapper(StepRun):
    """Runs one `Unwrap` over the chunks of one text."""

    def __init__(self, options: Unwrap) -> None:
        self._options = options
        self._n_joined = 0
        ignored = options.ignore_case
        self._starts = [compile_pattern(text, ignore_case=ignored) for text in options.starts]
        self._ends = [compile_pattern(text, ignore_case=ignored) for text in options.ends]
        self._words = {fold_case(word) for word in options.words}
        self._has_begun = False
        self._is_rest = False  # the chunk begins with what a record had too many lines for

    @property
    def state(self) -> tuple[bool, ...]:
        """What is carried from one chunk to the next."""
        return self._has_begun, self._is_rest

    @state.setter
    def state(self, state: tuple[bool, ...]) -> None:
        self._has_begun, self._is_rest = state or (False, False)

    def give_counts(self) -> int:
        """Return how many lines were joined, and begin to count anew."""
        number, self._n_joined = self._n_joined, 0
        return number

    def add_counts(self, counts: object) -> None:
        """Add what another run of the step has joined."""
        assert isinstance(counts, int)
        self._n_joined += counts

    def tell(self) -> Told:
        """Return that nothing was joined, if nothing was."""
        return Told(
            () if self._n_joined else ("unwrap: no line goes on with another by these rules",)
        )

    def feed(self, batch: Batch, *, is_last: bool) -> Iterator[Batch]:
        """Yield the records that end in a chunk, a line each."""
        yield self._rewrite(batch.text, is_last=is_last)

    def _rewrite(self, chunk: Text, *, is_last: bool) -> Batch:
        data = chunk.data[: chunk.body_size]
        starts, ends, stops = list_lines(chunk)
        if not is_last and stops.size and (stops[-1] == ends[-1] or data[-1] == 0x0D):
            starts, ends, stops = starts[:-1], ends[:-1], stops[:-1]
        begins, ceases = trim(data, starts, ends)
        fed = (begins < ceases) & (data.take(begins, mode="clip") == _FORM_FEED)
        solid = ceases > begins + fed
        rows = np.flatnonzero(solid)
        inside, sure = self._find_inside(data, starts[rows], ends[rows], is_last=is_last)
        goes_on, odd = self._find_going_on(data, starts, ends, solid, inside)
        heads = np.flatnonzero(solid & ~goes_on)
        if not is_last:
            heads = heads[heads <= rows[sure - 1]] if sure else heads[:0]
            if heads.size < 2:
                return _take_nothing(chunk)
            last = int(heads[-1])
            self._is_rest = bool((odd[-1][1] == starts[last]).any())
            starts, ends, stops = starts[:last], ends[:last], stops[:last]
            solid, goes_on = solid[:last], goes_on[:last]
        if self._starts and not self._has_begun:
            self._has_begun = bool(find_lines(data, starts, ends, self._starts, "start").any())
        used = int(stops[-1]) if stops.size else 0
        odd_at = [(places[places < used], SNAG_CODES[name]) for name, places in odd]
        trimmed = begins[: starts.size], ceases[: starts.size]
        return self._join(chunk, data, (starts, ends, stops), trimmed, solid, goes_on, odd_at)

    def _find_inside(
        self, data: Bytes, starts: Ints, ends: Ints, *, is_last: bool
    ) -> tuple[Bools, int]:
        """Return which lines begin between quote marks, and how many lines are sure of it.

        A mark that is not closed within some lines is no quote mark.
        """
        inside = np.zeros(starts.size, np.bool_)
        if self._options.quote == "none" or not starts.size:
            return inside, starts.size
        places = np.flatnonzero(data == ord('"' if self._options.quote == "double" else "'"))
        at = np.searchsorted(starts, places, "right") - 1
        here = (at >= 0) & (places < ends.take(np.maximum(at, 0), mode="clip"))
        uneven = np.flatnonzero(np.bincount(at[here], minlength=starts.size) % 2).tolist()
        place = 0
        while place < len(uneven):
            opened = uneven[place]
            closed = uneven[place + 1] if place + 1 < len(uneven) else None
            if closed is None and not is_last and starts.size - opened <= _QUOTE_LINES:
                return inside, opened + 1
            if closed is not None and closed - opened <= _QUOTE_LINES:
                inside[opened + 1 : closed + 1] = True
                place += 1
            place += 1
        return inside, starts.size

    def _find_going_on(
        self, data: Bytes, starts: Ints, ends: Ints, solid: Bools, inside: Bools
    ) -> tuple[Bools, list[tuple[str, Ints]]]:
        """Return which lines go on with the record above, and where a line is odd, by its snag."""
        options = self._options
        goes_on = np.zeros(starts.size, np.bool_)
        rows = np.flatnonzero(solid)
        odd: list[tuple[str, Ints]] = []
        if not rows.size:
            return goes_on, odd
        votes = np.full(rows.size, options.all)
        begin, end = starts[rows], ends[rows]
        if options.indent:
            votes |= is_blank(data[begin])
        if options.width:
            lengths = Text(data, data.size).lengths(begin, end)
            votes[1:] |= lengths[:-1] >= options.width
        if self._ends:
            votes[1:] |= ~find_lines(data, begin, end, self._ends, "end")[:-1]
        if options.fields:
            votes |= self._count_fields(data, begin, end)
        if options.blank_lines:
            votes[1:] |= np.diff(rows) == 1
        if self._starts:
            is_start = find_lines(data, begin, end, self._starts, "start") & ~inside
            before = np.cumsum(is_start) == 0  # lines before the first start stand alone
            if not self._has_begun:
                votes[before] = False
            only = not (
                options.indent
                or options.width
                or self._ends
                or options.fields
                or options.blank_lines
            )
            alone = before & (not self._has_begun)
            votes = ~is_start & ~alone if only else votes & ~is_start
            lost = ~is_start & ~votes & ~alone & ~inside
            odd.append(("line-unexplained", begin[lost]))
        if options.blank_lines:
            parted = np.append(True, np.diff(rows) > 1)
            votes &= ~parted
        votes |= inside
        votes[0] = False
        too_long = self._end_long_records(votes)
        goes_on[rows] = votes
        return goes_on, [*odd, ("record-lines", begin[too_long])]

    def _end_long_records(self, votes: Bools) -> Ints:
        """Let no record have more lines than it may; return the lines that begin one for that."""
        most = self._options.record_lines
        if votes.size <= most:
            return np.flatnonzero([self._is_rest])
        heads = np.append(np.flatnonzero(~votes), votes.size)
        long = np.flatnonzero(np.diff(heads) > most)
        ended = [np.arange(heads[k] + most, heads[k + 1], most) for k in long.tolist()]
        found = np.concatenate([np.flatnonzero([self._is_rest]), *ended])
        votes[found] = False
        return found

    def _count_fields(self, data: Bytes, starts: Ints, ends: Ints) -> Bools:
        """Return which lines go on because the record above has not all its fields."""
        hits = find_text(data, self._options.mark)
        lines = np.searchsorted(starts, hits, "right") - 1
        inside = (lines >= 0) & (hits < ends.take(lines, mode="clip"))
        marks = np.bincount(lines[inside], minlength=starts.size).tolist()
        wanted = self._options.fields - 1
        goes_on, have = [], wanted
        for number in marks:
            whole = number >= wanted  # a line that has all the fields itself is never swallowed
            more = not whole and (have < wanted or number == 0)
            goes_on.append(more)
            have = have + number if more else number
        return np.array(goes_on, np.bool_)

    def _join(
        self,
        chunk: Text,
        data: Bytes,
        lines: tuple[Ints, Ints, Ints],
        trimmed: tuple[Ints, Ints],
        solid: Bools,
        goes_on: Bools,
        odd_at: list[tuple[Ints, int]],
    ) -> Batch:
        """Return the lines put together, and what left them.

        Parameters
        ----------
        lines : where each line begins, where its line end does, and where that ends
        trimmed : each without the spacing at its edges
        """
        starts, ends, stops = lines
        used = int(stops[-1]) if stops.size else 0
        rows = np.flatnonzero(solid)
        joined = np.append(goes_on[rows][1:], False)[: rows.size]  # the line behind goes on
        begin, end = starts[rows].copy(), ends[rows].copy()
        if self._options.glue:
            inner = goes_on[rows]
            trimmed_start, trimmed_end = trimmed[0][rows], trimmed[1][rows]
            fed = inner & (data.take(trimmed_start, mode="clip") == _FORM_FEED)
            trimmed_start[fed], _ = trim(data, trimmed_start[fed] + 1, end[fed])
            begin[inner] = trimmed_start[inner]
            end[joined] = trimmed_end[joined]
        mended = self._find_mended(data, begin, end, joined)
        kept_ends = np.where(joined, end - mended, stops[rows])
        codes = np.where(joined, 1, 0)
        if self._options.hyphens:
            hyphened = joined & (end > begin) & (data.take(end - 1, mode="clip") == _HYPHEN)
            is_joined = self._options.hyphens in ("keep", "listed")
            codes[hyphened if is_joined else mended] = 0
            if self._options.hyphens == "listed":
                unlisted = end[hyphened & ~mended] - 1
                odd_at = [*odd_at, (unlisted, SNAG_CODES["hyphen-unlisted"])]
        blank = ~solid
        form_feeds = np.flatnonzero(data == _FORM_FEED)
        feeds = blank & _have_feeds(form_feeds, starts, stops)
        charges = [
            Charge("blank-line", starts[blank & ~feeds], stops[blank & ~feeds]),
            Charge("page-mark", starts[feeds], stops[feeds]),
            Charge("hyphen", (end - 1)[mended], end[mended]),
            Charge("line-end", ends[rows][joined], stops[rows][joined]),
            *_charge_spacing(form_feeds, starts[rows], begin),
            *_charge_spacing(form_feeds, end[joined], ends[rows][joined]),
        ]
        self._n_joined += int(joined.sum())
        glue = (codes, (b"", self._options.glue.encode()))
        return rewrite(chunk, used, (begin, kept_ends), glue, charges, odd_at)

    def _find_mended(self, data: Bytes, begin: Ints, end: Ints, joined: Bools) -> Bools:
        """Return the lines whose hyphen at the end goes: a small letter follows in the next."""
        mended = np.zeros(begin.size, np.bool_)
        if self._options.hyphens not in ("mend", "listed", "drop") or begin.size < 2:
            return mended
        likely = np.flatnonzero(joined & find_hyphens(data, begin, end))
        if self._options.hyphens == "drop":
            mended[likely] = True
        elif self._options.hyphens == "mend":
            mended[likely] = find_small(data, begin[likely + 1])
        else:
            for row in likely.tolist():
                parts = data[begin[row] : end[row] - 1], data[begin[row + 1] : end[row + 1]]
                left, right = (part.tobytes().decode() for part in parts)
                mended[row] = fold_case(_join_word(left, right)) in self._words
        return mended


def _join_word(left: str, right: str) -> str:
    """Return the word that ends one text and goes on in the next."""
    head, tail = _WORD_END.search(left), _WORD_START.match(right)
    return (head[0] if head else "") + (tail[0] if tail else "")


def _take_nothing(chunk: Text) -> Batch:
    none = np.zeros(0, np.int64)
    return rewrite(chunk, 0, (none, none), (none, (b"",)), [])


def _have_feeds(feeds: Ints, starts: Ints, stops: Ints) -> Bools:
    """Return which lines hold one of some form feeds."""
    lines = np.searchsorted(starts, feeds, "right") - 1
    found = np.zeros(starts.size, np.bool_)
    inside = (lines >= 0) & (feeds < stops.take(lines, mode="clip"))
    found[lines[inside]] = True
    return found


def _charge_spacing(feeds: Ints, starts: Ints, ends: Ints) -> list[Charge]:
    """Charge spacing beside a join; form feeds in it by themselves."""
    real = ends > starts
    starts, ends = starts[real], ends[real]
    if not (feeds.size and starts.size):
        return [Charge("spacing", starts, ends)]
    at = np.searchsorted(starts, feeds, "right") - 1
    feeds = feeds[(at >= 0) & (feeds < ends.take(np.maximum(at, 0), mode="clip"))]
    all_starts = np.sort(np.concatenate([starts, feeds + 1]))
    all_ends = np.sort(np.concatenate([ends, feeds]))
    return [Charge("spacing", all_starts, all_ends), Charge("page-mark", feeds, feeds + 1)]
