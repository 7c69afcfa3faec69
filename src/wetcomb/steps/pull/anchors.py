"""What is pulled by other things than labels: patterns, texts around a value, a text behind it.

They are looked for in the lines of a block that no label claims, one line after another; what
one of them takes is no longer there for the next.
"""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

from wetcomb.match.patterns import Pattern, compile_pattern
from wetcomb.steps.pull.lines import Lines
from wetcomb.steps.pull.options import Pull

__all__ = ["Anchors", "Taken"]

Span = tuple[int, int]


class Taken(msgspec.Struct):
    """What anchors took out of the lines of blocks.

    Attributes
    ----------
    blocks, columns, rows : of each value: its block, its column, the record of the block that it
        belongs to (-1: all of them)
    places : where each stands, or would
    pieces : the spans each is put together of
    literals : spans of the texts that were looked for
    left : spans of the lines that are still unclaimed
    open_ended : blocks in which a value begins and nothing ends it
    """

    blocks: list[int] = msgspec.field(default_factory=list)
    columns: list[int] = msgspec.field(default_factory=list)
    rows: list[int] = msgspec.field(default_factory=list)
    places: list[int] = msgspec.field(default_factory=list)
    pieces: list[list[Span]] = msgspec.field(default_factory=list)
    literals: list[Span] = msgspec.field(default_factory=list)
    left: list[Span] = msgspec.field(default_factory=list)
    open_ended: list[int] = msgspec.field(default_factory=list)

    def add(
        self, block: int, column: int, pieces: list[Span], *, place: int = -1, row: int = -1
    ) -> None:
        """Add a value; its place is needed where it is empty."""
        self.places.append(pieces[0][0] if pieces else place)
        self.blocks.append(block)
        self.columns.append(column)
        self.rows.append(row)
        self.pieces.append(pieces)


class _Rest:
    """What is still unclaimed of the lines of a block: for each line its stretches, in order."""

    def __init__(self, lines: Lines, places: Sequence[int]) -> None:
        self._raw = lines.raw
        self.parts = [[(int(lines.begins[k]), int(lines.rights[k]))] for k in places]

    def list_all(self) -> list[tuple[int, Span]]:
        """Return every stretch, with the number of its line."""
        return [(k, span) for k, part in enumerate(self.parts) for span in part]

    def tell(self, span: Span) -> bytes:
        """Return what a stretch says."""
        return self._raw[span[0] : span[1]]

    def trim(self, span: Span) -> Span:
        """Return a stretch without spacing at its edges."""
        raw = self.tell(span)
        begin = span[0] + len(raw) - len(raw.lstrip(b" \t\f"))
        return begin, max(begin, span[0] + len(raw.rstrip(b" \t\f")))

    def take(self, line: int, span: Span) -> None:
        """Take a part of one stretch of a line out."""
        left = []
        for start, end in self.parts[line]:
            if span[0] < start or span[1] > end:
                left.append((start, end))
                continue
            parts = (self.trim((start, span[0])), self.trim((span[1], end)))
            left += [part for part in parts if part[1] > part[0]]
        self.parts[line] = left


