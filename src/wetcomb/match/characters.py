"""Kinds of character and display widths, from one frozen table.

The table ships with the tool (`scripts/make_characters.py` makes it), so that the same
text is cut alike with every Python. Combining marks, format characters and what follows
a zero-width joiner take no column; wide characters take two; a tab goes to the next stop.
"""

from __future__ import annotations

from functools import cache

import numpy as np

from wetcomb.core.arrays import Bools, Bytes, Ints
from wetcomb.core.text import is_ascii

__all__ = [
    "KIND_SIGNS",
    "Columns",
    "drop_spacing",
    "find_ascii_kinds",
    "find_kinds",
    "find_widths",
    "read_code_points",
]

_MAGIC = b"WCCH1\n\0\0"
MARK, SMALL, CAPITAL, LETTER, DIGIT, SPACE, COMBINING, FORMAT = range(8)
_JOINER = 0x200D
TAB = 0x09

#: Kinds of character by the sign that stands for them in an example.
KIND_SIGNS = {
    "a": (SMALL, LETTER),
    "A": (CAPITAL,),
    "9": (DIGIT,),
    "_": (SPACE,),
    ".": (MARK,),
}


@cache
def _load() -> tuple[Bytes, Bytes]:
    """Return the kind and the width of every code point."""
    raw = __loader__.get_data(__file__.removesuffix("characters.py") + "characters.bin")  # type: ignore[name-defined]
    assert raw.startswith(_MAGIC)
    n_runs = int(np.frombuffer(raw, "<u4", 1, len(_MAGIC))[0])
    firsts = np.frombuffer(raw, "<u4", n_runs, len(_MAGIC) + 4).astype(np.int64)
    codes = np.frombuffer(raw, np.uint8, n_runs, len(_MAGIC) + 4 + 4 * n_runs)
    table: Bytes = np.repeat(codes, np.diff(firsts, append=0x110000))
    return (table & 0x0F).astype(np.uint8), (table >> 4).astype(np.uint8)


def drop_spacing(text: str) -> str:
    """Return a text without its spacing of any kind."""
    if text.isascii():
        return "".join(text.split())
    points, _ = read_code_points(np.frombuffer(text.encode(), np.uint8))
    kinds = find_kinds(points).tolist()
    return "".join(sign for sign, kind in zip(text, kinds, strict=True) if kind != SPACE)


@cache
def _load_ascii() -> tuple[Bytes, Bytes]:
    """Return the same for ASCII alone, without laying out the whole table."""
    signs = np.arange(128, dtype=np.uint8)
    kinds = np.full(128, MARK, np.uint8)
    kinds[(signs >= 0x61) & (signs <= 0x7A)] = SMALL
    kinds[(signs >= 0x41) & (signs <= 0x5A)] = CAPITAL
    kinds[(signs >= 0x30) & (signs <= 0x39)] = DIGIT
    kinds[((signs >= 0x09) & (signs <= 0x0D)) | (signs == 0x20)] = SPACE
    return kinds, ((signs >= 0x20) & (signs < 0x7F)).astype(np.uint8)


def read_code_points(data: Bytes) -> tuple[Ints, Ints]:
    """Return the code points of UTF-8 bytes and where each of them begins."""
    if is_ascii(data):
        return data.astype(np.int64), np.arange(data.size)
    places = np.flatnonzero((data & 0xC0) != 0x80)
    points = np.frombuffer(data.tobytes().decode().encode("utf-32-le"), "<u4").astype(np.int64)
    return points, places


def find_kinds(points: Ints) -> Bytes:
    """Return the kind of each code point."""
    if not points.size or points.max() < 128:
        return _load_ascii()[0][points]
    return _load()[0][points]


def find_ascii_kinds(data: Bytes) -> Bytes:
    """Return the kind of each byte of a text that is ASCII: the same, without code points."""
    return _load_ascii()[0].take(data)


def find_widths(points: Ints) -> Bytes:
    """Return how many display columns each code point of a text takes; tabs and controls none."""
    if not points.size or points.max() < 128:
        return _load_ascii()[1][points]
    widths = _load()[1][points]
    joined = np.append(False, points[:-1] == _JOINER)
    return np.where(joined, 0, widths).astype(np.uint8)


class Columns:
    """The display columns of a text's lines.

    Parameters
    ----------
    data : (N,) uint8
    line_starts, line_ends : (L,) int64, the lines, their line ends left out
    tab_width : columns from one tab stop to the next
    """

    def __init__(self, data: Bytes, line_starts: Ints, line_ends: Ints, tab_width: int) -> None:
        self._starts, self._ends = line_starts, line_ends
        self._before = _count_columns(data, line_starts, line_ends, tab_width)

    def find_places(self, columns: Ints) -> tuple[Ints, Bools]:
        """Return where each column begins in each line, and which of these places are not exact.

        Returns
        -------
        places : (L, E) int64, the line's end where it does not reach the column
        torn : (L, E) bool, the column stands inside a tab or a wide character; the place is
            before it
        """
        if self._before is None:  # a byte is a column
            places = self._starts[:, None] + columns
            return np.minimum(places, self._ends[:, None]), np.zeros(places.shape, np.bool_)
        wanted = self._before[self._starts][:, None] + columns
        places = np.searchsorted(self._before, wanted, "right") - 1
        places = np.minimum(places, self._ends[:, None])
        torn = (self._before[places] < wanted) & (places < self._ends[:, None])
        return places, torn

    def find_columns(self, places: Ints, lines: Ints) -> Ints:
        """Return the display column (from 0) of places on the lines given."""
        if self._before is None:
            return places - self._starts[lines]
        return self._before[places] - self._before[self._starts[lines]]


def _count_columns(data: Bytes, starts: Ints, ends: Ints, tab_width: int) -> Ints | None:
    """Return how many columns stand before each byte, over all lines; None where bytes are columns."""
    has_tabs = bool((data == TAB).any())
    odd = data < 0x20
    n_plain = int(np.count_nonzero(odd & ((data == 0x0A) | (data == 0x0D) | (data == TAB))))
    if not has_tabs and is_ascii(data) and int(np.count_nonzero(odd)) == n_plain:
        return None
    points, places = read_code_points(data)
    widths = np.zeros(data.size, np.int64)
    widths[places] = find_widths(points)
    if has_tabs:
        _widen_tabs(data, widths, starts, ends, tab_width)
    return np.append(0, np.cumsum(widths))


def _widen_tabs(data: Bytes, widths: Ints, starts: Ints, ends: Ints, tab_width: int) -> None:
    """Give each tab its width.

    Behind a tab the column is a multiple of the tab width, so that a tab's own width depends
    only on what stands between it and the tab before it, or the line's start.
    """
    before = np.append(0, np.cumsum(widths))
    tabs = np.flatnonzero(data == TAB)
    lines = np.searchsorted(starts, tabs, "right") - 1
    is_inside = lines >= 0
    tabs, lines = tabs[is_inside], lines[is_inside]
    tabs, lines = tabs[tabs < ends[lines]], lines[tabs < ends[lines]]
    since = np.append(0, tabs[:-1]) if tabs.size else tabs
    since = np.maximum(since, starts[lines])
    widths[tabs] = tab_width - (before[tabs] - before[since]) % tab_width
