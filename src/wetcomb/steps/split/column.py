"""split --column at work: values of a table cut into new columns beside it, or into records."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np
from msgspec.structs import replace

from wetcomb.core.arrays import Ints, Spans, leave_out
from wetcomb.core.batch import Batch, NameSource, StepRun
from wetcomb.core.cutting.ragged import Ragged
from wetcomb.core.errors import InputError, UsageError
from wetcomb.core.ledger import Charge
from wetcomb.core.shared_cells import tell_apart
from wetcomb.core.snags import SNAG_CODES, SnagRows
from wetcomb.core.table import MISSING, Table, undouble
from wetcomb.steps.split.column_values import CutValues, cut_values
from wetcomb.steps.split.columns import mark_missing
from wetcomb.steps.split.headings import make_unique
from wetcomb.steps.split.options import Split
from wetcomb.steps.step import AUTO

__all__ = ["ColumnSplitter"]


class ColumnSplitter(StepRun):
    """Runs one `Split` over the values of a table's column.

    Raises
    ------
    UsageError : an option is still to be worked out, or there is no such column
    """

    def __init__(self, options: Split) -> None:
        if options.delimiter is AUTO:
            raise UsageError(
                "split --column: the delimiter is still to be worked out; draft a comb first"
            )
        if not options.each_a_record and not options.names and not options.n_stated:
            raise UsageError("split --column needs --names or --fields, to know the new columns")
        self._options = options
        self._closing = options.rules().closing
        self._missing = [word.encode() for word in options.missing]

    def feed(self, batch: Batch, *, is_last: bool) -> Iterator[Batch]:
        """Yield a batch with the column of its table cut."""
        if batch.table is None:
            yield batch
            return
        table = tell_apart(batch.table)
        places = [table.find_column(name) for name in self._options.column]
        if self._options.each_a_record:
            made, charges = self._cut_into_records(table, places)
            sources, more = self._rename(batch, places)
        else:
            made, charges = self._cut_into_columns(table, places[0])
            sources, more = self._replace(batch, places[0], len(made.names))
        yield replace(
            batch,
            table=replace(made, surplus=None),
            charges=[*batch.charges, *charges, *more],
            name_sources=sources,
        )

    # Where the names came from

    def _rename(
        self, batch: Batch, places: Sequence[int]
    ) -> tuple[tuple[NameSource, ...], list[Charge]]:
        """Return where names come from when some columns are called otherwise."""
        sources, charges = list(batch.name_sources), list[Charge]()
        if sources and self._options.names:
            for place in places:
                charges += sources[place].charge("heading-replaced")
                sources[place] = NameSource()
        return tuple(sources), charges

    def _replace(
        self, batch: Batch, place: int, n_columns: int
    ) -> tuple[tuple[NameSource, ...], list[Charge]]:
        """Return where names come from when new columns stand in the place of one, or behind it."""
        sources, charges = list(batch.name_sources), list[Charge]()
        if sources:
            first = place + self._options.keep_original
            if not self._options.keep_original:
                charges = sources[place].charge("heading-replaced")
            n_new = n_columns - (len(sources) - (place + 1 - first))
            sources[first : place + 1] = [NameSource()] * n_new
        return tuple(sources), charges

    # New columns

    def _cut_into_columns(self, table: Table, place: int) -> tuple[Table, Sequence[Charge]]:
        """Return the table with the pieces of each value as columns, and what left the values."""
        options = self._options
        n_fields = options.n_stated or len(options.names)
        names = list(options.names) or [f"{table.names[place]}-{k}" for k in range(1, n_fields + 1)]
        if len(names) != n_fields:
            raise UsageError(f"--names gives {len(names)} names for {n_fields} columns")
        cut = cut_values(options, table, place, n_fields)
        text, ragged = undouble(table.text, cut.ragged, self._closing)
        starts, ends = _lay_out(ragged, n_fields)
        there = table.starts[:, place] != MISSING
        starts[~there] = ends[~there] = MISSING
        before, after = place + options.keep_original, place + 1
        made = replace(
            table,
            text=text,
            names=tuple(make_unique([*table.names[:before], *names, *table.names[after:]])),
            starts=np.concatenate(
                [table.starts[:, :before], starts, table.starts[:, after:]], axis=1
            ),
            ends=np.concatenate([table.ends[:, :before], ends, table.ends[:, after:]], axis=1),
            snags=SnagRows.join([table.snags, self._find_snags(cut, np.flatnonzero(~there))]),
        )
        made = _put_rest(made, ragged, n_fields)
        made, missing = mark_missing(made, self._missing, range(before, before + n_fields))
        if options.keep_original:  # what leaves the new columns still stands in the old one
            return replace(made, repeats=(*made.repeats, "original")), ()
        return made, [*cut.charges, *missing]

    def _find_snags(self, cut: CutValues, missing: Ints) -> SnagRows:
        """Return the values with a wrong number of pieces, and those that are odd."""
        assert cut.fitted is not None
        counts = [(cut.fitted.long, SNAG_CODES["long"])]
        if self._options.cuts == "all":
            counts.append((leave_out(cut.fitted.short, missing), SNAG_CODES["short"]))
        fields, kinds = cut.odd_fields
        rows = np.searchsorted(cut.ragged.offsets, fields, "right") - 1
        return SnagRows.join([SnagRows.gather(counts), SnagRows.of(rows, kinds)])

    # New records

    def _cut_into_records(
        self, table: Table, places: Sequence[int]
    ) -> tuple[Table, Sequence[Charge]]:
        """Make a record of every piece; lists of several columns are walked in step."""
        cuts = [cut_values(self._options, table, place, None) for place in places]
        lists = _count_pieces([cut.ragged for cut in cuts])
        counts = np.max(lists, axis=0)
        rows = np.repeat(np.arange(table.n_records), counts)
        firsts = np.cumsum(counts) - counts
        nth = np.arange(rows.size) - firsts[rows]
        text, starts, ends = table.text, table.starts[rows].copy(), table.ends[rows].copy()
        for place, cut, own in zip(places, cuts, lists, strict=True):
            text, pieces = undouble(text, cut.ragged, self._closing)
            has = nth < own[rows]
            fields = (pieces.offsets[rows] + nth)[has]
            starts[:, place] = ends[:, place] = MISSING
            starts[has, place], ends[has, place] = pieces.starts[fields], pieces.ends[fields]
        uneven = np.flatnonzero(np.logical_or.reduce([own != counts for own in lists], axis=0))
        snags = [
            table.snags.move(firsts),
            SnagRows.gather([(firsts[uneven], SNAG_CODES["unequal-lists"])]),
            *(_find_piece_snags(cut, firsts) for cut in cuts),
        ]
        again = nth > 0
        made = replace(
            table,
            text=text,
            names=self._name_records(table.names, places),
            starts=starts,
            ends=ends,
            rest_starts=np.where(again, MISSING, table.rest_starts[rows]),
            rest_ends=np.where(again, MISSING, table.rest_ends[rows]),
            record_starts=table.record_starts[rows],
            record_ends=table.record_ends[rows],
            snags=SnagRows.join(snags),
            repeats=(*table.repeats, "other-columns"),
        )
        made, missing = mark_missing(made, self._missing, places)
        return made, [*(charge for cut in cuts for charge in cut.charges), *missing]

    def _name_records(self, names: Sequence[str], places: Sequence[int]) -> tuple[str, ...]:
        """Return the names of all columns, those that were cut called as they are to be."""
        called, given = list(names), self._options.names
        if given and len(given) != len(places):
            raise UsageError(f"--names gives {len(given)} names for {len(places)} columns")
        for place, name in zip(places, given, strict=False):
            called[place] = name
        return tuple(make_unique(called))


def _count_pieces(lists: Sequence[Ragged]) -> list[Ints]:
    """Return how many pieces each list has; a mark behind the last makes no piece, if all have one."""
    counts = [ragged.counts for ragged in lists]
    is_open = np.logical_and.reduce(
        [
            (own > 1) & (own == counts[0]) & (ragged.ends[lasts] == ragged.outer_starts[lasts])
            for own, ragged in zip(counts, lists, strict=True)
            for lasts in [ragged.offsets[1:] - 1]
        ]
    )
    return [own - is_open for own in counts]


def _find_piece_snags(cut: CutValues, firsts: Ints) -> SnagRows:
    """Return what is odd in pieces as snags of the records they became."""
    fields, kinds = cut.odd_fields
    rows = np.searchsorted(cut.ragged.offsets, fields, "right") - 1
    return SnagRows.of(firsts[rows] + fields - cut.ragged.offsets[rows], kinds)


def _lay_out(ragged: Ragged, n_fields: int) -> tuple[Spans, Spans]:
    """Return the pieces as columns."""
    rows = np.repeat(np.arange(ragged.stops.size), ragged.counts)
    columns = np.arange(rows.size) - ragged.offsets[rows]
    fits = columns < n_fields
    starts = np.full((ragged.stops.size, n_fields), MISSING, np.int32)
    ends = starts.copy()
    starts[rows[fits], columns[fits]] = ragged.starts[fits]
    ends[rows[fits], columns[fits]] = ragged.ends[fits]
    return starts, ends


def _put_rest(table: Table, ragged: Ragged, n_fields: int) -> Table:
    """Put what is over into `rest`.

    Raises
    ------
    InputError : a record has a rest already
    """
    rows = np.flatnonzero(ragged.counts > n_fields)
    fields = ragged.offsets[rows] + n_fields
    filled = ragged.ends[fields] > ragged.starts[fields]
    rows, fields = rows[filled], fields[filled]
    if not rows.size:
        return table
    free = table.rest_starts[rows] == MISSING
    if not free.all():
        line = int(table.line_numbers(rows[~free])[0][0])
        raise InputError(
            f"the record in line {line} has more than its columns could take already, and its value is cut into too many pieces too; cut the text another way first"
        )
    starts, ends = table.rest_starts.copy(), table.rest_ends.copy()
    starts[rows], ends[rows] = ragged.starts[fields], ragged.ends[fields]
    return replace(table, rest_starts=starts, rest_ends=ends)