class Anchors:
    """Finds what the options of a pull name beside labels.

    Parameters
    ----------
    options : of the pull
    first_column : number of the column of the first field
    """

    def __init__(self, options: Pull, first_column: int) -> None:
        self._above = [compile_pattern(text) for text, _ in options.above_specs]
        self._left = [compile_pattern(text) for text, _ in options.left_specs]
        self._between = [
            (compile_pattern(start), compile_pattern(end)) for start, end, _ in options.between
        ]
        self._patterns = [compile_pattern(text) for text in options.pattern]
        self._each = [compile_pattern(text) for text in options.each]
        fields = [*self._patterns, *self._each]
        self.names = [
            *(name for _, name in options.above_specs),
            *(name for _, name in options.left_specs),
            *(name for *_, name in options.between),
            *dict.fromkeys(name for pattern in fields for name in pattern.fields),
        ]
        self._column = {name: first_column + k for k, name in enumerate(self.names)}
        self._first = first_column

    def __bool__(self) -> bool:
        return bool(self.names)

    def read(
        self, lines: Lines, block: int, places: Sequence[int], rest: Sequence[int], into: Taken
    ) -> None:
        """Take what the options name out of a block.

        Parameters
        ----------
        places : all lines of the block
        rest : those of them that no label claims
        """
        left = _Rest(lines, rest)
        column = self._first
        for pattern in self._above:
            self._take_above(lines, (block, column), pattern, places, left, into)
            column += 1
        for pattern in self._left:
            self._take_left(left, (block, column), pattern, into)
            column += 1
        for start, end in self._between:
            self._take_between(left, (block, column), start, end, into)
            column += 1
        for pattern in self._patterns:
            self._take_matches(left, block, pattern, into, is_each=False)
        n_rows = 0
        for pattern in self._each:
            n_rows = self._take_matches(left, block, pattern, into, is_each=True, row=n_rows)
        into.left += [span for _, span in left.list_all()]

    def _take_above(
        self,
        lines: Lines,
        cell: Span,
        pattern: Pattern,
        places: Sequence[int],
        left: _Rest,
        into: Taken,
    ) -> None:
        for place in places:
            found = next(pattern.find_each(lines.says(place)), None)
            if found is None:
                continue
            stop = int(lines.starts[place])
            pieces = [(k, span) for k, span in left.list_all() if span[1] <= stop]
            if pieces:
                into.add(*cell, [span for _, span in pieces])
            for k, span in pieces:
                left.take(k, span)
            begin = int(lines.begins[place])
            literal = (begin + found.start, begin + found.end)
            for k, (a, b) in left.list_all():
                if a <= literal[0] and literal[1] <= b:
                    into.literals.append(literal)
                    left.take(k, literal)
            return

    def _take_left(self, left: _Rest, cell: Span, pattern: Pattern, into: Taken) -> None:
        for k, span in left.list_all():
            found = next(pattern.find_each(left.tell(span)), None)
            if found is None:
                continue
            value = left.trim((span[0], span[0] + found.start))
            if value[1] > value[0]:
                into.add(*cell, [value])
                literal = (span[0] + found.start, span[0] + found.end)
                into.literals.append(literal)
                left.take(k, value)
                left.take(k, literal)

    def _take_between(
        self, left: _Rest, cell: Span, start: Pattern, end: Pattern, into: Taken
    ) -> None:
        pieces: list[tuple[int, Span]] = []
        is_open = False
        for k in range(len(left.parts)):
            for span in list(left.parts[k]):
                at = span[0]
                while at < span[1]:
                    found = next(
                        (end if is_open else start).find_each(left.tell((at, span[1]))), None
                    )
                    stop = at + found.start if found is not None else span[1]
                    if is_open:
                        pieces.append((k, left.trim((at, stop))))
                    if found is None:
                        break
                    literal = (stop, at + found.end)
                    into.literals.append(literal)
                    left.take(k, literal)
                    at, is_open = literal[1], not is_open
                    if not is_open:
                        _finish(left, cell, pieces, into, place=literal[0])
                        pieces = []
        if is_open:
            into.open_ended.append(cell[0])
            _finish(left, cell, pieces, into, place=into.literals[-1][1])

    def _take_matches(
        self, left: _Rest, block: int, pattern: Pattern, into: Taken, *, is_each: bool, row: int = 0
    ) -> int:
        """Take every match in what is left; return the number of records behind them."""
        for k, span in left.list_all():
            for found in pattern.find_each(left.tell(span)):
                at = span[0] + found.start
                fields = []
                for name, (a, b) in zip(pattern.fields, found.fields, strict=True):
                    if a >= 0:
                        value = left.trim((span[0] + a, span[0] + b))
                        fields.append(value)
                        pieces = [value] if value[1] > value[0] else []
                        into.add(
                            block, self._column[name], pieces,
                            place=value[0], row=row if is_each else -1,
                        )  # fmt: skip
                for value in sorted(fields):
                    _put_literal(pattern, k, (at, value[0]), left, into)
                    left.take(k, value)
                    at = max(at, value[1])
                _put_literal(pattern, k, (at, span[0] + found.end), left, into)
                row += 1
        return row


def _finish(
    left: _Rest, cell: Span, pieces: list[tuple[int, Span]], into: Taken, *, place: int
) -> None:
    """Take the pieces of a value between two texts."""
    real = [(k, span) for k, span in pieces if span[1] > span[0]]
    into.add(*cell, [span for _, span in real], place=place)
    for k, span in real:
        left.take(k, span)


def _put_literal(pattern: Pattern, line: int, span: Span, left: _Rest, into: Taken) -> None:
    """Charge what a pattern itself says; what an unnamed shape covers stays unclaimed."""
    span = left.trim(span)
    if span[1] > span[0] and pattern.is_all_named:
        into.literals.append(span)
        left.take(line, span)
