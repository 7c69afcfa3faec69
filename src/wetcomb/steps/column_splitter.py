"""split --column at work: values of a table cut into new columns beside it, or into records.

The values of the column are laid one behind another, parted by a sign that none of them has,
and cut as lines are; the spans found are then told in the table's own text. So every rule
for lines holds for values, and nothing is copied but for the search.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator

import numpy as np
from msgspec.structs import replace

from wetcomb.core.arrays import Bytes, Ints, Spans, index_spans
from wetcomb.core.errors import InputError, UsageError
from wetcomb.core.ledger import Charge, Ledger
from wetcomb.core.piece import NameSource, Piece, TableTold
from wetcomb.core.proof import prove_cut
from wetcomb.core.ragged import LineDrops, Ragged
from wetcomb.core.reading import cut_records
from wetcomb.core.scanner import Scanner
from wetcomb.core.snags import SNAG_CODES, SnagRows
from wetcomb.core.specials import find_specials
from wetcomb.core.table import MISSING, Table, undouble
from wetcomb.core.text import Text
from wetcomb.match.patterns import compile_pattern
from wetcomb.steps.headings import charge_lost_name, make_unique
from wetcomb.steps.places import Places
from wetcomb.steps.regroup import find_dropped, fit_fields, select_fields
from wetcomb.steps.split import Split
from wetcomb.steps.step import AUTO

__all__ = ["ColumnSplitter"]

_SIGNS = bytes([0x1E, 0x1F, 0x1D, 0x1C, *range(1, 9), 0x7F])


class ColumnSplitter:
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
        if not options.each_a_record and not options.names and options.fields in (AUTO, 0):
            raise UsageError("split --column needs --names or --fields, to know the new columns")
        self._options = options
        self._places = Places(options)
        self._dropped = [
            compile_pattern(text, ignore_case=options.ignore_case) for text in options.drop_pieces
        ]

    def take(self, piece: Piece) -> Iterator[Piece]:
        """Yield a piece with the column of its table cut."""
        yield piece if piece.table is None else self._cut_piece(piece, piece.table)

    def finish(self) -> Iterable[Piece]:
        """Yield nothing: no piece waits."""
        return ()

    def tell(self) -> TableTold:
        """Return that there is nothing more to tell."""
        return TableTold()

    def leave(self) -> None:
        """Return nothing: pieces have no part in each other."""

    def go_on(self, met: object) -> None:
        """Take over nothing."""

    def _cut_piece(self, piece: Piece, table: Table) -> Piece:
        self._names_before = table.names
        places = [table.find_column(name) for name in self._options.column]
        charges = list(piece.charges)
        if self._options.each_a_record:
            table = self._cut_into_records(piece, table, places, charges)
        else:
            table = self._cut_into_columns(piece, table, places[0], charges)
        piece = replace(piece, table=replace(table, surplus=None), charges=charges)
        return self._settle_names(piece, places) if piece.name_sources else piece

    def _settle_names(self, piece: Piece, places: list[int]) -> Piece:
        """Charge the headings that left, and those that came, in the piece that has the heading."""
        assert piece.table is not None
        names, sources = piece.table.names, list(piece.name_sources)
        options, ledger, charges = self._options, piece.ledger, list(piece.charges)
        if options.each_a_record:
            made = list(places) if options.names else []
            gone, n_new = made, 0
        else:
            gone = [] if options.keep_original else places
            n_new = len(names) - len(sources) + len(gone)
        old_names = self._names_before
        for place in gone:
            charge_lost_name(
                piece.text, old_names[place], sources[place], "heading-replaced", ledger, charges
            )
        if options.each_a_record:
            for place in gone:
                sources[place] = NameSource()
                ledger.put_in["names"] += len(names[place])
        else:
            first = places[0] + options.keep_original
            sources[first : places[0] + 1] = [NameSource()] * n_new
            ledger.put_in["names"] += sum(map(len, names[first : first + n_new]))
            for place, name in enumerate(names):  # one may have been made unlike a new one
                old = place if place < first else place - n_new + (not options.keep_original)
                if not first <= place < first + n_new:
                    ledger.put_in["names"] += len(name) - len(old_names[old])
        return replace(piece, name_sources=tuple(sources), charges=charges)

    def _cut_into_columns(
        self, piece: Piece, table: Table, place: int, charges: list[Charge]
    ) -> Table:
        options = self._options
        n_fields = (
            int(options.fields)
            if isinstance(options.fields, int) and options.fields
            else len(options.names)
        )
        names = list(options.names) or [f"{table.names[place]}-{k}" for k in range(1, n_fields + 1)]
        if len(names) != n_fields:
            raise UsageError(f"--names gives {len(names)} names for {n_fields} columns")
        cut = self._cut(piece, table, place, n_fields, charges)
        text, starts, ends = cut.lay_out(n_fields)
        there = table.starts[:, place] != MISSING
        starts[~there] = ends[~there] = MISSING
        before, after = place + options.keep_original, place + 1
        table = replace(
            table,
            text=text,
            names=tuple(make_unique([*table.names[:before], *names, *table.names[after:]])),
            starts=np.concatenate(
                [table.starts[:, :before], starts, table.starts[:, after:]], axis=1
            ),
            ends=np.concatenate([table.ends[:, :before], ends, table.ends[:, after:]], axis=1),
        )
        table = cut.put_rest(table, before + n_fields - 1, n_fields)
        snags = [(cut.long, SNAG_CODES["long"]), *cut.snags]
        if not self._places.changes_fields or self._options.cuts == "all":
            snags.append((np.setdiff1d(cut.short, np.flatnonzero(~there)), SNAG_CODES["short"]))
        if options.keep_original:
            piece.ledger.repeated["original"] += cut.n_kept
        return replace(table, snags=_add_snags(table.snags, snags))

    def _cut_into_records(
        self, piece: Piece, table: Table, places: list[int], charges: list[Charge]
    ) -> Table:
        """Make a record of every piece; lists of several columns are walked in step."""
        cuts = [self._cut(piece, table, place, None, charges) for place in places]
        counts = np.max([cut.counts for cut in cuts], axis=0)
        rows = np.repeat(np.arange(table.n_records), counts)
        nth = np.arange(rows.size) - (np.cumsum(counts) - counts)[rows]
        text, starts, ends = table.text, table.starts[rows].copy(), table.ends[rows].copy()
        others = [c for c in range(len(table.names)) if c not in places]
        lengths = np.where(
            starts[:, others] == MISSING,
            0,
            text.lengths(starts[:, others].clip(0), ends[:, others].clip(0)),
        )
        again = nth > 0
        piece.ledger.repeated["other-columns"] += int(lengths[again].sum())
        rests = (
            np.where(again, MISSING, table.rest_starts[rows]),
            np.where(again, MISSING, table.rest_ends[rows]),
        )
        for place, cut in zip(places, cuts, strict=True):
            cut.text = text
            text, pieces = cut.settle()
            has = nth < pieces.counts[rows]
            fields = pieces.offsets[rows] + nth
            starts[:, place] = ends[:, place] = MISSING
            starts[has, place], ends[has, place] = (
                pieces.starts[fields[has]],
                pieces.ends[fields[has]],
            )
        uneven = np.flatnonzero(np.any([cut.counts != counts for cut in cuts], axis=0))
        firsts = np.cumsum(counts) - counts
        snags = [(firsts[uneven], SNAG_CODES["unequal-lists"])]
        snags += [(firsts[rows_], code) for cut in cuts for rows_, code in cut.snags]
        old = SnagRows(firsts[table.snags.records], table.snags.kinds)
        names = list(table.names)
        if self._options.names:
            if len(self._options.names) != len(places):
                raise UsageError(
                    f"--names gives {len(self._options.names)} names for {len(places)} columns"
                )
            for place, name in zip(places, self._options.names, strict=True):
                names[place] = name
        return replace(
            table,
            text=text,
            names=tuple(make_unique(names)),
            starts=starts,
            ends=ends,
            rest_starts=rests[0],
            rest_ends=rests[1],
            record_starts=table.record_starts[rows],
            record_ends=table.record_ends[rows],
            snags=_add_snags(old, snags),
        )

    def _cut(
        self, piece: Piece, table: Table, place: int, n_fields: int | None, charges: list[Charge]
    ) -> _Cut:
        """Cut the values of one column, and charge what leaves them."""
        starts = np.maximum(table.starts[:, place], 0).astype(np.int64)
        ends = np.maximum(table.ends[:, place], 0).astype(np.int64)
        sign = _find_free_sign(table.text.data)
        buffer, begins = _lay_behind(table.text.data, starts, ends, sign)
        rules = replace(
            self._options.rules(),
            record_end=sign,
            paragraphs=False,
            lines_part=False,
            quote_lines=0,  # the signs part values: no mark reaches from one into the next
        )
        specials = find_specials(buffer, rules, is_last=True)
        expected = None if self._places.changes_fields else n_fields
        cut = cut_records(specials, rules, 0, expected, Scanner(specials, rules))
        ragged, snags = self._places.recut(buffer, cut.ragged, np.zeros(0, np.int64))
        snags = cut.snags + snags
        proved, gone = ragged, None
        if self._dropped:
            is_gone = find_dropped(buffer, ragged, self._dropped)
            fields = np.flatnonzero(is_gone)
            gone = select_fields(ragged, fields, np.array([0, fields.size]), ragged.stops[:0])
            ragged = ragged.without_fields(is_gone)
        long = short = np.zeros(0, np.int64)
        if n_fields is not None:
            fitted = fit_fields(specials, ragged, gone, n_fields, rules)
            ragged, proved, gone = fitted.ragged, fitted.proved, fitted.gone
            long, short = fitted.long, fitted.short
        no_drops = LineDrops.none()
        words = Text(buffer, buffer.size)
        sub, sub_charges = prove_cut(words, buffer.size, proved, no_drops, rules)
        if gone is not None:
            sub.drop_kept("dropped-piece", words.count(gone.starts, gone.ends))
            sub_charges.append(Charge("dropped-piece", gone.starts, gone.ends))
            ragged = self._empty_bare(words, ragged, sub, sub_charges)
        # a span of the buffer, told in the table's text
        moves = starts - begins
        bounds = np.append(begins, buffer.size)
        found = _Cut(table.text, ragged, moves, rules.marks, snags, long, short, sub.kept)
        if not self._options.keep_original:
            _charge(piece, table, sub_charges, len(sign), bounds, moves, charges)
        return found

    def _empty_bare(
        self, words: Text, ragged: Ragged, sub: Ledger, charges: list[Charge]
    ) -> Ragged:
        """Leave nothing of values that are but one piece, and that one to be dropped."""
        alone = ragged.offsets[:-1][ragged.counts == 1]
        covered = [
            any(pattern.covers(words.data[start:end].tobytes()) for pattern in self._dropped)
            for start, end in zip(
                ragged.starts[alone].tolist(), ragged.ends[alone].tolist(), strict=True
            )
        ]
        bare = alone[np.array(covered, np.bool_) & (ragged.ends[alone] > ragged.starts[alone])]
        starts, ends = ragged.starts[bare], ragged.ends[bare]
        sub.drop_kept("dropped-piece", words.count(starts, ends))
        charges.append(Charge("dropped-piece", starts, ends))
        ends, doubled = ragged.ends.copy(), ragged.doubled.copy()
        ends[bare], doubled[bare] = starts, False
        return replace(ragged, ends=ends, doubled=doubled)


class _Cut:
    """The pieces of one column's values."""

    def __init__(
        self,
        text: Text,
        ragged: Ragged,
        moves: Ints,
        marks: tuple[bytes, ...],
        snags: list[tuple[Ints, int]],
        long: Ints,
        short: Ints,
        n_kept: int,
    ) -> None:
        self.text, self.snags, self.long, self.short = text, snags, long, short
        self.n_kept, self._marks = n_kept, marks
        shift = np.repeat(moves, ragged.counts)
        self._ragged = replace(
            ragged,
            starts=ragged.starts + shift,
            ends=ragged.ends + shift,
            outer_starts=ragged.outer_starts + shift,
            outer_ends=ragged.outer_ends + shift,
        )

    @property
    def counts(self) -> Ints:
        """How many pieces each value has."""
        return self._ragged.counts

    def settle(self) -> tuple[Text, Ragged]:
        """Return the text with doubled marks made single, and the pieces."""
        return undouble(self.text, self._ragged, self._marks)

    def lay_out(self, n_fields: int) -> tuple[Text, Spans, Spans]:
        """Return the pieces as columns."""
        text, ragged = self.settle()
        rows = np.repeat(np.arange(ragged.stops.size), ragged.counts)
        columns = np.arange(rows.size) - ragged.offsets[rows]
        fits = columns < n_fields
        starts = np.full((ragged.stops.size, n_fields), MISSING, np.int32)
        ends = starts.copy()
        starts[rows[fits], columns[fits]] = ragged.starts[fits]
        ends[rows[fits], columns[fits]] = ragged.ends[fits]
        self._rest = ragged, rows[columns == n_fields], np.flatnonzero(columns == n_fields)
        return text, starts, ends

    def put_rest(self, table: Table, last: int, n_fields: int) -> Table:
        """Put what is over into `rest`; where that is taken, it stays with the last column."""
        ragged, rows, fields = self._rest
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


