"""Text, held once.

A `Text` is one array of UTF-8 bytes in two parts. The *body* is a verbatim slice
of the source; the *appendix* behind it holds the few values that stand nowhere in
the source as they are: put together from pieces of the body (a doubled quote mark made
single, a wrapped cell), or told again. A cell is a span into this array, and its value is
exactly `data[start:end]`, whichever part it is in, so no later step needs a special case.
Where a built value came from is asked in one way: `find_origins`.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property

import msgspec
import numpy as np
from msgspec.structs import replace

from wetcomb.core.arrays import Bools, Bytes, Ints, Spans, count_before, list_positions, spread
from wetcomb.core.forms import Forms
from wetcomb.core.gather import weave

__all__ = ["Origins", "Text", "count_characters", "count_line_ends"]

LF, CR = 0x0A, 0x0D
_MANY = 8  # of the bytes of a text, from which it is quicker to look at all of them


def is_continuation(data: Bytes) -> Bools:
    """Return which bytes go on with a character that began before them (UTF-8 0b10xxxxxx)."""
    return data.view(np.int8) < -64  # with a sign they are the lowest: one pass instead of two


def is_ascii(data: Bytes) -> bool:
    """Return whether every byte is a character of its own."""
    return not data.size or int(data.max()) < 0x80


def count_characters(data: Bytes) -> int:
    """Return the number of code points in UTF-8 bytes."""
    return data.size - int(np.count_nonzero(is_continuation(data)))


def count_line_ends(raw: bytes, *, is_whole: bool = False) -> int:
    """Return how many lines end in some text, at LF, CR or CRLF; `is_whole`: its last one does too."""
    data = np.frombuffer(raw, np.uint8)  # counting bytes one by one takes ten times as long
    number = int(np.count_nonzero(data == LF))
    if b"\r" in raw:
        number += int(np.count_nonzero(data == CR)) - raw.count(b"\r\n")
    return number + (is_whole and bool(raw) and not raw.endswith((b"\n", b"\r")))


def _no_positions() -> Ints:
    return np.zeros(0, np.int64)


class Origins(msgspec.Struct, frozen=True, eq=False):
    """The pieces of the body that spans were made of, P of them, in the order of the spans.

    Attributes
    ----------
    owners : (P,) int64, which span each piece is of
    starts, ends : (P,) int64, the pieces, as spans of the body
    places : (P,) int64, where each stands in the text: the same as `starts` where a span lies in
        the body
    """

    owners: Ints
    starts: Ints
    ends: Ints
    places: Ints


class Text(msgspec.Struct, frozen=True, eq=False, dict=True):
    """A slice of the source, with built values behind it.

    Attributes
    ----------
    data : (N,) uint8, body then appendix
    body_size : bytes of the body
    first_line : line number (from 1) of the source where the body begins
    origin_places : (Q,) int64, where in the appendix each piece of the body stands, rising
    origin_starts, origin_ends : (Q,) int64, the piece, as a span of the body; what no piece
        covers was put in
    again_starts, again_ends : (G,) int64, values of the appendix that tell again what the text
        says elsewhere, rising; they have no origins
    again_reasons : why each is told again (a key of `REPEATED`)
    forms : values of the appendix that say in another form what the source says; they have no
        origins, but sources
    jumps, jump_lines : (J,) int64, where in the body text begins that does not follow there
        what stands before it in the source, and its source line; none where all of it does
    puts, put_ends : (U,) int64, spans of the body that stand nowhere in the source, rising
    odd_places, odd_kinds : (O,) int64, places of the body at which something is odd already, and
        the code of the snag
    """

    data: Bytes
    body_size: int
    first_line: int = 1
    origin_places: Ints = msgspec.field(default_factory=_no_positions)
    origin_starts: Ints = msgspec.field(default_factory=_no_positions)
    origin_ends: Ints = msgspec.field(default_factory=_no_positions)
    again_starts: Ints = msgspec.field(default_factory=_no_positions)
    again_ends: Ints = msgspec.field(default_factory=_no_positions)
    again_reasons: tuple[str, ...] = ()
    forms: Forms = Forms()
    jumps: Ints = msgspec.field(default_factory=_no_positions)
    jump_lines: Ints = msgspec.field(default_factory=_no_positions)
    puts: Ints = msgspec.field(default_factory=_no_positions)
    put_ends: Ints = msgspec.field(default_factory=_no_positions)
    odd_places: Ints = msgspec.field(default_factory=_no_positions)
    odd_kinds: Ints = msgspec.field(default_factory=_no_positions)

    @classmethod
    def of(cls, text: str | bytes, first_line: int = 1) -> Text:
        """Return the text of a string, or of UTF-8 bytes, with an empty appendix."""
        raw = text.encode() if isinstance(text, str) else text
        return cls(np.frombuffer(raw, np.uint8), len(raw), first_line)

    def value(self, start: int, end: int) -> str:
        """Return the characters of one span."""
        return self.data[start:end].tobytes().decode()

    # The appendix: values that stand nowhere in the source as they are

    def build(
        self,
        starts: Ints,
        ends: Ints,
        counts: Ints,
        glue: bytes = b"",
        bare: Bools | None = None,
    ) -> tuple[Text, Ints, Ints]:
        """Return this text with values laid behind it, and where each begins and ends.

        Parameters
        ----------
        starts, ends : spans that the values are put together from, in their order; they may lie
            in the appendix themselves
        counts : (V,) how many of them make each value, at least one
        glue : what stands between two of them
        bare : parts behind which it does not
        """
        lasts = np.cumsum(counts) - 1
        is_inner = np.ones(starts.size, np.int64)
        is_inner[lasts] = 0
        if bare is not None:
            is_inner[bare] = 0
        if glue:
            laid = weave(self.data, self.body_size, starts, ends, is_inner, (b"", glue))
        else:
            laid = self.data[list_positions(starts, ends)]
        sizes = ends - starts + len(glue) * is_inner
        stops = self.data.size + np.cumsum(sizes)
        found = self._find_pieces(starts, ends)
        places = (stops - sizes)[found.owners] + found.places - starts[found.owners]
        grown = replace(
            self,
            data=np.concatenate([self.data, laid]),
            origin_places=np.concatenate([self.origin_places, places]),
            origin_starts=np.concatenate([self.origin_starts, found.starts]),
            origin_ends=np.concatenate([self.origin_ends, found.ends]),
        )
        firsts = lasts - counts + 1
        return grown, stops[firsts] - sizes[firsts], stops[lasts]

    def repeat(self, values: Sequence[bytes], reason: str) -> tuple[Text, Ints, Ints]:
        """Return this text with values laid behind it that it tells again, and their spans."""
        sizes = np.array([len(value) for value in values], np.int64)
        ends = self.data.size + np.cumsum(sizes)
        grown = replace(
            self,
            data=np.concatenate([self.data, np.frombuffer(b"".join(values), np.uint8)]),
            again_starts=np.concatenate([self.again_starts, ends - sizes]),
            again_ends=np.concatenate([self.again_ends, ends]),
            again_reasons=(*self.again_reasons, *[reason] * len(values)),
        )
        return grown, ends - sizes, ends

    def alter(
        self, starts: Ints, ends: Ints, laid: Bytes, sizes: Ints, owners: Ints | None = None
    ) -> tuple[Text, Ints, Ints]:
        """Return this text with some values in another form laid behind it, and their spans.

        Parameters
        ----------
        starts, ends : the values, which may lie in the appendix themselves
        laid, sizes : the new ones, one behind another, and how long each is; none is empty
        owners : which of the new ones each value became part of, rising; None: each became one
        """
        stops = self.data.size + np.cumsum(sizes)
        begins = stops - sizes
        found = self.find_sources(starts, ends)
        mine = found.owners if owners is None else owners[found.owners]
        forms = self.forms.add((begins, stops), (mine, found.starts, found.ends))
        grown = replace(self, data=np.concatenate([self.data, laid]), forms=forms)
        return grown, begins, stops

    def find_sources(self, starts: Ints, ends: Ints) -> Origins:
        """Return the pieces of the body that spans stand for, in whatever form; none for what is told again."""
        forms = self.forms.find(starts, ends)
        at = np.searchsorted(self.again_starts, starts, "right") - 1
        is_again = at >= 0
        is_again[is_again] = ends[is_again] <= self.again_ends[at[is_again]]
        plain = np.flatnonzero((forms < 0) & ~is_again)
        found = self.find_origins(starts[plain], ends[plain])
        mine = np.flatnonzero(forms >= 0)
        owners, begins, stops = self.forms.list_pieces(forms[mine])
        everyone = np.concatenate([plain[found.owners], mine[owners]])
        order = np.argsort(everyone, kind="stable")
        begins = np.concatenate([found.starts, begins])[order]
        stops = np.concatenate([found.ends, stops])[order]
        return Origins(everyone[order], begins, stops, begins)

    def find_origins(self, starts: Ints, ends: Ints) -> Origins:
        """Return the pieces of the body that spans were made of, empty ones left out."""
        found = self._find_pieces(starts, ends)
        real = found.ends > found.starts
        if real.all():
            return found
        return Origins(
            *(part[real] for part in (found.owners, found.starts, found.ends, found.places))
        )

    def _find_pieces(self, starts: Ints, ends: Ints) -> Origins:
        """Return the same, with spans of the body that are empty."""
        is_built = ends > self.body_size  # what is built is never empty
        firm = np.flatnonzero(~is_built)
        if firm.size == starts.size:
            return Origins(firm, starts, ends, starts)
        late = np.flatnonzero(is_built)
        begins, stops = starts[late], ends[late]
        lengths = self.origin_ends - self.origin_starts
        first = np.searchsorted(self.origin_places + lengths, begins, "right")
        last = np.searchsorted(self.origin_places, stops)
        owners, nth = spread(np.maximum(last - first, 0))
        pieces = first[owners] + nth
        places = np.maximum(self.origin_places[pieces], begins[owners])
        behind = np.minimum((self.origin_places + lengths)[pieces], stops[owners])
        moved = self.origin_starts[pieces] - self.origin_places[pieces]
        all_owners = np.concatenate([firm, late[owners]])
        order = np.argsort(all_owners, kind="stable")
        return Origins(
            all_owners[order],
            np.concatenate([starts[firm], places + moved])[order],
            np.concatenate([ends[firm], behind + moved])[order],
            np.concatenate([starts[firm], places])[order],
        )

    def find_extents(self, starts: Ints, ends: Ints) -> tuple[Ints, Ints]:
        """Return the spans of the body from the first to the last piece that spans were made of.

        Those that tell something again have none: they stay as they are.
        """
        is_built = ends > self.body_size
        if not is_built.any():
            return starts, ends
        found = self.find_sources(starts, ends)
        begins, stops = starts.copy(), ends.copy()
        is_first = np.append(True, found.owners[1:] != found.owners[:-1])[: found.owners.size]
        is_last = np.append(is_first[1:], True)[: found.owners.size]
        begins[found.owners[is_first]] = found.starts[is_first]
        stops[found.owners[is_last]] = found.ends[is_last]
        # an empty piece ends the value that ends there: what left the source stood before it
        empty = np.flatnonzero(self.origin_ends == self.origin_starts)
        at = np.searchsorted(self.origin_places[empty], ends)
        is_closed = is_built & (at < empty.size)
        is_closed[is_closed] = self.origin_places[empty[at[is_closed]]] == ends[is_closed]
        stops[is_closed] = self.origin_starts[empty[at[is_closed]]]
        return begins, stops

    @cached_property
    def _is_ascii(self) -> bool:
        return is_ascii(self.data)

    @cached_property
    def _continuations(self) -> Spans | None:
        """How many continuation bytes stand before each position; None if there are none at all."""
        if self._is_ascii:
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
        n_bytes = int(ends.sum()) - int(starts.sum())
        if self._is_ascii or not n_bytes:
            return n_bytes
        if n_bytes <= starts.size and int((ends - starts).max()) <= 1:
            return n_bytes  # no character of more than a byte fits in
        if n_bytes * _MANY < self.data.size:  # a look at these alone, not at all of the text
            return count_characters(self.data[list_positions(starts, ends)])
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
        if not self.jumps.size:
            return lines + self.first_line
        at = np.maximum(np.searchsorted(self.jumps, positions, "right") - 1, 0)
        firsts = np.searchsorted(self.line_starts, self.jumps[at], "right") - 1
        return self.jump_lines[at] + lines - firsts

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
        """Return the body up to a position, so that it may stand behind any other."""
        text = self.slice(0, end, self.first_line)
        if text.jumps.size:
            return text
        return replace(text, jumps=np.array([0]), jump_lines=np.array([self.first_line]))

    def rest(self, start: int, n_lines: int) -> Text:
        """Return the body from a position on, before which so many lines end, as a text of its own."""
        if start == 0:
            return self
        line = self.first_line + n_lines
        if self.jumps.size:  # the lines do not follow each other in the source
            line = int(self.line_numbers(np.array([start]))[0])
        return self.slice(start, self.body_size, line)

    def slice(self, start: int, end: int, first_line: int) -> Text:
        """Return a stretch of the body, which begins on a source line, as a text of its own."""
        before, behind = np.searchsorted(self.jumps, (start, end)).tolist()
        jumps, lines = self.jumps[before:behind] - start, self.jump_lines[before:behind]
        if self.jumps.size and not (jumps.size and jumps[0] == 0):
            jumps, lines = np.append(0, jumps), np.append(first_line, lines)
        puts, put_ends = self.puts.clip(start, end) - start, self.put_ends.clip(start, end) - start
        is_put = put_ends > puts
        is_odd = (self.odd_places >= start) & (self.odd_places < end)
        return Text(
            self.data[start:end],
            end - start,
            first_line,
            jumps=jumps,
            jump_lines=lines,
            puts=puts[is_put],
            put_ends=put_ends[is_put],
            odd_places=self.odd_places[is_odd] - start,
            odd_kinds=self.odd_kinds[is_odd],
        )

    def join(self, other: Text) -> Text:
        """Return this body with another behind it; their appendices are left out."""
        size = self.body_size
        if not size:
            return other if other.jumps.size else replace(other, first_line=self.first_line)
        jumps = self.jumps if self.jumps.size else np.zeros(min(1, other.jumps.size), np.int64)
        lines = self.jump_lines if self.jumps.size else np.full(jumps.size, self.first_line)
        return Text(
            np.concatenate([self.data[:size], other.data[: other.body_size]]),
            size + other.body_size,
            self.first_line,
            jumps=np.concatenate([jumps, other.jumps + size]),
            jump_lines=np.concatenate([lines, other.jump_lines]),
            puts=np.concatenate([self.puts, other.puts + size]),
            put_ends=np.concatenate([self.put_ends, other.put_ends + size]),
            odd_places=np.concatenate([self.odd_places, other.odd_places + size]),
            odd_kinds=np.concatenate([self.odd_kinds, other.odd_kinds]),
        )
