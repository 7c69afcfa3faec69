"""Names of columns from the lines of a heading: one line, or several joined downwards.

A word of an upper line covers the columns from the one under its start up to that of the
next word; a heading that spans columns is so told in each of them.
"""

from __future__ import annotations

import msgspec
import numpy as np

from wetcomb.core.ledger import Charge, Ledger
from wetcomb.core.piece import NameSource
from wetcomb.core.ragged import LineDrops, Ragged
from wetcomb.core.text import Text

__all__ = ["Heading", "Word", "charge_lost_name", "make_unique", "spread_words"]


class Word(msgspec.Struct, frozen=True):
    """A piece of a heading: its text, its span, and the columns it names."""

    text: str
    start: int
    end: int
    columns: tuple[int, ...]


class Heading(msgspec.Struct):
    """The heading of a text and the lines before it.

    Attributes
    ----------
    ragged : its records, None where there is no heading in the text
    drops : lines before it and between its lines that are no record
    used : where the records begin
    words : its pieces
    n_columns : how many columns it names
    renamed : names that were made up or made unlike another (as it stood, as it is now)
    kept : spans of the names that were kept
    """

    ragged: Ragged | None
    drops: LineDrops
    used: int
    words: tuple[Word, ...] = ()
    n_columns: int = 0
    renamed: tuple[tuple[str, str], ...] = ()
    kept: Charge | None = None
    name_sources: tuple[NameSource, ...] = ()

    def list_names(self) -> list[str]:
        """Return what each column is called, its pieces joined downwards; nothing where none is."""
        pieces: list[list[str]] = [[] for _ in range(self.n_columns)]
        for word in self.words:
            for column in word.columns:
                if word.text:
                    pieces[column].append(word.text)
        return [" ".join(texts) for texts in pieces]

    def charge(
        self, names: tuple[str, ...], columns: list[int], replaced: bool, ledger: Ledger
    ) -> list[Charge]:
        """Charge the heading's characters: kept as names, replaced, or of columns not taken.

        Parameters
        ----------
        names : the table's headings
        columns : which of the text's columns they are
        replaced : they were given, and stand for what the text says
        """
        if self.ragged is None:
            ledger.put_in["names"] += sum(map(len, names))
            self.name_sources = (NameSource(),) * len(names)
            return []
        found, taken = self.list_names(), set(columns)
        said = dict(zip(columns, names, strict=True)) if replaced else {}
        gone: dict[str, list[Word]] = {"not-taken": [], "heading-replaced": [], "heading-again": []}
        kept: list[Word] = []
        for word in self.words:
            n_taken = sum(column in taken for column in word.columns)
            if not word.columns:  # of a further panel
                gone["heading-again"].append(word)
            elif not n_taken:
                gone["not-taken"].append(word)
            elif any(said.get(column, found[column]) != found[column] for column in word.columns):
                gone["heading-replaced"].append(word)
            else:
                kept.append(word)
                ledger.repeated["spread-heading"] += (n_taken - 1) * len(word.text)
        for reason, words in gone.items():
            ledger.drop_kept(reason, sum(len(word.text) for word in words))
        from_text = sum(
            len(word.text) * sum(column in taken for column in word.columns) for word in kept
        )
        ledger.put_in["names"] += sum(map(len, names)) - from_text
        if not replaced:
            self.renamed = tuple(
                (found[column], name)
                for column, name in zip(columns, names, strict=True)
                if found[column] != name
            )
        self.kept = _charge_words("heading-again", kept)
        self.name_sources = _find_sources(columns, kept)
        return [_charge_words(reason, words) for reason, words in gone.items() if words]


def _find_sources(columns: list[int], kept: list[Word]) -> tuple[NameSource, ...]:
    """Return for each column which kept words its name has to itself, and what it tells again."""
    taken = set(columns)
    spans: dict[int, list[tuple[int, int]]] = {column: [] for column in columns}
    again = dict.fromkeys(columns, 0)
    for word in kept:
        mine = [column for column in word.columns if column in taken]
        spans[mine[0]].append((word.start, word.end))
        for column in mine[1:]:
            again[column] += len(word.text)
    return tuple(NameSource(tuple(spans[column]), again[column]) for column in columns)


def _charge_words(reason: str, words: list[Word]) -> Charge:
    spans = np.array([(word.start, word.end) for word in words], np.int64).reshape(-1, 2)
    return Charge(reason, spans[:, 0], spans[:, 1])


def charge_lost_name(
    text: Text, name: str, source: NameSource, reason: str, ledger: Ledger, charges: list[Charge]
) -> None:
    """Charge the heading of a column that leaves the table, or gets another name."""
    spans = np.array(source.spans, np.int64).reshape(-1, 2)
    number = text.count(spans[:, 0], spans[:, 1])
    ledger.drop_kept(reason, number)
    ledger.repeated["spread-heading"] -= source.n_repeated
    ledger.put_in["names"] -= len(name) - number - source.n_repeated
    if number:
        charges.append(Charge(reason, spans[:, 0], spans[:, 1]))


def spread_words(lines: list[list[tuple[str, int, int, int]]], n_columns: int) -> tuple[Word, ...]:
    """Return the pieces of a heading of several lines with the columns each of them names.

    Parameters
    ----------
    lines : from top to bottom, the pieces as (text, start, end, column they begin in)
    """
    words = []
    for nth, line in enumerate(lines):
        is_last = nth == len(lines) - 1
        for place, (text, start, end, column) in enumerate(line):
            following = line[place + 1][3] if place + 1 < len(line) else n_columns
            stop = column + 1 if is_last else max(following, column + 1)
            words.append(Word(text, start, end, tuple(range(column, min(stop, n_columns)))))
    return tuple(words)


def make_unique(found: list[str]) -> list[str]:
    """Return names of which none is empty and none occurs twice, changed only by adding to them."""
    names: dict[str, int] = {}
    for place, name in enumerate(found, 1):
        base = name or f"field-{place}"
        unique, number = base, names.get(base, 1)
        while unique in names:
            number += 1
            unique = f"{base}-{number}"
        names[base] = number
        names[unique] = 1
    return list(names)
