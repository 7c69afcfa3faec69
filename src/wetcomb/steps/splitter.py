"""split at work: chunks of text in, tables out.

The state carried from chunk to chunk is the heading and the edges in force: once they are
read, any cut of the text at a record gives the same records.
"""

from __future__ import annotations

import numpy as np
from msgspec.structs import replace

from wetcomb.core.arrays import Bools, Bytes, Ints, find_text
from wetcomb.core.errors import InputError, UsageError, find_nearest
from wetcomb.core.layout import drop_lines, find_heading_again, strip_page_marks
from wetcomb.core.ledger import LINE_DROPS, Charge, Ledger
from wetcomb.core.piece import NameSource, Piece
from wetcomb.core.plain_records import can_be_plain, cut_plain_records
from wetcomb.core.proof import prove_cut
from wetcomb.core.ragged import LineDrops, Ragged
from wetcomb.core.reading import Cut, cut_records, read_one_record
from wetcomb.core.scanner import Scanner
from wetcomb.core.snags import SNAG_CODES, SnagRows
from wetcomb.core.specials import Specials, find_specials
from wetcomb.core.surplus import Surplus, find_surplus
from wetcomb.core.table import Table, lay_out, undouble
from wetcomb.core.text import Text
from wetcomb.match.patterns import compile_pattern
from wetcomb.steps.columns import find_columns, mark_missing, take_columns
from wetcomb.steps.groups import Groups, find_heads_behind
from wetcomb.steps.headings import Heading, make_unique, spread_words
from wetcomb.steps.page_edges import PageEdges, list_words
from wetcomb.steps.places import Places, Snags
from wetcomb.steps.regroup import (
    CellShapes,
    find_dropped,
    find_frame,
    fit_fields,
    make_records,
    select_fields,
    stack_panels,
)
from wetcomb.steps.settling import (
    charge_dropped,
    drop_headings,
    find_last_head,
    find_settled,
    find_short_end,
    leave_out,
    take_back,
)
from wetcomb.steps.split import Split
from wetcomb.steps.wrapped import find_key_heads, find_parted_heads, join_lines

__all__ = ["Splitter"]

_FORM_FEED = 0x0C
_MOST_ODD = 4  # odd chunks in a row, before none is looked at for being plain


