"""split at work: chunks of text in, tables out.

The only state carried from chunk to chunk is the heading: once it is read, any cut of
the text at a record gives the same records.
"""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from wetcomb.core.arrays import Bools, Ints, Spans
from wetcomb.core.errors import InputError, UsageError
from wetcomb.core.layout import drop_lines
from wetcomb.core.ledger import Charge, Ledger
from wetcomb.core.piece import Piece
from wetcomb.core.proof import prove_cut
from wetcomb.core.ragged import LineDrops, Ragged
from wetcomb.core.reading import Cut, cut_records, read_one_record
from wetcomb.core.scanner import Scanner
from wetcomb.core.snags import SNAG_CODES, SnagRows
from wetcomb.core.specials import Specials, find_specials
from wetcomb.core.table import MISSING, Table, fit_columns, lay_out, undouble
from wetcomb.core.text import Text
from wetcomb.steps.split import Split
from wetcomb.steps.step import AUTO

__all__ = ["Splitter"]


class Splitter:
    """Runs one `Split` over the chunks of one text.

    Raises
    ------
    UsageError : an option is still to be worked out
    """

    def __init__(self, options: Split) -> None:
        unsettled = [name for name in options.unsettled() if name != "fields"]
        if options.header == "none" and not options.names and options.fields in (AUTO, 0):
            unsettled.append("fields")
        if unsettled:
            raise UsageError(
                f"split has options still to be worked out: {', '.join(unsettled)}; draft a comb first"
            )
        self._options = options
        self._rules = options.rules()
        self._names: tuple[str, ...] | None = None
        self._columns: list[int] | None = None
        self._heading: tuple[bytes, ...] = ()
        self._n_fields = self._count_fields()
        self._missing = [word.encode() for word in options.missing]

    def _count_fields(self) -> int | None:
        options = self._options
        if options.header == "first":
            return None
        if isinstance(options.fields, int) and options.fields:
            return options.fields
        return max(len(options.names), *(abs(n) for n in options.take_positions or (0,)))

    def feed(self, chunk: Text, *, is_last: bool) -> Piece:
        """Return the records of a chunk that begins at one."""
        body = chunk.data[: chunk.body_size]
        specials = find_specials(body, self._rules, is_last=is_last)
        scanner = Scanner(specials, self._rules)
        heading = None
        if self._names is None:
            heading = self._read_heading(chunk, specials, scanner, is_last=is_last)
            if heading is None:
                return Piece(chunk, self._options.name, None, 0, 0, Ledger())
        start = heading.used if heading else 0
        cut = cut_records(specials, self._rules, start, self._n_fields, scanner)
        return self._finish(chunk, specials, cut, heading)

    def _finish(self, chunk: Text, specials: Specials, cut: Cut, heading: _Heading | None) -> Piece:
        assert self._n_fields is not None
        ragged, drops, stays = drop_lines(specials.data, cut.ragged, self._n_fields, self._heading)
        ragged, long, short = fit_columns(specials, ragged, self._n_fields)
        snags = _keep_snags(cut.snags, stays)
        snags += [(long, SNAG_CODES["long"]), (short, SNAG_CODES["short"])]
        proved, all_drops = ragged, drops
        if heading is not None:
            parts = [heading.ragged, ragged] if heading.ragged else [ragged]
            proved, all_drops = Ragged.join(parts), LineDrops.join([heading.drops, drops])
        ledger, charges = prove_cut(chunk, cut.used, proved, all_drops, self._rules)
        if heading is not None:
            charges += self._charge_heading(chunk, heading, ledger)
        text, values = undouble(chunk, ragged, self._rules.marks)
        table = lay_out(text, values, self._all_names(), SnagRows.gather(snags))
        table = self._take_columns(table, ledger, charges)
        table = self._mark_missing(table, ledger, charges)
        return Piece(
            chunk,
            self._options.name,
            table,
            cut.used,
            specials.count_lines(cut.used),
            ledger,
            charges,
            all_drops,
            heading.kept if heading else None,
            heading.renamed if heading else (),
        )

    def _all_names(self) -> tuple[str, ...]:
        assert self._n_fields is not None
        return tuple(f"column_{place}" for place in range(1, self._n_fields + 1))

    # The heading

    def _read_heading(
        self, chunk: Text, specials: Specials, scanner: Scanner, *, is_last: bool
    ) -> _Heading | None:
        """Return the heading and the lines before it, None if more text is needed to have it."""
        if self._options.header == "none":
            self._settle_names(())
            return _Heading(None, LineDrops(*np.zeros((3, 0), np.int64)), 0)
        before = cut_records(specials, self._rules, 0, None, scanner)
        ragged, drops, _ = drop_lines(specials.data, before.ragged, None)
        if ragged.stops.size:
            start = int(ragged.record_starts[0])
            cut = read_one_record(scanner, start)
            assert cut is not None
            heading = _Heading(cut.ragged, drops.before(start), cut.used)
            self._name_columns(chunk, heading)
            return heading
        if not is_last:
            return None
        self._n_fields = self._n_fields or 1
        self._settle_names(())
        return _Heading(None, drops, before.used)

    def _name_columns(self, chunk: Text, heading: _Heading) -> None:
        ragged = heading.ragged
        assert ragged is not None
        spans = list(zip(ragged.starts.tolist(), ragged.ends.tolist(), strict=True))
        self._heading = tuple(chunk.data[start:end].tobytes() for start, end in spans)
        text, values = undouble(chunk, ragged, self._rules.marks)
        found = [text.value(s, e) for s, e in zip(values.starts, values.ends, strict=True)]
        while len(found) > 1 and not found[-1]:
            found.pop()  # a delimiter at the end of every line makes no column
        stated = self._options.fields
        if isinstance(stated, int):
            found += [""] * (stated - len(found))
        self._n_fields = len(found)
        self._settle_names(tuple(found))
        heading.found = tuple(found)

    def _settle_names(self, found: tuple[str, ...]) -> None:
        assert self._n_fields is not None
        options = self._options
        self._columns = _find_columns(options.take_positions, self._n_fields)
        kept = found or self._all_names()
        if options.names:
            if len(options.names) != len(self._columns):
                raise UsageError(
                    f"--names gives {len(options.names)} names for {len(self._columns)} columns"
                )
            self._names = tuple(options.names)
        else:
            self._names = tuple(_make_unique([kept[column] for column in self._columns]))

    def _charge_heading(self, chunk: Text, heading: _Heading, ledger: Ledger) -> list[Charge]:
        """Charge the heading's characters: kept as names, replaced, or of columns not taken."""
        assert self._names is not None and self._columns is not None
        if heading.ragged is None:
            ledger.put_in["names"] += sum(map(len, self._names))
            return []
        gone: list[tuple[str, int]] = []
        taken = set(self._columns)
        for column, found in enumerate(heading.found):
            if column not in taken:
                gone.append(("not-taken", column))
                ledger.drop_kept("not-taken", len(found))
        renamed = []
        for column, name in zip(self._columns, self._names, strict=True):
            found = heading.found[column]
            if name == found:
                continue
            if self._options.names:
                gone.append(("heading-replaced", column))
                ledger.drop_kept("heading-replaced", len(found))
                ledger.put_in["names"] += len(name)
            else:  # only ever added to: what stood there still does
                ledger.put_in["names"] += len(name) - len(found)
                renamed.append((found, name))
        heading.renamed = tuple(renamed)
        starts, ends = heading.ragged.starts, heading.ragged.ends
        kept = [c for c in self._columns if c < starts.size and not self._options.names]
        heading.kept = Charge("heading-again", starts[kept], ends[kept])
        there = [(reason, column) for reason, column in gone if column < starts.size]
        return [Charge(why, starts[[column]], ends[[column]]) for why, column in there]

    # The columns

    def _take_columns(self, table: Table, ledger: Ledger, charges: list[Charge]) -> Table:
        assert self._names is not None and self._columns is not None
        taken = set(self._columns)
        left = [c for c in range(len(table.names)) if c not in taken]
        for column in left:
            there = table.starts[:, column] != MISSING
            spans = table.starts[there, column], table.ends[there, column]
            _drop_cells(table.text, "not-taken", spans, ledger, charges)
        if left or self._columns != list(range(len(table.names))):
            table = table.take(self._columns)
        return replace(table, names=self._names)

    def _mark_missing(self, table: Table, ledger: Ledger, charges: list[Charge]) -> Table:
        if not self._missing or not table.n_records:
            return table
        starts, ends = table.starts.copy(), table.ends.copy()
        for word in self._missing:
            is_word = ends - starts == len(word)
            is_word &= starts != MISSING
            for ahead, byte in enumerate(word):
                is_word[is_word] = table.text.data[starts[is_word] + ahead] == byte
            spans = starts[is_word], ends[is_word]
            _drop_cells(table.text, "missing-word", spans, ledger, charges)
            starts[is_word] = ends[is_word] = MISSING
        return replace(table, starts=starts, ends=ends)


