"""Records that are not lines: so many fields each, side-by-side panels, every piece one.

These work on fields that have been cut and proved already: they change which record a field
belongs to, never the field.
"""

from __future__ import annotations

import msgspec
import numpy as np
from msgspec.structs import replace

from wetcomb.core.arrays import Bools, Bytes, Ints, count_before
from wetcomb.core.ragged import Ragged
from wetcomb.core.recut import find_quoted, trim_line_ends
from wetcomb.core.snags import SNAG_CODES
from wetcomb.core.specials import CutRules, Specials
from wetcomb.core.table import fit_columns
from wetcomb.match.patterns import Pattern, compile_pattern

__all__ = [
    "CellShapes",
    "Fitted",
    "find_dropped",
    "find_frame",
    "fit_fields",
    "make_records",
    "select_fields",
    "stack_panels",
]

_AHEAD = 3  # records that are looked at to see where the next one begins


def find_frame(ragged: Ragged) -> Bools:
    """Return the empty fields at the start and end of records that have both."""
    firsts, lasts = ragged.offsets[:-1], ragged.offsets[1:] - 1
    framed = (ragged.counts > 2) & (ragged.ends[firsts] == ragged.starts[firsts])
    framed &= ragged.ends[lasts] == ragged.starts[lasts]
    gone = np.zeros(ragged.starts.size, np.bool_)
    gone[firsts[framed]] = gone[lasts[framed]] = True
    return gone


def find_dropped(data: Bytes, ragged: Ragged, patterns: list[Pattern]) -> Bools:
    """Return the fields whose whole value one of the patterns covers; a record keeps at least one."""
    gone = np.zeros(ragged.starts.size, np.bool_)
    spans = zip(ragged.starts.tolist(), ragged.ends.tolist(), strict=True)
    known: dict[bytes, bool] = {}
    for place, (start, end) in enumerate(spans):
        if start == end:
            continue
        value = data[start:end].tobytes()
        if value not in known:
            if len(known) > 10_000:
                known.clear()
            known[value] = any(pattern.covers(value) for pattern in patterns)
        gone[place] = known[value]
    kept = count_before(~gone)
    firsts = ragged.offsets[:-1]
    bare = kept[ragged.offsets[1:]] - kept[firsts] == 0
    gone[firsts[np.flatnonzero(bare)]] = False
    return gone


def select_fields(ragged: Ragged, fields: Ints, offsets: Ints, stops: Ints) -> Ragged:
    """Return records made of some fields of others, in a new order."""
    return Ragged(
        ragged.starts[fields],
        ragged.ends[fields],
        ragged.outer_starts[fields],
        ragged.outer_ends[fields],
        ragged.doubled[fields],
        offsets,
        stops,
    )


def stack_panels(ragged: Ragged, n_panels: int, width: int, page_starts: Ints) -> Ragged:
    """Return the list that runs down side-by-side panels, page by page.

    Parameters
    ----------
    ragged : R lines of at most one field more than all panels have
    width : fields of a panel; what a line has beyond them goes with its last panel
    page_starts : rising, where pages begin in the text
    """
    n_lines = ragged.stops.size
    pages = np.searchsorted(page_starts, ragged.record_starts, "right")
    rows = np.tile(np.arange(n_lines), n_panels)
    panels = np.repeat(np.arange(n_panels), n_lines)
    order = np.lexsort((rows, panels, pages[rows]))
    rows, panels = rows[order], panels[order]
    fields = ragged.offsets[rows][:, None] + panels[:, None] * width + np.arange(width + 1)
    there = fields < ragged.offsets[rows + 1][:, None]
    there[:, width] &= panels == n_panels - 1
    filled = np.zeros(fields.shape, np.bool_)
    filled[there] = ragged.ends[fields[there]] > ragged.starts[fields[there]]
    is_record: Bools = np.logical_or.reduce(
        filled, axis=1
    )  # a panel that a short row does not reach makes no record
    there &= is_record[:, None]
    counts = there.sum(axis=1)[is_record]
    offsets = np.concatenate([[0], np.cumsum(counts)])
    return select_fields(ragged, fields[there], offsets, ragged.stops[rows[is_record]])


