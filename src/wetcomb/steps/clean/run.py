"""clean at work: tables in, tables out, in the order of this file."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np
from msgspec.structs import replace

from wetcomb.core.arrays import Bools
from wetcomb.core.batch import Batch, StepRun, Told
from wetcomb.core.cell_charges import charge_cells
from wetcomb.core.errors import InputError, UsageError
from wetcomb.core.ledger import Charge
from wetcomb.core.shared_cells import tell_apart
from wetcomb.core.snags import SNAG_CODES, SnagRows
from wetcomb.core.table import MISSING, Table, take_records
from wetcomb.match.patterns import Pattern, compile_pattern
from wetcomb.steps.clean.carrying import Carrier
from wetcomb.steps.clean.columns import Columns
from wetcomb.steps.clean.converting import Converter
from wetcomb.steps.clean.edits import edit_column, list_kinds
from wetcomb.steps.clean.fixing import Fixer
from wetcomb.steps.clean.marks import (
    make_letters,
    make_one_space,
    make_replace,
    make_strip,
    make_take_out,
    make_unquote,
    trim,
)  # fmt: skip
from wetcomb.steps.clean.musts import Musts
from wetcomb.steps.clean.options import Clean
from wetcomb.steps.clean.repeats import (
    MOST_NEAR,
    Likeness,
    Repeats,
    Seams,
    find_last,
    find_prints,
    mix_keys,
)
from wetcomb.steps.clean.sorting import sort_records
from wetcomb.steps.clean.strikes import Strikes, Watched
from wetcomb.steps.clean.written import read_named

__all__ = ["Cleaner", "begin"]

_SHOWN = 3  # lines, or seams, that are told


def begin(options: Clean) -> Cleaner:
    """Return a clean ready to run."""
    return Cleaner(options)


class Cleaner(StepRun):
    """Runs one `Clean` over the pieces of a table.

    Raises
    ------
    UsageError : an option names a column that there is not
    """

    def __init__(self, options: Clean) -> None:
        self._options = options
        self._converter = Converter(options)
        self._carrier = Carrier()
        self._fixer = Fixer(options.fixes)
        self._repeats, self._rows, self._near = Repeats(), Repeats(), Repeats()
        self._seams = Seams()
        self._likeness = Likeness()
        self._near_rows: list[tuple[int, int]] = []  # records that differ from others in little
        self._odd_rows: list[tuple[int, int]] = []  # and those that have only the key of another
        self._columns = Columns(options)
        self._musts = Musts(options.musts)
        self._strikes = Strikes()
        self._matching = [compile_pattern(text) for text in options.drop_matching]
        self._sort_notes: list[str] = []
        self._renamed: dict[str, str] = {}  # by steps before this one
        self._n_seen = 0  # records that were looked at for being repeats
        self._met: set[int] = set()  # lines to be dropped that were met
        self._n_named = self._n_dropped = self._n_differing = self._n_kept = 0

    def feed(self, batch: Batch, *, is_last: bool) -> Iterator[Batch]:
        """Yield a piece of the table, finished."""
        table = batch.table
        if table is None:
            yield batch
            return
        charges: list[Charge] = []
        self._renamed |= {old: new for old, new in batch.renamed if old}
        table = self._fixer.fix(tell_apart(table))
        table = self._drop_records(table, charges)
        table = self._edit_values(table, charges)
        if self._options.carry:
            table = self._carrier.carry(
                table,
                [self._find(table, "--carry", name) for name in self._options.carry],
                batch.drops,
            )
        table, more, sources = self._converter.convert(table, batch.name_sources, self._find)
        charges += more
        kept = np.ones(table.n_records, np.bool_)
        if self._options.drop_repeats:
            table, kept = self._drop_repeats(table, charges)
        self._converter.count(kept)
        table, more, sources = self._columns.arrange(table, sources, self._find)
        charges += more
        if self._options.sort:
            table, told = sort_records(table, self._options.sort, self._find)
            self._sort_notes += told
        self._musts.look(table, self._find)
        yield replace(
            batch,
            table=table,
            charges=[*batch.charges, *charges],
            name_sources=tuple(sources),
            renamed=(*batch.renamed, *self._columns.renamed) if sources else batch.renamed,
        )

    def tell(self) -> Told:
        """Return what was converted, which repeats there were, what did not hold, what never was there."""
        notes = [*self._strikes.tell(), *self._converter.tell()]
        held, broken = self._musts.tell()
        if self._options.drop_records or self._options.drop_matching:
            noun = "record" if self._n_named == 1 else "records"
            notes.append(f"{self._n_named:,} {noun} dropped by line or pattern")
        if self._options.drop_repeats:
            noun = "repeat" if self._n_dropped == 1 else "repeats"
            said = f"{self._n_dropped:,} {noun} dropped, {self._n_kept:,} records left"
            if self._n_differing:
                said += f"; {self._n_differing:,} have the key of another and differ"
                said += self._likeness.tell(self._odd_rows[:_SHOWN])
            notes += [said, *self._tell_repeats()]
        wanted = self._options.dropped_lines
        notes += self._sort_notes
        notes += [f"it holds that: {', '.join(held)}"] if held else []
        unmet = [str(first) for k, (first, _) in enumerate(wanted) if k not in self._met]
        if unmet:
            raise InputError(
                f"--drop-records {', '.join(unmet)}: no record stands there; --with-source shows the lines of records"
            )
        self._fixer.check()
        return Told(
            tuple(notes),
            remembered=self._fixer.remembered,
            broken=broken,
            doubts=tuple(self._converter.find_doubts()),
        )

    def give_counts(self) -> object:
        """Return what was counted of records that stand by themselves, and begin to count anew."""
        counts = (
            self._strikes.give_counts(),
            self._converter.give_counts(),
            self._n_named,
            self._met,
        )
        self._n_named, self._met = 0, set()
        return counts

    def add_counts(self, counts: object) -> None:
        """Add what another run of the step has counted behind what this one has."""
        assert isinstance(counts, tuple)
        strikes, tallies, n_named, met = counts
        self._strikes.add_counts(strikes)
        self._converter.add_counts(tallies)
        self._n_named += n_named
        self._met |= met

    def _tell_repeats(self) -> Iterator[str]:
        """Yield where two pastes seem to overlap, and which records differ from others in little."""
        self._seams.close()
        for line, length in self._seams.found[:_SHOWN]:
            yield f"{length:,} records from line {line} on repeat others in the same order: two pastes overlap there"
        if self._near_rows:
            number, shown = len(self._near_rows), self._likeness.tell(self._near_rows[:_SHOWN])
            noun = "record differs" if number == 1 else "records differ"
            yield f"{number:,} {noun} from another in capitals or spacing only{shown}; --ignore-case, --ignore-spacing"

    def _find(self, table: Table, flag: str, name: str) -> int:
        """Return the place of a column.

        Raises
        ------
        UsageError : there is none, or there are two of that name
        """
        if name not in table.names and name in self._renamed:
            raise UsageError(
                f"{flag}: {name!r} is called {self._renamed[name]!r} since an earlier step; name it so"
            )
        if table.names.count(name) > 1:
            raise UsageError(f"{flag}: there are two columns {name!r}; name them by their numbers")
        return table.find_column(name, flag)

    def _drop_records(self, table: Table, charges: list[Charge]) -> Table:
        """Leave out the records that were named by line or by a pattern."""
        gone = np.zeros(table.n_records, np.bool_)
        if self._options.drop_records and table.n_records:
            firsts, _ = table.line_numbers(np.arange(table.n_records))
            for k, (first, last) in enumerate(self._options.dropped_lines):
                mine = (firsts >= first) & (firsts <= last)
                if mine.any():
                    self._met.add(k)
                gone |= mine
        for pattern in self._matching:
            for row in np.flatnonzero(~gone).tolist():
                gone[row] = pattern.covers(table.record_text(row).strip().encode())
        self._n_named += int(gone.sum())
        return _leave_out(table, gone, "dropped-record", charges)

    def _edit_values(self, table: Table, charges: list[Charge]) -> Table:
        """Take off and write otherwise what was asked for, column by column."""
        options = self._options
        every = range(len(table.names))
        trimmed = [] if options.is_check else [k for k in every if _has_edges(table, k)]
        edits: list[tuple[int, Callable[[bytes], object]]] = [(k, trim) for k in trimmed]
        rewriting: dict[object, Pattern] = {}
        if options.unquote:
            edits += [(column, make_unquote()) for column in every]
            edits += [(column, trim) for column in every]
        for flag, given, make in (
            ("--strip", options.strip, make_strip),
            ("--take-out", options.take_out, make_take_out),
        ):
            for text in given:
                names, signs = read_named(flag, text)
                for name in names:
                    column = self._find(table, flag, name)
                    edits += [(column, self._strikes.watch(flag, name, signs, make(signs)))]
                    edits += [(column, trim)]
        for names, pattern, new in options.replacements:
            compiled = compile_pattern(pattern)
            made = make_replace(compiled, new)
            if compiled.fields:
                rewriting[made] = compiled
            edits += [(self._find(table, "--replace", name), made) for name in names]
        if options.one_space:
            edits += [(column, make_one_space()) for column in every]
        for text in options.letters:
            names, how = read_named("--letters", text)
            edits += [(self._find(table, "--letters", name), make_letters(how)) for name in names]
        if options.missing:
            words = {word.encode() for word in options.missing}
            edits += [(column, _make_missing(words)) for column in every]
        for column, edit in edits:
            if edit in rewriting:
                table = _mark_unmatched(table, column, rewriting[edit])
            table, more, hits = edit_column(table, column, edit)  # type: ignore[arg-type]
            charges += more
            if isinstance(edit, Watched):
                edit.count(hits)
        return table

    def _drop_repeats(self, table: Table, charges: list[Charge]) -> tuple[Table, Bools]:
        """Leave out the records that say what another says; return which stay."""
        options = self._options
        places = [self._find(table, "--by", name) for name in options.by]
        folding = {"ignore_case": options.ignore_case, "ignore_spacing": options.ignore_spacing}
        every = range(len(table.names))
        prints = find_prints(table, places if options.repeat_kept else every, **folding)
        keys = mix_keys(prints if options.repeat_kept else prints[:, places or every])
        n_before = self._n_seen
        self._n_seen += table.n_records
        if options.repeat_kept == "last":
            gone = np.ones(table.n_records, np.bool_)
            gone[find_last(keys)] = False
        else:
            originals = self._repeats.find(keys)
            gone = originals >= 0
            self._seams.look(originals, lambda row: int(table.line_numbers(np.array([row]))[0][0]))
        if not options.repeat_kept:
            self._likeness.add(table, prints)
        if places and not options.repeat_kept:
            whole = self._rows.find(mix_keys(prints)) >= 0
            rows = np.flatnonzero(gone & ~whole)
            gone &= whole
            self._n_differing += rows.size
            few = rows[: max(0, _SHOWN - len(self._odd_rows))]
            self._odd_rows += zip((few + n_before).tolist(), originals[few].tolist(), strict=True)
            odd = SnagRows.gather([(rows, SNAG_CODES["repeat-differs"])])
            table = replace(table, snags=SnagRows.join([table.snags, odd]))
        is_exact = not places and not (options.ignore_case and options.ignore_spacing)
        if is_exact and n_before < MOST_NEAR:
            alike = find_prints(table, every, ignore_case=True, ignore_spacing=True)
            others = self._near.find(mix_keys(alike))
            near = np.flatnonzero((others >= 0) & ~gone)
            self._near_rows += zip((near + n_before).tolist(), others[near].tolist(), strict=True)
        self._n_dropped += int(gone.sum())
        self._n_kept += int((~gone).sum())
        return _leave_out(table, gone, "repeat", charges), ~gone


def _leave_out(table: Table, gone: Bools, reason: str, charges: list[Charge]) -> Table:
    """Return a table without some records, which are charged."""
    rows = np.flatnonzero(gone)
    if not rows.size:
        return table
    charges += charge_cells(table, rows, range(len(table.names)), reason)
    has_rest = rows[table.rest_starts[rows] != MISSING]
    if has_rest.size:
        found = table.text.find_sources(
            table.rest_starts[has_rest].astype(np.int64), table.rest_ends[has_rest].astype(np.int64)
        )
        charges.append(Charge(reason, found.starts, found.ends))
    return take_records(table, np.flatnonzero(~gone))


def _has_edges(table: Table, column: int) -> bool:
    """Return whether some value of a column has spacing at an edge."""
    starts, ends = table.starts[:, column], table.ends[:, column]
    real = ends > starts
    edges = np.concatenate([starts[real], ends[real] - 1])
    signs = table.text.data[edges]
    return bool(((signs == 0x20) | (signs == 0x09)).any())


def _make_missing(words: set[bytes]) -> Callable[[bytes], object]:
    from wetcomb.steps.clean.edits import Cut

    def edit(value: bytes) -> object:
        return Cut((), ((0, len(value), "missing-word"),)) if value in words else None

    return edit


def _mark_unmatched(table: Table, column: int, pattern: Pattern) -> Table:
    """Return a table with a snag for each value that a pattern does not stand in."""
    kinds = list_kinds(table, column)
    odd = [next(pattern.find_all(value), None) is None for value in kinds.tell(table.text)]
    if not any(odd):
        return table
    snags = SnagRows.gather([(kinds.rows[np.array(odd)[kinds.which]], SNAG_CODES["no-match"])])
    return replace(table, snags=SnagRows.join([table.snags, snags]))
