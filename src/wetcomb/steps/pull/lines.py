"""The lines of a text as arrays."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property
from typing import overload

import msgspec
import numpy as np

from wetcomb.core.arrays import Bools, Bytes, Ints
from wetcomb.core.cutting.recut import trim
from wetcomb.core.rewrite import list_lines
from wetcomb.core.text import Text

__all__ = ["ODD_MARKS", "PLAIN_MARKS", "Lines", "read_lines"]

#: Marks of labels that are one sign, and the first bytes of those that are no ASCII.
PLAIN_MARKS, ODD_MARKS = b":=|", b"\xe2\xef"


class Lines(msgspec.Struct, eq=False, dict=True):
    """The lines of a chunk, L of them.

    Attributes
    ----------
    data, raw : the text of the chunk, as an array and as bytes
    starts, ends, stops : (L,) where each begins, where its line end does, and where that ends
    begins, rights : (L,) the same without the spacing at its edges
    """

    data: Bytes
    raw: bytes
    starts: Ints
    ends: Ints
    stops: Ints
    begins: Ints
    rights: Ints

    @property
    def n_lines(self) -> int:
        """How many there are."""
        return int(self.starts.size)

    @property
    def end(self) -> int:
        """Where the last of them ends."""
        return int(self.stops[-1]) if self.stops.size else 0

    @property
    def is_blank(self) -> Bools:
        """Which have nothing on them."""
        return self.begins >= self.rights

    @cached_property
    def listed(self) -> tuple[list[int], list[int], list[int]]:
        """Starts, begins and rights as numbers, for what goes from line to line."""
        return self.starts.tolist(), self.begins.tolist(), self.rights.tolist()

    @cached_property
    def marks(self) -> Ints:
        """Every place where a mark may begin: its first sign, or the first of its blanks."""
        return _list_marks(self.data)

    def begin_at(self, places: Ints) -> Lines:
        """Return them with some of them beginning behind places in them."""
        begins = self.begins.copy()
        at = np.searchsorted(self.starts, places, "right") - 1
        np.maximum.at(begins, at, places)
        begins[at], _ = trim(self.data, np.minimum(begins[at], self.rights[at]), self.rights[at])
        return self._with(self.starts, self.ends, self.stops, begins, self.rights)

    def _with(self, *arrays: Ints) -> Lines:
        """Return other lines of the same text; its marks need not be looked for again."""
        lines = Lines(self.data, self.raw, *arrays)
        if "marks" in self.__dict__:
            lines.__dict__["marks"] = self.marks
        return lines

    def tell(self, line: int) -> bytes:
        """Return what a line says, its line end left out."""
        return self.raw[self.starts[line] : self.ends[line]]

    def says(self, line: int) -> bytes:
        """Return the same without the spacing at its edges."""
        return self.raw[self.begins[line] : self.rights[line]]

    def cut(self, n_lines: int) -> Lines:
        """Return only the first lines."""
        arrays = (self.starts, self.ends, self.stops, self.begins, self.rights)
        return self._with(*(part[:n_lines] for part in arrays))

    def as_list(self) -> Sequence[bytes]:
        """Return the lines one by one, each made when it is looked at."""
        return _Told(self)


class _Told(Sequence[bytes]):
    def __init__(self, lines: Lines) -> None:
        self._raw, self._spans = lines.raw, (lines.starts.tolist(), lines.ends.tolist())

    def __len__(self) -> int:
        return len(self._spans[0])

    @overload
    def __getitem__(self, place: int) -> bytes: ...

    @overload
    def __getitem__(self, place: slice) -> list[bytes]: ...

    def __getitem__(self, place: int | slice) -> bytes | list[bytes]:
        starts, ends = self._spans
        if isinstance(place, slice):
            pairs = zip(starts[place], ends[place], strict=True)
            return [self._raw[start:end] for start, end in pairs]
        return self._raw[starts[place] : ends[place]]


def read_lines(chunk: Text, *, is_last: bool) -> Lines:
    """Return the whole lines of a chunk; one that may go on is left out."""
    starts, ends, stops = list_lines(chunk)
    if not is_last and starts.size and stops[-1] == ends[-1]:
        starts, ends, stops = starts[:-1], ends[:-1], stops[:-1]
    data = chunk.data[: chunk.body_size]
    begins, rights = _trim_lines(data, starts, ends)
    return Lines(data, data.tobytes(), starts, ends, stops, begins, rights)


def _trim_lines(data: Bytes, starts: Ints, ends: Ints) -> tuple[Ints, Ints]:
    """Return lines without blanks, tabs and form feeds at their edges."""
    begins, rights = trim(data, starts, ends)
    while True:
        inside = begins < rights
        first = inside & (data.take(begins, mode="clip") == 0x0C)
        last = inside & (data.take(rights - 1, mode="clip") == 0x0C) & (rights - 1 > begins)
        if not (first.any() or last.any()):
            return begins, rights
        begins, rights = trim(data, begins + first, rights - last)


def _list_marks(data: Bytes) -> Ints:
    """Return every place where a mark may begin."""
    table = np.zeros(256, np.bool_)
    table[[*PLAIN_MARKS, *ODD_MARKS, 0x09]] = True
    found = table[data]
    if data.size > 1:
        blank = data == 0x20
        found[:-1] |= blank[:-1] & blank[1:]
        dot = data == 0x2E
        if dot.any():
            places = np.flatnonzero(dot)
            behind = data.take(places + 1, mode="clip")
            second = data.take(places + 2, mode="clip")
            leads = (behind == 0x2E) | ((behind == 0x20) & (second == 0x2E))
            found[places[leads]] = True
    return np.flatnonzero(found)