def _find_free_sign(data: Bytes) -> bytes:
    """Return a sign that does not stand in a text, to part its values by."""
    present = np.zeros(256, np.bool_)
    present[data] = True
    for byte in _SIGNS:
        if not present[byte]:
            return bytes([byte])
    raw = data.tobytes()
    sign = bytes([_SIGNS[0], _SIGNS[1]])
    while sign in raw:
        sign += bytes([_SIGNS[len(sign) % 2], _SIGNS[0]])
    return sign


def _lay_behind(data: Bytes, starts: Ints, ends: Ints, sign: bytes) -> tuple[Bytes, Ints]:
    """Return all values, each followed by the sign, and where each begins."""
    sizes = ends - starts + len(sign)
    begins = np.cumsum(sizes) - sizes
    buffer = np.tile(np.frombuffer(sign, np.uint8), int(sizes.sum()) // len(sign) + 1)[
        : int(sizes.sum())
    ].copy()
    for ahead, byte in enumerate(sign):
        buffer[begins + sizes - len(sign) + ahead] = byte
    sources, owners = index_spans(starts, ends)
    buffer[begins[owners] + sources - starts[owners]] = data[sources]
    return buffer, begins


def _charge(
    piece: Piece,
    table: Table,
    sub_charges: list[Charge],
    n_sign: int,
    bounds: Ints,
    moves: Ints,
    charges: list[Charge],
) -> None:
    """Charge what left the values to the piece, at the places it came from."""
    signs = bounds[1:] - n_sign
    for reason, starts, ends in sub_charges:
        if reason == "record-end":  # the sign was ours; what stood beside it is spacing
            reason = "spacing"
            starts, ends = np.concatenate([starts, signs + n_sign]), np.concatenate([signs, ends])
        real = ends > starts
        starts, ends = starts[real], ends[real]
        if not starts.size:
            continue
        rows = np.searchsorted(bounds, starts, "right") - 1
        starts, ends = starts + moves[rows], ends + moves[rows]
        piece.ledger.drop_kept(reason, table.text.count(starts, ends))
        is_built = ends > table.text.body_size
        charges.append(Charge(reason, starts[~is_built], ends[~is_built]))
        if is_built.any():
            spans = _find_in_body(table.text, starts[is_built], ends[is_built], charges)
            charges.append(Charge(reason, *spans))


