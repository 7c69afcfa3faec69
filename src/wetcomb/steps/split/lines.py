"""The way of most texts: a line is a record. What other ways share is here too.

A way says which lines need no more of the text, and which fields make a record; it never
changes a field. Every way reads alike: `keep_whole` returns the records that need no more of the
text, and `arrange` lays their fields out for the table's columns.
"""

from __future__ import annotations

from collections.abc import Sequence

import msgspec
import numpy as np
from msgspec.structs import replace

from wetcomb.core.arrays import Bools, Bytes, Ints
from wetcomb.core.cutting.fitting import Fitted, fit_fields
from wetcomb.core.cutting.ragged import Ragged
from wetcomb.core.cutting.records import Records
from wetcomb.core.ledger import Charge
from wetcomb.core.snags import SNAG_CODES, SnagRows
from wetcomb.core.table import Table
from wetcomb.steps.split.options import Split

__all__ = ["Arranged", "Lines", "tell_counts"]


class Arranged(msgspec.Struct, frozen=True, eq=False):
    """Records as they go into a table: at most one filled field behind its columns.

    Attributes
    ----------
    ragged : the records
    snags : those with a wrong number of fields, and the like
    merged : rests that are put together of several fields, as spans, rising
    over : the pieces of the rests, where steps behind may lay them; None where they may not
    over_rows : the records they are of, rising
    charges : what left the fields
    """

    ragged: Ragged
    snags: SnagRows
    merged: tuple[Ints, Ints]
    over: Ragged | None = None
    over_rows: Ints = np.zeros(0, np.int64)
    charges: Sequence[Charge] = ()


class Lines:
    """A record is a line, or what ends as `--records-at` says."""

    #: Whether the number of fields of a line tells a quote mark that never closes.
    counts_lines = True

    def __init__(self, options: Split) -> None:
        self._options = options
        self._ends_at_lines = options.rules().ends_at_lines

    def keep_whole(
        self, records: Records, data: Bytes, names: Sequence[str], *, is_last: bool
    ) -> Records | None:
        """Return the records that need no more text; None where there is none yet."""
        return records

    def arrange(self, records: Records, data: Bytes, n_fields: int) -> Arranged:
        """Return the records as they go into the table."""
        ragged = records.staying
        fitted = self._fit(data, ragged, n_fields)
        snags = tell_counts(fitted, has_short=not self._options.has_edges_only)
        arranged = Arranged(fitted.ragged, snags, fitted.merged)
        if not fitted.long.size:
            return arranged
        over = _find_over(ragged, fitted, n_fields)
        return replace(arranged, over=over, over_rows=fitted.long)

    def join(self, table: Table) -> tuple[Table, list[Charge]]:
        """Return the table of the records, once their fields are laid out in columns, and what left it."""
        return table, []

    def _fit(self, data: Bytes, ragged: Ragged, n_fields: int) -> Fitted:
        return fit_fields(data, ragged, n_fields, ends_at_lines=self._ends_at_lines)


def tell_counts(fitted: Fitted, *, has_short: bool) -> SnagRows:
    """Return the records with a wrong number of fields as snags."""
    snags = [(fitted.long, SNAG_CODES["long"])]
    if has_short:
        snags.append((fitted.short, SNAG_CODES["short"]))
    return SnagRows.gather(snags)


def _find_over(ragged: Ragged, fitted: Fitted, n_fields: int) -> Ragged:
    """Return the pieces of long records behind their columns, up to the last filled one."""
    is_long: Bools = np.zeros(ragged.stops.size, np.bool_)
    is_long[fitted.long] = True
    long = ragged.select(is_long)
    rests = fitted.ragged.offsets[fitted.long] + n_fields
    owners = np.repeat(np.arange(fitted.long.size), long.counts)
    places = np.arange(owners.size) - long.offsets[owners]
    is_over = (places >= n_fields) & (long.starts < fitted.ragged.ends[rests][owners])
    return long.without_fields(~is_over)
