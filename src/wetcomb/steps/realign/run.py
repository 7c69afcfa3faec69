"""realign at work: tables in, tables out, each record that does not fit read anew.

The state carried from piece to piece is the last value of each rising column, and the pieces
that wait until the next one behind them is known.
"""

from __future__ import annotations

import math
from collections import deque
from collections.abc import Iterator

import msgspec
import numpy as np
from msgspec.structs import replace

from wetcomb.core.arrays import Bools, Ints, is_among, sort_unique
from wetcomb.core.batch import Advice, Batch, StepRun, Told
from wetcomb.core.errors import InputError
from wetcomb.core.table import MISSING, Table
from wetcomb.match.digests import Reader
from wetcomb.steps.realign.advice_sample import AdviceSample
from wetcomb.steps.realign.found import BestReadings, read_matrix
from wetcomb.steps.realign.laid_pieces import LaidPieces, find_pieces, glue_particles, has_particles
from wetcomb.steps.realign.laying import COUNT_SNAGS, Shifted, gather_moves, lay_cells, mark_snags
from wetcomb.steps.realign.options import Realign, Shift
from wetcomb.steps.realign.profiles import Bounds, Places, Profile
from wetcomb.steps.realign.readings import MOST_PIECES, MOST_TAKEN
from wetcomb.steps.realign.slides import slide_values

__all__ = ["Realigner", "begin"]

_BATCH = 4096  # records read together: their sums stay in the processor's cache (measured)
_AHEAD = 1000  # records that are looked through for the next one that fits
_TRIED_COLUMNS = 50  # that advice is tried on


def begin(options: Realign) -> Realigner:
    """Return a realign ready to run."""
    return Realigner(options)


