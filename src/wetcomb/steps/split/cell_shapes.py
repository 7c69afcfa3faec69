"""Where a cell is missing or too many in one long run of cells, going by their shapes."""

from __future__ import annotations

from collections.abc import Collection, Sequence

import numpy as np

from wetcomb.core.arrays import Bytes, Ints
from wetcomb.core.cutting.ragged import Ragged
from wetcomb.core.snags import SNAG_CODES
from wetcomb.match.patterns import compile_pattern, read_shape

__all__ = ["CellShapes"]

_AHEAD = 3  # records that are looked at to see where the next one begins


class CellShapes:
    """Finds where a cell is missing or too many in one long run of fields, going by shapes.

    A run of N fields that fit their columns is a record. Where they do not, the nearest
    place is looked for at which records fit again; the fields up to there are one record that
    is short or long, and all that follows keeps its columns. The heading, where it comes again
    at a record's place, is a record that fits. Words that stand for nothing fit everywhere.
    """

    def __init__(self, shapes: Sequence[str], n_fields: int, missing: Collection[str] = ()) -> None:
        self._missing = {b"", *(word.encode() for word in missing)}
        checked = [shape not in ("any", "text") for shape in shapes]
        self.n_fields = n_fields
        self._patterns = [
            compile_pattern(read_shape(shape)) if is_checked else None
            for shape, is_checked in zip(shapes, checked, strict=True)
        ]
        self._n_checked = sum(checked)
        self.heading: tuple[bytes, ...] = ()

    @property
    def ahead(self) -> int:
        """How many fields must be in hand to settle one record."""
        return (_AHEAD + 2) * self.n_fields if self._n_checked else self.n_fields

    def find_counts(
        self, data: Bytes, ragged: Ragged, *, is_last: bool
    ) -> tuple[Ints, list[tuple[Ints, int]]]:
        """Return how many fields each record has, as far as that is settled, and the snags."""
        total, n_fields = ragged.starts.size, self.n_fields
        if not self._n_checked:
            counts = np.full(total // n_fields, n_fields, np.int64)
            if is_last and total % n_fields:
                counts = np.append(counts, total % n_fields)
            return counts, []
        values = [
            data[a:b].tobytes()
            for a, b in zip(ragged.starts.tolist(), ragged.ends.tolist(), strict=True)
        ]
        counts_list, rows = self.find_records(values, is_last=is_last)
        snags = [(np.array(found, np.int64), SNAG_CODES[name]) for name, found in rows.items()]
        return np.array(counts_list, np.int64), snags

    def find_records(
        self, values: Sequence[bytes], *, is_last: bool = True
    ) -> tuple[list[int], dict[str, list[int]]]:
        """Return how many of the values each record has, and the records with each snag."""
        counts: list[int] = []
        rows: dict[str, list[int]] = {"cell-missing": [], "cell-too-many": [], "wrong-shape": []}
        place = 0
        while place < len(values) and (is_last or place + self.ahead <= len(values)):
            count, name = self._read_record(values, place)
            if name:
                rows[name].append(len(counts))
            counts.append(count)
            place += count
        return counts, rows

    def _read_record(self, values: Sequence[bytes], place: int) -> tuple[int, str]:
        if self._fits(values, place):
            return self.n_fields, ""
        left = len(values) - place
        for change in range(1, self.n_fields):
            for count in (self.n_fields - change, self.n_fields + change):
                is_more = count > self.n_fields
                if (
                    count < left
                    and self._resumes(values, place + count)
                    and (is_more or self._fits_in_order(values[place : place + count]))
                ):
                    return count, "cell-too-many" if is_more else "cell-missing"
        if left < self.n_fields:
            return left, ""  # the text ends: it is short, and told as that
        return self.n_fields, "wrong-shape"

    def _resumes(self, values: Sequence[bytes], place: int) -> bool:
        """Return whether a record fits here, and one more behind it where few shapes are checked."""
        ahead = [place + nth * self.n_fields for nth in range(_AHEAD)]
        fits = [self._fits(values, at) for at in ahead if at + self.n_fields <= len(values)]
        needed = 1 if self._n_checked > 1 else 2
        return bool(fits) and fits[0] and sum(fits) >= min(needed, len(fits))

    def _fits(self, values: Sequence[bytes], place: int) -> bool:
        if place + self.n_fields > len(values):
            return False
        fits = all(
            self._is_shape(column, values[place + column]) for column in range(self.n_fields)
        )
        return fits or tuple(values[place : place + self.n_fields]) == self.heading

    def _fits_in_order(self, values: Sequence[bytes]) -> bool:
        """Return whether these fit some of the columns, in their order."""
        column = 0
        for value in values:
            while column < self.n_fields and not self._is_shape(column, value):
                column += 1
            if column == self.n_fields:
                return False
            column += 1
        return True

    def _is_shape(self, column: int, value: bytes) -> bool:
        pattern = self._patterns[column]
        return pattern is None or value in self._missing or pattern.covers(value)
