"""Text, held once.

A `Text` is one array of UTF-8 bytes in two parts. The *body* is a verbatim slice
of the source; the *appendix* behind it holds the few values that stand nowhere in
the source as they are (a doubled quote mark made single). A cell is a span into
this array, and its value is exactly `data[start:end]`, whichever part it is in, so
no later step needs a special case.
"""

from __future__ import annotations

from functools import cached_property

import msgspec
import numpy as np
from msgspec.structs import replace

from wetcomb.core.arrays import Bools, Bytes, Ints, Spans, count_before

__all__ = ["Text", "count_characters", "count_line_ends"]

LF, CR = 0x0A, 0x0D


def is_continuation(data: Bytes) -> Bools:
    """Return which bytes go on with a character that began before them (UTF-8 0b10xxxxxx)."""
    return (data & 0xC0) == 0x80


def is_ascii(data: Bytes) -> bool:
    """Return whether every byte is a character of its own."""
    return not data.size or int(data.max()) < 0x80


def count_characters(data: Bytes) -> int:
    """Return the number of code points in UTF-8 bytes."""
    if is_ascii(data):
        return data.size
    return data.size - int(np.count_nonzero(is_continuation(data)))


def count_line_ends(raw: bytes) -> int:
    """Return how many lines end in some text: at LF, CR or CRLF."""
    data = np.frombuffer(raw, np.uint8)  # counting bytes one by one takes ten times as long
    number = int(np.count_nonzero(data == LF))
    if b"\r" in raw:
        number += int(np.count_nonzero(data == CR)) - raw.count(b"\r\n")
    return number


def _no_positions() -> Ints:
    return np.zeros(0, np.int64)