def _drop_cells(
    text: Text, reason: str, spans: tuple[Spans, Spans], ledger: Ledger, charges: list[Charge]
) -> None:
    """Charge cells that were kept until now, at the places they came from."""
    starts, ends = spans[0].astype(np.int64), spans[1].astype(np.int64)
    ledger.drop_kept(reason, text.count(starts, ends))
    is_built = ends > text.body_size
    doubled = [charge for charge in charges if charge.reason == "doubled-mark"]
    charges.append(Charge(reason, starts[~is_built], ends[~is_built]))
    if is_built.any():
        origins = text.origins(starts[is_built], ends[is_built])
        charges.append(Charge(reason, *_cut_out(*origins, doubled)))


def _cut_out(starts: Ints, ends: Ints, holes: list[Charge]) -> tuple[Ints, Ints]:
    """Return the spans without what lies in the holes, which have been charged already."""
    hole_starts = np.sort(np.concatenate([hole.starts for hole in holes]))
    hole_ends = np.sort(np.concatenate([hole.ends for hole in holes]))
    owners = np.searchsorted(starts, hole_starts, "right") - 1
    inside = (owners >= 0) & (hole_ends <= ends[owners])
    all_starts = np.sort(np.concatenate([starts, hole_ends[inside]]))
    return all_starts, np.sort(np.concatenate([ends, hole_starts[inside]]))


