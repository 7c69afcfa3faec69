"""glue at work: the values of a record, or of a column, as one value with a text between them."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import msgspec
import numpy as np
from msgspec.structs import replace

from wetcomb.core.arrays import BLANK, TAB, Bools, Ints, Spans, is_any_of, list_positions
from wetcomb.core.batch import Batch, NameSource, StepRun, Told
from wetcomb.core.cell_charges import charge_cells
from wetcomb.core.errors import InputError, UsageError
from wetcomb.core.ledger import Charge
from wetcomb.core.shared_cells import tell_apart
from wetcomb.core.table import MISSING, Table
from wetcomb.core.text import CR, LF, Text
from wetcomb.steps.glue.options import Glue

__all__ = ["Gluer", "begin"]

_MARK = b'"'
#: What could stand between values instead, in this order.
_FREE = (", ", "; ", " | ", " / ", " ~ ", " ^ ", " :: ", " ||| ", " <> ", "\t")


def begin(options: Glue) -> Gluer:
    """Return the step ready to run."""
    return Gluer(options)


class _Pieces(msgspec.Struct, eq=False):
    """The values that are put together, in order, as spans; each with the value that it becomes part of."""

    starts: Ints
    ends: Ints
    owners: Ints


class Gluer(StepRun):
    """Puts the values of one table together.

    Raises
    ------
    UsageError : an option names a column that there is not
    """

    def __init__(self, options: Glue) -> None:
        self._options = options
        self._with = options.with_.encode()
        self._n_refused, self._first_refused = 0, ("", 0, "")
        self._free = [*_FREE]

    def feed(self, batch: Batch, *, is_last: bool) -> Iterator[Batch]:
        """Yield a piece of the table, its values put together."""
        if batch.table is None:
            yield batch
            return
        table, charges = tell_apart(batch.table), list[Charge]()
        columns = [table.find_column(name, "--columns") for name in self._options.columns]
        columns = columns or list(range(len(table.names)))
        is_row = self._options.each_a_line or self._options.one_line
        left = [k for k in range(len(table.names)) if k not in columns]
        if is_row:
            charges += charge_cells(table, np.arange(table.n_records), left, "not-taken")
        name = self._find_name(table, columns)
        sources = list(batch.name_sources)
        if sources:
            charges += self._charge_names(sources, columns, left if is_row else [])
        made = self._glue_all(table, columns) if self._options.one_line else self._glue_each(table, columns)  # fmt: skip
        made = _arrange(table, made, name, columns, [] if is_row else left)
        if self._options.each_a_line:
            none = np.full(made.n_records, MISSING, np.int32)
            made = replace(made, rest_starts=none, rest_ends=none)
        named: tuple[NameSource, ...] = ()
        if sources:
            kept = {} if is_row else {k: sources[k] for k in left}
            kept[min(columns)] = self._name(sources, columns)
            named = tuple(kept[k] for k in sorted(kept))
        yield replace(batch, table=made, charges=[*batch.charges, *charges], name_sources=named)

    def tell(self) -> Told:
        """Refuse what could not be cut again as it was."""
        if self._n_refused:
            column, line, value = self._first_refused
            shown = value if len(value) <= 40 else value[:40] + "..."
            verb = "value holds" if self._n_refused == 1 else "values hold"
            free = f", or put {self._free[0]!r} between them, which stands in none" if self._free else ""  # fmt: skip
            raise InputError(
                f"{self._n_refused:,} {verb} {self._options.with_!r}, at which they would be cut again (column {column!r}: {shown!r}); write such values in quote marks (--quote double){free}",
                line=line,
            )
        return Told()

    def _find_name(self, table: Table, columns: Sequence[int]) -> str:
        """Return what the new column is called: a heading is put together as the values below it are."""
        names = [table.names[column] for column in columns]
        if self._options.as_:
            name = self._options.as_
        elif self._options.one_line:
            (name,) = names
        elif self._options.each_a_line and self._options.quote == "double":
            name = self._options.with_.join(map(self._quote_text, names))
        else:
            name = self._options.with_.join(names)
        others = [n for k, n in enumerate(table.names) if k not in columns]
        if name in others and not (self._options.each_a_line or self._options.one_line):
            raise UsageError(f"--as {name!r}: there is a column of that name already")
        return name

    def _charge_names(
        self, sources: Sequence[NameSource], columns: Sequence[int], left: Sequence[int]
    ) -> list[Charge]:
        """Return the names that leave: of columns that do, and those that another one replaces."""
        charges = [one for k in left for one in sources[k].charge("not-taken")]
        if self._options.as_:
            charges += [one for k in columns for one in sources[k].charge("heading-replaced")]
        return charges

    def _name(self, sources: Sequence[NameSource], columns: Sequence[int]) -> NameSource:
        """Return where the new name is from."""
        if self._options.as_:
            return NameSource()
        spans = [span for k in columns for span in sources[k].spans]
        return NameSource(tuple(spans), tuple(span for k in columns for span in sources[k].again))

    def _glue_each(self, table: Table, columns: Sequence[int]) -> Table:
        """Return a table of one column, in which each record's values are put together."""
        starts = table.starts[:, columns].astype(np.int64)
        ends = table.ends[:, columns].astype(np.int64)
        if (
            self._options.each_a_line and table.has_rest
        ):  # what no column could take goes on behind them
            starts = np.column_stack([starts, table.rest_starts])
            ends = np.column_stack([ends, table.rest_ends])
        is_there = starts != MISSING
        is_wanted = ends > starts if self._options.skip_empty else np.ones(starts.shape, np.bool_)
        if self._options.each_a_line and table.has_rest:
            is_wanted[:, -1] = is_there[:, -1]
        is_wanted &= is_there.any(axis=1)[
            :, None
        ]  # of what is missing in all of them nothing is made
        rows, places = np.nonzero(is_wanted)
        begins, stops = starts[rows, places], ends[rows, places]
        gone = begins == MISSING
        begins[gone] = stops[gone] = table.record_starts[rows[gone]]
        names = [table.names[column] for column in columns]
        text, new_starts, new_ends = self._join(
            table, _Pieces(begins, stops, rows), [*names, "rest"], places
        )
        none = is_there.any(axis=1) & (new_starts == MISSING)
        new_starts[none] = new_ends[none] = table.record_starts[none]
        return replace(table, text=text, starts=_one(new_starts), ends=_one(new_ends))

    def _glue_all(self, table: Table, columns: Sequence[int]) -> Table:
        """Return a table of one record, whose value is all of a column's."""
        if table.has_rest:
            (row, *_) = np.flatnonzero(table.rest_starts != MISSING)
            line = int(table.line_numbers(np.array([row]))[0][0])
            raise InputError("this record has more than its columns take, which would be lost; settle that first (realign, --take)", line=line)  # fmt: skip
        column = columns[0]
        begins, stops = (part[:, column].astype(np.int64) for part in (table.starts, table.ends))
        rows = np.flatnonzero(stops > begins if self._options.skip_empty else begins >= MISSING)
        begins, stops = begins[rows], stops[rows]
        gone = begins == MISSING
        begins[gone] = stops[gone] = table.record_starts[rows[gone]]
        pieces = _Pieces(begins, stops, np.zeros(rows.size, np.int64))
        names = [table.names[column]]
        text, starts, ends = self._join(table, pieces, names, np.zeros(rows.size, np.int64), rows)
        few = slice(0, min(1, table.n_records))
        return replace(
            table,
            text=text,
            starts=_one(starts[few]),
            ends=_one(ends[few]),
            rest_starts=table.rest_starts[few],
            rest_ends=table.rest_ends[few],
            record_starts=table.record_starts[few],
            record_ends=table.record_ends[-1:],
            snags=table.snags.move(np.zeros(table.n_records, np.int64)),
        )

    def _join(
        self,
        table: Table,
        pieces: _Pieces,
        names: Sequence[str],
        places: Ints,
        rows: Ints | None = None,
    ) -> tuple[Text, Ints, Ints]:
        """Return the text with each record's pieces put together behind it, and where; -1 where there are none.

        Parameters
        ----------
        names, places : of the columns, and in which of them each piece stands
        rows : the records of the pieces, where they are not their owners
        """
        n_records = table.n_records
        text, owners = table.text, pieces.owners
        odd = self._find_odd(text, pieces)
        if self._options.quote != "double":
            if self._options.quote == "none":
                clash = np.flatnonzero(odd)
                clash = clash[self._holds_cut(text, pieces, clash)]
                self._refuse(table, pieces, clash, names, places, owners if rows is None else rows)
            odd[:] = False
        again = np.isin(pieces.starts, text.again_starts) & (pieces.ends > pieces.starts)
        odd |= again | (text.forms.find(pieces.starts, pieces.ends) >= 0)
        is_special = np.zeros(n_records, np.bool_)
        is_special[owners[odd]] = True
        starts, ends = np.full((2, n_records), MISSING, np.int64)
        mine = np.flatnonzero(~is_special[owners])
        if mine.size:
            which = owners[mine]
            first = np.append(True, which[1:] != which[:-1])
            counts = np.diff(np.append(np.flatnonzero(first), mine.size))
            text, begins, stops = text.build(pieces.starts[mine], pieces.ends[mine], counts, self._with)  # fmt: skip
            starts[which[first]], ends[which[first]] = begins, stops
        mine = np.flatnonzero(is_special[owners])
        if mine.size:
            text, starts, ends = self._lay(text, pieces, mine, starts, ends)
        return text, starts, ends

    def _lay(
        self, text: Text, pieces: _Pieces, mine: Ints, starts: Ints, ends: Ints
    ) -> tuple[Text, Ints, Ints]:
        """Lay those behind the text of which some piece is written otherwise."""
        joined: dict[int, list[bytes]] = {}
        spans = zip(pieces.starts[mine].tolist(), pieces.ends[mine].tolist(), strict=True)
        data = text.data
        for owner, (start, end) in zip(pieces.owners[mine].tolist(), spans, strict=True):
            joined.setdefault(owner, []).append(self._quote(data[start:end].tobytes()))
        laid = {owner: self._with.join(parts) for owner, parts in joined.items()}
        filled = [owner for owner, value in laid.items() if value]
        rank = np.full(starts.size, MISSING, np.int64)
        rank[filled] = np.arange(len(filled))
        kept = mine[rank[pieces.owners[mine]] != MISSING]
        sizes = np.array([len(laid[owner]) for owner in filled], np.int64)
        made = np.frombuffer(b"".join(laid[owner] for owner in filled), np.uint8)
        text, begins, stops = text.alter(
            pieces.starts[kept], pieces.ends[kept], made, sizes, rank[pieces.owners[kept]]
        )
        starts[filled], ends[filled] = begins, stops
        return text, starts, ends

    def _find_odd(self, text: Text, pieces: _Pieces) -> Bools:
        """Return which values may not come back as they are."""
        data, starts, ends = text.data, pieces.starts, pieces.ends
        empty = ends == starts
        wanted = set(self._with) - {BLANK, TAB} or set(self._with)
        wanted |= set(_MARK) | (set(b"\r\n") if self._options.each_a_line else set())
        hit = is_any_of(data, bytes(wanted))
        before = np.append(0, np.cumsum(hit))
        odd = before[ends] > before[starts]
        odd |= (
            is_any_of(data.take(starts, mode="clip"), b" \t\f\v") & ~empty if data.size else False
        )
        odd |= (
            is_any_of(data.take(ends - 1, mode="clip"), b" \t\f\v") & ~empty if data.size else False
        )
        n_pieces = np.bincount(pieces.owners)[pieces.owners]
        n_filled = np.bincount(pieces.owners, ~empty)[pieces.owners]
        return odd | (empty & ((n_pieces == 1) | (n_filled == 0) | (not self._with.strip())))

    def _holds_cut(self, text: Text, pieces: _Pieces, which: Ints) -> Bools:
        """Return which of some values hold what stands between them, with what they are put beside."""
        found = []
        for start, end in zip(pieces.starts[which].tolist(), pieces.ends[which].tolist(), strict=True):  # fmt: skip
            value = text.data[start:end].tobytes()
            ends_a_line = self._options.each_a_line and any(
                sign in value for sign in (b"\n", b"\r")
            )
            # with what stands behind it: "a=" beside "==" is cut too early
            found.append(ends_a_line or (value + self._with).find(self._with) < len(value))
        return np.array(found, np.bool_)

    def _refuse(
        self, table: Table, pieces: _Pieces, clash: Ints, names: Sequence[str], places: Ints, rows: Ints
    ) -> None:  # fmt: skip
        """Take note of values that hold what stands between them, and of what stands in none."""
        joined = table.text.data[list_positions(pieces.starts, pieces.ends)].tobytes()
        self._free = [sign for sign in self._free if sign.strip().encode() not in joined and sign.encode() not in joined] if joined else self._free  # fmt: skip
        self._free = [sign for sign in self._free if sign != self._options.with_]
        if not clash.size:
            return
        if not self._n_refused:
            place = int(clash[0])
            line = int(table.line_numbers(rows[[place]])[0][0])
            value = table.text.value(int(pieces.starts[place]), int(pieces.ends[place]))
            self._first_refused = (names[int(places[place])], line, value)
        self._n_refused += clash.size

    def _quote(self, value: bytes) -> bytes:
        """Return a value as split reads it back."""
        if self._options.quote != "double":
            return value
        signs = set(self._with.strip() or self._with)
        is_odd = not value or value != value.strip(b" \t\f\v") or bool(signs & set(value)) or _MARK in value  # fmt: skip
        is_odd |= self._options.each_a_line and bool({LF, CR} & set(value))
        return _MARK + value.replace(_MARK, _MARK * 2) + _MARK if is_odd else value

    def _quote_text(self, name: str) -> str:
        return self._quote(name.encode()).decode()


def _one(values: Ints) -> Spans:
    """Return the spans of a single column."""
    return values.astype(np.int32)[:, None]


def _arrange(
    table: Table, made: Table, name: str, columns: Sequence[int], left: Sequence[int]
) -> Table:
    """Return the new column in the place of the first of those it is made of, beside the others that stay."""
    order = sorted([min(columns), *left])
    starts = [made.starts[:, 0] if k == min(columns) else table.starts[:, k] for k in order]
    ends = [made.ends[:, 0] if k == min(columns) else table.ends[:, k] for k in order]
    names = tuple(name if k == min(columns) else table.names[k] for k in order)
    types = tuple("" if k == min(columns) else table.types[k] for k in order) if table.types else ()
    return replace(
        made,
        names=names,
        starts=np.column_stack(starts),
        ends=np.column_stack(ends),
        types=types,
        surplus=None,
    )
