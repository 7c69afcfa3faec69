"""split --column-by-column: all of one column, then all of the next, as some copies come out.

Columns are blocks of lines, a cell a line, parted by blank lines, page breaks or the next
heading; the first line of each is its heading, if there are headings. Where the first heading comes again a new set of columns
begins, and with it further records. Columns of a set of unequal lengths leave cells missing at its end: these
records are snags. A text is held as a whole. It is wrong where a cell is blank: its line parts two columns.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import msgspec
import numpy as np

from wetcomb.core.batch import Batch, NameSource, StepRun
from wetcomb.core.cutting.ragged import LineDrops
from wetcomb.core.errors import InputError, UsageError
from wetcomb.core.ledger import Charge
from wetcomb.core.line_charges import Span, charge_edge, prove_charges, to_arrays
from wetcomb.core.snags import SNAG_CODES, SnagRows
from wetcomb.core.table import MISSING, Table
from wetcomb.core.text import Text, count_line_ends
from wetcomb.steps.split.columns import mark_missing
from wetcomb.steps.split.headings import make_unique
from wetcomb.steps.split.options import Split

__all__ = ["ColumnSplitterDown"]


class _Cell(msgspec.Struct, frozen=True):
    """A line that is not blank: all of it, and its value."""

    line: Span
    value: Span


class ColumnSplitterDown(StepRun):
    """Runs one `Split` over a text whose columns stand one under another, a cell a line."""

    def __init__(self, options: Split) -> None:
        self._options = options

    def feed(self, batch: Batch, *, is_last: bool) -> Iterator[Batch]:
        """Yield the records, once all of the text is there."""
        yield self._read(batch.text) if is_last else Batch(batch.text)

    def _read(self, chunk: Text) -> Batch:
        has_heading = self._options.n_heading > 0
        named = self._options.names if has_heading else ()
        blocks, blank = _list_blocks(chunk, named)
        if has_heading and not named and blocks:
            first = [_read(chunk, block[0]) for block in self._part_sets(chunk, blocks)[0]]
            blocks, blank = _list_blocks(chunk, first)  # further sets need no blank lines
        if not blocks:
            raise InputError("there are no columns in it: every line is blank")
        if len(blocks) == 1 and len(blocks[0]) > 1 and len(self._options.names) != 1:
            raise InputError(
                "nothing parts its columns: no blank line, page break or heading; say what the headings are (--heading first --names No,Boat)"
            )
        sets = self._part_sets(chunk, blocks)
        width = len(sets[0])
        for columns in sets:
            self._check_set(chunk, columns, sets[0])
        heads = [[block[0] for block in columns] if has_heading else [] for columns in sets]
        bodies = [[block[has_heading:] for block in columns] for columns in sets]
        table = self._lay_out(chunk, bodies, [_read(chunk, cell) for cell in heads[0]], width)
        table, missing = mark_missing(table, [word.encode() for word in self._options.missing])
        again = [cell.line for columns in heads[1:] for cell in columns]
        gone = self._list_charges(chunk, blocks, blank, set(again))
        prove_charges(chunk, gone)
        is_replaced = bool(self._options.names)
        words = [cell.value for cell in heads[0]]
        replaced = [Charge("heading-replaced", *to_arrays(words))] * (is_replaced and bool(words))
        sources = [NameSource((word,) if word[1] > word[0] else ()) for word in words]
        return Batch(
            chunk,
            chunk.body_size,
            count_line_ends(chunk.data[: chunk.body_size].tobytes(), is_whole=True),
            table,
            charges=[
                *(Charge(reason, *to_arrays(spans)) for reason, spans in gone.items() if spans),
                *replaced,
                *missing,
            ],
            drops=LineDrops.join(
                [
                    LineDrops.of("blank-line", *to_arrays(gone["blank-line"])),
                    LineDrops.of("heading-again", *to_arrays(gone["heading-again"])),
                ]
            ),
            name_sources=(NameSource(),) * width if is_replaced or not words else tuple(sources),
        )

    def _part_sets(self, chunk: Text, blocks: list[list[_Cell]]) -> list[list[list[_Cell]]]:
        """Return the columns in sets: one begins where the first heading comes again."""
        if not self._options.n_heading:
            width = len(self._options.names) or len(blocks)
            return [blocks[begin : begin + width] for begin in range(0, len(blocks), width)]
        first = _read(chunk, blocks[0][0])
        sets: list[list[list[_Cell]]] = []
        for block in blocks:
            if not sets or _read(chunk, block[0]) == first:
                sets.append([])
            sets[-1].append(block)
        return sets

    def _check_set(self, chunk: Text, columns: list[list[_Cell]], first: list[list[_Cell]]) -> None:
        """Raise InputError for a set whose columns are not those of the first."""
        line = int(chunk.line_numbers(np.array([columns[0][0].line[0]]))[0])
        names = self._options.names
        if names and len(names) != len(first):
            raise UsageError(f"--names gives {len(names)} names for {len(first)} columns")
        if len(columns) != len(first):
            said = (
                f"the set that begins here has {len(columns)} columns, the first has {len(first)}"
            )
            raise InputError(said, line=line)
        if self._options.n_heading:
            own = [_read(chunk, block[0]) for block in columns]
            known = [_read(chunk, block[0]) for block in first]
            odd = next((a for a, b in zip(own, known, strict=True) if a != b), None)
            if odd is not None:
                said = f"the set that begins here has a column {odd!r}, the first has none in its place"
                raise InputError(said, line=line)

    def _lay_out(
        self,
        chunk: Text,
        bodies: Sequence[Sequence[list[_Cell]]],
        found: Sequence[str],
        width: int,
    ) -> Table:
        """Return the cells of all sets side by side."""
        lengths = [max(map(len, columns)) for columns in bodies]
        spans = np.full((sum(lengths), width, 2), MISSING, np.int32)
        places = np.zeros((sum(lengths), 2), np.int64)
        odd: list[int] = []
        base = 0
        for columns, length in zip(bodies, lengths, strict=True):
            for column, cells in reversed(list(enumerate(columns))):
                for row, cell in enumerate(cells, base):
                    spans[row, column], places[row] = cell.value, cell.line
            odd += range(base + min(map(len, columns)), base + length)
            base += length
        nowhere = np.full(len(spans), MISSING, np.int32)
        names = self._options.names or make_unique([*found, *[""] * (width - len(found))])
        return Table(
            chunk,
            tuple(names),
            spans[..., 0],
            spans[..., 1],
            nowhere,
            nowhere,
            places[:, 0],
            places[:, 1],
            SnagRows.gather([(np.array(odd, np.int64), SNAG_CODES["unequal-lists"])]),
        )

    def _list_charges(
        self, chunk: Text, blocks: list[list[_Cell]], blank: list[Span], again: set[Span]
    ) -> dict[str, list[Span]]:
        """Return every span that is in no cell and no heading, by reason."""
        gone: dict[str, list[Span]] = {
            "line-end": [], "spacing": [], "blank-line": [], "page-mark": [], "heading-again": [],
        }  # fmt: skip
        for start, end in blank:
            is_fed = b"\f" in chunk.data[start:end].tobytes()
            gone["page-mark" if is_fed else "blank-line"].append((start, end))
        for cell in (cell for block in blocks for cell in block):
            if cell.line in again:
                gone["heading-again"].append(cell.line)
                continue
            content = chunk.data[slice(*cell.line)].tobytes()
            end = cell.line[0] + len(content.rstrip(b"\r\n"))
            charge_edge(chunk, gone, cell.line[0], cell.value[0])
            charge_edge(chunk, gone, cell.value[1], end)
            if cell.line[1] > end:
                gone["line-end"].append((end, cell.line[1]))
        return gone


def _read(chunk: Text, cell: _Cell) -> str:
    return chunk.value(*cell.value)


def _list_blocks(chunk: Text, headings: Sequence[str] = ()) -> tuple[list[list[_Cell]], list[Span]]:
    """Return the blocks of lines, and the blank lines.

    A block ends at a blank line, at a page break, and where the heading behind its own comes.
    """
    coming = {name: headings[place - len(headings) + 1] for place, name in enumerate(headings)}
    raw = chunk.data[: chunk.body_size].tobytes()
    starts = chunk.line_starts[chunk.line_starts < chunk.body_size].tolist()
    blocks: list[list[_Cell]] = []
    blank: list[Span] = []
    is_open = False
    for start, end in zip(starts, [*starts[1:], chunk.body_size], strict=True):
        body = raw[start:end].rstrip(b"\r\n")
        inner = body.strip(b" \t\f")
        if not inner:
            is_open = False
            blank.append((start, end))
            continue
        begin = start + body.find(inner)
        cell = _Cell((start, end), (begin, begin + len(inner)))
        wanted = coming.get(_read(chunk, blocks[-1][0])) if coming and blocks else None
        if not is_open or b"\f" in raw[start:begin] or _read(chunk, cell) == wanted:
            blocks.append([])
        blocks[-1].append(cell)
        is_open = True
    return blocks, blank