def _find_in_body(text: Text, starts: Ints, ends: Ints, charges: list[Charge]) -> tuple[Ints, Ints]:
    """Return where pieces of built values stood in the body, before marks were made single."""
    holes = [c for c in charges if c.reason == "doubled-mark"]
    gone = np.sort(np.concatenate([np.zeros(0, np.int64), *[c.starts for c in holes]]))
    size = int(holes[0].ends[0] - holes[0].starts[0]) if holes and holes[0].starts.size else 1
    spans = []
    places = np.searchsorted(text.built, starts, "right") - 1
    for place, start, end in zip(places.tolist(), starts.tolist(), ends.tolist(), strict=True):
        origin, stop = int(text.origin_starts[place]), int(text.origin_ends[place])
        inner = gone[(gone >= origin) & (gone < stop)]
        built = int(text.built[place])
        offsets = inner - origin - size * np.arange(inner.size)  # where each hole is in the value
        before = int(np.searchsorted(offsets, start - built, "right"))
        until = int(np.searchsorted(offsets, end - built, "left"))
        first = origin + start - built + size * before
        for hole in inner[before:until].tolist():
            spans.append((first, hole))
            first = hole + size
        spans.append((first, origin + end - built + size * until))
    found = np.array(spans, np.int64).reshape(-1, 2)
    found = found[found[:, 1] > found[:, 0]]
    return found[:, 0], found[:, 1]


def _add_snags(old: SnagRows, more: list[tuple[Ints, int]]) -> SnagRows:
    pairs = [(np.unique(rows), code) for rows, code in more if rows.size]
    kept = [(old.records[old.kinds == code], code) for code in np.unique(old.kinds).tolist()]
    return SnagRows.gather([*kept, *pairs])
