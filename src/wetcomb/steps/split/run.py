"""split at work: chunks of text in, tables out.

The state carried from chunk to chunk is the heading and the edges in force: once they are
read, any cut of the text at a record gives the same records.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from importlib import import_module
from typing import TYPE_CHECKING, Any, cast

import numpy as np
from msgspec.structs import replace

from wetcomb.core.arrays import Bools, Bytes, Ints, find_text
from wetcomb.core.batch import Batch, NameSource, StepRun, Told
from wetcomb.core.cutting.layout import find_heading_again
from wetcomb.core.cutting.plain_records import can_be_plain, cut_plain_records
from wetcomb.core.cutting.proof import prove_cut
from wetcomb.core.cutting.ragged import LineDrops, Ragged
from wetcomb.core.cutting.records import OddPlaces, Records
from wetcomb.core.cutting.scanned import Cut
from wetcomb.core.cutting.specials import Specials, find_specials
from wetcomb.core.errors import InputError, UsageError
from wetcomb.core.ledger import Charge
from wetcomb.core.snags import SnagRows
from wetcomb.core.surplus import Surplus, take_back
from wetcomb.core.table import Table, lay_out, undouble
from wetcomb.core.text import Text, count_line_ends
from wetcomb.steps.split.columns import find_columns, mark_missing, take_columns
from wetcomb.steps.split.cutter import Cutter, Surroundings
from wetcomb.steps.split.groups import Groups
from wetcomb.steps.split.heading_lines import HeadingLines
from wetcomb.steps.split.heading_reader import HeadingReader
from wetcomb.steps.split.headings import Heading, make_name, make_unique
from wetcomb.steps.split.lines import Arranged, Lines
from wetcomb.steps.split.options import Split
from wetcomb.steps.split.page_edges import PageEdges
from wetcomb.steps.split.widths import MOST_FIELDS, check_widths, count_fields

if TYPE_CHECKING:
    from wetcomb.steps.split.cells import Cells

__all__ = ["Splitter", "begin"]

_MOST_ODD = 4  # odd chunks in a row, before none is looked at for being plain

#: What arranges the lines of a text as records, by the name of the way; loaded when it is needed.
_ARRANGERS = {
    "lines": "lines:Lines",
    "wrapped": "wrapped:Wrapped",
    "continued": "continued:Continued",
    "cells": "cells:Cells",
    "panels": "panels:Panels",
    "pieces": "pieces:Pieces",
}
#: Ways that read a text by themselves.
_READERS = {
    "outline": "outline:OutlineSplitter",
    "stacked": "stacked:StackedSplitter",
    "column-by-column": "columns_down:ColumnSplitterDown",
    "column": "column:ColumnSplitter",
}


def begin(options: Split) -> StepRun:
    """Return a split ready to run.

    Raises
    ------
    UsageError : an option is still to be worked out
    """
    if options.example:
        raise UsageError("split: an example is still to be worked out; draft a comb first")
    reader = _load(_READERS[options.way]) if options.way in _READERS else Splitter
    run: StepRun = reader(options)
    return run


def _load(place: str) -> Any:
    module, name = place.split(":")
    return getattr(import_module(f"wetcomb.steps.split.{module}"), name)


class _TextLines(Surroundings):
    """What the lines of a text say of its records, as its pages go by."""

    def __init__(self, options: Split, groups: Groups, pages: PageEdges) -> None:
        self._options, self._groups, self._pages = options, groups, pages
        self.is_last = False
        self.heading = HeadingLines()

    def take_whole(self, data: Bytes, cut: Cut) -> Cut | None:
        if self.is_last:
            return cut
        whole = self._pages.take_whole(data, cut)
        return whole and self.heading.take_whole(data, whole)

    def find_named(self, data: Bytes, ragged: Ragged) -> tuple[Bools, LineDrops]:
        named, drops = self.heading.find(data, ragged)
        others, more = self._groups.find(data, ragged.select(~named))
        drops = LineDrops.join([drops, more])
        named[~named] = others
        if self._options.has_edges_only and self._pages.words:
            again = np.zeros(named.size, np.bool_)
            again[self._pages.find_headings(data, ragged)] = True  # wherever its words stand
            again &= ~named
            gone = LineDrops.of("heading-again", ragged.record_starts[again], ragged.stops[again])
            named, drops = named | again, LineDrops.join([drops, gone])
        return named, drops

    def find_edges(self, data: Bytes, ragged: Ragged, named: Bools) -> Ints:
        return self._pages.find(data, ragged, named)


class Splitter(StepRun):
    """Runs one `Split` over the chunks of one text.

    Raises
    ------
    UsageError : an option is still to be worked out
    """

    def __init__(self, options: Split) -> None:
        unsettled = options.unsettled()
        if unsettled:
            raise UsageError(
                f"split has options still to be worked out: {', '.join(unsettled)}; draft a comb first"
            )
        self._options = options
        self._cutter = Cutter(options)
        self._rules = self._cutter.rules
        self._way: Lines = _load(_ARRANGERS[options.way])(options)
        self._pages = PageEdges(options)
        self._groups = Groups(
            tuple(options.group), tuple(options.totals), ignore_case=options.ignore_case
        )
        self._around = _TextLines(options, self._groups, self._pages)
        self._reader = HeadingReader(options, self._rules, self._pages)
        self._heading: Heading | None = None  # read, and not told yet
        self._pieces: tuple[bytes, ...] = ()  # what the heading says, field by field
        self._found: tuple[str, ...] = ()
        self._names: tuple[str, ...] | None = None
        self._columns: list[int] = []
        self._n_fields = count_fields(options)
        self._missing = [word.encode() for word in options.missing]
        self._has_end = False
        self._n_odd = 0
        self._n_arranged = np.zeros(
            2, np.int64
        )  # lines that were arranged, and records that came of them
        self._may_be_plain = (
            can_be_plain(self._rules)
            and options.reach == "record"
            and options.way == "lines"
            and options.n_heading < 2
            and not self._cutter.has_leaving
            and not self._cutter.cuts_further
        )

    def feed(self, batch: Batch, *, is_last: bool) -> Iterator[Batch]:
        """Yield the records of a chunk that begins at one."""
        chunk = batch.text
        plain = self._cut_plain(chunk, is_last=is_last)
        if plain is not None:
            yield self._finish_plain(chunk, plain)
            return
        if self._names is None:
            self._heading = self._reader.read(chunk, is_last=is_last)
            if self._heading is None:
                yield Batch(chunk)
                return
            self._name_columns(self._heading)
        specials = find_specials(chunk.data[: chunk.body_size], self._rules, is_last=is_last)
        if self._way.counts_lines and specials.cut_starts.size > MOST_FIELDS:
            check_widths(chunk, specials)
        records = self._cut(specials, is_last=is_last)
        if records is None:
            yield Batch(chunk)
            return
        yield self._finish(chunk, records, self._count_lines(specials, records.used))

    def give_counts(self) -> Counter[str]:
        """Return how often options found something, and begin to count anew."""
        counts: Counter[str] = Counter(self._cutter.hits)
        self._cutter.hits.clear()
        return counts

    def add_counts(self, counts: object) -> None:
        """Add what another run of the step has counted."""
        assert isinstance(counts, Counter)
        self._cutter.hits.update(counts)

    def tell(self) -> Told:
        """Return which options found nothing to cut at, or nothing to protect."""
        idle = [
            f"--{name} {' '.join(given)}: nothing in the text matches it"
            for name in ("boundary", "before", "after", "protect")
            if (given := getattr(self._options, name)) and not self._cutter.hits[name]
        ]
        n_alike = self._cutter.hits["touching"]
        if n_alike:
            idle.append(
                f"--touching: {n_alike} cuts stand between two letters or two digits; look whether they cut words"
            )
        n_lines, n_records = self._n_arranged.tolist()
        if self._options.parted_by and n_records == 1 < n_lines:
            what = self._options.parted_by.replace("-", " ")
            idle.append(
                f"--parted-by: no {what} stands between the {n_lines} lines; they are one record"
            )
        return Told(tuple(idle))

    def _cut(self, specials: Specials, *, is_last: bool) -> Records | None:
        """Return the records of a chunk that need no more text; None if more of the text is needed."""
        data = specials.data
        self._look_for_end(data, is_last=is_last)
        self._around.is_last = is_last
        records = self._cutter.cut(
            specials,
            self._around,
            start=self._heading.used if self._heading else 0,
            n_fields=self._n_line,
            heading=self._pieces,
        )
        if records is not None and self._heading and self._options.has_cell_heading:
            records = self._take_cell_heading(cast("Cells", self._way), records, specials)
        if records is None:
            return None
        return self._way.keep_whole(records, data, self._found, is_last=is_last)

    def _count_lines(self, specials: Specials, used: int) -> int:
        """Return how many lines end in the first bytes of a chunk."""
        if self._rules.ends_at_lines:
            return specials.count_lines(used)
        return count_line_ends(specials.data[:used].tobytes(), is_whole=specials.is_last)

    @property
    def _n_line(self) -> int | None:
        """How many fields a line has, where that is known: those of all panels."""
        if not self._way.counts_lines or not self._n_fields:
            return None
        return self._n_fields * self._options.panels

    def _take_cell_heading(
        self, way: Cells, records: Records, specials: Specials
    ) -> Records | None:
        taken = way.take_heading(records, specials.data, is_last=specials.is_last)
        if taken is None:
            return None
        self._heading, records = taken
        self._name_columns(self._heading)
        return records

    def _cut_plain(self, chunk: Text, *, is_last: bool) -> Ragged | None:
        """Return the records of a chunk in which nothing is odd, once the columns are known."""
        is_told = self._names is not None and self._heading is None
        if not is_told or not self._may_be_plain or self._n_odd == _MOST_ODD:
            return None
        assert self._n_fields is not None
        data = chunk.data[: chunk.body_size]
        ragged = cut_plain_records(data, self._rules, self._n_fields, is_last=is_last)
        if ragged is not None and self._pieces:
            comes_again = find_heading_again(data, ragged, self._pieces).size > 0
            ragged = None if comes_again else ragged
        self._n_odd = 0 if ragged is not None else self._n_odd + 1
        return ragged

    def _finish_plain(self, chunk: Text, ragged: Ragged) -> Batch:
        """Return the records of a chunk in which nothing is odd."""
        charges = prove_cut(chunk, ragged, LineDrops.none(), self._rules)
        text, values = undouble(chunk, ragged, self._rules.closing)
        snags = OddPlaces(chunk.odd_places, chunk.odd_kinds).find_snags(ragged)
        table = lay_out(text, values, self._all_names(), snags)
        table, more = self._take_columns(table)
        used = int(ragged.stops[-1])
        return Batch(chunk, used, ragged.stops.size, table, charges=[*charges, *more])

    def _take_columns(self, table: Table) -> tuple[Table, list[Charge]]:
        """Return a table with the columns that are taken, under their names, and what left it."""
        assert self._names is not None
        table, gone = take_columns(table, self._columns)
        table, missing = mark_missing(replace(table, names=self._names), self._missing)
        return table, gone + missing

    def _look_for_end(self, data: Bytes, *, is_last: bool) -> None:
        """Raise InputError where the text that ends records stands nowhere."""
        end = self._rules.record_end
        self._has_end = self._has_end or not end or find_text(data, end).size > 0
        if is_last and not self._has_end:
            raise InputError(
                f"--records-at {self._options.records_at!r} never occurs; all of the text would be one record"
            )

    def _finish(self, chunk: Text, records: Records, n_lines: int) -> Batch:
        """Return the table of some records, and all that left them."""
        assert self._n_fields is not None
        data = chunk.data[: chunk.body_size]
        arranged = self._way.arrange(records, data, self._n_fields)
        drops, charges = self._list_charges(chunk, records)
        charges, inside = take_back([*charges, *arranged.charges], *arranged.merged)
        table = self._lay_out(chunk, records, arranged, inside)
        table, joined = self._way.join(table)
        self._n_arranged += np.array([records.ragged.stops.size, table.n_records])
        table, more = self._take_columns(table)
        table, totals = self._groups.add_columns(table, records.drops)
        batch = Batch(
            chunk,
            records.used,
            n_lines,
            table,
            charges=[*charges, *joined, *more],
            drops=drops,
            totals=tuple(totals),
        )
        self._pages.go_on(records.used)
        return self._tell_names(batch)

    def _list_charges(self, chunk: Text, records: Records) -> tuple[LineDrops, list[Charge]]:
        """Return the lines that are no record, and all that is in no field's value."""
        heading, ragged, drops = self._heading, records.ragged, records.drops
        if heading is not None:
            ragged = Ragged.join([heading.ragged, ragged]) if heading.ragged else ragged
            drops = LineDrops.join([heading.drops, drops])
        charges = prove_cut(chunk, ragged, drops, self._rules)
        return drops, charges + records.charge_leaving()

    def _lay_out(
        self, chunk: Text, records: Records, arranged: Arranged, inside: Sequence[Charge]
    ) -> Table:
        """Return the columns of the records, their rests and snags."""
        text, values = undouble(chunk, arranged.ragged, self._rules.closing)
        surplus = None
        if arranged.over is not None:
            text, over = undouble(text, arranged.over, self._rules.closing)
            surplus = Surplus(arranged.over_rows, over.offsets, over.starts, over.ends, inside)
        odd = OddPlaces.join([records.odd, OddPlaces(chunk.odd_places, chunk.odd_kinds)])
        snags = SnagRows.join([arranged.snags, odd.find_snags(arranged.ragged)])
        return replace(lay_out(text, values, self._all_names(), snags), surplus=surplus)

    # The names of the columns

    def _name_columns(self, heading: Heading) -> None:
        """Find how many columns there are, and what they are called."""
        options = self._options
        if self._n_fields is None:
            self._n_fields = heading.n_columns or self._count_by_edges()
        self._pieces = heading.pieces
        self._around.heading = HeadingLines(heading.lines)
        found = heading.list_names()
        self._found = (*found, *self._all_names()[len(found) :])[: self._n_fields]
        self._columns = find_columns(options.taken, self._found)
        if options.names and len(options.names) != len(self._columns):
            raise UsageError(
                f"--names gives {len(options.names)} names for {len(self._columns)} columns"
            )
        names = options.names or make_unique([self._found[column] for column in self._columns])
        self._names = tuple(names)

    def _count_by_edges(self) -> int:
        """Return how many columns the edges of a text make that has no heading."""
        return max(1, (self._pages.first.size + 1) // self._options.panels)

    def _all_names(self) -> tuple[str, ...]:
        assert self._n_fields is not None
        return tuple(map(make_name, range(1, self._n_fields + 1)))

    def _tell_names(self, batch: Batch) -> Batch:
        """Return a batch with what became of the heading, if it has come with it."""
        heading, self._heading = self._heading, None
        if heading is None:
            return batch
        assert self._names is not None
        told = heading.place_words(
            self._names, self._columns, is_replaced=bool(self._options.names)
        )
        made_up = (NameSource(),) * len(self._groups.names)
        return replace(
            batch,
            charges=[*batch.charges, *told.charges],
            name_sources=made_up + told.sources,
            renamed=told.renamed,
        )
