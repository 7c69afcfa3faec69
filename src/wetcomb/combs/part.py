"""Which part of a text is meant: some lines, or what stands between two patterns.

What lies outside is not lost: it is handed on piece by piece to be charged as `outside`.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from typing import NamedTuple

import msgspec
import numpy as np

from wetcomb.core.arrays import Ints
from wetcomb.core.decoded import Decoded
from wetcomb.core.errors import InputError, UsageError
from wetcomb.core.text import Text, count_characters, count_line_ends
from wetcomb.match.lines import find_lines
from wetcomb.match.patterns import compile_pattern

__all__ = ["Part", "Stretch", "mark_last", "part_blocks"]

_LINES = r"(\d*)-(\d*)|(\d+)"
_LONGEST = 1 << 20  # bytes of a line that are looked at to know whether it begins or ends a part


class Part(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """A part of a text; the whole of it where nothing is stated.

    Attributes
    ----------
    lines : "4-88", "4-" or "-88", counted from 1, both included
    from_ : patterns of which one begins the part's first line
    to : patterns of which one begins its last line

    Raises
    ------
    UsageError : lines that are no range, or a pattern that is none
    """

    lines: str = ""
    from_: tuple[str, ...] = msgspec.field(default=(), name="from")
    to: tuple[str, ...] = ()

    def __post_init__(self) -> None:
        first, last = self.bounds
        if last is not None and last < first:
            raise UsageError(f"--lines {self.lines}: the last line comes before the first")
        for pattern in (*self.from_, *self.to):
            compile_pattern(pattern)

    @property
    def is_whole(self) -> bool:
        """Whether it is all of the text."""
        return not (self.lines or self.from_ or self.to)

    @property
    def bounds(self) -> tuple[int, int | None]:
        """The first line and the last, None where there is no last."""
        if not self.lines:
            return 1, None
        found = re.fullmatch(_LINES, self.lines.replace(" ", ""))
        if not found or self.lines.strip() == "-" or "0" in (found[1], found[2], found[3]):
            raise UsageError(
                f"--lines takes a range counted from 1, found {self.lines!r}; for example 4-88 or 12-"
            )
        if found[3]:
            return int(found[3]), int(found[3])
        return int(found[1] or 1), int(found[2]) if found[2] else None


class Stretch(NamedTuple):
    """Some of a text: inside the part or outside; `is_end` with the last that is inside."""

    block: Decoded
    is_inside: bool
    is_end: bool


def part_blocks(part: Part, blocks: Iterable[Decoded]) -> Iterator[Stretch]:
    """Yield a text in stretches that are inside a part or outside; at least one ends the inside.

    Raises
    ------
    InputError : there is no such part
    """
    if part.is_whole:
        yield from (Stretch(block, True, is_last) for block, is_last in mark_last(blocks))
        return
    window = _Window(part)
    for block, is_last in mark_last(blocks):
        yield from window.part(block, is_last=is_last)
    window.check()


def mark_last(blocks: Iterable[Decoded]) -> Iterator[tuple[Decoded, bool]]:
    """Yield each block with whether it is the last; an empty one where there is none."""
    last: Decoded | None = None
    for block in blocks:
        if last is not None:
            yield last, False
        last = block
    yield (last if last is not None else Decoded(b"", 0)), True


class _Window:
    """Goes along a text and tells which lines are inside; lines over two blocks are carried."""

    def __init__(self, part: Part) -> None:
        self._part = part
        self._from = [compile_pattern(text) for text in part.from_]
        self._to = [compile_pattern(text) for text in part.to]
        self._first, self._last = part.bounds
        self._carried = Decoded(b"", 0)
        self._line = 1
        self._state = "before"
        self._began = 0

    def part(self, block: Decoded, *, is_last: bool) -> Iterator[Stretch]:
        whole = _join(self._carried, block)
        self._carried = Decoded(b"", 0)
        if not is_last and self._is_surely_before(whole.data):
            stop = whole.data.rfind(b"\n") + 1
            self._line += count_line_ends(whole.data)
            self._carried = _slice(whole, stop, len(whole.data))
            yield Stretch(_slice(whole, 0, stop), False, False)
            return
        text = Text.of(whole.data)
        starts = text.line_starts
        stop = len(whole.data)
        if not is_last:  # lines are seen whole
            stop = int(starts[-1])
            if whole.data[:stop].endswith(b"\r"):  # perhaps half a line end
                stop = int(starts[-2]) if starts.size > 1 else 0
            if len(whole.data) - stop > _LONGEST:
                stop = len(whole.data)
            self._carried = _slice(whole, stop, len(whole.data))
        if self._state == "after":
            yield Stretch(_slice(whole, 0, stop), False, False)
            return
        starts = starts[starts < stop]
        if not starts.size and not is_last:
            return
        begin, end = self._find_range(text, starts, stop)
        self._line += starts.size
        if begin > 0:
            yield Stretch(_slice(whole, 0, begin), False, False)
        is_end = self._state == "after" or (is_last and self._state == "inside")
        if end > begin or is_end:
            yield Stretch(_slice(whole, begin, end), True, is_end)
        if end < stop:
            yield Stretch(_slice(whole, end, stop), False, False)

    def _is_surely_before(self, data: bytes) -> bool:
        """Return whether no line here can begin the part, without looking at single lines."""
        literals = [pattern.literal for pattern in self._from]
        return (
            self._state == "before"
            and bool(literals)
            and all(literal and literal not in data for literal in literals)
            and b"\r" not in data
            and b"\n" in data
        )

    def _find_range(self, text: Text, starts: Ints, stop: int) -> tuple[int, int]:
        """Return the bytes of these lines that are inside, and go into the state behind them."""
        ends = np.append(starts[1:], stop)[: starts.size]
        n_lines, first = starts.size, 0
        if not n_lines:
            return 0, 0
        if self._state == "before":
            first = max(0, self._first - self._line)
            if self._from and first < n_lines:
                hits = np.flatnonzero(
                    find_lines(text.data, starts[first:], ends[first:], self._from, "start")
                )
                first = first + int(hits[0]) if hits.size else n_lines
            if first >= n_lines:
                return stop, stop
            self._state, self._began = "inside", self._line + first
        last = n_lines - 1
        if self._last is not None:
            last = min(last, self._last - self._line)
            if self._last - self._line < n_lines:
                self._state = "after"
        if self._to:
            after = max(first, self._began + 1 - self._line)
            lines = slice(after, last + 1)
            hits = np.flatnonzero(
                find_lines(text.data, starts[lines], ends[lines], self._to, "start")
            )
            if hits.size:
                last, self._state = after + int(hits[0]), "after"
        begin = int(starts[first])
        return begin, int(ends[last]) if last >= first else begin

    def check(self) -> None:
        """Raise InputError where the part was not found."""
        said = " or ".join(map(repr, self._part.from_))
        if self._state == "before" and self._from:
            raise InputError(f"no line begins with --from {said}; capitals count")
        if self._state == "before":
            raise InputError(f"there is no line {self._first}: the text has {self._line - 1} lines")
        if self._to and self._state == "inside":
            said = " or ".join(map(repr, self._part.to))
            raise InputError(
                f"no line behind line {self._began} begins with --to {said}; capitals count"
            )


def _join(first: Decoded, second: Decoded) -> Decoded:
    if not first.data:
        return second
    size = len(first.data)
    return Decoded(
        first.data + second.data,
        first.characters + second.characters,
        first.undecodable + tuple(place + size for place in second.undecodable),
        first.broken + tuple(place + size for place in second.broken),
    )


def _slice(block: Decoded, start: int, end: int) -> Decoded:
    if start == 0 and end == len(block.data):
        return block
    data = block.data[start:end]
    is_plain = block.characters == len(block.data)  # a byte is a character
    characters = len(data) if is_plain else count_characters(np.frombuffer(data, np.uint8))
    undecodable, broken = (
        tuple(place - start for place in places if start <= place < end)
        for places in (block.undecodable, block.broken)
    )
    return Decoded(data, characters, undecodable, broken)
