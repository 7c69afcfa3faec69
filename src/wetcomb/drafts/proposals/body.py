"""A text as proposals look at it: its lines behind a wash, and where each stands in the source."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from functools import cached_property

import msgspec
import numpy as np

from wetcomb.combs.memory import make_batch
from wetcomb.core.cutting.layout import is_rule
from wetcomb.drafts.pricing.chains import Chain
from wetcomb.steps.step import Step

__all__ = ["Body", "make_body"]

_GAP, _DIGIT = re.compile(r"\s{2,}|\t"), re.compile(r"\d")
_END = re.compile(r"\r\n|\n|\r")


class Body(msgspec.Struct, frozen=True, dict=True):
    """Lines of a text, as some washes leave them.

    Attributes
    ----------
    washes : the steps that made it
    lines : without their ends
    places : the line of the text that each was, from 0
    n_lines : lines of the text
    notes : what the washes are for
    """

    washes: tuple[Step, ...]
    lines: Sequence[str]
    places: Sequence[int]
    n_lines: int
    notes: tuple[str, ...] = ()

    @cached_property
    def full(self) -> list[int]:
        """Which lines are neither blank nor a rule."""
        return [
            k for k, line in enumerate(self.lines) if line.strip() and not is_rule(line.encode())
        ]

    @cached_property
    def stretches(self) -> list[tuple[int, int]]:
        """Runs of lines that no blank one parts, as first and last, which is not included."""
        found, begin = [], None
        for k, line in enumerate([*self.lines, ""]):
            if line.strip() and begin is None:
                begin = k
            elif not line.strip() and begin is not None:
                found.append((begin, k))
                begin = None
        return found

    def list_windows(self, above: int = 3, below: int = 2) -> Iterator[tuple[int, int]]:
        """Yield parts that leave stretches out at the top or at the foot, the longest first."""
        number = len(self.stretches)
        windows = [
            (self.stretches[top][0], self.stretches[number - 1 - foot][1])
            for top in range(min(above + 1, number))
            for foot in range(min(below + 1, number - top))
        ]
        yield from sorted(set(windows), key=lambda window: (window[0] - window[1], window))

    def widen(self, lines: Sequence[int]) -> tuple[int, int]:
        """Return the part from the first of some lines to the last, with the rest of their stretches."""
        first, last = lines[0], lines[-1] + 1
        for begin, end in self.stretches:
            if begin <= first < end:
                first = begin
            if begin < last <= end:
                last = end
        return first, last

    def find_names(self, place: int, number: int) -> tuple[str, ...]:
        """Return the names that the line above some line gives to so many columns; nothing if it does not."""
        above = [k for k in self.full if k < place][-1:]
        for line in (self.lines[k].strip() for k in above):
            for cells in (_GAP.split(line), line.split()):
                if len(cells) == number == len(set(cells)) and not _DIGIT.search(line):
                    return tuple(cells)
        return ()

    def make_chain(
        self,
        steps: Sequence[Step],
        first: int = 0,
        last: int | None = None,
        note: str = "",
        bits: float = 0.0,
        frame: tuple[str, ...] = (),
    ) -> Chain:
        """Return steps behind its washes as a chain over some of its lines."""
        last = len(self.lines) if last is None else last
        begin = self.places[first] if first else 0
        end = self.places[last] if last < len(self.lines) else self.n_lines
        while end > begin and last < len(self.lines) and end - 1 > self.places[last - 1]:
            end -= 1  # what a wash takes off behind them is not theirs
        notes = (*self.notes, note) if note else self.notes
        return Chain((*self.washes, *steps), begin, end, notes, bits, frame)


def make_body(raw: bytes, washes: tuple[Step, ...], notes: tuple[str, ...] = ()) -> Body:
    """Return a text behind some washes."""
    n_lines = len(_END.findall(raw.decode())) + (not raw.endswith((b"\n", b"\r")))
    if not washes:
        lines = _cut(raw)
        return Body((), lines, range(len(lines)), n_lines, notes)
    text = make_batch(washes, raw).result
    assert text is not None
    body = text.data[: text.body_size].tobytes()
    lines = _cut(body)
    starts = [0, *(match.end() for match in _END.finditer(body.decode("latin-1")))][: len(lines)]
    places = (text.line_numbers(np.array(starts, np.int64)) - 1).tolist() if lines else []
    return Body(washes, lines, places, n_lines, notes)


def _cut(raw: bytes) -> list[str]:
    lines = _END.split(raw.decode())
    return [line.strip("\f") for line in (lines[:-1] if lines and not lines[-1] else lines)]
