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
    """

    data: Bytes
    body_size: int
    first_line: int = 1
    built: Ints = msgspec.field(default_factory=_no_positions)
    origin_starts: Ints = msgspec.field(default_factory=_no_positions)
    origin_ends: Ints = msgspec.field(default_factory=_no_positions)

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
        return np.searchsorted(self.line_starts, positions, "right") - 1 + self.first_line
