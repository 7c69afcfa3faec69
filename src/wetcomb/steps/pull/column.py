"""pull --column at work: each value of a table's column is a block, its fields are new columns."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from msgspec.structs import replace

from wetcomb.core.arrays import Ints, Spans
from wetcomb.core.batch import Batch, NameSource
from wetcomb.core.errors import InputError, UsageError
from wetcomb.core.ledger import Charge
from wetcomb.core.shared_cells import tell_apart
from wetcomb.core.snags import SnagRows
from wetcomb.core.table import MISSING, Table
from wetcomb.core.text import Text
from wetcomb.core.values_text import lay_behind, tell_spans
from wetcomb.steps.pull.blocks import Blocks
from wetcomb.steps.pull.counting import CountingRun
from wetcomb.steps.pull.lines import read_lines
from wetcomb.steps.pull.reading import Gone, Reading
from wetcomb.steps.pull.spacing import charge_spacing

__all__ = ["ColumnPuller"]

_SIGN = b"\n"  # parts the values where they are laid one behind another


class ColumnPuller(CountingRun):
    """Runs one `Pull` over the values of a table's column."""

    def feed(self, batch: Batch, *, is_last: bool) -> Iterator[Batch]:
        """Yield a batch with new columns in the place of one.

        Raises
        ------
        UsageError : there is no such column, or a new one is called as another
        InputError : a record has more than its columns could take already
        """
        if batch.table is None:
            yield batch
            return
        table = tell_apart(batch.table)
        place = table.find_column(self._options.column)
        names = [*table.names[:place], *self._reader.columns, *table.names[place + 1 :]]
        twice = next((name for name in names if names.count(name) > 1), None)
        if twice is not None:
            raise UsageError(
                f"two columns would be called {twice!r}; call the new one otherwise: --label '... as NAME'"
            )
        starts = np.maximum(table.starts[:, place], 0).astype(np.int64)
        ends = np.maximum(table.ends[:, place], 0).astype(np.int64)
        buffer, begins = lay_behind(table.text.data, starts, ends, _SIGN)
        chunk = Text.of(buffer.tobytes())
        lines = read_lines(chunk, is_last=True)
        gone = Gone()
        blocks = Blocks(np.searchsorted(lines.starts, begins))
        labels = self._reader.find_labels(lines, ())
        numbers, _ = table.line_numbers(np.arange(table.n_records))
        reading = self._reader.read(chunk, lines, labels, (), blocks, gone, numbers)
        charge_spacing(chunk, (reading.starts, reading.ends), gone, chunk.body_size)
        bounds, moves = np.append(begins, buffer.size), starts - begins
        signs = np.sort(bounds[1:] - 1)
        charges = []
        for reason in gone.spans:
            first, last = gone.gather(reason)
            own = np.searchsorted(signs, first)  # the sign is ours, and no span goes beyond it
            last = np.minimum(last, signs.take(own, mode="clip"))
            charges.append(Charge(reason, *tell_spans(table.text, first, last, bounds, moves)))
        made = self._put(table, place, tuple(names), reading, (bounds, moves))
        sources = list(batch.name_sources)
        if sources:
            charges += sources[place].charge("heading-replaced")
            sources[place : place + 1] = [NameSource()] * len(self._reader.columns)
        yield replace(
            batch,
            table=made,
            charges=[*batch.charges, *charges],
            name_sources=tuple(sources),
        )

    def _put(
        self,
        table: Table,
        place: int,
        names: tuple[str, ...],
        reading: Reading,
        values: tuple[Ints, Ints],
    ) -> Table:
        """Return the table with what was read in the place of a column; a record of it for each of the reading."""
        counts = np.bincount(reading.blocks, minlength=table.n_records)
        rows = np.repeat(np.arange(table.n_records), np.maximum(counts, 1))
        is_read = counts[rows] > 0
        text, starts, ends = self._move(table.text, reading, *values)
        width = starts.shape[1] - 1
        new_starts = np.full((rows.size, width + 1), MISSING, np.int64)
        new_ends = new_starts.copy()
        new_starts[is_read], new_ends[is_read] = starts, ends
        firsts = np.searchsorted(rows, np.arange(table.n_records))
        again = np.append(False, rows[1:] == rows[:-1])[: rows.size]
        rest_starts = np.where(again, MISSING, table.rest_starts[rows])
        rest_ends = np.where(again, MISSING, table.rest_ends[rows])
        over = np.flatnonzero(new_starts[:, -1] != MISSING)
        taken = over[rest_starts[over] != MISSING]
        if taken.size:
            line = int(table.line_numbers(rows[taken])[0][0])
            raise InputError(
                f"the record in line {line} has more than its columns could take already, and a label stands in its value more than once too; say what becomes of that (--again)"
            )
        rest_starts[over], rest_ends[over] = new_starts[over, -1], new_ends[over, -1]
        read = np.flatnonzero(is_read)
        own = SnagRows.of(read[reading.snags.records], reading.snags.kinds)
        made = replace(
            table,
            text=text,
            names=names,
            starts=_insert(table.starts[rows], place, new_starts[:, :-1]),
            ends=_insert(table.ends[rows], place, new_ends[:, :-1]),
            rest_starts=rest_starts.astype(np.int32),
            rest_ends=rest_ends.astype(np.int32),
            record_starts=table.record_starts[rows],
            record_ends=table.record_ends[rows],
            snags=SnagRows.join([table.snags.move(firsts), own]),
            surplus=None,
        )
        if rows.size == table.n_records:
            return made
        return replace(made, repeats=(*made.repeats, "other-columns"))

    def _move(
        self, text: Text, reading: Reading, bounds: Ints, moves: Ints
    ) -> tuple[Text, Ints, Ints]:
        """Return the cells of a reading as spans of the table's text; what was built is built again."""
        laid = reading.laid
        starts, ends = laid.starts.ravel().copy(), laid.ends.ravel().copy()
        there = np.flatnonzero(starts != MISSING)
        built = there[ends[there] > laid.text.body_size]
        plain = there[ends[there] <= laid.text.body_size]
        moved = moves[np.minimum(np.searchsorted(bounds, starts[plain], "right"), moves.size) - 1]
        pieces = laid.text.find_origins(starts[built], ends[built])
        starts[plain] += moved
        ends[plain] += moved
        if built.size:
            shift = moves[np.searchsorted(bounds, pieces.starts, "right") - 1]
            sizes = np.bincount(pieces.owners, minlength=built.size)
            glue = self._options.glue.encode()
            text, starts[built], ends[built] = text.build(
                pieces.starts + shift, pieces.ends + shift, sizes, glue
            )
        return text, starts.reshape(laid.starts.shape), ends.reshape(laid.ends.shape)


def _insert(cells: Spans, place: int, new: Ints) -> Spans:
    """Return the cells of all columns, new ones in the place of one."""
    return np.concatenate([cells[:, :place], new.astype(np.int32), cells[:, place + 1 :]], axis=1)
