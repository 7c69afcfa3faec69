"""The exact scanner: one record at a time, from left to right.

It reads what NumPy cannot prove clean: text after a closing mark, marks that never
close, marks inside unquoted fields, cells that end only before a delimiter. It works
on the positions found already, never character by character.

The rules: a mark opens only at a field's start; inside, a doubled mark is one and
delimiters and line ends are text; text after a closing mark leaves the field as it
stands; a mark that does not close within `quote_lines` line ends is text. A mark
that closes only on a later line and in the middle of a value, while its own line and at
least half of the lines it would swallow make records by themselves, was never a quote
mark: it is text, and the record a snag. One that closes properly although every one of
its lines would do for a record is believed, and told.
"""

from __future__ import annotations

import re
from bisect import bisect_left, bisect_right
from collections.abc import Iterator
from functools import cached_property

import msgspec

from wetcomb.core.cutting.specials import CutRules, Specials

__all__ = ["Field", "Record", "Scanner"]

_SPACING = re.compile(rb"[ \t]*")
_MAX_CHOICES = 20_000  # closings to weigh in one record before the first ones are taken


class Field(msgspec.Struct, frozen=True):
    """One field of a scanned record: its value, and with marks and spacing around it."""

    outer_start: int
    outer_end: int
    start: int
    end: int
    doubled: bool = False


class Record(msgspec.Struct):
    """A scanned record: its fields, where its line end ends, its snags and where each is."""

    fields: list[Field] = msgspec.field(default_factory=list)
    stop: int = 0
    snags: set[tuple[str, int]] = msgspec.field(default_factory=set)


class _Way(msgspec.Struct, frozen=True):
    """How the rest of a record can be read: how odd, in how many ways as good, ending at which cut."""

    oddity: int
    number: int
    cut: int


def _better(old: _Way | None, new: _Way) -> _Way:
    if old is None or new.oddity < old.oddity:
        return new
    if new.oddity > old.oddity:
        return old
    return _Way(old.oddity, old.number + new.number, old.cut)


class _MoreNeeded(Exception):
    """The record cannot be decided before more of the text is there."""