class Splitter:
    """Runs one `Split` over the chunks of one text.

    Raises
    ------
    UsageError : an option is still to be worked out
    """

    def __init__(self, options: Split) -> None:
        unsettled = [name for name in options.unsettled() if name != "fields"]
        if options.needs_fields:
            unsettled.append("fields")
        if options.edges == "blanks":
            unsettled.append("edges")
        if unsettled:
            raise UsageError(
                f"split has options still to be worked out: {', '.join(unsettled)}; draft a comb first"
            )
        self._options = options
        self._rules = options.rules()
        self._places = Places(options)
        self._dropped = [
            compile_pattern(text, ignore_case=options.ignore_case) for text in options.drop_pieces
        ]
        shapes = options.cell_shapes if isinstance(options.cell_shapes, tuple) else ()
        self._shapes = (
            CellShapes(shapes or ("any",) * options.per_record, options.per_record)
            if options.per_record
            else None
        )
        self._names: tuple[str, ...] | None = None
        self._columns: list[int] | None = None
        self._heading: tuple[bytes, ...] = ()
        self._edges = PageEdges(options)
        self._found: tuple[str, ...] = ()
        self._has_end = False
        self._n_fields = self._count_fields()
        self._groups = Groups(
            tuple(options.group), tuple(options.totals), ignore_case=options.ignore_case
        )
        self._missing = [word.encode() for word in options.missing]
        self._n_odd = 0
        self._may_be_plain = (
            can_be_plain(self._rules)
            and options.reach == "record"
            and not (options.frame or options.each_a_record or self._dropped)
            and not self._places.changes_fields
        )

    def _count_fields(self) -> int | None:
        """Return the number of columns where the options alone say it."""
        options = self._options
        if options.each_a_record:
            return 1
        if options.per_record:
            return options.per_record
        if options.n_heading:
            return None
        if isinstance(options.fields, int) and options.fields:
            return options.fields
        if isinstance(options.edges, str):
            return None
        if isinstance(options.edges, tuple) and options.has_edges_only and not options.names:
            return (len(options.edges) + 1) // options.panels
        return max(len(options.names), *(abs(n) for n in options.take_positions or (0,)))

    @property
    def _n_line(self) -> int | None:
        """How many fields a line has: those of all panels."""
        return self._n_fields * self._options.panels if self._n_fields else None

    def feed(self, chunk: Text, *, is_last: bool) -> Piece:
        """Return the records of a chunk that begins at one."""
        plain = self._cut_plain(chunk.data[: chunk.body_size], is_last=is_last)
        if plain is not None:
            return self._finish_plain(chunk, plain)
        specials = find_specials(chunk.data[: chunk.body_size], self._rules, is_last=is_last)
        self._look_for_end(specials.data, is_last=is_last)
        scanner = Scanner(specials, self._rules)
        heading = None
        if self._names is None:
            heading = self._read_heading(chunk, specials, scanner, is_last=is_last)
            if heading is None:
                return Piece(chunk, self._options.name, None, 0, 0, Ledger())
        start = heading.used if heading else 0
        expected = None if self._places.changes_fields else self._n_line
        if self._shapes or self._options.each_a_record:
            expected = None
        cut = cut_records(specials, self._rules, start, expected, scanner)
        taken = cut if is_last else self._edges.take_whole(specials.data, cut)
        if taken is None:
            return self._ask_for_more(chunk, heading)
        return self._finish(chunk, specials, taken, heading, is_last=is_last)

    def _cut_plain(self, data: Bytes, *, is_last: bool) -> Ragged | None:
        """Return the records of a chunk in which nothing is odd, once the columns are known."""
        if self._names is None or not self._may_be_plain or self._n_odd == _MOST_ODD:
            return None
        assert self._n_fields is not None
        ragged = cut_plain_records(data, self._rules, self._n_fields, is_last=is_last)
        if ragged is not None and self._heading:
            comes_again = find_heading_again(data, ragged, self._heading).size > 0
            ragged = None if comes_again else ragged
        self._n_odd = 0 if ragged is not None else self._n_odd + 1
        return ragged

    def _finish_plain(self, chunk: Text, ragged: Ragged) -> Piece:
        """Return the records of a chunk in which nothing is odd."""
        drops, used = LineDrops.none(), int(ragged.stops[-1])
        ledger, charges = prove_cut(chunk, used, ragged, drops, self._rules)
        text, values = undouble(chunk, ragged, self._rules.marks)
        table = lay_out(text, values, self._all_names(), SnagRows.gather([]))
        table = self._take_columns(table, ledger, charges)
        n_lines = ragged.stops.size
        return Piece(chunk, self._options.name, table, used, n_lines, ledger, charges, drops)

    def _take_columns(self, table: Table, ledger: Ledger, charges: list[Charge]) -> Table:
        """Return a table with the columns that are taken, under their names."""
        assert self._names is not None and self._columns is not None
        table = take_columns(table, self._columns, ledger, charges)
        return mark_missing(replace(table, names=self._names), self._missing, ledger, charges)

    def _look_for_end(self, data: Bytes, *, is_last: bool) -> None:
        """Raise InputError where the text that ends records stands nowhere."""
        end = self._rules.record_end
        self._has_end = self._has_end or not end or find_text(data, end).size > 0
        if is_last and not self._has_end:
            raise InputError(
                f"--records-at {self._options.records_at!r} never occurs; all of the text would be one record"
            )

    def _finish(
        self,
        chunk: Text,
        specials: Specials,
        cut: Cut,
        heading: Heading | None,
        *,
        is_last: bool,
    ) -> Piece:
        assert self._n_fields is not None and self._n_line is not None
        data = specials.data
        found, group_drops = self._groups.find(data, cut.ragged)
        edges = self._edges.find(data, cut.ragged, found)
        if self._options.has_edges_only and self._edges.words:
            again = np.zeros(found.size, np.bool_)
            again[self._edges.find_headings(data, cut.ragged)] = True  # wherever its words stand
            again &= ~found
            group_drops = LineDrops.join([group_drops, drop_headings(cut.ragged, again)])
            found |= again
        lines = cut.ragged.select(~found)
        edges = edges[~found] if edges.ndim == 2 else edges
        ragged, edge_snags = self._places.recut(data, lines, edges)
        ragged = strip_page_marks(data, ragged, self._rules.marks)
        n_fields = None if self._shapes or self._options.each_a_record else self._n_line
        ragged, drops, stays = drop_lines(data, ragged, n_fields, self._heading)
        snags = _keep_snags(_keep_snags(cut.snags, ~found) + edge_snags, stays)
        drops = LineDrops.join([drops, group_drops])
        used, counts = cut.used, None
        ragged, proved, gone = self._drop_pieces(data, ragged)
        if self._shapes is not None:
            counts, cell_snags = self._shapes.find_counts(data, ragged, is_last=is_last)
            line, counts = find_settled(ragged, counts, is_last=is_last)
            if line < 0:
                return self._ask_for_more(chunk, heading)
            if line < ragged.stops.size - 1:
                used = int(ragged.stops[line])
                keep = np.arange(ragged.stops.size) <= line
                ragged, proved = ragged.select(keep), proved.select(keep)
                drops, gone = drops.before(used), leave_out(gone, used)
            snags = [(rows[rows < counts.size], code) for rows, code in cell_snags]
            if is_last:
                snags.append(find_short_end(counts, self._shapes.n_fields, snags))
        heads = None
        if self._options.wrapped:
            heads = self._find_heads(ragged, drops)
            heads[find_heads_behind(ragged, drops)] = True
            stop = find_last_head(ragged, heads) if not is_last else data.size
            if not stop:
                return self._ask_for_more(chunk, heading)
            if not is_last:
                used = stop
                keep = ragged.record_starts < stop
                snags = _keep_snags(snags, keep)
                ragged, proved, heads = ragged.select(keep), proved.select(keep), heads[keep]
                drops, gone = drops.before(used), leave_out(gone, used)
        surplus = None
        if n_fields is not None:
            fitted = fit_fields(specials, ragged, gone, n_fields, self._rules)
            if fitted.long.size and self._keeps_lines and heads is None:
                at = fitted.ragged.offsets[fitted.long] + n_fields
                rests = fitted.ragged.starts[at], fitted.ragged.ends[at]
                whole = ragged, proved, gone
                surplus = find_surplus(chunk, fitted.long, whole, rests, self._rules, n_fields)
            ragged, proved, gone = fitted.ragged, fitted.proved, fitted.gone
            if self._options.panels == 1:
                snags += [(fitted.long, SNAG_CODES["long"])]
                if not self._options.has_edges_only:
                    snags += [(fitted.short, SNAG_CODES["short"])]
        all_drops = drops
        if heading is not None:
            parts = [heading.ragged, proved] if heading.ragged else [proved]
            proved, all_drops = Ragged.join(parts), LineDrops.join([heading.drops, drops])
        self._edges.go_on(used)
        ledger, charges = prove_cut(chunk, used, proved, all_drops, self._rules)
        charge_dropped(chunk, gone, ledger, charges)
        if heading is not None:
            charges += self._charge_heading(heading, ledger)
        ragged, more = self._regroup(data, specials, ragged, drops, counts, ledger, charges)
        snags = more if more is not None and self._options.panels > 1 else snags + (more or [])
        text, values = undouble(chunk, ragged, self._rules.marks)
        if surplus is not None:
            over, between = surplus
            text, over = undouble(text, over, self._rules.marks)
        table = lay_out(text, values, self._all_names(), SnagRows.gather(snags))
        if surplus is not None:
            table = replace(
                table,
                surplus=Surplus(fitted.long, over.offsets, over.starts, over.ends, between),
            )
        if heads is not None:
            table, n_put = join_lines(table, heads, self._options.glue.encode())
            ledger.put_in["glue"] += n_put
        table = self._take_columns(table, ledger, charges)
        table, totals = self._groups.add_columns(table, drops, ledger)
        sources = heading.name_sources if heading else ()
        if heading is not None:
            ledger.put_in["names"] += sum(map(len, self._groups.names))
            sources = (NameSource(),) * len(self._groups.names) + sources
        return Piece(
            chunk,
            self._options.name,
            table,
            used,
            specials.count_lines(used) if self._rules.ends_at_lines else _count_lines(data, used),
            ledger,
            charges,
            all_drops,
            heading.kept if heading else None,
            sources,
            heading.renamed if heading else (),
            tuple(totals),
        )

    @property
    def _keeps_lines(self) -> bool:
        """Whether the fields of a line stay a record of their own."""
        return self._shapes is None and self._options.panels == 1

    def _ask_for_more(self, chunk: Text, heading: Heading | None) -> Piece:
        """Return that nothing of a chunk was taken; a heading read from it is read again."""
        if heading is not None:
            self._names, self._columns, self._heading = None, None, ()
            self._n_fields = self._count_fields()
        return Piece(chunk, self._options.name, None, 0, 0, Ledger())

    def _all_names(self) -> tuple[str, ...]:
        assert self._n_fields is not None
        return tuple(f"field-{place}" for place in range(1, self._n_fields + 1))

    def _find_heads(self, ragged: Ragged, drops: LineDrops) -> Bools:
        """Return which lines begin a record of several."""
        if self._options.parted_by:
            return find_parted_heads(ragged, drops, self._options.parted_by)
        key = self._options.key
        names = self._found or self._all_names()
        if key.isdigit() and 0 < int(key) <= len(names):
            return find_key_heads(ragged, int(key) - 1)
        if key not in names:
            near = find_nearest(key, names) or "; there are: " + ", ".join(names)
            raise UsageError(f"--key: there is no column {key!r}{near}")
        return find_key_heads(ragged, names.index(key))

    # The heading

    def _read_heading(
        self, chunk: Text, specials: Specials, scanner: Scanner, *, is_last: bool
    ) -> Heading | None:
        """Return the heading and the lines before it, None if more text is needed to have it."""
        n_lines = self._options.n_heading
        if not n_lines and not isinstance(self._options.edges, str):
            self._settle_names(())
            return Heading(None, LineDrops.none(), 0)
        data = specials.data
        before = cut_records(specials, self._rules, 0, None, scanner)
        bare = strip_page_marks(data, before.ragged, self._rules.marks)
        ragged, drops, _ = drop_lines(data, bare, None)
        if not self._edges.learn(data, before.ragged, ragged, is_last=is_last):
            return None
        if self._options.edges == "rule" and not n_lines:
            self._n_fields = self._n_fields or (self._edges.first.size + 1) // self._options.panels
        if not n_lines:
            self._settle_names(())
            return Heading(None, LineDrops.none(), 0)
        if ragged.stops.size >= n_lines and ragged.stops.size:
            return self._take_heading(chunk, specials, scanner, ragged, drops)
        if not is_last:
            return None
        if ragged.stops.size:
            raise InputError(
                f"the heading has {n_lines} lines, but there are only {ragged.stops.size} of them"
            )
        self._n_fields = self._n_fields or 1
        self._settle_names(())
        return Heading(None, drops, before.used)

    def _take_heading(
        self,
        chunk: Text,
        specials: Specials,
        scanner: Scanner,
        lines: Ragged,
        drops: LineDrops,
    ) -> Heading:
        """Read the first records as the heading, and settle the names of the columns."""
        data, parts, used = specials.data, [], 0
        for start in lines.record_starts[: self._options.n_heading].tolist():
            read = read_one_record(scanner, max(start, used))
            assert read is not None
            parts.append(read.ragged)
            used = read.used
        uncut = Ragged.join(parts)
        ragged, _ = self._places.recut(data, uncut, self._edges.first)
        ragged = strip_page_marks(data, ragged, self._rules.marks)
        gone = find_frame(ragged) if self._options.frame else np.zeros(ragged.starts.size, np.bool_)
        text, values = undouble(chunk, ragged, self._rules.marks)
        words, counts = [], []
        for row in range(ragged.stops.size):
            fields = [f for f in range(*ragged.offsets[row : row + 2].tolist()) if not gone[f]]
            counts.append(len(fields))
            is_last = row == ragged.stops.size - 1
            words.append(
                [
                    (text.value(values.starts[f], values.ends[f]), *_span(ragged, f), place)
                    for place, f in enumerate(fields)
                    if is_last or ragged.ends[f] > ragged.starts[f]
                ]
            )
            if self._options.has_edges_only and not is_last:
                words[-1] = self._read_upper_line(data, uncut, row)
        if self._options.has_edges_only and len(words) > 1:
            ragged, words = self._cut_at_words(data, uncut, ragged, words)
        if self._options.has_edges_only:
            self._edges.words = [text for text, *_ in words[-1] if text]
        n_columns = self._count_columns(words, counts)
        spread = spread_words(words, n_columns)
        heading = Heading(ragged, drops.before(used), used, spread, n_columns)
        self._keep_heading(data, ragged)
        self._settle_names(tuple(heading.list_names()))
        return heading

    def _count_columns(
        self, words: list[list[tuple[str, int, int, int]]], counts: list[int]
    ) -> int:
        """Return how many columns a heading names, and note how many fields a record has."""
        names = [text for text, *_ in words[-1]]
        n_columns = counts[-1]
        while (
            n_columns > 1
            and not names[n_columns - 1]
            and len(words) == 1
            and not self._options.edges
        ):
            n_columns -= 1  # a delimiter at the end of every line makes no column
        stated = self._options.fields
        if isinstance(stated, int) and stated:
            n_columns = max(n_columns, stated * self._options.panels)
        panels = self._options.panels
        if n_columns < panels:
            raise InputError(f"the heading has {n_columns} fields, but there are {panels} panels")
        n_columns = -(-n_columns // panels)
        if self._n_fields is None:
            self._n_fields = n_columns
        return max(1, n_columns) if self._shapes is None else self._shapes.n_fields

    def _read_upper_line(
        self, data: Bytes, uncut: Ragged, row: int
    ) -> list[tuple[str, int, int, int]]:
        """Return the words of an upper heading line with the columns they stand over."""
        begin = int(uncut.record_starts[row])
        end = int(uncut.outer_ends[uncut.offsets[row + 1] - 1])
        line = data[begin:end].tobytes().decode()
        words, place = [], 0
        for column, _, text in list_words(line, self._options.tab_width):
            place = line.index(text, place)
            start = begin + len(line[:place].encode())
            field = int(np.searchsorted(self._edges.first, column, "right"))
            words.append((text, start, start + len(text.encode()), field))
            place += len(text)
        return words

    def _cut_at_words(
        self,
        data: Bytes,
        uncut: Ragged,
        ragged: Ragged,
        words: list[list[tuple[str, int, int, int]]],
    ) -> tuple[Ragged, list[list[tuple[str, int, int, int]]]]:
        """Return the heading's records with the upper lines cut at their own words, not at edges."""
        from wetcomb.core.recut import refine

        cuts = [start for line in words[:-1] for _, start, _, _ in line[1:]]
        upper = np.arange(uncut.stops.size) < uncut.stops.size - 1
        head = refine(uncut.select(upper), data, np.array(sorted(cuts), np.int64))
        head = strip_page_marks(data, head, self._rules.marks)
        return Ragged.join([head, ragged.select(~upper)]), words

    def _keep_heading(self, data: Bytes, ragged: Ragged) -> None:
        """Note the last line's pieces as they stand, to know the heading when it comes again."""
        fields = slice(int(ragged.offsets[-2]), None)
        spans = zip(ragged.starts[fields].tolist(), ragged.ends[fields].tolist(), strict=True)
        self._heading = tuple(data[start:end].tobytes() for start, end in spans)

    def _settle_names(self, found: tuple[str, ...]) -> None:
        assert self._n_fields is not None
        options = self._options
        self._columns = find_columns(options.take_positions, self._n_fields)
        kept = [*found, *self._all_names()[len(found) :]][: self._n_fields]
        self._found = tuple(kept)
        if options.names:
            if len(options.names) != len(self._columns):
                raise UsageError(
                    f"--names gives {len(options.names)} names for {len(self._columns)} columns"
                )
            self._names = tuple(options.names)
        else:
            self._names = tuple(make_unique([kept[column] for column in self._columns]))

    def _charge_heading(self, heading: Heading, ledger: Ledger) -> list[Charge]:
        assert self._names is not None and self._columns is not None
        return heading.charge(self._names, self._columns, bool(self._options.names), ledger)

    # Pieces that leave, and records that are no lines

    def _drop_pieces(self, data: Bytes, ragged: Ragged) -> tuple[Ragged, Ragged, Ragged | None]:
        """Return the records without what leaves them, the records as cut, and what leaves."""
        gone = np.zeros(ragged.starts.size, np.bool_)
        if self._options.frame:
            gone |= find_frame(ragged)
        if self._dropped:
            gone |= find_dropped(data, ragged, self._dropped)
        if not gone.any():
            return ragged, ragged, None
        fields = np.flatnonzero(gone)
        left = select_fields(ragged, fields, np.array([0, fields.size]), ragged.stops[:0])
        return ragged.without_fields(gone), ragged, left

    def _regroup(
        self,
        data: Bytes,
        specials: Specials,
        ragged: Ragged,
        drops: LineDrops,
        counts: Ints | None,
        ledger: Ledger,
        charges: list[Charge],
    ) -> tuple[Ragged, Snags | None]:
        """Return the records as the options make them of the lines, and the snags of these."""
        if counts is not None:
            assert self._shapes is not None
            ragged = make_records(ragged, counts)
            return take_back(ragged, self._shapes.n_fields, ledger, charges, specials), []
        if self._options.each_a_record:
            filled = ragged.ends > ragged.starts
            lines = np.repeat(np.arange(ragged.stops.size), ragged.counts)[filled]
            offsets = np.arange(lines.size + 1)
            return select_fields(ragged, np.flatnonzero(filled), offsets, ragged.stops[lines]), []
        if self._options.panels > 1:
            return self._stack(data, ragged, drops)
        return ragged, None

    def _stack(self, data: Bytes, ragged: Ragged, drops: LineDrops) -> tuple[Ragged, Snags]:
        assert self._n_fields is not None
        again = LINE_DROPS.index("heading-again")
        starts = [np.flatnonzero(data == _FORM_FEED), drops.starts[drops.reasons == again]]
        pages = np.sort(np.concatenate(starts))
        panels = stack_panels(ragged, self._options.panels, self._n_fields, pages)
        long = np.flatnonzero(panels.counts > self._n_fields)
        snags = [(long, SNAG_CODES["long"])]
        short = np.flatnonzero(panels.counts < self._n_fields)
        if not self._options.has_edges_only:
            snags.append((short, SNAG_CODES["short"]))
        return panels, snags


def _span(ragged: Ragged, field: int) -> tuple[int, int]:
    return int(ragged.starts[field]), int(ragged.ends[field])


def _count_lines(data: Bytes, used: int) -> int:
    """Return how many lines end in the first bytes of a text."""
    return Text(data[:used], used).line_starts.size - 1


def _keep_snags(snags: Snags, stays: Bools) -> Snags:
    """Return the snags of records that stay, numbered as they are after the others left."""
    new_rows = np.cumsum(stays) - 1
    return [(new_rows[rows[stays[rows]]], code) for rows, code in snags]