class Realigner(StepRun):
    """Runs one `Realign` over the pieces of a table.

    Raises
    ------
    UsageError : an option names a column that there is not
    InputError : cells are to be shifted where there is no record, or no room
    """

    def __init__(self, options: Realign) -> None:
        self._options = options
        self._profile: Profile | None = None
        self._low: dict[int, float] = {}
        self._waiting: deque[_Seen] = deque()
        self._shifts = options.shifts
        self._met: dict[str, str] = {}
        self._has_order: set[int] = set()  # rising columns of which some value has a place
        self._unplaced: dict[int, tuple[int, str | None]] = {}  # how many have none, and the first
        self._tally = _Tally()
        self._slid: list[str] = []

    def feed(self, batch: Batch, *, is_last: bool) -> Iterator[Batch]:
        """Yield the batches whose records can be settled now."""
        if batch.table is None:
            self._waiting.append(_Seen(batch, None, np.zeros(0, np.bool_), {}))
        else:
            self._waiting.append(self._look(batch, batch.table))
        while self._waiting and (is_last or self._is_settled()):
            yield self._realign(self._waiting.popleft())

    def _look(self, batch: Batch, table: Table) -> _Seen:
        """Find which records of a piece do not fit, neighbours aside."""
        if self._profile is None:
            self._profile = Profile(self._options, table.names)
            for shift in self._shifts:
                self._profile.find_column(shift.column, "shift")
        if self._options.slide:
            table, self._slid = slide_values(table, self._options.slides, self._profile.find_column)
            batch = replace(batch, table=table)
        reader = Reader(table.text.data)
        odd = self._profile.find_odd(reader, table)
        odd[table.snags.records[is_among(table.snags.kinds, COUNT_SNAGS)]] = True
        odd |= table.rest_starts != MISSING
        if self._options.particles:
            odd |= has_particles(reader, table, self._options.particles)
        places = self._profile.find_places(table)
        self._has_order |= {k for k, found in places.items() if not np.isnan(found).all()}
        for column, found in places.items():
            unplaced = np.flatnonzero(
                np.isnan(found) & (table.ends[:, column] > table.starts[:, column])
            )
            if unplaced.size:
                number, first = self._unplaced.get(
                    column, (0, table.value(int(unplaced[0]), column))
                )
                self._unplaced[column] = number + unplaced.size, first
        return _Seen(batch, reader, odd, places)

    def _is_settled(self) -> bool:
        """Whether the first piece that waits knows its neighbours behind."""
        if self._waiting[0].reader is None:
            return True
        assert self._profile is not None
        for column in self._profile.rising:
            n_behind, is_found = 0, False
            for seen in list(self._waiting)[1:]:
                firm = seen.find_firm(column)
                is_found |= firm.size > 0 and not np.isnan(firm).all()
                n_behind += firm.size
            if not is_found and n_behind < _AHEAD:
                return False
        return True

    # One piece

    def _realign(self, seen: _Seen) -> Batch:
        batch, table = seen.batch, seen.batch.table
        if table is None or not table.n_records:
            return batch
        assert self._profile is not None and seen.reader is not None
        bounds, against = self._find_bounds(seen)
        batch, table, shifted = self._shift_cells(batch, table)
        odd = (seen.odd | against) & ~shifted.is_done
        self._tally.n_records += table.n_records
        rows = np.flatnonzero(odd)
        if not rows.size and not shifted.is_any:
            self._look_for_blanks(table)
            return batch
        laid = find_pieces(table, rows, batch.charges)
        if self._options.particles:
            laid = glue_particles(seen.reader, laid, self._options.particles)
        found = self._read(seen.reader, laid, bounds)
        was = table
        batch, table = lay_cells(batch, table, laid, found)
        is_changed = (table.starts[rows] != was.starts[rows]).any(axis=1)
        is_changed |= (table.ends[rows] != was.ends[rows]).any(axis=1)
        table = mark_snags(table, laid.rows, found, shifted)
        self._tally.n_doubtful += int((~found.is_taken).sum())
        self._look_for_blanks(table)
        moves = gather_moves(table, laid, found, is_changed, self._profile)
        return replace(batch, table=table, moves=moves)

    def _look_for_blanks(self, table: Table) -> None:
        """Note which columns that may be missing are blank somewhere."""
        assert self._profile is not None
        for place, column in enumerate(self._profile.columns):
            if not column.is_optional or place in self._tally.blank:
                continue
            if (table.ends[:, place] <= table.starts[:, place]).any():
                self._tally.blank.add(place)

    def _find_bounds(self, seen: _Seen) -> tuple[Bounds, Bools]:
        """Return what the neighbours of each record say of rising columns, and which fall."""
        assert self._profile is not None
        against = np.zeros(seen.odd.size, np.bool_)
        bounds = Bounds({}, {})
        for column in self._profile.rising:
            firm = seen.find_firm(column)
            low = _fill_forward(np.append(self._low.get(column, math.nan), firm))
            self._low[column] = float(low[-1])
            bounds.low[column] = low[:-1]
            bounds.high[column] = self._find_next(column, firm)
            against |= firm < low[:-1]
        return bounds, against

    def _find_next(self, column: int, firm: Places) -> Places:
        """Return the next value of a rising column that fits behind each record of the batch in hand.

        Wherever the text was cut into batches: one that is too far away counts for nothing.
        """
        behind = [firm]
        for seen in self._waiting:
            if sum(part.size for part in behind[1:]) >= _AHEAD:
                break
            behind.append(seen.find_firm(column))
        places = np.append(np.concatenate(behind), math.nan)
        far = places.size - 1
        known = np.where(np.isnan(places), far, np.arange(places.size))
        following = np.minimum.accumulate(known[::-1])[::-1][1 : firm.size + 1]
        is_near = following - np.arange(firm.size) <= _AHEAD
        found: Places = np.where(is_near, places[following], math.nan)
        return found

    def _read(self, reader: Reader, laid: LaidPieces, bounds: Bounds) -> BestReadings:
        """Return the best two readings of the records, and which are taken."""
        assert self._profile is not None
        profile, counts = self._profile, laid.counts
        found = BestReadings.none(laid.rows.size, len(profile.columns))
        readable = (counts > 0) & (counts <= min(MOST_PIECES, MOST_TAKEN * len(profile.columns)))
        self._keep_to_try(reader, laid, np.flatnonzero(readable), bounds)
        for n_pieces in sort_unique(counts[readable]).tolist():
            same = np.flatnonzero(readable & (counts == n_pieces))
            for begin in range(0, same.size, _BATCH):
                places = same[begin : begin + _BATCH]
                matrix = laid.matrix(reader, places, n_pieces, bounds.take(laid.rows[places]))
                found.put(places, read_matrix(profile, matrix))
        return found

    # Cells shifted by hand

    def _shift_cells(self, batch: Batch, table: Table) -> tuple[Batch, Table, Shifted]:
        """Move the cells of the records that are named by their lines."""
        shifted = Shifted(np.zeros(table.n_records, np.bool_), [])
        if not self._shifts:
            return batch, table, shifted
        firsts, lasts = table.line_numbers(np.arange(table.n_records))
        for shift in self._shifts:
            row = int(np.searchsorted(lasts, shift.line))
            if row >= table.n_records or not firsts[row] <= shift.line <= lasts[row]:
                continue
            text = " ".join(table.record_text(row).split())
            if shift.text and " ".join(shift.text.split()) != text:
                shifted.stale.append(row)
                self._met[shift.key] = ""
                continue
            self._met[shift.key] = text
            laid = find_pieces(table, np.array([row]), batch.charges)
            found = self._lay_shifted(laid, shift)
            batch, table = lay_cells(batch, table, laid, found)
            shifted.is_done[row] = True
        return batch, table, shifted

    def _lay_shifted(self, laid: LaidPieces, shift: Shift) -> BestReadings:
        assert self._profile is not None
        n_columns, column = (
            len(self._profile.columns),
            self._profile.find_column(shift.column, "shift"),
        )
        spans = list(zip(laid.starts.tolist(), laid.ends.tolist(), strict=True))
        spans += [(MISSING, MISSING)] * (column - len(spans))
        if shift.by > 0:
            spans[column:column] = [(MISSING, MISSING)] * shift.by
        else:
            gone = spans[max(0, column + shift.by) : column]
            if column + shift.by < 0 or any(end > start for start, end in gone):
                raise InputError(
                    f"--shift {shift.key}: the cells to the left of {shift.column} are not empty; nothing can be moved over them",
                    line=shift.line,
                )
            del spans[column + shift.by : column]
        while len(spans) > n_columns and spans[-1][1] <= spans[-1][0]:
            spans.pop()
        if len(spans) > n_columns:
            raise InputError(
                f"--shift {shift.key}: the last cells would leave the table; there is room for {n_columns} columns",
                line=shift.line,
            )
        spans += [(MISSING, MISSING)] * (n_columns - len(spans))
        found = BestReadings.none(1, n_columns)
        found.starts[0], found.ends[0] = zip(*spans, strict=True)
        found.is_taken[0] = True
        return found

    # What is told at the end

    def _keep_to_try(self, reader: Reader, laid: LaidPieces, places: Ints, bounds: Bounds) -> None:
        """Keep the first of the records that are read."""
        first = places[: self._tally.tried.room]
        counts = laid.counts[first]
        parts = []
        for n_pieces in sort_unique(counts).tolist():
            same = np.flatnonzero(counts == n_pieces)
            some = first[same]
            matrix = laid.matrix(reader, some, n_pieces, bounds.take(laid.rows[some]))
            parts.append((same, matrix))
        self._tally.tried.add(parts)

    def give_counts(self) -> _Tally:
        """Return what was counted of the records so far, and begin to count anew."""
        tally, self._tally = self._tally, _Tally()
        return tally

    def add_counts(self, counts: object) -> None:
        """Add what was counted of the records behind those so far."""
        assert isinstance(counts, _Tally)
        self._tally.add(counts)

    def tell(self) -> Told:
        """Return what is to be told when all pieces have been taken.

        Raises
        ------
        InputError : cells are to be shifted where there is no record
        """
        notes, tally = list(self._slid), self._tally
        for shift in self._options.shifts:
            if shift.key in self._met:
                continue
            if not shift.text:
                raise InputError(f"--shift {shift.key}: no record stands there", line=shift.line)
            notes.append(f"--shift {shift.key} was not used: no record stands in line {shift.line}")
        if self._profile is not None and tally.n_records and not tally.n_doubtful:
            notes += [
                f"--optional {name}: every record has one"
                for place, name in enumerate(self._profile.names)
                if self._profile.columns[place].is_optional and place not in tally.blank
            ]
        if self._profile is not None and tally.n_records:
            names = [
                self._profile.names[k] for k in self._profile.rising if k not in self._has_order
            ]
            notes += [
                f"--rising {name}: none of its values has a place in an order" for name in names
            ]
            notes += [
                f"--rising {self._profile.names[k]}: {number} of its values have no certain place in an order, first {first!r}; they were not checked"
                for k, (number, first) in self._unplaced.items()
                if k in self._has_order
            ]
        remembered = {key: text for key, text in self._met.items() if text}
        return Told(tuple(notes), tuple(self._find_advice()), remembered)

    def _find_advice(self) -> Iterator[Advice]:
        """Try on the records that were read what one option more would settle and change."""
        if self._profile is None or not self._tally.n_doubtful:
            return
        options, names = self._options, self._profile.names
        matrices = self._tally.tried.list_matrices()
        before = [read_matrix(self._profile, matrix) for matrix in matrices]
        for flag in ("optional", "absorb"):
            for name in names[:_TRIED_COLUMNS]:
                known = getattr(options, flag)
                if name in known or "," in name:
                    continue
                more = Profile(replace(options, **{flag: (*known, name)}), names)
                settled = changed = 0
                for matrix, was in zip(matrices, before, strict=True):
                    now = read_matrix(more, matrix)
                    settled += int((now.is_taken & ~was.is_taken).sum())
                    is_other = (now.starts != was.starts).any(axis=1) | ~now.is_taken
                    changed += int((was.is_taken & is_other).sum())
                if settled:
                    yield Advice("wrong-place", f"--{flag} {name}", settled, changed)


