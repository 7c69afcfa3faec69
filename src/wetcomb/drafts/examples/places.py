"""Places in a value that other values have too: where a wanted stretch begins and ends.

A place is told by what all values share: the n-th mark, run of letters or digits, or filled
stretch, from either end, or so many characters. An example leaves every place that agrees with
it; several examples leave those that agree with all of them.
"""

from __future__ import annotations

import math
import re
from collections.abc import Iterator
from functools import lru_cache
from typing import NamedTuple

__all__ = ["Place", "find_kinds", "list_ends", "list_starts", "seat_end", "seat_start"]

#: Runs by what they are, over the kinds of a value's characters (`find_kinds`), and bits to say so.
RUNS = {
    "filled": (re.compile(r"[Aa9.-]+"), 1.0),
    "word": (re.compile(r"[Aa]+(?:-[Aa]+)*"), 1.5),
    "letters": (re.compile(r"[Aa]+"), 2.0),
    "digits": (re.compile(r"9+"), 1.5),
    "figure": (re.compile(r"9+(?:[.]9+)*"), 2.0),
    "letters and digits": (re.compile(r"[Aa9]+"), 2.0),
    "capital": (re.compile(r"A[a]*"), 3.0),
}
_MARK, _COUNT, _WORD, _NEXT, _UNTIL = 1.0, 7.0, 4.0, 1.0, 1.5
_COUNTED_BACK = 3.0
_WEIGHT = 2.5  # of what a rule takes, against what the columns do
_DRAWN = 0.7
_NTH = 1.5  # a doubling of how manyth it is
_FROM_END = 0.5
_MOST_COUNTED = 12


class Place(NamedTuple):
    """One place.

    Attributes
    ----------
    kind : edge, mark, run, word, count; of ends, from where the stretch begins, also next, until (the
        next or the value's end), same, size
    text : the mark or word, or what the run is of
    nth : how manyth, from -1 down counted from the end; of `count` and `size` how many characters
    side : 0 before it, 1 behind it
    """

    kind: str
    text: str
    nth: int
    side: int

    @property
    def bits(self) -> float:
        """What it takes to say it."""
        return _WEIGHT * self._bits

    @property
    def _bits(self) -> float:
        if self.kind == "edge":
            return 0.0
        if self.kind in ("count", "size"):
            return _COUNT + math.log2(abs(self.nth)) + _COUNTED_BACK * (self.nth < 0)
        base = {"mark": _MARK, "word": _WORD, "next": _NEXT, "until": _UNTIL}.get(self.kind, 0.0)
        if self.kind in ("run", "same"):
            base = RUNS[self.text][1]
        if not self.text.isspace() and self.kind in ("mark", "next", "until"):
            base -= _DRAWN  # a mark that is drawn parts more surely than a blank
        return base + _NTH * math.log2(abs(self.nth)) + _FROM_END * (self.nth < 0)

    @property
    def is_from_start(self) -> bool:
        """Whether it goes by where the stretch begins."""
        return self.kind in ("size", "next", "until", "same")

    def find(self, value: str, start: int = 0) -> int:
        """Return where it is in a value, -1 where there is none.

        Parameters
        ----------
        start : where the stretch begins, for ends that go by that
        """
        if self.kind == "edge":
            return len(value) if self.side else 0
        if self.kind == "count":
            at = self.nth if self.nth > 0 else len(value) + self.nth
            return at if 0 < at < len(value) else -1
        if self.kind == "size":
            return start + self.nth if start + self.nth <= len(value) else -1
        if self.kind == "next":
            return value.find(self.text, start)
        if self.kind == "until":
            at = value.find(self.text, start)
            return at if at >= 0 else len(value)
        if self.kind == "same":
            found = RUNS[self.text][0].match(find_kinds(value), start)
            return found.end() if found else -1
        spans = list_runs(value, self.text) if self.kind == "run" else list_texts(value, self.text)
        at = self.nth - 1 if self.nth > 0 else len(spans) + self.nth
        return spans[at][self.side] if 0 <= at < len(spans) else -1


