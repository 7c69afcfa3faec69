"""Names of columns from the lines of a heading: one line, or several joined downwards.

A word of an upper line covers the columns from the one under its start up to that of the
next word; a heading that spans columns is so told in each of them.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import pairwise

import msgspec
import numpy as np

from wetcomb.core.batch import NameSource
from wetcomb.core.cutting.ragged import LineDrops, Ragged
from wetcomb.core.ledger import Charge
from wetcomb.core.text import Text

__all__ = [
    "Heading",
    "Placed",
    "PlacedWords",
    "Word",
    "center_words",
    "make_name",
    "make_unique",
    "read_value",
    "spread_words",
]

Span = tuple[int, int]
_NEAR = 4.0  # display columns from the middle that a word may stand
#: A piece of a heading line: its text, its spans, the column it begins in.
Placed = tuple[str, tuple[Span, ...], int]


class Word(msgspec.Struct, frozen=True):
    """A piece of a heading: its text, its spans in the source, and the columns it names."""

    text: str
    spans: tuple[Span, ...]
    columns: tuple[int, ...]


class PlacedWords(msgspec.Struct, frozen=True):
    """What became of a heading.

    Attributes
    ----------
    charges : its words that are in no name
    sources : where each column's name came from
    renamed : names that were made up or made unlike another (as it stood, as it is now)
    """

    charges: list[Charge]
    sources: tuple[NameSource, ...]
    renamed: tuple[tuple[str, str], ...] = ()


class Heading(msgspec.Struct, frozen=True):
    """The heading of a text and the lines before it.

    Attributes
    ----------
    ragged : its lines, None where there is no heading in the text, or where it is no lines
    drops : lines before it and between its lines that are no record
    used : where the records begin
    words : its pieces
    n_columns : how many columns it names
    pieces : what its last line says, field by field, to know it when it comes again
    lines : what each of its lines says
    """

    ragged: Ragged | None = None
    drops: LineDrops = LineDrops.none()
    used: int = 0
    words: tuple[Word, ...] = ()
    n_columns: int = 0
    pieces: tuple[bytes, ...] = ()
    lines: tuple[bytes, ...] = ()

    def list_names(self) -> list[str]:
        """Return what each column is called, its pieces joined downwards; nothing where none is."""
        texts: list[list[str]] = [[] for _ in range(self.n_columns)]
        for word in self.words:
            for column in word.columns:
                if word.text:
                    texts[column].append(word.text)
        return [" ".join(of_one) for of_one in texts]

    def place_words(
        self, names: Sequence[str], columns: Sequence[int], *, is_replaced: bool
    ) -> PlacedWords:
        """Return what becomes of its words: kept as names, replaced, or of columns not taken.

        Parameters
        ----------
        names : the table's headings
        columns : which of the text's columns they are
        is_replaced : they were given, and stand for what the text says
        """
        if not self.words:
            return PlacedWords([], (NameSource(),) * len(names))
        found, taken = self.list_names(), set(columns)
        said = dict(zip(columns, names, strict=True)) if is_replaced else {}
        gone: dict[str, list[Word]] = {"heading-again": [], "not-taken": [], "heading-replaced": []}
        kept: list[Word] = []
        for word in self.words:
            if not word.columns:  # of a further panel
                gone["heading-again"].append(word)
            elif not any(column in taken for column in word.columns):
                gone["not-taken"].append(word)
            elif any(said.get(column, found[column]) != found[column] for column in word.columns):
                gone["heading-replaced"].append(word)
            else:
                kept.append(word)
        charges = [_charge_words(reason, words) for reason, words in gone.items() if words]
        renamed = tuple(
            (found[column], name)
            for column, name in zip(columns, names, strict=True)
            if found[column] != name and not is_replaced
        )
        return PlacedWords(charges, _find_sources(columns, kept), renamed)


def _find_sources(columns: Sequence[int], kept: Sequence[Word]) -> tuple[NameSource, ...]:
    """Return for each column which kept words its name has to itself, and what it tells again."""
    taken = set(columns)
    own: dict[int, list[Span]] = {column: [] for column in columns}
    again: dict[int, list[Span]] = {column: [] for column in columns}
    for word in kept:
        mine = [column for column in word.columns if column in taken]
        own[mine[0]] += word.spans
        for column in mine[1:]:
            again[column] += word.spans
    return tuple(NameSource(tuple(own[column]), tuple(again[column])) for column in columns)


def _charge_words(reason: str, words: Sequence[Word]) -> Charge:
    spans = np.array([span for word in words for span in word.spans], np.int64).reshape(-1, 2)
    return Charge(reason, spans[:, 0], spans[:, 1])


def make_name(place: int) -> str:
    """Return the made-up name of a column, counted from 1."""
    return f"field-{place}"


def spread_words(lines: Sequence[Sequence[Placed]], n_columns: int) -> tuple[Word, ...]:
    """Return the pieces of a heading of several lines with the columns each of them names.

    Parameters
    ----------
    lines : from top to bottom, the pieces as (text, its spans, column they begin in)
    """
    words = []
    for nth, line in enumerate(lines):
        is_last = nth == len(lines) - 1
        for place, (text, spans, column) in enumerate(line):
            following = line[place + 1][2] if place + 1 < len(line) else n_columns
            stop = column + 1 if is_last else max(following, column + 1)
            words.append(Word(text, spans, tuple(range(column, min(stop, n_columns)))))
    return tuple(words)


def center_words(
    words: Sequence[Span], columns: Sequence[Span], firsts: Sequence[int]
) -> list[int]:
    """Return the first column that each word of an upper line names.

    Each names the columns from there up to the next word's first. Words that begin where a
    column's heading does are flush with it. If one does not, they may stand over the middle of
    their columns: then each may begin further left, behind the column the word before it stands
    over. As many columns for each word are taken if the words are near the middle of them, else
    what is nearest to the middle in all, if it is clearly nearer.

    Parameters
    ----------
    words, columns : first display column and the one behind, of the words and of the headings
        of the columns
    firsts : the column each word's beginning stands over
    """
    if all(columns[first][0] == begin for (begin, _), first in zip(words, firsts, strict=True)):
        return list(firsts)

    def measure(word: int, first: int, stop: int) -> float:
        middle = (columns[first][0] + columns[max(first, stop - 1)][1]) / 2
        return abs(middle - sum(words[word]) / 2)

    n_words, n_columns = len(words), len(columns)

    def measure_all(starts: Sequence[int]) -> float:
        bounds = pairwise([*starts, n_columns])
        return sum(measure(word, first, stop) for word, (first, stop) in enumerate(bounds))

    lows = [0, *(first + 1 for first in firsts[:-1])]
    lows = [  # a word that is flush with a column begins there
        first if columns[first][0] == begin else low
        for low, first, (begin, _) in zip(lows, firsts, words, strict=True)
    ]
    even = [
        starts
        for size in range(1, n_columns // n_words + 1)
        for starts in [[*range(n_columns - size * n_words, n_columns, size)]]
        if all(low <= one <= high for low, one, high in zip(lows, starts, firsts, strict=True))
    ]
    least = min(map(measure_all, even), default=math.inf)
    if least <= _NEAR * n_words:  # of those nearly as near, the one that leaves fewest columns bare
        return min(starts for starts in even if measure_all(starts) <= least + n_words)
    plain = measure_all(firsts)
    ways = {n_columns: (0.0, list[int]())}  # by where the next word's columns begin
    for word in range(n_words - 1, -1, -1):
        ways = {
            first: min(
                (cost + measure(word, first, stop), [first, *behind])
                for stop, (cost, behind) in ways.items()
            )
            for first in range(min(lows[word], firsts[word]), firsts[word] + 1)
        }
    cost, best = min(ways.values())
    return best if cost + n_words < plain else list(firsts)


def make_unique(found: list[str]) -> list[str]:
    """Return names of which none is empty and none occurs twice, changed only by adding to them."""
    names: dict[str, int] = {}
    for place, name in enumerate(found, 1):
        base = name or make_name(place)
        unique, number = base, names.get(base, 1)
        while unique in names:
            number += 1
            unique = f"{base}-{number}"
        names[base] = number
        names[unique] = 1
    return list(names)


def read_value(text: Text, values: Ragged, field: int) -> tuple[str, tuple[tuple[int, int], ...]]:
    """Return a piece of a heading, and the spans of the source it stands in."""
    start, end = int(values.starts[field]), int(values.ends[field])
    found = text.find_origins(np.array([start]), np.array([end]))
    spans = zip(found.starts.tolist(), found.ends.tolist(), strict=True)
    return text.value(start, end), tuple(spans)
