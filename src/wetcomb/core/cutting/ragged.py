"""Records of any number of fields, as spans."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np

from wetcomb.core.arrays import Bools, Ints, count_before
from wetcomb.core.ledger import LINE_DROPS

__all__ = ["LineDrops", "Ragged"]


class Ragged(msgspec.Struct, frozen=True, eq=False):
    """R records of C fields altogether.

    Attributes
    ----------
    starts, ends : (C,) int64, the value of each field
    outer_starts, outer_ends : (C,) int64, the same with its quote marks and spacing
    doubled : (C,) bool, fields in which doubled marks stand for one
    offsets : (R + 1,) int64, first field of each record, then C
    stops : (R,) int64, where each record's line end ends
    """

    starts: Ints
    ends: Ints
    outer_starts: Ints
    outer_ends: Ints
    doubled: Bools
    offsets: Ints
    stops: Ints

    @property
    def counts(self) -> Ints:
        """How many fields each record has."""
        return np.diff(self.offsets)

    @property
    def record_starts(self) -> Ints:
        """Where each record begins, its indentation included."""
        return self.outer_starts[self.offsets[:-1]]

    def select(self, records: Bools) -> Ragged:
        """Return only those records."""
        if records.all():
            return self
        counts = self.counts
        return self._with_fields(np.repeat(records, counts), counts[records], self.stops[records])

    def without_fields(self, surplus: Bools) -> Ragged:
        """Return the records without some of their fields (never all of a record's)."""
        gone = count_before(surplus)
        counts = self.counts - (gone[self.offsets[1:]] - gone[self.offsets[:-1]])
        return self._with_fields(~surplus, counts, self.stops)

    def pick(self, fields: Ints | Bools, offsets: Ints, stops: Ints) -> Ragged:
        """Return records made of some of the fields, in a new order."""
        return Ragged(
            self.starts[fields],
            self.ends[fields],
            self.outer_starts[fields],
            self.outer_ends[fields],
            self.doubled[fields],
            offsets,
            stops,
        )

    def _with_fields(self, fields: Bools, counts: Ints, stops: Ints) -> Ragged:
        return self.pick(fields, np.concatenate([[0], np.cumsum(counts)]), stops)

    @classmethod
    def join(cls, parts: Sequence[Ragged]) -> Ragged:
        """Return the records of all parts, in the order given."""
        counts = np.concatenate([part.counts for part in parts])
        return cls(
            np.concatenate([part.starts for part in parts]),
            np.concatenate([part.ends for part in parts]),
            np.concatenate([part.outer_starts for part in parts]),
            np.concatenate([part.outer_ends for part in parts]),
            np.concatenate([part.doubled for part in parts]),
            np.concatenate([[0], np.cumsum(counts)]),
            np.concatenate([part.stops for part in parts]),
        )


class LineDrops(msgspec.Struct, frozen=True, eq=False):
    """Whole lines that are no record.

    Attributes
    ----------
    starts, ends : (D,) int64, their spans, line ends included
    reasons : (D,) int64, place of the reason in `LINE_DROPS`
    """

    starts: Ints
    ends: Ints
    reasons: Ints

    @classmethod
    def none(cls) -> LineDrops:
        """Return no lines at all."""
        return cls(*np.zeros((3, 0), np.int64))

    @classmethod
    def of(cls, reason: str, starts: Ints, ends: Ints) -> LineDrops:
        """Return lines that all leave for one reason."""
        return cls(starts, ends, np.full(starts.size, LINE_DROPS.index(reason), np.int64))

    def has(self, *reasons: str) -> Bools:
        """Return which of them leave for one of some reasons."""
        codes = [LINE_DROPS.index(reason) for reason in reasons]
        found = np.zeros(self.reasons.size, np.bool_)
        for code in codes:
            found |= self.reasons == code
        return found

    def before(self, position: int) -> LineDrops:
        """Return those that end at or before a position."""
        n_lines = int(np.searchsorted(self.ends, position, "right"))
        return LineDrops(self.starts[:n_lines], self.ends[:n_lines], self.reasons[:n_lines])

    @classmethod
    def join(cls, parts: Sequence[LineDrops]) -> LineDrops:
        """Return the drops of all parts in the order of their lines."""
        starts = np.concatenate([part.starts for part in parts])
        order = np.argsort(starts, kind="stable")
        return cls(
            starts[order],
            np.concatenate([part.ends for part in parts])[order],
            np.concatenate([part.reasons for part in parts])[order],
        )