@lru_cache(1 << 14)
def find_kinds(value: str) -> str:
    """Return the kinds of a value's characters: A capital, a other letter, 9 digit, _ blank, - hyphen or apostrophe, . other mark."""
    return "".join(
        "9" if sign.isdecimal()
        else "_" if sign.isspace()
        else "A" if sign.isupper()
        else "a" if sign.isalnum()
        else "-" if sign in "-'’"
        else "."
        for sign in value
    )  # fmt: skip


@lru_cache(1 << 16)
def list_runs(value: str, name: str) -> list[tuple[int, int]]:
    """Return the runs of a kind in a value."""
    return [found.span() for found in RUNS[name][0].finditer(find_kinds(value))]


@lru_cache(1 << 16)
def list_texts(value: str, text: str) -> list[tuple[int, int]]:
    """Return where a text stands in a value."""
    return [found.span() for found in re.finditer(re.escape(text), value)]


def seat_start(value: str, place: int) -> int:
    """Return where a stretch begins behind a place: blanks are no part of it."""
    while 0 <= place < len(value) and value[place].isspace():
        place += 1
    return place


def seat_end(value: str, place: int) -> int:
    """Return where a stretch ends before a place."""
    while place > 0 and value[place - 1].isspace():
        place -= 1
    return place


def list_starts(value: str, start: int) -> Iterator[Place]:
    """Yield every place at which a stretch begins."""
    for place in _list_places(value, start):
        if seat_start(value, place.find(value)) == start:
            yield place


def list_ends(value: str, start: int, end: int) -> Iterator[Place]:
    """Yield every place at which a stretch ends, those from its start among them."""
    for place in _list_places(value, end):
        if seat_end(value, place.find(value)) == end:
            yield place
    kinds = find_kinds(value)
    behind = seat_start(value, end)
    for mark in {value[at] for at in (end, behind) if at < len(value) and kinds[at] in ".-_"}:
        if seat_end(value, value.find(mark, start)) == end:
            yield Place("next", mark, 1, 0)
            yield Place("until", mark, 1, 0)
    for name, (run, _) in RUNS.items():
        found = run.match(kinds, start)
        if found and found.end() == end:
            yield Place("same", name, 1, 1)
    if end - start <= _MOST_COUNTED:
        yield Place("size", "", end - start, 1)


def _list_places(value: str, near: int) -> Iterator[Place]:
    """Yield places near one, to be tried: those of marks and words that touch it, and of every run."""
    yield Place("edge", "", 0, 0)
    yield Place("edge", "", 0, 1)
    for at in {near, near - len(value)}:
        if 0 < abs(at) <= _MOST_COUNTED:
            yield Place("count", "", at, 0)
    for name in RUNS:
        yield from _list_counted("run", name, list_runs(value, name), near)
    kinds = find_kinds(value)
    before, behind = seat_end(value, near), seat_start(value, near)
    marks = {value[at] for at in (before - 1, near - 1, near, behind) if 0 <= at < len(value) and kinds[at] in ".-_"}  # fmt: skip
    for mark in marks:
        yield from _list_counted("mark", mark, list_texts(value, mark), near)
    words = {value[a:b] for a, b in list_runs(value, "filled") if near in (b, a) or before == b or behind == a}  # fmt: skip
    for word in words:
        if len(word) > 1:
            yield from _list_counted("word", word, list_texts(value, word), near)


def _list_counted(kind: str, text: str, spans: list[tuple[int, int]], near: int) -> Iterator[Place]:
    """Yield the edges of spans that lie at a place or only blanks away, counted from either end."""
    for nth, span in enumerate(spans):
        for side in (0, 1):
            if abs(span[side] - near) <= 3:
                yield Place(kind, text, nth + 1, side)
                yield Place(kind, text, nth - len(spans), side)