class _Tally(msgspec.Struct):
    """What is counted of the records, for what is told at the end.

    Attributes
    ----------
    n_records, n_doubtful : all of them, and those that were read but not taken
    blank : columns that may be missing and are blank somewhere
    tried : records to try other options on
    """

    n_records: int = 0
    n_doubtful: int = 0
    blank: set[int] = msgspec.field(default_factory=set)
    tried: AdviceSample = msgspec.field(default_factory=AdviceSample)

    def add(self, behind: _Tally) -> None:
        """Add what was counted of the records behind these."""
        self.n_records += behind.n_records
        self.n_doubtful += behind.n_doubtful
        self.blank |= behind.blank
        self.tried.add(behind.tried.parts)


class _Seen(msgspec.Struct, frozen=True, eq=False):
    """A batch, which of its records do not fit, and the places of its rising values."""

    batch: Batch
    reader: Reader | None
    odd: Bools
    places: dict[int, Places]

    def find_firm(self, column: int) -> Places:
        """Return the places of the records that fit, NaN for the others."""
        if column not in self.places:
            return np.zeros(0, np.float64)
        return np.where(self.odd, math.nan, self.places[column])


def _fill_forward(values: Places) -> Places:
    """Return values with each NaN replaced by the last number before it."""
    known = np.where(np.isnan(values), 0, np.arange(values.size))
    filled: Places = values[np.maximum.accumulate(known)]
    return filled