class _Heading:
    """The first record of a text and the lines before it."""

    def __init__(self, ragged: Ragged | None, drops: LineDrops, used: int) -> None:
        self.ragged, self.drops, self.used = ragged, drops, used
        self.found: tuple[str, ...] = ()
        self.renamed: tuple[tuple[str, str], ...] = ()
        self.kept: Charge | None = None


def _keep_snags(snags: list[tuple[Ints, int]], stays: Bools) -> list[tuple[Ints, int]]:
    """Return the snags of records that stay, numbered as they are after the others left."""
    new_rows = np.cumsum(stays) - 1
    return [(new_rows[rows[stays[rows]]], code) for rows, code in snags]


def _find_columns(positions: tuple[int, ...], n_fields: int) -> list[int]:
    if not positions:
        return list(range(n_fields))
    columns = []
    for position in positions:
        column = position - 1 if position > 0 else n_fields + position
        if not 0 <= column < n_fields:
            raise InputError(
                f"--take asks for column {position}, but records have {n_fields} fields"
            )
        if column in columns:
            raise UsageError(f"--take names column {column + 1} twice")
        columns.append(column)
    return columns


def _make_unique(found: list[str]) -> list[str]:
    """Return names of which none is empty and none occurs twice, changed only by adding to them."""
    names: dict[str, int] = {}
    for place, name in enumerate(found, 1):
        base = name or f"column_{place}"
        unique, number = base, names.get(base, 1)
        while unique in names:
            number += 1
            unique = f"{base}_{number}"
        names[base] = number
        names[unique] = 1
    return list(names)