def make_records(ragged: Ragged, counts: Ints) -> Ragged:
    """Return the fields of all records as records of so many fields each, one after another."""
    lines = np.repeat(np.arange(ragged.stops.size), ragged.counts)
    offsets = np.concatenate([[0], np.cumsum(counts)])
    stops = ragged.stops[lines[offsets[1:] - 1]] if counts.size else ragged.stops[:0]
    return replace(ragged, offsets=offsets, stops=stops)


class Fitted(msgspec.Struct, frozen=True, eq=False):
    """Records of at most one surplus field: as they go on, as they are proved, and what left."""

    ragged: Ragged
    proved: Ragged
    gone: Ragged | None
    long: Ints
    short: Ints


def fit_fields(
    specials: Specials, ragged: Ragged, gone: Ragged | None, n_fields: int, rules: CutRules
) -> Fitted:
    """Make one field of what is over; what was dropped stays in the records that are proved."""
    fitted, long, short = fit_columns(specials, ragged, n_fields)
    if not rules.ends_at_lines and long.size:
        fitted = trim_line_ends(
            specials.data, fitted, find_quoted(fitted, specials.data, rules.marks)
        )
    if gone is None:
        return Fitted(fitted, fitted, None, long, short)
    owners = np.searchsorted(fitted.outer_starts, gone.outer_starts, "right") - 1
    swallowed = (owners >= 0) & (gone.outer_ends <= fitted.outer_ends.take(owners, mode="clip"))
    free = np.flatnonzero(~swallowed)
    gone = select_fields(gone, free, np.array([0, free.size]), gone.stops)
    outer_starts = np.concatenate([fitted.outer_starts, gone.outer_starts])
    order = np.argsort(outer_starts, kind="stable")
    records = np.searchsorted(fitted.stops[:-1], outer_starts[order], "right")
    joined = Ragged(
        np.concatenate([fitted.starts, gone.starts])[order],
        np.concatenate([fitted.ends, gone.ends])[order],
        outer_starts[order],
        np.concatenate([fitted.outer_ends, gone.outer_ends])[order],
        np.concatenate([fitted.doubled, gone.doubled])[order],
        np.searchsorted(records, np.arange(fitted.stops.size + 1)),
        fitted.stops,
    )
    return Fitted(fitted, joined, gone, long, short)


class CellShapes:
    """Finds where a cell is missing or too many in one long run of fields, going by shapes.

    A run of N fields that fit their columns is a record. Where they do not, the nearest
    place is looked for at which records fit again; the fields up to there are one record that
    is short or long, and all that follows keeps its columns.
    """

    def __init__(self, shapes: tuple[str, ...], n_fields: int) -> None:
        checked = [shape not in ("any", "text") for shape in shapes]
        self.n_fields = n_fields
        self._patterns = [
            compile_pattern(f"{{{shape}}}") if is_checked else None
            for shape, is_checked in zip(shapes, checked, strict=True)
        ]
        self._n_checked = sum(checked)

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
        counts_list: list[int] = []
        rows: dict[str, list[int]] = {"cell-missing": [], "cell-too-many": [], "wrong-shape": []}
        place = 0
        while place < total and (is_last or place + self.ahead <= total):
            count, name = self._read_record(values, place)
            if name:
                rows[name].append(len(counts_list))
            counts_list.append(count)
            place += count
        snags = [(np.array(found, np.int64), SNAG_CODES[name]) for name, found in rows.items()]
        return np.array(counts_list, np.int64), snags

    def _read_record(self, values: list[bytes], place: int) -> tuple[int, str]:
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

    def _resumes(self, values: list[bytes], place: int) -> bool:
        """Return whether a record fits here, and one more behind it where few shapes are checked."""
        ahead = [place + nth * self.n_fields for nth in range(_AHEAD)]
        fits = [self._fits(values, at) for at in ahead if at + self.n_fields <= len(values)]
        needed = 1 if self._n_checked > 1 else 2
        return bool(fits) and fits[0] and sum(fits) >= min(needed, len(fits))

    def _fits(self, values: list[bytes], place: int) -> bool:
        if place + self.n_fields > len(values):
            return False
        return all(
            self._is_shape(column, values[place + column]) for column in range(self.n_fields)
        )

    def _fits_in_order(self, values: list[bytes]) -> bool:
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
        return pattern is None or not value or pattern.covers(value)
