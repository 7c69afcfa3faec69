"""Whether values fit a column: its shape, and its list of values if that is closed."""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property, lru_cache
from typing import Any

import msgspec
import numpy as np

from wetcomb.core.arrays import Bools, Ints, Spans
from wetcomb.match.digests import Digests, Reader, Verdicts, digest_text
from wetcomb.match.patterns import compile_pattern, depends_on_kinds

__all__ = ["FREE", "WORDY", "ClosedList", "Looked", "ShapeTest", "find_test"]

#: Patterns that cover all there is: a column of these shapes says nothing.
FREE = ("", "{any}", "{text}")
#: Patterns that cover names: what they cover they cover word by word.
WORDY = ("{words}",)


class Looked(msgspec.Struct, frozen=True, eq=False, dict=True):
    """Spans of a text, of any shape, so that tests can be put to them; digests are made when needed.

    Attributes
    ----------
    starts, ends : the spans
    whole, at : what they are a part of, if of anything: its digests are theirs
    """

    reader: Reader
    starts: Spans | Ints
    ends: Spans | Ints
    whole: Looked | None = None
    at: Any = None

    def part(self, at: Any) -> Looked:
        """Return some of the spans, by any index of NumPy's."""
        return Looked(self.reader, self.starts[at], self.ends[at], self, at)

    @cached_property
    def raw(self) -> Digests:
        """The digest of each value."""
        if self.whole is not None:
            return self.whole.raw[self.at]
        return self.reader.find_prints(self.starts, self.ends, folded=False)

    @cached_property
    def folded(self) -> Digests:
        """The digest of each value by kinds of characters alone."""
        if self.whole is not None:
            return self.whole.folded[self.at]
        return self.reader.find_prints(self.starts, self.ends, folded=True)


class ShapeTest:
    """A pattern, put to many values."""

    def __init__(self, pattern: str) -> None:
        self.pattern = pattern
        self._verdicts = None
        if pattern not in ("", "{any}"):
            covers = compile_pattern(pattern).covers
            self._verdicts = Verdicts(covers, folded=depends_on_kinds(pattern))

    @property
    def says_nothing(self) -> bool:
        """Whether it covers all there is."""
        return self._verdicts is None

    def find(self, looked: Looked) -> Bools:
        """Return which values it covers."""
        if self._verdicts is None:
            return np.ones(looked.starts.shape, np.bool_)
        prints = looked.folded if self._verdicts.folded else looked.raw
        return self._verdicts.find(looked.reader.data, looked.starts, looked.ends, prints)


@lru_cache(maxsize=64)
def find_test(pattern: str) -> ShapeTest:
    """Return the test of a pattern; what is known of values stays with it."""
    return ShapeTest(pattern)


class ClosedList:
    """A list that holds every value a column may have."""

    def __init__(self, values: Sequence[str]) -> None:
        self.values = tuple(values)
        self._prints = np.sort(np.array([digest_text(value) for value in values], np.uint64))

    def find(self, prints: Digests) -> Bools:
        """Return which raw digests are of values in the list."""
        if not self._prints.size:
            return np.zeros(prints.shape, np.bool_)
        places = np.searchsorted(self._prints, prints)
        hits: Bools = self._prints.take(places, mode="clip") == prints
        return hits