class Text(msgspec.Struct, frozen=True, eq=False, dict=True):
    """A slice of the source, with built values behind it.

    Attributes
    ----------
    data : (N,) uint8, body then appendix
    body_size : bytes of the body
    first_line : line number (from 1) of the source where the body begins
    built : (B,) int64, start of each built value in the appendix, rising
    origin_starts, origin_ends : (B,) int64, the span of the body each was built from
    pieces, piece_lines : (P,) int64, where in the body pieces of the source begin that do not
        follow each other there, and the source line of each; none where all of it does
    puts, put_ends : (Q,) int64, spans of the body that stand nowhere in the source
    doubts, doubt_codes : (U,) int64, places of the body at which something is odd already, and
        the code of the snag
    """

    data: Bytes
    body_size: int
    first_line: int = 1
    built: Ints = msgspec.field(default_factory=_no_positions)
    origin_starts: Ints = msgspec.field(default_factory=_no_positions)
    origin_ends: Ints = msgspec.field(default_factory=_no_positions)
    pieces: Ints = msgspec.field(default_factory=_no_positions)
    piece_lines: Ints = msgspec.field(default_factory=_no_positions)
    puts: Ints = msgspec.field(default_factory=_no_positions)
    put_ends: Ints = msgspec.field(default_factory=_no_positions)
    doubts: Ints = msgspec.field(default_factory=_no_positions)
    doubt_codes: Ints = msgspec.field(default_factory=_no_positions)

    @classmethod
    def of(cls, text: str | bytes, first_line: int = 1) -> Text:
        """Return the text of a string, or of UTF-8 bytes, with an empty appendix."""
        raw = text.encode() if isinstance(text, str) else text
        return cls(np.frombuffer(raw, np.uint8), len(raw), first_line)

    def value(self, start: int, end: int) -> str:
        """Return the characters of one span."""
        return self.data[start:end].tobytes().decode()

    def origins(self, starts: Ints, ends: Ints) -> tuple[Ints, Ints]:
        """Return the spans of the body that values came from."""
        is_built = ends > self.body_size  # a built value is never empty
        if not is_built.any():
            return starts, ends
        places = np.searchsorted(self.built, starts[is_built], "right") - 1
        starts, ends = starts.copy(), ends.copy()
        starts[is_built], ends[is_built] = self.origin_starts[places], self.origin_ends[places]
        return starts, ends

    def append(self, values: Bytes, lengths: Ints, origins: tuple[Ints, Ints]) -> tuple[Text, Ints]:
        """Return this text with values laid behind it, and where each of them starts."""
        starts = self.data.size + np.cumsum(lengths) - lengths
        grown = replace(
            self,
            data=np.concatenate([self.data, values]),
            built=np.concatenate([self.built, starts]),
            origin_starts=np.concatenate([self.origin_starts, origins[0]]),
            origin_ends=np.concatenate([self.origin_ends, origins[1]]),
        )
        return grown, starts

    @cached_property
    def _continuations(self) -> Spans | None:
        """How many continuation bytes stand before each position; None if there are none at all."""
        if is_ascii(self.data):
            return None
        return count_before(is_continuation(self.data))

    def lengths(self, starts: Ints, ends: Ints) -> Ints:
        """Return the number of characters of each span."""
        before = self._continuations
        if before is None:
            return ends - starts
        return ends - starts - (before[ends] - before[starts])

    def count(self, starts: Ints, ends: Ints) -> int:
        """Return the number of characters in all spans together."""
        sizes = ends - starts
        if not sizes.size or sizes.max() <= 1:  # no character of more than a byte fits in
            return int(sizes.sum())
        return int(self.lengths(starts, ends).sum())

    @cached_property
    def line_starts(self) -> Ints:
        """Where each line of the body begins, as positions; line ends are LF, CR and CRLF."""
        body = self.data[: self.body_size]
        ends = body == LF
        returns = np.flatnonzero(body == CR)
        if returns.size:
            alone = returns[np.append(body, np.uint8(0))[returns + 1] != LF]
            ends[alone] = True
        return np.concatenate([[0], np.flatnonzero(ends) + 1])

    def line_numbers(self, positions: Ints) -> Ints:
        """Return the source line (from 1) each position of the body stands on."""
        lines = np.searchsorted(self.line_starts, positions, "right") - 1
        if not self.pieces.size:
            return lines + self.first_line
        at = np.maximum(np.searchsorted(self.pieces, positions, "right") - 1, 0)
        firsts = np.searchsorted(self.line_starts, self.pieces[at], "right") - 1
        return self.piece_lines[at] + lines - firsts

    @cached_property
    def _puts_in_order(self) -> tuple[Ints, Ints, Ints]:
        """What stands nowhere in the source, in order, and how many characters of it before each."""
        order = np.argsort(self.puts, kind="stable")
        starts, ends = self.puts[order], self.put_ends[order]
        return starts, ends, np.append(0, np.cumsum(self.lengths(starts, ends)))

    def _count_puts_before(self, positions: Ints) -> int:
        """Return the sum over positions of how many such characters stand before each."""
        starts, ends, before = self._puts_in_order
        at = np.searchsorted(starts, positions, "right")
        begun = np.flatnonzero(at)
        last = at[begun] - 1
        behind = self.lengths(np.minimum(positions[begun], ends[last]), ends[last])
        return int(before[at].sum()) - int(behind.sum())

    def count_puts(self, starts: Ints, ends: Ints) -> int:
        """Return how many characters of spans of the body stand nowhere in the source."""
        if not self.puts.size or not starts.size:
            return 0
        return self._count_puts_before(ends) - self._count_puts_before(starts)

    def take(self, end: int) -> Text:
        """Return the body up to a position, as a piece that may stand behind any other."""
        kept = np.searchsorted(self.pieces, end)
        puts, doubts = self.puts < end, self.doubts < end
        is_one = not self.pieces.size
        return Text(
            self.data[:end],
            end,
            self.first_line,
            pieces=np.array([0]) if is_one else self.pieces[:kept],
            piece_lines=np.array([self.first_line]) if is_one else self.piece_lines[:kept],
            puts=self.puts[puts],
            put_ends=self.put_ends[puts],
            doubts=self.doubts[doubts],
            doubt_codes=self.doubt_codes[doubts],
        )

    def rest(self, start: int, n_lines: int) -> Text:
        """Return the body from a position on, before which so many lines end, as a text of its own."""
        if start == 0:
            return self
        kept = np.searchsorted(self.pieces, start)
        puts = self.puts >= start
        doubts = self.doubts >= start
        line = self.first_line + n_lines
        if self.pieces.size:  # they do not follow each other in the source
            line = int(self.line_numbers(np.array([start]))[0])
        pieces, lines = self.pieces[kept:] - start, self.piece_lines[kept:]
        if self.pieces.size and not (pieces.size and pieces[0] == 0):
            pieces, lines = np.append(0, pieces), np.append(line, lines)
        return Text(
            self.data[start : self.body_size],
            self.body_size - start,
            line,
            pieces=pieces,
            piece_lines=lines,
            puts=self.puts[puts] - start,
            put_ends=self.put_ends[puts] - start,
            doubts=self.doubts[doubts] - start,
            doubt_codes=self.doubt_codes[doubts],
        )

    def join(self, other: Text) -> Text:
        """Return this body with another behind it; their appendices are left out."""
        size = self.body_size
        if not size:
            return other if other.pieces.size else replace(other, first_line=self.first_line)
        pieces = self.pieces if self.pieces.size else np.zeros(min(1, other.pieces.size), np.int64)
        lines = self.piece_lines if self.pieces.size else np.full(pieces.size, self.first_line)
        return Text(
            np.concatenate([self.data[:size], other.data[: other.body_size]]),
            size + other.body_size,
            self.first_line,
            pieces=np.concatenate([pieces, other.pieces + size]),
            piece_lines=np.concatenate([lines, other.piece_lines]),
            puts=np.concatenate([self.puts, other.puts + size]),
            put_ends=np.concatenate([self.put_ends, other.put_ends + size]),
            doubts=np.concatenate([self.doubts, other.doubts + size]),
            doubt_codes=np.concatenate([self.doubt_codes, other.doubt_codes]),
        )