class Scanner:
    """Reads single records of one chunk."""

    def __init__(self, specials: Specials, rules: CutRules) -> None:
        self._rules = rules
        self._specials = specials
        self._is_last = specials.is_last
        signs = rules.signs
        self._closing = {  # which kinds close a kind that opens
            signs.index(mark): frozenset(map(signs.index, closers))
            for mark, closers in rules.closing.items()
        }

    # Lists are made of the arrays only when a record needs them: most chunks have none.

    @cached_property
    def _raw(self) -> bytes:
        return self._specials.data.tobytes()

    @cached_property
    def _cut_starts(self) -> list[int]:
        return self._specials.cut_starts.tolist()

    @cached_property
    def _cut_ends(self) -> list[int]:
        return self._specials.cut_ends.tolist()

    @cached_property
    def _lines(self) -> list[int]:
        return self._specials.cut_starts[self._specials.line_cuts].tolist()

    @cached_property
    def _line_ends(self) -> list[int]:
        return self._specials.cut_ends[self._specials.line_cuts].tolist()

    @cached_property
    def _mark_starts(self) -> list[int]:
        return self._specials.mark_starts.tolist()

    @cached_property
    def _mark_ends(self) -> list[int]:
        return self._specials.mark_ends.tolist()

    @cached_property
    def _mark_kinds(self) -> list[int]:
        return self._specials.mark_kinds.tolist()

    def read_record(self, start: int, n_fields: int | None) -> Record | None:
        """Return the record that begins at `start`, or None if more text is needed to tell.

        `n_fields` is the number of the table's columns, None while it is not known.
        """
        plain: set[int] = set()
        told: set[tuple[str, int]] = set()
        try:
            while True:
                record = self._read(start, plain, None)
                stray = self._find_stray(start, record, n_fields)
                if stray is None:
                    record.snags |= told
                    return self._choose_ends(start, record, n_fields)
                plain.add(stray)
                told.add(("quote-never-closed", stray))
        except _MoreNeeded:
            return None

    def find_cuts(self, start: int, stop: int) -> tuple[int, int]:
        """Return which cuts lie between two positions, the one that ends at `stop` included."""
        return bisect_left(self._cut_starts, start), bisect_right(self._cut_ends, stop)

    def _find_stray(self, start: int, record: Record, n_fields: int | None) -> int | None:
        """Return a mark that only looks like an opening one; note the snag of one that is believed."""
        if n_fields is None or n_fields < 2 or self._rules.quote_ends == "delimiter":
            return None
        for cell in record.fields:
            if not self._has_line_end(cell.start, cell.end):
                continue
            begin = self._skip_spacing(cell.outer_start, cell.end)
            is_closed = cell.start > begin  # else the field stands marks and all
            fits = self._find_fits(start, cell, n_fields)
            if is_closed and all(fits):
                record.snags.add(("quote-over-records", cell.outer_start))
            elif not is_closed and fits[0] and 2 * sum(fits) >= len(fits):
                return begin
        return None

    def _has_line_end(self, start: int, end: int) -> bool:
        return bisect_left(self._lines, start) < bisect_left(self._lines, end)

    def _find_fits(self, start: int, cell: Field, n_fields: int) -> list[bool]:
        """Return which lines, from the record's first to the cell's last, are records by themselves."""
        first = bisect_left(self._lines, start)
        last = bisect_left(self._lines, cell.end)
        if last >= len(self._lines):
            raise _MoreNeeded
        line_starts = [start, *self._line_ends[first:last]]
        return [
            len(self._read(line_start, set(), line_end).fields) == n_fields
            for line_start, line_end in zip(line_starts, self._lines[first : last + 1], strict=True)
        ]

    def _read(self, start: int, plain: set[int], limit: int | None) -> Record:
        """Read one record; with `limit`, nothing at or after that position closes a mark."""
        record = Record()
        position = start
        cut = bisect_left(self._cut_starts, position)
        while True:
            if cut >= len(self._cut_starts):
                raise _MoreNeeded
            cut = self._read_field(record, position, cut, plain, limit)
            if self._specials.is_line[cut]:
                record.stop = self._cut_ends[cut]
                return record
            position = self._cut_ends[cut]
            cut += 1

    def _read_field(
        self, record: Record, start: int, cut: int, plain: set[int], limit: int | None
    ) -> int:
        """Add the field at `start` to the record; return the cut that ends it."""
        begin = self._skip_spacing(start, self._cut_starts[cut])
        mark = bisect_left(self._mark_starts, begin)
        if self._opens_at(mark, begin) and begin not in plain:
            closing = self._find_closing(mark, limit)
            if closing is None:
                record.snags.add(("quote-left-open", begin))
            else:
                return self._close_field(record, start, mark, closing)
        record.fields.append(self._trim(start, self._cut_starts[cut]))
        return cut

    def _close_field(self, record: Record, start: int, mark: int, closing: int) -> int:
        after = self._mark_ends[closing]
        cut = bisect_left(self._cut_starts, after)
        if cut >= len(self._cut_starts):
            raise _MoreNeeded
        outer_end = self._cut_starts[cut]
        if self._skip_spacing(after, outer_end) < outer_end:
            record.snags.add(("text-after-quote", start))
            record.fields.append(self._trim(start, outer_end))
        else:
            doubled = self._rules.quote_ends == "mark" and self._has_pairs(mark, closing)
            value = self._mark_ends[mark], self._mark_starts[closing]
            record.fields.append(Field(start, outer_end, *value, doubled))
        return cut

    def _has_pairs(self, mark: int, closing: int) -> bool:
        closing_kinds = self._closing[self._mark_kinds[mark]]
        return not closing_kinds.isdisjoint(self._mark_kinds[mark + 1 : closing])

    def _find_closing(self, mark: int, limit: int | None) -> int | None:
        """Return the mark that closes the one given; None if there is none in reach."""
        if self._rules.quote_ends == "delimiter":
            return next(self._list_closings(mark, limit), None)
        kinds = self._closing[self._mark_kinds[mark]]
        last_line = bisect_left(self._lines, self._mark_starts[mark]) + self._rules.quote_lines
        place = mark + 1
        while place < len(self._mark_starts):
            if limit is not None and self._mark_starts[place] >= limit:
                return None
            if last_line < len(self._lines) and self._mark_starts[place] > self._lines[last_line]:
                return None
            if self._mark_kinds[place] not in kinds:
                place += 1
            elif self._is_pair(place):
                place += 2
            else:
                return place
        self._give_up(last_line, limit)
        return None

    def _is_pair(self, place: int) -> bool:
        return (
            place + 1 < len(self._mark_starts)
            and self._mark_starts[place + 1] == self._mark_ends[place]
            and self._mark_kinds[place + 1] == self._mark_kinds[place]
        )

    def _give_up(self, last_line: int, limit: int | None) -> None:
        """Raise unless the text in hand is enough to say that a mark does not close."""
        if limit is None and not self._is_last and last_line >= len(self._lines):
            raise _MoreNeeded

    @cached_property
    def _closers(self) -> list[int]:
        """The marks that stand before a delimiter or line end and so could close."""
        found = []
        cut = 0
        for place, after in enumerate(self._mark_ends):
            while cut < len(self._cut_starts) and self._cut_starts[cut] < after:
                cut += 1
            if cut == len(self._cut_starts):
                break
            if self._skip_spacing(after, self._cut_starts[cut]) == self._cut_starts[cut]:
                found.append(place)
        return found

    def _list_closings(self, mark: int, limit: int | None) -> Iterator[int]:
        """Yield the marks that could close the one given, in order."""
        kinds = self._closing[self._mark_kinds[mark]]
        last_line = bisect_left(self._lines, self._mark_starts[mark]) + self._rules.quote_lines
        for nth in range(bisect_right(self._closers, mark), len(self._closers)):
            place = self._closers[nth]
            if limit is not None and self._mark_starts[place] >= limit:
                return
            if last_line < len(self._lines) and self._mark_starts[place] > self._lines[last_line]:
                return
            if self._mark_kinds[place] in kinds:
                yield place
        self._give_up(last_line, limit)

    def _choose_ends(self, start: int, record: Record, n_fields: int | None) -> Record:
        """Take later closings where that gives the record its number of fields.

        The first closings cut the most fields, so only a record with too many can be read
        another way. Of the ways that give the right number, the one with the fewest odd
        fields is taken (an unquoted one with marks in it, a quoted one with a mark, a
        delimiter and a mark in it), if it is the only one; ways are found from the
        record's last field back.
        """
        if self._rules.quote_ends != "delimiter" or n_fields is None:
            return record
        if len(record.fields) <= n_fields:
            return record
        line_end = record.fields[-1].outer_end
        ends = [self._list_field_ends(cell.outer_start, line_end) for cell in record.fields]
        choices = sum(map(len, ends))
        if choices == len(record.fields):
            return record  # nothing to choose: the record is simply long
        if choices > _MAX_CHOICES:
            record.snags.add(("quote-end-unclear", start))
            return record
        ways: dict[int, dict[int, _Way]] = {}
        for cell, cuts in zip(reversed(record.fields), reversed(ends), strict=True):
            node = cell.outer_start
            here: dict[int, _Way] = {}
            for cut in cuts:
                is_last = self._cut_starts[cut] == line_end
                tails = {0: _Way(0, 1, -1)} if is_last else ways.get(self._cut_ends[cut], {})
                oddity = self._count_oddity(node, self._cut_starts[cut])
                for count, tail in tails.items():
                    if count < n_fields:
                        way = _Way(tail.oddity + oddity, tail.number, cut)
                        here[count + 1] = _better(here.get(count + 1), way)
            ways[node] = here
        best = ways.get(start, {}).get(n_fields)
        if best is None or best.number != 1:
            record.snags.add(("quote-end-unclear", start))
            return record
        return self._follow(start, ways, n_fields, record)

    def _count_oddity(self, start: int, end: int) -> int:
        """Return how unlikely a field from `start` to the cut at `end` looks: 0 is as it should be."""
        raw = self._raw[start:end].strip(b" \t")
        signs, closing = self._rules.signs, self._rules.closing
        mark = next((mark for mark in closing if raw.startswith(mark)), b"")
        if not mark or not raw.endswith(closing[mark]) or len(raw) < 2 * len(mark):
            return sum(raw.count(sign) for sign in signs)
        first, last = bisect_left(self._cut_starts, start), bisect_left(self._cut_starts, end)
        return sum(
            self._raw.endswith(closing[mark], start, self._cut_starts[cut])
            and self._raw.startswith(mark, self._cut_ends[cut], end)
            for cut in range(first, last)
        )

    def _list_field_ends(self, start: int, line_end: int) -> list[int]:
        """Return every cut that could end the field at `start`, up to the record's line end."""
        cut = bisect_left(self._cut_starts, start)
        begin = self._skip_spacing(start, self._cut_starts[cut])
        mark = bisect_left(self._mark_starts, begin)
        if self._opens_at(mark, begin):
            closings = list(self._list_closings(mark, line_end + 1))
            if closings:
                return [bisect_left(self._cut_starts, self._mark_ends[c]) for c in closings]
        return [cut]

    def _follow(
        self, start: int, ways: dict[int, dict[int, _Way]], n_fields: int, first: Record
    ) -> Record:
        record = Record(stop=first.stop, snags=first.snags)
        position = start
        for left in range(n_fields, 0, -1):
            cut = ways[position][left].cut
            end = self._cut_starts[cut]
            begin = self._skip_spacing(position, end)
            mark = bisect_left(self._mark_starts, begin)
            closing = bisect_left(self._mark_ends, end - self._spacing_before(begin, end))
            is_quoted = self._opens_at(mark, begin) and mark < closing < len(self._mark_ends)
            if is_quoted and self._mark_ends[closing] + self._spacing_before(begin, end) == end:
                value = self._mark_ends[mark], self._mark_starts[closing]
                record.fields.append(Field(position, end, *value))
            else:
                record.fields.append(self._trim(position, end))
            position = self._cut_ends[cut]
        return record

    def _opens_at(self, mark: int, position: int) -> bool:
        return (
            mark < len(self._mark_starts)
            and self._mark_starts[mark] == position
            and self._mark_kinds[mark] in self._closing
        )

    def _spacing_before(self, start: int, end: int) -> int:
        return end - start - len(self._raw[start:end].rstrip(b" \t"))

    def _skip_spacing(self, position: int, stop: int) -> int:
        match = _SPACING.match(self._raw, position, stop)
        return match.end() if match else position

    def _trim(self, start: int, end: int) -> Field:
        begin = self._skip_spacing(start, end)
        return Field(start, end, begin, end - self._spacing_before(begin, end))
