"""What doubts are looked for in: a sample, the steps that were drafted for it, the table they make."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from functools import cached_property
from typing import Any

import numpy as np
from msgspec import Struct

from wetcomb.core.batch import Batch
from wetcomb.core.doubts import Doubt
from wetcomb.core.table import Table
from wetcomb.drafts.weighing import CUTTING, Weighed
from wetcomb.match.shapes import find_shape
from wetcomb.steps.pull.options import Pull
from wetcomb.steps.split.options import Split
from wetcomb.steps.step import Step

__all__ = ["Column", "Drafted", "Raised"]

_RECORDS, _CELLS, _LEAST = 2000, 60_000, 50  # of the sample; more would only take time


class Raised(Struct, frozen=True):
    """A doubt, and what may settle it.

    Attributes
    ----------
    tries : options of the split, the likeliest first
    before : a step to go before all others
    """

    doubt: Doubt
    tries: tuple[Mapping[str, Any], ...] = ()
    before: Step | None = None


class Column(Struct, frozen=True, dict=True):
    """The values of one column that are not empty, with their rows."""

    name: str
    rows: Sequence[int]
    values: Sequence[str]

    @cached_property
    def shapes(self) -> list[str]:
        """The shape of each value."""
        return [find_shape(value) for value in self.values]

    @cached_property
    def counts(self) -> Counter[str]:
        """How many values have each shape."""
        return Counter(self.shapes)


class Drafted(Struct, frozen=True, eq=False, dict=True):
    """A draft, its evidence and what it makes.

    Attributes
    ----------
    given : options that were stated; of these nothing is a doubt
    inside : the text that the table is made of, as the source has it
    before, behind : lines left out before it and behind it
    n_tables : how many tables were found in the whole text
    steps, split, weighed : what was drafted, and its evidence; no evidence where all was stated
    batch : what the steps make of `inside`
    first_line : number of the first line inside
    rival : the next way that makes another table, in words, and how many bits dearer it is
    gain : share of the bits of plain lines that it saves, where the whole text was searched
    notes : the evidence, in words
    has_stated_labels : which labels there are was stated: what they leave is left on purpose
    """

    given: Mapping[str, Any]
    inside: bytes
    before: Sequence[str]
    behind: Sequence[str]
    n_tables: int
    steps: Sequence[Step]
    split: Split
    weighed: Weighed | None
    batch: Batch
    has_stated_labels: bool = False
    notes: Sequence[str] = ()
    first_line: int = 1
    rival: tuple[str, float] | None = None
    gain: float | None = None

    @property
    def table(self) -> Table:
        """The table that is doubted."""
        assert self.batch.table is not None
        return self.batch.table

    @cached_property
    def pull(self) -> Pull | None:
        """The step that pulls the fields, where one does."""
        return next((step for step in self.steps if isinstance(step, Pull)), None)

    @cached_property
    def n_records(self) -> int:
        """How many records are looked at."""
        most = max(_LEAST, _CELLS // max(1, len(self.table.names)))
        return min(self.table.n_records, _RECORDS, most)

    @cached_property
    def snagged(self) -> frozenset[int]:
        """The records that do not fit: they are told by themselves."""
        return frozenset(self.table.snags.records.tolist())

    @cached_property
    def n_sound(self) -> int:
        """How many records are looked at that fit."""
        return self.n_records - sum(row < self.n_records for row in self.snagged)

    @cached_property
    def lines(self) -> list[str]:
        """The lines of the text inside that are not blank."""
        return [line for line in self.inside.decode().splitlines() if line.strip()]

    @cached_property
    def columns(self) -> list[Column]:
        """The table's columns, without empty values and records that are snags already."""
        found = []
        for place, name in enumerate(self.table.names):
            values = [self.table.value(row, place) or "" for row in range(self.n_records)]
            rows = [row for row, value in enumerate(values) if value and row not in self.snagged]
            found.append(Column(name, rows, [values[row] for row in rows]))
        return found

    @cached_property
    def rows(self) -> list[list[str]]:
        """The values of each record."""
        n_columns = len(self.table.names)
        return [
            [self.table.value(row, place) or "" for place in range(n_columns)]
            for row in range(self.n_records)
        ]

    def list_lines(self, rows: Sequence[int]) -> tuple[tuple[int, int], ...]:
        """Return the source lines of some records."""
        firsts, lasts = self.table.line_numbers(np.array(rows, np.int64))
        return tuple(zip(firsts.tolist(), lasts.tolist(), strict=True))

    def is_open(self, *names: str) -> bool:
        """Whether none of some options was stated."""
        return not any(name in self.given for name in names)

    @property
    def was_cut(self) -> bool:
        """Whether how to cut was found, and not stated."""
        return self.is_open(*CUTTING, "stacked", "records_at", "column", "column_by_column")

    def iter_values(self) -> Iterator[tuple[Column, int, str]]:
        """Yield every value with its column and row."""
        for column in self.columns:
            for row, value in zip(column.rows, column.values, strict=True):
                yield column, row, value
