"""The lines of a sample as they are cut, and which of them hold the values of a record."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Sequence
from functools import cached_property

import msgspec

from wetcomb.drafts.trial import Trial
from wetcomb.match.shapes import TYPED, find_shape
from wetcomb.steps.split.options import Split

__all__ = ["FILLED", "SURE", "TOTAL", "SampleLines", "list_spans"]

TOTAL = (
    r"(?i)[ \t\f]*((?:(?:sub|grand|page|carried|brought)[- ]?)?totals?|carried forward|sum"
    r"|(?:zwischen|gesamt)?summe|gesamt|sous-total|totale|totaal|suma)\b(:?)"
)
SURE, FILLED = 0.8, 0.95


class SampleLines(msgspec.Struct, frozen=True, dict=True):
    """The lines of a sample as a split cuts them, the heading left out.

    Attributes
    ----------
    rows, texts, parted : of each line, its fields, its text and what stands before it
    odd : which of them have an edge or a mark that does not fit
    n_fields : how many fields a record has
    names : the headings
    """

    rows: Sequence[Sequence[str]]
    texts: Sequence[str]
    parted: Sequence[str]
    odd: frozenset[int]
    n_fields: int
    names: Sequence[str]

    @classmethod
    def of(cls, whole: Trial, split: Split) -> SampleLines:
        """Return the lines of a trial that are no heading."""
        first = split.n_heading
        heading = [tuple(row) for row in whole.rows[:first]][-1:]
        head = list(heading[0]) if heading else []
        n_fields = max(whole.n_fields, len(head))
        names = [
            name.strip() or f"field-{place}"
            for place, name in enumerate([*head, *[""] * (n_fields - len(head))], 1)
        ]
        kept = [k for k in range(first, len(whole.rows)) if tuple(whole.rows[k]) not in heading]
        return cls(
            [whole.rows[k] for k in kept],
            [whole.lines[k] if k < len(whole.lines) else "" for k in kept],
            [whole.parted[k] if k < len(whole.parted) else "" for k in kept],
            frozenset(place for place, k in enumerate(kept) if k in whole.odd),
            n_fields,
            names,
        )

    @cached_property
    def typed(self) -> dict[int, set[str]]:
        """The columns of figures, dates, times or codes, with the shapes they have."""
        found = {}
        for column in range(self.n_fields):
            shapes = Counter(
                find_shape(row[column])
                for k, row in enumerate(self.rows)
                if k not in self.odd and column < len(row) and row[column]
            )
            typed = {shape for shape in shapes if shape in TYPED or shape == "code"}
            total = sum(shapes.values())
            if total and sum(shapes[shape] for shape in typed) >= SURE * total:
                found[column] = typed
        return found

    @cached_property
    def records(self) -> list[bool]:
        """Which lines hold the figures, dates and codes of a record."""
        return [self._is_record(k) for k in range(len(self.rows))]

    def _is_record(self, k: int) -> bool:
        row = self.rows[k]
        if k in self.odd:
            return False
        if not self.typed:
            return len(row) == self.n_fields and 2 * sum(map(bool, row)) > self.n_fields
        if re.match(TOTAL, self.texts[k]) and sum(map(bool, row)) < self._usual:
            return False  # it may sum up what stands above it
        return self._is_typed(k)

    def _is_typed(self, k: int) -> bool:
        """Return whether a line holds figures, dates or codes in at least half of their columns."""
        row = self.rows[k]
        cells = [row[column] if column < len(row) else "" for column in self.typed]
        kinds = zip(cells, self.typed.values(), strict=True)
        fitting = sum(bool(cell) and find_shape(cell) in shapes for cell, shapes in kinds)
        return 2 * fitting >= len(self.typed)

    @cached_property
    def _usual(self) -> int:
        """How many fields are filled in most records, lines apart that begin with a word for a total."""
        counts = Counter(
            sum(map(bool, row))
            for k, row in enumerate(self.rows)
            if self._is_typed(k) and not re.match(TOTAL, self.texts[k])
        )
        return counts.most_common(1)[0][0] if counts else 0

    def without(self, gone: Sequence[bool]) -> SampleLines:
        """Return the other lines."""
        kept = [k for k, leaves in enumerate(gone) if not leaves]
        return SampleLines(
            [self.rows[k] for k in kept],
            [self.texts[k] for k in kept],
            [self.parted[k] for k in kept],
            frozenset(place for place, k in enumerate(kept) if k in self.odd),
            self.n_fields,
            self.names,
        )


def list_spans(rows: Sequence[int], n_rows: int) -> list[tuple[int, int]]:
    return list(zip(rows, [*rows[1:], n_rows], strict=True))
